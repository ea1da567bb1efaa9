"""A key that stands out of one piece, and its socket in the other."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from ..locale.translate import tr
from .kind import JoinHole, Made, Site, Which, other
from .peg import Peg


class KeyJoin(Peg):
    """A key that stands out of one piece, and its socket in the other.

    Attributes
    ----------
    carrier : Which
        The piece that the key stands out of.
    roofed : bool
        Whether the socket ends in a roof that prints without support.
    """

    kind: Literal["key"] = "key"
    carrier: Which = "first"
    roofed: bool = False

    word = tr("key")

    def build(self, site: Site) -> Made:
        from .key_bodies import key_of, socket_of

        return Made(
            {self.carrier: key_of(self.shape, site, self.carrier)},
            {other(self.carrier): socket_of(self.shape, site, self.carrier, self.roofed)},
        )

    def holes(self, clearance: float) -> Mapping[Which, JoinHole]:
        return {other(self.carrier): self.hole(clearance, self.roofed)}

    @property
    def foot(self) -> Which | None:
        return self.carrier

    def turned_round(self) -> dict[str, Any]:
        return {"carrier": other(self.carrier)}

    def sentence(self) -> str:
        return tr("key, {measures}", measures=self.measures())
