"""A joint that moves: a pin in a hole, and a gap between the faces."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field, field_validator, model_validator

from ..arrays import Floats
from ..cuts import Move
from ..document.base import Triple, of_length_one
from ..locale import text
from ..locale.translate import tr
from .dowel import THICKEST, THINNEST
from .kind import OUTER, Join, Made, PivotShape, Site, Which, other

_ONE_WAY, _BOTH_WAYS = 80.0, 140.0
"""Degrees that a knuckle may turn to one side, and in all: with more, too little holds its leaves to their piece."""


class PivotJoin(Join):
    """A swivel or a knuckle.

    Attributes
    ----------
    form : Literal[swivel, knuckle]
        A swivel turns about the way of its contact, like a head on its neck; a knuckle turns about an axis across
        it, like a lid on its hinge. The room for turning is removed from the piece that is not the carrier.
    carrier : Which
        The piece whose face stays whole, and that has the outer leaves of a knuckle.
    pin : float, mm
        The diameter of the rod that serves as a pin, which is bought.
    turns_back, turns_on : float, degrees
        How far the second piece turns, left- and right-handed about the axis: the way out for a swivel, ``along``
        for a knuckle.
    depth_first, depth_second : float, mm
        The depths of a swivel's holes.
    leaves : Literal[2, 3]
        The number of a knuckle's leaves.
    span, radius_of_leaves : float, mm
        The length of all leaves along the axis, and the radius of each.
    along : Triple | None
        The direction of the model in which a knuckle's axis lies, projected perpendicular to the way in.
    """

    kind: Literal["pivot"] = "pivot"
    form: Literal["swivel", "knuckle"] = "swivel"
    carrier: Which = "first"
    pin: float = Field(default=3.0, gt=THINNEST, le=THICKEST)
    turns_back: float = Field(default=30.0, ge=0, le=180)
    turns_on: float = Field(default=30.0, ge=0, le=180)
    depth_first: float = Field(default=10.0, gt=0.2, le=500)
    depth_second: float = Field(default=10.0, gt=0.2, le=500)
    leaves: Literal[2, 3] = 3
    span: float = Field(default=12.0, ge=2, le=500)
    radius_of_leaves: float = Field(default=5.0, ge=1, le=200)
    along: Triple | None = None

    word = tr("pivot")
    beyond = True

    @field_validator("along")
    @classmethod
    def _of_unit_length(cls, along: Triple | None) -> Triple | None:
        return None if along is None else of_length_one(along, tr("the axis of a pivot"))

    @model_validator(mode="after")
    def _can_turn(self) -> PivotJoin:
        if self.form == "knuckle":
            if max(self.turns_back, self.turns_on) > _ONE_WAY or self.turns_back + self.turns_on > _BOTH_WAYS:
                raise ValueError(
                    tr(
                        "a knuckle turns at most {one_way:g} degrees to one side and {both_ways:g} in all",
                        one_way=_ONE_WAY,
                        both_ways=_BOTH_WAYS,
                    )
                )
            if self.radius_of_leaves <= self.pin / 2 + 0.5:
                raise ValueError(tr("the leaves of a knuckle are too small for its pin"))
        return self

    def width(self, clearance: float, allowance: float) -> float:
        """The diameter of the hole that the pin turns in, in mm.

        Parameters
        ----------
        clearance : float
            In mm per side.
        allowance : float, mm
            By how much holes are made larger.
        """
        return self.pin + 2 * clearance + allowance

    def build(self, site: Site) -> Made:
        from .pivot_bodies import knuckle_of, swivel_of

        shape = PivotShape(
            self.carrier, self.width(site.clearance, site.allowance), self.turns_back, self.turns_on,
            (self.depth_first, self.depth_second), self.leaves, self.span, self.radius_of_leaves, self.along,
        )
        return swivel_of(shape, site) if self.form == "swivel" else knuckle_of(shape, site)

    def rim(self, site: Site) -> Floats:
        """The rim (k, 3) in mm of the model frame: of a swivel's hole, or of a knuckle's leaves."""
        if self.form == "swivel":
            from .key_bodies import round_rim

            return round_rim(self.width(site.clearance, site.allowance), site)
        x, y = self.span / 2, self.radius_of_leaves
        return np.array([[-x, -y], [x, -y], [x, y], [-x, y]]) @ site.axes("first", self.along)[:2] + site.place

    def reach(self, clearance: float, allowance: float) -> float:
        return OUTER * self.width(clearance, allowance) / 2

    def radius(self, clearance: float, allowance: float) -> float:
        return self.reach(clearance, allowance)

    def sentence(self) -> str:
        turns = tr(
            "turns from {value:g}° to {turns_on:g}° on a pin of {pin}",
            value=-self.turns_back,
            turns_on=self.turns_on,
            pin=text.given(self.pin),
        )
        if self.form == "swivel":
            return tr(
                "pivot, {turns}, {depth_first} and {depth_second} deep",
                turns=turns,
                depth_first=text.given(self.depth_first),
                depth_second=text.given(self.depth_second),
            )
        return tr(
            "pivot with {leaves} leaves over {span}, {turns}",
            leaves=self.leaves,
            span=text.length(self.span, 1),
            turns=turns,
        )

    def moved(self, move: Move) -> dict[str, Any]:
        turned = {"turns_back": self.turns_on, "turns_on": self.turns_back} if move.mirrors else {}
        return {
            **{name: getattr(self, name) * move.size for name in ("span", "radius_of_leaves")}, **turned,
            "along": None if self.along is None else move.direction(self.along),
        }

    def turned_round(self) -> dict[str, Any]:
        # the axis of a swivel is the way out, which turns round too
        turned = {"turns_back": self.turns_on, "turns_on": self.turns_back} if self.form == "knuckle" else {}
        return {"carrier": other(self.carrier), "depth_first": self.depth_second, "depth_second": self.depth_first,
                **turned}
