"""A toy kind of cut: a layer between two level planes is taken out of what lies over and under it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from deft_slab.core.cuts.kind import BodyCut
from deft_slab.core.cuts.move import Move
from deft_slab.core.cuts.reach import Picked

if TYPE_CHECKING:
    import manifold3d

    from deft_slab.core.mesh.solid import Solid


class LayerCut(BodyCut):
    """low, high : mm"""

    kind: Literal["toy layer"] = "toy layer"
    low: float
    high: float

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        from deft_slab.core.geometry.blanks import half_space

        up = np.array([0.0, 0.0, 1.0])
        return half_space(solid, up, self.low - grow) - half_space(solid, up, self.high + grow)

    def side_word(self, side: int, rotation: np.ndarray) -> str:
        return "layer of the" if side == 1 else ""

    def moved(self, move: Move) -> dict[str, Any]:
        low, high = sorted((move.point((0, 0, self.low))[2], move.point((0, 0, self.high))[2]))
        return {"low": low, "high": high}
