"""Compiled loops for exact sections and shadows of a triangle surface. No classes. See ``kernels`` for the grid."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from .kernels import FAST


@njit(**FAST)
def _crossing(vertices, low, high, level):
    """Where an edge from a corner below a level to one above passes it; the same for both facets of the edge."""
    share = (level - vertices[low, 2]) / (vertices[high, 2] - vertices[low, 2])
    x = vertices[low, 0] + share * (vertices[high, 0] - vertices[low, 0])
    y = vertices[low, 1] + share * (vertices[high, 1] - vertices[low, 1])
    return x, y


@njit(**FAST)
def section_areas(vertices, triangles, base, thickness, count, last, x0, y0):
    """(count,) mm2 enclosed by a closed surface in the middle of each layer: half the sum of p x q over the segments
    p to q in which it meets the level (Green's theorem), each walked with the inside on its left. What several skins
    enclose counts as often.

    vertices : (n, 3) mm, bed frame; base : mm, bottom of the first layer; thickness : mm of a layer
    last : mm, where the last layer is looked at; x0, y0 : mm, near the surface, to keep the sums small
    """
    areas = np.zeros(count)
    for f in range(len(triangles)):
        a, b, c = triangles[f, 0], triangles[f, 1], triangles[f, 2]
        za, zb, zc = vertices[a, 2], vertices[b, 2], vertices[c, 2]
        low, high = min(za, zb, zc), max(za, zb, zc)
        first = max(int(math.floor((low - base) / thickness - 0.5)), 0)
        for layer in range(first, count):
            level = base + (layer + 0.5) * thickness if layer < count - 1 else last
            if level >= high:
                break
            if level < low:
                continue
            # a corner on the level counts as above it
            up_a, up_b, up_c = za > level, zb > level, zc > level
            if up_a != up_b and up_a != up_c:
                one, two, three = a, b, c
                alone = up_a
            elif up_b != up_a and up_b != up_c:
                one, two, three = b, c, a
                alone = up_b
            elif up_c != up_a:
                one, two, three = c, a, b
                alone = up_c
            else:
                continue
            if alone:  # the lone corner is above: the edge into it rises, the one out of it falls
                px, py = _crossing(vertices, two, one, level)
                qx, qy = _crossing(vertices, three, one, level)
            else:
                px, py = _crossing(vertices, one, three, level)
                qx, qy = _crossing(vertices, one, two, level)
            areas[layer] += 0.5 * ((px - x0) * (qy - y0) - (py - y0) * (qx - x0))
    return areas


@njit(**FAST)
def doubled_share(start, heights, facets):
    """Share of what lies within a column field that lies in two skins at once."""
    inside = doubled = 0.0
    for cell in range(len(start) - 1):
        winding = 0
        for n in range(start[cell], start[cell + 1] - 1):
            winding += 1 if facets[n] < 0 else -1
            if winding > 0:
                length = heights[n + 1] - heights[n]
                inside += length
                if winding > 1:
                    doubled += length
    return doubled / inside if inside > 0.0 else 0.0


@njit(**FAST)
def shadow_area(vertices, triangles, chosen, low, step, rows):
    """mm2 that some facets cover seen from above: exact along x in each row, rows at the middle of equal steps of y.

    chosen : (m,) bool; low : mm, least y; step : mm between rows
    """
    count = 0
    starts = np.zeros(rows + 1, np.int64)
    for turn in range(2):  # first how many intervals each row gets, then the intervals
        if turn == 1:
            for row in range(rows):
                starts[row + 1] += starts[row]
            ends = np.empty((starts[rows], 2))
            filled = starts[:rows].copy()
        for f in range(len(triangles)):
            if not chosen[f]:
                continue
            a, b, c = triangles[f, 0], triangles[f, 1], triangles[f, 2]
            ay, by, cy = vertices[a, 1], vertices[b, 1], vertices[c, 1]
            first = max(int(math.ceil((min(ay, by, cy) - low) / step - 0.5)), 0)
            for row in range(first, rows):
                y = low + (row + 0.5) * step
                if y >= max(ay, by, cy):
                    break
                if turn == 0:
                    starts[row + 1] += 1
                    continue
                left, right = np.inf, -np.inf
                for p, q in ((a, b), (b, c), (c, a)):
                    py, qy = vertices[p, 1], vertices[q, 1]
                    if (py <= y) != (qy <= y):
                        if p > q:  # the same number from both sides of the edge
                            p, q = q, p
                            py, qy = qy, py
                        x = vertices[p, 0] + (y - py) * (vertices[q, 0] - vertices[p, 0]) / (qy - py)
                        left, right = min(left, x), max(right, x)
                ends[filled[row], 0], ends[filled[row], 1] = left, right
                filled[row] += 1
    total = 0.0
    for row in range(rows):
        here = ends[starts[row] : starts[row + 1]]
        reach = -np.inf
        for n in np.argsort(here[:, 0]):
            left, right = here[n, 0], here[n, 1]
            if right > reach:
                total += right - max(left, reach)
                reach = right
        count += len(here)
    return total * step
