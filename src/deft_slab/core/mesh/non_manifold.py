"""Edges at which more than two facets meet, as where a body touches itself along an edge and its file was rounded.

The boolean library expects two facets at each edge. Where more meet it pairs them in the order in which they come,
and moves facets to make a surface of that. Here they are paired by the material between them, and get vertices of
their own.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats, Ints, Ints32
from .edges import edge_numbers
from .union_find import linked

_ROUNDS = 6
"""So often edges are paired the other way where their halves could not be told apart."""


def unpinched(vertices: Floats, triangles: Ints32) -> tuple[Floats, Ints32]:
    """The same closed surface with vertices doubled where needed, so that each edge belongs to exactly two facets.

    At an edge with more than two facets, those two are paired that have material between them. Where such a pair
    would still be joined at both ends, as around a void that touches the outside, those two are paired that have none
    between them. The order of the facets is kept.

    Parameters
    ----------
    vertices : (n, 3) float64
        The vertices.
    triangles : (m, 3) int32
        A closed surface: each edge is walked as often one way as the other.

    Returns
    -------
    (n + k, 3) float64, (m, 3) int32
        Vertices and triangles.
    """
    start = triangles.astype(np.int64).ravel()
    corner = np.arange(len(start))
    after = corner + np.where(corner % 3 == 2, -2, 1)  # where each half of an edge ends
    edge, rising = edge_numbers(triangles, len(vertices))
    order = np.lexsort((rising, _angles(vertices, start[after[after]], edge), edge))
    first = np.r_[True, np.diff(edge[order]) != 0]
    sizes, group = np.diff(np.r_[np.flatnonzero(first), len(order)]), np.cumsum(first) - 1
    outward = np.zeros(len(sizes), np.bool_)
    for _ in range(_ROUNDS):
        pairs = _paired(rising[order] == outward[group], sizes)
        one, other = order[pairs[:, 0]], order[pairs[:, 1]]
        same = np.concatenate([np.stack([one, after[other]], axis=1), np.stack([after[one], other], axis=1)])
        of = linked(same, len(start))
        split = of.reshape(-1, 3).astype(np.int32)
        _, number, uses = np.unique(
            edge_numbers(split, int(of.max()) + 1)[0][order], return_inverse=True, return_counts=True
        )
        doubled = np.unique(group[uses[number] > 2])
        if not len(doubled):
            break
        outward[doubled] ^= True
    kept = np.empty(int(of.max()) + 1, np.int64)
    kept[of] = start
    return vertices[kept], split


def _angles(vertices: Floats, tip: Ints, edge: Ints) -> Floats:
    """The angle of each facet around each of its edges, in radians, seen along the edge from its lower vertex; 0 at
    edges where only two facets meet, because there it does not matter.

    Parameters
    ----------
    tip : (3 m,) int64
        The vertex of the facet that is not on the edge.
    """
    _, of, uses = np.unique(edge, return_inverse=True, return_counts=True)
    angles = np.zeros(len(edge))
    some = np.flatnonzero(uses[of] > 2)
    foot = vertices[edge[some] // len(vertices)]
    axis = vertices[edge[some] % len(vertices)] - foot
    axis /= np.linalg.norm(axis, axis=1)[:, None]
    x = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis), axis=1)])
    y = np.cross(axis, x)
    out = vertices[tip[some]] - foot
    angles[some] = np.arctan2(np.einsum("ij,ij->i", out, y), np.einsum("ij,ij->i", out, x))
    return angles


def _paired(begins: Bools, sizes: Ints) -> Ints:
    """Pairs of half-edges, edge by edge and by angle: each half-edge where material or air begins, with the one
    where it ends.

    A facet that walks its edge upward faces larger angles, so material ends with it; material begins with one that
    walks the edge downward.

    Parameters
    ----------
    begins : (h,) bool
        Whether what is to be paired begins at this half-edge.
    sizes : array of int64
        How many half-edges each edge has.

    Returns
    -------
    (k, 2) int64
        Places in the list of half-edges.
    """
    ends = np.cumsum(sizes)
    plain = ends[sizes == 2]
    pairs: list[tuple[int, int]] = []
    for size, end in zip(sizes[sizes > 2].tolist(), ends[sizes > 2].tolist(), strict=True):
        begun: list[int] = []
        left: list[int] = []  # what they end lies across the angle at which counting begins
        for place in range(end - size, end):
            if begins[place]:
                begun.append(place)
            elif begun:
                pairs.append((begun.pop(), place))
            else:
                left.append(place)
        pairs += [(begun.pop(), place) for place in left]
    return np.concatenate([np.stack([plain - 2, plain - 1], axis=1), np.array(pairs, np.int64).reshape(-1, 2)])
