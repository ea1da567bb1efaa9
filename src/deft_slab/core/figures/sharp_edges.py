"""Sharp edges: round ones as a caliper would read them, flat ones as planes to cut along, and creases to draw along."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats, Ints
from ..errors import BadPlan
from ..joins.reports import RoundEdge
from ..locale import text
from ..locale.translate import tr
from ..mesh.edges import edge_numbers
from ..mesh.solid import Solid

_SHARP = 25.0
"""Degrees between two facets from which their edge is an edge to a person."""
_BEND = 50.0
"""Degrees by which a round edge may turn from one of its corners to the next."""
_ROUND = 0.06
"""Share of the radius by which the corners of a round edge may be off the circle."""
_MOST_CORNERS = 5_000
_FLAT = 0.03
"""Share of its size by which an edge may be off its plane, and still lie in one."""
_BESIDE = 0.02
"""Share of the diagonal within which an edge is about as near as the nearest."""
_SHORT = 0.03
"""Share of the diagonal that an edge must go across, to say which plane it lies in."""
_MOST_TRIED = 12
_STRAIGHT = 0.02
"""Share of its length by which an edge must be off a line, to say which plane it lies in."""


def round_edge(solid: Solid, near: Floats) -> RoundEdge:
    """The round edge that passes nearest to a point: a circle through the vertices of a sharp edge, in their plane,
    fitted by least squares (Kasa 1976, A circle fitting procedure and its error analysis).

    Parameters
    ----------
    near : (3,) float64, mm
        A point in the frame of the solid.

    Raises
    ------
    BadPlan
        There is no sharp edge, or the nearest one is not round.
    """
    remedy = tr("Point at the rim of a hole or of a round foot.")
    edges = _sharp_edges(solid)
    if not len(edges):
        raise BadPlan(tr("There is no sharp edge on this model."), remedy=remedy)
    nearest = int(np.argmin(np.linalg.norm(_on_each(solid.vertices[edges], near) - near, axis=1)))
    points = solid.vertices[_edge_along(solid.vertices, edges, edges[nearest])]
    if len(points) < 5:
        raise BadPlan(tr("That edge is straight, or too short to measure."), remedy=remedy)
    middle = points.mean(axis=0)
    _, _, axes = np.linalg.svd(points - middle, full_matrices=False)
    x, y = ((points - middle) @ axes[:2].T).T
    (a, b, c), *_ = np.linalg.lstsq(np.stack([x, y, np.ones(len(x))], axis=1), x * x + y * y, rcond=None)
    radius = float(np.sqrt(max(c + (a * a + b * b) / 4, 0.0)))
    off = np.hypot(np.hypot(x - a / 2, y - b / 2) - radius, (points - middle) @ axes[2])
    if not off.max() <= _ROUND * radius:
        raise BadPlan(tr("That edge is not round."), remedy=remedy)
    return RoundEdge(2 * radius, float(off.max()), points)


def edge_plane(solid: Solid, near: Floats) -> tuple[Floats, float]:
    """The plane along a sharp edge that goes around and passes near a point, by least squares: its normal is the
    smallest singular vector of the vertices about their mean.

    On a fine surface short bits of edge lie beside the intended one. So the nearest edge that goes some way around
    counts, if it is about as near.

    Parameters
    ----------
    near : (3,) float64, mm
        A point in the frame of the solid.

    Returns
    -------
    (3,) float64, float
        The unit normal, and the offset in mm.

    Raises
    ------
    BadPlan
        There is no sharp edge, or the nearest ones are straight or do not lie in a plane.
    """
    edges = _sharp_edges(solid)
    if not len(edges):
        raise BadPlan(
            tr("There is no sharp edge on this model."), remedy=tr("Point at the rim of a lid, a groove or a brim.")
        )
    distance = np.linalg.norm(_on_each(solid.vertices[edges], near) - near, axis=1)
    order = np.argsort(distance)
    within = max(3.0 * float(distance[order[0]]), _BESIDE * solid.diagonal)
    problem: BadPlan | None = None
    seen: set[int] = set()
    tried = 0
    for number in order[distance[order] <= within]:
        if int(edges[number, 0]) in seen or tried == _MOST_TRIED:
            continue
        way = _edge_along(solid.vertices, edges, edges[number])
        seen |= set(way.tolist())
        tried += 1
        try:
            return _plane_of(solid.vertices[way], _SHORT * solid.diagonal)
        except BadPlan as found:
            problem = problem or found
    assert problem is not None
    raise problem


def _plane_of(points: Floats, least: float) -> tuple[Floats, float]:
    """The plane through the vertices of an edge.

    Parameters
    ----------
    least : float, mm
        How far across it must go.

    Returns
    -------
    (3,) float64, float
        The unit normal, and the offset in mm.

    Raises
    ------
    BadPlan
        The vertices do not lie in a plane, or not far enough apart.
    """
    middle = points.mean(axis=0)
    _, spread, axes = np.linalg.svd(points - middle, full_matrices=False)
    if len(points) < 3 or spread[1] < _STRAIGHT * spread[0]:
        raise BadPlan(
            tr("That edge is straight, so many planes contain it."), remedy=tr("Point at an edge that goes around.")
        )
    across = float(np.linalg.norm(np.ptp(points, axis=0)))
    if across < least:
        raise BadPlan(tr("That edge is too short to define a plane."), remedy=tr("Point at an edge that goes around."))
    off = np.abs((points - middle) @ axes[2])
    if off.max() > _FLAT * across:
        raise BadPlan(
            tr("That edge is not flat: it is {most} off any plane.", most=text.length(off.max(), 1)),
            remedy=tr("A bent cut can follow its line."),
        )
    return axes[2], float(axes[2] @ middle)


def creases(solid: Solid) -> Floats:
    """The sharp edges of a surface.

    Returns
    -------
    (k, 2, 3) float64, mm
    """
    return np.asarray(solid.vertices[_sharp_edges(solid)])


def nearest_on(segments: Floats, place: Floats) -> tuple[Floats, float]:
    """The point (3,) nearest to a place (3,) on any of some segments (k, 2, 3), and its distance in mm; inf if there
    are no segments.
    """
    if not len(segments):
        return place, np.inf
    points = _on_each(segments, place)
    distance = np.linalg.norm(points - place, axis=1)
    best = int(np.argmin(distance))
    return points[best], float(distance[best])


def _on_each(segments: Floats, place: Floats) -> Floats:
    """The point of each segment that is nearest to a place.

    Returns
    -------
    (k, 3) float64
    """
    starts, along = segments[:, 0], segments[:, 1] - segments[:, 0]
    share = np.einsum("ij,ij->i", place - starts, along) / np.maximum((along**2).sum(axis=1), 1e-300)
    return np.asarray(starts + np.clip(share, 0.0, 1.0)[:, None] * along)


def _sharp_edges(solid: Solid) -> Ints:
    """The edges whose two facets meet at more than the sharp angle.

    Returns
    -------
    (k, 2) int64
    """
    count = np.int64(len(solid.vertices))
    key, _ = edge_numbers(solid.triangles, len(solid.vertices))
    order = np.argsort(key, kind="stable")
    same = key[order][1:] == key[order][:-1]
    facets = order // 3
    cosine = np.einsum("ij,ij->i", solid.normals[facets[1:]], solid.normals[facets[:-1]])
    sharp = key[order][1:][same & (cosine < np.cos(np.radians(_SHARP)))]
    return np.stack([sharp // count, sharp % count], axis=1)


def _edge_along(vertices: Floats, edges: Ints, first: Ints) -> Ints:
    """The vertices along a sharp edge, followed both ways from a first segment of it while it turns little."""
    next_to: dict[int, list[int]] = {}
    for start, end in edges.tolist():
        next_to.setdefault(start, []).append(end)
        next_to.setdefault(end, []).append(start)
    way = [int(first[0]), int(first[1])]
    for _ in range(2):
        while len(way) < _MOST_CORNERS:
            ahead = vertices[way[-1]] - vertices[way[-2]]
            best, least = None, np.cos(np.radians(_BEND))
            for corner in next_to[way[-1]]:
                step = vertices[corner] - vertices[way[-1]]
                cosine = float(ahead @ step / max(np.linalg.norm(ahead) * np.linalg.norm(step), 1e-300))
                if corner != way[-2] and cosine > least:
                    best, least = corner, cosine
            if best is None:
                break
            if best in way:
                return np.array(way)
            way.append(best)
        way.reverse()
    return np.array(way)
