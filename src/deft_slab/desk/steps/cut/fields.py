"""The figures of a cut that can be typed, for each kind."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ....core.cuts import (
    MOST_WALLS,
    BentCut,
    BlockCut,
    BoxCut,
    BoxReach,
    Cut,
    LiftOffCut,
    RegionReach,
    ScoopCut,
    walls_as,
)
from ....core.tilt import Tilt, turned_box

Update = dict[str, Any]


@dataclass(frozen=True)
class Field:
    """A number of a cut. value : of a cut; update : what changes when it is another; unit : "mm", "°" or "" """

    name: str
    tip: str
    unit: str
    value: Callable[[Any], float]
    update: Callable[[Any, float], Update]
    low: float = -1e5
    high: float = 1e5
    step: float = 1.0


def to_angles(normal: np.ndarray) -> tuple[float, float]:
    """(lean, facing) in degrees of a unit normal, bed frame: lean 0 is a level cut, 90 an upright one; facing is the
    compass direction the cut looks at, counter-clockwise from +X."""
    lean = math.degrees(math.acos(max(-1.0, min(1.0, float(normal[2])))))
    facing = math.degrees(math.atan2(float(normal[1]), float(normal[0]))) if lean > 1e-6 else 0.0
    return lean, facing


def from_angles(lean: float, facing: float) -> np.ndarray:
    """The unit normal, bed frame, of ``to_angles``."""
    a, b = math.radians(lean), math.radians(facing)
    return np.array([math.sin(a) * math.cos(b), math.sin(a) * math.sin(b), math.cos(a)])


def _with(values: tuple[float, ...], k: int, value: float) -> tuple[float, ...]:
    return (*values[:k], value, *values[k + 1 :])


def _triple(name: str, words: str, tip: str, low: float = -1e5) -> list[Field]:
    """Three fields for the numbers of a triple."""
    return [
        Field(f"{words} {axis}", tip, "mm", lambda cut, k=k: getattr(cut, name)[k],
              lambda cut, value, k=k: {name: _with(getattr(cut, name), k, value)}, low)
        for k, axis in enumerate("XYZ")
    ]  # fmt: skip


def _turned(words: str, axis: tuple[float, float, float]) -> Field:
    """A turn on top of the present one; the field shows 0 again after it."""
    return Field(words, "Turns it further by so much about this axis of the model.", "°", lambda cut: 0.0,
                 lambda cut, value: {"turn": cut.turn.after(Tilt.turn(axis, -value))}, -360, 360, 5)  # fmt: skip


_TURNS = [_turned(f"Turn about {name}", axis) for name, axis in
          (("X", (1.0, 0.0, 0.0)), ("Y", (0.0, 1.0, 0.0)), ("Z", (0.0, 0.0, 1.0)))]  # fmt: skip
_PLACED = [
    *_triple("centre", "Middle", "Its middle, on the model's axes."),
    *_triple("half", "Half size", "Half its size along its own axis.", 1e-3),
    *_TURNS,
]
_MARGIN = Field("Margin", "How far it goes around the region.", "mm", lambda cut: cut.margin,
                lambda cut, value: {"margin": value}, 1e-3, 1000)  # fmt: skip


def _region_fields() -> list[Field]:
    def changed(name: str) -> Callable[[Any, float], Update]:
        return lambda cut, value: {"region": cut.region.model_copy(update={name: value})}

    return [
        Field("Creases of", "Where the region ends: at edges that bend by so much.", "°",
              lambda cut: cut.region.limit, changed("limit"), 0, 180, 5),
        Field("Farthest", "From where it was picked; 0: as far as it goes.", "mm",
              lambda cut: cut.region.reach, changed("reach"), 0),
    ]  # fmt: skip


Box = tuple[np.ndarray, np.ndarray]


def fields_of(cut: Cut, box: Box) -> list[Field]:
    """What can be typed of a cut, beside its name, kerf and reach; for a straight one its panel has sliders too.

    box : (low, high) of the pieces, mm, model frame
    """
    match cut:
        case BoxCut():
            return _PLACED
        case ScoopCut() if cut.shape == "region":
            return [_MARGIN, *_region_fields()]
        case ScoopCut():
            return _PLACED
        case BentCut():
            splay = Field("Splay", "How far the sheet leans off the view, all along the line.", "°",
                          lambda one: one.splay, lambda one, value: {"splay": value}, -60, 60, 5)  # fmt: skip
            smooth = Field("Smooth", "0 keeps the corners of the line, 100 rounds them most.", "%",
                           lambda one: 100 * one.smooth, lambda one, value: {"smooth": value / 100},
                           0, 100, 10)  # fmt: skip
            return [smooth] if cut.closed else [splay, smooth]
        case LiftOffCut():
            pocket = Field("Pocket", "How deep it sits in the body; 0: a flat back on its foot.", "mm",
                           lambda one: one.pocket, lambda one, value: {"pocket": value}, 0, 100, 0.5)  # fmt: skip
            return [pocket, *_region_fields()]
        case BlockCut():
            return [*_part_fields(*turned_box(*box, cut.turn.rotation)), *_wall_fields(cut)]
    return []


def _part_fields(low: np.ndarray, high: np.ndarray) -> list[Field]:
    """How many equal parts along each axis. What is stood on the first axis decides how many lists the others have."""

    def update(cut: BlockCut, count: float, axis: int) -> Update:
        parts = round(count)
        walls = tuple(np.round(np.linspace(low[axis], high[axis], parts + 1)[1:-1], 3).tolist())
        others = {"xyz"[k]: cut.walls(k)[:1] for k in (1, 2) if k >= axis}
        return {**others, **walls_as(axis, (walls,))}

    return [
        Field(f"Parts {'XYZ'[axis]}", "How many equal parts along this axis of the cut.", "",
              lambda cut, axis=axis: max(len(walls) for walls in cut.walls(axis)) + 1,
              lambda cut, count, axis=axis: update(cut, count, axis), 1, MOST_WALLS + 1)
        for axis in range(3)
    ]  # fmt: skip


def staggered(cut: BlockCut, low: float, high: float) -> tuple[tuple[float, ...], ...]:
    """The walls across the second axis for each slab: in every second one they stand half a cell farther on.

    low, high : mm, where the model ends along that axis
    """
    walls = np.array(cut.y[0])
    ends = np.concatenate([[low], walls, [high]])
    between = tuple(np.round((ends[:-1] + ends[1:]) / 2, 3).tolist())
    return tuple(between if slab % 2 else cut.y[0] for slab in range(len(cut.x) + 1))


def _wall_fields(cut: BlockCut) -> list[Field]:
    """A field for each wall that goes through everything."""
    found = []
    for axis in range(3):
        lists = cut.walls(axis)
        for k in range(len(lists[0]) if len(lists) == 1 else 0):
            found.append(
                Field(f"Wall {'XYZ'[axis]}{k + 1}", "Where this wall stands, on the cut's own axis.", "mm",
                      lambda one, a=axis, n=k: one.walls(a)[0][n],
                      lambda one, wanted, a=axis, n=k: walls_as(
                          a, (tuple(sorted(_with(one.walls(a)[0], n, wanted))),)))
            )  # fmt: skip
    return found


def reach_words(cut: Cut) -> str:
    """What a cut reaches, in words."""
    match cut.reach:
        case None:
            return "goes through everything"
        case BoxReach():
            return "only within a box"
        case RegionReach():
            return "only around a region"
    return "only in its piece" if cut.reach.kind == "piece" else "only within an outline"


def reach_fields(cut: Cut) -> list[Field]:
    """What can be typed of where a cut stops."""
    if isinstance(cut.reach, BoxReach):

        def changed(name: str, k: int) -> Callable[[Any, float], Update]:
            return lambda one, value: {
                "reach": one.reach.model_copy(update={name: _with(getattr(one.reach, name), k, value)})
            }

        return [
            Field(f"{words} {axis}", "Of the box that the cut stays in.", "mm",
                  lambda one, n=name, k=k: getattr(one.reach, n)[k], changed(name, k),
                  1e-3 if name == "half" else -1e5)
            for name, words in (("centre", "Reach middle"), ("half", "Reach half"))
            for k, axis in enumerate("XYZ")
        ]  # fmt: skip
    if isinstance(cut.reach, RegionReach):
        margin = Field("Reach margin", "How far around the region the cut goes.", "mm", lambda one: one.reach.margin,
                       lambda one, value: {"reach": one.reach.model_copy(update={"margin": value})},
                       1e-3, 1000)  # fmt: skip
        return [margin]
    return []
