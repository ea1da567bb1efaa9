"""The front: all ways to part a model that nothing beats, support left against seam in sight."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from ..look import palette
from .charts import Chart

Floats = NDArray[np.float64]

_DOT = 5.0
"""Pixels: half the width of a dot."""
_NEAR = 12.0
"""Pixels within which the pointer is at a dot."""


@dataclass(frozen=True, eq=False)
class FrontShown:
    """sight : (n,) mm; left : (n,) share of the support; pieces : (n,) how many
    flat, fit, near : (n,) whether all sit flat, all fit, it is only known from the stand-in
    taken : which is on the bed, -1 for none
    """

    sight: Floats
    left: Floats
    pieces: NDArray[np.int64]
    flat: NDArray[np.bool_]
    fit: NDArray[np.bool_]
    near: NDArray[np.bool_]
    taken: int

    def unbeaten(self, count: int) -> list[int]:
        """Those of so many pieces that no other of as many beats, however they sit, least seen first."""
        own = np.flatnonzero(self.pieces == count)
        kept: list[int] = []
        for n in own[np.lexsort((self.left[own], self.sight[own]))]:
            if not kept or self.left[n] < self.left[kept[-1]]:
                kept.append(int(n))
        return kept


class FrontChart(Chart):
    """A dot for each way, one line for each number of pieces. A click takes one; so do arrows and Enter.

    Round: every piece sits flat; a lozenge: some lean. Struck through: a piece is too large. Hollow: from the stand-in.
    """

    pointed = Signal(int)
    """The number of the way under the pointer, -1 for none."""
    chosen = Signal(int)

    def __init__(self) -> None:
        tip = (
            "Each dot is a way to part it: farther left is less seen, lower leaves less support. Round: all pieces sit "
            "flat. Lozenge: some lean. Struck through: a piece does not fit the printer. Hollow: ≈, not yet measured "
            "on the full mesh. The number at a line: of pieces. Click takes one; so do arrows and Enter."
        )
        super().__init__("Front of ways to part it", tip, 176)
        self._shown: FrontShown | None = None
        self._why = ""
        self._at = -1

    def show_front(self, shown: FrontShown | None, why_nothing: str) -> None:
        """Shows what was found; where that is nothing, why."""
        self._shown, self._why = shown, why_nothing
        self._point(-1 if shown is None else min(self._at, len(shown.sight) - 1))
        self.update()

    def point_at(self, n: int) -> None:
        """Marks a way that is pointed at elsewhere."""
        self._at = n
        self.update()

    def place_of(self, n: int) -> QPointF:
        """Where the dot of a way is, in pixels."""
        shown, room = self._shown, self.room.adjusted(14, 12, -16, -12)
        assert shown is not None
        # roots, for what matters lies between 0 and 10 %, and between no seam and a short one
        across, up = (
            np.sqrt(max(float(values[n]), 0.0) / max(float(values.max()), 1e-9)) for values in (shown.sight, shown.left)
        )
        return QPointF(room.left() + room.width() * float(across), room.bottom() - room.height() * float(up))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, room, shown = self.begin(), self.room, self._shown
        if shown is None or not len(shown.sight):
            painter.setPen(QColor(palette.FAINT))
            wrap = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room.adjusted(10, 4, -10, -4), wrap, self._why)
            painter.end()
            return
        for count in np.unique(shown.pieces):
            self._paint_line(painter, shown, int(count))
        for n in range(len(shown.sight)):
            self._paint_dot(painter, shown, n)
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        top = 100 * float(shown.left.max())
        self.words(painter, f"↑ support left, up to {top:.0f} %", left, palette.FAINT, foot=False)
        self.words(painter, "● flat   ◆ some lean   ○ ≈", right, palette.FAINT, foot=False)
        self.words(painter, "0 mm", left, palette.FAINT, foot=True)
        self.words(painter, f"seam in sight → {float(shown.sight.max()):.0f} mm", right, palette.FAINT, foot=True)
        painter.end()

    def _paint_line(self, painter: QPainter, shown: FrontShown, count: int) -> None:
        places = [self.place_of(n) for n in shown.unbeaten(count)]
        painter.setPen(QPen(QColor(palette.FAINT), 1.0, Qt.PenStyle.SolidLine if count % 2 else Qt.PenStyle.DashLine))
        painter.drawPolyline(QPolygonF(places))
        if count > 1:
            end = places[-1]
            painter.setPen(QColor(palette.INK))
            painter.drawText(QRectF(end.x() + 5, end.y() - 17, 24, 14), Qt.AlignmentFlag.AlignLeft, str(count))

    def _paint_dot(self, painter: QPainter, shown: FrontShown, n: int) -> None:
        at = self.place_of(n)
        colour = QColor(palette.MADDER if n == shown.taken else palette.TEAL if shown.flat[n] else palette.INK)
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(QColor(palette.SHEET) if shown.near[n] else colour)
        if shown.flat[n]:
            painter.drawEllipse(at, _DOT - 0.5, _DOT - 0.5)
        else:
            reach = _DOT + 0.5
            ways = ((0.0, -reach), (reach, 0.0), (0.0, reach), (-reach, 0.0))
            painter.drawPolygon(QPolygonF([QPointF(at.x() + x, at.y() + y) for x, y in ways]))
        if not shown.fit[n]:
            painter.setPen(QPen(QColor(palette.AMBER), 2.0))
            painter.drawLine(at + QPointF(-1.5 * _DOT, 1.5 * _DOT), at + QPointF(1.5 * _DOT, -1.5 * _DOT))
        if n == self._at:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(palette.MADDER), 1.6))
            painter.drawEllipse(at, _DOT + 4, _DOT + 4)

    def _nearest(self, position: QPointF) -> int:
        """The number of the way whose dot is there; -1 where none is."""
        if self._shown is None or not len(self._shown.sight):
            return -1
        away = [(self.place_of(n) - position).manhattanLength() for n in range(len(self._shown.sight))]
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= _NEAR else -1

    def _point(self, n: int) -> None:
        if n != self._at:
            self._at = n
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
        shown = self._shown
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if shown is None or not len(shown.sight):
            super().keyPressEvent(event)
        elif event.key() in steps:
            order = np.argsort(shown.sight, kind="stable").tolist()
            place = order.index(self._at) + steps[Qt.Key(event.key())] if self._at in order else 0
            self._point(order[min(max(place, 0), len(order) - 1)])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self._at >= 0:
            self.chosen.emit(self._at)
        else:
            super().keyPressEvent(event)
