"""What a new cut is put on. Plain geometry in the model frame, mm."""

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
    """Attributes
    ----------
    plan : Plan
        That it is for.
    low, high : (3,) float64
        The box of all pieces.
    upward : (3,) float64
        The way that is up as the model stands.
    view : Triple
        The way from the eye to the model.
    room : mm
        That the printer has along each axis.
    crease : float, degrees
        Of bend at which a picked region ends.
    line : (k, 3) float64
        Points that were clicked for it.
    closes : bool
        They are a loop.
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
        """mm, of the box of all pieces."""
        return float(np.linalg.norm(self.high - self.low))

    def named(self, word: str) -> dict[str, Any]:
        """The id and the name of a new cut."""
        return {"id": self.plan.fresh_id(), "name": self.plan.fresh_name(word)}

    def region_at(self, place: Floats) -> Region:
        """The smooth region around a place (3,), no farther than a quarter of the model."""
        return Region(shape="grown", places=(triple(place),), limit=self.crease, reach=0.25 * self.diagonal)
