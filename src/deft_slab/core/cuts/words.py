"""Words for the sides of a cut, by where they lie on the standing model."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_SIDES = (("right", "left"), ("back", "front"), ("upper", "lower"))


def words_along(facing: NDArray[np.float64], side: int) -> str:
    """The word for a side, +1 or -1, of a face. facing : (3,) the way that the face looks, bed frame"""
    largest = int(np.argmax(np.abs(facing)))
    return _SIDES[largest][0 if side * facing[largest] > 0 else 1]
