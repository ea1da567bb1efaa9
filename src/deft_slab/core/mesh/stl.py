"""The layout of binary STL: a title of 80 bytes, the number of facets, and one record per facet."""

from __future__ import annotations

import numpy as np

FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
