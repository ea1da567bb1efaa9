"""How a cut follows the model when that is stretched, mirrored or moved: points p become M p + t."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..arrays import Floats
from ..document.base import Triple, triple
from ..document.marks import Region
from ..geometry.orientation import Tilt


class Move:
    """What has axes of its own (boxes, balls) can follow a stretch only along them: where it is stretched askew, it
    keeps right angles and the lengths of its axes.

    Attributes
    ----------
    matrix : (3, 3)
        Invertible.
    shift : (3,), mm
    """

    def __init__(self, matrix: Floats, shift: Floats | None = None) -> None:
        self.matrix = np.asarray(matrix, float)
        self.shift = np.zeros(3) if shift is None else np.asarray(shift, float)
        self.size = float(abs(np.linalg.det(matrix)) ** (1 / 3))

    @classmethod
    def mirror(cls, normal: Floats, offset: float) -> Move:
        """In the plane normal . p = offset; normal of length 1.

        Parameters
        ----------
        normal : (3,) float64
        """
        return cls(np.eye(3) - 2.0 * np.outer(normal, normal), 2.0 * offset * normal)

    @property
    def mirrors(self) -> bool:
        """Whether it turns left into right."""
        return bool(np.linalg.det(self.matrix) < 0)

    def point(self, place: Triple) -> Triple:
        """A point, moved."""
        return triple(self.matrix @ np.array(place) + self.shift)

    def points(self, places: Iterable[Triple]) -> tuple[Triple, ...]:
        """Points (n, 3), moved."""
        return tuple(self.point(place) for place in places)

    def direction(self, direction: Triple) -> Triple:
        """A unit vector, moved: what has another length after it is made length 1 again."""
        moved = self.matrix @ np.array(direction)
        return triple(moved / np.linalg.norm(moved))

    def plane(self, normal: Floats, offset: float) -> tuple[Triple, float]:
        """n . p = d becomes m . q = d / |n M^-1| + m . t, with m the unit vector along n M^-1.

        Parameters
        ----------
        normal : (3,) float64
            Gives ((3,), mm).
        """
        row = normal @ np.linalg.inv(self.matrix)
        length = float(np.linalg.norm(row))
        return triple(row / length), offset / length + float(row / length @ self.shift)

    def axes(self, turn: Tilt) -> tuple[Tilt, Floats, tuple[bool, bool, bool], Floats]:
        """(turn of the moved axes, (3,) how much longer each is, which were turned round so that they stay a
        right-handed turn, (3,) mm by which places along each have moved).
        """
        own = turn.rotation
        moved = self.matrix @ own.T  # columns: where the axes go
        scale = np.linalg.norm(moved, axis=0)
        u, _, vt = np.linalg.svd(moved / scale)  # the nearest right-angled axes
        square = u @ vt
        flips = (False, False, False)
        if np.linalg.det(square) < 0:
            flips = (True, False, False)
            square[:, 0] *= -1.0
        return Tilt.from_rotation(square.T), scale, flips, square.T @ self.shift

    def box(self, turn: Tilt, half: Triple) -> tuple[Tilt, Triple]:
        """(turn, half sides) of a box."""
        turned, scale, _, _ = self.axes(turn)
        return turned, triple(scale * np.array(half))

    def region(self, region: Region) -> Region:
        """A region of the surface, moved."""
        facing = tuple(self.plane(np.array(one), 0.0)[0] for one in region.facing)
        half = triple(np.abs(self.matrix) @ np.array(region.half))
        return region.model_copy(update={
            "places": self.points(region.places), "beyond": self.points(region.beyond), "facing": facing,
            "half": half, "reach": region.reach * self.size,
        })
