"""Compiled loops that part a piece at every place of a plane while it lies in any pose. No classes.

Notation: the columns of a pose as in ``kernels``, the bed towards -z, the piece's lowest point at 0. A plane (a, b, c),
unit, lies at place k where a x + b y + c z = first + k step; what lies further along it is side 0, the rest side 1. A
hit at height z of the column at (x, y) passes from side 0 to side 1 at the first place that lies at t0 + c z or over
it, with t0 = a x + b y.

An entry's support ends at the exit below it while both are on one side, and else on that side's bed: its lowest point,
which depends on the place alone. So hits give constants, and sums of heights and of shares that are weighed with the
bed at the end:

    side 0, places before the entry's:   the exit's before both   constant, up to the earlier of the two places
                                         between them             the bed
    side 1, places from the entry's on:  until the exit's         the bed
                                         from the later on        constant

The cut face is an underside of the side that lies over the plane: its heights in a column are a straight line in k.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from .kernels import FAST
from .plane_kernels import first_at

_BED = 0.2
"""mm; see ``overhang.BED_TOLERANCE``."""
_CONSTANT, _HEIGHT, _SHARE, _LOW_HEIGHT, _LOW_SHARE, _RESTING, _SHADOW = range(7)
"""Rows of the sums: of gaps; of heights and of shares, to be weighed with the bed; the same of what lies on the bed of
the whole piece; cells that rest there; cells that a side covers."""
_UPRIGHT, _LEVEL = 1e-6, 0.9999
"""Of |c|: below, all of a column lies on one side; above, the cut face lies level."""


@njit(**FAST)
def crossings(along, vertices, edges, first, step, count):
    """((q,) places, (q, 3) points) at which edges pass the plane: the corners of the cut faces of every place.

    along : (n,) mm, how far the vertices (n, 3) lie along the normal; edges : (e, 2)
    """
    total = 0
    begin, end = np.empty(len(edges), np.int32), np.empty(len(edges), np.int32)
    for e in range(len(edges)):
        p = first_at(along[edges[e, 0]], first, step, count)
        q = first_at(along[edges[e, 1]], first, step, count)
        begin[e], end[e] = min(p, q), max(p, q)
        total += end[e] - begin[e]
    places, points = np.empty(total, np.int32), np.empty((total, 3))
    n = 0
    for e in range(len(edges)):
        p, q = edges[e, 0], edges[e, 1]
        for k in range(begin[e], end[e]):
            share = (first + k * step - along[p]) / (along[q] - along[p])
            places[n] = k
            for axis in range(3):
                points[n, axis] = vertices[p, axis] + share * (vertices[q, axis] - vertices[p, axis])
            n += 1
    return places, points


@njit(**FAST)
def _beds(row, lift, along_places, vertices, places, points, count):
    """(2, count) mm: the lowest point of either side at every place; inf where there is nothing."""
    beds = np.full((2, count), np.inf)
    for n in range(len(vertices)):
        z = row[0] * vertices[n, 0] + row[1] * vertices[n, 1] + row[2] * vertices[n, 2] + lift
        k = along_places[n]
        if k > 0:
            beds[0, k - 1] = min(beds[0, k - 1], z)
        if k < count:
            beds[1, k] = min(beds[1, k], z)
    for k in range(count - 2, -1, -1):
        beds[0, k] = min(beds[0, k], beds[0, k + 1])
    for k in range(1, count):
        beds[1, k] = min(beds[1, k], beds[1, k - 1])
    for n in range(len(points)):
        z = row[0] * points[n, 0] + row[1] * points[n, 1] + row[2] * points[n, 2] + lift
        k = places[n]
        beds[0, k] = min(beds[0, k], z)
        beds[1, k] = min(beds[1, k], z)
    return beds


@njit(**FAST)
def _column_sums(start, heights, shares, x0, y0, h, nx, plane, first, step, count, sums, cuts):
    """Puts the hits of all columns into the differences of the sums (7, 2, count + 1), whose running sums are figures
    of either side at each place; and of the cells of the cut face and of their t0, cuts (2, count + 1)."""
    a, b, c = plane[0], plane[1], plane[2]
    upright = abs(c) < _UPRIGHT
    for cell in range(len(start) - 1):
        if start[cell] == start[cell + 1]:
            continue
        t0 = a * (x0 + (cell % nx + 0.5) * h) + b * (y0 + (cell // nx + 0.5) * h)
        winding, ke, entered_at = 0, -1, 0
        floor = 0.0
        least, most = count, 0
        for n in range(start[cell], start[cell + 1]):
            z, share = heights[n], shares[n]
            winding += -1 if share < 0.0 else 1
            if winding != (0 if share < 0.0 else 1):
                continue
            k = first_at(t0 + c * z, first, step, count)
            least, most = min(least, k), max(most, k)
            if share < 0.0:
                floor, ke = z, k
                if not upright:
                    _between(cuts, 1.0, t0, min(entered_at, k), max(entered_at, k))
                continue
            entered_at = k
            if ke < 0:
                _lowest(sums, share, z, k)
            elif share > 0.0:
                _over(sums, share, z, z - floor, k, ke)
        sums[_SHADOW, 0, 0] += 1.0
        sums[_SHADOW, 0, most] -= 1.0
        sums[_SHADOW, 1, least] += 1.0


@njit(**FAST)
def _figures(sums, cuts, c, first, step, beds, cut_share, area, found):
    """Support, base and shadow of both sides at every place, into found (3, 2, count), from the differences of the
    sums; area : mm2 of a cell."""
    level = abs(c) > _LEVEL
    over = 0 if c > 0.0 else 1
    for row in range(sums.shape[0]):
        for side in range(2):
            for k in range(1, sums.shape[2]):
                sums[row, side, k] += sums[row, side, k - 1]
    for row in range(2):
        for k in range(1, cuts.shape[1]):
            cuts[row, k] += cuts[row, k - 1]
    for k in range(found.shape[2]):
        for side in range(2):
            bed = beds[side, k]
            if bed == np.inf:
                continue
            now = sums[:, side, k]
            support = now[_CONSTANT] + now[_HEIGHT] - now[_SHARE] * bed
            base = 0.0
            if bed < 1e-6:
                base = now[_RESTING]
            else:
                support += now[_LOW_HEIGHT] - now[_LOW_SHARE] * bed
            if side == over and cuts[0, k] > 0.5:
                at = first + k * step
                if level and at / c - bed <= _BED:
                    base += cuts[0, k]
                else:
                    support += cut_share * ((cuts[0, k] * at - cuts[1, k]) / c - cuts[0, k] * bed)
            found[0, side, k] = max(support, 0.0) * area
            found[1, side, k] = base * area
            found[2, side, k] = now[_SHADOW] * area


@njit(**FAST, inline="always")
def _lowest(sums, share, z, k):
    """The lowest entry of a column: what is on the bed rests there while its side has nothing lower."""
    if z <= _BED:
        _on_both(sums[_RESTING], 1.0, k)
        _on_both(sums[_LOW_HEIGHT], share * z, k)
        _on_both(sums[_LOW_SHARE], share, k)
    elif share > 0.0:
        _on_both(sums[_HEIGHT], share * z, k)
        _on_both(sums[_SHARE], share, k)


@njit(**FAST, inline="always")
def _over(sums, share, z, gap, k, ke):
    """An entry over an exit, which passes sides at place ke: see the table above."""
    before, after = min(k, ke), max(k, ke)
    sums[_CONSTANT, 0, 0] += share * gap
    sums[_CONSTANT, 0, before] -= share * gap
    sums[_CONSTANT, 1, after] += share * gap
    _halved(sums[_HEIGHT], share * z, before, k, after)
    _halved(sums[_SHARE], share, before, k, after)


@njit(**FAST, inline="always")
def _between(cuts, cell, t0, begin, end):
    """Adds a cell of the cut face, and its t0, from one place to another."""
    cuts[0, begin] += cell
    cuts[0, end] -= cell
    cuts[1, begin] += t0
    cuts[1, end] -= t0


@njit(**FAST, inline="always")
def _on_both(sums, value, place):
    """Adds a value to side 0 before a place and to side 1 from it on."""
    sums[0, 0] += value
    sums[0, place] -= value
    sums[1, place] += value


@njit(**FAST, inline="always")
def _halved(sums, value, before, place, after):
    """Adds a value to side 0 from ``before`` to a place, and to side 1 from the place to ``after``."""
    sums[0, before] += value
    sums[0, place] -= value
    sums[1, place] += value
    sums[1, after] -= value


@njit(**FAST)
def pose_places(
    starts, start, hits, heights, shares, grids, nx, rotations, lifts, normal, low, high, along_places, vertices,
    places, points, first, step, count,
):  # fmt: skip
    """(p, 3, 2, count): support (mm3), base and shadow (mm2) of both sides of every place, in each of p poses.

    starts, hits : (p + 1,) where the columns, and the hits, of a pose begin in start, heights and shares
    shares : (hits,) share of an entry's facet that needs support; -1 for an exit
    grids : (p, 3) x0, y0 and side of a cell; nx : (p,); rotations : (p, 3, 3); lifts : (p,) mm
    low, high : sines between which the need for support rises
    along_places : (n,) the first place at or over each vertex (n, 3); places, points : see ``crossings``
    """
    found = np.zeros((len(nx), 3, 2, count))
    for pose in range(len(nx)):
        rotation, lift = rotations[pose], lifts[pose]
        plane = rotation @ normal
        cut_share = min(max((abs(plane[2]) - low) / (high - low), 0.0), 1.0)
        beds = _beds(rotation[2], lift, along_places, vertices, places, points, count)
        sums, cuts = np.zeros((7, 2, count + 1)), np.zeros((2, count + 1))
        x0, y0, cell = grids[pose, 0], grids[pose, 1], grids[pose, 2]
        begin = first + plane[2] * lift
        _column_sums(
            start[starts[pose] : starts[pose + 1]], heights[hits[pose] : hits[pose + 1]],
            shares[hits[pose] : hits[pose + 1]], x0, y0, cell, nx[pose], plane, begin, step, count, sums, cuts,
        )  # fmt: skip
        _figures(sums, cuts, plane[2], begin, step, beds, cut_share, cell**2, found[pose])
    return found


@njit(**FAST)
def places_of(along, first, step, count):
    """(n,) the first place at or over each vertex."""
    found = np.empty(len(along), np.int32)
    for n in range(len(along)):
        found[n] = first_at(along[n], first, step, count)
    return found
