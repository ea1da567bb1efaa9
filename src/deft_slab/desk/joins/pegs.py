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
    Field(tr("Width"), tr("The width at the contact."), "mm", lambda join: join.width,
          lambda join, value: {"width": value}, _LOW, 500, 0.5),
    Field(tr("Height"), tr("The height from the contact to the tip."), "mm", lambda join: join.height,
          lambda join, value: {"height": value}, 0.3, 200, 0.5),
    Field(tr("Draft"), tr("The angle of its sides to the way in. It makes the key come free as it is pulled out."), "°",
          lambda join: join.draft, lambda join, value: {"draft": value}, 0, 45, 1),
    Field(tr("Tip edge"), tr("The radius of the rounded edge of its tip."), "mm", lambda join: join.rounding,
          lambda join, value: {"rounding": value}, 0, 20, 0.25),
]
_LENGTH = [
    Field(tr("Length"), tr("The length at the contact."), "mm", lambda join: join.length,
          lambda join, value: {"length": value}, _LOW, 500, 0.5),
    Field(tr("Corner"), tr("The radius of its corners. It must be more than the draft takes off over the "
                           "height."), "mm",
          lambda join: join.corner, lambda join, value: {"corner": value}, 0.1, 100, 0.25),
]


_INSET = [
    Field(tr("Inset"), tr("How far its outline lies inside the outline of the contact."), "mm", lambda join: join.inset,
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
                  tr("Changes the outline: round, a rectangle with rounded corners, or the outline of the contact, "
                     "inset."),
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
        Switch(lambda join: tr("Swap pieces"), tr("Moves the key to the other piece, and its socket to this one."),
               lambda join: {"carrier": other(join.carrier), "ridges": ()}),
        _OUTLINE,
        Switch(lambda join: tr("Flat socket") if join.roofed else tr("Roofed socket"),
               tr("Changes whether the socket ends flat, or in a roof that prints without support."),
               lambda join: {"roofed": not join.roofed}),
    )

    def new_join(self, where: Where) -> KeyJoin:
        return KeyJoin(**where.place, width=where.width, height=round(0.8 * where.width, 1))


class LooseKeyOnDesk(_PegOnDesk, JoinOnDesk[LooseKeyJoin]):
    kind = "loose key"
    place = 2
    word = tr("Loose key")
    adds = tr("Adds a socket in both pieces, and a key that is printed separately, so that both contact faces can "
              "lie on the bed.")
    switches = (
        _OUTLINE,
        Switch(lambda join: tr("Flat sockets") if join.roofed_first else tr("Roofed sockets"),
               tr("Changes whether its sockets end flat, or in roofs that print without support."),
               lambda join: {"roofed_first": not join.roofed_first, "roofed_second": not join.roofed_first}),
    )

    def new_join(self, where: Where) -> LooseKeyJoin:
        return LooseKeyJoin(**where.place, width=where.width, height=round(0.8 * where.width, 1))
