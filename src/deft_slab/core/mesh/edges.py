"""Edges of a triangle surface, as numbers that can be sorted."""

from __future__ import annotations

import numpy as np

from ..arrays import AnyInts, Bools, Ints


def edge_numbers(triangles: AnyInts, count: int) -> tuple[Ints, Bools]:
    """((3 m,) a number for each undirected edge of each facet, whether it is walked from its lower corner on).

    Parameters
    ----------
    triangles : (m, 3) int
        Of so many corners. The corners of an edge are its number // count and its number % count.
    """
    start = triangles.astype(np.int64)
    end = np.roll(start, -1, axis=1)
    return (np.minimum(start, end) * np.int64(count) + np.maximum(start, end)).ravel(), (start < end).ravel()
