"""A surface as a file gave it, and the same with its corners joined."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_GRID_BITS = 20


@dataclass(frozen=True, eq=False)
class Surface:
    """vertices : (n, 3) float64, in ``unit``; triangles : (m, 3) int32; unit : as the file states it, else None
    grid : what all coordinates are whole multiples of, once tidied; 0 before
    """

    vertices: Floats
    triangles: NDArray[np.int32]
    unit: str | None = None
    grid: float = 0.0


def grid_for(vertices: Floats) -> float:
    """A power of two, about a millionth of the largest coordinate; not finer than for a model of a millionth."""
    largest = max(float(np.abs(vertices).max()), 1e-6)
    return math.ldexp(1.0, math.frexp(largest)[1] - _GRID_BITS)


def snapped(vertices: Floats, grid: float) -> Floats:
    """Coordinates at whole multiples of a grid.

    3MF holds coordinates as decimal text, and its library reads them back with the last bits of a float32 changed. A
    grid a little coarser than those bits lets a project open with the very model that was saved.
    """
    return np.round(np.asarray(vertices, float) / grid) * grid + 0.0  # adding 0 makes one zero of -0 and 0


def _place_numbers(vertices: Floats) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(first, number): the first corner at each distinct place, in their order, and the place of each corner.

    Sorting one hash of each corner is several times quicker than sorting rows. Two places with one hash are noticed.
    """
    bits = np.ascontiguousarray(vertices, np.float32).view(np.uint32).astype(np.uint64)
    mixed = bits[:, 0] * np.uint64(0x9E3779B97F4A7C15)
    mixed ^= bits[:, 1] * np.uint64(0xC2B2AE3D27D4EB4F) + (bits[:, 2] << np.uint64(17)) * np.uint64(0x165667B19E3779F9)
    _, first, number = np.unique(mixed, return_index=True, return_inverse=True)
    if not np.array_equal(vertices[first][number], vertices):
        _, first, number = np.unique(vertices, axis=0, return_index=True, return_inverse=True)
    # neighbours in the file stay neighbours in memory, which the kernels are glad of
    order = np.argsort(first)
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    return first[order], rank[number.ravel()]


def tidy(surface: Surface) -> Surface:
    """Corners at the same place joined, facets without three corners dropped, unused corners too."""
    grid = grid_for(surface.vertices)
    vertices = snapped(surface.vertices, grid)
    triangles = np.asarray(surface.triangles)
    first, number = _place_numbers(vertices)
    triangles = number[triangles].astype(np.int32)
    a, b, c = triangles.T
    triangles = triangles[(a != b) & (b != c) & (c != a)]
    used = np.zeros(len(first), np.bool_)
    used[triangles] = True
    renumbered = np.cumsum(used, dtype=np.int32) - 1
    return Surface(vertices[first][used], renumbered[triangles].astype(np.int32), surface.unit, grid)
