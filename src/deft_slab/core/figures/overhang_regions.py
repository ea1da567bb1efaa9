"""Overhang regions: connected regions that need support, largest first, and what each of them means."""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats, Ints
from ..mesh.solid import Solid
from ..mesh.union_find import linked
from ..results.outcome import OverhangSpot
from .piece_figures import Measured

MOST_SPOTS = 60
_LEAST_AREA = 0.5
"""mm2: a spot smaller than this is not listed."""


def overhang_spots(solid: Solid, measured: Measured, show: Bools | None) -> tuple[OverhangSpot, ...]:
    """The overhang regions of a measured tilt, largest first.

    Parameters
    ----------
    show : (m,) bool
        Which facets are show faces.
    """
    needy = np.flatnonzero(measured.past_threshold >= 0)
    if not len(needy):
        return ()
    corners = solid.triangles[needy]
    of_vertex = linked(np.concatenate([corners[:, :2], corners[:, 1:]]), len(solid.vertices))
    spot = np.unique(of_vertex[corners[:, 0]], return_inverse=True)[1].ravel()
    areas = solid.areas[needy]
    area = np.bincount(spot, areas)
    gap, on_piece = _gaps(solid, measured, needy, spot, len(area))
    order = [number for number in np.argsort(-area, kind="stable")[:MOST_SPOTS] if area[number] >= _LEAST_AREA]
    found = []
    for number in order:
        own = needy[spot == number]
        weight = solid.areas[own]
        middle = np.average(solid.centroids[own], axis=0, weights=weight)
        nearest = own[int(np.argmin(np.linalg.norm(solid.centroids[own] - middle, axis=1)))]
        angles = measured.past_threshold[own]
        place = solid.centroids[nearest]
        found.append(
            OverhangSpot(
                float(area[number]), float(np.average(angles, weights=weight)),
                float(gap[number]), bool(on_piece[number]),
                bool(show is not None and show[own].any()),
                (float(place[0]), float(place[1]), float(place[2])),
                float(np.linalg.norm(np.ptp(solid.vertices[np.unique(solid.triangles[own])], axis=0))),
                own.astype(np.int32),
            )
        )
    return tuple(found)


def _gaps(solid: Solid, measured: Measured, needy: Ints, spot: Ints, count: int) -> tuple[Floats, Bools]:
    """From the columns: the mean gap under each region in mm, and whether most of its support ends on the piece. A
    region that no column hits counts its own height over the bed.
    """
    columns = measured.columns
    number = np.full(len(measured.past_threshold), -1, np.int64)
    number[needy] = spot
    entry = columns.facets < 0
    of_hit = np.where(entry, number[np.where(entry, -1 - columns.facets, 0)], -1)
    hit = np.flatnonzero(of_hit >= 0)
    depth = columns.heights[hit] - measured.floors[hit]
    hits = np.bincount(of_hit[hit], minlength=count)
    total = np.bincount(of_hit[hit], depth, minlength=count)
    over_piece = np.bincount(of_hit[hit], measured.floors[hit] > 1e-9, minlength=count)
    heights = measured.seated.vertices[:, 2]
    low = np.full(count, np.inf)
    np.minimum.at(low, spot, heights[solid.triangles[needy]].min(axis=1))
    gap = np.where(hits > 0, total / np.maximum(hits, 1), low)
    return gap, over_piece > 0.5 * np.maximum(hits, 1)
