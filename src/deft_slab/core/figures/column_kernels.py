"""Compiled loops of the column field and of exposure.

Notation: a grid of nx by ny square cells of side h over the bed; the sample point of cell (i, j) is (x0 + (i + 1/2)
h, y0 + (j + 1/2) h). In *grid units*, (x - x0) / h - 1/2, sample points are whole numbers. A *hit* is a facet that
covers a sample point, seen from above: an exit where the facet faces up, an entry where it faces down.

The grid is walked row by row. An edge crosses a row at one x, computed from its lower vertex, whichever of its two
facets asks. A facet covers the sample points from where one of its edges crosses the row (included) to where the
other does (excluded). So along a row the two facets at an edge leave no point out and count none twice, and a closed
surface has winding number 0 beyond it, whatever the shape of its facets.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from ..mesh.array_kernels import add_up

# No check for division by zero (guarded where it can happen) and no care for NaN (files with any are refused); sums
# keep their order, so a shared edge still gets one and the same number.
FAST = {"cache": True, "nogil": True, "error_model": "numpy", "fastmath": {"nnan", "nsz"}}
_INLINE = {**FAST, "inline": "always"}


@njit(**_INLINE)
def rounded_up(value):
    """The ceiling as an integer; quicker than math.ceil."""
    whole = int(value)
    return whole + 1 if whole < value else whole


@njit(**_INLINE)
def slopes_of(ax, ay, az, bx, by, bz, cx, cy, cz):
    """The rise of a facet's plane along x and y, in mm per cell; 0 for a facet seen from its edge."""
    twice_area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if twice_area == 0.0:
        return 0.0, 0.0
    return (
        ((bz - az) * (cy - ay) - (by - ay) * (cz - az)) / twice_area,
        ((bx - ax) * (cz - az) - (bz - az) * (cx - ax)) / twice_area,
    )


@njit(**FAST)
def turn_and_set_down(vertices, rotation, lift):
    """Vertices rotated and set down with the lowest point at z = lift: ``place_on_bed.set_down`` in one pass, for
    searches.

    Returns
    -------
    (n, 3) float64
    """
    turned = np.empty_like(vertices)
    low = np.inf
    for n in range(len(vertices)):
        x, y, z = vertices[n, 0], vertices[n, 1], vertices[n, 2]
        for k in range(3):
            turned[n, k] = rotation[k, 0] * x + rotation[k, 1] * y + rotation[k, 2] * z
        low = min(low, turned[n, 2])
    for n in range(len(vertices)):
        turned[n, 2] += lift - low
    return turned


@njit(**FAST)
def shadow_of(vertices):
    """The bounds of some points: lowest x, lowest y, highest x, highest y."""
    x0 = y0 = np.inf
    x1 = y1 = -np.inf
    for n in range(len(vertices)):
        x, y = vertices[n, 0], vertices[n, 1]
        x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
    return x0, y0, x1, y1


@njit(**FAST)
def to_grid(vertices, x0, y0, h):
    """Points with x and y in grid units, and z unchanged.

    Returns
    -------
    (n, 3) float64
    """
    placed = np.empty_like(vertices)
    scale = 1.0 / h
    for n in range(len(vertices)):
        placed[n, 0] = (vertices[n, 0] - x0) * scale - 0.5
        placed[n, 1] = (vertices[n, 1] - y0) * scale - 0.5
        placed[n, 2] = vertices[n, 2]
    return placed


@njit(**FAST)
def whole_cells(placed):
    """The first sample point at or after each vertex, as column and row. Rounding up keeps their order, so
    comparisons of these hold for the vertices too.

    Returns
    -------
    (n,) int32, (n,) int32
    """
    columns, rows = np.empty(len(placed), np.int32), np.empty(len(placed), np.int32)
    for n in range(len(placed)):
        columns[n] = rounded_up(placed[n, 0])
        rows[n] = rounded_up(placed[n, 1])
    return columns, rows


@njit(**FAST)
def shadows_of_facets(vertices, triangles):
    """The areas of the shadows of all facets, added up.

    Returns
    -------
    float, mm2
    """
    total = 0.0
    for f in range(len(triangles)):
        a, b, c = np.uint32(triangles[f, 0]), np.uint32(triangles[f, 1]), np.uint32(triangles[f, 2])
        ax, ay = vertices[a, 0], vertices[a, 1]
        total += abs((vertices[b, 0] - ax) * (vertices[c, 1] - ay) - (vertices[b, 1] - ay) * (vertices[c, 0] - ax))
    return total / 2


MOST_HITS, MOST_SKETCHED = 32.0, 8.0
"""In a column, on average over the square of the grid: for figures, and where a thousand ways to sit are looked at.
Demo props have 3 at most (measured), a lattice of 15 rods some 12; 2,000 loose triangles over two metres have 370, and
took 0.7 GB and seconds for each way."""


@njit(**_INLINE)
def side_within(side, shadows, cells, most):
    """The side of a cell in mm, enlarged if a grid of so many cells across would get too many hits.

    Parameters
    ----------
    shadows : float, mm2
        See ``shadows_of_facets``.
    most : float
        The most hits in a column, on average.
    """
    return max(side, math.sqrt(shadows / most) / cells)


@njit(**_INLINE)
def by_row(a, b, c, rows):
    """The corners of a facet sorted by rising row, and whether that keeps its orientation."""
    even = True
    if rows[b] < rows[a]:
        a, b, even = b, a, not even
    if rows[c] < rows[b]:
        b, c, even = c, b, not even
    if rows[b] < rows[a]:
        a, b, even = b, a, not even
    return a, b, c, even


@njit(**_INLINE)
def shorter_edge(placed, a, b, c, rows, upper):
    """An edge of a facet: from the lowest corner to the middle one or, the upper one, from there to the highest. It
    crosses row j at x + (j - y) run.

    Returns
    -------
    int, int, float, float, float
        The first row, the end, x, y and run.
    """
    p, q = (b, c) if upper else (a, b)
    x, y = placed[p, 0], placed[p, 1]
    first, end = rows[p], rows[q]
    return first, end, x, y, (placed[q, 0] - x) / (placed[q, 1] - y) if first < end else 0.0


@njit(**FAST)
def scan(placed, triangles, nx, ny):
    """Every hit of every facet, in the order of the facets; an exit has facet f, an entry -1 - f.

    Parameters
    ----------
    placed : (n, 3)
        The vertices, from ``to_grid``.

    Returns
    -------
    arrays (hits,)
        Cells, heights and facets.
    """
    across, rows = whole_cells(placed)
    size = 4 * nx * ny + 1024
    cells = np.empty(size, np.int32)
    heights = np.empty(size, np.float64)
    facets = np.empty(size, np.int32)
    f = count = np.int64(0)  # a plain 0 is compiled once more, as a number that is known beforehand
    while True:
        f, count, wanted = _scanned_from(f, placed, across, rows, triangles, nx, count, cells, heights, facets)
        if wanted == 0:
            return cells[:count], heights[:count], facets[:count]
        size = 2 * (size + wanted)
        cells, heights, facets = _longer(cells, size), _longer(heights, size), _longer(facets, size)


@njit(**FAST)
def _scanned_from(begin, placed, across, rows, triangles, nx, count, cells, heights, facets):
    """Add the hits of the facets from ``begin`` on to the ``count`` that are there, while there is room. It is apart
    from ``scan`` because arrays that a loop may replace slow down all of it.

    Returns
    -------
    int, int, int
        The next facet, the number of hits, and how much room is needed (0 when all are done).
    """
    for f in range(begin, len(triangles)):
        a, b, c = np.uint32(triangles[f, 0]), np.uint32(triangles[f, 1]), np.uint32(triangles[f, 2])
        tall = max(rows[a], rows[b], rows[c]) - min(rows[a], rows[b], rows[c])
        wide = max(across[a], across[b], across[c]) - min(across[a], across[b], across[c])
        if tall == 0 or wide == 0:
            continue
        if count + tall * wide > len(cells):
            return f, count, tall * wide
        a, b, c, even = by_row(a, b, c, rows)
        ax, ay, cy = placed[a, 0], placed[a, 1], placed[c, 1]
        run = (placed[c, 0] - ax) / (cy - ay)
        az = low = high = slope_x = slope_y = 0.0
        planed = False
        for upper in range(2):
            first, end, x, y, other = shorter_edge(placed, a, b, c, rows, upper == 1)
            for j in range(first, end):
                p, q = rounded_up(ax + (j - ay) * run), rounded_up(x + (j - y) * other)
                if p == q:
                    continue
                if not planed:
                    planed = True
                    az, bz, cz = placed[a, 2], placed[b, 2], placed[c, 2]
                    low, high = min(az, bz, cz), max(az, bz, cz)
                    slope_x, slope_y = slopes_of(ax, ay, az, placed[b, 0], placed[b, 1], bz, placed[c, 0], cy, cz)
                facet = f if (p < q) == even else -1 - f
                for i in range(min(p, q), max(p, q)):
                    # a steep facet's plane is ill-conditioned: its height stays between its corners
                    z = az + slope_x * (i - ax) + slope_y * (j - ay)
                    cells[count] = j * nx + i
                    heights[count] = min(max(z, low), high)
                    facets[count] = facet
                    count += 1
    return len(triangles), count, 0


@njit(**FAST)
def _longer(array, size):
    longer = np.empty(size, array.dtype)
    for n in range(len(array)):
        longer[n] = array[n]
    return longer


_DEEP = 64
"""Hits of a column from which on they are merged and not inserted: the same order, found in fewer steps (measured)."""


@njit(**_INLINE)
def _is_later(z, f, other_z, other_f):
    """Whether a hit comes after another one. At the same height exits come first, so that touching shells leave no
    gap.
    """
    return z > other_z or (z == other_z and f < 0 and other_f >= 0)


@njit(**FAST)
def _merge_column(heights, facets, first, end):
    """Sort the hits from ``first`` to ``end`` in place; equal ones keep their order."""
    count = end - first
    new_heights, new_facets = np.empty(count, np.float64), np.empty(count, np.int32)
    width = 1
    while width < count:
        for left in range(0, count, 2 * width):
            middle, right = min(left + width, count), min(left + 2 * width, count)
            a, b = left, middle
            for n in range(left, right):
                m, k = first + a, first + b
                if a < middle and (b >= right or not _is_later(heights[m], facets[m], heights[k], facets[k])):
                    new_heights[n], new_facets[n] = heights[m], facets[m]
                    a += 1
                else:
                    new_heights[n], new_facets[n] = heights[k], facets[k]
                    b += 1
        for n in range(count):
            heights[first + n], facets[first + n] = new_heights[n], new_facets[n]
        width *= 2


@njit(**FAST)
def into_columns(cells, heights, facets, count):
    """Sort hits into ``count`` columns, rising; see ``_is_later``.

    Returns
    -------
    arrays
        Start, heights and facets.
    """
    start = np.zeros(count + 1, np.int64)
    for cell in cells:
        start[cell + 1] += 1
    add_up(start)
    filled = np.zeros(count, np.int32)
    sorted_heights = np.empty(len(heights), np.float64)
    sorted_facets = np.empty(len(facets), np.int32)
    for n in range(len(cells)):
        cell = cells[n]
        z, f = heights[n], facets[n]
        m = start[cell] + filled[cell] - 1
        deep = start[cell + 1] - start[cell] > _DEEP
        while not deep and m >= start[cell] and _is_later(sorted_heights[m], sorted_facets[m], z, f):
            sorted_heights[m + 1], sorted_facets[m + 1] = sorted_heights[m], sorted_facets[m]
            m -= 1
        sorted_heights[m + 1], sorted_facets[m + 1] = z, f
        filled[cell] += 1
    for cell in range(count):
        if start[cell + 1] - start[cell] > _DEEP:
            _merge_column(sorted_heights, sorted_facets, start[cell], start[cell + 1])
    return start, sorted_heights, sorted_facets


@njit(**FAST)
def support_sums(start, heights, facets, weight, hidden, show, floors):
    """Walk every column upward with its winding number, and sum up what needs support.

    Returns (all in cells, or mm times cells): area hit, landing heights under it, gap down to the bed, gap down to
    the piece, gap of hidden facets, landing area on the piece, the part of it on show faces, and columns with any
    hit.

    Parameters
    ----------
    weight : (m,)
        How much of each facet needs support, 0 to 1.
    hidden : (m,) bool
        Facets whose support nobody can take out.
    show : (m,) bool
        Facets that must come out clean.
    floors : (hits,) float64
        Output: where the support under a hit ends; the hit's own height if it needs none.
    """
    area = landing_heights = on_bed = on_piece = inside = landing = landing_on_show = 0.0
    columns = 0
    for cell in range(len(start) - 1):
        if start[cell + 1] > start[cell]:
            columns += 1
        winding = 0
        below = 0.0
        surface = -1
        for n in range(start[cell], start[cell + 1]):
            z = heights[n]
            floors[n] = z
            if facets[n] >= 0:
                winding -= 1
                if winding <= 0:
                    below = z
                    surface = facets[n]
                continue
            f = -1 - facets[n]
            share = weight[f]
            if share > 0.0:
                area += share
                if winding <= 0:
                    floors[n] = below
                    landing_heights += share * below
                    gap = share * (z - below)
                    if surface >= 0:
                        on_piece += gap
                        if gap > 0.0:
                            landing += share
                            if show[surface]:
                                landing_on_show += share
                    else:
                        on_bed += gap
                    if hidden[f]:
                        inside += gap
                else:
                    landing_heights += share * z
            winding += 1
    return area, landing_heights, on_bed, on_piece, inside, landing, landing_on_show, columns


@njit(**FAST)
def section_cells(start, heights, facets, base, thickness, count):
    """How many cells of the grid lie inside the piece in the middle of each layer.

    Parameters
    ----------
    base : float, mm
        The bottom of the first layer.
    thickness : float, mm
        The thickness of a layer.

    Returns
    -------
    (count,) float64
    """
    steps = np.zeros(count + 1, np.int64)
    for cell in range(len(start) - 1):
        winding = 0
        entered = 0.0
        for n in range(start[cell], start[cell + 1]):
            if facets[n] < 0:
                if winding == 0:
                    entered = heights[n]
                winding += 1
                continue
            winding -= 1
            if winding == 0:
                first = max(rounded_up((entered - base) / thickness - 0.5), 0)
                end = min(max(rounded_up((heights[n] - base) / thickness - 0.5), 0), count)
                if first < end:
                    steps[first] += 1
                    steps[end] -= 1
    add_up(steps)
    return steps[:count]


@njit(**FAST)
def weigh_facets(heights, triangles, normals_z, areas, low, high, tolerance, lifted, level, hold, clear, show, weight):
    """One pass over the facets for those costs of a tilt that need no columns.

    Returns: area that needs support, the part of it that gets support, of that the part on show faces, area that
    needs support and is refused, supported area seen from above, the same times its height, nearly level underside,
    resting area that faces down, and wall (area times the share that is upright: the length of all level sections,
    summed over the height).

    Parameters
    ----------
    heights : (n,)
        The z of the vertices; the lowest is at 0, or at the lift.
    normals_z : (m,)
        The z of the unit normals.
    low, high : float
        Sines between which the need for support rises from 0 to 1.
    tolerance : mm
        How high over the bed a facet may lie and still rest on it.
    lifted : bool
        Whether the piece is lifted, so that nothing rests.
    level : float
        The sine from which on an underside counts as nearly level.
    hold, clear, show : (m,) bool
    weight : (m,)
        Output: how much of each facet gets support.
    """
    need = supported = scar = unheld = shadow = shadow_height = underside = resting = wall = 0.0
    for f in range(len(triangles)):
        nz = normals_z[f]
        area = areas[f]
        wall += area * math.sqrt(max(1.0 - nz * nz, 0.0))
        share = 0.0
        if nz < 0.0:
            a, b, c = heights[triangles[f, 0]], heights[triangles[f, 1]], heights[triangles[f, 2]]
            if not lifted and a <= tolerance and b <= tolerance and c <= tolerance:
                resting += area
            else:
                if -nz > low:
                    share = min((-nz - low) / (high - low), 1.0) if high > low else 1.0
                need += share * area
                if -nz >= level:
                    underside += area
                if clear[f]:
                    unheld += share * area
                    share = 0.0
                elif hold[f]:
                    share = 1.0
                if share > 0.0:
                    supported += share * area
                    if show[f]:
                        scar += share * area
                    seen = -share * nz * area
                    shadow += seen
                    shadow_height += seen * (a + b + c) / 3.0
        weight[f] = share
    return need, supported, scar, unheld, shadow, shadow_height, underside, resting, wall
