"""The program's mark: a slab with a slanted cut through it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from . import palette

ICON = Path(__file__).with_name("deft-slab.svg")
"""The same mark, for the desktop."""


class Logo(QWidget):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedSize(26, 26)
        self.setAccessibleName("Deft Slab")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(palette.INK), 2))
        painter.drawRoundedRect(QRectF(4, 4, 18, 18), 3, 3)
        painter.setPen(QPen(QColor(palette.MADDER), 2.4))
        painter.drawLine(QPointF(1, 16), QPointF(25, 10))
        painter.end()
