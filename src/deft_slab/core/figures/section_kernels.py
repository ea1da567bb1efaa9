"""Compiled loops for exact sections and shadows of a triangle surface. The grid is described in ``column_kernels``."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from ..mesh.array_kernels import add_up, sorted_order
from .column_kernels import FAST


@njit(**FAST)
def section_areas(heights, triangles, upward, base, thickness, count, last):
    """The area that a closed surface encloses in the middle of each layer.

    What lies above a level covers as much area as the section does (the divergence theorem for a constant field). So
    the section is the sum of the facets' areas seen from above, negative where they face down, over what of each lies
    above the level. Where several skins enclose a place, it counts several times.

    Parameters
    ----------
    heights : (n,), mm
        The z of the vertices.
    upward : (m,), mm2
        The area of the facets times the z of their normals.
    base : mm
        The bottom of the first layer.
    thickness : mm
        The thickness of a layer.
    last : mm
        The height at which the last layer is cut.

    Returns
    -------
    (count,) float64, mm2
    """
    areas = np.zeros(count)
    steps = np.zeros(count + 1)
    levels = np.empty(count)
    for n in range(count):
        levels[n] = base + (n + 0.5) * thickness
    levels[count - 1] = last
    for f in range(len(triangles)):
        p, q, r = heights[triangles[f, 0]], heights[triangles[f, 1]], heights[triangles[f, 2]]
        low, high = min(p, q, r), max(p, q, r)
        middle = max(min(p, q), min(max(p, q), r))
        area = upward[f]
        layer = min(max(int((low - base) / thickness - 0.5), 0), count)
        while layer > 0 and levels[layer - 1] >= low:
            layer -= 1
        while layer < count and levels[layer] < low:
            layer += 1
        steps[layer] += area  # all of it lies over the levels before this one
        below = area / ((middle - low) * (high - low))
        while layer < count and levels[layer] < middle:
            areas[layer] += area - below * (levels[layer] - low) ** 2
            layer += 1
        above = area / ((high - middle) * (high - low))
        while layer < count and levels[layer] < high:
            areas[layer] += above * (high - levels[layer]) ** 2
            layer += 1
    over = 0.0
    for layer in range(count - 1, -1, -1):
        over += steps[layer + 1]
        areas[layer] += over
    return areas


@njit(**FAST)
def doubled_share(start, heights, facets):
    """How much of what lies inside a column field lies in two skins at once, as a share."""
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
    """The area that some facets cover seen from above: exact along x in each row, with rows in the middle of equal
    steps of y.

    Parameters
    ----------
    chosen : (m,) bool
    low : mm
        The lowest y.
    step : mm
        The distance between rows.

    Returns
    -------
    float, mm2
    """
    starts = np.zeros(rows + 1, np.int64)
    for turn in range(2):  # first how many intervals each row gets, then the intervals
        if turn == 1:
            add_up(starts)
            lefts, rights = np.empty(starts[rows]), np.empty(starts[rows])
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
                lefts[filled[row]], rights[filled[row]] = left, right
                filled[row] += 1
    total = 0.0
    for row in range(rows):
        reach = -np.inf
        for n in sorted_order(lefts, starts[row], starts[row + 1]):
            left, right = lefts[n], rights[n]
            if right > reach:
                total += right - max(left, reach)
                reach = right
    return total * step
