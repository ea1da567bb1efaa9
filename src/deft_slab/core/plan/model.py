"""The opened model, and the report of what mending did to its surface. Plain data, quick to import."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..arrays import Floats
from ..locale import text
from ..mesh.solid import Solid
from .plan import Body, ModelRef, Role, Unit


@dataclass(frozen=True, eq=False)
class Model:
    """An opened model: its surface in the units of the file, and its name.

    Attributes
    ----------
    unit : Unit | None
        The unit that the file states; None if it states none.
    bodies : tuple[Body, ...]
        The bodies of the file, in the order of their triangles.
    notes : tuple[str, ...]
        What the user should know about the file.
    y_up : bool
        Whether the model seems made to stand on -Y rather than -Z.
    up_stated : bool
        Whether the format states which way is up.
    complete : bool
        Whether everything that the file announces was there.
    """

    name: str
    solid: Solid
    grid: float
    unit: Unit | None = None
    bodies: tuple[Body, ...] = ()
    notes: tuple[str, ...] = ()
    y_up: bool = False
    up_stated: bool = False
    complete: bool = True

    @property
    def sha256(self) -> str:
        """The hash of the surface; see ``Solid.sha256``."""
        return self.solid.sha256

    @property
    def ref(self) -> ModelRef:
        """What a plan stores about the model."""
        return ModelRef(
            name=self.name, sha256=self.sha256, grid=self.grid, bodies=self.bodies, up_stated=self.up_stated
        )

    @classmethod
    def from_ref(cls, ref: ModelRef, solid: Solid, unit: Unit | None) -> Model:
        """The model that a plan was made for, from its stored surface."""
        return cls(ref.name, solid, ref.grid, unit, ref.bodies, up_stated=ref.up_stated)


StepKind = Literal["clean", "orient", "specks", "close", "rewrap", "join", "thin"]


@dataclass(frozen=True, eq=False)
class MendStep:
    """What one step of mending found and did.

    Attributes
    ----------
    said : str
        A sentence with {} for each of ``lengths`` (mm).
    changed : bool
        Whether the step changed the surface.
    places : (k, 2, 3) float64, mm, model frame
    """

    kind: StepKind
    said: str
    changed: bool
    lengths: tuple[float, ...]
    places: Floats

    def sentence(self) -> str:
        """What was done, in a sentence for a person."""
        return self.said.format(*(text.near(length) for length in self.lengths))

    def resized(self, factors: Floats) -> MendStep:
        """The same step at another size.

        Parameters
        ----------
        factors : (3,) float64, mm
            Millimetres in one unit along each axis.
        """
        most = float(np.abs(factors).max())
        return replace(self, lengths=tuple(most * value for value in self.lengths), places=self.places * factors)


@dataclass(frozen=True, eq=False)
class MendReport:
    """What mending did to the surface, and what remains to be said about it.

    Attributes
    ----------
    volume_before, volume_after : float, mm3
        None where the surface is not closed.
    moved_by : float, mm
        The farthest that any part of the old surface has moved.
    bridged : float, mm
        The farthest that a patch over a hole lies from the old surface.
    specks : int
        Stray fragments that are still there.
    speck_size : float, mm
        Size of the largest of these.
    tangled : float
        Share of the surface that lies inside the model itself, or faces its own inside.
    loose : int
        The largest number of separate bodies that any one piece consists of, not counting stray specks.
    roles : tuple[Role, ...]
        What is proposed for the bodies of the file; empty if nothing is better than all of them in one piece.
    """

    steps: tuple[MendStep, ...]
    triangles_before: int
    triangles_after: int
    volume_before: float | None
    volume_after: float | None
    moved_by: float
    bridged: float
    specks: int
    speck_size: float
    speck_places: Floats
    tangled: float
    loose: int = 1
    roles: tuple[Role, ...] = ()

    @property
    def deviation(self) -> float:
        """The largest distance of the new surface from the old one, in mm."""
        return max(self.moved_by, self.bridged)

    @property
    def changed(self) -> bool:
        """Whether any step changed the surface."""
        return any(step.changed for step in self.steps)

    def resized(self, factors: Floats) -> MendReport:
        """The same report at another size. Where the axes are stretched differently, lengths are upper bounds.

        Parameters
        ----------
        factors : (3,) float64
        """
        most, volume = float(np.abs(factors).max()), float(np.abs(np.prod(factors)))
        return replace(
            self, steps=tuple(step.resized(factors) for step in self.steps),
            moved_by=most * self.moved_by, bridged=most * self.bridged,
            volume_before=None if self.volume_before is None else volume * self.volume_before,
            volume_after=None if self.volume_after is None else volume * self.volume_after,
            speck_size=most * self.speck_size, speck_places=self.speck_places * factors,
        )

    def joined_with(self, other: MendReport) -> MendReport:
        """The report for two groups of bodies together."""
        return MendReport(
            (*self.steps, *other.steps), self.triangles_before + other.triangles_before,
            self.triangles_after + other.triangles_after, _sum(self.volume_before, other.volume_before),
            _sum(self.volume_after, other.volume_after), max(self.moved_by, other.moved_by),
            max(self.bridged, other.bridged),
            self.specks + other.specks, max(self.speck_size, other.speck_size),
            np.concatenate([self.speck_places, other.speck_places]), max(self.tangled, other.tangled),
            max(self.loose, other.loose),
        )


def _sum(a: float | None, b: float | None) -> float | None:
    return None if a is None or b is None else a + b
