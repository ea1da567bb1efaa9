"""Types of arrays: one name for each kind of number, used in the whole program; and arrays that cannot be written.

The contents, shape and unit of an array are stated by the function that takes or returns it.
"""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints = NDArray[np.int64]
Ints32 = NDArray[np.int32]
"""The type of the triangles of surfaces."""
AnyInts = NDArray[np.integer]
"""Integers of any width, as libraries return them."""
Bools = NDArray[np.bool_]
Bytes = NDArray[np.uint8]
"""The type of pictures, and of marks that are added up."""

_Number = TypeVar("_Number", bound=np.generic)


def unwritable(array: NDArray[_Number]) -> NDArray[_Number]:
    """The same numbers as an array that cannot be written. Surfaces hold such arrays, and kernels are compiled for
    these alone: what else is handed to the same kernel is made like them first.

    Parameters
    ----------
    array : (...) of any numbers
        It can still be written itself.

    Returns
    -------
    (...)
        A view of it.
    """
    shared = array.view()
    shared.flags.writeable = False
    return shared
