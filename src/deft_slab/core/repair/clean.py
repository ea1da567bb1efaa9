"""The gentlest step of mending: drops doubled facets and facets without area, and closes cracks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Bools, Floats, Ints, Ints32
from ..errors import OpenSurface
from ..locale.translate import tr
from ..mesh.components import shells_of
from ..mesh.corners import have_three
from ..mesh.edges import edge_numbers
from ..mesh.solid import Solid

CRACK = 2e-4
"""Share of the diagonal: how far apart the two lips of a crack may be."""


@dataclass(frozen=True, eq=False)
class Cleaned:
    """The result of cleaning.

    Attributes
    ----------
    solid : Solid
        What is left.
    doubled, flat : int
        Facets dropped because they lie on another, or have no area.
    cracks : int
        Vertices that were moved onto another.
    widest : float
        How far a vertex was moved at most.
    places : (k, 2, 3) float64
        The places of the cracks.
    """

    solid: Solid
    doubled: int
    flat: int
    cracks: int
    widest: float
    places: Floats


def clean(solid: Solid) -> Cleaned:
    """Drop doubled and flat facets, and close cracks.

    Raises
    ------
    OpenSurface
        Nothing is left, because all facets lay on each other.
    """
    keep, membranes = not_doubled(solid.triangles)
    doubled = int(np.count_nonzero(~keep))
    places = [_edges_of(solid, ~keep & ~membranes)]
    solid = solid.picked(keep) if doubled else solid
    if not len(solid.triangles):
        what = tr("All facets of this surface lie on top of each other, so it encloses nothing.")
        raise OpenSurface(what, kept=tr("It is unchanged."))
    flat = _flat_shells(solid)
    dropped = int(np.count_nonzero(flat))
    solid = solid.picked(~flat) if dropped else solid
    joined, moved, widest = _cracks_closed(solid)
    if len(moved):
        places.append(np.stack([solid.vertices[moved], joined.vertices[joined_places(solid, joined, moved)]], axis=1))
    return Cleaned(joined, doubled, dropped, len(moved), widest, np.concatenate(places))


def joined_places(before: Solid, after: Solid, moved: Ints) -> Ints:
    """The vertices of ``after`` that vertices of ``before`` were moved onto.

    Returns
    -------
    (k,) int64
    """
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(after.vertices).query(before.vertices[moved])[1])


def _edges_of(solid: Solid, chosen: Bools) -> Floats:
    corners = solid.vertices[solid.triangles[chosen]]
    return np.concatenate([np.stack([corners[:, k], corners[:, (k + 1) % 3]], axis=1) for k in range(3)])


def not_doubled(triangles: Ints32) -> tuple[Bools, Bools]:
    """Which facets to keep. Of facets with the same three vertices that face the same way one is kept. If as many
    face one way as the other, they enclose nothing (a membrane), and all of them go.

    Returns
    -------
    (m,) bool, (m,) bool
        Whether to keep each facet, and whether it is part of a membrane.
    """
    order = np.sort(triangles, axis=1).astype(np.int64)
    count = np.int64(triangles.max(initial=0)) + 1
    key = (order[:, 0] * count + order[:, 1]) * count + order[:, 2] if count < 2_000_000 else None
    _, group = np.unique(order if key is None else key, axis=0 if key is None else None, return_inverse=True)
    group = group.ravel()
    size = np.bincount(group)
    keep, membrane = np.ones(len(triangles), np.bool_), np.zeros(len(triangles), np.bool_)
    several = np.flatnonzero(size[group] > 1)
    if not len(several):
        return keep, membrane
    # a facet faces "ahead" when its corners, from its lowest number on, rise
    t = triangles[several]
    first = np.argmin(t, axis=1)
    ahead = t[np.arange(len(t)), (first + 1) % 3] < t[np.arange(len(t)), (first + 2) % 3]
    balance = np.bincount(group[several], np.where(ahead, 1, -1), minlength=len(size))
    keep[several] = False
    membrane[several] = balance[group[several]] == 0
    wanted = np.where(ahead, 1, -1) == np.sign(balance[group[several]])
    chosen = several[wanted]
    _, first_of = np.unique(group[chosen], return_index=True)
    keep[chosen[first_of]] = True
    return keep, membrane


def _flat_shells(solid: Solid) -> Bools:
    """The facets of shells that have no area at all: strays that only enlarge the bounding box.

    Returns
    -------
    (m,) bool
    """
    shells = shells_of(solid)
    area = np.bincount(shells.of, solid.areas, minlength=len(shells.triangles))
    return np.asarray((area <= 1e-12 * solid.diagonal**2)[shells.of])


def open_edges(triangles: Ints32) -> Ints:
    """The directed edges that no facet walks the other way, repeated as often as one is missing.

    Returns
    -------
    (k, 2) int64
    """
    count = np.int64(triangles.max(initial=0)) + 1
    edge, rising = edge_numbers(triangles, int(count))
    walked = np.sort(2 * edge + rising)
    key, way = walked >> 1, 2 * (walked & 1) - 1
    first = np.flatnonzero(np.r_[True, key[1:] != key[:-1]])
    balance = np.add.reduceat(way, first) if len(first) else np.empty(0, np.int64)
    bad = np.repeat(np.flatnonzero(balance), np.abs(balance[balance != 0]))
    a, b = key[first[bad]] // count, key[first[bad]] % count
    ahead = balance[bad] > 0
    return np.stack([np.where(ahead, a, b), np.where(ahead, b, a)], axis=1)


def _cracks_closed(solid: Solid) -> tuple[Solid, Ints, float]:
    """Join vertices of open edges that lie next to each other, where that leaves fewer open edges.

    Returns
    -------
    Solid, (k,) int64, float
        The solid, the vertices that were moved, and the widest move.
    """
    from scipy.spatial import cKDTree

    edges = open_edges(solid.triangles)
    if not len(edges):
        return solid, np.empty(0, np.int64), 0.0
    rim = np.unique(edges)
    lengths = np.linalg.norm(solid.vertices[edges[:, 0]] - solid.vertices[edges[:, 1]], axis=1)
    reach = min(CRACK * solid.diagonal, 0.4 * float(np.median(lengths)))
    pairs = cKDTree(solid.vertices[rim]).query_pairs(reach, output_type="ndarray")
    if not len(pairs):
        return solid, np.empty(0, np.int64), 0.0
    target = np.arange(len(solid.vertices))
    for a, b in np.sort(rim[pairs], axis=1):
        target[b] = min(target[b], target[a])
    while not np.array_equal(target, target[target]):
        target = target[target]
    triangles = target[solid.triangles]
    joined = Solid(solid.vertices, triangles.astype(np.int32), solid.origin).picked(have_three(triangles))
    if len(open_edges(joined.triangles)) >= len(edges):
        return solid, np.empty(0, np.int64), 0.0
    moved = np.flatnonzero(target != np.arange(len(target)))
    widest = float(np.linalg.norm(solid.vertices[moved] - solid.vertices[target[moved]], axis=1).max())
    return joined, moved, widest
