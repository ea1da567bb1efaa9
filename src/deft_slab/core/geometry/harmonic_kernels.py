"""Compiled loops for harmonic fields."""

from __future__ import annotations

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def relaxed(field, held, rounds, over, enough):
    """Solve Laplace's equation in place, on a grid with no flow across its borders. Returns the number of rounds it
    took.

    Successive over-relaxation in red and black order (Young 1954), with the seven-point stencil.

    Parameters
    ----------
    field : (a, b, c) float32
        The values, changed in place.
    held : (a, b, c) bool
        Where values are held.
    rounds : int
        The most rounds.
    over : float
        The over-relaxation factor, 1 to 2.
    enough : float
        Stop once no value changes by more than this in a round.
    """
    a, b, c = field.shape
    for number in range(rounds):
        largest = 0.0
        for colour in range(2):
            for i in range(a):
                up, down = min(i + 1, a - 1), max(i - 1, 0)
                for j in range(b):
                    right, left = min(j + 1, b - 1), max(j - 1, 0)
                    for k in range((i + j + colour) & 1, c, 2):
                        if held[i, j, k]:
                            continue
                        ahead, behind = min(k + 1, c - 1), max(k - 1, 0)
                        around = (
                            field[up, j, k] + field[down, j, k] + field[i, right, k]
                            + field[i, left, k] + field[i, j, ahead] + field[i, j, behind]
                        )
                        change = over * (around / 6.0 - field[i, j, k])
                        field[i, j, k] += change
                        largest = max(largest, abs(change))
        if largest < enough:
            return number + 1
    return rounds


@njit(cache=True, nogil=True)
def _rows(corners, f, spacing):
    """How to lay rows across a facet: the first corner of its longest side, the length of that side, the number of
    rows, and the area.
    """
    longest, first = -1.0, 0
    for k in range(3):
        n = (k + 1) % 3
        dx, dy, dz = (corners[f, n, 0] - corners[f, k, 0], corners[f, n, 1] - corners[f, k, 1],
                      corners[f, n, 2] - corners[f, k, 2])
        length = math.sqrt(dx * dx + dy * dy + dz * dz)
        if length > longest:
            longest, first = length, k
    a, b, c = first, (first + 1) % 3, (first + 2) % 3
    ux, uy, uz = (corners[f, b, 0] - corners[f, a, 0], corners[f, b, 1] - corners[f, a, 1],
                  corners[f, b, 2] - corners[f, a, 2])
    vx, vy, vz = (corners[f, c, 0] - corners[f, a, 0], corners[f, c, 1] - corners[f, a, 1],
                  corners[f, c, 2] - corners[f, a, 2])
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    double = math.sqrt(x * x + y * y + z * z)
    rows = max(1, int(math.ceil(double / max(longest, 1e-300) / spacing)))
    return first, longest, rows, double / 2.0


@njit(cache=True, nogil=True)
def spread_over(corners, spacing):
    """Points in rows over each facet, no farther apart than the spacing.

    Parameters
    ----------
    corners : (m, 3, 3) float64, mm
    spacing : float, mm

    Returns
    -------
    (n, 3) float64, (n,) int64, (n,) float64
        The points, their facets, and the area around each.
    """
    total = 0
    for f in range(len(corners)):
        _, longest, rows, _ = _rows(corners, f, spacing)
        for row in range(rows):
            total += max(1, int(math.ceil(longest * (1.0 - (row + 0.5) / rows) / spacing)))
    points = np.empty((total, 3))
    facet = np.empty(total, np.int64)
    around = np.empty(total)
    n = 0
    for f in range(len(corners)):
        first, longest, rows, area = _rows(corners, f, spacing)
        a, b, c = first, (first + 1) % 3, (first + 2) % 3
        for row in range(rows):
            up = (row + 0.5) / rows
            count = max(1, int(math.ceil(longest * (1.0 - up) / spacing)))
            strip = area * (2.0 * (rows - row) - 1.0) / (rows * rows)
            for k in range(count):
                along = (k + 0.5) / count * (1.0 - up)
                for axis in range(3):
                    points[n, axis] = (
                        corners[f, a, axis] * (1.0 - along - up) + corners[f, b, axis] * along
                        + corners[f, c, axis] * up
                    )
                facet[n] = f
                around[n] = strip / count
                n += 1
    return points, facet, around
