"""Where a cut stops: in words, in fields, as it is drawn."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ...core.cuts import BoxReach, Cut, OutlineReach, RegionReach
from .fields import Field, Update, replaced
from .outlines import Floats, box_edges, ring


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
                "reach": one.reach.model_copy(update={name: replaced(getattr(one.reach, name), k, value)})
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


def reach_outline(cut: Cut) -> Floats:
    """(k, 2, 3) mm, model frame: segments that show where a cut stops."""
    if isinstance(cut.reach, BoxReach):
        return box_edges(cut.reach.centre, cut.reach.half, cut.reach.turn.rotation)
    if isinstance(cut.reach, OutlineReach):
        return ring(np.array(cut.reach.points))
    return np.empty((0, 2, 3))
