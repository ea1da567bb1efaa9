"""Joints that move, in the window."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ...core.joins import PivotJoin, other
from ...core.locale.translate import tr
from ..fields import Field
from .dowel import DEPTHS
from .kind import JoinOnDesk, Switch, Where, nearest_rod

_ANGLES = [
    Field(tr("Turns clockwise"), tr("How far the second piece turns clockwise, seen with the axis pointing at "
                                    "you."), "°",
          lambda join: join.turns_back, lambda join, value: {"turns_back": value}, 0, 180, 5),
    Field(tr("Turns counter-clockwise"), tr("How far the second piece turns counter-clockwise, seen with the axis "
                                            "pointing at you."), "°",
          lambda join: join.turns_on, lambda join, value: {"turns_on": value}, 0, 180, 5),
]
_PIN = Field(
    tr("Pin"),
    tr("The diameter of the rod that it turns on. Its hole is wider by the clearance and the printer's allowance."),
    "mm",
    lambda join: join.pin,
    lambda join, value: {"pin": value},
    0.3,
    100,
    0.25,
)
_LEAVES = [
    Field(tr("Span"), tr("The length of all leaves together, along the pin."), "mm", lambda join: join.span,
          lambda join, value: {"span": value}, 2, 500, 1),
    Field(tr("Radius"), tr("The radius of the leaves around the pin."), "mm", lambda join: join.radius_of_leaves,
          lambda join, value: {"radius_of_leaves": value}, 1, 200, 0.5),
]


def _other_form(join: PivotJoin) -> Mapping[str, Any]:
    if join.form == "knuckle":
        return {"form": "swivel"}
    # not further than a knuckle can, and leaves that hold the pin
    return {"form": "knuckle", "turns_back": min(join.turns_back, 60.0), "turns_on": min(join.turns_on, 60.0),
            "radius_of_leaves": max(join.radius_of_leaves, join.pin / 2 + 2.0)}


class PivotOnDesk(JoinOnDesk[PivotJoin]):
    kind = "pivot"
    place = 7
    word = tr("Pivot")
    adds = tr("Adds a joint that moves: a pin in a hole, and a gap between the faces. Dry fit turns it and says "
              "what it meets.")
    switches = (
        Switch(
            lambda join: tr("Make it a swivel") if join.form == "knuckle" else tr("Make it a knuckle"),
            tr(
                "Changes how the joint turns: about the way in, like a head on its neck, or about an axis across "
                "it, like a lid on its hinge."
            ),
            _other_form,
        ),
        Switch(
            lambda join: tr("Swap pieces"),
            tr("Removes the material in the way of turning from the other piece instead."),
            lambda join: {"carrier": other(join.carrier)},
        ),
        Switch(
            lambda join: tr("3 leaves") if join.leaves == 2 else tr("2 leaves"),
            tr("The number of leaves of a knuckle, alternating between the two pieces."),
            lambda join: {"leaves": 5 - join.leaves},
        ),
    )

    def new_join(self, where: Where) -> PivotJoin:
        pin = nearest_rod(where.stock, 0.3 * where.width, 3.0)
        return PivotJoin(**where.place, pin=pin, span=max(1.5 * where.width, 6.0),
                         radius_of_leaves=max(0.5 * where.width, pin / 2 + 2.0))

    def fields(self, join: PivotJoin) -> list[Field]:
        return [_PIN, *(_LEAVES if join.form == "knuckle" else DEPTHS), *_ANGLES]

    def sized(self, join: PivotJoin, factor: float, stock: Sequence[float]) -> Mapping[str, Any]:
        """Resize the leaves of a knuckle, or the pin of a swivel to the nearest rod in stock."""
        if join.form == "knuckle":
            return {"span": max(round(factor * join.span, 2), 2.0),
                    "radius_of_leaves": max(round(factor * join.radius_of_leaves, 2), join.pin / 2 + 0.6)}
        return {"pin": nearest_rod(stock, factor * join.pin, join.pin)}

    def turns(self, join: PivotJoin) -> bool:
        return join.form == "knuckle"
