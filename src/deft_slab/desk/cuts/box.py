"""The free box on the desk."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...core.cuts import BoxCut
from ...core.documents import triple
from .kind import Box, PlacedOnDesk
from .outlines import Floats, box_edges

if TYPE_CHECKING:
    from ..placing import Placing


class BoxOnDesk(PlacedOnDesk[BoxCut]):
    kind = "box"
    word = "Box"
    tip = "What lies in one free box."
    rank = 3

    def placed(self, placing: Placing, at: Floats | None) -> BoxCut:
        low, high = placing.box
        return BoxCut(
            **placing.shared(self.word), centre=triple((low + high) / 2), half=triple(0.25 * (high - low))
        )  # fmt: skip

    def outline(self, cut: BoxCut, box: Box) -> Floats:
        return box_edges(cut.centre, cut.half, cut.turn.rotation)
