"""Binary STL: 80 bytes of title, the number of facets, and one record for each."""

from __future__ import annotations

import numpy as np

FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
