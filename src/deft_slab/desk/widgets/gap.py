"""A small drawing of a clearance: the part, its hole, the gap on each side and the total."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ...core.locale import text
from ...core.locale.translate import tr
from ..look import palette


class GapDrawing(QWidget):
    """The clearance is given per side; the total is twice that."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(78, 40)
        self._clearance = 0.0

    def show_gap(self, clearance: float) -> None:
        """Show a clearance.

        Parameters
        ----------
        clearance : float
            In mm per side.
        """
        self._clearance = clearance
        said = tr(
            "{clearance} on each side, {clearance2} in total.",
            clearance=text.length(clearance, 2),
            clearance2=text.length(2 * clearance, 2),
        )
        self.setToolTip(said)
        self.setAccessibleName(said)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = QColor(palette.INK)
        painter.setPen(QPen(ink, 1.2))
        wide, high, gap = 38.0, 16.0, 6.0
        left = (self.width() - wide) / 2
        # the hole, open above, and what stands in it
        painter.drawPolyline([QPointF(0, 2), QPointF(left, 2), QPointF(left, 2 + high), QPointF(left + wide, 2 + high),
                              QPointF(left + wide, 2), QPointF(self.width(), 2)])
        fill = QColor(palette.MADDER)
        fill.setAlpha(150)
        painter.fillRect(QRectF(left + gap, 0, wide - 2 * gap, 2 + high - gap), fill)
        font = painter.font()
        font.setPixelSize(10)
        painter.setFont(font)
        painter.drawText(QRectF(0, 22, self.width(), 16), Qt.AlignmentFlag.AlignCenter,
                         f"{text.number(self._clearance, 2)} + {text.number(self._clearance, 2)}")
