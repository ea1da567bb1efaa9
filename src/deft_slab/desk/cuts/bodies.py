"""The cut into bodies in the window."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.cuts import BodiesCut
from ...core.locale.translate import tr
from ..fields import Field
from .context import CutContext
from .kind import Box, OnDesk


class BodiesOnDesk(OnDesk[BodiesCut]):
    kind = "bodies"
    word = tr("Bodies")
    tip = tr("Makes pieces of bodies that were separate in the file.")
    rank = 8

    def placed(self, ground: CutContext, at: Floats | None) -> BodiesCut:
        return BodiesCut(**ground.named(self.word))

    def fields(self, cut: BodiesCut, box: Box) -> list[Field]:
        return []

    def outline(self, cut: BodiesCut, box: Box) -> Floats:
        return np.empty((0, 2, 3))

    def boundable(self, cut: BodiesCut) -> bool:
        return False
