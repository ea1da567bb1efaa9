"""Strokes over the picture of the bed: lines, grips, the sheet of a cut, and flags with words.

The picture comes with the depth of each pixel, so what lies behind a piece is omitted or faint. Dragging a handle
costs one repaint, and the scene is not rendered again.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from ...core.arrays import Floats, Floats32
from ..look import palette
from ..look.palette import rgb
from .handles import CutFrame
from .picture import Picture

SWITCHES = 46.0
"""Pixels at the upper edge that buttons lie over."""
_TINT = 34
"""Alpha of the sheet of a cut, of 255."""
_SHADES = 8
_BEAD = 6.0
"""Pixels: radius of a handle."""


def paint_lines(
    painter: QPainter, picture: Picture, segments: Floats, colours: Floats, width: float, *, through: bool = False
) -> None:
    """Paint segments (k, 2, 3) in one colour (3,) or in one each (k, 3), with values from 0 to 255. Only visible
    parts are painted, unless ``through`` is set.
    """
    if not len(segments):
        return
    keep = np.ones(len(segments), np.bool_) if through else picture.visible(segments.mean(axis=1))
    ends = picture.camera.project(segments[keep].reshape(-1, 3), *picture.size).reshape(-1, 4)
    if np.ndim(colours) == 1:
        painter.setPen(QPen(QColor(*(int(value) for value in colours)), width))
        painter.drawLines(_lines(ends))
        return
    # few pens for many segments: their colours lie on one line between two
    shades = np.round(colours[keep] / 255 * _SHADES).astype(np.int64) @ (1, 100, 10_000)
    _, first, shade_of = np.unique(shades, return_index=True, return_inverse=True)
    for shade, example in enumerate(first):
        painter.setPen(QPen(QColor(*(int(value) for value in colours[keep][example])), width))
        painter.drawLines(_lines(ends[shade_of == shade]))


def _lines(ends: Floats) -> list[QLineF]:
    return [QLineF(*line) for line in ends.tolist()]


def paint_cut(painter: QPainter, picture: Picture, frame: CutFrame, at: dict[str, Floats], grabbed: str) -> None:
    """Paint the visible part of a cut's sheet, its edge, and its handles over everything."""
    _paint_sheet(painter, picture, frame)
    corners = frame.corners
    steps = np.linspace(0, 1, 49)[:, None, None]
    around = corners + steps * (np.roll(corners, -1, axis=0) - corners)  # (49, sides, 3)
    edges = np.stack([around[:-1], around[1:]], axis=2).reshape(-1, 2, 3)
    paint_lines(painter, picture, edges, rgb(palette.MADDER), 1.2)
    madder = QColor(palette.MADDER)
    centre = picture.seen_at(frame.centre)
    places = {name: picture.seen_at(place) for name, place in at.items()}
    painter.setPen(QPen(madder, 2.5))
    painter.drawLine(centre, places["move"])
    painter.setBrush(madder)
    painter.drawPolygon(_arrow_head(centre, places["move"]))
    for name in ("lean", "swing"):
        painter.setPen(QPen(madder, 2))
        painter.setBrush(madder if name == grabbed else QColor(palette.SHEET))
        painter.drawEllipse(places[name], _BEAD, _BEAD)


def paint_grips(painter: QPainter, picture: Picture, grips: dict[str, Floats], grabbed: str) -> None:
    """Paint what can be dragged of a cut, over everything."""
    for name, place in grips.items():
        at = picture.seen_at(place)
        painter.setPen(QPen(QColor(palette.MADDER), 2))
        painter.setBrush(QColor(palette.MADDER if name == grabbed else palette.SHEET))
        painter.drawEllipse(at, _BEAD, _BEAD)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_dots(painter: QPainter, picture: Picture, points: Floats, colour: str) -> None:
    """Paint small dots at points (n, 3), over everything."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))
    for at in picture.seen(points):
        painter.drawEllipse(at, 2.5, 2.5)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_flag(painter: QPainter, at: QPointF, words: str, colour: str, size: tuple[int, int]) -> None:
    """Paint a short text in a box beside a point, kept inside the view."""
    metrics = QFontMetricsF(painter.font())
    width, height = metrics.horizontalAdvance(words) + 14, metrics.height() + 6
    left = min(max(at.x() + 12, 4.0), size[0] - width - 4)
    top = min(max(at.y() - height - 8, SWITCHES), size[1] - height - 4)
    box = QRectF(left, top, width, height)
    painter.setPen(QPen(QColor(colour), 1.2))
    painter.drawLine(at, QPointF(left + 6, top + height))
    painter.setBrush(QColor(palette.SHEET))
    painter.drawRoundedRect(box, 3, 3)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _arrow_head(start: QPointF, tip: QPointF) -> QPolygonF:
    along = np.array([tip.x() - start.x(), tip.y() - start.y()])
    length = float(np.hypot(*along))
    along = along / length if length > 1e-6 else np.array([0.0, -1.0])
    across = np.array([-along[1], along[0]])
    at = np.array([tip.x(), tip.y()])
    corners = (at + 1.6 * _BEAD * along, at + _BEAD * across - 0.4 * along, at - _BEAD * across - 0.4 * along)
    return QPolygonF([QPointF(*corner.tolist()) for corner in corners])


def _paint_sheet(painter: QPainter, picture: Picture, frame: CutFrame) -> None:
    """Tint the sheet of a cut. The ray of each pixel meets the cut's plane; the pixel is tinted if that point lies
    on the sheet and is visible.
    """
    camera, (height, width) = picture.camera, picture.depth.shape
    eye, finer = camera.eye, picture.finer
    seen = camera.project(frame.corners, *picture.size) * finer
    left, top, right, bottom = 0, 0, width, height
    if ((frame.corners - eye) @ camera.frame[2] > 1.0).all():
        # all of it before the eye: no other pixels are looked at
        left, top = np.clip(np.floor(seen.min(axis=0)), 0, (width, height)).astype(int).tolist()
        right, bottom = np.clip(np.ceil(seen.max(axis=0)), 0, (width, height)).astype(int).tolist()
    if right <= left or bottom <= top:
        return
    x, y = np.arange(left, right, dtype=np.float32) + 0.5, np.arange(top, bottom, dtype=np.float32)[:, None] + 0.5

    def along(vector: Floats) -> Floats32:
        """The component along a vector of every pixel's ray, which is scaled to a depth of 1 mm."""
        base, per_x, per_y = camera.rays_along(vector, width, height)
        return np.asarray(np.float32(base) + np.float32(per_x) * x + np.float32(per_y) * y)

    with np.errstate(divide="ignore", invalid="ignore"):
        depth = np.float32((frame.centre - eye) @ frame.normal) / along(frame.normal)
        on_sheet = (depth > 0) & (depth < picture.depth[top:bottom, left:right])
        for axis, half in ((frame.along, frame.half_along), (frame.across, frame.half_across)):
            on_sheet &= np.abs(depth * along(axis) + np.float32((eye - frame.centre) @ axis)) <= half
    red, green, blue = (rgb(palette.MADDER) * _TINT / 255).astype(int)
    tint = np.where(on_sheet, np.uint32(_TINT << 24 | red << 16 | green << 8 | blue), np.uint32(0))
    image = QImage(tint.data, right - left, bottom - top, 4 * (right - left), QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(finer)
    painter.drawImage(QPointF(left / finer, top / finer), image)
