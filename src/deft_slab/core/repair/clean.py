"""The gentlest step: doubled facets and facets without area dropped, cracks closed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Bools, Floats, Ints, Ints32
from ..errors import OpenSurface
from ..locale.translate import tr
from ..mesh.components import shells_of
from ..mesh.edges import edge_numbers
from ..mesh.solid import Solid

CRACK = 2e-4
"""Share of the diagonal: how far apart the two lips of a crack may be."""


@dataclass(frozen=True, eq=False)
class Cleaned:
    """Attributes
    ----------
    solid : Solid
        What is left.
    doubled, flat : int
        Facets dropped because they lie on another, or have no area.
    cracks : int
        Corners that were moved onto another.
    widest : float
        By how much at most.
    places : (k, 2, 3) float64
        Where.
    """

    solid: Solid
    doubled: int
    flat: int
    cracks: int
    widest: float
    places: Floats


def clean(solid: Solid) -> Cleaned:
    """The surface without doubled and flat facets, its cracks closed.

    Raises
    ------
    OpenSurface
        Nothing is left, for all facets lay on each other.
    """
    keep, membranes = not_doubled(solid.triangles)
    doubled = int(np.count_nonzero(~keep))
    places = [_edges_of(solid, ~keep & ~membranes)]
    solid = solid.picked(keep) if doubled else solid
    if not len(solid.triangles):
        what = tr("All facets of this surface lie on each other: it encloses nothing.")
        raise OpenSurface(what, kept=tr("It is as it came."))
    flat = _flat_shells(solid)
    dropped = int(np.count_nonzero(flat))
    solid = solid.picked(~flat) if dropped else solid
    joined, moved, widest = _cracks_closed(solid)
    if len(moved):
        places.append(np.stack([solid.vertices[moved], joined.vertices[joined_places(solid, joined, moved)]], axis=1))
    return Cleaned(joined, doubled, dropped, len(moved), widest, np.concatenate(places))


def joined_places(before: Solid, after: Solid, moved: Ints) -> Ints:
    """(k,) the vertices of ``after`` that those of ``before`` were moved onto."""
    return np.asarray(cKDTree(after.vertices).query(before.vertices[moved])[1])


def _edges_of(solid: Solid, chosen: Bools) -> Floats:
    corners = solid.vertices[solid.triangles[chosen]]
    return np.concatenate([np.stack([corners[:, k], corners[:, (k + 1) % 3]], axis=1) for k in range(3)])


def not_doubled(triangles: Ints32) -> tuple[Bools, Bools]:
    """(keep, membrane) of each facet. Facets on the same three corners that face alike are kept once; as many facing
    one way as the other enclose nothing (a membrane) and go altogether.
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
    """(m,) facets of shells that have no area at all: strays that only enlarge the box."""
    shells = shells_of(solid)
    area = np.bincount(shells.of, solid.areas, minlength=len(shells.triangles))
    return np.asarray((area <= 1e-12 * solid.diagonal**2)[shells.of])


def open_edges(triangles: Ints32) -> Ints:
    """(k, 2) directed edges that no facet walks the other way, as often as they lack one."""
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
    """(solid, moved vertices, widest): corners of open edges that lie next to each other joined, where that leaves
    fewer open edges.
    """
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
    a, b, c = triangles.T
    whole = (a != b) & (b != c) & (c != a)
    joined = Solid(solid.vertices, triangles.astype(np.int32), solid.origin).picked(whole)
    if len(open_edges(joined.triangles)) >= len(edges):
        return solid, np.empty(0, np.int64), 0.0
    moved = np.flatnonzero(target != np.arange(len(target)))
    widest = float(np.linalg.norm(solid.vertices[moved] - solid.vertices[target[moved]], axis=1).max())
    return joined, moved, widest
