"""The column field: a piece in its tilt, as sorted entry and exit heights over a square grid on the bed.

One pass over the triangles rasterises it, without a ray tree. Support volume, landing area and the shape of the
support follow from it. What is inside is decided by winding numbers along a column, not by the parity of hits.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..arrays import Floats, Ints, Ints32, unwritable
from . import column_kernels

SHIFT = 0.381966
"""The grid starts this share of a cell away from the bounding box, so that the edges of a boxy model, which lie at
round numbers, do not fall on sample points."""


@dataclass(frozen=True, eq=False)
class Columns:
    """The columns of a piece over a grid.

    Attributes
    ----------
    x0, y0, cell : float, mm
        The corner of the grid and the side of a cell.
    nx, ny : int
        The cells along x and y; cell (i, j) has the number j * nx + i.
    start : (nx * ny + 1,) int64
        Where the hits of each cell begin.
    heights : (hits,) float64, mm
        The heights of the hits, rising within a cell.
    facets : (hits,) int32
        The facet of each hit: f for an exit (facing up), -1 - f for an entry (facing down).
    """

    x0: float
    y0: float
    cell: float
    nx: int
    ny: int
    start: Ints
    heights: Floats
    facets: Ints32

    @property
    def topmost(self) -> tuple[Ints32, Floats]:
        """The facet seen from above in each cell, and its height.

        Returns
        -------
        (ny, nx) int32, (ny, nx) float64, mm
            -1 where there is no facet.
        """
        filled = np.flatnonzero(np.diff(self.start) > 0)
        last = self.start[filled + 1] - 1
        facets, heights = np.full(self.nx * self.ny, -1, np.int32), np.full(self.nx * self.ny, -np.inf)
        facets[filled] = np.where(self.facets[last] >= 0, self.facets[last], -1 - self.facets[last])
        heights[filled] = self.heights[last]
        return facets.reshape(self.ny, self.nx), heights.reshape(self.ny, self.nx)


def grid_of(vertices: Floats, side: float) -> tuple[float, float, int, int]:
    """A grid over the shadow of some points.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
    side : float
        The side of a cell.

    Returns
    -------
    float, float, int, int
        x0, y0, nx, ny.
    """
    left, front, right, back = column_kernels.shadow_of(vertices)
    x0, y0 = left - SHIFT * side, front - SHIFT * side
    return x0, y0, math.ceil((right - x0) / side) + 1, math.ceil((back - y0) / side) + 1


def column_field(vertices: Floats, triangles: Ints32, cells: int) -> Columns:
    """Rasterise a piece into columns.

    Parameters
    ----------
    vertices : (n, 3) float64, mm, bed frame
    triangles : (m, 3) int32
    cells : int
        The number of cells along the longer side of the shadow.
    """
    vertices, triangles = np.ascontiguousarray(vertices), unwritable(triangles)
    left, front, right, back = column_kernels.shadow_of(vertices)
    side = max(right - left, back - front, cells * 1e-9) / cells
    shadows = column_kernels.shadows_of_facets(vertices, triangles)
    side = column_kernels.side_within(side, shadows, cells, column_kernels.MOST_HITS)
    x0, y0, nx, ny = grid_of(vertices, side)
    hits = column_kernels.scan(column_kernels.to_grid(vertices, x0, y0, side), triangles, nx, ny)
    start, heights, facets = column_kernels.into_columns(*hits, nx * ny)
    return Columns(x0, y0, side, nx, ny, start, heights, facets)
