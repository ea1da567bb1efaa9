"""Splits closed surfaces at a plane, by surgery on the facets that it crosses.

A boolean with a half-space gives the same, but looks at the whole body three times over. Here each facet that has
corners on both sides is divided, its new edges are chained to loops, and these are filled once, for both sides. No
corner is ever moved, so that the two sides together enclose exactly what there was.

Whatever side each corner is given to, both sides come out closed. That leaves a choice for corners that lie in the
plane: they go where the facets around them look away from, as if the body were a trace smaller than it is. A tread
that lies in the plane so goes with the step under it, and leaves no film on what is above (the same rule as that of
Manifold's booleans, https://github.com/elalish/manifold).
"""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from ..arrays import AnyInts, Bools, Floats, Ints
from ..mesh.corners import have_three, in_use
from ..mesh.non_manifold import unpinched
from ..mesh.provenance import Face, table
from ..mesh.solid import Solid
from .curves import frame_of

_IN_PLANE = 1e-9
"""Share of the diagonal: a corner that is nearer to the plane lies in it."""


@dataclass(frozen=True, eq=False)
class _Crossed:
    """The facets that a plane crosses, and the loops of its section.

    Attributes
    ----------
    facets : (k,) int64
        Their numbers.
    apex, after, before : (k,) int64
        Their corners, counter-clockwise; the first is alone on its side.
    first, second : (k,) int64
        The points at which the edges from the apex to the corners after and before it are cut.
    points : (p, 3) float64
        All these points.
    corner : (p,) int64
        The corner of the surface that a point is, -1 if it is none.
    loops : list of (q,) int64
        Points of the section, counter-clockwise as seen from ahead of the plane around what is inside.
    """

    facets: Ints
    apex: Ints
    after: Ints
    before: Ints
    first: Ints
    second: Ints
    points: Floats
    corner: Ints
    loops: list[Ints]


def split_at_plane(solid: Solid, normal: Floats, offset: float, owner: str) -> tuple[Solid | None, Solid | None]:
    """What lies ahead of a plane and what lies behind it; None where nothing does.

    Parameters
    ----------
    solid : Solid
        A closed surface.
    normal : (3,) float64
        The plane's unit normal.
    offset : float, mm
        Its distance from the origin along the normal.
    owner : str
        The id of the cut, which the new faces belong to.

    Raises
    ------
    OpenSurface
        The surface is not closed.
    """
    solid.must_be_closed()
    try:
        return _split(solid, normal, offset, owner, crowded=False)
    except _Crowded:
        return _split(_with_plain_edges(solid), normal, offset, owner, crowded=True)


class _Crowded(Exception):
    """The plane crosses an edge at which more than two facets meet."""


def _split(
    solid: Solid, normal: Floats, offset: float, owner: str, *, crowded: bool
) -> tuple[Solid | None, Solid | None]:
    """``split_at_plane``.

    Parameters
    ----------
    crowded : bool
        Whether to pair the facets as they come where more than two meet at an edge. The sides are closed, whichever
        way they are paired; but which pairs have material between them is not asked here.

    Raises
    ------
    _Crowded
        More than two facets meet at an edge, and they are not to be paired as they come.
    """
    distance = solid.vertices @ normal - offset
    within = np.abs(distance) <= _IN_PLANE * solid.diagonal
    ahead = distance > 0
    if within.any():
        ahead[within] = _looks_back(solid, within, normal)
        distance[within] = 0.0
    count = ahead[solid.triangles].sum(axis=1)
    if not (count < 3).any():
        return solid, None
    if not (count > 0).any():
        return None, solid
    crossed = _crossed(solid, np.flatnonzero((count > 0) & (count < 3)), ahead, distance, crowded)
    filling = _filled(crossed, normal)
    return (
        _side(solid, crossed, filling[:, ::-1], ahead, count == 3, owner),
        _side(solid, crossed, filling, ~ahead, count == 0, owner),
    )


def _looks_back(solid: Solid, within: Bools, normal: Floats) -> Bools:
    """Of the corners that lie in a plane, which go ahead of it: those around which the surface looks back.

    Returns
    -------
    (count of within,) bool
    """
    around = within[solid.triangles]
    slope = solid.area_vectors @ normal

    def facing(facets: Ints) -> Floats:
        corners = (facets[:, None] * 3 + np.arange(3))[around[facets]]
        weights = slope[corners // 3]
        total = np.bincount(solid.triangles.ravel()[corners], weights, len(within))[within]
        return np.asarray(total, np.float64)

    level = facing(np.flatnonzero(around.all(axis=1)))
    # what lies in the plane decides, for it would become a film; elsewhere all facets around
    return np.asarray(np.where(level != 0.0, level, facing(np.flatnonzero(around.any(axis=1)))) < 0)


def _with_plain_edges(solid: Solid) -> Solid:
    """The same surface with two facets at each edge, where more than two meet at some. It is cached on the solid."""
    if "plain_edges" not in solid.__dict__:
        vertices, triangles = unpinched(solid.vertices, solid.triangles)
        solid.__dict__["plain_edges"] = Solid(vertices, triangles, solid.origin, solid.made).marked_closed()
    found: Solid = solid.__dict__["plain_edges"]
    return found


def _crossed(solid: Solid, facets: Ints, ahead: Bools, distance: Floats, crowded: bool) -> _Crossed:
    """The facets that a plane crosses, divided. Raises as ``_split``.

    Parameters
    ----------
    ahead : (n,) bool
        Which corners are ahead of the plane.
    distance : (n,) float64, mm
        How far.
    """
    three = solid.triangles[facets].astype(np.int64)
    on = ahead[three]
    alone_ahead = on.sum(axis=1) == 1
    lone = np.argmax(on == alone_ahead[:, None], axis=1)
    apex, after, before = (three[np.arange(len(three)), (lone + k) % 3] for k in range(3))
    one, other = np.concatenate([apex, apex]), np.concatenate([after, before])
    low, high = np.minimum(one, other), np.maximum(one, other)
    keys, edge, uses = np.unique(low * len(distance) + high, return_inverse=True, return_counts=True)
    if (uses != 2).any():
        if not crowded:
            raise _Crowded
        edge, of = _told_apart(edge, np.concatenate([alone_ahead, ~alone_ahead]))
        keys = keys[of]
    low, high = keys // len(distance), keys % len(distance)
    share = _share(distance[low], distance[high], ahead[low])
    points = solid.vertices[low] + share[:, None] * (solid.vertices[high] - solid.vertices[low])
    points[share == 1.0] = solid.vertices[high[share == 1.0]]
    corner = np.where(share == 0.0, low, np.where(share == 1.0, high, -1))
    first, second = edge[: len(three)], edge[len(three) :]
    # behind the plane, the filling runs along the divided facet from here to there
    start, end = np.where(alone_ahead, first, second), np.where(alone_ahead, second, first)
    following = np.empty(len(keys), np.int64)
    following[start] = end
    loops, number = _loops(following, corner)
    keep = np.unique(number, return_index=True)[1]
    return _Crossed(facets, apex, after, before, number[first], number[second], points[keep], corner[keep], loops)


def _told_apart(edge: Ints, begins: Bools) -> tuple[Ints, Ints]:
    """A point for each pair of facets at an edge, where more than two meet at some.

    Parameters
    ----------
    edge : (2 k,) int64
        The edge on which each end of a chain lies.
    begins : (2 k,) bool
        Whether it is the beginning. There are as many beginnings as ends on each edge of a closed surface.

    Returns
    -------
    (2 k,) int64, (p,) int64
        The point of each end, and the edge of each point.
    """
    order = np.lexsort((begins, edge))
    kind = 2 * edge[order] + begins[order]
    place = np.arange(len(order))
    rank = np.empty_like(place)
    rank[order] = place - np.maximum.accumulate(np.where(np.r_[True, kind[1:] != kind[:-1]], place, 0))
    names, point = np.unique(edge * len(order) + rank, return_inverse=True)
    return point, names // len(order)


def _share(low: Floats, high: Floats, low_ahead: Bools) -> Floats:
    """Where edges are cut, from 0 at one end to 1 at the other; exactly that where an end lies in the plane.

    Parameters
    ----------
    low, high : (p,) float64, mm
        How far the ends of the edges are ahead of the plane.
    low_ahead : (p,) bool
        Whether it is the first end that counts as ahead, even where it lies in the plane.

    Returns
    -------
    (p,) float64
    """
    flat = (low == 0.0) & (high == 0.0)
    return np.asarray(np.where(flat, ~low_ahead, low / np.where(flat, 1.0, low - high)))


def _loops(following: Ints, corner: Ints) -> tuple[list[Ints], Ints]:
    """Chains points to loops, with those in a row that are the same corner made one.

    Parameters
    ----------
    following : (p,) int64
        The point after each.
    corner : (p,) int64
        The corner that each is, or -1.

    Returns
    -------
    list of (q,) int64, (p,) int64
        The loops, and the number of each point in them.
    """
    after, of_corner = following.tolist(), corner.tolist()
    number = [-1] * len(after)
    loops, count = [], 0
    for begin in range(len(after)):
        if number[begin] >= 0:
            continue
        loop = [begin]
        point = after[begin]
        while point != begin:
            loop.append(point)
            point = after[point]
        first = count
        for place, point in enumerate(loop):
            repeats = place > 0 and of_corner[point] >= 0 and of_corner[point] == of_corner[loop[place - 1]]
            count += not repeats
            number[point] = count - 1
        last = of_corner[loop[-1]]
        if last >= 0 and last == of_corner[loop[0]] and count - first > 1:
            for point in loop:
                if number[point] == count - 1:
                    number[point] = first
            count -= 1
        loops.append(np.arange(first, count))
    return loops, np.array(number, np.int64)


def _filled(crossed: _Crossed, normal: Floats) -> Ints:
    """Triangles between the loops of a section, counter-clockwise as seen from ahead of the plane.

    Returns
    -------
    (f, 3) int64
        Numbers of points.
    """
    loops = [loop for loop in crossed.loops if len(loop) > 2]
    if not loops:
        return np.empty((0, 3), np.int64)
    flat = crossed.points @ frame_of(normal)[:2].T
    filled = np.asarray(manifold3d.triangulate([flat[loop] for loop in loops]))
    return np.asarray(np.concatenate(loops)[filled])


def _side(solid: Solid, crossed: _Crossed, filling: AnyInts, mine: Bools, whole: Bools, owner: str) -> Solid:
    """One side of a split.

    Parameters
    ----------
    filling : (f, 3) int
        Its cut face: numbers of points.
    mine : (n,) bool
        Which corners are on this side.
    whole : (m,) bool
        Which facets are wholly on it.
    """
    # points that are a corner of this side are that corner; the others are new
    old = (crossed.corner >= 0) & mine[crossed.corner]
    name = np.where(old, crossed.corner, len(solid.vertices) + np.arange(len(old)))
    first, second = name[crossed.first], name[crossed.second]
    tips = mine[crossed.apex]
    tip = np.stack([crossed.apex, first, second], axis=1)[tips]
    # of the two ways to halve what is left of the others, the one with the shorter diagonal
    rest = np.stack([first, crossed.after, crossed.before, second], axis=1)[~tips]
    place = np.concatenate([solid.vertices, crossed.points])
    shorter = _length(place, rest[:, 0], rest[:, 2]) <= _length(place, rest[:, 1], rest[:, 3])
    one = np.where(shorter[:, None], rest[:, [0, 1, 2]], rest[:, [0, 1, 3]])
    two = np.where(shorter[:, None], rest[:, [0, 2, 3]], rest[:, [1, 2, 3]])
    made = table([*solid.made, Face(owner)])
    origin = solid.origin_in(made)
    divided = origin[crossed.facets]
    new = np.concatenate([tip, one, two, name[filling]])
    new_origin = np.concatenate([
        divided[tips], divided[~tips], divided[~tips],
        np.full(len(filling), -1 - made.index(Face(owner)), np.int32),
    ])
    real = have_three(new)
    surface = in_use(place, np.concatenate([solid.triangles[whole], new[real]]))
    return Solid(*surface, np.concatenate([origin[whole], new_origin[real]]), made).marked_closed()


def _length(place: Floats, one: AnyInts, other: AnyInts) -> Floats:
    """The squared distances between points."""
    between = place[one] - place[other]
    return np.asarray(np.einsum("ij,ij->i", between, between))
