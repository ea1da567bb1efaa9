"""What joins are proposed for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..joins import STOCK
from ..printers.profile import Printer

_THICKEST = 3.0
"""mm: thicker rods are not tried where no key fits."""
_DEPTHS = (2.75, 1.75)
"""Diameters of a rod that its hole is deep on each side, the first that has room."""


@dataclass(frozen=True)
class Needs:
    """What joins are proposed for.

    Attributes
    ----------
    threshold : float, degrees
        Overhang angle past which support is needed.
    stock : mm
        Diameters of the rods that there are.
    """

    printer: Printer
    threshold: float
    stock: Sequence[float] = STOCK

    @property
    def rods(self) -> list[tuple[float, float]]:
        """(diameter, depth on each side) mm, of round stock that is tried where no key fits, the thickest first."""
        thin = sorted((one for one in self.stock if one <= _THICKEST), reverse=True) or [min(self.stock, default=3.0)]
        return [(one, round(share * one, 1)) for one in thin for share in _DEPTHS]
