"""Keys in the window, both those that are part of a piece and loose ones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ...core.joins import KeyJoin, LooseKeyJoin, Peg, other
from ...core.locale.translate import tr
from ..fields import Field
from .kind import JoinOnDesk, Switch, Where

_LOW = 0.6
_SIZE = [
    Field(tr("Width"), tr("Across, at the contact."), "mm", lambda join: join.width,
          lambda join, value: {"width": value}, _LOW, 500, 0.5),
    Field(tr("Height"), tr("From the contact to its tip."), "mm", lambda join: join.height,
          lambda join, value: {"height": value}, 0.3, 200, 0.5),
    Field(tr("Draft"), tr("How much its sides lean from the way in, so that it frees itself as it is drawn out."), "°",
          lambda join: join.draft, lambda join, value: {"draft": value}, 0, 45, 1),
    Field(tr("Tip edge"), tr("Radius of the rounded edge of its tip."), "mm", lambda join: join.rounding,
          lambda join, value: {"rounding": value}, 0, 20, 0.25),
]
_LENGTH = [
    Field(tr("Length"), tr("Along, at the contact."), "mm", lambda join: join.length,
          lambda join, value: {"length": value}, _LOW, 500, 0.5),
    Field(tr("Corner"), tr("Radius of its corners; more than the draft takes off over the height."), "mm",
          lambda join: join.corner, lambda join, value: {"corner": value}, 0.1, 100, 0.25),
]


_INSET = [
    Field(tr("Drawn in"), tr("How far its outline lies within that of the contact."), "mm", lambda join: join.inset,
          lambda join, value: {"inset": value}, 0, 200, 0.5),
]
_NEXT = {"round": tr("Make it long"), "rectangle": tr("Follow the outline"), "contact": tr("Make it round")}


def _other_outline(join: Peg) -> Mapping[str, Any]:
    """Change to the next outline: from round to rectangle, to the outline of the contact, and back to round."""
    if join.outline == "contact":
        return {"outline": "round"}
    if join.outline == "rectangle":
        return {"outline": "contact", "ridges": ()}
    # corners that the draft leaves something of
    return {"outline": "rectangle", "length": join.length or 1.5 * join.width, "corner": max(0.3 * join.width, 1.0)}


_OUTLINE = Switch(lambda join: _NEXT[join.outline],
                  tr("Round, a rectangle with rounded corners, or the outline of the contact drawn in."),
                  _other_outline)


class _PegOnDesk:
    """What both kinds of key have in common."""

    def fields(self, join: Peg) -> list[Field]:
        if join.outline == "contact":
            return [*_INSET, *_SIZE[1:]]
        return [*_SIZE[:1], *_LENGTH[:1], *_SIZE[1:], *_LENGTH[1:]] if join.outline == "rectangle" else _SIZE

    def turns(self, join: Peg) -> bool:
        return join.outline == "rectangle"

    def sized(self, join: Peg, factor: float, stock: Sequence[float]) -> Mapping[str, Any]:
        names = ("width", "length", "corner") if join.outline == "rectangle" else ("width",)
        return {name: max(round(factor * getattr(join, name), 2), _LOW if name != "corner" else 0.1) for name in names}


class KeyOnDesk(_PegOnDesk, JoinOnDesk[KeyJoin]):
    kind = "key"
    place = 1
    word = tr("Key")
    adds = tr("Adds a key on one piece and its socket in the other.")
    switches = (
        Switch(lambda join: tr("Other piece"), tr("Puts the key on the other piece, and its socket into this one."),
               lambda join: {"carrier": other(join.carrier), "ridges": ()}),
        _OUTLINE,
        Switch(lambda join: tr("Flat socket") if join.roofed else tr("Roofed socket"),
               tr("Whether the socket ends in a roof that prints without support over a base, or flat."),
               lambda join: {"roofed": not join.roofed}),
    )

    def new_join(self, where: Where) -> KeyJoin:
        return KeyJoin(**where.place, width=where.width, height=round(0.8 * where.width, 1))


class LooseKeyOnDesk(_PegOnDesk, JoinOnDesk[LooseKeyJoin]):
    kind = "loose key"
    place = 2
    word = tr("Loose key")
    adds = tr("Adds a socket in both pieces, and a key that is printed apart: both contact faces can lie on the bed.")
    switches = (
        _OUTLINE,
        Switch(lambda join: tr("Flat sockets") if join.roofed_first else tr("Roofed sockets"),
               tr("Whether its sockets end in roofs that print without support over a base, or flat."),
               lambda join: {"roofed_first": not join.roofed_first, "roofed_second": not join.roofed_first}),
    )

    def new_join(self, where: Where) -> LooseKeyJoin:
        return LooseKeyJoin(**where.place, width=where.width, height=round(0.8 * where.width, 1))
