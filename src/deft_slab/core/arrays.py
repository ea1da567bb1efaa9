"""Types of arrays: one name for each kind of number, used in the whole program.

The contents, shape and unit of an array are stated by the function that takes or returns it.
"""

from __future__ import annotations

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
