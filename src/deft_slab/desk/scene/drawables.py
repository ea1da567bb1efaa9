"""What a scene is made of: values that say what is drawn where, and can be told from each other at no cost."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from ...core.arrays import Bytes, Floats, Ints32

Colour = tuple[float, float, float]
"""0 to 255 each."""


@dataclass(frozen=True, eq=False)
class Pose:
    """Where something is drawn: turned by (3, 3), then shifted by (3,) mm."""

    rotation: Floats = field(default_factory=lambda: np.eye(3))
    shift: Floats = field(default_factory=lambda: np.zeros(3))

    def of(self, points: Floats) -> Floats:
        """Points (n, 3) of its own frame, bed frame."""
        return np.asarray(points @ self.rotation.T + self.shift)

    def back(self, points: Floats) -> Floats:
        """Points (n, 3) of the bed frame, in its own."""
        return np.asarray((points - self.shift) @ self.rotation)


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles in one colour, or in one colour each ((m, 3) uint8).

    Attributes
    ----------
    vertices : (n, 3) float64, mm
        In a frame of its own that lies in the bed frame by ``pose``.
    veil : bool
        One translucent layer, however many of its walls lie behind each other.
    instead_of : str
        The name of what it is drawn for while that is drawn coarsely.
    through : bool
        Also where something stands before it.
    clipped : bool
        Hidden below the height that the scene says.
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
        """The same elsewhere."""
        return replace(self, pose=pose)

    def same_shape(self, other: Mesh) -> bool:
        """Whether another one differs in its colours and its pose at most."""
        return (
            self.vertices is other.vertices and self.triangles is other.triangles
            and (self.opacity, self.veil, self.through, self.lit, self.clipped)
            == (other.opacity, other.veil, other.through, other.lit, other.clipped)
        )


@dataclass(frozen=True, eq=False)
class Lines:
    """Segments (k, 2, 3) mm, bed frame.

    Attributes
    ----------
    width : float, pixels
    """

    segments: Floats
    colour: Colour
    width: float = 1.0


Thing = Mesh | Lines
