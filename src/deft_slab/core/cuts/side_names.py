"""Words for the sides of a cut, by where they lie on the standing model."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats
from ..locale.translate import tr_in

SIDES = (("right", "left"), ("back", "front"), ("upper", "lower"))
"""Along x, y and z of the bed: the one to which a face looks, and the other."""
_NAMED = {
    "right": tr_in("a piece", "right"), "left": tr_in("a piece", "left"), "back": tr_in("a piece", "back"),
    "front": tr_in("a piece", "front"), "upper": tr_in("a piece", "upper"), "lower": tr_in("a piece", "lower"),
}


def words_along(facing: Floats, side: int) -> str:
    """The word for a side, +1 or -1, of a face.

    Parameters
    ----------
    facing : (3,) float64
        The outward direction of the face, bed frame.
    """
    return _NAMED[side_along(facing, side)]


def side_along(facing: Floats, side: int) -> str:
    """The same as one of ``SIDES``, independent of the language.

    Parameters
    ----------
    facing : (3,) float64
        The outward direction of the face, bed frame.
    """
    largest = int(np.argmax(np.abs(facing)))
    return SIDES[largest][0 if side * facing[largest] > 0 else 1]
