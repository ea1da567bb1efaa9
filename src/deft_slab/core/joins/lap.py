"""A stepped rim, for shells whose wall is too thin for a key."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field

from ..cuts import Move
from ..locale import text
from ..locale.translate import tr
from .kind import Join, Made, Site, Which, other

if TYPE_CHECKING:
    from ..printers.profile import Printer


class LapJoin(Join):
    """Half of the wall's thickness stands out on the carrier, and the same half is removed from the other piece.

    Attributes
    ----------
    carrier : Which
        The piece with the standing half.
    height : float, mm
    half : Literal[inner, outer]
        Which half stands out.
    """

    kind: Literal["lap"] = "lap"
    carrier: Which = "first"
    height: float = Field(default=2.0, gt=0.2, le=50)
    half: Literal["inner", "outer"] = "inner"

    word = tr("lap")

    def build(self, site: Site) -> Made:
        from .lap_bodies import lap_of

        return lap_of(site, self.carrier, self.height, inner=self.half == "inner")

    @property
    def foot(self) -> Which | None:
        return self.carrier

    def wall_needed(self, printer: Printer) -> float:
        return printer.thinnest_wall

    def sentence(self) -> str:
        height = text.length(self.height, 1)
        if self.half == "inner":
            return tr("lap, inner half of the wall, {height} high", height=height)
        return tr("lap, outer half of the wall, {height} high", height=height)

    def moved(self, move: Move) -> dict[str, Any]:
        return {"height": self.height * move.size}

    def turned_round(self) -> dict[str, Any]:
        return {"carrier": other(self.carrier)}
