"""What unit a file without one was probably made in, and which way up it stands."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..plan import UNITS
from ..solid import Solid, finer

_USUAL_LENGTH = 160.0
_SPREAD = 1.1
"""mm, and natural logarithm: how long props are. From memory: most are 40 to 600 mm."""
_SHARE = {"mm": 0.86, "cm": 0.04, "m": 0.03, "in": 0.07}
"""How often files are made in each unit. From memory."""


def likely_unit(longest: float) -> str:
    """The likeliest unit of a file whose longest side is so many units long: usual units and usual lengths weigh."""

    def weight(unit: str) -> float:
        off = math.log(max(longest, 1e-12) * UNITS[unit] / _USUAL_LENGTH) / _SPREAD
        return math.log(_SHARE[unit]) - 0.5 * off * off

    return max(UNITS, key=weight)


def _flat_below(solid: Solid, axis: int) -> float:
    """Area of the facets that lie at the low end of an axis and face that way."""
    height = solid.vertices[:, axis]
    lowest = height <= height.min() + 2e-3 * float(solid.size.max())
    flat = lowest[solid.triangles].all(axis=1) & (solid.area_vectors[:, axis] < 0)
    return float(-solid.area_vectors[flat, axis].sum())


def stands_on_y(solid: Solid) -> bool:
    """Whether a model was probably made with +Y up: it has a flat foot towards -Y and hardly one towards -Z."""
    foot, other = _flat_below(solid, 1), _flat_below(solid, 2)
    section = float(solid.size[0] * solid.size[2])
    return foot > 0.02 * section and foot > 5 * other


def silhouette(vertices: NDArray[np.float64], triangles: NDArray[np.int32], cells: int = 96) -> NDArray[np.bool_]:
    """(rows, columns) bool, top row first: the model seen from the front (along +Y), the longer side ``cells`` long."""
    flat = vertices[:, [0, 2]]
    low, size = flat.min(axis=0), np.ptp(flat, axis=0)
    cell = max(float(size.max()), 1e-12) / cells
    columns, rows = (np.maximum(np.ceil(size / cell), 1)).astype(int)
    seen = np.zeros((rows, columns), np.bool_)
    for corners in finer(flat[triangles], cell):
        for points in (corners.mean(axis=1), corners.reshape(-1, 2)):
            at = ((points - low) / cell).astype(int)
            seen[np.minimum(at[:, 1], rows - 1), np.minimum(at[:, 0], columns - 1)] = True
    return seen[::-1]
