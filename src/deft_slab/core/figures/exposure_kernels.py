"""Compiled loops of exposure: depth maps, and what is visible in them. The notation is that of ``column_kernels``."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from .column_kernels import FAST, by_row, rounded_up, shorter_edge, slopes_of, whole_cells


@njit(**FAST)
def depth_map(placed, triangles, nx, highest, lowest):
    """Write the highest and the lowest hit of every cell into ``highest``, which comes filled with -inf, and
    ``lowest`` (inf).
    """
    across, rows = whole_cells(placed)
    for f in range(len(triangles)):
        a, b, c = np.uint32(triangles[f, 0]), np.uint32(triangles[f, 1]), np.uint32(triangles[f, 2])
        if rows[a] == rows[b] == rows[c] or across[a] == across[b] == across[c]:
            continue
        a, b, c, _ = by_row(a, b, c, rows)
        ax, ay, az = placed[a, 0], placed[a, 1], placed[a, 2]
        cx, cy, cz = placed[c, 0], placed[c, 1], placed[c, 2]
        bz = placed[b, 2]
        run = (cx - ax) / (cy - ay)
        low, high = min(az, bz, cz), max(az, bz, cz)
        slope_x, slope_y = slopes_of(ax, ay, az, placed[b, 0], placed[b, 1], bz, cx, cy, cz)
        for upper in range(2):
            first, end, x, y, other = shorter_edge(placed, a, b, c, rows, upper == 1)
            for j in range(first, end):
                p, q = rounded_up(ax + (j - ay) * run), rounded_up(x + (j - y) * other)
                for i in range(min(p, q), max(p, q)):
                    cell = j * nx + i
                    z = min(max(az + slope_x * (i - ax) + slope_y * (j - ay), low), high)
                    if z > highest[cell]:
                        highest[cell] = z
                    if z < lowest[cell]:
                        lowest[cell] = z


@njit(**FAST)
def add_seen(centroids, normals, rotation, x0, y0, h, nx, ny, highest, lowest, reach, from_above, from_below, seen):
    """Add the weighted cosine of each facet to ``seen`` if nothing stands in front of it. What faces up is looked at
    from above, what faces down from below.

    Parameters
    ----------
    centroids, normals : (m, 3), model frame
    rotation : (3, 3)
        The rotation to the frame of the depth maps.
    reach : mm
        How far behind the depth map a facet may lie and still count as its surface.
    from_above, from_below
        The weights of the two directions.
    """
    for f in range(len(centroids)):
        p, q, r = normals[f, 0], normals[f, 1], normals[f, 2]
        cosine = rotation[2, 0] * p + rotation[2, 1] * q + rotation[2, 2] * r
        weight = from_above if cosine > 0.0 else from_below
        if cosine == 0.0 or weight == 0.0:
            continue
        slope_x = -(rotation[0, 0] * p + rotation[0, 1] * q + rotation[0, 2] * r) / cosine
        slope_y = -(rotation[1, 0] * p + rotation[1, 1] * q + rotation[1, 2] * r) / cosine
        p, q, r = centroids[f, 0], centroids[f, 1], centroids[f, 2]
        x = rotation[0, 0] * p + rotation[0, 1] * q + rotation[0, 2] * r
        y = rotation[1, 0] * p + rotation[1, 1] * q + rotation[1, 2] * r
        z = rotation[2, 0] * p + rotation[2, 1] * q + rotation[2, 2] * r
        i = min(max(int(math.floor((x - x0) / h)), 0), nx - 1)
        j = min(max(int(math.floor((y - y0) / h)), 0), ny - 1)
        # the facet's own plane, at the point where the depth map was sampled
        shift = slope_x * (x0 + (i + 0.5) * h - x) + slope_y * (y0 + (j + 0.5) * h - y)
        z += min(max(shift, -2.0 * h), 2.0 * h)
        if cosine > 0.0:
            if z >= highest[j * nx + i] - reach:
                seen[f] += weight * cosine
        elif z <= lowest[j * nx + i] + reach:
            seen[f] -= weight * cosine
