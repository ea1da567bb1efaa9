"""What to write, and what was written. Quick to import, because the window knows it too."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from .naming import PATTERN

LAYERS = ("layers.zip", "layers.3mf")
SHEET = ("sheet.pdf", "sheet.html")


@dataclass(frozen=True)
class Wished:
    """What to write.

    Attributes
    ----------
    pieces, beds : tuple[str, ...]
        The endings of the formats for each piece, and for each bed.
    assembled : bool
        Whether each piece is written where it belongs on the prop, and not in its seat.
    equal_once : bool
        Whether equal pieces are written as one file.
    layers : bool
        Whether each bed is written as layers too: as pictures in a ZIP, and as polygons in a 3MF.
    pattern : str
        The pattern of the names of pieces; see ``FIELDS``.
    """

    pieces: tuple[str, ...] = ("stl",)
    beds: tuple[str, ...] = ("3mf",)
    assembled: bool = False
    equal_once: bool = False
    layers: bool = False
    pattern: str = PATTERN


@dataclass(frozen=True)
class Handed:
    """A file that was written.

    Attributes
    ----------
    piece : int
        The number of the piece in the list; None for a bed.
    bed : int
        The number of the bed; None for a piece.
    count : int
        How often it must be printed, or how many pieces are in it.
    volume : float, mm3
    size : (x, y, z), mm
    """

    path: Path
    piece: int | None
    bed: int | None
    count: int
    triangles: int
    volume: float
    size: tuple[float, float, float]
