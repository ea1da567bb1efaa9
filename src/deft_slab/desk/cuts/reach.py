"""The reach of a cut: in words, as fields, and as it is drawn."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.cuts import BoxReach, Cut, OutlineReach, RegionReach, RestReach
from ...core.locale.translate import tr
from ..fields import Field, Update, replaced
from .outlines import box_edges, ring


def reach_words(cut: Cut) -> str:
    """The reach of a cut, in words."""
    match cut.reach:
        case None:
            return tr("goes through everything")
        case BoxReach():
            return tr("only within a box")
        case RegionReach():
            return tr("only around a region")
        case RestReach():
            return tr("leaves out what other cuts take off")
    return tr("only the chosen piece") if cut.reach.kind == "piece" else tr("only within an outline")


def reach_fields(cut: Cut) -> list[Field]:
    """The fields of a cut's reach."""
    if isinstance(cut.reach, BoxReach):

        def field(name: str, words: str, k: int, low: float) -> Field:
            def changed(one: Cut, value: float) -> Update:
                moved = replaced(getattr(one.reach, name), k, value)
                return {"reach": one.reach.model_copy(update={name: moved}) if one.reach is not None else None}

            return Field(f"{words} {'XYZ'[k]}", tr("The middle or half the size of the box that limits the cut."), "mm",
                         lambda one: getattr(one.reach, name)[k], changed, low)

        return [*(field("centre", tr("Box middle"), k, -1e5) for k in range(3)),
                *(field("half", tr("Box half size"), k, 1e-3) for k in range(3))]
    if isinstance(cut.reach, RegionReach):
        margin = Field(tr("Margin around the region"), tr("How far beyond the region the cut goes."), "mm",
                       lambda one: one.reach.margin,
                       lambda one, value: {"reach": one.reach.model_copy(update={"margin": value})},
                       1e-3, 1000)
        return [margin]
    return []


def reach_outline(cut: Cut) -> Floats:
    """Segments (k, 2, 3) in mm of the model frame that show the reach of a cut."""
    if isinstance(cut.reach, BoxReach):
        return box_edges(cut.reach.centre, cut.reach.half, cut.reach.turn.rotation)
    if isinstance(cut.reach, OutlineReach):
        return ring(np.array(cut.reach.points))
    return np.empty((0, 2, 3))
