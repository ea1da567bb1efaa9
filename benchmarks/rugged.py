"""A rugged body, made by rule: winding, covered with scales, with thin limbs; the hard case for a search of cuts."""

from __future__ import annotations

import fast_simplification
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from skimage.measure import marching_cubes

from deft_slab.core.geometry.bodies import bodies_of
from deft_slab.core.mesh.solid import Solid

Floats = NDArray[np.float64]

_STEP = 0.61
"""mm between the points of the grid."""
_FAR = 6.0
"""mm from the surface beyond which the distance is not wanted."""


def _spine(count: int = 900) -> tuple[Floats, Floats]:
    """((count, 3) mm, (count,) radius) of a body that winds one and a half times around the vertical as it rises."""
    t = np.linspace(0, 1, count)
    turn = 3 * np.pi * t
    wide = 34 * (1 - 0.55 * t)
    points = np.stack([wide * np.cos(turn), wide * np.sin(turn), 150 * t], axis=1)
    return points, 4.0 + 11.0 * np.sin(np.pi * (0.12 + 0.86 * t)) ** 1.5


def _limbs() -> list[tuple[Floats, Floats]]:
    """Six thin limbs that stand off the spine, bent and tapering from 3.2 to 1.4 mm."""
    spine, _ = _spine()
    found = []
    for number, at in enumerate((120, 240, 370, 500, 640, 780)):
        start = spine[at]
        out = np.array([start[0], start[1], 0.0]) / max(float(np.hypot(*start[:2])), 1e-9)
        side = np.cross(out, [0.0, 0.0, 1.0]) * (1 if number % 2 else -1)
        t = np.linspace(0, 1, 160)[:, None]
        points = start + 46 * t * out + 16 * t**2 * side + (14 * t - 26 * t**2) * np.array([0.0, 0.0, 1.0])
        found.append((points, 3.2 - 1.8 * t[:, 0]))
    return found


def rugged(triangles: int = 200_000) -> Solid:
    """A closed body of about so many triangles, 130 mm wide and 160 mm high; the same one each time."""
    parts = [_spine(), *_limbs()]
    everything = np.concatenate([points for points, _ in parts])
    low, high = everything.min(axis=0) - 20, everything.max(axis=0) + 20
    counts = np.ceil((high - low) / _STEP).astype(int)
    grid = low + _STEP * np.stack(np.meshgrid(*(np.arange(n) for n in counts), indexing="ij"), axis=-1).reshape(-1, 3)
    field = np.full(len(grid), _FAR)
    for number, (points, radius) in enumerate(parts):
        away, nearest = cKDTree(points).query(grid, distance_upper_bound=float(radius.max()) + _FAR)
        there = np.flatnonzero(np.isfinite(away))
        own = nearest[there]
        distance = away[there] - radius[own]
        if number == 0:  # scales in rows around the body
            along = own / len(points) * 74
            off = grid[there] - points[own]
            around = np.arctan2(off[:, 2], off @ np.array([0.6, 0.8, 0.0])) * 9
            distance -= 0.9 * np.maximum(
                np.sin(2 * np.pi * along) * np.cos(around + np.pi * (along.astype(int) % 2)), 0
            )
        field[there] = np.minimum(field[there], distance)
    vertices, faces, _, _ = marching_cubes(field.reshape(counts), 0.0, spacing=(_STEP,) * 3)
    share = 1 - triangles / len(faces)
    if share > 0:
        vertices, faces = fast_simplification.simplify(vertices.astype(np.float32), faces.astype(np.int32), share)
    solid = Solid(np.asarray(vertices, np.float64) + low, np.asarray(faces, np.int32)[:, ::-1])
    if solid.volume < 0:
        solid = Solid(solid.vertices, solid.triangles[:, ::-1])
    return max(bodies_of(solid), key=lambda body: body.volume)
