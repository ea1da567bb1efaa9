"""The beds as they are drawn: ruled sheets with numbers, and the printer's room above them where a piece does not
fit.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ...core.arrays import Floats
from ...core.locale import text
from ...core.locale.preferences import MM_IN_AN_INCH, inches
from ...core.locale.translate import tr
from ...core.printers.profile import Printer
from ...core.results.outcome import Piece
from ..look import palette
from ..look.palette import colour
from .drawables import Lines, Mesh, Thing

Box = tuple[Floats, Floats]
"""(low, high) mm."""
Said = tuple[Floats, str]
"""A place (3,) mm, and words there."""

_SHEET = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
_RULED = -0.12
"""mm: the lines lie a little under what stands on the bed, and over the sheet."""
_LARGE = 600.0
"""mm: a larger bed is ruled in wider steps."""
_MARGIN = 40.0
"""mm that an endless bed is drawn beyond what lies on it."""


@dataclass(frozen=True, eq=False)
class DrawnBeds:
    """The beds, ready to draw.

    Attributes
    ----------
    things : dict[str, Thing]
        What is drawn, by name.
    numbers : tuple[Said, ...]
        The mm along the edges.
    """

    things: dict[str, Thing]
    numbers: tuple[Said, ...]


def beds(sheets: Sequence[tuple[float, Printer]], reach: tuple[float, float]) -> DrawnBeds:
    """Draw the beds of printers.

    Parameters
    ----------
    sheets : Sequence[tuple[float, Printer]]
        For each bed, where it begins along X in mm, and its printer.
    reach : mm
        How far the pieces extend along X, in mm, for a printer with an endless axis.
    """
    ruled = []
    for start, printer in sheets:
        x, y = printer.bed_x, printer.bed_y
        if printer.endless == "x":
            x = max(x, 50.0 * float(np.ceil((reach[0] - start + _MARGIN) / 50)))
        if printer.endless == "y":
            y = max(y, 50.0 * float(np.ceil((reach[1] + _MARGIN) / 50)))
        ruled.append((start, x, y, printer.endless or ""))
    return _ruled(tuple(ruled), (palette.BED, palette.BED_FINE, palette.BED_COARSE))


@lru_cache(maxsize=8)
def _ruled(ruled: tuple[tuple[float, float, float, str], ...], colours: tuple[str, str, str]) -> DrawnBeds:
    """The fine and the bold lines of sheets, with their colours.

    Parameters
    ----------
    colours : tuple[str, str, str]
        The colours of the sheet, of its fine lines and of the bold ones.
    """
    sheets: list[list[float]] = []
    fine: list[list[list[float]]] = []
    coarse: list[list[list[float]]] = []
    numbers: list[Said] = []
    for number, (start, x, y, endless) in enumerate(ruled):
        large, unit = max(x, y) > _LARGE, MM_IN_AN_INCH if inches() else 1.0
        step = ((2.0 if large else 0.5) if inches() else (50.0 if large else 10.0)) * unit
        sheets += [[start, 0, -0.15], [start + x, 0, -0.15], [start + x, y, -0.15], [start, y, -0.15]]
        for n, at in enumerate(np.arange(0.0, x + 0.1, step)):
            (fine if n % 5 else coarse).append([[start + at, 0, _RULED], [start + at, y, _RULED]])
        for n, at in enumerate(np.arange(0.0, y + 0.1, step)):
            (fine if n % 5 else coarse).append([[start, at, _RULED], [start + x, at, _RULED]])
        named = text.unit() if len(ruled) == 1 else tr("{unit} · bed {number}", unit=text.unit(), number=number + 1)
        numbers.append((np.array([start + x / 2, -24.0, 0.0]), named))
        numbers += [(np.array([start + at, -8.0, 0.0]), text.plain(at / unit)) for at in np.arange(0, x + 1, 5 * step)]
        numbers += [
            (np.array([start + x + 9.0, at, 0.0]), text.plain(at / unit)) for at in np.arange(5 * step, y + 1, 5 * step)
        ]
        if endless:
            far = [start + x / 2, y + 14.0, 0.0] if endless == "y" else [start + x + 40.0, y / 2, 0.0]
            numbers.insert(0, (np.array(far), tr("continues without end")))
    faces = np.concatenate([_SHEET + 4 * number for number in range(len(ruled))])
    things: dict[str, Thing] = {
        "bed sheet": Mesh(np.array(sheets), faces, colour(colours[0]), lit=False),
        "bed fine": Lines(np.array(fine or coarse[:1]), colour(colours[1])),
        "bed coarse": Lines(np.array(coarse), colour(colours[2])),
    }
    return DrawnBeds(things, tuple(numbers))


def too_large(
    sheets: Sequence[tuple[float, Printer]], pieces: Sequence[Piece], farthest: Sequence[Callable[[int], Floats]]
) -> tuple[Lines | None, tuple[Said, ...]]:
    """The printer's room on each bed that a piece exceeds, with where and by how much; None and nothing where all
    fit.

    Parameters
    ----------
    sheets : Sequence[tuple[float, Printer]]
        For each piece, where its bed begins along X in mm, and its printer.
    farthest : Sequence[Callable[[int], Floats]]
        For each piece, what gives its corner (3,) that lies farthest along an axis.
    """
    over = dict.fromkeys(sheet for sheet, piece in zip(sheets, pieces, strict=True) if not piece.fit.fits)
    if not over:
        return None, ()
    edges: list[tuple[Floats, Floats]] = []
    for start, printer in over:
        x, y, z = printer.bed_x, printer.bed_y, printer.height
        floor = np.array([[0, 0, 0], [x, 0, 0], [x, y, 0], [0, y, 0]], float) + [start, 0, 0]
        top = floor + [0, 0, z]
        edges += [*zip(floor, top, strict=True), *zip(top, np.roll(top, -1, axis=0), strict=True)]
    said: list[Said] = []
    for piece, corner in zip(pieces, farthest, strict=True):
        words = text.too_large(piece.fit.over)
        said += [(corner(axis), one) for axis, one in enumerate(words) if one]
    return Lines(np.array(edges), colour(palette.AMBER), 1.5), tuple(said)
