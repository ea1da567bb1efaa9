"""Exposure: how much of a surface point is seen, from 0 (never) to 1 (an open flat place).

e(p) = sum of visible cosines / the most that an open flat place can have, over directions spread evenly over where
the audience looks from. Visibility comes from depth maps, which cost tens of nanoseconds a facet; a ray tree would cost
a microsecond a ray. Both what stands in the way and the points that are looked at are first gathered into cells as
large as those of the depth maps, so the cost depends on the surface and hardly on the number of its triangles, and many
directions can be afforded. (They are needed: on a hollow body with windows 64 directions put a fifth too little support
out of reach, measured against 2,048.)
"""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats, Ints, Ints32
from ..document.marks import Audience
from ..geometry.place_on_bed import down_to_rotation
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job, Spread
from . import column_kernels, exposure_kernels
from .column_field import grid_of

EVERYWHERE = Audience()

_AT_ONCE = 64
HIDDEN = 0.1
"""Support under a surface that is less exposed than this can hardly be reached."""


def spread_directions(count: int) -> Floats:
    """(count, 3) unit vectors spread evenly over the sphere (a Fibonacci lattice: equal-area steps in z, turning by
    the golden angle).
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
    """(m,) 0 to 1 for each facet: how much the audience sees of it; an open flat place that faces it has 1.

    Parameters
    ----------
    directions : int
        How many to look from over the whole sphere, in opposite pairs.
    cells : int
        Along the longest side of the solid; what is nearer together is not told apart.
    behind : Solid | None
        What stands in the way, a draft mesh of the solid; the solid itself by default.
    chosen : (m,) bool
        Which facets are looked at; the others have 1.

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
        job.step(first / len(pairs), tr("Looking at the surface from all sides"))
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
    """(n,) one number for each cell of a cubic grid and way to face: the two skins of a thin wall stay apart.

    Parameters
    ----------
    normals : (n, 3) float64
        Need not be of unit length. There is room for 2^16 cells along each side.
    """
    length = np.sqrt(np.einsum("ij,ij->i", normals, normals))
    facing = np.round(2 * normals / np.where(length > 0, length, 1.0)[:, None]).astype(np.int64) + 2
    place = ((points - low) / cell).astype(np.int64)
    return np.asarray(place @ np.array([1, 1 << 16, 1 << 32]) + ((facing @ np.array([1, 5, 25])) << 48))


def _gathered(solid: Solid, cell: float) -> tuple[Floats, Ints32]:
    """Vertices and triangles of the surface with corners in one cell that face the same way put in their mean."""
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
    a, b, c = triangles.T
    return vertices, np.ascontiguousarray(triangles[(a != b) & (b != c) & (c != a)])


def _samples(
    solid: Solid, cell: float, chosen: Bools
) -> tuple[Floats, Floats, Ints]:
    """(points (s, 3), unit normals (s, 3), sample of each chosen facet): facets of one cell that face much the same way
    are looked at in one point.
    """
    centroids, vectors = solid.centroids[chosen], solid.area_vectors[chosen]
    sample_of = np.unique_inverse(_cell_numbers(centroids, vectors, solid.bounds[0], cell)).inverse_indices
    weight = np.maximum(solid.areas[chosen], 1e-12)
    total = np.bincount(sample_of, weight)
    points = np.stack([np.bincount(sample_of, weight * centroids[:, k]) for k in range(3)], axis=1)
    normals = np.stack([np.bincount(sample_of, vectors[:, k]) for k in range(3)], axis=1)
    length = np.linalg.norm(normals, axis=1)
    return points / total[:, None], normals / np.where(length > 0, length, 1.0)[:, None], sample_of
