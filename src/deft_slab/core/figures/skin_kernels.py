"""Compiled loops of the skin around support. The notation is that of ``column_kernels``."""

from __future__ import annotations

import numpy as np
from numba import njit

from .column_kernels import FAST


@njit(**FAST)
def _corner_level(start, low, high, levels, nx, ny, ci, cj, bottom, top):
    """The mean level, at grid corner (ci, cj), of the intervals of its four cells that overlap bottom to top; the
    levels are ``low`` or ``high``.
    """
    total, count = 0.0, 0
    for dj in range(-1, 1):
        for di in range(-1, 1):
            i, j = ci + di, cj + dj
            if i < 0 or j < 0 or i >= nx or j >= ny:
                continue
            cell = j * nx + i
            for n in range(start[cell], start[cell + 1]):
                if low[n] < top and high[n] > bottom:
                    total += levels[n]
                    count += 1
                    break
    return total / count


@njit(**FAST)
def _within(start, heights, facets, cell, bottom, top):
    """How much of a column's length between two heights lies inside the piece."""
    length = 0.0
    winding = 0
    for n in range(start[cell], start[cell + 1] - 1):
        winding += 1 if facets[n] < 0 else -1
        if winding > 0:
            length += max(min(heights[n + 1], top) - max(heights[n], bottom), 0.0)
    return length


@njit(**FAST)
def _put(quads, n, k, i, j, z):
    quads[n, k, 0], quads[n, k, 1], quads[n, k, 2] = i, j, z


@njit(**FAST)
def skin_quads(start, low, high, nx, ny, hit_start, heights, facets, quads):
    """The outer skin of a field of intervals, as quads; returns how many.

    What leans on the piece, walls, tops and floors, is left out, because it would coincide with the piece's own
    surface.

    Parameters
    ----------
    start : (nx * ny + 1,)
        Where the intervals of each cell begin.
    low, high : (k,) float64, mm
        The ends of the intervals.
    hit_start, heights, facets
        The column field that the intervals came from.
    quads : (q, 4, 3) float64
        Output: grid corner i and j (whole numbers) and the height in mm; large enough for five quads per
        interval.
    """
    count = np.int64(0)
    ci = np.array([0, 1, 1, 0])
    cj = np.array([0, 0, 1, 1])
    for j in range(ny):
        for i in range(nx):
            cell = j * nx + i
            for n in range(start[cell], start[cell + 1]):
                bottom, top = low[n], high[n]
                tops = np.empty(4)
                bottoms = np.empty(4)
                for k in range(4):
                    tops[k] = _corner_level(start, low, high, high, nx, ny, i + ci[k], j + cj[k], bottom, top)
                    bottoms[k] = _corner_level(start, low, high, low, nx, ny, i + ci[k], j + cj[k], bottom, top)
                if bottom <= 0.0:
                    for k in range(4):
                        _put(quads, count, k, i + ci[3 - k], j + cj[3 - k], 0.0)
                    count += 1
                for side in range(4):
                    ni = i + (side == 1) - (side == 3)
                    nj = j + (side == 2) - (side == 0)
                    covered = False
                    if 0 <= ni < nx and 0 <= nj < ny:
                        other = nj * nx + ni
                        for m in range(start[other], start[other + 1]):
                            if low[m] < top and high[m] > bottom:
                                covered = True
                                break
                        if not covered:
                            within = _within(hit_start, heights, facets, other, bottom, top)
                            covered = within > 0.5 * (top - bottom)
                    if covered:
                        continue
                    a, b = side, (side + 1) % 4
                    for k in range(4):
                        at = b if k == 1 or k == 2 else a
                        _put(quads, count, k, i + ci[at], j + cj[at], tops[at] if k > 1 else bottoms[at])
                    count += 1
    return count
