"""Compiled loop over many seats of a piece. The grid is described in ``column_kernels``."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from . import column_kernels, section_kernels
from .column_field import SHIFT
from .column_kernels import FAST

SUMS = 12
"""How many figures a way to sit gets; see ``sketch_sums``."""


@njit(**FAST)
def sketch_sums(
    vertices, triangles, normals, areas, rotations, lift, low, high, tolerance, level, hold, clear, show, cells, layers,
    closed,
):
    """The sums of each of k seats: the column field, the facets and the sections, one seat after the other.

    Each row has: support volume, the part of it that needed no scaling (0 if nothing needs support), landing area,
    landing area on show faces, shadow, height of the highest point, largest section, area that needs support, area
    that gets it, the part of that on show faces, nearly level underside, resting area, and wall (see
    ``column_kernels.weigh_facets``). In mm, mm2 and mm3.

    Parameters
    ----------
    vertices : (n, 3), mm
    triangles : (m, 3)
    normals : (m, 3)
        Unit normals.
    areas : (m,), mm2
    rotations : (k, 3, 3)
    lift : float, mm
        Height over the bed.
    low, high, tolerance, level, hold, clear, show
        See ``column_kernels.weigh_facets``.
    cells : int
        Columns across the longer side.
    layers : int
        How many sections are computed, 0 for none.
    closed : bool
        Whether the sections can be computed from the facets.

    Returns
    -------
    (k, 12) float64
    """
    found = np.zeros((len(rotations), SUMS))
    weight, nobody = np.empty(len(triangles)), np.zeros(len(triangles), np.bool_)
    normals_z, upward, heights = np.empty(len(triangles)), np.empty(len(triangles)), np.empty(len(vertices))
    for way in range(len(rotations)):
        turned = column_kernels.turn_and_set_down(vertices, rotations[way], lift)
        shadows = 0.0
        for f in range(len(triangles)):
            normals_z[f] = (
                rotations[way, 2, 0] * normals[f, 0]
                + rotations[way, 2, 1] * normals[f, 1]
                + rotations[way, 2, 2] * normals[f, 2]
            )
            upward[f] = normals_z[f] * areas[f]
            shadows += abs(upward[f])
        top = 0.0
        for n in range(len(vertices)):
            heights[n] = turned[n, 2]
            top = max(top, heights[n])
        need, supported, scar, _, shadow, shadow_height, underside, resting, wall = column_kernels.weigh_facets(
            heights, triangles, normals_z, areas, low, high, tolerance, lift > 0, level, hold, clear, show, weight
        )
        left, front, right, back = column_kernels.shadow_of(turned)
        side = max(right - left, back - front, cells * 1e-9) / cells
        side = column_kernels.side_within(side, shadows, cells, column_kernels.MOST_SKETCHED)
        x0, y0 = left - SHIFT * side, front - SHIFT * side
        nx, ny = int(math.ceil((right - x0) / side)) + 1, int(math.ceil((back - y0) / side)) + 1
        hits = column_kernels.scan(column_kernels.to_grid(turned, x0, y0, side), triangles, nx, ny)
        start, hit_heights, facets = column_kernels.into_columns(hits[0], hits[1], hits[2], nx * ny)
        area, landings, _, _, _, landing, on_show, covered = column_kernels.support_sums(
            start, hit_heights, facets, weight, nobody, show, np.empty(len(hit_heights))
        )
        cell = side * side
        scale = shadow / (area * cell) if area > 0.0 else 0.0
        largest = 0.0
        if layers > 0:
            thickness = max(top - lift, 1e-9) / layers
            last = lift + (layers - 0.5) * thickness
            if closed:
                sections = section_kernels.section_areas(heights, triangles, upward, lift, thickness, layers, last)
                for layer in range(layers):
                    largest = max(largest, sections[layer])
            else:
                counted = column_kernels.section_cells(start, hit_heights, facets, lift, thickness, layers)
                for layer in range(layers):
                    largest = max(largest, counted[layer] * cell)
        figures = (
            max(shadow_height - landings * cell * scale, 0.0) if area > 0.0 else 0.0, landing * cell * scale,
            on_show * cell * scale, covered * cell, top, largest, need, supported, scar, underside, resting, wall,
        )
        for n in range(len(figures)):
            found[way, n] = figures[n]
    return found
