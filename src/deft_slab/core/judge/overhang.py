"""Which facets need support, by their overhang angle from the vertical."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

DEFAULT_THRESHOLD = 45.0
"""Degrees from the vertical; common practice."""

BED_TOLERANCE = 0.2
"""mm: what lies this low rests on the bed (about one first layer)."""

RAMP = 1.0
"""Degrees on either side of the threshold over which a search's soft ramp rises (see ``ramp``)."""


def overhang_angles(normals_z: Floats) -> Floats:
    """Degrees from the vertical, sin a = -n_z: a wall is 0, a ceiling 90, what faces up is negative.

    normals_z : (m,) z of the outward unit normals, bed frame
    """
    return np.asarray(np.degrees(np.arcsin(np.clip(-normals_z, -1.0, 1.0))))


def need(angles: Floats, rests: NDArray[np.bool_], threshold: float) -> Floats:
    """(m,) 0 or 1: the hard rule of reported figures. A facet exactly at the threshold needs nothing.

    Facets of a slope of exactly the threshold carry rounding noise of about 1e-6 degrees, hence the margin.
    """
    return np.where((angles > threshold + 1e-6) & ~rests, 1.0, 0.0)


def ramp(angles: Floats, rests: NDArray[np.bool_], threshold: float) -> Floats:
    """(m,) 0 to 1: the soft rule of searches, rising over one degree on either side of the threshold.

    Thousands of mm2 may lie within a quarter of a degree of it, and a hard rule would make a search jump.
    """
    return np.where(rests, 0.0, np.clip((angles - threshold + RAMP) / (2.0 * RAMP), 0.0, 1.0))
