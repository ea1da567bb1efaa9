"""An opened model, and what mending did to its surface. Plain data, light to load."""

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
    """An opened model: its surface in the units of its file, and what it is called.

    Attributes
    ----------
    unit : Unit | None
        As the file states it, else None.
    bodies : tuple[Body, ...]
        What it is made of, in the order of the triangles.
    notes : tuple[str, ...]
        What is to be told of the file.
    y_up : bool
        Whether it is made to stand on -Y and not on -Z.
    up_stated : bool
        The format says so.
    complete : bool
        Nothing that its file announces was missing.
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
        """Of its surface: see ``Solid.sha256``."""
        return self.solid.sha256

    @property
    def ref(self) -> ModelRef:
        """What plans know of it."""
        return ModelRef(
            name=self.name, sha256=self.sha256, grid=self.grid, bodies=self.bodies, up_stated=self.up_stated
        )

    @classmethod
    def from_ref(cls, ref: ModelRef, solid: Solid, unit: Unit | None) -> Model:
        """A model that was kept with a plan, and is named there."""
        return cls(ref.name, solid, ref.grid, unit, ref.bodies, up_stated=ref.up_stated)


StepKind = Literal["clean", "orient", "specks", "close", "rewrap", "join", "thin"]


@dataclass(frozen=True, eq=False)
class MendStep:
    """What a step of mending found and did.

    Attributes
    ----------
    said : str
        A sentence with {} for each of ``lengths`` (mm).
    places : (k, 2, 3) float64, mm, model frame
    changed : bool
        Whether the surface is another one after it.
    """

    kind: StepKind
    said: str
    changed: bool
    lengths: tuple[float, ...]
    places: Floats

    def sentence(self) -> str:
        """What was done, for a person."""
        return self.said.format(*(text.near(length) for length in self.lengths))

    def resized(self, factors: Floats) -> MendStep:
        """At another size.

        Parameters
        ----------
        factors : (3,) float64, mm
            In one unit.
        """
        most = float(np.abs(factors).max())
        return replace(self, lengths=tuple(most * value for value in self.lengths), places=self.places * factors)


@dataclass(frozen=True, eq=False)
class MendReport:
    """What mending did to the surface, and what is left to say about it.

    Attributes
    ----------
    volume_before, volume_after : float, mm3
        None where the surface is not closed.
    moved_by : float, mm
        The farthest that what was there has moved.
    bridged : float, mm
        The farthest that what closes a hole lies from what was there.
    specks : int
        Stray fragments that are still there.
    speck_size : float, mm
        Across, of the largest.
    tangled : float
        Share of the surface that lies inside the model itself, or faces its own inside.
    loose : int
        In how many bodies that do not touch what is one piece falls at most, stray specks not counted.
    roles : tuple[Role, ...]
        What is proposed for the bodies of the file; empty where nothing is better than all of them in one
        piece.
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
        """mm, the largest distance of the new surface from the old one."""
        return max(self.moved_by, self.bridged)

    @property
    def changed(self) -> bool:
        """Whether any step did anything."""
        return any(step.changed for step in self.steps)

    def resized(self, factors: Floats) -> MendReport:
        """At another size; where axes are stretched apart, lengths are the longest they may be.

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
        """Of two groups of bodies together."""
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
