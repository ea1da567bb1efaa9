"""Compiled loops that part columns at planes.

One raster scores every place of a plane along its axis. What a hit costs changes with the place only where the plane
passes the hit or the surface under it; in between it is constant or linear. So each hit is entered into the
differences of a constant and of a slope, and their running sums give the figures of all places at once.

Notation: columns as in ``column_kernels``; the normal of the plane is +z; place k lies at first + k step; *above* is
the side that the normal points to. A side lies with its cut face *down*, on it, or *up*, on its far end.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from .column_kernels import FAST

ABOVE_DOWN, ABOVE_UP, BELOW_DOWN, BELOW_UP = range(4)
"""Rows of what ``places_sums`` gives for each side and way to lie."""
_BED = 0.2
"""mm; see ``overhang.BED_TOLERANCE``."""


@njit(**FAST)
def first_at(z, first, step, count):
    """The first place at or above z."""
    k = (z - first) / step
    if k <= 0.0:
        return 0
    if k >= count:
        return count
    whole = int(k)
    return whole + 1 if whole < k else whole


@njit(**FAST)
def _running(constant, slope, first, step, sign):
    """Running sums of the differences.

    Parameters
    ----------
    sign
        The sign of the place in the linear term.
    """
    for row in range(constant.shape[0]):
        for k in range(1, constant.shape[1]):
            constant[row, k] += constant[row, k - 1]
            slope[row, k] += slope[row, k - 1]
        for k in range(constant.shape[1]):
            constant[row, k] += sign[row] * slope[row, k] * (first + k * step)


@njit(**FAST)
def places_sums(start, heights, facets, down, up, low, high, first, step, count):
    """What every place of a plane comes to, in cells, and mm times cells.

    Returns
    -------
    support, base : (4, count): rows ABOVE_DOWN and so on; base is what rests on the bed
    section : (count,) cells of the cut face
    shadow, volume : (2, count): cells that the side above, the side below, covers; its volume
    """
    rows = count + 1
    support, slope = np.zeros((4, rows)), np.zeros((4, rows))
    base = np.zeros((4, rows))
    section, shadow = np.zeros(rows), np.zeros((2, rows))
    volume, volume_slope = np.zeros((2, rows)), np.zeros((2, rows))
    to_bed, to_entry = np.bool_(True), np.bool_(False)  # plain ones are compiled once each
    for cell in range(len(start) - 1):
        begin, end = start[cell], start[cell + 1]
        if begin == end:
            continue
        winding = 0
        exit_below = -np.inf
        entered = 0.0
        exited, exit_facet = 0.0, np.int64(-1)
        covered = False
        for n in range(begin, end):
            z, f = heights[n], facets[n]
            if f < 0:
                winding += 1
                if winding != 1:
                    continue
                entered = z
                kz = first_at(z, first, step, count)
                if not covered:
                    covered = True
                    shadow[1, kz] += 1.0
                if exit_facet >= 0:
                    # the exit under this entry: lying upside down, its support ends on this
                    _exit(exited, exit_facet, z, to_entry, up, first, step, count, support, slope, base)
                _entry(z, exit_below, low, down[-1 - f], first, step, count, support, slope, base)
                continue
            winding -= 1
            if winding != 0:
                continue
            exit_below, exited, exit_facet = z, z, f
            _interval(entered, z, first, step, count, section, volume, volume_slope)
        if exit_facet >= 0:
            shadow[0, 0] += 1.0
            shadow[0, first_at(exited, first, step, count)] -= 1.0
            _exit(exited, exit_facet, high, to_bed, up, first, step, count, support, slope, base)
    _running(support, slope, first, step, np.array([-1.0, 0.0, 1.0, 0.0]))
    _running(volume, volume_slope, first, step, np.array([-1.0, 1.0]))
    for row in range(4):
        for k in range(1, rows):
            base[row, k] += base[row, k - 1]
    for k in range(1, rows):
        section[k] += section[k - 1]
        shadow[0, k] += shadow[0, k - 1]
        shadow[1, k] += shadow[1, k - 1]
    for k in range(count):
        base[ABOVE_DOWN, k] += section[k]
        base[BELOW_DOWN, k] += section[k]
    return (
        support[:, :count], base[:, :count], section[:count], shadow[:, :count], volume[:, :count]
    )


@njit(**FAST)
def _entry(z, exit_below, low, share, first, step, count, support, slope, base):
    """Enter an entry at z: its support ends at the exit below it, or else at the plane or the bed."""
    kz = first_at(z, first, step, count)
    lowest = exit_below == -np.inf
    gap = share * (z - (low if lowest else exit_below))
    if share > 0.0:
        # the gap to the exit below while the plane lies under that, the way down to the plane while it lies between
        kp = 0 if lowest else first_at(exit_below, first, step, count)
        if kp > 0:
            support[ABOVE_DOWN, 0] += gap
            support[ABOVE_DOWN, kp] -= gap
        support[ABOVE_DOWN, kp] += share * z
        slope[ABOVE_DOWN, kp] += share
        support[ABOVE_DOWN, kz] -= share * z
        slope[ABOVE_DOWN, kz] -= share
    if lowest and z - low <= _BED:
        base[BELOW_UP, kz] += 1.0
    elif share > 0.0:
        support[BELOW_UP, kz] += gap


@njit(**FAST)
def _interval(entered, exited, first, step, count, section, volume, volume_slope):
    """Enter what lies inside between two heights: the cut face where the plane passes it, and the volume."""
    kin, kout = first_at(entered, first, step, count), first_at(exited, first, step, count)
    section[kin] += 1.0
    section[kout] -= 1.0
    volume[0, 0] += exited - entered
    volume[0, kin] += entered
    volume[0, kout] -= exited
    volume[1, kin] -= entered
    volume[1, kout] += exited
    for row in range(2):
        volume_slope[row, kin] += 1.0
        volume_slope[row, kout] -= 1.0


@njit(**FAST)
def _exit(z, f, over, bed, up, first, step, count, support, slope, base):
    """Enter an exit at z whose support, lying upside down, ends at ``over``: the next entry, or the bed."""
    share = up[f]
    kz = first_at(z, first, step, count)
    if bed and over - z <= _BED:
        base[ABOVE_UP, 0] += 1.0
        base[ABOVE_UP, kz] -= 1.0
    elif share > 0.0:
        support[ABOVE_UP, 0] += share * (over - z)
        support[ABOVE_UP, kz] -= share * (over - z)
    if share > 0.0:
        ko = count if bed else first_at(over, first, step, count)
        support[BELOW_DOWN, kz] -= share * z
        slope[BELOW_DOWN, kz] += share
        support[BELOW_DOWN, ko] += share * over
        slope[BELOW_DOWN, ko] -= share


@njit(**FAST)
def seam_sums(along, vertices, triangles, weights, normals_cosine, first, step, count):
    """The length of the seam at every place, weighted in r ways.

    Parameters
    ----------
    along : (n,), mm
        How far the vertices lie along the normal.
    weights : (m, r)
        The weights of the facets.
    normals_cosine : (m,)
        The cosine between each facet's normal and the plane's. Facets in the plane are left out.

    Returns
    -------
    (r, count) float64, mm
    """
    sums = np.zeros((weights.shape[1], count))
    for f in range(len(triangles)):
        if abs(normals_cosine[f]) > 0.9999:
            continue
        a, b, c = triangles[f, 0], triangles[f, 1], triangles[f, 2]
        # in rising order
        if along[a] > along[b]:
            a, b = b, a
        if along[b] > along[c]:
            b, c = c, b
        if along[a] > along[b]:
            a, b = b, a
        ha, hb, hc = along[a], along[b], along[c]
        begin, end = first_at(ha, first, step, count), first_at(hc, first, step, count)
        if begin == end:
            continue
        # the section is longest at the height of the middle corner
        share = (hb - ha) / (hc - ha)
        longest = 0.0
        for axis in range(3):
            d = vertices[a, axis] + share * (vertices[c, axis] - vertices[a, axis]) - vertices[b, axis]
            longest += d * d
        longest = np.sqrt(longest)
        for k in range(begin, end):
            t = first + k * step
            part = (t - ha) / (hb - ha) if t < hb else ((hc - t) / (hc - hb) if hc > hb else 1.0)
            piece = longest * part
            for row in range(len(sums)):
                sums[row, k] += piece * weights[f, row]
    return sums


@njit(**FAST)
def side_widths(vertices, cosine, sine, first, step, count):
    """How wide the side above and the side below every place are along each of some yaws.

    Parameters
    ----------
    vertices : (n, 3)
        The vertices with the normal of the plane up.
    cosine, sine : (yaws,)
        Of the yaws.

    Returns
    -------
    (2, count, yaws) float64, mm
    """
    yaws = len(cosine)
    low, high = np.full((count + 1, yaws), np.inf), np.full((count + 1, yaws), -np.inf)
    for n in range(len(vertices)):
        x, y = vertices[n, 0], vertices[n, 1]
        k = first_at(vertices[n, 2], first, step, count)  # it is above the places before this one
        for yaw in range(yaws):
            along = cosine[yaw] * x + sine[yaw] * y
            low[k, yaw] = min(low[k, yaw], along)
            high[k, yaw] = max(high[k, yaw], along)
    widths = np.zeros((2, count, yaws))
    for yaw in range(yaws):
        least, most = np.inf, -np.inf
        for k in range(count, 0, -1):
            least, most = min(least, low[k, yaw]), max(most, high[k, yaw])
            widths[0, k - 1, yaw] = max(most - least, 0.0)
        least, most = np.inf, -np.inf
        for k in range(count):
            least, most = min(least, low[k, yaw]), max(most, high[k, yaw])
            widths[1, k, yaw] = max(most - least, 0.0)
    return widths
