"""Compiled loops for mending."""

from __future__ import annotations

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def least_area(points, choice, cost):
    """Fill ``choice[i, j]`` with the vertex k that closes the span i..j of a loop with the least area, and ``cost[i,
    j]`` with that area.

    Method: Barequet and Sharir 1995, Filling gaps in the boundary of a polyhedron (dynamic programming over spans).

    Parameters
    ----------
    points : (n, 3)
    choice, cost : (n, n)
    """
    n = len(points)
    for span in range(2, n):
        for i in range(n - span):
            j = i + span
            best, at = np.inf, -1
            ux, uy, uz = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            for k in range(i + 1, j):
                wx, wy, wz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
                cx, cy, cz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
                total = 0.5 * math.sqrt(cx * cx + cy * cy + cz * cz) + cost[i, k] + cost[k, j]
                if total < best:
                    best, at = total, k
            choice[i, j] = at
            cost[i, j] = best


@njit(cache=True, nogil=True)
def winding_sums(start, facets, weight):
    """The weight of those hits of columns at which the winding number does not change between 0 and 1, and the
    weight of all hits.

    Parameters
    ----------
    start, facets
        As in ``column_field.Columns``.
    weight : (m,) float64
        The weight of a hit on each facet.
    """
    bad = whole = 0.0
    for cell in range(len(start) - 1):
        winding = 0
        for n in range(start[cell], start[cell + 1]):
            f = facets[n]
            after = winding + 1 if f < 0 else winding - 1
            hit = weight[-1 - f] if f < 0 else weight[f]
            whole += hit
            if not ((winding == 0 and after == 1) or (winding == 1 and after == 0)):
                bad += hit
            winding = after
    return bad, whole
