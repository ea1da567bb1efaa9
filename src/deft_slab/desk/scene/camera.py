"""The camera. Plain geometry, so that picking and handles need no toolkit."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ...core.arrays import Floats
from ...core.locale.translate import term

OPENING = 26.0
"""Degrees, of the view from its lower to its upper edge."""
_ROOM = 1.06
"""How much wider than what is framed the view is."""


@dataclass(frozen=True)
class Camera:
    """Looks at ``focus`` (mm, bed frame) from ``distance`` mm. Azimuth and elevation are in degrees; +Z is up."""

    focus: tuple[float, float, float] = (110.0, 110.0, 60.0)
    distance: float = 620.0
    azimuth: float = -62.0
    elevation: float = 17.0

    @property
    def frame(self) -> tuple[Floats, Floats, Floats]:
        """Unit vectors to the right, up and ahead."""
        a, e = math.radians(self.azimuth), math.radians(self.elevation)
        back = np.array([math.cos(e) * math.cos(a), math.cos(e) * math.sin(a), math.sin(e)])
        right = np.array([-math.sin(a), math.cos(a), 0.0])
        return right, np.cross(back, right), -back

    @property
    def eye(self) -> Floats:
        return np.array(self.focus) - self.distance * self.frame[2]

    def _half(self) -> float:
        return math.tan(math.radians(OPENING / 2))

    def ray(self, x: float, y: float, width: int, height: int) -> tuple[Floats, Floats]:
        """The origin and unit direction of the ray through a point of the view, given in pixels from the upper left."""
        right, up, ahead = self.frame
        scale = 2.0 * self._half() / height
        towards = ahead + (x - width / 2) * scale * right + (height / 2 - y) * scale * up
        return self.eye, towards / np.linalg.norm(towards)

    def project(self, points: Floats, width: int, height: int) -> Floats:
        """Where points (n, 3) appear, (n, 2) pixels from the upper left. Points behind the eye are placed far
        outside the view.
        """
        right, up, ahead = self.frame
        relative = np.atleast_2d(points) - self.eye
        depth = np.maximum(relative @ ahead, 1e-3)
        scale = height / (2.0 * self._half())
        return np.stack(
            [width / 2 + relative @ right / depth * scale, height / 2 - relative @ up / depth * scale], axis=1
        )

    def rays_along(self, vector: Floats, width: int, height: int) -> tuple[float, float, float]:
        """The component along a vector of the ray through pixel (x, y), as base + per_x * x + per_y * y.

        These rays are not of unit length: each extends 1 mm into the view.
        """
        right, up, ahead = (float(axis @ vector) for axis in self.frame)
        scale = 2.0 * self._half() / height
        return ahead + scale * (height / 2 * up - width / 2 * right), scale * right, -scale * up

    def pixel(self, height: int) -> float:
        """The size of one pixel at the focus, in mm."""
        return 2.0 * self._half() * self.distance / height

    def turned(self, dx: float, dy: float) -> Camera:
        """The camera after a drag of (dx, dy) pixels that turns the view."""
        return replace(
            self, azimuth=(self.azimuth - 0.4 * dx) % 360.0, elevation=min(max(self.elevation + 0.4 * dy, -89.0), 89.0)
        )

    def moved(self, dx: float, dy: float, height: int) -> Camera:
        """The camera after a drag of (dx, dy) pixels that moves the view."""
        right, up, _ = self.frame
        focus = np.array(self.focus) + self.pixel(height) * (-dx * right + dy * up)
        return replace(self, focus=(float(focus[0]), float(focus[1]), float(focus[2])))

    def nearer(self, factor: float, x: float, y: float, width: int, height: int) -> Camera:
        """The camera nearer by a factor. What is under the given pixel stays there."""
        distance = min(max(self.distance / factor, 5.0), 2e4)
        kept = 1.0 - distance / self.distance
        right, up, _ = self.frame
        size = self.pixel(height)
        towards = kept * size * ((x - width / 2) * right + (height / 2 - y) * up)
        focus = np.array(self.focus) + towards
        return replace(self, distance=distance, focus=(float(focus[0]), float(focus[1]), float(focus[2])))

    def framing(self, points: Floats, width: int, height: int, above: float = 0.0) -> Camera:
        """The camera on the same side, as near as shows all points (n, 3), with a little room around them.

        Each side of the view is a plane through the eye. A point a mm ahead and r mm to the right is seen from an eye
        at (a0, r0) if -s (a - a0) <= r - r0 <= t (a - a0), where s and t are the tangents of the opening to the left
        and to the right. The largest of r - t a is at most r0 - t a0, and the smallest of r + s a at least r0 + s a0,
        which gives the largest a0. Upwards it is the same. The smaller a0 is taken, and the middle of what it leaves
        for r0.

        Parameters
        ----------
        above : float, pixels
            Kept free at the top of the view, for what lies over it.
        """
        frame = np.stack(self.frame)
        tall = self._half() / _ROOM
        wide, under = tall * width / height, tall * max(1.0 - 2.0 * above / height, 0.5)
        across, up, ahead = frame @ np.atleast_2d(points).T
        sides = [
            (float((along - more * ahead).max()), more, float((along + less * ahead).min()), less)
            for along, less, more in ((across, wide, wide), (up, tall, under))
        ]
        near = min((most - least) / (more + less) for least, more, most, less in sides)
        deep = float(ahead.min() + ahead.max()) / 2
        middle = [(least + most + (more - less) * near) / 2 for least, more, most, less in sides]
        x, y, z = (np.array([*middle, deep]) @ frame).tolist()
        return replace(self, focus=(x, y, z), distance=max(deep - near, 5.0))


def box_corners(low: Floats, high: Floats) -> Floats:
    """The corners of a box, (8, 3)."""
    return np.array([[(low, high)[(n >> k) & 1][k] for k in range(3)] for n in range(8)])


VIEWS = {
    term("From the front corner"): (-62.0, 17.0), term("From the front"): (-90.0, 4.0), term("From the right"): (0.0,
            4.0),
    term("From the back"): (90.0, 4.0), term("From the left"): (180.0, 4.0), term("From above"): (-90.0, 89.0),
    term("From below"): (-62.0, -28.0),
}
"""Azimuth and elevation of the ready views."""
