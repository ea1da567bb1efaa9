"""Which facets the marks of a plan cover: show faces, hold spots and clear spots."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields

import numpy as np

from ..arrays import Bools, Bytes, Floats, Ints, Ints32
from ..document.marks import Audience, Mark, Region
from ..mesh.adjacency import neighbours
from ..mesh.solid import Solid
from ..mesh.union_find import linked

_DETAIL_REACH = 0.02
"""Share of the diagonal over which curvature is averaged, to find the most detailed parts."""


@dataclass(frozen=True, eq=False)
class Marked:
    """Whether each facet is marked, one array (m,) of bool per meaning; see ``marks.Mark.meaning``."""

    show: Bools
    hold: Bools
    clear: Bools
    never: Bools
    prefer: Bools

    @property
    def _masks(self) -> tuple[Bools, ...]:
        return self.show, self.hold, self.clear, self.never, self.prefer

    @property
    def anything(self) -> bool:
        """Whether any facet is marked."""
        return any(bool(mask.any()) for mask in self._masks)

    @property
    def bits(self) -> Bytes:
        """For each facet the sum of 1 for a show face, 2 for a hold spot, 4 for a clear spot, 8 where no seam may
        run, and 16 where one is welcome.

        Returns
        -------
        (m,) uint8
        """
        return np.asarray(sum(mask.astype(np.uint8) << bit for bit, mask in enumerate(self._masks)), np.uint8)

    def picked(self, facets: Ints) -> Marked:
        """The marks of some facets, given their numbers (k,)."""
        return Marked(*(mask[facets] for mask in self._masks))

    def of(self, origin: Ints32) -> Marked:
        """The marks of the facets of a piece: each has those of the source triangle that it comes from; a cut face
        has none.

        Parameters
        ----------
        origin : (m,) int32
        """
        own = origin >= 0
        return Marked(*(own & mask[np.maximum(origin, 0)] for mask in self._masks))


def unmarked(count: int) -> Marked:
    """A surface of so many facets without marks."""
    return Marked(*(np.zeros(count, np.bool_) for _ in fields(Marked)))


def joined_marks(parts: list[Marked]) -> Marked:
    """The marks of surfaces whose triangles follow each other."""
    return Marked(*(np.concatenate([getattr(part, f.name) for part in parts]) for f in fields(Marked)))


def marked(count: int, marks: tuple[Mark, ...], take: Callable[[Mark], Bools]) -> Marked:
    """The marks on a surface of so many facets, applied one after the other.

    Parameters
    ----------
    take : Callable[[Mark], Bools]
        Gives the facets that one mark covers; see ``facets_taken``.
    """
    found = {f.name: np.zeros(count, np.bool_) for f in fields(Marked)}
    for mark in marks:
        found[mark.meaning][take(mark)] = not mark.erase
    return Marked(**found)


def facets_taken(solid: Solid, mark: Region, seen: Callable[[Audience], Floats]) -> Bools:
    """The facets that a region covers; none if it lies elsewhere.

    Parameters
    ----------
    solid : Solid
        The surface, in the units of the region: those of the file for marks, mm for cuts.
    seen : Callable[[Audience], Floats]
        Gives the exposure of the facets to an audience.

    Returns
    -------
    (m,) bool
    """
    nothing = np.zeros(len(solid.triangles), np.bool_)
    if mark.shape == "seen":
        return np.asarray(seen(mark.audience or Audience()) > mark.limit)
    if mark.shape == "detail":
        return most_detailed(solid, mark.limit)
    if not mark.places:
        return nothing
    if mark.shape == "grown":
        return _grown(solid, mark)
    if mark.shape == "border":
        return _bordered(solid, mark)
    found = mark.covers(solid.centroids, solid.normals, nothing)
    if mark.shape == "brush":  # always the facets that lie right under it
        found[facets_at(solid, np.array(mark.places))] = True
    return found


def facets_at(solid: Solid, places: Floats) -> Ints:
    """The facet nearest to each of some places.

    Returns
    -------
    (k,) int64
    """
    import igl

    faces = np.ascontiguousarray(solid.triangles, np.int64)
    return np.asarray(igl.point_mesh_squared_distance(np.ascontiguousarray(places), np.array(solid.vertices), faces)[1])


def _grown(solid: Solid, mark: Region) -> Bools:
    """The facets connected to the one at the first place over edges that bend by less than the limit."""
    seed = int(facets_at(solid, np.array(mark.places[:1]))[0])
    pairs, bend = neighbours(solid)
    crossed = pairs[np.abs(bend) < np.radians(mark.limit)]
    if mark.reach > 0:
        near = np.linalg.norm(solid.centroids - np.array(mark.places[0]), axis=1) <= mark.reach
        near[seed] = True
        crossed = crossed[near[crossed].all(axis=1)]
    part = linked(crossed, len(solid.triangles))
    return np.asarray(part == part[seed])


def _bordered(solid: Solid, mark: Region) -> Bools:
    """The facets nearer to a place inside the border than to one beyond it. Parts away from the border follow the
    majority of what they touch there.
    """
    told, nearest = mark.nearest_places(solid.centroids, solid.normals)
    within = told & (nearest < len(mark.places))
    places = np.array((*mark.places, *mark.beyond))
    under = facets_at(solid, places)
    told[under], within[under] = True, np.arange(len(places)) < len(mark.places)
    pairs, _ = neighbours(solid)
    apart = linked(pairs[~told[pairs].any(axis=1)], len(solid.triangles))
    votes = np.zeros(int(apart.max(initial=0)) + 1)
    for own, other in (pairs.T, pairs[:, ::-1].T):
        touching = ~told[own] & told[other]
        np.add.at(votes, apart[own[touching]], np.where(within[other[touching]], 1.0, -1.0))
    return np.asarray(np.where(told, within, votes[apart] > 0))


def most_detailed(solid: Solid, share: float) -> Bools:
    """The part of the surface, as a share of its area, that is most curved: the bend of the edges times their
    length, per area, within 2 % of the diagonal.

    Returns
    -------
    (m,) bool
    """
    from scipy.spatial import cKDTree

    pairs, bend = neighbours(solid)
    if not len(pairs):
        return np.zeros(len(solid.triangles), np.bool_)
    side = max(_DETAIL_REACH * solid.diagonal, 1e-12)
    # an edge between two facets is about as long as the root of their area
    length = np.sqrt(solid.areas[pairs].mean(axis=1))
    count = len(solid.triangles)
    bent = 0.5 * (np.bincount(pairs[:, 0], bend * length, count) + np.bincount(pairs[:, 1], bend * length, count))
    cells = np.floor((solid.centroids - solid.bounds[0]) / side).astype(np.int64)
    _, cell = np.unique(cells, axis=0, return_inverse=True)
    cell = cell.ravel()
    area = np.bincount(cell, solid.areas)
    weighed = np.stack([np.bincount(cell, solid.areas * solid.centroids[:, k]) for k in range(3)], axis=1)
    middles = weighed / np.maximum(area, 1e-300)[:, None]
    around = cKDTree(middles).query_pairs(1.5 * side, output_type="ndarray")
    total_bent = np.bincount(cell, bent)
    sums = []
    for own in (total_bent, area):
        spread = own.copy()
        np.add.at(spread, around[:, 0], own[around[:, 1]])
        np.add.at(spread, around[:, 1], own[around[:, 0]])
        sums.append(spread)
    density = sums[0] / np.maximum(sums[1], 1e-300)
    order = np.argsort(-density, kind="stable")
    within = np.cumsum(area[order]) <= share * area.sum()
    chosen = np.zeros(len(area), np.bool_)
    chosen[order[within]] = True
    return np.asarray(chosen[cell])
