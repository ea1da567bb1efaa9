"""Default values that more than one module needs, each stated once beside its reason."""

from __future__ import annotations

THRESHOLD = 45.0
"""Degrees from the vertical: the overhang angle past which support is needed (common practice)."""
UNSUPPORTED = THRESHOLD - 1.0
"""Degrees from the vertical that roofs, ridges and cones of the program's own lean, so that they print without support
at the usual threshold: a degree less, so that rounding of a file makes none of it overhang."""
LEANING = 0.5
"""Share of the support of its best flat seat that a piece must save to lean in another one (an assumption, between
taking every saving and none)."""
PRINTER_CLEARANCE = 0.3
"""mm per side between a key and its socket, on a filament printer whose clearance nobody has measured (common
practice); a coupon finds one's own."""
WEARER_CLEARANCE = 5.0
"""mm of air around a wearer's form (an assumption: thin padding)."""
