"""What is written, and what was: light to load, for the window knows it too."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from .naming import PATTERN

LAYERS = ("layers.zip", "layers.3mf")
SHEET = ("sheet.pdf", "sheet.html")


@dataclass(frozen=True)
class Wished:
    """What is written.

    Attributes
    ----------
    pieces, beds : tuple[str, ...]
        Endings of the formats for each piece, and for each bed, as many as are wanted.
    assembled : bool
        Each piece where it belongs on the prop, and not in its seat.
    equal_once : bool
        Equal pieces as one file.
    layers : bool
        Of each bed, as pictures in a ZIP and as polygons in a 3MF.
    pattern : str
        Of the names of pieces; see FIELDS.
    """

    pieces: tuple[str, ...] = ("stl",)
    beds: tuple[str, ...] = ("3mf",)
    assembled: bool = False
    equal_once: bool = False
    layers: bool = False
    pattern: str = PATTERN


@dataclass(frozen=True)
class Handed:
    """A file.

    Attributes
    ----------
    piece : int
        Number of the piece in the list, None for a bed.
    bed : int
        Its number, None for a piece.
    count : int
        How often it is to be printed, or how many pieces are in it; triangles.
    volume : float, mm3
    size : (3,), mm
    """

    path: Path
    piece: int | None
    bed: int | None
    count: int
    triangles: int
    volume: float
    size: tuple[float, float, float]
