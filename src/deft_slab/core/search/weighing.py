"""What matters here: combines the figures of a seat into one number to sort by.

Practitioners disagree about it, so nothing is fixed: each weight is the user's.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..document.base import Document
from .results import MapFigures

_STEADY_ENOUGH = 30.0
"""Degrees of tipping beyond which steadier is no better."""


class Weights(Document):
    """How much each aim counts, 0 to 100.

    Attributes
    ----------
    support : int
        Little support volume.
    clean : int
        Little scarring of show faces (or little touched surface, if none are marked).
    quick : int
        Little time.
    steady : int
        Sits flat and does not tip over.
    small_layers : int
        A small largest layer, and little underside that is nearly level.
    """

    support: int = Field(default=60, ge=0, le=100)
    clean: int = Field(default=40, ge=0, le=100)
    quick: int = Field(default=15, ge=0, le=100)
    steady: int = Field(default=40, ge=0, le=100)
    small_layers: int = Field(default=0, ge=0, le=100)


PRESETS: dict[Literal["filament", "resin"], Weights] = {
    "filament": Weights(),
    "resin": Weights(support=40, clean=60, quick=20, steady=0, small_layers=60),
}
"""Filament: supports and hours cost, and it must stand. Resin: marks and wide layers spoil it, and it hangs."""

AIMS = tuple(Weights.model_fields)


def parts_of(figures: MapFigures, has_show_faces: bool) -> dict[str, Floats]:
    """For each aim, how bad each seat is in it: 1 is the median of all seats, 0 the best possible.

    Returns
    -------
    dict of str to (n,) float64
    """
    clean = figures.show_scar_mm2 if has_show_faces else figures.touched_area_mm2
    return {
        "support": _by_median(figures.support_volume_mm3),
        "clean": _by_median(clean),
        "quick": _by_median(figures.print_seconds),
        "steady": 1.0 - np.clip(figures.steady / _STEADY_ENOUGH, 0.0, 1.0),
        "small_layers": 0.5 * (_by_median(figures.largest_layer_mm2) + _by_median(figures.level_underside_mm2)),
    }


def _by_median(values: Floats) -> Floats:
    middle = float(np.median(values))
    scale = middle if middle > 0 else float(values.mean())
    return values / scale if scale > 0 else np.zeros(len(values))


def blend(parts: dict[str, Floats], weights: Weights) -> Floats:
    """The weighted mean of how bad each seat is, with the median of an aim as 1.

    Returns
    -------
    (n,) float64
    """
    total = sum(getattr(weights, aim) for aim in AIMS)
    if total == 0:
        return np.zeros(len(parts["support"]))
    return np.asarray(sum(getattr(weights, aim) * parts[aim] for aim in AIMS) / total)
