"""Exposure: how much of a surface point is seen, from 0 (never) to 1 (an open flat place).

e(p) = sum of visible cosines / sum of all cosines, over directions spread evenly over the sphere. Visibility comes
from a depth map for each direction, which costs tens of nanoseconds a facet; a ray tree would cost a microsecond a ray.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..progress import QUIET, Job
from ..solid import Solid
from . import kernels
from .columns import grid_over
from .tilts import down_to_rotation

Floats = NDArray[np.float64]

HIDDEN = 0.1
"""Support under a surface that is less exposed than this can hardly be reached."""


def spread_directions(count: int) -> Floats:
    """(count, 3) unit vectors spread evenly over the sphere (a Fibonacci lattice: equal-area steps in z, turning by
    the golden angle)."""
    number = np.arange(count) + 0.5
    z = 1.0 - 2.0 * number / count
    turn = np.pi * (1.0 + np.sqrt(5.0)) * number
    radius = np.sqrt(1.0 - z * z)
    return np.stack([radius * np.cos(turn), radius * np.sin(turn), z], axis=1)


def exposure(solid: Solid, directions: int = 48, cells: int = 160, job: Job = QUIET) -> Floats:
    """(m,) 0 to 1 for each facet, at its centre, with the audience everywhere.

    directions : how many to look from, in opposite pairs; cells : of the depth maps, along the shadow's longer side

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """
    seen = np.zeros(len(solid.triangles))
    possible = np.zeros(len(solid.triangles))
    # one pass over the facets serves a direction and its opposite
    pairs = spread_directions(directions)[: directions // 2]
    for number, towards in enumerate(pairs):
        if number % 4 == 0:
            job.step(number / len(pairs), "Looking at the surface from all sides")
        rotation = down_to_rotation(-towards)
        turned = np.ascontiguousarray(solid.vertices @ rotation.T)
        x0, y0, side, nx, ny = grid_over(turned, cells)
        highest, lowest = np.full(nx * ny, -np.inf), np.full(nx * ny, np.inf)
        kernels.depth_map(kernels.to_grid(turned, x0, y0, side), solid.triangles, nx, highest, lowest)
        kernels.add_seen(
            solid.centroids, solid.normals, rotation, x0, y0, side, nx, ny, highest, lowest, side, seen, possible
        )
    return np.divide(seen, possible, out=np.zeros_like(seen), where=possible > 0)
