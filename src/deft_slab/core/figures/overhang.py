"""Which facets need support, by their overhang angle from the vertical."""

from __future__ import annotations

import math

import numpy as np

from ..arrays import Floats

BED_TOLERANCE = 0.2
"""mm: what lies this low rests on the bed (about one first layer)."""

RAMP = 1.0
"""Degrees on either side of the threshold over which a search's soft ramp rises (see ``ramp``)."""


LEVEL = math.sin(math.radians(80.0))
"""From this sine of the overhang angle on an underside is nearly level: within 10 degrees of flat (resin practice)."""


def overhang_angles(normals_z: Floats) -> Floats:
    """Overhang angles in degrees from the vertical, sin a = -n_z: a wall has 0, a ceiling 90, and what faces up is
    negative.

    Parameters
    ----------
    normals_z : (m,) float64
        The z of the outward unit normals, bed frame.

    Returns
    -------
    (m,) float64
    """
    return np.asarray(np.degrees(np.arcsin(np.clip(-normals_z, -1.0, 1.0))))


def hard_rule(threshold: float) -> tuple[float, float]:
    """The sines of the overhang angles between which the need for support rises from 0 to 1. For reported figures
    the two are one, and a facet exactly at the threshold needs nothing.

    Facets of a slope exactly at the threshold carry rounding noise of about 1e-6 degrees, hence the margin.

    Returns
    -------
    float, float
    """
    sine = math.sin(math.radians(threshold + 1e-6))
    return sine, sine


def soft_rule(threshold: float) -> tuple[float, float]:
    """The same for searches: the need rises over one degree on either side of the threshold.

    Thousands of mm2 may lie within a quarter of a degree of the threshold, and the hard rule would make a search
    jump.
    """
    return math.sin(math.radians(max(threshold - RAMP, 0.0))), math.sin(math.radians(min(threshold + RAMP, 90.0)))
