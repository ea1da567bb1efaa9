"""The tilt map: a disc of all directions that could point down, coloured by a figure.

The middle is the model as it was opened, or upside down; the rim is the opposite of the middle.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from ...core.arrays import Floats
from ...core.locale.translate import tr, tr_in
from ...core.search.results import MapFigures
from ..look import palette
from .disc import DirectionDisc


@dataclass(frozen=True, eq=False)
class SeatsOnMap:
    """What the disc shows.

    Attributes
    ----------
    middle : (3, 3) float64
        The rotation that turns the direction of the middle to -z.
    figures : MapFigures
        Of the directions that were evaluated.
    values : (n,) float64
        0 is best.
    now : (3,) float64
    flats : (k, 3) float64
    seats, trail : tuple[Floats, ...]
        Directions.
    """

    middle: Floats
    figures: MapFigures
    values: Floats
    now: Floats
    flats: Floats
    seats: tuple[Floats, ...]
    trail: tuple[Floats, ...]

    @property
    def directions(self) -> Floats:
        return self.figures.down


class TiltDisc(DirectionDisc[SeatsOnMap]):
    def __init__(self) -> None:
        super().__init__(
            tr("Tilt map"), tr("Each point is a direction that could point down. Click, or use the arrow keys and "
                               "Enter, to use that seat."),
            tr("Searching all seats …"), 216,
        )

    def _marked(self, shown: SeatsOnMap) -> tuple[Floats, ...]:
        return (*shown.seats, *shown.flats)

    def _paint_ways(self, painter: QPainter, centre: QPointF, radius: float) -> None:
        """Paint the circle of directions a quarter turn from the middle, with the sides that point down there."""
        quarter = radius * np.sqrt(0.5)
        painter.setPen(QPen(QColor(255, 255, 255, 150), 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, quarter, quarter)
        self._small(painter)
        for words, x, y in (
            (tr("back"), 0, -1),
            (tr("front"), 0, 1),
            (tr_in("a side", "left"), -1, 0),
            (tr("right"), 1, 0),
        ):
            self._paint_word(painter, QPointF(centre.x() + x * quarter, centre.y() + y * quarter), words)

    def _paint_marks(self, painter: QPainter, shown: SeatsOnMap) -> None:
        painter.setPen(QPen(QColor(palette.ON_RAMP), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for flat in shown.flats:
            at = self.place_of(flat)
            painter.drawRect(QRectF(at.x() - 2, at.y() - 2, 4, 4))
        painter.setPen(QPen(QColor(palette.MADDER), 1.2, Qt.PenStyle.DashLine))
        trail = [self.place_of(down) for down in shown.trail]
        for start, end in zip(trail[:-1], trail[1:], strict=True):
            painter.drawLine(start, end)
        self._paint_numbered(painter, shown.seats)
        self._paint_now(painter, shown.now)
