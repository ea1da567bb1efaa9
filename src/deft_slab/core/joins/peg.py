"""What keys that are part of a piece and loose keys have in common: an outline, a height, a draft."""

from __future__ import annotations

import math
from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from ..arrays import Floats
from ..cuts import Move
from ..defaults import UNSUPPORTED
from ..document.base import Triple, of_length_one
from ..locale import text
from ..locale.translate import tr
from .kind import OUTER, Join, JoinHole, PegShape, Site, roof_over

_LENGTHS = ("inset", "width", "length", "corner", "height", "rounding")
"""Measures that grow with the model."""


class Peg(Join):
    """A key of either kind.

    Attributes
    ----------
    outline : Literal[round, rectangle, contact]
        Round, a rectangle with rounded corners, or the outline of the contact itself, moved inward by ``inset``
        mm.
    width, length : float, mm
        At the contact. Only rectangles have a length.
    corner : float, mm
        The radius of a rectangle's corners.
    along : Triple | None
        The direction of the model in which its width lies, projected perpendicular to the way in.
    height : float, mm
    draft : float, degrees
        The angle of its sides to the way in.
    rounding : float, mm
        The radius of the edge of the tip.
    ridges : tuple[Triple, ...]
        Directions of the model in which the outline is extended to a ridge, so that the key prints sideways
        without support.
    flank : float, degrees
        The angle of a ridge's sides to the ridge's direction.
    """

    outline: Literal["round", "rectangle", "contact"] = "round"
    inset: float = Field(default=2.0, ge=0, le=200)
    width: float = Field(default=6.0, gt=0.5, le=500)
    length: float = Field(default=0.0, ge=0, le=500)
    corner: float = Field(default=1.5, gt=0, le=100)
    along: Triple | None = None
    height: float = Field(gt=0.2, le=200)
    draft: float = Field(default=8.0, ge=0, le=45)
    rounding: float = Field(default=0.5, ge=0, le=20)
    ridges: tuple[Triple, ...] = Field(default=(), max_length=2)
    flank: float = Field(default=UNSUPPORTED, ge=10, le=80)

    @field_validator("along")
    @classmethod
    def _of_unit_length(cls, along: Triple | None) -> Triple | None:
        return None if along is None else of_length_one(along, tr("the direction of a key"))

    @model_validator(mode="after")
    def _has_a_length(self) -> Peg:
        if self.outline == "rectangle" and self.length <= 0.5:
            raise ValueError(tr("a rectangular key needs a length"))
        return self

    @property
    def sides(self) -> tuple[float, float]:
        """Width and length at the contact, in mm."""
        return self.width, self.length if self.outline == "rectangle" else self.width

    @property
    def shape(self) -> PegShape:
        """The measures that its body is made from."""
        long = self.outline == "rectangle"
        radius = min(self.corner, 0.5 * self.width, 0.5 * self.length) if long else self.width / 2
        return PegShape(self.sides, radius, self.along, self.ridges, self.flank, self.height, self.draft, self.rounding,
                        self.inset if self.outline == "contact" else None)

    def rim(self, site: Site) -> Floats:
        from .key_bodies import rim_of

        return rim_of(self.shape, site)

    def hole(self, clearance: float, roofed: bool) -> JoinHole:
        """The socket for it."""
        roof = roof_over(min(self.sides) / 2 + clearance) if roofed and self.outline != "contact" else 0.0
        return JoinHole(self.height + clearance, self.draft, roof)

    def reach(self, clearance: float, allowance: float) -> float:
        if self.outline == "contact":
            return 0.0
        half = math.hypot(*self.sides) / 2 if self.outline == "rectangle" else self.width / 2
        peak = half / math.sin(math.radians(self.flank)) if self.ridges else half * OUTER
        return peak + clearance / math.cos(math.radians(self.draft))

    def radius(self, clearance: float, allowance: float) -> float:
        return 0.0 if self.outline == "contact" else max(self.sides) / 2 + clearance

    def measures(self) -> str:
        """Its size, in words."""
        width, length = self.sides
        across = {
            "round": tr("{width} across", width=text.length(width, 1)), "rectangle": tr("{width} × {length}",
                    width=text.length(width, 1), length=text.length(length, 1)),
            "contact": tr("the contact's outline, inset by {inset}", inset=text.length(self.inset, 1)),
        }
        return tr(
            "{across}, {height} high, draft {draft:g}°",
            across=across[self.outline],
            height=text.length(self.height, 1),
            draft=self.draft,
        )

    def moved(self, move: Move) -> dict[str, Any]:
        return {
            **{name: getattr(self, name) * move.size for name in _LENGTHS},
            "ridges": tuple(move.direction(one) for one in self.ridges),
            "along": None if self.along is None else move.direction(self.along),
        }

    def warnings(self, needed: float) -> tuple[str, ...]:
        straight = (tr("There is no draft. Straight sides jam half-way in."),) if self.draft == 0 else ()
        return (*super().warnings(needed), *straight)
