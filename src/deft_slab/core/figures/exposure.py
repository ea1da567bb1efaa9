"""Exposure: how much of a surface point is seen, from 0 (never) to 1 (an open flat place).

e(p) is the sum of the visible cosines over the most that an open flat place can have, over directions spread evenly
over the places from which the audience looks. Visibility comes from depth maps, which cost tens of nanoseconds per
facet; a ray tree would cost a microsecond per ray. Occluders and sample points are first gathered into cells as large
as those of the depth maps, so the cost depends on the surface and hardly on the number of triangles, and many
directions are affordable. They are needed: on a hollow body with windows, 64 directions put a fifth too little
support out of reach, compared with 2,048.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats, Ints, Ints32
from ..document.marks import Audience
from ..geometry.place_on_bed import down_to_rotation
from ..locale.translate import tr
from ..mesh.corners import have_three
from ..mesh.solid import Solid
from ..progress import QUIET, Job, Spread
from . import column_kernels, exposure_kernels
from .column_field import grid_of

EVERYWHERE = Audience()

_AT_ONCE = 64
HIDDEN = 0.1
"""Support under a surface that is less exposed than this can hardly be reached."""


def spread_directions(count: int) -> Floats:
    """Unit vectors spread evenly over the sphere (a Fibonacci lattice: equal steps of area in z, turning by the
    golden angle).

    Returns
    -------
    (count, 3) float64
    """
    number = np.arange(count) + 0.5
    z = 1.0 - 2.0 * number / count
    turn = np.pi * (1.0 + np.sqrt(5.0)) * number
    radius = np.sqrt(1.0 - z * z)
    return np.stack([radius * np.cos(turn), radius * np.sin(turn), z], axis=1)


def exposure(
    solid: Solid, directions: int = 256, cells: int = 128, job: Job = QUIET, audience: Audience = EVERYWHERE,
    spread: Spread = map, behind: Solid | None = None, chosen: Bools | None = None,
) -> Floats:
    """How much the audience sees of each facet, 0 to 1. An open flat place that faces the audience has 1.

    Parameters
    ----------
    directions : int
        How many directions to look from over the whole sphere, in opposite pairs.
    cells : int
        Cells along the longest side of the solid. What is closer together is not told apart.
    behind : Solid | None
        What occludes: a draft mesh of the solid; the solid itself by default.
    chosen : (m,) bool
        Which facets are examined; the others get 1.

    Returns
    -------
    (m,) float64

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    cell = max(float(solid.size.max()), 1e-9) / cells
    vertices, triangles = _gathered(behind or solid, cell)
    if chosen is None:
        chosen = np.ones(len(solid.triangles), np.bool_)
    points, normals, sample_of = _samples(solid, cell, chosen)
    # one pass over the facets serves a direction and its opposite
    pairs = spread_directions(directions)[: directions // 2]
    above, below = audience.looks_from(pairs), audience.looks_from(-pairs)
    pairs, above, below = pairs[above | below], above[above | below], below[above | below]

    def look(numbers: Ints) -> Floats:
        seen = np.zeros(len(points))
        for number in numbers:
            rotation = down_to_rotation(-pairs[number])
            turned = np.ascontiguousarray(vertices @ rotation.T)
            x0, y0, nx, ny = grid_of(turned, cell)
            highest, lowest = np.full(nx * ny, -np.inf), np.full(nx * ny, np.inf)
            exposure_kernels.depth_map(column_kernels.to_grid(turned, x0, y0, cell), triangles, nx, highest, lowest)
            exposure_kernels.add_seen(points, normals, rotation, x0, y0, cell, nx, ny, highest, lowest, cell,
                             float(above[number]), float(below[number]), seen)
        return seen

    seen = np.zeros(len(points))
    for first in range(0, len(pairs), _AT_ONCE):
        job.step(first / len(pairs), tr("Finding what is visible from all sides"))
        some = np.arange(first, min(first + _AT_ONCE, len(pairs)))
        # the parts are added in their order, so that the sum does not depend on who is done first
        for part in spread(look, np.array_split(some, 4)):
            seen += part
    found = np.ones(len(solid.triangles))
    found[chosen] = np.minimum(seen / _most_seen(pairs, above, below), 1.0)[sample_of]
    return found


def _most_seen(pairs: Floats, above: Bools, below: Bools) -> float:
    """What an open flat place sees that faces the audience: the largest sum of cosines over all ways to face."""
    towards = np.concatenate([pairs[above], -pairs[below]])
    facing = np.concatenate([spread_directions(2000), towards])
    # in parts, for the whole table would be some 20 MB
    sums = [np.maximum(part @ towards.T, 0.0).sum(axis=1).max() for part in np.array_split(facing, 16)]
    return float(max(sums))


def _cell_numbers(points: Floats, normals: Floats, low: Floats, cell: float) -> Ints:
    """A number for each cell of a cubic grid and way to face, so that the two skins of a thin wall stay apart.

    Parameters
    ----------
    normals : (n, 3) float64
        Normals of any length. There is room for 2^16 cells along each side.

    Returns
    -------
    (n,) int64
    """
    length = np.sqrt(np.einsum("ij,ij->i", normals, normals))
    facing = np.round(2 * normals / np.where(length > 0, length, 1.0)[:, None]).astype(np.int64) + 2
    place = ((points - low) / cell).astype(np.int64)
    return np.asarray(place @ np.array([1, 1 << 16, 1 << 32]) + ((facing @ np.array([1, 5, 25])) << 48))


def _gathered(solid: Solid, cell: float) -> tuple[Floats, Ints32]:
    """The surface with all vertices of a cell that face the same way moved to their mean."""
    count = len(solid.vertices)
    corners = solid.triangles.ravel()
    normals = np.empty((count, 3))
    for k in range(3):
        normals[:, k] = np.bincount(corners, np.repeat(solid.area_vectors[:, k], 3), minlength=count)
    keys = _cell_numbers(solid.vertices, normals, solid.bounds[0], cell)
    place = np.unique_inverse(keys).inverse_indices
    members = np.bincount(place)
    vertices = np.stack([np.bincount(place, solid.vertices[:, k]) / members for k in range(3)], axis=1)
    triangles = place[solid.triangles].astype(np.int32)
    return vertices, np.ascontiguousarray(triangles[have_three(triangles)])


def _samples(
    solid: Solid, cell: float, chosen: Bools
) -> tuple[Floats, Floats, Ints]:
    """Sample points: facets of one cell that face much the same way share one.

    Returns
    -------
    (s, 3) float64, (s, 3) float64, int64
        The points, their unit normals, and the sample of each chosen facet.
    """
    centroids, vectors = solid.centroids[chosen], solid.area_vectors[chosen]
    sample_of = np.unique_inverse(_cell_numbers(centroids, vectors, solid.bounds[0], cell)).inverse_indices
    weight = np.maximum(solid.areas[chosen], 1e-12)
    total = np.bincount(sample_of, weight)
    points = np.stack([np.bincount(sample_of, weight * centroids[:, k]) for k in range(3)], axis=1)
    normals = np.stack([np.bincount(sample_of, vectors[:, k]) for k in range(3)], axis=1)
    length = np.linalg.norm(normals, axis=1)
    return points / total[:, None], normals / np.where(length > 0, length, 1.0)[:, None], sample_of
