"""What a loop drawn on a surface encloses.

A sheet in the loop's mean plane (``limb_loops``) continues beyond the loop and may run into a bulge beside it. Then
the surface says more than the plane: the loop divides the surface in two, and the smooth face between the two parts
(``harmonic_face``) has its border on the loop, whatever lies around it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import dijkstra
from scipy.spatial import cKDTree

from ..arrays import AnyInts, Bools, Floats, Ints
from ..mesh.adjacency import shared_edges
from ..mesh.solid import Solid
from ..mesh.union_find import linked
from .curves import distinct
from .harmonic_face import spread_in
from .smooth_sheets import Loop

_ON = 0.005
"""Share of the diagonal by which drawn points may lie off the surface."""
_STEPS = 400
"""Of the loop's length, that its points on the surface are no farther apart than: less than a node of the grid."""
_AGREED = 0.9
"""Share of the length along the loop that must say the same of the side of the surface that lies beside it."""


@dataclass(frozen=True, eq=False)
class Enclosed:
    """The part of a surface that a loop encloses.

    Attributes
    ----------
    points, ahead, normals : (k, 3) float64
        The loop on the surface in mm, and unit vectors along it and out of the surface.
    marked : (m,) bool
        Facets that are enclosed, not counting those that the loop passes.
    passed : (m,) bool
        Facets that the loop passes.
    sign : float
        1 if the enclosed part lies to the left of the loop, else -1.
    """

    solid: Solid
    points: Floats
    ahead: Floats
    normals: Floats
    marked: Bools
    passed: Bools
    sign: float

    @cached_property
    def _tree(self) -> cKDTree:
        return cKDTree(self.points)

    def box(self) -> Floats:
        """A box that contains the enclosed part.

        Returns
        -------
        (2, 3) float64, mm
        """
        corners = np.concatenate([self.solid.vertices[self.solid.triangles[self.marked]].reshape(-1, 3), self.points])
        return np.stack([corners.min(axis=0), corners.max(axis=0)])

    def samples(self, box: Floats, spacing: float) -> tuple[Floats, Floats, Bools]:
        """Points spread over the surface within a box.

        Parameters
        ----------
        spacing : float, mm
            The distance between points.

        Returns
        -------
        (n, 3) float64, (n,) float64, (n,) bool
            The points, the area around each in mm2, and whether it is enclosed.
        """
        points, facet, area = spread_in(self.solid, box, spacing)
        marked = self.marked[facet]
        beside = self.passed[facet]
        marked[beside] = self.sign * _side(points[beside], self.points, self.ahead, self.normals, self._tree) > 0
        return points, area, marked


def enclosed(solid: Solid, loop: Loop) -> Enclosed | None:
    """The smaller of the two parts into which a loop divides a surface. None if the loop does not lie on the
    surface, or does not divide it.
    """
    import igl

    faces = solid.triangles.astype(np.int64)
    squared = igl.point_mesh_squared_distance(loop.line, solid.vertices, faces)[0]
    if float(squared.max()) > (_ON * solid.diagonal) ** 2:
        return None
    found = _on_surface(solid, loop.line[distinct(loop.line)])
    if found is None:
        return None
    points, facets = found
    ahead = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1), 1e-12)[:, None]
    normals = solid.normals[facets]
    passed = np.zeros(len(faces), np.bool_)
    passed[facets] = True
    pairs, _ = shared_edges(solid)
    group = linked(pairs[~passed[pairs].any(axis=1)], len(faces))
    # those beside the loop say on which side of it the rest of their group lies
    mixed = pairs[passed[pairs].sum(axis=1) == 1]
    if not len(mixed):
        return None
    beside = np.where(passed[mixed[:, 0]], mixed[:, 1], mixed[:, 0])
    middles = solid.vertices[solid.triangles[beside]].mean(axis=1)
    side = _side(middles, points, ahead, normals, cKDTree(points))
    width = np.sqrt(solid.areas[beside])
    votes = np.bincount(group[beside], np.sign(side) * width, group.max() + 1)
    cast = np.bincount(group[beside], width, group.max() + 1)
    large = cast > 0.02 * cast.sum()
    if not (votes[large] > 0).any() or not (votes[large] < 0).any() or (np.abs(votes) < _AGREED * cast)[large].any():
        return None
    area = np.bincount(group, solid.areas, group.max() + 1)
    sign = 1.0 if float(area[votes > 0].sum()) <= float(area[votes < 0].sum()) else -1.0
    return Enclosed(solid, points, ahead, normals, (sign * votes > 0)[group] & ~passed, passed, sign)


def _on_surface(solid: Solid, line: Floats) -> tuple[Floats, Ints] | None:
    """A loop along a surface, from one drawn point to the next. None if there is no way.

    Parameters
    ----------
    line : (n, 3) float64
        The drawn points.

    Returns
    -------
    (k, 3) float64, (k,) int64
        Points, and the facets that they lie on.
    """
    import igl

    faces = solid.triangles.astype(np.int64)
    _, facets, points = igl.point_mesh_squared_distance(np.ascontiguousarray(line), solid.vertices, faces)
    ways = [_along(solid, points, facets, n, (n + 1) % len(points)) for n in range(len(points))]
    found = [part for n, way in enumerate(ways) if way is not None for part in (points[n : n + 1], way)]
    if any(way is None for way in ways):
        return None
    corners = np.concatenate(found)
    gaps = np.linalg.norm(np.diff(corners, axis=0, append=corners[:1]), axis=1)
    # two corners that follow each other lie in one facet, and so does what is between them
    counts = np.maximum(np.ceil(gaps * _STEPS / gaps.sum()).astype(int), 1)
    of = np.repeat(np.arange(len(corners)), counts)
    share = (np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[of]
    curve = corners[of] + share[:, None] * (np.roll(corners, -1, axis=0)[of] - corners[of])
    _, on, places = igl.point_mesh_squared_distance(np.ascontiguousarray(curve), solid.vertices, faces)
    return places, on.astype(np.int64)


def _along(solid: Solid, points: Floats, facets: AnyInts, start: int, end: int) -> Floats | None:
    """The shortest way along a surface between two of its points that lies in a plane through both. The planes tried
    are rotated about the two points in steps of 30 degrees. None if there is no way.

    Returns
    -------
    (k, 3) float64
    """
    ahead = points[end] - points[start]
    out = solid.normals[facets[start]] + solid.normals[facets[end]]
    first = np.cross(ahead, out)
    if float(np.linalg.norm(first)) < 1e-9:
        first = np.cross(ahead, np.eye(3)[int(np.argmin(np.abs(ahead)))])
    first /= np.linalg.norm(first)
    second = np.cross(ahead / np.linalg.norm(ahead), first)
    best: tuple[float, Floats | None] = np.inf, None
    for turn in np.radians(np.arange(0, 180, 30)):
        found = _in_plane(solid, points, facets, start, end, np.cos(turn) * first + np.sin(turn) * second)
        best = min(best, found, key=lambda one: one[0])
    return best[1]


def _in_plane(
    solid: Solid, points: Floats, facets: AnyInts, start: int, end: int, across: Floats
) -> tuple[float, Floats | None]:
    """The shorter way along a surface between two of its points, in one plane through both.

    Parameters
    ----------
    across : (3,) float64
        The unit normal of the plane.

    Returns
    -------
    float, (k, 3) float64 or None
        The length in mm, and the way; None if neither direction arrives.
    """
    height = (solid.vertices - points[start]) @ across
    pairs, ends = shared_edges(solid)
    crossing = np.flatnonzero((height[ends[:, 0]] > 0) != (height[ends[:, 1]] > 0))
    a, b = ends[crossing].T
    share = height[a] / (height[a] - height[b])
    places = solid.vertices[a] + share[:, None] * (solid.vertices[b] - solid.vertices[a])
    # a facet that the plane crosses has two such edges: they are joined through it
    of = np.concatenate([pairs[crossing, 0], pairs[crossing, 1]])
    edge = np.tile(np.arange(len(crossing)), 2)
    order = np.argsort(of, kind="stable")
    same = of[order][1:] == of[order][:-1]
    one, other = edge[order][:-1][same], edge[order][1:][same]
    ins, outs = (edge[of == facets[n]] for n in (start, end))
    if not len(ins) or not len(outs):
        return np.inf, None
    count = len(crossing)
    rows = np.concatenate([one, np.full(len(ins), count), outs])
    columns = np.concatenate([other, ins, np.full(len(outs), count + 1)])
    hops = (places[one] - places[other], places[ins] - points[start], places[outs] - points[end])
    # no way of length 0: the graph would take it for none
    weights = np.concatenate([np.linalg.norm(hop, axis=1) for hop in hops]) + 1e-9
    graph = coo_array((weights, (rows, columns)), (count + 2, count + 2)).tocsr()
    away, before = dijkstra(graph, directed=False, indices=count, return_predecessors=True)
    if not np.isfinite(away[count + 1]):
        return np.inf, None
    way = [int(before[count + 1])]
    while way[-1] != count:
        way.append(int(before[way[-1]]))
    return float(away[count + 1]), places[way[-2::-1]]


def _side(places: Floats, points: Floats, ahead: Floats, normals: Floats, tree: cKDTree) -> Floats:
    """How far places lie to the left of a curve on a surface, seen from outside.

    Parameters
    ----------
    places : (n, 3) float64

    Returns
    -------
    (n,) float64, mm
    """
    near = tree.query(places)[1]
    left = np.cross(normals[near], ahead[near])
    return np.asarray(np.einsum("ij,ij->i", places - points[near], left))
