"""Holes for round stock: rods, nails, ends of filament."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field

from ..arrays import Floats
from ..locale import text
from ..locale.translate import tr
from .kind import OUTER, Join, JoinHole, Made, Site, Which, roof_over

if TYPE_CHECKING:
    pass


THINNEST, THICKEST = 0.2, 100.0
"""mm, of round stock; more than the first, at most the second."""
STOCK = (1.0, 1.75, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0)
"""mm: usual diameters of round stock; 1 is wire, 1.75 an end of filament (common practice)."""


class DowelJoin(Join):
    """A hole in each piece for a piece of round stock.

    Attributes
    ----------
    diameter : float, mm
        The diameter of the rod. The hole is wider by twice the clearance and by the allowance.
    depth_first, depth_second : float, mm
        How deep the hole goes into each piece.
    allowance : float, mm, or None
        None: what the printer needs.
    roofed_first, roofed_second : bool
        Which holes end in a roof that prints without support.
    """

    kind: Literal["dowel hole"] = "dowel hole"
    diameter: float = Field(gt=THINNEST, le=THICKEST)
    depth_first: float = Field(default=8.0, gt=0.2, le=500)
    depth_second: float = Field(default=8.0, gt=0.2, le=500)
    allowance: float | None = Field(default=None, ge=0, le=5)
    roofed_first: bool = False
    roofed_second: bool = False

    word = tr("dowel hole")

    def width(self, clearance: float, allowance: float) -> float:
        """The diameter of the hole in mm.

        Parameters
        ----------
        clearance : float, mm per side
        allowance : float, mm
            How much larger the printer's holes are made.
        """
        return self.diameter + 2 * clearance + (allowance if self.allowance is None else self.allowance)

    def build(self, site: Site) -> Made:
        from .key_bodies import hole_in

        wide = self.width(site.clearance, site.allowance)
        return Made({}, {
            "first": hole_in("first", site, wide, self.depth_first, self.roofed_first),
            "second": hole_in("second", site, wide, self.depth_second, self.roofed_second),
        })

    def rim(self, site: Site) -> Floats:
        from .key_bodies import round_rim

        return round_rim(self.width(site.clearance, site.allowance), site)

    def holes(self, clearance: float) -> Mapping[Which, JoinHole]:
        roof = roof_over(self.diameter / 2 + clearance)
        return {
            "first": JoinHole(self.depth_first, 0.0, roof if self.roofed_first else 0.0),
            "second": JoinHole(self.depth_second, 0.0, roof if self.roofed_second else 0.0),
        }

    def turned_round(self) -> dict[str, Any]:
        return {"depth_first": self.depth_second, "depth_second": self.depth_first,
                "roofed_first": self.roofed_second, "roofed_second": self.roofed_first}

    def reach(self, clearance: float, allowance: float) -> float:
        return OUTER * self.width(clearance, allowance) / 2

    def radius(self, clearance: float, allowance: float) -> float:
        return self.reach(clearance, allowance)

    def sentence(self) -> str:
        return tr(
            "dowel hole for {diameter}, {depth_first} and {depth_second} deep",
            diameter=text.given(self.diameter),
            depth_first=text.given(self.depth_first),
            depth_second=text.given(self.depth_second),
        )
