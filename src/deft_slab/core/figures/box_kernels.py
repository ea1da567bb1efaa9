"""Compiled loops about boxes around pieces and the printer's room."""

from __future__ import annotations

import numpy as np
from numba import njit

from .column_kernels import FAST

_EXACTLY = 1e-6
"""mm by which a box may be over a printer's room and fit it."""


@njit(**FAST)
def fits_turned(corners, rotations, cosines, sines, room, lift):
    """See ``base_area.fits_turned``.

    Parameters
    ----------
    corners : (n, 3)
    cosines, sines : (t,)
        Of rotations spread evenly over half a circle, an even number of them.

    Returns
    -------
    (k,) bool
    """
    turns = len(cosines)
    half = turns // 2
    fits = np.zeros(len(rotations), np.bool_)
    x, y = np.empty(len(corners)), np.empty(len(corners))
    widths = np.empty(turns)
    for k in range(len(rotations)):
        low, high = np.inf, -np.inf
        for n in range(len(corners)):
            a, b, c = corners[n, 0], corners[n, 1], corners[n, 2]
            x[n] = rotations[k, 0, 0] * a + rotations[k, 0, 1] * b + rotations[k, 0, 2] * c
            y[n] = rotations[k, 1, 0] * a + rotations[k, 1, 1] * b + rotations[k, 1, 2] * c
            z = rotations[k, 2, 0] * a + rotations[k, 2, 1] * b + rotations[k, 2, 2] * c
            low, high = min(low, z), max(high, z)
        if high - low + lift > room[2] + _EXACTLY:
            continue
        for t in range(turns):
            low, high = np.inf, -np.inf
            for n in range(len(corners)):
                along = cosines[t] * x[n] - sines[t] * y[n]
                low, high = min(low, along), max(high, along)
            widths[t] = high - low
        for t in range(turns):
            # a turn and the one a quarter on are the sides of a box
            across = widths[(t + half) % turns]
            if widths[t] <= room[0] + _EXACTLY and across <= room[1] + _EXACTLY:
                fits[k] = True
                break
    return fits


@njit(**FAST)
def rooms_of_boxes(sizes, room):
    """See ``base_area.rooms_of_boxes``.

    Parameters
    ----------
    sizes : (n, 3)

    Returns
    -------
    (n,) int64
    """
    found = np.empty(len(sizes), np.int64)
    counts = np.empty((3, 3))
    for n in range(len(sizes)):
        for k in range(3):
            for axis in range(3):
                counts[k, axis] = max(np.ceil((sizes[n, k] - _EXACTLY) / room[axis]), 1.0)
        least = 1e9
        for i in range(3):
            for j in range(3):
                if i != j:
                    least = min(least, counts[i, 0] * counts[j, 1] * counts[3 - i - j, 2])
        found[n] = int(least)
    return found
