"""A separate key, with a socket in both pieces, so that both contact faces can lie on the bed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from ..locale.translate import tr
from .kind import JoinHole, Made, Site, Which
from .peg import Peg


class LooseKeyJoin(Peg):
    """A loose key. Its height counts on each side of the contact.

    Attributes
    ----------
    roofed_first, roofed_second : bool
        Whether each socket ends in a roof that prints without support.
    """

    kind: Literal["loose key"] = "loose key"
    roofed_first: bool = True
    roofed_second: bool = True

    word = tr("loose key")

    def build(self, site: Site) -> Made:
        from .key_bodies import lying_key, socket_of

        key, down = lying_key(self.shape, site)
        return Made(
            {},
            {
                "first": socket_of(self.shape, site, "second", self.roofed_first),
                "second": socket_of(self.shape, site, "first", self.roofed_second),
            },
            ((tr("Loose key"), key, down),),
        )

    def holes(self, clearance: float) -> Mapping[Which, JoinHole]:
        return {"first": self.hole(clearance, self.roofed_first), "second": self.hole(clearance, self.roofed_second)}

    def turned_round(self) -> dict[str, Any]:
        return {"roofed_first": self.roofed_second, "roofed_second": self.roofed_first}

    def sentence(self) -> str:
        return tr("loose key, {measures} on each side", measures=self.measures())
