"""A cut along a dish or sleeve around a feature."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field, model_validator

from ..arrays import Floats
from ..document.base import Triple
from ..document.marks import Region
from ..locale.translate import tr
from .free_box import PlacedBox
from .kind import BodyCut
from .move import Move
from .reach import Picked

if TYPE_CHECKING:
    import manifold3d

    from ..mesh.solid import Solid


class ScoopCut(BodyCut, PlacedBox):
    """A cut along a dish or sleeve around a feature.

    Attributes
    ----------
    shape : Literal[ball, round-ended, region]
        "ball": an ellipsoid. "round-ended": a cylinder along the third of its axes with a hemisphere on each end,
        as wide as the first two of ``half``. "region": everything within ``margin`` of a picked region. The first
        two have ``centre``, ``half`` and ``turn``.
    """

    kind: Literal["scoop"] = "scoop"
    shape: Literal["ball", "round-ended", "region"] = "ball"
    centre: Triple = (0.0, 0.0, 0.0)
    half: Triple = (10.0, 10.0, 10.0)
    region: Region | None = None
    margin: float = Field(default=3.0, gt=0, le=1000)

    @model_validator(mode="after")
    def _has_its_region(self) -> ScoopCut:
        if (self.shape == "region") != (self.region is not None):
            raise ValueError(tr("a scoop is either a shape or around a region"))
        return self

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        from ..geometry.blanks import ball_body, chosen, round_ended_body
        from ..geometry.offsets import around

        if self.region is not None:
            return around(solid, chosen(picked(self.region), self.name), self.margin + grow, self.name)
        make = ball_body if self.shape == "ball" else round_ended_body
        return make(self.centre, self.half, self.turn, grow)

    def side_word(self, side: int, rotation: Floats) -> str:
        return tr("scooped") if side == 1 else ""

    def moved(self, move: Move) -> dict[str, Any]:
        if self.region is None:
            return self.box_moved(move)
        around = {"region": move.region(self.region), "margin": self.margin * move.size}
        return {**self.box_moved(move), **around}
