"""The height rail: the area of every layer of the selected piece, and the height under which the bed shows nothing."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from ..look import palette
from . import text

_MARGIN = 22


class HeightRail(QWidget):
    """Drag, or use the arrows, to hide the side next to the bed; double click shows all again."""

    moved = Signal(float)
    """mm over the bed below which nothing is to be drawn."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(50)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Height rail")
        self._areas = np.empty(0)
        self._height, self._base, self._at = 1.0, 0.0, 0.0

    def show_layers(self, areas: np.ndarray, base: float, height: float, at: float) -> None:
        """areas : (k,) mm2 of each layer, the first from ``base`` mm on; height : mm, at : mm hidden"""
        self._areas, self._base, self._height, self._at = areas, base, max(height, 1e-6), at
        largest = text.area(float(areas.max())) if len(areas) else ""
        self.setToolTip(f"Area of each layer, the largest {largest}. Drag up to hide what is below; double click: all.")
        self.update()

    def _y(self, z: float) -> float:
        return self.height() - _MARGIN - (self.height() - 2 * _MARGIN) * z / self._height

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(palette.GROUND))
        painter.setPen(QPen(QColor(palette.MADDER if self.hasFocus() else palette.HAIRLINE), 1))
        painter.drawLine(0, 0, 0, self.height())
        if len(self._areas):
            z = self._base + (np.arange(len(self._areas)) + 0.5) * (self._height - self._base) / len(self._areas)
            wide = 40.0 * self._areas / max(float(self._areas.max()), 1e-9)
            outline = [QPointF(48, self._y(self._base))]
            outline += [QPointF(48 - w, self._y(h)) for w, h in zip(wide.tolist(), z.tolist(), strict=True)]
            outline.append(QPointF(48, self._y(self._height)))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#CFC8B7"))
            painter.drawPolygon(QPolygonF(outline))
        small = QFont(painter.font())
        small.setPixelSize(10)
        painter.setFont(small)
        painter.setPen(QColor(palette.FAINT))
        painter.drawText(QRectF(2, 4, 46, 14), Qt.AlignmentFlag.AlignRight, text.mm(self._height))
        painter.drawText(QRectF(2, self.height() - 18, 46, 14), Qt.AlignmentFlag.AlignRight, "0 mm")
        y = self._y(self._at)
        painter.setPen(QPen(QColor(palette.MADDER), 2))
        painter.drawLine(QPointF(2, y), QPointF(48, y))
        if self._at > 0:
            painter.drawText(QRectF(2, y - 15, 46, 13), Qt.AlignmentFlag.AlignLeft, f"{self._at:.1f}")
        painter.end()

    def _move(self, z: float) -> None:
        self.moved.emit(min(max(z, 0.0), self._height))

    def _from_pixel(self, y: float) -> float:
        return (self.height() - _MARGIN - y) / max(self.height() - 2 * _MARGIN, 1) * self._height

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._move(self._from_pixel(event.position().y()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons():
            self._move(self._from_pixel(event.position().y()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._move(0.0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0, Qt.Key.Key_PageUp: 10.0, Qt.Key.Key_PageDown: -10.0}
        key = Qt.Key(event.key())
        if key in steps:
            self._move(self._at + steps[key])
        elif event.key() == Qt.Key.Key_Home:
            self._move(0.0)
        else:
            super().keyPressEvent(event)
