"""What a search found. Light to load: the desk shows it, and the heavy work is done elsewhere."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from ..outcome import Figures
from ..plan import Tilt

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class MapFigures:
    """(n,) arrays of the figures of ``Sketch``. down : (n, 3) unit, model frame, the directions that they are for"""

    down: Floats
    support_volume_mm3: Floats
    overhang_area_mm2: Floats
    touched_area_mm2: Floats
    show_scar_mm2: Floats
    height_mm: Floats
    largest_layer_mm2: Floats
    level_underside_mm2: Floats
    print_seconds: Floats
    sits_flat: Floats
    steady: Floats

    def __len__(self) -> int:
        return len(self.down)

    def and_also(self, other: MapFigures) -> MapFigures:
        return MapFigures(
            *(np.concatenate([getattr(self, f.name), getattr(other, f.name)]) for f in fields(MapFigures))
        )


@dataclass(frozen=True, eq=False)
class WorthTrying:
    """A seat. kind : why it was chosen; figures : of the full mesh, by the hard rule; score : by the weights, less is
    better; lift : mm over the bed; past_threshold : see ``Measured``
    """

    tilt: Tilt
    kind: str
    figures: Figures
    score: float
    lift: float
    past_threshold: NDArray[np.float32]
