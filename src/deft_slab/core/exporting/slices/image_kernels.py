"""Filling the picture of a layer, compiled."""

import math

import numba
import numpy as np


@numba.njit(cache=True, nogil=True)
def passed(points, first, last, n, pixel, rows):
    """(the point after one of a closed line, their heights in rows, the first row between them, that after the last).

    Parameters
    ----------
    first, last
        Where the points of the line begin, and end.
    """
    after = n + 1 if n + 1 < last else first
    ya, yb = points[n, 1] / pixel - 0.5, points[after, 1] / pixel - 0.5
    return after, ya, yb, max(math.ceil(min(ya, yb)), 0), min(math.ceil(max(ya, yb)), rows)


@numba.njit(cache=True, nogil=True)
def filled(points, start, pixel, columns, rows):
    """((rows, ceil(columns / 8)) uint8, eight pixels to a byte, the left one its highest bit; how many are set): those
    whose middles closed lines wind around, by the rule that is not zero. The first row is the one at the back.

    Parameters
    ----------
    points : (n, 2), mm
    start : (lines + 1,)
    pixel : mm
        Across.
    """
    first = np.zeros(rows + 1, np.int64)
    for line in range(len(start) - 1):
        for n in range(start[line], start[line + 1]):
            _, _, _, low, high = passed(points, start[line], start[line + 1], n, pixel, rows)
            for row in range(low, high):
                first[row + 1] += 1
    for row in range(rows):
        first[row + 1] += first[row]
    crossed, way, done = np.empty(first[rows]), np.empty(first[rows], np.int8), first[:-1].copy()
    for line in range(len(start) - 1):
        for n in range(start[line], start[line + 1]):
            after, ya, yb, low, high = passed(points, start[line], start[line + 1], n, pixel, rows)
            for row in range(low, high):
                share = (row - ya) / (yb - ya)
                crossed[done[row]] = (points[n, 0] + share * (points[after, 0] - points[n, 0])) / pixel - 0.5
                way[done[row]] = 1 if yb > ya else -1
                done[row] += 1
    bits, count = np.zeros((rows, (columns + 7) // 8), np.uint8), 0
    for row in range(rows):
        low, high = first[row], first[row + 1]
        if low == high:
            continue
        order = np.argsort(crossed[low:high])
        winding, begun = 0, 0
        for k in range(high - low):
            n = low + order[k]
            at = min(max(math.ceil(crossed[n]), 0), columns)
            before = winding
            winding += way[n]
            if before == 0:
                begun = at
            elif winding == 0:
                count += at - begun
                set_bits(bits[rows - 1 - row], begun, at)
    return bits, count


@numba.njit(cache=True, nogil=True)
def set_bits(line, low, high):
    """Parameters
    ----------
    line : (bytes,)
        Of one row; sets the pixels from low on, up to the one before high.
    """
    while low < high and low % 8:
        line[low // 8] |= 128 >> (low % 8)
        low += 1
    while low + 8 <= high:
        line[low // 8] = 255
        low += 8
    while low < high:
        line[low // 8] |= 128 >> (low % 8)
        low += 1
