"""The support of a piece as one skin around all of it, for drawing."""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats, Ints32
from . import skin_kernels
from .column_field import Columns

_LEAST_GAP = 0.3
"""mm: support thinner than about a layer is left out of the picture (not out of the figures)."""


def support_skin(columns: Columns, floors: Floats) -> tuple[Floats, Ints32]:
    """The skin around all support; empty if there is none.

    Parameters
    ----------
    floors : (hits,) float64
        From ``piece_figures.measure``.

    Returns
    -------
    (n, 3) float64, mm, bed frame; (m, 3) int32
        Vertices and triangles.
    """
    keep = columns.heights - floors > _LEAST_GAP
    cell_of = np.repeat(np.arange(columns.nx * columns.ny), np.diff(columns.start))[keep]
    if not len(cell_of):
        return np.empty((0, 3)), np.empty((0, 3), np.int32)
    start = np.zeros(columns.nx * columns.ny + 1, np.int64)
    np.cumsum(np.bincount(cell_of, minlength=columns.nx * columns.ny), out=start[1:])
    quads = np.empty((5 * len(cell_of), 4, 3))
    count = skin_kernels.skin_quads(
        start, floors[keep], columns.heights[keep], columns.nx, columns.ny,
        columns.start, columns.heights, columns.facets, quads,
    )
    corners = quads[:count].reshape(-1, 3)
    grid = _smoothed_corners(np.diff(start).reshape(columns.ny, columns.nx) > 0)
    i, j = corners[:, 0].astype(int), corners[:, 1].astype(int)
    x = columns.x0 + grid[j, i, 0] * columns.cell
    y = columns.y0 + grid[j, i, 1] * columns.cell
    first = np.arange(count, dtype=np.int32)[:, None] * 4
    triangles = np.concatenate([first + [0, 1, 2], first + [0, 2, 3]]).astype(np.int32)
    return np.stack([x, y, corners[:, 2]], axis=1), triangles


def _smoothed_corners(occupied: Bools, rounds: int = 6) -> Floats:
    """The corners of the grid, with those on the outline moved to the mean of their neighbours along it. Without
    this the walls of the support would show the steps of the grid.

    Returns
    -------
    (ny + 1, nx + 1, 2) float64
    """
    ny, nx = occupied.shape
    corners = np.stack(np.meshgrid(np.arange(nx + 1.0), np.arange(ny + 1.0)), axis=-1)
    padded = np.pad(occupied, 1)
    across = np.argwhere(padded[1:, 1:-1] != padded[:-1, 1:-1])  # outline edges along x, at corner (j, i)-(j, i + 1)
    along = np.argwhere(padded[1:-1, 1:] != padded[1:-1, :-1])  # along y, at corner (j, i)-(j + 1, i)
    start = np.concatenate([across, along]) @ [nx + 1, 1]
    end = np.concatenate([across + [0, 1], along + [1, 0]]) @ [nx + 1, 1]
    flat = corners.reshape(-1, 2)
    degree = np.bincount(np.r_[start, end], minlength=len(flat))
    moving = degree > 0
    for _ in range(rounds):
        total = np.zeros_like(flat)
        np.add.at(total, start, flat[end])
        np.add.at(total, end, flat[start])
        flat[moving] = 0.5 * flat[moving] + 0.5 * total[moving] / degree[moving, None]
    return corners
