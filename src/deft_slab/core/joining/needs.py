"""The circumstances that joins are proposed for."""

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
    """The circumstances that joins are proposed for.

    Attributes
    ----------
    threshold : float, degrees
        The overhang angle past which support is needed.
    stock : sequence of float, mm
        The diameters of the rods at hand.
    """

    printer: Printer
    threshold: float
    stock: Sequence[float] = STOCK

    @property
    def rods(self) -> list[tuple[float, float]]:
        """Round stock to try where no key fits, thickest first.

        Returns
        -------
        list of (float, float), mm
            Diameter, and depth on each side.
        """
        thin = sorted((one for one in self.stock if one <= _THICKEST), reverse=True) or [min(self.stock, default=3.0)]
        return [(one, round(share * one, 1)) for one in thin for share in _DEPTHS]
