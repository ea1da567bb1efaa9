"""Turns facets so that neighbours agree, and so that they face outward."""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats, Ints, Ints32
from ..mesh.components import shells_of
from ..mesh.solid import Solid


def oriented(solid: Solid) -> tuple[Solid, Bools]:
    """Orient the facets of a surface.

    Neighbours that share an edge of two facets are made to agree. Each such patch then faces the way that most of its
    area faced before. A shell with negative volume is turned as a whole, unless another shell is around it: then it
    is a void, and meant to face inward.

    Returns
    -------
    Solid, (m,) bool
        The solid, and which facets were turned.
    """
    import igl

    turned = np.zeros(len(solid.triangles), np.bool_)
    if solid.defects.flipped_edges:
        agreeing, patch = igl.bfs_orient(np.ascontiguousarray(solid.triangles, np.int64))
        turned = _is_turned(solid.triangles, agreeing)
        area = np.maximum(solid.areas, 1e-300)
        against = np.bincount(patch, area * turned) > 0.5 * np.bincount(patch, area)
        turned ^= against[patch]
    shells = shells_of(_with_turned(solid, turned))
    turned ^= _inward(shells.volume, shells.low, shells.high)[shells.of]
    return _with_turned(solid, turned), turned


def _is_turned(before: Ints32, after: Ints) -> Bools:
    """Which facets walk their vertices the other way round.

    Returns
    -------
    (m,) bool
    """
    follows = [(before[:, 0] == after[:, k]) & (before[:, 1] == after[:, (k + 1) % 3]) for k in range(3)]
    return np.asarray(~np.logical_or.reduce(follows))


def _with_turned(solid: Solid, turned: Bools) -> Solid:
    if not turned.any():
        return solid
    triangles = np.where(turned[:, None], solid.triangles[:, ::-1], solid.triangles)
    return Solid(solid.vertices, triangles, solid.origin)


def _inward(
    volume: Floats, low: Floats, high: Floats
) -> Bools:
    """Which shells face inward and have no other shell around their box.

    Returns
    -------
    (k,) bool
    """
    size = np.prod(np.maximum(high - low, 1e-12), axis=1)
    wrong = volume < -1e-6 * size
    for shell in np.flatnonzero(wrong):
        around = (low <= low[shell]).all(axis=1) & (high >= high[shell]).all(axis=1) & (size > size[shell])
        wrong[shell] = not around.any()
    return np.asarray(wrong)
