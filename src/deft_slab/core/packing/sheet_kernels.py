"""Compiled loops of packing: filling cells, and finding the first free place."""

import numba
import numpy as np

from ..mesh.array_kernels import sorted_order

_NONE = -(2**30)


@numba.njit(cache=True, nogil=True)
def runs_of(corners, starts, cell, rows):
    """The cells whose centres are inside polygons, as runs.

    Parameters
    ----------
    corners : (n, 2), mm
        Closed rings one after the other, without repeating their first point.
    starts : (r + 1,)
        Where the rings begin.
    cell : float, mm
        The size of a cell.
    rows : int
        The rows of the grid, whose low corner is at 0, 0.

    Returns
    -------
    (k, 3) int32
        Row, first cell, and cell after the last, in order.
    """
    found = np.empty((64, 3), np.int32)
    count = 0
    crossings, nothing = np.empty(len(corners), np.float64), np.int64(0)  # a plain 0 is compiled once more
    for row in range(rows):
        y = (row + 0.5) * cell
        met = nothing
        for ring in range(len(starts) - 1):
            first, last = starts[ring], starts[ring + 1]
            for n in range(first, last):
                after = n + 1 if n + 1 < last else first
                ay, by = corners[n, 1], corners[after, 1]
                if (ay <= y) != (by <= y):
                    share = (y - ay) / (by - ay)
                    crossings[met] = corners[n, 0] + share * (corners[after, 0] - corners[n, 0])
                    met += 1
        if met == 0:
            continue
        order = sorted_order(crossings, nothing, met)
        for n in range(0, met - 1, 2):
            start = int(np.ceil(crossings[order[n]] / cell - 0.5))
            stop = int(np.floor(crossings[order[n + 1]] / cell - 0.5)) + 1
            if stop <= start:
                continue
            if count > 0 and found[count - 1, 0] == row and found[count - 1, 2] >= start:
                found[count - 1, 2] = max(found[count - 1, 2], stop)
                continue
            if count == len(found):
                more = np.empty((2 * count, 3), np.int32)
                for k in range(count):
                    for part in range(3):
                        more[k, part] = found[k, part]
                found = more
            found[count, 0], found[count, 1], found[count, 2] = row, start, stop
            count += 1
    return found[:count].copy()


@numba.njit(cache=True, nogil=True)
def first_free(last, used, runs, rows, columns, row, column):
    """The first place where no cell of a shape is taken, in rows from the front, each from the left; (-1, -1) if
    there is none.

    Parameters
    ----------
    last : (rows, columns)
        For each cell the last taken cell in its row that is not after it.
    used : (rows,)
        Rows from which on nothing is taken.
    runs : (k, 3)
        The cells of the shape; see ``runs_of``.
    rows, columns : int
        How many places there are for it.
    row, column : int
        Where to begin.
    """
    for y in range(row, rows):
        if y >= used:
            return (y, 0) if columns > 0 else (-1, -1)
        x = column if y == row else 0
        while x < columns:
            ahead = x
            for n in range(len(runs)):
                line = y + runs[n, 0]
                if line >= used:
                    continue
                taken = last[line, x + runs[n, 2] - 1]
                if taken >= x + runs[n, 1]:
                    ahead = taken - runs[n, 1] + 1
                    break
            if ahead == x:
                return y, x
            x = ahead
    return -1, -1


@numba.njit(cache=True, nogil=True)
def take(last, runs, row, column):
    """Take the cells of a shape at a place; what is beyond the sheet is ignored. See ``first_free``."""
    rows, columns = last.shape
    for n in range(len(runs)):
        line = row + runs[n, 0]
        if line < 0 or line >= rows:
            continue
        start, stop = max(column + runs[n, 1], 0), min(column + runs[n, 2], columns)
        if stop <= start:
            continue
        for x in range(start, stop):
            last[line, x] = x
        x = stop
        while x < columns and last[line, x] < start:
            last[line, x] = stop - 1
            x += 1
        while x < columns and last[line, x] < stop - 1:
            last[line, x] = stop - 1
            x += 1


@numba.njit(cache=True, nogil=True)
def empty_sheet(rows, columns):
    """A sheet on which nothing is taken; see ``first_free``.

    Returns
    -------
    (rows, columns) int32
    """
    return np.full((rows, columns), _NONE, np.int32)


@numba.njit(cache=True, nogil=True)
def distance(a, a_starts, x, y, b, b_starts, most):
    """The distance between the outlines of two shapes: 0 if they cross, ``most`` if it is more than that.

    Shapely's prepared dwithin and distance give the same packing: 12,251 calls took 1.4 s of 2.7 s, against 0.13 s of
    1.0 s with this function.

    Parameters
    ----------
    a, b : (n, 2), mm
        Closed rings, see ``runs_of``; a is moved by x, y.
    a_starts, b_starts
        Where the rings begin.

    Returns
    -------
    float, mm
    """
    least = most * most
    low_x, low_y, high_x, high_y = np.inf, np.inf, -np.inf, -np.inf
    for n in range(len(b)):
        low_x, high_x = min(low_x, b[n, 0]), max(high_x, b[n, 0])
        low_y, high_y = min(low_y, b[n, 1]), max(high_y, b[n, 1])
    for ring in range(len(a_starts) - 1):
        for n in range(a_starts[ring], a_starts[ring + 1]):
            after = n + 1 if n + 1 < a_starts[ring + 1] else a_starts[ring]
            px, py, qx, qy = a[n, 0] + x, a[n, 1] + y, a[after, 0] + x, a[after, 1] + y
            left, right, front, back = min(px, qx), max(px, qx), min(py, qy), max(py, qy)
            reach = np.sqrt(least)
            if left - high_x > reach or low_x - right > reach or front - high_y > reach or low_y - back > reach:
                continue
            for other in range(len(b_starts) - 1):
                for m in range(b_starts[other], b_starts[other + 1]):
                    behind = m + 1 if m + 1 < b_starts[other + 1] else b_starts[other]
                    rx, ry, sx, sy = b[m, 0], b[m, 1], b[behind, 0], b[behind, 1]
                    if left - max(rx, sx) > reach or min(rx, sx) - right > reach:
                        continue
                    if front - max(ry, sy) > reach or min(ry, sy) - back > reach:
                        continue
                    one = _side(px, py, qx, qy, rx, ry) * _side(px, py, qx, qy, sx, sy)
                    two = _side(rx, ry, sx, sy, px, py) * _side(rx, ry, sx, sy, qx, qy)
                    if one < 0 and two < 0:
                        return 0.0
                    square = min(
                        min(_to_line(px, py, rx, ry, sx, sy), _to_line(qx, qy, rx, ry, sx, sy)),
                        min(_to_line(rx, ry, px, py, qx, qy), _to_line(sx, sy, px, py, qx, qy)),
                    )
                    if square < least:
                        least = square
                        reach = np.sqrt(least)
    return np.sqrt(least)


@numba.njit(cache=True, nogil=True)
def _side(ax, ay, bx, by, x, y):
    return (bx - ax) * (y - ay) - (by - ay) * (x - ax)


@numba.njit(cache=True, nogil=True)
def _to_line(x, y, ax, ay, bx, by):
    """The squared distance from a point to a segment."""
    length = (bx - ax) ** 2 + (by - ay) ** 2
    share = 0.0
    if length > 0:
        share = min(1.0, max(0.0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / length))
    return (x - ax - share * (bx - ax)) ** 2 + (y - ay - share * (by - ay)) ** 2
