"""Compiled loops for how deep the nodes of a grid lie inside a surface.

Near the surface the nearest facet is found exactly. From there it is passed on from node to node in eight sweeps, one
for each corner of the grid, and each node keeps the nearest of the facets that its neighbours know (as in fast
sweeping; Zhao 2005). Only nodes inside are processed, because the straight way to the nearest point of the surface
stays inside.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from ..figures.column_kernels import FAST


@njit(**FAST)
def to_facet(corners, f, x, y, z):
    """The distance from a point to a facet. Method: Ericson 2005, Real-Time Collision Detection, 5.1.5.

    Parameters
    ----------
    corners : (m, 3, 3)
    """
    ax, ay, az = corners[f, 0, 0], corners[f, 0, 1], corners[f, 0, 2]
    abx, aby, abz = corners[f, 1, 0] - ax, corners[f, 1, 1] - ay, corners[f, 1, 2] - az
    acx, acy, acz = corners[f, 2, 0] - ax, corners[f, 2, 1] - ay, corners[f, 2, 2] - az
    px, py, pz = x - ax, y - ay, z - az
    d1 = abx * px + aby * py + abz * pz
    d2 = acx * px + acy * py + acz * pz
    if d1 <= 0.0 and d2 <= 0.0:
        return math.sqrt(px * px + py * py + pz * pz)
    bb = abx * abx + aby * aby + abz * abz
    bc = abx * acx + aby * acy + abz * acz
    cc = acx * acx + acy * acy + acz * acz
    d3, d4 = d1 - bb, d2 - bc
    d5, d6 = d1 - bc, d2 - cc
    vc, vb, va = d1 * d4 - d3 * d2, d5 * d2 - d1 * d6, d3 * d6 - d5 * d4
    if d3 >= 0.0 and d4 <= d3:
        v, w = 1.0, 0.0
    elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        v, w = d1 / (d1 - d3), 0.0
    elif d6 >= 0.0 and d5 <= d6:
        v, w = 0.0, 1.0
    elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        v, w = 0.0, d2 / (d2 - d6)
    elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        v = 1.0 - w
    else:
        scale = 1.0 / (va + vb + vc)
        v, w = vb * scale, vc * scale
    dx, dy, dz = px - v * abx - w * acx, py - v * aby - w * acy, pz - v * abz - w * acz
    return math.sqrt(dx * dx + dy * dy + dz * dz)


@njit(**FAST)
def fill_inside(start, heights, facets, inside, z0, step):
    """Mark the nodes inside, from a column field over their x and y.

    Parameters
    ----------
    inside : (nx, ny, nz) bool
        Output.
    """
    nx, ny, nz = inside.shape
    for j in range(ny):
        for i in range(nx):
            winding = 0
            cell = j * nx + i
            for n in range(start[cell], start[cell + 1] - 1):
                winding += 1 if facets[n] < 0 else -1
                if winding > 0:
                    low = max(int(math.ceil((heights[n] - z0) / step)), 0)
                    high = min(int(math.floor((heights[n + 1] - z0) / step)), nz - 1)
                    for k in range(low, high + 1):
                        inside[i, j, k] = True


@njit(**FAST)
def seed(corners, inside, low, step, depth, nearest):
    """Exact distances of the nodes inside that lie within about a cell of the surface.

    Parameters
    ----------
    corners : (m, 3, 3)
    low : (3,)
        The first node.
    depth : (nx, ny, nz) float32
        Output, like ``nearest`` (int32).
    """
    shape = inside.shape
    for f in range(len(corners)):
        nx = (corners[f, 1, 1] - corners[f, 0, 1]) * (corners[f, 2, 2] - corners[f, 0, 2]) - (
            corners[f, 1, 2] - corners[f, 0, 2]
        ) * (corners[f, 2, 1] - corners[f, 0, 1])
        ny = (corners[f, 1, 2] - corners[f, 0, 2]) * (corners[f, 2, 0] - corners[f, 0, 0]) - (
            corners[f, 1, 0] - corners[f, 0, 0]
        ) * (corners[f, 2, 2] - corners[f, 0, 2])
        nz = (corners[f, 1, 0] - corners[f, 0, 0]) * (corners[f, 2, 1] - corners[f, 0, 1]) - (
            corners[f, 1, 1] - corners[f, 0, 1]
        ) * (corners[f, 2, 0] - corners[f, 0, 0])
        normal = (nx, ny, nz)
        c = 0
        if abs(ny) > abs(normal[c]):
            c = 1
        if abs(nz) > abs(normal[c]):
            c = 2
        if normal[c] == 0.0:
            continue
        a, b = (c + 1) % 3, (c + 2) % 3
        first = np.empty(3, np.int64)
        last = np.empty(3, np.int64)
        for k in range(3):
            least = min(corners[f, 0, k], corners[f, 1, k], corners[f, 2, k])
            most = max(corners[f, 0, k], corners[f, 1, k], corners[f, 2, k])
            first[k] = max(int(math.floor((least - low[k]) / step)) - 1, 0)
            last[k] = min(int(math.ceil((most - low[k]) / step)) + 1, shape[k] - 1)
        at = np.empty(3, np.int64)
        point = np.empty(3)
        for i in range(first[a], last[a] + 1):
            at[a], point[a] = i, low[a] + i * step
            for j in range(first[b], last[b] + 1):
                at[b], point[b] = j, low[b] + j * step
                # where the facet's plane is, along its steepest axis
                on = (
                    corners[f, 0, c]
                    - ((point[a] - corners[f, 0, a]) * normal[a] + (point[b] - corners[f, 0, b]) * normal[b])
                    / normal[c]
                )
                middle = (on - low[c]) / step
                for k in range(
                    max(int(math.floor(middle)) - 1, first[c]), min(int(math.ceil(middle)) + 1, last[c]) + 1
                ):
                    at[c], point[c] = k, low[c] + k * step
                    if not inside[at[0], at[1], at[2]]:
                        continue
                    distance = to_facet(corners, f, point[0], point[1], point[2])
                    if distance < depth[at[0], at[1], at[2]]:
                        depth[at[0], at[1], at[2]] = distance
                        nearest[at[0], at[1], at[2]] = f


@njit(**FAST)
def sweep(corners, inside, low, step, depth, nearest, limit, dx, dy, dz):
    """Pass the nearest facets on, in one direction through the grid.

    Parameters
    ----------
    limit
        Deeper nodes pass nothing on.
    dx, dy, dz
        1 or -1, the way along each axis.
    """
    nx, ny, nz = inside.shape
    for i in range(nx):
        x = i if dx > 0 else nx - 1 - i
        for j in range(ny):
            y = j if dy > 0 else ny - 1 - j
            for k in range(nz):
                z = k if dz > 0 else nz - 1 - k
                if not inside[x, y, z]:
                    continue
                for axis in range(3):
                    u = x - dx if axis == 0 else x
                    v = y - dy if axis == 1 else y
                    w = z - dz if axis == 2 else z
                    if u < 0 or v < 0 or w < 0 or u >= nx or v >= ny or w >= nz:
                        continue
                    f = np.int64(nearest[u, v, w])
                    if f < 0 or f == nearest[x, y, z] or depth[u, v, w] > limit:
                        continue
                    if depth[u, v, w] - step >= depth[x, y, z]:
                        continue
                    distance = to_facet(corners, f, low[0] + x * step, low[1] + y * step, low[2] + z * step)
                    if distance < depth[x, y, z]:
                        depth[x, y, z] = distance
                        nearest[x, y, z] = f
