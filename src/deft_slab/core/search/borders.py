"""Borders: closed curves on the surface that divide it where that is seen least, and the limbs that hang on necks.

The least visible border between two parts of the surface is a minimum cut in the graph of its facets, in which an
edge weighs its length times how much it is seen (max-flow min-cut theorem, Ford and Fulkerson 1956).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix, csr_matrix
from scipy.sparse.csgraph import breadth_first_order, dijkstra, maximum_flow
from scipy.spatial import cKDTree

from ..arrays import Bools, Floats
from ..document.base import triple
from ..document.marks import Stroke
from ..figures.marked_facets import Marked
from ..locale.translate import tr
from ..mesh.adjacency import edge_lengths, shared_edges
from ..mesh.solid import Solid
from ..progress import QUIET, Job, Spread, for_each
from .results import CutWishes

_FLOOR = 0.05
"""What a mm of border weighs that nobody sees: else it would wander wherever it is hidden."""
_BARRED = 50.0
"""What a mm weighs where no seam may run."""
_MOST_FLOW = 1e9
"""Of all edges together, in the whole numbers of the flow."""
_TIPS = 12
"""Ends of limbs that necks are looked for from."""
_BANDS = ((0.04, 0.1), (0.08, 0.2), (0.15, 0.35), (0.3, 0.6))
"""Shares of the longest way over the surface: what is nearer to the tip than the first comes off, what is farther than
the second stays."""
_PINNED = 0.3
"""Share of a border that may lie where its band ends: more of it is no neck, it only goes no farther."""
_ALIKE = 0.85
"""Two limbs that have more of their surface in common than this are one."""
_RINGS = 2
"""Facets on either side of a border by which it is told."""


def seam_price(exposed: Floats, marks: Marked, wishes: CutWishes) -> Floats:
    """What a mm of border on each facet weighs; see ``CutWishes.hidden``.

    Parameters
    ----------
    exposed : (m,) float64

    Returns
    -------
    (m,) float64
    """
    seen = wishes.hidden(exposed, marks.show.astype(float), exposed * marks.prefer)
    return np.asarray(seen + _FLOOR + _BARRED * marks.never)


def least_seen(solid: Solid, price: Floats, inner: Bools, outer: Bools) -> Bools:
    """The facets on the inner side of the cheapest border between some facets and some others.

    Parameters
    ----------
    price : (m,) float64
        What a mm of border weighs on each facet.
    inner, outer : (m,) bool
        What comes off and what stays in any case; neither may be empty.

    Returns
    -------
    (m,) bool
    """
    pairs, _ = shared_edges(solid)
    free = np.flatnonzero(~inner & ~outer)
    node = np.zeros(len(solid.triangles), np.int64)  # 0: the source, 1: the sink
    node[outer] = 1
    node[free] = 2 + np.arange(len(free))
    a, b = node[pairs[:, 0]], node[pairs[:, 1]]
    cost = edge_lengths(solid) * price[pairs].mean(axis=1)
    crossing = a != b
    a, b, cost = a[crossing], b[crossing], cost[crossing]
    whole = np.maximum(np.rint(cost * (_MOST_FLOW / max(float(cost.sum()), 1e-300))), 1).astype(np.int32)
    size = len(free) + 2
    graph = coo_matrix((np.r_[whole, whole], (np.r_[a, b], np.r_[b, a])), (size, size)).tocsr()
    graph.sum_duplicates()
    left = csr_matrix(graph - maximum_flow(graph, 0, 1).flow)
    left.eliminate_zeros()
    reached = np.zeros(size, np.bool_)
    reached[breadth_first_order(left, 0, return_predecessors=False)] = True
    return np.asarray(reached[node] & ~outer)


def _border(solid: Solid, within: Bools) -> Bools:
    """Which shared edges lie between some facets and the others.

    Returns
    -------
    (e,) bool
    """
    pairs, _ = shared_edges(solid)
    return np.asarray(within[pairs[:, 0]] != within[pairs[:, 1]])


def border_cost(solid: Solid, price: Floats, within: Bools) -> float:
    """What the border of some facets weighs.

    Parameters
    ----------
    price : (m,) float64
    """
    pairs, _ = shared_edges(solid)
    across = _border(solid, within)
    return float(edge_lengths(solid)[across] @ price[pairs[across]].mean(axis=1))


def border_middles(solid: Solid, within: Bools) -> Floats:
    """The midpoints of the edges between some facets and the others.

    Returns
    -------
    (k, 3) float64
    """
    _, ends = shared_edges(solid)
    return np.asarray(solid.vertices[ends[_border(solid, within)]].mean(axis=1))


def near_border(solid: Solid, within: Bools, reach: float) -> Bools:
    """The facets within reach of the border of some others.

    Parameters
    ----------
    reach : float, mm

    Returns
    -------
    (m,) bool
    """
    middles = border_middles(solid, within)
    if not len(middles):
        return np.zeros(len(within), np.bool_)
    return np.asarray(cKDTree(middles).query(solid.centroids, distance_upper_bound=reach)[0] < np.inf)


def resettled(solid: Solid, price: Floats, within: Bools, reach: float) -> Bools | None:
    """Some facets with their border moved to where it costs least within reach; None if that leaves nothing on one
    side.

    Parameters
    ----------
    price : (m,) float64
        What a mm of border weighs on each facet.
    reach : float, mm

    Returns
    -------
    (m,) bool
    """
    band = near_border(solid, within, reach)
    inner, outer = within & ~band, ~within & ~band
    return least_seen(solid, price, inner, outer) if inner.any() and outer.any() else None


def facets_of(strokes: Sequence[Stroke], take: Callable[[Stroke], Bools]) -> Bools:
    """The facets that strokes mark, applied one after the other.

    Parameters
    ----------
    take : Callable[[Stroke], Bools]
        Gives the facets that one stroke covers.

    Returns
    -------
    (m,) bool
    """
    found = np.zeros_like(take(strokes[0]))
    for stroke in strokes:
        found[take(stroke)] = not stroke.erase
    return found


def border_stroke(solid: Solid, within: Bools) -> Stroke:
    """Some facets, described by their border, so that the description means the same on another mesh of the same
    surface.
    """
    pairs, _ = shared_edges(solid)
    near = np.zeros(len(within), np.bool_)
    across = _border(solid, within)
    near[pairs[across].ravel()] = True
    for _ in range(_RINGS - 1):
        near[pairs[near[pairs].any(axis=1)].ravel()] = True
    inner, outer = np.flatnonzero(near & within), np.flatnonzero(near & ~within)
    length = edge_lengths(solid)[across]
    return Stroke(
        shape="border", places=_triples(solid.centroids[inner]), beyond=_triples(solid.centroids[outer]),
        facing=_triples(solid.normals[np.r_[inner, outer]]), reach=float(1.5 * np.quantile(length, 0.9)),
    )


@dataclass(frozen=True, eq=False)
class LimbNeck:
    """A limb and its neck.

    Attributes
    ----------
    within : (m,) bool
        The facets of the limb.
    cost : float
        What its border weighs.
    area : float, mm2
        The area of its surface.
    """

    within: Bools
    cost: float
    area: float


def necks(solid: Solid, price: Floats, most: int, job: Job = QUIET, spread: Spread = map) -> list[LimbNeck]:
    """The limbs that hang on the cheapest necks for their size, without repetition.

    Parameters
    ----------
    price : (m,) float64
        What a mm of border weighs on each facet.
    most : int
        How many to find at most.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    ways = _ways_over(solid)
    tips = _tips(solid, ways)
    tasks = [(tip, band) for tip in tips for band in _BANDS]
    tried = for_each(lambda task: _neck(solid, price, *task), tasks, tr("Searching for necks"), job, spread)
    found = [one for one in tried if one is not None]
    # the same limb is met from several tips: the cheapest of each stands for it; large limbs on cheap necks first
    kept: list[LimbNeck] = []
    for one in sorted(found, key=lambda one: one.cost / np.sqrt(one.area)):
        if not any(_common(solid, one.within, other.within) > _ALIKE for other in kept):
            kept.append(one)
    return kept[:most]


def _neck(solid: Solid, price: Floats, away: Floats, band: tuple[float, float]) -> LimbNeck | None:
    """What comes off with a tip along the cheapest border in a band; None if that is not a neck.

    Parameters
    ----------
    away : (m,) float64
        The distance over the surface from the tip.
    """
    longest = float(away[np.isfinite(away)].max())
    inner, outer = away < band[0] * longest, ~(away < band[1] * longest)
    if not inner.any() or not outer.any() or (inner | outer).all():
        return None
    within = least_seen(solid, price, inner, outer)
    pairs, _ = shared_edges(solid)
    across = pairs[_border(solid, within)]
    pinned = inner[across].any(axis=1) | outer[across].any(axis=1)
    area = float(solid.areas[within].sum())
    if not len(across) or pinned.mean() > _PINNED:
        return None
    return LimbNeck(within, border_cost(solid, price, within), min(area, float(solid.areas.sum()) - area))


def _ways_over(solid: Solid) -> csr_matrix:
    """The graph of facets, weighted with the distance between the centres of neighbours in mm."""
    pairs, _ = shared_edges(solid)
    length = np.linalg.norm(solid.centroids[pairs[:, 0]] - solid.centroids[pairs[:, 1]], axis=1) + 1e-9
    size = len(solid.triangles)
    both = (np.r_[pairs[:, 0], pairs[:, 1]], np.r_[pairs[:, 1], pairs[:, 0]])
    return coo_matrix((np.r_[length, length], both), (size, size)).tocsr()


def _tips(solid: Solid, ways: csr_matrix) -> list[Floats]:
    """The distances over the surface from the ends of limbs: each end is as far as possible from those before it.

    Returns
    -------
    list of (m,) float64, mm
    """
    start = int(np.argmax(np.linalg.norm(solid.centroids - solid.centre_of_mass, axis=1)))
    tips = [np.asarray(dijkstra(ways, indices=start))]
    nearest = tips[0].copy()
    while len(tips) < _TIPS:
        reached = np.where(np.isfinite(nearest), nearest, -1.0)
        tips.append(np.asarray(dijkstra(ways, indices=int(np.argmax(reached)))))
        nearest = np.minimum(nearest, tips[-1])
    return tips


def _common(solid: Solid, a: Bools, b: Bools) -> float:
    """The share of the surface that two limbs have in common."""
    return float(solid.areas[a & b].sum() / max(float(solid.areas[a | b].sum()), 1e-300))


def _triples(points: Floats) -> tuple[tuple[float, float, float], ...]:
    return tuple(triple(np.round(point, 4)) for point in points)
