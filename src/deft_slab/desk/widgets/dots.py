"""A chart of dots that can be pointed at and chosen, with the mouse and the keyboard."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from ..look import palette
from .charts import Chart

DOT = 5.0
"""Pixels: half the width of a dot."""
_NEAR = 12.0
"""Pixels within which the pointer is at a dot."""


class DotsChart(Chart):
    """A click chooses a dot. So do the arrow keys, from left to right, and Enter."""

    pointed = Signal(int)
    """The number of the dot under the pointer, -1 for none."""
    chosen = Signal(int)

    def __init__(self, name: str, tip: str, height: int) -> None:
        super().__init__(name, tip, height)
        self.at = -1

    @property
    def count(self) -> int:
        """The number of dots."""
        raise NotImplementedError

    def place_of(self, n: int) -> QPointF:
        """Where a dot appears, in pixels."""
        raise NotImplementedError

    def point_at(self, n: int) -> None:
        """Highlight a dot that is pointed at elsewhere."""
        self.at = n
        self.update()

    def paint_dot(
        self, painter: QPainter, n: int, colour: QColor, *, round_one: bool, hollow: bool, struck: bool
    ) -> None:
        """Paint a dot: round or a lozenge, hollow or filled, struck through or not."""
        at = self.place_of(n)
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(QColor(palette.SHEET) if hollow else colour)
        if round_one:
            painter.drawEllipse(at, DOT - 0.5, DOT - 0.5)
        else:
            reach = DOT + 0.5
            ways = ((0.0, -reach), (reach, 0.0), (0.0, reach), (-reach, 0.0))
            painter.drawPolygon(QPolygonF([QPointF(at.x() + x, at.y() + y) for x, y in ways]))
        if struck:
            painter.setPen(QPen(QColor(palette.AMBER), 2.0))
            painter.drawLine(at + QPointF(-1.5 * DOT, 1.5 * DOT), at + QPointF(1.5 * DOT, -1.5 * DOT))
        if n == self.at:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(palette.MADDER), 1.6))
            painter.drawEllipse(at, DOT + 4, DOT + 4)

    def _nearest(self, position: QPointF) -> int:
        """The number of the dot at a position; -1: none."""
        away = [(self.place_of(n) - position).manhattanLength() for n in range(self.count)]
        nearest = int(np.argmin(away)) if away else -1
        return nearest if away and away[nearest] <= _NEAR else -1

    def _point(self, n: int) -> None:
        if n != self.at:
            self.at = n
            self.pointed.emit(n)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point(self._nearest(event.position()))

    def leaveEvent(self, event: QEvent) -> None:
        if not self.hasFocus():
            self._point(-1)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        nearest = self._nearest(event.position())
        if nearest >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(nearest)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if not self.count:
            super().keyPressEvent(event)
        elif event.key() in steps:
            order = sorted(range(self.count), key=lambda n: self.place_of(n).x())
            place = order.index(self.at) + steps[Qt.Key(event.key())] if self.at in order else 0
            self._point(order[min(max(place, 0), len(order) - 1)])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.at >= 0:
            self.chosen.emit(self.at)
        else:
            super().keyPressEvent(event)
