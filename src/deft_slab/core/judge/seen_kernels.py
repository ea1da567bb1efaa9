"""Compiled loops of exposure: depth maps, and what they say is seen. See ``kernels`` for the notation."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from .kernels import FAST, WIDE, left_of, narrowed, slopes_of, span_of


@njit(**FAST)
def depth_map(placed, triangles, nx, highest, lowest):
    """The highest and the lowest hit of every cell, into highest, which comes filled with -inf, and lowest (inf)."""
    for f in range(len(triangles)):
        a, b, c = np.uint32(triangles[f, 0]), np.uint32(triangles[f, 1]), np.uint32(triangles[f, 2])
        ay, by, cy = placed[a, 1], placed[b, 1], placed[c, 1]
        j0, j1 = span_of(ay, by, cy)
        if j0 >= j1:
            continue
        ax, bx, cx = placed[a, 0], placed[b, 0], placed[c, 0]
        i0, i1 = span_of(ax, bx, cx)
        if i0 >= i1:
            continue
        az, bz, cz = placed[a, 2], placed[b, 2], placed[c, 2]
        low, high = min(az, bz, cz), max(az, bz, cz)
        slope_x, slope_y = slopes_of(ax, ay, az, bx, by, bz, cx, cy, cz)
        for j in range(j0, j1):
            first, end = i0, i1
            if i1 - i0 > WIDE:
                first, end = narrowed(ax, ay, bx, by, cx, cy, j, i0, i1)
            for i in range(first, end):
                cell = j * nx + i
                if highest[cell] >= high and lowest[cell] <= low:
                    continue
                left = left_of(a, ax, ay, b, bx, by, i, j)
                if left_of(b, bx, by, c, cx, cy, i, j) != left or left_of(c, cx, cy, a, ax, ay, i, j) != left:
                    continue
                z = min(max(az + slope_x * (i - ax) + slope_y * (j - ay), low), high)
                if z > highest[cell]:
                    highest[cell] = z
                if z < lowest[cell]:
                    lowest[cell] = z


@njit(**FAST)
def add_seen(centroids, normals, rotation, x0, y0, h, nx, ny, highest, lowest, reach, from_above, from_below, seen):
    """Adds the cosine of each facet, weighted, to ``seen`` where nothing stands before it.

    What faces up is looked at from above, what faces down from below.

    centroids, normals : (m, 3) model frame; rotation : (3, 3) to the frame of the depth maps
    reach : mm, how far behind the depth map a facet may lie and still count as its surface
    from_above, from_below : weight of the two directions
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
