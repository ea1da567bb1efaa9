"""Guesses the unit of a file that states none, and which way up its model stands."""

from __future__ import annotations

import math

from ..mesh.solid import Solid
from ..plan.plan import UNITS, Unit

_USUAL_LENGTH = 160.0
_SPREAD = 1.1
"""mm, and natural logarithm: how long props are. From memory: most are 40 to 600 mm."""
_SHARE: dict[Unit, float] = {"mm": 0.86, "cm": 0.04, "m": 0.03, "in": 0.07}
"""How often files are made in each unit. From memory."""


def likely_unit(longest: float) -> Unit:
    """The most likely unit of a file, judged by which units and lengths are common.

    Parameters
    ----------
    longest : float
        The longest side of the model in units of the file.
    """

    def weight(unit: Unit) -> float:
        off = math.log(max(longest, 1e-12) * UNITS[unit] / _USUAL_LENGTH) / _SPREAD
        return math.log(_SHARE[unit]) - 0.5 * off * off

    return max(UNITS, key=weight)


def _flat_below(solid: Solid, axis: int) -> float:
    """The area of the facets that lie at the low end of an axis and face that way."""
    height = solid.vertices[:, axis]
    lowest = height <= height.min() + 2e-3 * float(solid.size.max())
    flat = lowest[solid.triangles].all(axis=1) & (solid.area_vectors[:, axis] < 0)
    return float(-solid.area_vectors[flat, axis].sum())


def stands_on_y(solid: Solid) -> bool:
    """Whether a model was probably made with +Y up: it has a flat foot towards -Y, and hardly any towards -Z."""
    foot, other = _flat_below(solid, 1), _flat_below(solid, 2)
    section = float(solid.size[0] * solid.size[2])
    return foot > 0.02 * section and foot > 5 * other
