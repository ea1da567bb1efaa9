"""Types of arrays: one name for each kind of number, in all of the program.

What an array holds, in which shape and unit, is said where it is taken or given.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints = NDArray[np.int64]
Ints32 = NDArray[np.int32]
"""As triangles are kept."""
AnyInts = NDArray[np.integer]
"""Of whatever width: as libraries give them."""
Bools = NDArray[np.bool_]
Bytes = NDArray[np.uint8]
"""Pictures, and marks that are summed."""
