"""Compiled loops that part a piece at every place of a plane while it lies in any pose. No classes.

Notation: the columns of a pose as in ``kernels``, the bed towards -z, the piece's lowest point at 0. A plane (a, b, c),
unit, lies at place k where a x + b y + c z = first + k step; what lies further along it is side 0, the rest side 1. A
hit at height z of the column at (x, y) passes from side 0 to side 1 at the first place that lies at t0 + c z or over
it, with t0 = a x + b y.

An entry's support ends at the exit below it while both are on one side, and else on that side's bed: its lowest point,
which depends on the place alone. So hits give constants, and sums of heights and of shares that are weighed with the
bed at the end. Each is put in where it begins and where it ends, and running sums, from the last place on for side 0
and from the first on for side 1, give the figures of all places:

    side 0, places before the entry's:   the exit's before both   constant, up to the earlier of the two places
                                         between them             the bed
    side 1, places from the entry's on:  until the exit's         the bed
                                         from the later on        constant

The cut face is an underside of the side that lies over the plane: its heights in a column are a straight line in k.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..mesh.array_kernels import add_up
from .column_kernels import FAST, rounded_up
from .plane_kernels import first_at

_BED = 0.2
"""mm; see ``overhang.BED_TOLERANCE``."""
_CONSTANT, _HEIGHT, _SHARE, _LOW_HEIGHT, _LOW_SHARE, _RESTING, _SHADOW = range(7)
"""Columns of the sums: of gaps; of heights and of shares, to be weighed with the bed; the same of what lies on the bed
of the whole piece; cells that rest there; cells that a side covers."""
_UPRIGHT, _LEVEL = 1e-6, 0.9999
"""Of |c|: below, all of a column lies on one side; above, the cut face lies level."""


@njit(**FAST)
def by_place(along, vertices, first, step, count):
    """The vertices sorted by the first place at or above them.

    Parameters
    ----------
    along : (n,), mm
        How far the vertices lie along the normal.

    Returns
    -------
    (count + 2,) int64, (3, n) float64, mm
        Where the vertices of a place begin, and the vertices.
    """
    places, begins = np.empty(len(along), np.int32), np.zeros(count + 2, np.int64)
    for n in range(len(along)):
        places[n] = first_at(along[n], first, step, count)
        begins[places[n] + 1] += 1
    add_up(begins)
    ordered, free = np.empty((3, len(along))), begins[:-1].copy()
    for n in range(len(along)):
        at = free[places[n]]
        free[places[n]] += 1
        for axis in range(3):
            ordered[axis, at] = vertices[n, axis]
    return begins, ordered


@njit(**FAST)
def crossings(along, vertices, edges, first, step, count):
    """Where edges cross the plane: the corners of the cut faces of every place.

    Parameters
    ----------
    along : (n,), mm
        How far the vertices lie along the normal.
    edges : (e, 2)

    Returns
    -------
    (count + 1,) int64, (3, q) float64, mm
        Where the points of a place begin, and the points.
    """
    begins = np.zeros(count + 1, np.int64)
    begin, end = np.empty(len(edges), np.int32), np.empty(len(edges), np.int32)
    for e in range(len(edges)):
        p = first_at(along[edges[e, 0]], first, step, count)
        q = first_at(along[edges[e, 1]], first, step, count)
        begin[e], end[e] = min(p, q), max(p, q)
        for k in range(begin[e], end[e]):
            begins[k + 1] += 1
    add_up(begins)
    points, free = np.empty((3, begins[-1])), begins[:-1].copy()
    for e in range(len(edges)):
        p, q = edges[e, 0], edges[e, 1]
        for k in range(begin[e], end[e]):
            share = (first + k * step - along[p]) / (along[q] - along[p])
            for axis in range(3):
                points[axis, free[k]] = vertices[p, axis] + share * (vertices[q, axis] - vertices[p, axis])
            free[k] += 1
    return begins, points


@njit(**FAST)
def _lowest_of(row, points, begin, end):
    """The least value of row . point over some points; inf if there are none."""
    least, a, b, c = np.inf, row[0], row[1], row[2]
    x, y, z = points[0][begin:end], points[1][begin:end], points[2][begin:end]
    for n in range(len(x)):
        height = a * x[n] + b * y[n] + c * z[n]
        least = height if height < least else least
    return least


@njit(**FAST)
def _beds(rotations, lifts, of_vertices, vertices, of_points, points, count):
    """The lowest point of either side at every place, in each pose; inf where there is nothing.

    Returns
    -------
    (p, 2, count) float64, mm
    """
    beds = np.full((len(lifts), 2, count), np.inf)
    for k in range(count + 1):  # all poses of a place: its points are at hand
        for pose in range(len(lifts)):
            z = _lowest_of(rotations[pose, 2], vertices, of_vertices[k], of_vertices[k + 1]) + lifts[pose]
            if k > 0:
                beds[pose, 0, k - 1] = z
            if k < count:
                beds[pose, 1, k] = z
    for pose in range(len(lifts)):
        for k in range(count - 2, -1, -1):
            beds[pose, 0, k] = min(beds[pose, 0, k], beds[pose, 0, k + 1])
        for k in range(1, count):
            beds[pose, 1, k] = min(beds[pose, 1, k], beds[pose, 1, k - 1])
    for k in range(count):
        for pose in range(len(lifts)):
            z = _lowest_of(rotations[pose, 2], points, of_points[k], of_points[k + 1]) + lifts[pose]
            for side in range(2):
                beds[pose, side, k] = min(beds[pose, side, k], z)
    return beds


@njit(**FAST)
def _column_sums(start, heights, shares, x0, y0, h, nx, plane, first, step, count, sums, both, cuts):
    """Puts the hits of all columns into what begins and ends at each place: of either side, sums (2, count + 1, 7); of
    both, for side 0 before a place and for side 1 from it on (count + 1, 7); see the head of this module. And into the
    differences of the cells of the cut face and of their t0, cuts (count + 1, 2), below 0 where c is.

    Nothing is asked in the inner loop that a processor would have to guess: that takes longer than adding zeros.
    """
    a, b, c = plane[0], plane[1], plane[2]
    rise = c / step
    over = 0 if c > 0.0 else 1
    cell = 0
    for row in range((len(start) - 1) // nx):
        for column in range(nx):
            begin, end = start[cell], start[cell + 1]
            cell += 1
            if begin == end:
                continue
            t0 = a * (x0 + (column + 0.5) * h) + b * (y0 + (row + 0.5) * h)
            level = (t0 - first) / step
            winding, ke = 0, -1
            floor = 0.0
            least, most = count, 0
            for n in range(begin, end):
                z, share = heights[n], shares[n]
                winding += -1 if share < 0.0 else 1
                if winding != (0 if share < 0.0 else 1):
                    continue
                k = min(max(rounded_up(level + rise * z), 0), count)
                least, most = min(least, k), max(most, k)
                if share < 0.0:
                    floor, ke = z, k
                    cuts[k, 0] -= 1.0
                    cuts[k, 1] -= t0
                    continue
                cuts[k, 0] += 1.0
                cuts[k, 1] += t0
                if ke < 0:
                    _lowest(both[k], share, z)
                else:
                    _over(sums, over, share, z, z - floor, k, ke)
            sums[0, most, _SHADOW] += 1.0
            sums[1, least, _SHADOW] += 1.0


@njit(**FAST, inline="always")
def _lowest(here, share, z):
    """The lowest entry of a column: what is on the bed rests there while its side has nothing lower."""
    low = z <= _BED
    here[_RESTING] += 1.0 if low else 0.0
    here[_LOW_HEIGHT if low else _HEIGHT] += share * z
    here[_LOW_SHARE if low else _SHARE] += share


@njit(**FAST, inline="always")
def _over(sums, side, share, z, gap, k, ke):
    """Enter an entry over an exit, which changes sides at place ke: see the table above.

    Parameters
    ----------
    side
        The side over the plane; an entry is on it if its exit is on the other.
    """
    sums[0, min(k, ke), _CONSTANT] += share * gap
    sums[1, max(k, ke), _CONSTANT] += share * gap
    sums[side, k, _HEIGHT] += share * z
    sums[side, k, _SHARE] += share
    sums[side, ke, _HEIGHT] -= share * z
    sums[side, ke, _SHARE] -= share


@njit(**FAST)
def _figures(sums, both, cuts, c, first, step, beds, cut_share, area, found):
    """Write support, base and shadow of both sides at every place into ``found`` (3, 2, count), from what begins and
    ends where.

    Parameters
    ----------
    area : mm2
        The area of a cell.
    """
    level, upright = abs(c) > _LEVEL, abs(c) < _UPRIGHT
    over = 0 if c > 0.0 else 1
    sign = 1.0 if c > 0.0 else -1.0
    for part in range(sums.shape[2]):
        for k in range(sums.shape[1]):
            sums[0, k, part] += both[k, part]
            sums[1, k, part] += both[k, part]
        for k in range(sums.shape[1] - 2, -1, -1):
            sums[0, k, part] += sums[0, k + 1, part]
        for k in range(1, sums.shape[1]):
            sums[1, k, part] += sums[1, k - 1, part]
    for k in range(1, len(cuts)):
        cuts[k, 0] += cuts[k - 1, 0]
        cuts[k, 1] += cuts[k - 1, 1]
    for k in range(found.shape[2]):
        cells = 0.0 if upright else sign * cuts[k, 0]
        for side in range(2):
            bed = beds[side, k]
            if bed == np.inf:
                continue
            now = sums[side, k + 1 - side]  # what ends at a place does not reach it
            support = now[_CONSTANT] + now[_HEIGHT] - now[_SHARE] * bed
            base = 0.0
            if bed < 1e-6:
                base = now[_RESTING]
            else:
                support += now[_LOW_HEIGHT] - now[_LOW_SHARE] * bed
            if side == over and cells > 0.5:
                at = first + k * step
                if level and at / c - bed <= _BED:
                    base += cells
                else:
                    support += cut_share * ((cells * at - sign * cuts[k, 1]) / c - cells * bed)
            found[0, side, k] = max(support, 0.0) * area
            found[1, side, k] = base * area
            found[2, side, k] = now[_SHADOW] * area


@njit(**FAST)
def pose_places(
    starts, start, hits, heights, shares, grids, nx, rotations, lifts, normal, low, high, of_vertices, vertices,
    of_points, points, first, step, count,
):
    """Support, base and shadow of both sides of every place, in each of p poses.

    Parameters
    ----------
    starts, hits : (p + 1,)
        Where the columns and the hits of a pose begin in ``start``, ``heights`` and ``shares``.
    shares : (hits,)
        How much of an entry's facet needs support; -1 for an exit.
    grids : (p, 3)
        x0, y0 and the side of a cell.
    nx : (p,)
    rotations : (p, 3, 3)
    lifts : (p,), mm
    low, high : float
        Sines between which the need for support rises.
    of_vertices, vertices
        See ``by_place``.
    of_points, points
        See ``crossings``.

    Returns
    -------
    (p, 3, 2, count) float64
        In mm3, mm2 and mm2.
    """
    found = np.zeros((len(nx), 3, 2, count))
    beds = _beds(rotations, lifts, of_vertices, vertices, of_points, points, count)
    for pose in range(len(nx)):
        rotation, lift = rotations[pose], lifts[pose]
        plane = np.empty(3)
        for axis in range(3):
            plane[axis] = (
                rotation[axis, 0] * normal[0] + rotation[axis, 1] * normal[1] + rotation[axis, 2] * normal[2]
            )
        cut_share = min(max((abs(plane[2]) - low) / (high - low), 0.0), 1.0)
        sums, both, cuts = np.zeros((2, count + 1, 7)), np.zeros((count + 1, 7)), np.zeros((count + 1, 2))
        x0, y0, cell = grids[pose, 0], grids[pose, 1], grids[pose, 2]
        begin = first + plane[2] * lift
        _column_sums(
            start[starts[pose] : starts[pose + 1]], heights[hits[pose] : hits[pose + 1]],
            shares[hits[pose] : hits[pose + 1]], x0, y0, cell, nx[pose], plane, begin, step, count, sums, both, cuts,
        )
        _figures(sums, both, cuts, plane[2], begin, step, beds[pose], cut_share, cell**2, found[pose])
    return found
