"""Turning a piece by dragging a ring around it: plain geometry, mm, bed frame, and how the rings are painted."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from ..look import palette
from .camera import Camera
from .handles import angle_about
from .overlay import View, paint_flag

Floats = NDArray[np.float64]

REACH = 9.0
"""Pixels beside a ring within which a press takes it."""
_NAMES = {"sideways": "sideways", "forward": "forward", "around": "around", "view": "in the view"}
_CORNERS = 73
_PER_PIXEL = 0.5
"""Degrees a pixel, where a ring is seen edge-on and its plane tells nothing."""


@dataclass(frozen=True, eq=False)
class Rings:
    """Rings about the bed's axes and about the line of sight, around a piece. centre : (3,); radius : mm"""

    centre: Floats
    radius: float
    sight: Floats

    @property
    def axes(self) -> dict[str, Floats]:
        return {
            "sideways": np.array([0.0, 1.0, 0.0]), "forward": np.array([1.0, 0.0, 0.0]),
            "around": np.array([0.0, 0.0, 1.0]), "view": self.sight,
        }  # fmt: skip

    def circle(self, name: str) -> Floats:
        """(n, 3) points of a ring."""
        axis = self.axes[name]
        first = zero_of(axis)
        second = np.cross(axis, first)
        turn = np.linspace(0.0, 2 * math.pi, _CORNERS)[:, None]
        radius = self.radius * (1.12 if name == "view" else 1.0)
        return np.asarray(self.centre + radius * (np.cos(turn) * first + np.sin(turn) * second))

    def at(self, camera: Camera, x: float, y: float, width: int, height: int) -> str:
        """The ring under a pixel, "" for none."""
        best, found = REACH, ""
        for name in self.axes:
            seen = camera.project(self.circle(name), width, height)
            distance = _to_line(np.array([x, y]), seen[:-1], seen[1:])
            if distance < best:
                best, found = distance, name
        return found

    def angle(self, name: str, camera: Camera, x: float, y: float, width: int, height: int) -> float:
        """Degrees about a ring's axis where a pixel points to; only differences mean something."""
        axis = self.axes[name]
        origin, towards = camera.ray(x, y, width, height)
        if abs(float(towards @ axis)) > 0.25:
            found = angle_about(origin, towards, self.centre, axis, zero_of(axis))
            if found is not None:
                return found
        # seen nearly edge-on: along the ring as it lies on the screen
        across = np.cross(camera.frame[2], axis)
        right, up, _ = camera.frame
        along = np.array([float(across @ right), -float(across @ up)])
        return -_PER_PIXEL * float(np.array([x, y]) @ along) / max(float(np.linalg.norm(along)), 1e-9)


def zero_of(axis: Floats) -> Floats:
    """A unit vector across an axis, from which its angles count."""
    helper = np.eye(3)[int(np.argmin(np.abs(axis)))]
    across = np.cross(axis, helper)
    return np.asarray(across / np.linalg.norm(across))


def _to_line(point: Floats, start: Floats, end: Floats) -> float:
    along = end - start
    length2 = np.maximum((along**2).sum(axis=1), 1e-9)
    share = np.clip(((point - start) * along).sum(axis=1) / length2, 0.0, 1.0)
    return float(np.linalg.norm(point - start - share[:, None] * along, axis=1).min())


def paint_rings(painter: QPainter, view: View, rings: Rings, grabbed: str, degrees: float | None) -> None:
    """The rings; the grabbed one strong, with its angle beside it."""
    for name in rings.axes:
        seen = [QPointF(*point) for point in view.camera.project(rings.circle(name), *view.size).tolist()]
        strong = name == grabbed
        painter.setPen(QPen(QColor(palette.MADDER if strong else palette.INK), 3.0 if strong else 1.4))
        painter.drawPolyline(QPolygonF(seen))
        if strong:
            words = _NAMES[name] if degrees is None else f"{_NAMES[name]} {degrees:+.1f}°".replace("-", "−")
            top = min(seen, key=lambda point: point.y())
            paint_flag(painter, top, words, palette.MADDER, view.size)
