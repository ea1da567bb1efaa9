"""The free box in the window."""

from __future__ import annotations

from ...core.arrays import Floats
from ...core.cuts import BoxCut
from ...core.document.base import triple
from ...core.locale.translate import tr
from .context import CutContext
from .kind import Box, PlacedOnDesk
from .outlines import box_edges


class BoxOnDesk(PlacedOnDesk[BoxCut]):
    kind = "box"
    word = tr("Box")
    tip = tr("Cuts off what lies in a box that you place freely.")
    rank = 3

    def placed(self, ground: CutContext, at: Floats | None) -> BoxCut:
        low, high = ground.box
        return BoxCut(
            **ground.named(self.word), centre=triple((low + high) / 2), half=triple(0.25 * (high - low))
        )

    def outline(self, cut: BoxCut, box: Box) -> Floats:
        return box_edges(cut.centre, cut.half, cut.turn.rotation)
