"""What a new cut needs to know. Plain geometry in mm of the model frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ...core.arrays import Floats
from ...core.document.base import Triple, triple
from ...core.document.marks import Region
from ...core.plan.plan import Plan


@dataclass(frozen=True, eq=False)
class CutContext:
    """What a new cut needs to know.

    Attributes
    ----------
    plan : Plan
        The plan that the cut is for.
    low, high : (3,) float64
        The box of all pieces.
    upward : (3,) float64
        The direction that is up as the model stands.
    view : Triple
        The direction from the eye to the model.
    room : mm
        The printer's room along each axis, in mm.
    crease : float, degrees
        The angle in degrees at which a picked region ends.
    line : (k, 3) float64
        Points (k, 3) that were clicked for the cut.
    closes : bool
        Whether the line is a loop.
    """

    plan: Plan
    low: Floats
    high: Floats
    upward: Floats
    view: Triple
    room: Triple
    crease: float
    line: Floats
    closes: bool = False

    @property
    def box(self) -> tuple[Floats, Floats]:
        return self.low, self.high

    @property
    def diagonal(self) -> float:
        """The diagonal of the box of all pieces, in mm."""
        return float(np.linalg.norm(self.high - self.low))

    def named(self, word: str) -> dict[str, Any]:
        """The id and the name of a new cut."""
        return {"id": self.plan.fresh_id(), "name": self.plan.fresh_name(word)}

    def region_at(self, place: Floats) -> Region:
        """The smooth region around a place (3,), extending at most a quarter of the model."""
        return Region(shape="grown", places=(triple(place),), limit=self.crease, reach=0.25 * self.diagonal)
