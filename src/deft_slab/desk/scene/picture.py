"""A rendered picture of a scene, with the depth of each pixel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import QImage

from ...core.arrays import Bools, Floats, Floats32
from .camera import Camera


@dataclass(frozen=True, eq=False)
class Picture:
    """A rendered scene.

    Attributes
    ----------
    depth : (height, width) float32
        Of the pixels of the screen, in mm along the view direction; inf where there is nothing.
    size : (width, height)
        In pixels of the widget. One of them may be several pixels of the screen.
    """

    camera: Camera
    image: QImage
    depth: Floats32
    size: tuple[int, int]

    @property
    def finer(self) -> float:
        """The number of screen pixels across one pixel of the widget."""
        return float(self.depth.shape[1] / self.size[0])

    def seen(self, points: Floats) -> list[QPointF]:
        """Where points (n, 3) appear, in pixels of the widget."""
        return [QPointF(x, y) for x, y in self.camera.project(points, *self.size).tolist()]

    def seen_at(self, place: Floats) -> QPointF:
        """Where a point (3,) appears."""
        return self.seen(place[None])[0]

    def place_at(self, x: float, y: float) -> tuple[Floats, Floats] | None:
        """The surface under a pixel: its place (3,) in mm and the unit normal (3,) towards the eye; None where there
        is none.
        """
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
        height, width = self.depth.shape
        column, line = int(x * self.finer), int(y * self.finer)
        if not (0 <= column < width and 0 <= line < height) or not np.isfinite(self.depth[line, column]):
            return None
        origin, towards = self.camera.ray(x, y, *self.size)
        return np.asarray(origin + float(self.depth[line, column]) / float(towards @ self.camera.frame[2]) * towards)

    def visible(self, points: Floats) -> Bools:
        """Whether each of the points (n, 3) is visible, with a small margin."""
        height, width = self.depth.shape
        x, y = np.floor(self.camera.project(points, width, height)).astype(int).T
        inside = (x >= 0) & (x < width) & (y >= 0) & (y < height)
        depth = (points - self.camera.eye) @ self.camera.frame[2]
        behind = self.depth[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)]
        return np.asarray(inside & (depth <= behind + 0.004 * self.camera.distance))
