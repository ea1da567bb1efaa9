"""The toy kind of cut on the desk."""

from __future__ import annotations

import numpy as np

from deft_slab.desk.cuts.context import CutContext
from deft_slab.desk.cuts.kind import Box, OnDesk
from deft_slab.desk.cuts.outlines import box_edges
from deft_slab.desk.fields import Field
from tests.toys.layer_cut import LayerCut

_HIGH = Field("Upper", "Where the layer ends.", "mm", lambda cut: cut.high, lambda cut, value: {"high": value})


class LayerOnDesk(OnDesk[LayerCut]):
    kind = "toy layer"
    word = "Layer"
    tip = "A toy."
    rank = 99

    def placed(self, ground: CutContext, at: np.ndarray | None) -> LayerCut:
        low, high = ground.box
        middle = float(low[2] + high[2]) / 2
        return LayerCut(**ground.named(self.word), low=middle - 2, high=middle + 2)

    def fields(self, cut: LayerCut, box: Box) -> list[Field]:
        return [_HIGH]

    def outline(self, cut: LayerCut, box: Box) -> np.ndarray:
        low, high = box
        middle, half = (low + high) / 2, (high - low) / 2
        return box_edges((middle[0], middle[1], cut.low), (half[0], half[1], 1e-3), np.eye(3))
