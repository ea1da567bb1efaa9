"""The handles of a straight cut: where they are, and what dragging one does. Plain geometry in mm of the bed frame."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ...core.arrays import Floats
from .camera import Camera

STEP = 5.0
"""Degrees in which a turn goes while Shift is held; common practice."""
_ARM = 70.0
"""Pixels: length of the arm of a cut's handle."""
REACH = 12.0
"""Pixels around a handle within which a press takes it."""


@dataclass(frozen=True, eq=False)
class CutFrame:
    """A straight cut as it is drawn.

    Attributes
    ----------
    centre : array of float64
        The point of the plane nearest to the middle of the model.
    normal, along, across : array of float64
        Unit vectors; ``along`` and ``across`` lie in the plane.
    half_along, half_across : float
        Half the size of the drawn sheet, in mm.
    """

    centre: Floats
    normal: Floats
    along: Floats
    across: Floats
    half_along: float
    half_across: float

    @property
    def corners(self) -> Floats:
        a, b = self.along * self.half_along, self.across * self.half_across
        return np.array([self.centre - a - b, self.centre + a - b, self.centre + a + b, self.centre - a + b])

    def handles(self, arm: float) -> dict[str, Floats]:
        """The places of the handles: "move" lies along the normal, "lean" and "swing" on the edges of the sheet."""
        return {
            "move": self.centre + arm * self.normal,
            "lean": self.centre + self.half_along * self.along,
            "swing": self.centre + self.half_across * self.across,
        }


def cut_frame(normal: Floats, offset: float, low: Floats, high: Floats) -> CutFrame:
    """The frame of the plane normal . p = offset over a model's box."""
    middle = (low + high) / 2
    centre = middle + (offset - float(normal @ middle)) * normal
    # along: level where it can be, so that the two turns are "lean" and "swing" to a person
    helper = np.array([0.0, 0.0, 1.0]) if abs(normal[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    along = np.cross(helper, normal)
    along /= np.linalg.norm(along)
    across = np.cross(normal, along)
    corners = np.array([[(low, high)[(n >> k) & 1][k] for k in range(3)] for n in range(8)]) - middle
    return CutFrame(
        centre, normal, along, across,
        1.12 * float(np.abs(corners @ along).max()), 1.12 * float(np.abs(corners @ across).max()),
    )


def handles(frame: CutFrame, camera: Camera, height: int) -> dict[str, Floats]:
    """The places of a cut's handles, at the same distance on the screen whatever the zoom.

    Parameters
    ----------
    height : int
        The height of the view, in pixels.
    """
    return frame.handles(_ARM * camera.pixel(max(height, 1)))


def moved_along(origin: Floats, towards: Floats, point: Floats, axis: Floats) -> float:
    """How far along an axis through a point the place nearest to a ray lies."""
    cross = np.cross(axis, towards)
    square = float(cross @ cross)
    if square < 1e-9:  # looking along the axis: no telling
        return 0.0
    return float(np.cross(origin - point, towards) @ cross / square)


def angle_about(origin: Floats, towards: Floats, point: Floats, axis: Floats, zero: Floats) -> float | None:
    """The angle in degrees about an axis through a point, from the direction ``zero`` to where a ray meets the plane
    perpendicular to the axis; None where it does not meet it.
    """
    facing = float(towards @ axis)
    if abs(facing) < 0.05:
        return None
    met = origin + float((point - origin) @ axis) / facing * towards - point
    return math.degrees(math.atan2(float(np.cross(zero, met) @ axis), float(zero @ met)))


def leaned(normal: Floats, axis: Floats, degrees: float) -> Floats:
    """A normal rotated about a unit axis (Rodrigues' formula)."""
    turn = math.radians(degrees)
    return np.asarray(
        normal * math.cos(turn) + np.cross(axis, normal) * math.sin(turn)
        + axis * float(axis @ normal) * (1 - math.cos(turn))
    )
