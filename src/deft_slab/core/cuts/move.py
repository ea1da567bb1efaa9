"""How a cut follows the model when that is stretched, mirrored or moved: a point p becomes M p + t."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..arrays import Floats
from ..document.base import Triple, triple
from ..document.marks import Region
from ..geometry.orientation import Tilt


class Move:
    """A transformation of the model.

    Things with axes of their own, such as boxes and ellipsoids, can follow a stretch only along these axes. If they
    are stretched askew, they keep their right angles and the lengths of their axes.

    Attributes
    ----------
    matrix : (3, 3)
        An invertible matrix.
    shift : (3,), mm
    """

    def __init__(self, matrix: Floats, shift: Floats | None = None) -> None:
        self.matrix = np.asarray(matrix, float)
        self.shift = np.zeros(3) if shift is None else np.asarray(shift, float)
        self.size = float(abs(np.linalg.det(matrix)) ** (1 / 3))

    @classmethod
    def mirror(cls, normal: Floats, offset: float) -> Move:
        """The mirror image in the plane normal . p = offset.

        Parameters
        ----------
        normal : (3,) float64
            Unit vector.
        """
        return cls(np.eye(3) - 2.0 * np.outer(normal, normal), 2.0 * offset * normal)

    @property
    def mirrors(self) -> bool:
        """Whether it turns left into right."""
        return bool(np.linalg.det(self.matrix) < 0)

    def point(self, place: Triple) -> Triple:
        """A point after the transformation."""
        return triple(self.matrix @ np.array(place) + self.shift)

    def points(self, places: Iterable[Triple]) -> tuple[Triple, ...]:
        """Points after the transformation."""
        return tuple(self.point(place) for place in places)

    def direction(self, direction: Triple) -> Triple:
        """A direction after the transformation, scaled back to length 1."""
        moved = self.matrix @ np.array(direction)
        return triple(moved / np.linalg.norm(moved))

    def plane(self, normal: Floats, offset: float) -> tuple[Triple, float]:
        """A plane after the transformation. n . p = d becomes m . q = d / |n M^-1| + m . t, with m the unit vector
        along n M^-1.

        Parameters
        ----------
        normal : (3,) float64
            Gives ((3,), mm).

        Returns
        -------
        Triple, float
            The unit normal, and the offset in mm.
        """
        row = normal @ np.linalg.inv(self.matrix)
        length = float(np.linalg.norm(row))
        return triple(row / length), offset / length + float(row / length @ self.shift)

    def axes(self, turn: Tilt) -> tuple[Tilt, Floats, tuple[bool, bool, bool], Floats]:
        """Axes after the transformation.

        Returns
        -------
        Tilt, (3,) float64, (bool, bool, bool), (3,) float64, mm
            The rotation of the moved axes; how much longer each is; which were reversed to keep them
            right-handed; and by how much places along each have moved.
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
        """The rotation and the half sides of a box after the transformation."""
        turned, scale, _, _ = self.axes(turn)
        return turned, triple(scale * np.array(half))

    def region(self, region: Region) -> Region:
        """A region of the surface after the transformation."""
        facing = tuple(self.plane(np.array(one), 0.0)[0] for one in region.facing)
        half = triple(np.abs(self.matrix) @ np.array(region.half))
        return region.model_copy(update={
            "places": self.points(region.places), "beyond": self.points(region.beyond), "facing": facing,
            "half": half, "reach": region.reach * self.size,
        })
