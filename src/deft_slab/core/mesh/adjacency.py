"""Which facets of a surface are neighbours."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats, Ints
from .edges import edge_numbers
from .solid import Solid


def shared_edges(solid: Solid) -> tuple[Ints, Ints]:
    """The edges that two facets share. The result is cached on the solid, which never changes.

    Returns
    -------
    (e, 2) int64, (e, 2) int64
        The two facets at each edge, and the two vertices at its ends.
    """
    if "shared edges" not in solid.__dict__:
        key, _ = edge_numbers(solid.triangles, len(solid.vertices))
        order = np.argsort(key, kind="stable")
        same = key[order][1:] == key[order][:-1]
        pairs = np.stack([order[:-1][same] // 3, order[1:][same] // 3], axis=1)
        ends = np.stack(np.divmod(key[order[:-1][same]], len(solid.vertices)), axis=1)
        solid.__dict__["shared edges"] = pairs, ends
    found: tuple[Ints, Ints] = solid.__dict__["shared edges"]
    return found


def neighbours(solid: Solid) -> tuple[Ints, Floats]:
    """The pairs of facets that share an edge, with the angle between them. The result is cached on the solid.

    Returns
    -------
    (e, 2) int64, (e,) float64
        The pairs, and the angle between their normals in radians.
    """
    pairs, _ = shared_edges(solid)
    if "bends" not in solid.__dict__:
        cosine = np.einsum("ij,ij->i", solid.normals[pairs[:, 0]], solid.normals[pairs[:, 1]])
        solid.__dict__["bends"] = np.arccos(np.clip(cosine, -1.0, 1.0))
    bends: Floats = solid.__dict__["bends"]
    return pairs, bends


def edge_lengths(solid: Solid) -> Floats:
    """The lengths of the edges of ``shared_edges``. The result is cached on the solid.

    Returns
    -------
    (e,) float64
    """
    if "edge lengths" not in solid.__dict__:
        _, ends = shared_edges(solid)
        solid.__dict__["edge lengths"] = np.linalg.norm(solid.vertices[ends[:, 0]] - solid.vertices[ends[:, 1]], axis=1)
    lengths: Floats = solid.__dict__["edge lengths"]
    return lengths
