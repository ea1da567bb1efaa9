"""What is painted over the picture of the bed: the cut with its handles, the seams, the open edges.

The picture comes with the depth of each of its pixels, so what lies behind a piece is left out or faint, and dragging
a handle costs a repaint and not a rendering of the whole scene.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from ..look import palette
from ..look.palette import rgb
from .camera import Camera
from .handles import CutFrame

Floats = NDArray[np.float64]

_CLEAR = 46.0
"""Pixels at the upper edge that buttons lie over."""
_TINT = 34
"""Alpha of the sheet of a cut, of 255."""
_SHADES = 8
_BEAD = 6.0
"""Pixels: radius of a handle."""


@dataclass(frozen=True, eq=False)
class View:
    """A picture of the bed as it was drawn.

    depth : (height, width) float32, mm along the view direction, inf where nothing is
    """

    camera: Camera
    image: QImage
    depth: NDArray[np.float32]

    @property
    def size(self) -> tuple[int, int]:
        return self.image.width(), self.image.height()

    def place_at(self, x: float, y: float) -> tuple[Floats, Floats] | None:
        """(place (3,) mm, unit normal (3,) towards the eye) of the surface under a pixel; None where there is none."""
        found = [self._surface(x + dx, y + dy) for dx, dy in ((0, 0), (3, 0), (0, 3))]
        if found[0] is None:
            return None
        towards = self.camera.eye - found[0]
        towards /= np.linalg.norm(towards)
        if found[1] is None or found[2] is None:
            return found[0], towards
        normal = np.cross(found[1] - found[0], found[2] - found[0])
        length = float(np.linalg.norm(normal))
        normal = normal / length if length > 1e-12 else towards
        return found[0], normal if float(normal @ towards) > 0 else -normal

    def _surface(self, x: float, y: float) -> Floats | None:
        width, height = self.size
        column, line = int(x), int(y)
        if not (0 <= column < width and 0 <= line < height) or not np.isfinite(self.depth[line, column]):
            return None
        origin, towards = self.camera.ray(x, y, width, height)
        return np.asarray(origin + float(self.depth[line, column]) / float(towards @ self.camera.frame[2]) * towards)

    def visible(self, points: Floats) -> NDArray[np.bool_]:
        """(n,) whether points (n, 3) are not behind something, by a small margin."""
        width, height = self.size
        x, y = np.floor(self.camera.project(points, width, height)).astype(int).T
        inside = (x >= 0) & (x < width) & (y >= 0) & (y < height)
        depth = (points - self.camera.eye) @ self.camera.frame[2]
        behind = self.depth[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)]
        return inside & (depth <= behind + 0.004 * self.camera.distance)


def paint_lines(
    painter: QPainter, view: View, segments: Floats, colours: Floats, width: float, *, through: bool = False
) -> None:
    """Segments (k, 2, 3) in colours (k, 3), 0 to 255; only what is in sight, unless ``through``."""
    if not len(segments):
        return
    keep = np.ones(len(segments), np.bool_) if through else view.visible(segments.mean(axis=1))
    ends = view.camera.project(segments[keep].reshape(-1, 3), *view.size).reshape(-1, 4)
    # few pens for many segments: their colours lie on one line between two
    shades, first, shade_of = np.unique(
        np.round(colours[keep] / 255 * _SHADES), axis=0, return_index=True, return_inverse=True
    )
    for shade in range(len(shades)):
        pen = QPen(QColor(*(int(value) for value in colours[keep][first[shade]])), width)
        painter.setPen(pen)
        painter.drawLines([QLineF(*line) for line in ends[shade_of.ravel() == shade].tolist()])


def paint_cut(painter: QPainter, view: View, frame: CutFrame, handles: dict[str, Floats], grabbed: str) -> None:
    """The sheet of a cut where it is in sight, its edge, and its handles over everything."""
    _paint_sheet(painter, view, frame)
    corners = frame.corners
    steps = np.linspace(0, 1, 49)[:, None]
    for start, end in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        points = start + steps * (end - start)
        edge = np.stack([points[:-1], points[1:]], axis=1)
        paint_lines(painter, view, edge, np.tile(rgb(palette.MADDER), (len(edge), 1)), 1.2)
    madder = QColor(palette.MADDER)
    width, height = view.size
    centre = QPointF(*view.camera.project(frame.centre, width, height)[0].tolist())
    places = {name: QPointF(*view.camera.project(place, width, height)[0].tolist()) for name, place in handles.items()}
    painter.setPen(QPen(madder, 2.5))
    painter.drawLine(centre, places["move"])
    painter.setBrush(madder)
    painter.drawPolygon(_arrow_head(centre, places["move"]))
    for name in ("lean", "swing"):
        painter.setPen(QPen(madder, 2))
        painter.setBrush(madder if name == grabbed else QColor(palette.SHEET))
        painter.drawEllipse(places[name], _BEAD, _BEAD)


def paint_grips(painter: QPainter, view: View, grips: dict[str, Floats], grabbed: str) -> None:
    """What can be dragged of a cut, over everything."""
    for name, place in grips.items():
        at = QPointF(*view.camera.project(place, *view.size)[0].tolist())
        painter.setPen(QPen(QColor(palette.MADDER), 2))
        painter.setBrush(QColor(palette.MADDER if name == grabbed else palette.SHEET))
        painter.drawEllipse(at, _BEAD, _BEAD)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_dots(painter: QPainter, view: View, points: Floats, colour: str) -> None:
    """Small dots at points (n, 3), over everything."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))
    for x, y in view.camera.project(points, *view.size).tolist():
        painter.drawEllipse(QPointF(x, y), 2.5, 2.5)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_flag(painter: QPainter, at: QPointF, words: str, colour: str, size: tuple[int, int]) -> None:
    """A short text in a box beside a point, kept inside the view."""
    metrics = QFontMetricsF(painter.font())
    width, height = metrics.horizontalAdvance(words) + 14, metrics.height() + 6
    left = min(max(at.x() + 12, 4.0), size[0] - width - 4)
    top = min(max(at.y() - height - 8, _CLEAR), size[1] - height - 4)
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


def _paint_sheet(painter: QPainter, view: View, frame: CutFrame) -> None:
    """Each pixel's ray meets the plane of the cut somewhere; it is tinted if that is on the sheet and in sight."""
    camera, (width, height) = view.camera, view.size
    eye = camera.eye
    x, y = np.arange(width, dtype=np.float32) + 0.5, np.arange(height, dtype=np.float32)[:, None] + 0.5

    def along(vector: Floats) -> NDArray[np.float32]:
        """The part along a vector of every pixel's ray, which goes 1 mm deep."""
        base, per_x, per_y = camera.rays_along(vector, width, height)
        return np.asarray(np.float32(base) + np.float32(per_x) * x + np.float32(per_y) * y)

    with np.errstate(divide="ignore", invalid="ignore"):
        depth = np.float32((frame.centre - eye) @ frame.normal) / along(frame.normal)
        on_sheet = (depth > 0) & (depth < view.depth)
        for axis, half in ((frame.along, frame.half_along), (frame.across, frame.half_across)):
            on_sheet &= np.abs(depth * along(axis) + np.float32((eye - frame.centre) @ axis)) <= half
    tint = np.zeros((height, width, 4), np.uint8)
    red, green, blue = (rgb(palette.MADDER) * _TINT / 255).astype(int)
    tint[on_sheet] = (blue, green, red, _TINT)
    painter.drawImage(0, 0, QImage(tint.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied))
