"""Compiled loops over arrays that stand in for functions of NumPy inside other kernels.

The compiler makes NumPy's own functions anew for every kind of array, and slowly: sorting costs it three seconds of
processor, assigning an array to a slice five to nine (for the text of an error), a running sum 0.7. These loops cost a
tenth of a second each. ``tests/test_kernels.py`` keeps such functions out of all kernels.
"""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def sorted_order(values, low, high):
    """The places low to high - 1 of an array in the order of their values, by heapsort (Knuth, The Art of Computer
    Programming 3, section 5.2.3, algorithm H). Equal values come in no particular order.

    Parameters
    ----------
    values : (n,) float64

    Returns
    -------
    (high - low,) int64
    """
    count = high - low
    order = np.empty(count, np.int64)
    for n in range(count):
        order[n] = low + n
    begin, end = count // 2, count - 1
    while end > 0:
        if begin > 0:
            begin -= 1
            moved = order[begin]
        else:
            moved = order[end]
            order[end] = order[0]
            end -= 1
            if end == 0:
                order[0] = moved
                break
        value = values[moved]
        hole, child = begin, 2 * begin + 1
        while child <= end:
            if child < end and values[order[child]] < values[order[child + 1]]:
                child += 1
            if value >= values[order[child]]:
                break
            order[hole] = order[child]
            hole, child = child, 2 * child + 1
        order[hole] = moved
    return order


@njit(cache=True, nogil=True)
def add_up(counts):
    """Replace each count with the sum of all up to it, in place.

    Parameters
    ----------
    counts : (n,) int64
    """
    for n in range(1, len(counts)):
        counts[n] += counts[n - 1]
