"""Where a cut leaves too little material: thin skins over a parallel surface, edges that taper to nothing, and low
steps.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..arrays import Floats, Ints
from ..cuts import Cut
from ..mesh.solid import Solid, spread_points
from ..results.outcome import ThinPlace
from .seams import seam_of
from .wall_thickness import through

_SHARP_EDGE = 1.7
"""A cut face is thin along its whole edge where it leaves the surface at a slant. What is thin within so many limits
of the edge is that: a slant of more than 30 degrees, which prints."""
_PER_MM2, _FEWEST, _MOST = 4.0, 400, 6000
"""Points that are looked at on a cut face."""
_SMALLEST = 8.0
"""mm2: smaller places are not worth a word."""
_STEP = 25.0
"""Limits squared: a low step over a smaller area is not worth a word."""
_PARALLEL = float(np.cos(np.radians(8.0)))
_SAME = 1e-3
"""mm: a surface that is nearer to the plane of a cut lies in it."""
_MOST_PLACES = 8


def thin_places(pieces: Sequence[Solid], cut: Cut, limit: float) -> tuple[ThinPlace, ...]:
    """The places where a cut leaves less than a limit, largest first.

    Parameters
    ----------
    pieces : Sequence[Solid]
        Everything that the cut has made.
    limit : float, mm
        The least thickness: two line widths.
    """
    found: list[ThinPlace] = []
    for piece in pieces:
        found += _thin_on(piece, cut.id, limit)
    for normal, offset in cut.planes():
        for piece in pieces:
            found += _steps(piece, normal, offset, limit)
    return tuple(sorted(found, key=lambda one: -one.area)[:_MOST_PLACES])


def _thin_on(piece: Solid, owner: str, limit: float) -> list[ThinPlace]:
    """Where there is less than the limit behind the faces of a cut."""
    from scipy.spatial import cKDTree

    on_cut = piece.by(owner)
    area = float(piece.areas[on_cut].sum())
    if area < _SMALLEST:
        return []
    count = int(np.clip(area * _PER_MM2, _FEWEST, _MOST))
    points, facets = spread_points(piece, count, on_cut)
    length, met = through(piece, points, -piece.normals[facets])
    thin = np.flatnonzero(length < limit)
    if not len(thin):
        return []
    edge = _along(seam_of([piece], owner, None).segments, limit / 2)
    if len(edge):
        distance, _ = cKDTree(edge).query(points[thin])
        thin = thin[distance > _SHARP_EDGE * limit]
    found = []
    spacing = np.sqrt(area / count)
    for own in _groups(points[thin], 3.0 * spacing):
        chosen = thin[own]
        if len(chosen) * area / count < _SMALLEST:
            continue
        facing = float(np.median(np.einsum("ij,ij->i", piece.normals[met[chosen]], -piece.normals[facets[chosen]])))
        centre = points[chosen].mean(axis=0)
        nearest = chosen[int(np.argmin(np.linalg.norm(points[chosen] - centre, axis=1)))]
        found.append(
            ThinPlace(points[nearest], piece.normals[facets[nearest]], "skin" if facing > _PARALLEL else "sliver",
                      len(chosen) * area / count, float(length[chosen].min()))
        )
    return found


def _steps(piece: Solid, normal: Floats, offset: float, limit: float) -> list[ThinPlace]:
    """Surface that faces a plane slightly in front of it: the cut leaves a stub there that is lower than the limit."""
    facing = piece.normals @ normal
    gap = piece.centroids @ normal - offset
    near = (piece.origin >= 0) & (np.abs(gap) > _SAME) & (np.abs(gap) < limit) & (-np.sign(gap) * facing > _PARALLEL)
    chosen = np.flatnonzero(near)
    found: list[ThinPlace] = []
    if piece.areas[chosen].sum() < _STEP * limit**2:
        return found
    # facets of one flat place share corners or nearly do
    for own in _groups(piece.centroids[chosen], 2.0 * float(np.sqrt(piece.areas[chosen].max())) + limit):
        facets = chosen[own]
        area = float(piece.areas[facets].sum())
        if area >= _STEP * limit**2:
            largest = facets[int(np.argmax(piece.areas[facets]))]
            found.append(
                ThinPlace(piece.centroids[largest], piece.normals[largest], "step", area,
                          float(np.abs(gap[facets]).min()))
            )
    return found


def _along(segments: Floats, step: float) -> Floats:
    """Points along segments, no farther apart than a step.

    Returns
    -------
    (n, 3) float64
    """
    if not len(segments):
        return np.empty((0, 3))
    lengths = np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1)
    counts = np.ceil(lengths / step).astype(np.int64) + 1
    of = np.repeat(np.arange(len(segments)), counts)
    place = np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts)
    share = (place / np.maximum(counts[of] - 1, 1))[:, None]
    return np.asarray((1 - share) * segments[of, 0] + share * segments[of, 1])


def _groups(points: Floats, reach: float) -> list[Ints]:
    """The numbers of the points in each group: from one point to the next it is no farther than the reach."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    if not len(points):
        return []
    pairs = cKDTree(points).query_pairs(reach, output_type="ndarray")
    joined = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
    count, of = connected_components(joined, directed=False)
    return [np.flatnonzero(of == number) for number in range(count)]
