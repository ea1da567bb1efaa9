"""Lines by which cuts are drawn. Plain geometry in mm of the model frame."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.document.base import Triple

_BOX = np.array([[0, 1], [0, 2], [0, 4], [1, 3], [1, 5], [2, 3], [2, 6], [3, 7], [4, 5], [4, 6], [5, 7], [6, 7]])
"""Edges of a box, by the numbers of its corners in binary."""


def ring(points: Floats) -> Floats:
    """Segments (k, 2, 3) from each point (k, 3) to the next, and back to the first."""
    return np.stack([points, np.roll(points, -1, axis=0)], axis=1)


def box_edges(centre: Triple, half: Triple, rotation: Floats) -> Floats:
    """The edges (12, 2, 3) of a box.

    Parameters
    ----------
    rotation : array of float64
        From the model's axes to the axes of the box.
    """
    signs = np.array([[1 - 2 * ((n >> k) & 1) for k in range(3)] for n in range(8)], float)
    corners = np.array(centre) + (signs * np.array(half)) @ rotation
    return np.asarray(corners[_BOX])
