"""The edges of a triangle surface, encoded as numbers that can be sorted."""

from __future__ import annotations

import numpy as np

from ..arrays import AnyInts, Bools, Ints


def edge_numbers(triangles: AnyInts, count: int) -> tuple[Ints, Bools]:
    """A number for each undirected edge of each facet, and the direction in which the facet walks it.

    Parameters
    ----------
    triangles : (m, 3) int
        Indices of vertices, 0 to ``count`` - 1.
    count : int
        How many vertices there are.

    Returns
    -------
    (3 m,) int64, (3 m,) bool
        The numbers: number // count and number % count are the two vertices. And whether the facet walks the edge
        from its lower vertex to its higher one.
    """
    start = triangles.astype(np.int64)
    end = np.roll(start, -1, axis=1)
    return (np.minimum(start, end) * np.int64(count) + np.maximum(start, end)).ravel(), (start < end).ravel()
