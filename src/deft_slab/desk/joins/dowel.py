"""Dowel holes in the window."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ...core.joins import DowelJoin
from ...core.locale.translate import tr
from ..fields import Field
from .kind import JoinOnDesk, Where, nearest_rod

DEPTHS = [
    Field(tr("Depth in first piece"), tr("The depth of the hole in the first "
                                         "piece."), "mm", lambda join: join.depth_first,
          lambda join, value: {"depth_first": value}, 0.3, 500, 0.5),
    Field(tr("Depth in second piece"), tr("The depth of the hole in the second "
                                          "piece."), "mm", lambda join: join.depth_second,
          lambda join, value: {"depth_second": value}, 0.3, 500, 0.5),
]
"""Of what has a hole in each piece."""


class DowelOnDesk(JoinOnDesk[DowelJoin]):
    kind = "dowel hole"
    place = 3
    word = tr("Dowel")
    adds = tr("Adds a hole in both pieces, on one axis, for a rod, a nail or a piece of filament.")

    def new_join(self, where: Where) -> DowelJoin:
        thick = min((one for one in where.stock if one >= 0.4 * where.width), default=max(where.stock, default=3.0))
        return DowelJoin(**where.place, diameter=thick)

    def fields(self, join: DowelJoin) -> list[Field]:
        return [
            Field(tr("Rod"), tr("The diameter of the rod. The hole is wider by the clearance and the printer's "
                                "allowance."), "mm",
                  lambda one: one.diameter, lambda one, value: {"diameter": value}, 0.3, 100, 0.25),
            *DEPTHS,
        ]

    def sized(self, join: DowelJoin, factor: float, stock: Sequence[float]) -> Mapping[str, Any]:
        """Change to the nearest rod in stock."""
        return {"diameter": nearest_rod(stock, factor * join.diameter, join.diameter)}
