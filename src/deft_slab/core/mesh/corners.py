"""The corners of triangle surfaces that are being put together."""

from __future__ import annotations

import numpy as np

from ..arrays import AnyInts, Bools, Floats, Ints32


def in_use(vertices: Floats, triangles: AnyInts) -> tuple[Floats, Ints32]:
    """A surface without the vertices that no triangle uses; the others keep their order.

    Parameters
    ----------
    vertices : (n, 3) float64
    triangles : (m, 3) int

    Returns
    -------
    (k, 3) float64, (m, 3) int32
        The vertices, and the triangles numbered anew.
    """
    used = np.zeros(len(vertices), np.bool_)
    used[triangles] = True
    number = np.cumsum(used, dtype=np.int32) - 1
    return vertices[used], number[triangles]


def have_three(triangles: AnyInts) -> Bools:
    """Which triangles (m, 3) have three different corners.

    Returns
    -------
    (m,) bool
    """
    a, b, c = triangles.T
    return np.asarray((a != b) & (b != c) & (c != a))
