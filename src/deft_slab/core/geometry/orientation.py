"""Tilts: rotations from the model frame to the bed frame."""

from __future__ import annotations

import math

import numpy as np
from pydantic import model_validator

from ..arrays import Floats
from ..document.base import Document, Triple
from ..locale.translate import tr


class Tilt(Document):
    """A rotation from the model frame to the bed frame, as a unit quaternion."""

    w: float = 1.0
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0

    @model_validator(mode="after")
    def _of_unit_length(self) -> Tilt:
        if abs(math.hypot(self.w, self.x, self.y, self.z) - 1.0) > 1e-6:
            raise ValueError(tr("a tilt must be a quaternion of length 1"))
        return self

    @classmethod
    def of(cls, w: float, x: float, y: float, z: float) -> Tilt:
        """The rotation given by a quaternion of any length but 0."""
        length = math.hypot(w, x, y, z)
        return cls(w=w / length, x=x / length, y=y / length, z=z / length)

    @classmethod
    def turn(cls, axis: Triple, degrees: float) -> Tilt:
        """A rotation about an axis of any length but 0, counter-clockwise as seen from the tip of the axis."""
        length = math.hypot(*axis)
        half = math.radians(degrees) / 2
        sine = math.sin(half) / length
        return cls.of(math.cos(half), axis[0] * sine, axis[1] * sine, axis[2] * sine)

    @classmethod
    def from_rotation(cls, matrix: Floats) -> Tilt:
        """The tilt of a rotation matrix (Shepperd's method: divide by the largest component).

        Parameters
        ----------
        matrix : (3, 3) float64
        """
        m = matrix
        squares = np.array(
            [1 + m[0, 0] + m[1, 1] + m[2, 2], 1 + m[0, 0] - m[1, 1] - m[2, 2],
             1 - m[0, 0] + m[1, 1] - m[2, 2], 1 - m[0, 0] - m[1, 1] + m[2, 2]]
        )
        rows = (
            (squares[0], m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1]),
            (m[2, 1] - m[1, 2], squares[1], m[1, 0] + m[0, 1], m[0, 2] + m[2, 0]),
            (m[0, 2] - m[2, 0], m[1, 0] + m[0, 1], squares[2], m[2, 1] + m[1, 2]),
            (m[1, 0] - m[0, 1], m[0, 2] + m[2, 0], m[2, 1] + m[1, 2], squares[3]),
        )
        return cls.of(*(float(value) for value in rows[int(squares.argmax())]))

    def after(self, first: Tilt) -> Tilt:
        """This rotation applied after another one (Hamilton product)."""
        a, b = self, first
        return Tilt.of(
            a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z,
            a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y,
            a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x,
            a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w,
        )

    @property
    def rotation(self) -> Floats:
        """The rotation matrix R, with bed = R @ model.

        Returns
        -------
        (3, 3) float64
        """
        w, x, y, z = self.w, self.x, self.y, self.z
        return np.array(
            [
                [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
                [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
                [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
            ]
        )

    @property
    def down(self) -> Triple:
        """The unit vector of the model frame that points to the bed."""
        row = -self.rotation[2]
        return float(row[0]), float(row[1]), float(row[2])


STAND_UP = Tilt.turn((1.0, 0.0, 0.0), 90.0)
"""What stands a model on its -Y side."""


def between(start: Tilt, end: Tilt, share: float) -> Tilt:
    """The rotation a given share of the shortest way from one to another (spherical interpolation, Shoemake 1985)."""
    a = np.array([start.w, start.x, start.y, start.z])
    b = np.array([end.w, end.x, end.y, end.z])
    cosine = float(a @ b)
    if cosine < 0:
        b, cosine = -b, -cosine
    angle = math.acos(min(cosine, 1.0))
    if angle < 1e-6:
        return end
    mixed = (math.sin((1 - share) * angle) * a + math.sin(share * angle) * b) / math.sin(angle)
    return Tilt.of(*(float(value) for value in mixed))


def turned_box(low: Floats, high: Floats, rotation: Floats, shift: Floats | float = 0.0) -> tuple[Floats, Floats]:
    """The bounding box of a box that is rotated and then shifted.

    Parameters
    ----------
    low, high : (3,) float64
        Its corners.

    Returns
    -------
    (3,) float64, (3,) float64
        The lowest and the highest corner.
    """
    corners = np.array([[(low, high)[(n >> k) & 1][k] for k in range(3)] for n in range(8)]) @ rotation.T + shift
    return corners.min(axis=0), corners.max(axis=0)
