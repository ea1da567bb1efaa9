"""What a scene consists of: values that say what is drawn where, and that are cheap to compare."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from ...core.arrays import Bytes, Floats, Ints32

Colour = tuple[float, float, float]
"""0 to 255 each."""


@dataclass(frozen=True, eq=False)
class Pose:
    """Where something is drawn: a rotation (3, 3), then a shift (3,) in mm."""

    rotation: Floats = field(default_factory=lambda: np.eye(3))
    shift: Floats = field(default_factory=lambda: np.zeros(3))

    def of(self, points: Floats) -> Floats:
        """Points (n, 3) of the thing's own frame, in the bed frame."""
        return np.asarray(points @ self.rotation.T + self.shift)

    def back(self, points: Floats) -> Floats:
        """Points (n, 3) of the bed frame, in the thing's own frame."""
        return np.asarray((points - self.shift) @ self.rotation)


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles in one colour, or in one colour each ((m, 3) uint8).

    Attributes
    ----------
    vertices : (n, 3) float64, mm
        In the mesh's own frame, which ``pose`` places in the bed frame.
    veil : bool
        Whether it appears as one translucent layer, however many of its walls lie behind each other.
    instead_of : str
        The name of the thing that this mesh replaces in coarse pictures; empty: none.
    through : bool
        Whether it is also visible through what stands before it.
    clipped : bool
        Whether it is hidden outside the heights that the scene shows.
    """

    vertices: Floats
    triangles: Ints32
    colour: Colour | Bytes
    pose: Pose = field(default_factory=Pose)
    opacity: float = 1.0
    veil: bool = False
    instead_of: str = ""
    through: bool = False
    lit: bool = True
    clipped: bool = False

    def at(self, pose: Pose) -> Mesh:
        """The same mesh in another pose."""
        return replace(self, pose=pose)

    def same_shape(self, other: Mesh) -> bool:
        """Whether another mesh differs at most in its colours and its pose."""
        return (
            self.vertices is other.vertices and self.triangles is other.triangles
            and (self.opacity, self.veil, self.through, self.lit, self.clipped)
            == (other.opacity, other.veil, other.through, other.lit, other.clipped)
        )


@dataclass(frozen=True, eq=False)
class Lines:
    """Segments (k, 2, 3) in mm of the bed frame.

    Attributes
    ----------
    width : float, pixels
        The width of the lines, in pixels.
    """

    segments: Floats
    colour: Colour
    width: float = 1.0


Thing = Mesh | Lines
