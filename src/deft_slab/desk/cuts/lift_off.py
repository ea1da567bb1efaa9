"""The lift-off in the window."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.cuts import LiftOffCut
from ...core.locale.translate import tr
from ..fields import Field, region_fields
from .context import CutContext
from .kind import Box, OnDesk

_POCKET = Field(tr("Pocket"), tr("How deep the ornament sits in the body. 0 gives it a flat back at its foot."), "mm",
                lambda cut: cut.pocket, lambda cut, value: {"pocket": value}, 0, 100, 0.5)


class LiftOffOnDesk(OnDesk[LiftOffCut]):
    kind = "lift-off"
    word = tr("Lift-off")
    tip = tr("Cuts off a raised ornament at its foot. Click the ornament.")
    rank = 6
    pointed = "cut lift-off"

    def placed(self, ground: CutContext, at: Floats | None) -> LiftOffCut:
        assert at is not None
        # what an outline shaves off the body beside the ornament belongs to the body
        return LiftOffCut(**ground.named(self.word), region=ground.region_at(at), crumbs="neighbour")

    def fields(self, cut: LiftOffCut, box: Box) -> list[Field]:
        return [_POCKET, *region_fields()]

    def outline(self, cut: LiftOffCut, box: Box) -> Floats:
        return np.empty((0, 2, 3))
