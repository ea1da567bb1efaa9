"""Paints over the picture of a scene: what belongs to the scene but is not a surface, and the ink of the desk."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen, QRegion

from ...core.arrays import Floats
from ...core.locale import text
from ..look import palette
from ..look.palette import rgb
from ..state.pointing import Reading
from .beds import Said
from .handles import handles
from .ink import Ink
from .overlay import paint_cut, paint_dots, paint_flag, paint_grips, paint_lines
from .picture import Picture
from .scene import Scene

_FLAG = (130.0, 26.0)
"""Pixels across and down that a flag takes."""


def paint_marks(painter: QPainter, picture: Picture, points: dict[int, Floats]) -> None:
    """Paint the points of marked faces.

    Parameters
    ----------
    points : (k, 3)
        Points (k, 3) for each kind of mark, in mm of the bed frame.
    """
    marks = ((1, palette.TEAL), (2, palette.AMBER), (4, palette.INK), (8, palette.MADDER), (16, palette.TEAL))
    for bit, colour in marks:
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
        elif bit == 8:
            painter.setPen(QPen(QColor(colour), 2.0))
            painter.drawLines([QLineF(at.x() - 3, at.y(), at.x() + 3, at.y()) for at in seen])
        elif bit == 16:
            painter.setPen(QPen(QColor(colour), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for at in seen:
                painter.drawEllipse(at, 2.8, 2.8)
        else:
            painter.setPen(QPen(QColor(colour), 1.2))
            painter.drawLines([QLineF(at.x() - 2.5, at.y() - 2.5, at.x() + 2.5, at.y() + 2.5) for at in seen])
            painter.drawLines([QLineF(at.x() - 2.5, at.y() + 2.5, at.x() + 2.5, at.y() - 2.5) for at in seen])


def paint_numbers(painter: QPainter, picture: Picture, said: Sequence[Said]) -> None:
    """Paint words at places of the bed that are visible. Where two would overlap, the earlier one is painted."""
    if not said:
        return
    font = QFont(painter.font())
    font.setPixelSize(11)
    painter.save()
    painter.setFont(font)
    painter.setPen(QColor(palette.FAINT))
    metrics, taken = QFontMetricsF(font), QRegion()
    places = np.array([place for place, _ in said])
    for at, shown, (_, words) in zip(picture.seen(places), picture.visible(places), said, strict=True):
        width, height = metrics.horizontalAdvance(words) + 6, metrics.height()
        box = QRectF(at.x() - width / 2, at.y() - height / 2, width, height)
        if shown and not taken.intersects(box.toAlignedRect()):
            taken += box.toAlignedRect()
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
    painter.restore()


def paint_reading(painter: QPainter, picture: Picture, reading: Reading, points: Floats) -> None:
    seen = picture.seen(points)
    painter.setPen(QPen(QColor(palette.MADDER), 2.0))
    if reading.kind == "edge":
        painter.drawPolygon(seen) if len(seen) > 2 else None
    elif len(seen) == 2:
        painter.drawLine(seen[0], seen[1])
    if reading.kind != "edge" or len(seen) == 1:
        painter.setBrush(QColor(palette.SHEET))
        for point in seen:
            painter.drawEllipse(point, 4.0, 4.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
    middle = QPointF(sum(p.x() for p in seen) / len(seen), sum(p.y() for p in seen) / len(seen))
    paint_flag(painter, middle, reading.words, palette.MADDER, picture.size)


def paint_dimensions(painter: QPainter, picture: Picture, low: Floats, high: Floats) -> None:
    """Paint the width, depth and height of a box along its lower front edges and one vertical edge."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    off = 0.03 * float(np.linalg.norm(high - low))
    lines = (
        ((x0, y0 - off, z0), (x1, y0 - off, z0)), ((x1 + off, y0, z0), (x1 + off, y1, z0)),
        ((x0 - off, y0 - off, z0), (x0 - off, y0 - off, z1)),
    )
    for start, end in lines:
        a, b = picture.seen(np.array([start, end]))
        painter.setPen(QPen(QColor(palette.INK), 1.2))
        painter.drawLine(a, b)
        along = np.array([b.x() - a.x(), b.y() - a.y()])
        length = float(np.hypot(*along))
        if length < 1.0:
            continue
        across = np.array([-along[1], along[0]]) / length * 4
        for end_point in (a, b):
            painter.drawLine(end_point - QPointF(*across), end_point + QPointF(*across))
        words = text.length(float(np.linalg.norm(np.subtract(end, start))), 1)
        metrics = QFontMetricsF(painter.font())
        width, height = metrics.horizontalAdvance(words) + 8, metrics.height() + 2
        middle = (a + b) / 2
        box = QRectF(middle.x() - width / 2, middle.y() - height / 2, width, height)
        painter.fillRect(box, QColor(palette.GROUND))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def paint_scene(painter: QPainter, picture: Picture, scene: Scene) -> None:
    """Paint what belongs to a scene but is not a surface: the numbers of the beds, marks, open edges, and where
    pieces are too large.
    """
    paint_numbers(painter, picture, scene.numbers)
    paint_marks(painter, picture, scene.marks)
    paint_lines(painter, picture, scene.open_edges, rgb(palette.AMBER), 3.0)
    for place, words in scene.over:
        paint_flag(painter, picture.seen_at(place), words, palette.AMBER, picture.size)


def paint_ink(painter: QPainter, picture: Picture, ink: Ink, grabbed: str) -> None:
    """Paint the ink of the desk.

    Parameters
    ----------
    grabbed : str
        The name of the grip or handle that is held.
    """
    for stroke in ink.strokes:
        paint_lines(painter, picture, stroke.segments, stroke.colours, stroke.width, through=stroke.through)
    if ink.dimensions is not None:
        paint_dimensions(painter, picture, *ink.dimensions)
    for points, colour in ink.dots:
        paint_dots(painter, picture, points, colour)
    taken: list[QPointF] = []
    for flag in ink.flags:
        at = picture.seen_at(flag.place)
        # one over another could not be read
        if flag.always or not any(_lie_over(at, other) for other in taken):
            taken += [] if flag.always else [at]
            paint_flag(painter, at, flag.words, flag.colour, picture.size)
    if ink.reading is not None:
        paint_reading(painter, picture, *ink.reading)
    paint_grips(painter, picture, ink.grips, grabbed)
    paint_grips(painter, picture, ink.points, "")
    if ink.frame is not None:
        paint_cut(painter, picture, ink.frame, handles(ink.frame, picture.camera, picture.size[1]), grabbed)


def _lie_over(one: QPointF, other: QPointF) -> bool:
    """Whether flags at these two places would overlap."""
    return abs(one.x() - other.x()) <= _FLAG[0] and abs(one.y() - other.y()) <= _FLAG[1]
