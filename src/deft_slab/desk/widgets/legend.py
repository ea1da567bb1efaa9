"""The overhang legend: the colour ramp, the threshold, and a drawing of how the angle is counted."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ...core.defaults import THRESHOLD
from ...core.locale.translate import tr
from ..look import palette


class OverhangLegend(QWidget):
    """A click (or Space) switches between angles counted from the wall and from the bed."""

    toggled = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._threshold, self._from = THRESHOLD, "wall"
        self.setFixedSize(236, 52)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(tr("Overhang legend"))

    def show_angles(self, threshold: float, counted_from: str) -> None:
        """Show the threshold.

        Parameters
        ----------
        threshold : float, degrees
            Degrees from the vertical.
        counted_from : str
            "wall" or "bed".
        """
        self._threshold, self._from = threshold, counted_from
        self.setToolTip(
            tr("Facets past the threshold need support. Angles are counted from the wall. Click to count them from "
               "the bed.") if counted_from == "wall" else
            tr("Facets past the threshold need support. Angles are counted from the bed. Click to count them from "
               "the wall.")
        )
        self.update()

    def _text(self) -> str:
        if self._from == "wall":
            return f"{self._threshold:g}° – 90°"
        return f"{90 - self._threshold:g}° – 0°"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(palette.MADDER if self.hasFocus() else palette.HAIRLINE), 1))
        painter.setBrush(QColor(palette.SHEET))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        self._draw_angle(painter)
        painter.setPen(QColor(palette.INK))
        painter.drawText(
            QRectF(62, 6, 90, 18),
            Qt.AlignmentFlag.AlignVCenter,
            tr("from the wall") if self._from == "wall" else tr("from the bed"),
        )
        painter.drawText(
            QRectF(130, 6, 96, 18), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self._text()
        )
        ramp = QLinearGradient(62, 0, 226, 0)
        for place, colour in zip((0.0, 0.45, 1.0), palette.RAMP, strict=True):
            ramp.setColorAt(place, QColor(colour))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ramp)
        painter.drawRect(QRectF(62, 30, 164, 11))
        painter.end()

    def _draw_angle(self, painter: QPainter) -> None:
        """Paint a wall, the bed, a slope at the threshold, and the arc of the angle."""
        foot, size = QPointF(16, 42), 30.0
        lean = math.radians(self._threshold)
        tip = foot + QPointF(math.sin(lean) * size * 1.1, -math.cos(lean) * size * 1.1)
        painter.setPen(QPen(QColor(palette.HAIRLINE), 1.5))
        painter.drawLine(QPointF(8, 42), QPointF(54, 42))
        painter.setPen(QPen(QColor(palette.INK), 1.5))
        painter.drawLine(foot, foot - QPointF(0, size))
        painter.setPen(QPen(QColor(palette.RAMP[2]), 2))
        painter.drawLine(foot, tip)
        painter.setPen(QPen(QColor(palette.MADDER), 1.5))
        arc = QRectF(foot.x() - 15, foot.y() - 15, 30, 30)
        start, span = (90, -self._threshold) if self._from == "wall" else (0, 90 - self._threshold)
        painter.drawArc(arc, int(start * 16), int(span * 16))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.toggled.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.toggled.emit()
        else:
            super().keyPressEvent(event)


class SupportBar(QWidget):
    """A bar of the support volume: on the bed, on the piece, inside."""

    COLOURS = (palette.RAMP[0], palette.RAMP[1], palette.RAMP[2])

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._parts = (0.0, 0.0, 0.0)
        self.setFixedHeight(14)

    def show_parts(self, on_bed: float, on_piece: float, inside: float) -> None:
        """Show the parts in mm³. ``inside`` is contained in the other two."""
        self._parts = (on_bed, on_piece, inside)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        width = float(self.width())
        total = self._parts[0] + self._parts[1]
        painter.fillRect(self.rect(), QColor(palette.HAIRLINE))
        if total > 0:
            bed = width * self._parts[0] / total
            painter.fillRect(QRectF(0, 0, bed, 14), QColor(self.COLOURS[0]))
            painter.fillRect(QRectF(bed, 0, width - bed, 14), QColor(self.COLOURS[1]))
            inside = width * self._parts[2] / total
            painter.setPen(QPen(QColor(self.COLOURS[2]), 1))
            for x in range(0, int(inside), 4):
                painter.drawLine(x, 14, x + 4, 0)
        painter.end()
