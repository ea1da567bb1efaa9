"""The compiled loop that fills the picture of a layer."""

import math

import numba
import numpy as np

from ...mesh.array_kernels import add_up, sorted_order


@numba.njit(cache=True, nogil=True)
def passed(points, first, last, n, pixel, rows):
    """The next edge of a closed line and the rows that it passes.

    Parameters
    ----------
    first, last
        The range of the line's points.

    Returns
    -------
    tuple
        The number of the next point, the heights of both points in rows, the first row between them, and the row
        after the last.
    """
    after = n + 1 if n + 1 < last else first
    ya, yb = points[n, 1] / pixel - 0.5, points[after, 1] / pixel - 0.5
    return after, ya, yb, max(math.ceil(min(ya, yb)), 0), min(math.ceil(max(ya, yb)), rows)


@numba.njit(cache=True, nogil=True)
def filled(points, start, pixel, columns, rows):
    """Fill closed lines by the non-zero winding rule. A pixel is set if its middle is inside. The first row is at
    the back.

    Parameters
    ----------
    points : (n, 2), mm
    start : (lines + 1,)
    pixel : mm
        The width of a pixel.

    Returns
    -------
    tuple of ((rows, ceil(columns / 8)) uint8, int)
        Eight pixels to a byte, the left one in its highest bit; and the number of pixels that are set.
    """
    first = np.zeros(rows + 1, np.int64)
    for line in range(len(start) - 1):
        for n in range(start[line], start[line + 1]):
            _, _, _, low, high = passed(points, start[line], start[line + 1], n, pixel, rows)
            for row in range(low, high):
                first[row + 1] += 1
    add_up(first)
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
        order = sorted_order(crossed, low, high)
        winding = begun = np.int64(0)
        for k in range(high - low):
            n = order[k]
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
    """Set the pixels of a row from low on, up to the one before high.

    Parameters
    ----------
    line : (bytes,)
        The bytes of one row.
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
