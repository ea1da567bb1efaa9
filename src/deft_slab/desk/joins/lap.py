"""Laps in the window."""

from __future__ import annotations

from ...core.joins import LapJoin, other
from ...core.locale.translate import tr
from ..fields import Field
from .kind import JoinOnDesk, Switch, Where


class LapOnDesk(JoinOnDesk[LapJoin]):
    kind = "lap"
    place = 4
    word = tr("Lap")
    adds = tr("Adds a stepped rim: half of the wall stands out on one piece, and the same half is removed from the "
              "other.")
    switches = (
        Switch(lambda join: tr("Swap pieces"), tr("Moves the rim to the other piece."),
               lambda join: {"carrier": other(join.carrier)}),
        Switch(lambda join: tr("Outer half") if join.half == "inner" else tr("Inner half"),
               tr("Which half of the wall stands out. The inner one stays hidden, the outer one guides."),
               lambda join: {"half": "outer" if join.half == "inner" else "inner"}),
    )

    def new_join(self, where: Where) -> LapJoin:
        return LapJoin(**where.place)

    def fields(self, join: LapJoin) -> list[Field]:
        return [Field(tr("Height"), tr("How far the rim stands out."), "mm", lambda one: one.height,
                      lambda one, value: {"height": value}, 0.3, 50, 0.5)]
