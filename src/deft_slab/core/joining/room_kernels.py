"""Compiled loops about the room on contacts. No classes."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..judge.kernels import FAST

_FAR = 1e12


@njit(**FAST)
def _along(row, out, hull, bounds):
    """Squared distances along one row: the lower envelope of parabolas (Felzenszwalb and Huttenlocher 2012)."""
    n, last = len(row), -1
    for q in range(n):
        if row[q] >= _FAR:
            continue
        start = -np.inf
        while last >= 0:
            p = hull[last]
            start = ((row[q] + q * q) - (row[p] + p * p)) / (2.0 * (q - p))
            if start > bounds[last]:
                break
            last -= 1
        last += 1
        hull[last] = q
        bounds[last] = start if last > 0 else -np.inf
    if last < 0:
        out[:] = _FAR
        return
    k = 0
    for q in range(n):
        while k < last and bounds[k + 1] < q:
            k += 1
        out[q] = (q - hull[k]) ** 2 + row[hull[k]]


@njit(**FAST)
def free_around(cells):
    """(rows, columns) float64: distance from each cell to the nearest one that is not chosen, in cells, to its near
    side; 0 for those themselves. cells : (rows, columns) bool, whose outermost ones are not chosen"""
    rows, columns = cells.shape
    squared = np.empty((rows, columns))
    longest = max(rows, columns)
    line, out = np.empty(longest), np.empty(longest)
    hull, bounds = np.empty(longest, np.int64), np.empty(longest)
    for i in range(rows):
        for j in range(columns):
            line[j] = _FAR if cells[i, j] else 0.0
        _along(line[:columns], out[:columns], hull, bounds)
        squared[i] = out[:columns]
    for j in range(columns):
        line[:rows] = squared[:, j]
        _along(line[:rows], out[:rows], hull, bounds)
        for i in range(rows):
            squared[i, j] = max(np.sqrt(out[i]) - 0.5, 0.0)
    return squared
