"""Compiled loops that find the regions of layers, of solid and of air, and which of them lie over which.

The outlines of a level are walked, not sampled: two regions are separate if no outline joins them, however thin the
wall between them is. Rows (levels of y a small step apart, exact along x) only tell which outline borders which
region, and how much of one region lies over another.

The regions of a level are numbered from 0 on, solid and air separately; OUTSIDE is the air around everything.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from ..figures.column_kernels import FAST
from ..mesh.array_kernels import add_up
from .walk_kernels import root_of

OUTSIDE = -1
NONE = -2
"""A line that no row passes has no region on the side that it does not enclose."""
UNKNOWN = -(1 << 40)
"""What lies to the right of where a row passes solid that no line encloses (a surface that runs through itself)."""


@njit(**FAST)
def _join(parent, a, b):
    a, b = root_of(parent, a), root_of(parent, b)
    if a < b:
        parent[b] = a
    elif b < a:
        parent[a] = b


@njit(**FAST)
def rows_of(points, start, low, high, y0, step, rows):
    """Where rows cross the outlines low to high - 1.

    Parameters
    ----------
    y0 : float
        The y of the first row.
    step : float
        The distance between rows.

    Returns
    -------
    arrays
        begin (rows + 1,), then x, the outline, and the turn of each crossing: 1 where solid begins to its right,
        -1 where it ends. Sorted by x within a row.
    """
    begin = np.zeros(rows + 1, np.int64)
    for loop in range(low, high):
        for i in range(start[loop], start[loop + 1]):
            j = i + 1 if i + 1 < start[loop + 1] else start[loop]
            a, b = points[i, 1], points[j, 1]
            row = max(int(math.ceil((min(a, b) - y0) / step)), 0)
            top = max(a, b)
            while row < rows and y0 + row * step < top:
                begin[row + 1] += 1
                row += 1
    add_up(begin)
    total = begin[rows]
    filled = begin[:rows].copy()
    xs = np.empty(total)
    lines = np.empty(total, np.int32)
    turns = np.empty(total, np.int8)
    for loop in range(low, high):
        for i in range(start[loop], start[loop + 1]):
            j = i + 1 if i + 1 < start[loop + 1] else start[loop]
            a, b = points[i, 1], points[j, 1]
            row = max(int(math.ceil((min(a, b) - y0) / step)), 0)
            top = max(a, b)
            while row < rows and y0 + row * step < top:
                y = y0 + row * step
                x = points[i, 0] + (y - a) / (b - a) * (points[j, 0] - points[i, 0])
                n = filled[row]
                while n > begin[row] and xs[n - 1] > x:  # few in a row: put in its place
                    xs[n], lines[n], turns[n] = xs[n - 1], lines[n - 1], turns[n - 1]
                    n -= 1
                xs[n], lines[n], turns[n] = x, loop - low, 1 if b < a else -1
                filled[row] += 1
                row += 1
    return begin, xs, lines, turns


@njit(**FAST)
def _linked_lines(begin, lines, turns, count):
    """Which outlines border the same region, as trees: one array for solid and one for air, whose last entry is the
    outside; and the crossings where a row changes between solid and air.
    """
    solid, air = np.arange(count), np.arange(count + 1)
    keep = np.zeros(len(lines), np.bool_)
    for row in range(len(begin) - 1):
        winding = 0
        left = -1
        for n in range(begin[row], begin[row + 1]):
            before = winding
            winding += turns[n]
            keep[n] = (before > 0) != (winding > 0)
            if before > 0:
                _join(solid, np.int64(lines[n]), np.int64(lines[left]))
            elif winding > 0:
                _join(air, np.int64(lines[n]), count if left < 0 else np.int64(lines[left]))
            left = n
        if left >= 0:
            _join(air, np.int64(lines[left]), count)
    return solid, air, keep


@njit(**FAST)
def _numbered(parent, areas, outside):
    """The number of the region that each outline borders, and the areas of the regions. A region that no outline
    encloses is only partly known: NONE.

    Parameters
    ----------
    parent
        Trees of outlines.
    areas : (lines,)
        Positive for outlines that enclose a region of this kind.
    outside : int
        An outline of what is around everything, -1 for none.
    """
    count = len(areas)
    amount = np.zeros(len(parent))
    enclosed = np.zeros(len(parent), np.bool_)
    for line in range(count):
        root = root_of(parent, line)
        amount[root] += areas[line]
        enclosed[root] |= areas[line] > 0.0
    number = np.full(len(parent), NONE)
    found = 0
    for line in range(len(parent)):
        if parent[line] == line and enclosed[line] and line != outside:
            amount[found] = amount[line]
            number[line] = found
            found += 1
    if outside >= 0:
        number[outside] = OUTSIDE
    of = np.empty(count, np.int64)
    for line in range(count):
        of[line] = number[root_of(parent, line)]
    return of, amount[:found].copy()


@njit(**FAST)
def regions_of(begin, xs, lines, turns, areas):
    """The regions of one level.

    Returns, for solid and for air: the region that each outline borders (solid only), the area of each region, and a
    point (x, row) in each, NaN if no row crosses it. Then begin (rows + 1,), x and right: where each row passes from
    one region to another, and the region to its right, solid n as n and air n as -3 - n.

    Parameters
    ----------
    areas : (lines,)
        The signed areas; the other arguments come from ``rows_of``.
    """
    count, rows = len(areas), len(begin) - 1
    solid, air, keep = _linked_lines(begin, lines, turns, count)
    nothing = np.int64(-1)  # as in _numbered's other call: a plain -1 is compiled once more
    of_solid, solid_area = _numbered(solid, areas, nothing)
    of_air, air_area = _numbered(air, -areas, root_of(air, count))
    widest = np.zeros((2, count + 1))
    at = np.full((2, count + 1, 2), np.nan)
    spans = np.zeros(rows + 1, np.int64)
    kept = 0
    for n in range(len(keep)):
        kept += keep[n]
    x_kept = np.empty(kept)
    right = np.empty(kept, np.int64)
    made = 0
    for row in range(rows):
        winding = 0
        for n in range(begin[row], begin[row + 1]):
            winding += turns[n]
            if not keep[n]:
                continue
            inside = of_solid[lines[n]]
            x_kept[made] = xs[n]
            right[made] = (inside if inside >= 0 else UNKNOWN) if winding > 0 else -3 - of_air[lines[n]]
            if made > spans[row]:
                code = right[made - 1]
                kind, number = (0, code) if code >= 0 else (1, -3 - code)
                width = xs[n] - x_kept[made - 1]
                if code != UNKNOWN and number >= 0 and width > widest[kind, number]:
                    widest[kind, number] = width
                    at[kind, number, 0], at[kind, number, 1] = x_kept[made - 1] + 0.5 * width, row
            made += 1
        spans[row + 1] = made
    return (of_solid, solid_area, air_area, at[0, : len(solid_area)].copy(), at[1, : len(air_area)].copy(), spans,
            x_kept, right)


@njit(**FAST)
def laid_over(spans, xs, right, upper_spans, upper_xs, upper_right, solids, airs, upper_solids, upper_airs, least):
    """Which regions of a level lie over which regions of the level below. Air that touches the outside above or
    below is paired with OUTSIDE.

    Parameters
    ----------
    spans, xs, right
        The level below, from ``regions_of``.
    least : mm
        The least overlap along a row that counts.

    Returns
    -------
    (k, 2) int, (k, 2) int
        Pairs of solid regions, and pairs of regions of air, each below and above.
    """
    # of each region above a chain of those that it lies over: mostly one
    most = len(xs) + len(upper_xs) + 2
    chain = np.full(upper_solids + upper_airs + 1, -1, np.int64)
    following = np.empty(most, np.int64)
    below = np.empty(most, np.int64)
    above = np.empty(most, np.int64)
    found = 0
    for row in range(len(spans) - 1):
        i, i_end = spans[row], spans[row + 1]
        j, j_end = upper_spans[row], upper_spans[row + 1]
        if i == i_end and j == j_end:
            continue
        here, over = -3 - OUTSIDE, -3 - OUTSIDE
        x = -np.inf
        while i < i_end or j < j_end:
            nearer_below = i < i_end and (j >= j_end or xs[i] <= upper_xs[j])
            to = xs[i] if nearer_below else upper_xs[j]
            if to - x > least and (here >= 0) == (over >= 0) and here != UNKNOWN and over != UNKNOWN:
                a = here if here >= 0 else -3 - here
                b = over if over >= 0 else -3 - over
                if a != NONE and b != NONE and not (here < 0 and a == OUTSIDE and b == OUTSIDE):
                    slot = b if over >= 0 else upper_solids + (upper_airs if b == OUTSIDE else b)
                    n = chain[slot]
                    while n >= 0 and below[n] != here:
                        n = following[n]
                    if n < 0:
                        below[found], above[found] = here, over
                        following[found] = chain[slot]
                        chain[slot] = found
                        found += 1
            x = to
            if nearer_below:
                here = right[i]
                i += 1
            else:
                over = upper_right[j]
                j += 1
    solid_pairs = np.empty((found, 2), np.int64)
    air_pairs = np.empty((found, 2), np.int64)
    solid_count = air_count = 0
    for n in range(found):
        if below[n] >= 0:
            solid_pairs[solid_count, 0], solid_pairs[solid_count, 1] = below[n], above[n]
            solid_count += 1
        else:
            air_pairs[air_count, 0], air_pairs[air_count, 1] = -3 - below[n], -3 - above[n]
            air_count += 1
    return solid_pairs[:solid_count].copy(), air_pairs[:air_count].copy()


@njit(**FAST)
def followed_solid(layer, area, pairs_start, below, resting):
    """Follow the solid regions from the lowest layer up.

    Parameters
    ----------
    layer : (k,)
        The layer of each region, rising.
    area : (k,)
    below : int array
        The numbers of the regions that each lies over, from pairs_start[n] on.
    resting : int
        How many of the lowest layers rest on the bed.

    Returns
    -------
    (k,) island, (k,) met, (k,) most
        The region with which each island began, as a tree: itself if it began one, -1 if it stands on what was
        there. For those: the layer in which it meets the rest, or an island that began earlier, -1 if never; and
        the largest area of any of its regions until then.
    """
    count = len(layer)
    island = np.full(count, -1, np.int64)
    met = np.full(count, -1, np.int64)
    parent = np.arange(count)
    most = np.zeros(count)
    for n in range(count):
        if layer[n] < resting:
            continue
        grounded = False
        for i in range(pairs_start[n], pairs_start[n + 1]):
            b = below[i]
            if island[b] < 0 or met[root_of(parent, island[b])] >= 0:
                grounded = True
        own = n
        for i in range(pairs_start[n], pairs_start[n + 1]):
            b = below[i]
            if island[b] < 0:
                continue
            root = root_of(parent, island[b])
            if grounded:
                if met[root] < 0:
                    met[root] = layer[n]
            elif own == n:
                own = root
            elif root != own:  # two that hang meet: the younger one has met the rest
                younger = max(own, root)
                met[younger] = layer[n]
                parent[younger] = min(own, root)
                own = min(own, root)
        if not grounded:
            island[n] = own
            most[own] = max(most[own], area[n])
    for n in range(count):
        if island[n] != n:
            met[n] = -1
    return island, met, most


@njit(**FAST)
def followed_air(layer, area, pairs_start, below, under_outside, layers, resting):
    """Follow the enclosed regions of air from the lowest layer up.

    Parameters
    ----------
    layer : (k,)
        The layer of each region, rising.
    area : (k,)
    below : int array
        The numbers of the regions that each lies over, from pairs_start[n] on, -1 for the outside.
    under_outside : (k,)
        Whether the outside of the layer above lies over it.
    resting : int
        How many of the lowest layers rest on the bed, which closes what is open below; 0 if none does.

    Returns
    -------
    arrays
        The first region of the pocket that each region belongs to; and for each pocket the layer in which it
        opens, -1 if never; its largest area in a layer while it is closed, and in which layer; and the sum of its
        areas while it is closed. Then the closed area in each layer.
    """
    count = len(layer)
    parent = np.arange(count + 1)  # the last is the outside
    pocket = np.full(count, -1, np.int64)
    into = np.arange(count)  # of pockets that have come together
    opened = np.full(count, -1, np.int64)
    largest, amount = np.zeros(count), np.zeros(count)
    at = np.zeros(count, np.int64)
    here = np.zeros(count + 1)
    closed = np.zeros(layers + 1)
    n = before = np.int64(0)
    for k in range(layers + 1):
        end = n
        while end < count and layer[end] == k:
            end += 1
        for r in range(before, n):  # of the layer below
            if (under_outside[r] and k >= resting) or k == layers:
                _open(parent, opened, r, k)
        for r in range(n, end):
            if k == 0 and resting == 0:
                _open(parent, opened, r, k)
            for i in range(pairs_start[r], pairs_start[r + 1]):
                if below[i] >= 0 or k > resting or resting == 0:  # else a gap between the part and the bed
                    merged = _met(parent, opened, r, below[i], k)
                    if merged[0] >= 0:
                        low, high = merged
                        into[high] = low
                        amount[low] += amount[high]
                        if largest[high] > largest[low]:
                            largest[low], at[low] = largest[high], at[high]
                        largest[high] = 0.0
        closed[k] = _closed(parent, area, n, end, k, pocket, largest, at, amount, here)
        before, n = n, end
    for r in range(count):
        if pocket[r] >= 0:
            pocket[r] = root_of(into, pocket[r])
    return pocket, opened, largest, at, amount, closed[:layers]


@njit(**FAST)
def _closed(parent, area, low, high, k, pocket, largest, at, amount, here):
    """The closed area in layer k, whose regions are low to high - 1; each pocket's share of it is recorded too."""
    outside = len(parent) - 1
    total = 0.0
    for r in range(low, high):
        root = root_of(parent, r)
        if root != outside:
            pocket[r] = root
            here[root] += area[r]
            amount[root] += area[r]
            total += area[r]
            if here[root] > largest[root]:
                largest[root], at[root] = here[root], k
    for r in range(low, high):
        here[root_of(parent, r)] = 0.0
    return total


@njit(**FAST)
def _open(parent, opened, r, k):
    """Join what a region belongs to with the outside, the last of the trees, which it reaches in layer k."""
    outside = len(parent) - 1
    root = root_of(parent, r)
    if root != outside:
        opened[root] = k
        parent[root] = outside


@njit(**FAST)
def _met(parent, opened, r, b, k):
    """Join the pockets of two regions that lie over each other, or a region with the outside (b below 0). Returns
    the first regions of both pockets; -1, -1 if they are one already, or reach the outside.
    """
    outside = len(parent) - 1
    a, c = root_of(parent, r), outside if b < 0 else root_of(parent, b)
    if a == c:
        return -1, -1
    if a == outside or c == outside:
        _open(parent, opened, c if a == outside else a, k)
        return -1, -1
    parent[max(a, c)] = min(a, c)
    return min(a, c), max(a, c)
