"""Show faces, hold and clear spots as fine marks over the picture, told apart by colour and shape."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from ...core.outcome import Piece
from ..look import palette
from .overlay import View

Floats = NDArray[np.float64]

_MOST = 9000
_EVERY = 2.8
"""mm between marks, about; farther where there are many."""
_KINDS = ((1, palette.TEAL), (2, palette.AMBER), (4, palette.INK))


def mark_points(piece: Piece) -> dict[int, Floats]:
    """For each kind of mark (1, 2, 4), points (k, 3) spread over the marked facets by area; mm, model frame."""
    found = {}
    for bit, _ in _KINDS:
        facets = np.flatnonzero(piece.marks & bit)
        if not len(facets):
            continue
        areas = piece.solid.areas[facets]
        count = int(min(_MOST, max(areas.sum() / _EVERY**2, 1)))
        random = np.random.default_rng(bit)
        own = facets[random.choice(len(facets), count, p=areas / areas.sum())]
        u, v = random.random(count), random.random(count)
        over = u + v > 1
        u[over], v[over] = 1 - u[over], 1 - v[over]
        a, b, c = (piece.solid.vertices[piece.solid.triangles[own, k]] for k in range(3))
        found[bit] = a + u[:, None] * (b - a) + v[:, None] * (c - a) + 0.05 * piece.solid.normals[own]
    return found


def paint_marks(painter: QPainter, view: View, points: dict[int, Floats]) -> None:
    """points : (k, 3) of each kind, mm, bed frame"""
    for bit, colour in _KINDS:
        if bit not in points:
            continue
        places = points[bit][view.visible(points[bit])]
        seen = [QPointF(*place) for place in view.camera.project(places, *view.size).tolist()] if len(places) else []
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
