"""Walls and round edges: what a caliper would read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ..errors import BadPlan
from ..progress import QUIET, Job
from ..solid import Solid

Floats = NDArray[np.float64]

_LIFT = 2e-5
"""Share of the diagonal by which a ray starts under the surface, so that it does not meet its own facet."""
_TRIES = 6
"""How often a ray that met the surface from outside (its own facet, or a neighbour in a crease) goes on."""
_CHUNK = 200_000
_SHARP = 25.0
"""Degrees between two facets from which their edge is an edge to a person."""
_BEND = 50.0
"""Degrees by which a round edge may turn from one of its corners to the next."""
_ROUND = 0.06
"""Share of the radius by which the corners of a round edge may be off the circle."""
_MOST_CORNERS = 5_000


def thickness(solid: Solid, facets: NDArray[np.int64] | None = None, job: Job = QUIET) -> Floats:
    """(k,) mm straight through the solid from the middle of each facet, against its normal; inf where there is no
    other side (an open surface).

    facets : which ones; all by default

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """
    chosen = np.arange(len(solid.triangles)) if facets is None else facets
    middle = solid.bounds.mean(axis=0)
    scene = rtcore_scene.EmbreeScene()
    # kept by a name: the scene does not hold on to it
    mesh = TriangleMesh(scene, (solid.vertices - middle)[solid.triangles].astype(np.float32))  # noqa: F841
    lift = _LIFT * solid.diagonal
    found = np.empty(len(chosen))
    for start in range(0, len(chosen), _CHUNK):
        job.step(start / max(len(chosen), 1), "Measuring the walls")
        part = chosen[start : start + _CHUNK]
        found[start : start + _CHUNK] = _through(scene, solid, part, middle, lift)
    return found


def _through(
    scene: rtcore_scene.EmbreeScene, solid: Solid, facets: NDArray[np.int64], middle: Floats, lift: float
) -> Floats:  # fmt: skip
    """(k,) mm from the middle of each facet to where a ray against its normal leaves the solid; inf where it never
    does."""
    inward = -solid.normals[facets]
    length = np.full(len(facets), lift)
    out = np.full(len(facets), np.inf)
    going = np.flatnonzero(solid.areas[facets] > 0)
    for _ in range(_TRIES):
        if not len(going):
            break
        origin = solid.centroids[facets[going]] - middle + length[going, None] * inward[going]
        met = scene.run(origin.astype(np.float32), inward[going].astype(np.float32), output=True)
        hit = met["primID"] >= 0
        going, met = going[hit], {"primID": met["primID"][hit], "tfar": met["tfar"][hit]}
        length[going] += met["tfar"]
        leaves = np.einsum("ij,ij->i", solid.normals[met["primID"]], inward[going]) > 0
        out[going[leaves]] = length[going[leaves]]
        going = going[~leaves]
        length[going] += lift
    return out


def thinnest(walls: Floats, areas: Floats, least: float = 1.0) -> float:
    """mm: the wall that ``least`` mm2 of the surface have less of behind them. A single small facet on a sharp edge
    has next to nothing behind it, and says nothing about the wall.

    walls, areas : (m,) of each facet
    """
    order = np.argsort(walls)
    at = int(np.searchsorted(np.cumsum(areas[order]), min(least, 0.5 * float(areas.sum()))))
    return float(walls[order[min(at, len(order) - 1)]])


@dataclass(frozen=True, eq=False)
class RoundEdge:
    """diameter : mm; off : mm, the most by which a corner is off the circle; corners : (k, 3) along the edge, mm"""

    diameter: float
    off: float
    corners: Floats


def round_edge(solid: Solid, near: Floats) -> RoundEdge:
    """The round edge that passes nearest to a point: a circle through the corners of a sharp edge, fitted by least
    squares (Kasa 1976, A circle fitting procedure and its error analysis), in their plane.

    near : (3,) mm, in the frame of the solid

    Raises
    ------
    BadPlan : there is no sharp edge, or the one there is not round.
    """
    edges = _sharp_edges(solid)
    remedy = "Point at the rim of a hole or of a round foot."
    if not len(edges):
        raise BadPlan("There is no sharp edge on this model to measure.", remedy=remedy)
    way = _edge_through(solid.vertices, edges, near)
    points = solid.vertices[way]
    if len(points) < 5:
        raise BadPlan("That edge is straight, or too short to measure.", remedy=remedy)
    middle = points.mean(axis=0)
    _, _, axes = np.linalg.svd(points - middle, full_matrices=False)
    x, y = ((points - middle) @ axes[:2].T).T
    (a, b, c), *_ = np.linalg.lstsq(np.stack([x, y, np.ones(len(x))], axis=1), x * x + y * y, rcond=None)
    radius = float(np.sqrt(max(c + (a * a + b * b) / 4, 0.0)))
    off = np.hypot(np.hypot(x - a / 2, y - b / 2) - radius, (points - middle) @ axes[2])
    if not off.max() <= _ROUND * radius:
        raise BadPlan("That edge is not round.", remedy=remedy)
    return RoundEdge(2 * radius, float(off.max()), points)


def _sharp_edges(solid: Solid) -> NDArray[np.int64]:
    """(k, 2) edges whose two facets meet at more than the sharp angle."""
    count = np.int64(len(solid.vertices))
    start = solid.triangles.astype(np.int64)
    end = np.roll(start, -1, axis=1)
    key = (np.minimum(start, end) * count + np.maximum(start, end)).ravel()
    order = np.argsort(key, kind="stable")
    same = key[order][1:] == key[order][:-1]
    facets = order // 3
    cosine = np.einsum("ij,ij->i", solid.normals[facets[1:]], solid.normals[facets[:-1]])
    sharp = key[order][1:][same & (cosine < np.cos(np.radians(_SHARP)))]
    return np.stack([sharp // count, sharp % count], axis=1)


def _edge_through(vertices: Floats, edges: NDArray[np.int64], near: Floats) -> NDArray[np.int64]:
    """Corners along the sharp edge nearest to a point, followed both ways while it turns little."""
    a, b = vertices[edges[:, 0]], vertices[edges[:, 1]]
    along = b - a
    share = np.clip(np.einsum("ij,ij->i", near - a, along) / np.maximum((along**2).sum(axis=1), 1e-300), 0, 1)
    first = edges[int(np.argmin(np.linalg.norm(a + share[:, None] * along - near, axis=1)))]
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
