"""Nothing but glue."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .kind import Join, Made, Site

Floats = NDArray[np.float64]


class GlueJoin(Join):
    """The contact is left as it is, on purpose."""

    kind: Literal["glue"] = "glue"

    word = "glue"
    holds = False

    def made(self, site: Site) -> Made:
        return Made({}, {})

    def rim(self, site: Site) -> Floats:
        return np.empty((0, 3))

    def reach(self, clearance: float, allowance: float) -> float:
        return 0.0

    def radius(self, clearance: float, allowance: float) -> float:
        return 0.0

    def sentence(self) -> str:
        return "glue only"
