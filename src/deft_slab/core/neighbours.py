"""Which facets of a solid are neighbours."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .edges import edge_numbers
from .solid import Solid

Floats = NDArray[np.float64]


def neighbours(solid: Solid) -> tuple[NDArray[np.int64], Floats]:
    """(pairs of facets that share an edge (e, 2), angle between their normals in radians (e,)). Kept with the solid,
    which never changes."""
    if "neighbours" not in solid.__dict__:
        solid.__dict__["neighbours"] = _neighbours(solid)
    found: tuple[NDArray[np.int64], Floats] = solid.__dict__["neighbours"]
    return found


def _neighbours(solid: Solid) -> tuple[NDArray[np.int64], Floats]:
    key, _ = edge_numbers(solid.triangles, len(solid.vertices))
    order = np.argsort(key, kind="stable")
    same = key[order][1:] == key[order][:-1]
    pairs = np.stack([order[:-1][same] // 3, order[1:][same] // 3], axis=1)
    cosine = np.einsum("ij,ij->i", solid.normals[pairs[:, 0]], solid.normals[pairs[:, 1]])
    return pairs, np.arccos(np.clip(cosine, -1.0, 1.0))
