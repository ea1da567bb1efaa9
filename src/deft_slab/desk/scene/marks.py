"""Show faces, hold and clear spots as fine marks over the picture, told apart by colour and shape."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from ..look import palette
from .picture import Picture

Floats = NDArray[np.float64]

_KINDS = ((1, palette.TEAL), (2, palette.AMBER), (4, palette.INK))


def paint_marks(painter: QPainter, picture: Picture, points: dict[int, Floats]) -> None:
    """points : (k, 3) of each kind, mm, bed frame"""
    for bit, colour in _KINDS:
        if bit not in points:
            continue
        places = points[bit][picture.visible(points[bit])]
        seen = picture.seen(places) if len(places) else []
        if bit == 1:
            painter.setPen(QPen(QColor(colour), 2.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawPoints(seen)
        elif bit == 2:
            painter.setPen(QPen(QColor(colour), 1.2))
            painter.drawRects([QRectF(at.x() - 2, at.y() - 2, 4, 4) for at in seen])
        else:
            painter.setPen(QPen(QColor(colour), 1.2))
            painter.drawLines([QLineF(at.x() - 2.5, at.y() - 2.5, at.x() + 2.5, at.y() + 2.5) for at in seen])
            painter.drawLines([QLineF(at.x() - 2.5, at.y() + 2.5, at.x() + 2.5, at.y() - 2.5) for at in seen])
