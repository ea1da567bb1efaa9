"""A solid in its seat: from its own frame to the bed and back."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arrays import Floats
from ..mesh.solid import Solid


@dataclass(frozen=True, eq=False)
class BedPose:
    """Attributes
    ----------
    solid : mm, model frame
    rotation : (3, 3) float64
        To the bed frame.
    lift : float
        mm over the bed.
    """

    solid: Solid
    rotation: Floats
    lift: float = 0.0

    @cached_property
    def shift(self) -> Floats:
        """(3,) mm, after the turn: its lowest point is on the bed, or as far over it as it is lifted."""
        return np.array([0.0, 0.0, self.lift - float((self.solid.vertices @ self.rotation[2]).min())])

    def on_bed(self, points: Floats) -> Floats:
        """Points (..., 3) of the solid, mm on the bed."""
        return np.asarray(points @ self.rotation.T + self.shift)

    def on_model(self, points: Floats) -> Floats:
        """The other way, (..., 3) mm."""
        return np.asarray((points - self.shift) @ self.rotation)

    @cached_property
    def vertices(self) -> Floats:
        """(n, 3) mm, on the bed: of the solid."""
        return self.on_bed(self.solid.vertices)

    @cached_property
    def solid_on_bed(self) -> Solid:
        """The solid as it sits."""
        return Solid(self.vertices, self.solid.triangles)
