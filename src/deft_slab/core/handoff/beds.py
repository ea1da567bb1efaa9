"""Pieces side by side on beds, none overlapping."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..judge.tilts import set_down
from ..outcome import Piece
from ..printer import Printer
from ..tilt import Tilt

Floats = NDArray[np.float64]

GAP = 4.0
"""mm between pieces on a bed and, times five, between beds in one file."""


@dataclass(frozen=True, eq=False)
class Laid:
    """A piece laid on a bed: rotation (3, 3) from the model frame, then shift (3,) mm.

    bed : its number; bed_x : mm, where that bed begins. Beds follow each other along +X, the first at 0.
    """

    rotation: Floats
    shift: Floats
    bed: int
    bed_x: float

    def placed(self, points: Floats) -> Floats:
        """(n, 3) mm: points of the model frame where their piece lies."""
        return np.asarray(points @ self.rotation.T + self.shift)


def _footprints(pieces: Sequence[Piece]) -> list[tuple[Floats, Floats]]:
    """For each piece its rotation, yaw included, and its seated vertices."""
    found = []
    for piece in pieces:
        yaw = Tilt.turn((0.0, 0.0, 1.0), piece.fit.yaw if piece.fit.fits else 0.0)
        rotation = yaw.rotation @ piece.seat.rotation
        found.append((rotation, set_down(piece.solid.vertices, rotation)))
    return found


def lay_out(pieces: Sequence[Piece], printer: Printer, copies: int = 1) -> list[Laid]:
    """Lays pieces out in rows, deepest first, on as many beds as they need; all pieces of the first copy come first
    in the list, then those of the second, and so on.

    A piece that is too large for the bed gets one to itself, centred. Rows are shelves: a bounding rectangle each, so
    pieces never overlap.
    """
    prints = _footprints(pieces) * copies
    sizes = [np.ptp(vertices[:, :2], axis=0) for _, vertices in prints]
    room_x, room_y, _ = printer.room
    corners: dict[int, tuple[int, float, float]] = {}
    extent: dict[int, list[float]] = {}
    bed, x, y, row = 0, 0.0, 0.0, 0.0
    for number in sorted(range(len(prints)), key=lambda n: (-sizes[n][1], n)):
        width, depth = float(sizes[number][0]), float(sizes[number][1])
        oversize = width > room_x + 1e-6 or depth > room_y + 1e-6
        if oversize and bed in extent:
            bed, x, y, row = bed + 1, 0.0, 0.0, 0.0
        if x > 0 and x + width > room_x + 1e-6:
            x, y, row = 0.0, y + row + GAP, 0.0
        if y > 0 and y + depth > room_y + 1e-6:
            bed, x, y, row = bed + 1, 0.0, 0.0, 0.0
        corners[number] = (bed, x, y)
        used = extent.setdefault(bed, [0.0, 0.0])
        used[0], used[1] = max(used[0], x + width), max(used[1], y + depth)
        x, row = x + width + GAP, max(row, depth)
        if oversize:
            bed, x, y, row = bed + 1, 0.0, 0.0, 0.0
    laid = []
    pitch = max(printer.bed_x, max(float(size[0]) for size in sizes)) + 5 * GAP
    for number, (rotation, vertices) in enumerate(prints):
        on, left, front = corners[number]
        # along an endless axis a bed begins at its margin
        centre_x = _start(printer, "x", printer.bed_x, extent[on][0]) + on * pitch
        centre_y = _start(printer, "y", printer.bed_y, extent[on][1])
        low = vertices.min(axis=0)
        piece = pieces[number % len(pieces)]
        up = piece.lift - float((piece.solid.vertices @ rotation[2]).min())
        laid.append(Laid(rotation, np.array([centre_x + left - low[0], centre_y + front - low[1], up]), on, on * pitch))
    return laid


def _start(printer: Printer, axis: str, size: float, used: float) -> float:
    return printer.margin if printer.endless == axis else (size - used) / 2
