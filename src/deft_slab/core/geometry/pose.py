"""The pose of a solid in its seat: from its own frame to the bed and back."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arrays import Floats
from ..mesh.solid import Solid


@dataclass(frozen=True, eq=False)
class BedPose:
    """A solid in its seat.

    Attributes
    ----------
    solid : Solid
        In mm, model frame.
    rotation : (3, 3) float64
        The rotation to the bed frame.
    lift : float
        How high its lowest point is above the bed, in mm.
    """

    solid: Solid
    rotation: Floats
    lift: float = 0.0

    @cached_property
    def shift(self) -> Floats:
        """The translation after the rotation, which puts the lowest point at the lift.

        Returns
        -------
        (3,) float64, mm
        """
        return np.array([0.0, 0.0, self.lift - float((self.solid.vertices @ self.rotation[2]).min())])

    def on_bed(self, points: Floats) -> Floats:
        """Points of the solid (..., 3), transformed to the bed, in mm."""
        return np.asarray(points @ self.rotation.T + self.shift)

    def on_model(self, points: Floats) -> Floats:
        """Points on the bed (..., 3), transformed back to the model frame, in mm."""
        return np.asarray((points - self.shift) @ self.rotation)

    @cached_property
    def vertices(self) -> Floats:
        """The vertices of the solid on the bed.

        Returns
        -------
        (n, 3) float64, mm
        """
        return self.on_bed(self.solid.vertices)

    @cached_property
    def solid_on_bed(self) -> Solid:
        """The solid as it sits on the bed."""
        return Solid(self.vertices, self.solid.triangles)
