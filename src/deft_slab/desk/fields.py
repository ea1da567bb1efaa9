"""The numbers of a cut or a join that can be typed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..core.geometry.orientation import Tilt
from ..core.locale.translate import tr

Update = dict[str, Any]


@dataclass(frozen=True)
class Field:
    """A number of a cut or a join.

    Attributes
    ----------
    unit : str
        "mm", "°" or "".
    value : Callable[[Any], float]
        Reads the number.
    update : Callable[[Any, float], Update]
        Gives the fields to change for another value.
    """

    name: str
    tip: str
    unit: str
    value: Callable[[Any], float]
    update: Callable[[Any, float], Update]
    low: float = -1e5
    high: float = 1e5
    step: float = 1.0


def replaced(values: tuple[float, ...], k: int, value: float) -> tuple[float, ...]:
    """The values with one of them replaced."""
    return (*values[:k], value, *values[k + 1 :])


def triple_fields(name: str, words: str, tip: str, low: float = -1e5) -> list[Field]:
    """Three fields for the numbers of a triple."""

    def field(k: int, axis: str) -> Field:
        return Field(f"{words} {axis}", tip, "mm", lambda cut: getattr(cut, name)[k],
                     lambda cut, value: {name: replaced(getattr(cut, name), k, value)}, low)

    return [field(k, axis) for k, axis in enumerate("XYZ")]


def _turned(words: str, axis: tuple[float, float, float]) -> Field:
    """A rotation on top of the present one; the field shows 0 again afterwards."""
    return Field(words, tr("Turns it by this angle about an axis of the model."), "°", lambda cut: 0.0,
                 lambda cut, value: {"turn": cut.turn.after(Tilt.turn(axis, -value))}, -360, 360, 5)


_TURNS = [_turned(tr("Turn about {name}", name=name), axis) for name, axis in
          (("X", (1.0, 0.0, 0.0)), ("Y", (0.0, 1.0, 0.0)), ("Z", (0.0, 0.0, 1.0)))]
PLACED = [
    *triple_fields("centre", tr("Middle"), tr("The position of its middle on the model's axes.")),
    *triple_fields("half", tr("Half size"), tr("Half its size along its own axis."), 1e-3),
    *_TURNS,
]
"""Of a box somewhere on the model."""


def region_fields() -> list[Field]:
    """The fields of a picked region of the surface."""

    def changed(name: str) -> Callable[[Any, float], Update]:
        return lambda cut, value: {"region": cut.region.model_copy(update={name: value})}

    return [
        Field(tr("Creases from"), tr("The region ends at edges that bend by at least this angle."), "°",
              lambda cut: cut.region.limit, changed("limit"), 0, 180, 5),
        Field(tr("Largest distance"), tr("The largest distance from where it was picked. 0 means no limit."), "mm",
              lambda cut: cut.region.reach, changed("reach"), 0),
    ]
