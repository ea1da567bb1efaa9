"""Compiled loops of the column field and of exposure. No classes.

Notation: a grid of nx by ny square cells of side h over the bed; the sample point of cell (i, j) is
(x0 + (i + 1/2) h, y0 + (j + 1/2) h). In *grid units*, (x - x0) / h - 1/2, sample points are whole numbers.
A *hit* is a facet that covers a sample point, seen from above.

Which sample points belong to a facet (so that a shared edge is counted exactly once):
  rows     an edge a-b crosses row j when (a.y <= j) != (b.y <= j): half-open at the top
  columns  from the left crossing (included) to the right crossing (excluded)
  crossing computed from the lower-numbered corner to the higher one, so both facets of an edge get the same number
  side     exit (+1, facing up) when the left edge runs downward in the facet's own order, else entry (-1)
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, inline="always")
def _up(value):
    """Ceiling, as an integer; quicker than math.ceil."""
    whole = int(value)
    return whole + 1 if whole < value else whole


@njit(cache=True, nogil=True, inline="always")
def _crossing(a, ax, ay, b, bx, by, row):
    """Where the edge between corners number a and b crosses a row, in grid units."""
    if a < b:
        return ax + (row - ay) * (bx - ax) / (by - ay)
    return bx + (row - by) * (ax - bx) / (ay - by)


@njit(cache=True, nogil=True, inline="always")
def _row(a, ax, ay, b, bx, by, c, cx, cy, row):
    """Left crossing, right crossing and side (+1 exit, -1 entry) of a row that the facet spans.

    Exactly two edges cross. Case by which corner is alone on its side of the row; the edge that enters the corner's
    side and the one that leaves it are named in the facet's own order.
    """
    a_below, b_below, c_below = ay <= row, by <= row, cy <= row
    if b_below == c_below:  # a alone: c-a enters, a-b leaves
        enter = _crossing(c, cx, cy, a, ax, ay, row)
        leave = _crossing(a, ax, ay, b, bx, by, row)
        alone_below = a_below
    elif a_below == c_below:  # b alone
        enter = _crossing(a, ax, ay, b, bx, by, row)
        leave = _crossing(b, bx, by, c, cx, cy, row)
        alone_below = b_below
    else:  # c alone
        enter = _crossing(b, bx, by, c, cx, cy, row)
        leave = _crossing(c, cx, cy, a, ax, ay, row)
        alone_below = c_below
    # an edge that enters a corner below runs downward: it is on the left of a facet that faces up
    if enter < leave:
        return enter, leave, (1 if alone_below else -1)
    return leave, enter, (-1 if alone_below else 1)


@njit(cache=True, nogil=True)
def scan(vertices, triangles, x0, y0, h, nx, ny):
    """Every hit of every facet: (cells, heights, facets), in facet order; an exit has facet f, an entry -1 - f."""
    size = 4 * nx * ny + 1024
    cells = np.empty(size, np.int32)
    heights = np.empty(size, np.float64)
    facets = np.empty(size, np.int32)
    count = 0
    scale = 1.0 / h
    for f in range(len(triangles)):
        a, b, c = triangles[f, 0], triangles[f, 1], triangles[f, 2]
        ay = (vertices[a, 1] - y0) * scale - 0.5
        by = (vertices[b, 1] - y0) * scale - 0.5
        cy = (vertices[c, 1] - y0) * scale - 0.5
        j0 = max(_up(min(ay, by, cy)), 0)
        j1 = min(_up(max(ay, by, cy)), ny)
        if j0 >= j1:
            continue
        ax = (vertices[a, 0] - x0) * scale - 0.5
        bx = (vertices[b, 0] - x0) * scale - 0.5
        cx = (vertices[c, 0] - x0) * scale - 0.5
        az, bz, cz = vertices[a, 2], vertices[b, 2], vertices[c, 2]
        twice_area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        slope_x = slope_y = 0.0
        if twice_area != 0.0:
            slope_x = ((bz - az) * (cy - ay) - (by - ay) * (cz - az)) / twice_area
            slope_y = ((bx - ax) * (cz - az) - (bz - az) * (cx - ax)) / twice_area
        low, high = min(az, bz, cz), max(az, bz, cz)
        for j in range(j0, j1):
            left, right, side = _row(a, ax, ay, b, bx, by, c, cx, cy, j)
            i0, i1 = max(_up(left), 0), min(_up(right), nx)
            if count + i1 - i0 > size:
                size = 2 * (size + i1 - i0)
                cells = _longer(cells, size)
                heights = _longer(heights, size)
                facets = _longer(facets, size)
            for i in range(i0, i1):
                # a steep facet's plane is ill-conditioned: its height stays between its corners
                z = az + slope_x * (i - ax) + slope_y * (j - ay)
                cells[count] = j * nx + i
                heights[count] = min(max(z, low), high)
                facets[count] = f if side > 0 else -1 - f
                count += 1
    return cells[:count], heights[:count], facets[:count]


@njit(cache=True, nogil=True)
def _longer(array, size):
    longer = np.empty(size, array.dtype)
    longer[: len(array)] = array
    return longer


@njit(cache=True, nogil=True)
def into_columns(cells, heights, facets, count):
    """Sorts hits into ``count`` columns, rising: (start, heights, facets).

    At the same height exits come first, so that shells that touch leave no gap.
    """
    start = np.zeros(count + 1, np.int64)
    for cell in cells:
        start[cell + 1] += 1
    for cell in range(count):
        start[cell + 1] += start[cell]
    filled = np.zeros(count, np.int32)
    sorted_heights = np.empty(len(heights), np.float64)
    sorted_facets = np.empty(len(facets), np.int32)
    for n in range(len(cells)):
        cell = cells[n]
        z, f = heights[n], facets[n]
        m = start[cell] + filled[cell] - 1
        while m >= start[cell] and (
            sorted_heights[m] > z or (sorted_heights[m] == z and sorted_facets[m] < 0 and f >= 0)
        ):
            sorted_heights[m + 1], sorted_facets[m + 1] = sorted_heights[m], sorted_facets[m]
            m -= 1
        sorted_heights[m + 1], sorted_facets[m + 1] = z, f
        filled[cell] += 1
    return start, sorted_heights, sorted_facets


@njit(cache=True, nogil=True)
def support_sums(start, heights, facets, weight, hidden, floors):
    """Walks every column upward with its winding number and sums what needs support.

    weight : (m,) share of each facet that needs support, 0 to 1
    hidden : (m,) bool, facets whose support nobody can take out
    floors : (hits,) float64, written: where the support under a hit ends; the hit's own height where it needs none

    Returns (all in cells, or mm times cells): area hit, landing heights under it, gap down to the bed, gap down to
    the piece, gap of hidden facets, landing area on the piece, columns with any hit.
    """
    area = landing_heights = on_bed = on_piece = inside = landing = 0.0
    columns = 0
    for cell in range(len(start) - 1):
        if start[cell + 1] > start[cell]:
            columns += 1
        winding = 0
        below = 0.0
        on_surface = False
        for n in range(start[cell], start[cell + 1]):
            z = heights[n]
            floors[n] = z
            if facets[n] >= 0:
                winding -= 1
                if winding <= 0:
                    below = z
                    on_surface = True
                continue
            f = -1 - facets[n]
            share = weight[f]
            if share > 0.0:
                area += share
                if winding <= 0:
                    floors[n] = below
                    landing_heights += share * below
                    gap = share * (z - below)
                    if on_surface:
                        on_piece += gap
                        if gap > 0.0:
                            landing += share
                    else:
                        on_bed += gap
                    if hidden[f]:
                        inside += gap
                else:
                    landing_heights += share * z
            winding += 1
    return area, landing_heights, on_bed, on_piece, inside, landing, columns


@njit(cache=True, nogil=True)
def depth_map(vertices, triangles, x0, y0, h, nx, ny, depth):
    """The highest hit of every cell, into depth (ny * nx), which comes filled with -inf."""
    scale = 1.0 / h
    for f in range(len(triangles)):
        a, b, c = triangles[f, 0], triangles[f, 1], triangles[f, 2]
        ay = (vertices[a, 1] - y0) * scale - 0.5
        by = (vertices[b, 1] - y0) * scale - 0.5
        cy = (vertices[c, 1] - y0) * scale - 0.5
        j0 = max(_up(min(ay, by, cy)), 0)
        j1 = min(_up(max(ay, by, cy)), ny)
        if j0 >= j1:
            continue
        ax = (vertices[a, 0] - x0) * scale - 0.5
        bx = (vertices[b, 0] - x0) * scale - 0.5
        cx = (vertices[c, 0] - x0) * scale - 0.5
        az, bz, cz = vertices[a, 2], vertices[b, 2], vertices[c, 2]
        twice_area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if twice_area == 0.0:
            continue
        slope_x = ((bz - az) * (cy - ay) - (by - ay) * (cz - az)) / twice_area
        slope_y = ((bx - ax) * (cz - az) - (bz - az) * (cx - ax)) / twice_area
        low, high = min(az, bz, cz), max(az, bz, cz)
        for j in range(j0, j1):
            left, right, _ = _row(a, ax, ay, b, bx, by, c, cx, cy, j)
            for i in range(max(_up(left), 0), min(_up(right), nx)):
                z = min(max(az + slope_x * (i - ax) + slope_y * (j - ay), low), high)
                if z > depth[j * nx + i]:
                    depth[j * nx + i] = z


@njit(cache=True, nogil=True)
def add_seen(centroids, normals, rotation, x0, y0, h, nx, ny, depth, reach, seen, possible):
    """Adds the cosine to every facet that faces up: to ``possible``, and to ``seen`` where nothing stands above it.

    centroids, normals : (m, 3) model frame; rotation : (3, 3) to the frame of the depth map
    reach : mm, how far below the depth map a facet may lie and still count as its surface
    """
    for f in range(len(centroids)):
        p, q, r = normals[f, 0], normals[f, 1], normals[f, 2]
        cosine = rotation[2, 0] * p + rotation[2, 1] * q + rotation[2, 2] * r
        if cosine <= 0.0:
            continue
        possible[f] += cosine
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
        if z + min(max(shift, -2.0 * h), 2.0 * h) >= depth[j * nx + i] - reach:
            seen[f] += cosine


@njit(cache=True, nogil=True)
def _corner_level(start, low, high, nx, ny, ci, cj, bottom, top, want_top):
    """Mean level, at grid corner (ci, cj), of the intervals of its four cells that overlap bottom to top."""
    total, count = 0.0, 0
    for dj in range(-1, 1):
        for di in range(-1, 1):
            i, j = ci + di, cj + dj
            if i < 0 or j < 0 or i >= nx or j >= ny:
                continue
            cell = j * nx + i
            for n in range(start[cell], start[cell + 1]):
                if low[n] < top and high[n] > bottom:
                    total += high[n] if want_top else low[n]
                    count += 1
                    break
    return total / count


@njit(cache=True, nogil=True)
def _within(start, heights, facets, cell, bottom, top):
    """Length, between two heights, of a column's part inside the piece."""
    length = 0.0
    winding = 0
    for n in range(start[cell], start[cell + 1] - 1):
        winding += 1 if facets[n] < 0 else -1
        if winding > 0:
            length += max(min(heights[n + 1], top) - max(heights[n], bottom), 0.0)
    return length


@njit(cache=True, nogil=True)
def _put(quads, n, k, i, j, z):
    quads[n, k, 0], quads[n, k, 1], quads[n, k, 2] = i, j, z


@njit(cache=True, nogil=True)
def skin_quads(start, low, high, nx, ny, hit_start, heights, facets, quads):
    """The outer skin of a field of intervals, as quads; returns how many.

    What leans on the piece, walls, tops and floors, is left out: it would lie in the piece's own surface.

    start : (nx * ny + 1,) where each cell's intervals begin; low, high : their ends, mm
    hit_start, heights, facets : the column field that the intervals came from
    quads : (q, 4, 3) float64, written: grid corner i and j (whole numbers) and the height in mm; large enough for
    five quads an interval
    """
    count = 0
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
                    tops[k] = _corner_level(start, low, high, nx, ny, i + ci[k], j + cj[k], bottom, top, True)
                    bottoms[k] = _corner_level(start, low, high, nx, ny, i + ci[k], j + cj[k], bottom, top, False)
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
                    _put(quads, count, 0, i + ci[a], j + cj[a], bottoms[a])
                    _put(quads, count, 1, i + ci[b], j + cj[b], bottoms[b])
                    _put(quads, count, 2, i + ci[b], j + cj[b], tops[b])
                    _put(quads, count, 3, i + ci[a], j + cj[a], tops[a])
                    count += 1
    return count
