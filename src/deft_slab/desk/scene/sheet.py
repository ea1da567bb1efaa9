"""The bed itself: ruled sheets with mm numbers, and the room above them where something does not fit into it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.outcome import Piece
from ...core.printer import Printer
from ..look import palette
from ..look.palette import rgb
from .canvas import Canvas

Floats = NDArray[np.float64]

_SHEET = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
_RULED = -0.12
"""mm: the lines lie a little under what stands on the bed, and over the sheet."""
_LARGE = 600.0
"""mm: a larger bed is ruled every 50 and 100 mm."""


class Sheet:
    """Draws the beds of a printer into the canvas.

    over : places (mm) where a piece leaves the room of the printer, and by how much
    """

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._drawn: object = None
        self.over: list[tuple[Floats, str]] = []

    def draw(self, printer: Printer, starts: Sequence[float], reach: tuple[float, float]) -> None:
        """starts : mm, where each bed begins along X; reach : mm, how far the pieces go, for an endless axis"""
        x, y = printer.bed_x, printer.bed_y
        if printer.endless == "x":
            x = max(x, 50.0 * np.ceil((reach[0] + 40) / 50))
        if printer.endless == "y":
            y = max(y, 50.0 * np.ceil((reach[1] + 40) / 50))
        wanted = (tuple(starts), float(x), float(y), printer.endless)
        if wanted == self._drawn:
            return
        self._drawn = wanted
        step = 50.0 if max(x, y) > _LARGE else 10.0
        sheets, fine, coarse, numbers = [], [], [], []
        for number, start in enumerate(starts):
            sheets += [[start, 0, -0.15], [start + x, 0, -0.15], [start + x, y, -0.15], [start, y, -0.15]]
            for at in np.arange(0.0, x + 0.1, step):
                (coarse if at % (5 * step) == 0 else fine).append([[start + at, 0, _RULED], [start + at, y, _RULED]])
            for at in np.arange(0.0, y + 0.1, step):
                (coarse if at % (5 * step) == 0 else fine).append([[start, at, _RULED], [start + x, at, _RULED]])
            numbers += [(np.array([start + at, -8.0, 0.0]), f"{at:.0f}") for at in np.arange(0, x + 1, 5 * step)]
            numbers += [
                (np.array([start + x + 9.0, at, 0.0]), f"{at:.0f}") for at in np.arange(5 * step, y + 1, 5 * step)
            ]
            named = "mm" if len(starts) == 1 else f"mm · bed {number + 1}"
            numbers.append((np.array([start + x / 2, -24.0, 0.0]), named))
        if printer.endless:
            far = [x / 2, y + 14.0, 0.0] if printer.endless == "y" else [x + 40.0, y / 2, 0.0]
            numbers.append((np.array(far), "goes on without end"))
        faces = np.concatenate([_SHEET + 4 * number for number in range(len(starts))])
        self._canvas.mesh("bed sheet", np.array(sheets), faces, tuple(rgb("#FFFFFF")), lit=False)
        self._canvas.lines("bed fine", np.array(fine or coarse[:1]), tuple(rgb("#E6E2D8")))
        self._canvas.lines("bed coarse", np.array(coarse), tuple(rgb("#CFC8B8")))
        self._canvas.labels("bed numbers", numbers, tuple(rgb(palette.FAINT)))

    def draw_room(self, printer: Printer, pieces: Sequence[Piece], boxes: Sequence[tuple[Floats, Floats]]) -> None:
        """The room that the printer has and by how much the pieces leave it; nothing where all fit.

        boxes : (low, high) of each piece as it is drawn, mm
        """
        self._canvas.remove("room")
        self.over = []
        if all(piece.fit.fits for piece in pieces):
            return
        x, y, z = printer.bed_x, printer.bed_y, printer.height
        floor = np.array([[0, 0, 0], [x, 0, 0], [x, y, 0], [0, y, 0]], float)
        top = floor + [0, 0, z]
        edges = [*zip(floor, top, strict=True), *zip(top, np.roll(top, -1, axis=0), strict=True)]
        self._canvas.lines("room", np.array(edges), tuple(rgb(palette.AMBER)), width=1.5)
        for piece, (low, high) in zip(pieces, boxes, strict=True):
            middle = (low + high) / 2
            wide, deep, tall = piece.fit.over
            if tall:
                self.over.append((np.array([middle[0], middle[1], high[2]]), f"{tall:.1f} mm too high"))
            if wide:
                self.over.append((np.array([high[0], middle[1], middle[2]]), f"{wide:.1f} mm too wide"))
            if deep:
                self.over.append((np.array([middle[0], high[1], middle[2]]), f"{deep:.1f} mm too deep"))
