"""Where numbers and letters go: never where they are seen, on both faces of a contact, away from its joins."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence

import numpy as np

from ..arrays import Floats
from ..cache import Cache
from ..document.base import Triple, triple
from ..joins import Join, LettersJoin
from ..locale.translate import tr
from ..printers.profile import Printer
from ..progress import QUIET, Job
from .apply_joins import Taken, made_once
from .contacts import Contact
from .room import ContactRoom

_HEIGHTS = (6.0, 5.0, 4.0, 3.2)
"""mm of a capital that are tried; strokes of the smallest one are 0.45 mm wide."""
_TRIES = 8
_ROUND = 0.9
"""Share of a circle of its girth that the area of an outline has from which on it tells nothing of how it is turned."""
_ACROSS = 0.5
"""Share of up that must lie across a contact for it to be pointed to."""


def letter_of(number: int) -> str:
    """The letter for a number: A, B, … Z, AA, AB, …"""
    text = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        text = chr(ord("A") + rest) + text
    return text


def propose_letters(
    contacts: Sequence[Contact], rooms: Callable[[Contact], ContactRoom], begun: int, printer: Printer,
    ids: Iterable[str], taken: Taken, stands: Floats, kept: Cache, job: Job = QUIET,
) -> list[Join]:
    """Propose letters for each contact with room: the number of the piece and a letter that both faces share, as
    large as possible. Round contacts get an arrowhead that points up on the prop, or to its front where up is not
    across the contact.

    Parameters
    ----------
    begun : int
        How many letters are in use already.
    taken : Taken
        What letters must keep away from; the new ones are added to it.
    stands : (3, 3) float64
        The rotation of the standing prop.
    kept : Cache
        Caches what joins make.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    found: list[Join] = []
    free = iter(ids)
    for done, contact in enumerate(contacts):
        job.step(done / max(len(contacts), 1), tr("Searching for room for letters"))
        one = _on(contact, rooms(contact), letter_of(begun + len(found)), printer, taken,
                  pointer_of(contact, stands), kept)
        if one is not None:
            found.append(one.model_copy(update={"id": next(free)}))
    return found


def pointer_of(contact: Contact, stands: Floats) -> Triple | None:
    """The direction in which an arrowhead on a contact points: up on the prop, or its front, as far as that lies
    across the contact. None if the outline itself shows how the pieces belong together.

    Parameters
    ----------
    stands : (3, 3) float64
        The rotation of the standing prop.
    """
    parts = contact.region.geoms
    if len(parts) > 1 or 4 * math.pi * parts[0].convex_hull.area / parts[0].exterior.length ** 2 < _ROUND:
        return None
    ways = [way - float(way @ contact.out) * contact.out for way in (stands[2], -stands[1])]
    way = ways[0] if np.linalg.norm(ways[0]) > _ACROSS else ways[1]
    return triple(way / np.linalg.norm(way))


def _on(
    contact: Contact, room: ContactRoom, letter: str, printer: Printer, taken: Taken, pointer: Triple | None,
    kept: Cache,
) -> LettersJoin | None:
    first, second = (n + 1 for n in contact.parts)
    for height in _HEIGHTS:
        join = LettersJoin(id="new", cut=contact.cut, between=contact.between, at=triple(contact.place), height=height,
                           text_first=f"{first}{letter}", text_second=f"{second}{letter}",
                           pointer=pointer)
        reach = join.reach(0.0, 0.0)
        values = room.around(join, 0.0, printer.thinnest_wall)
        fits = values >= reach
        for _ in range(_TRIES):
            if not fits.any():
                break
            places = room.places(fits)
            across = places[int(np.argmax(values[fits]))]
            here = join.model_copy(update={"at": triple(contact.on_face(across[None])[0])})
            ready = made_once(contact, here, printer.clearance, printer.hole_allowance, kept, printer.thinnest_wall)
            if ready.made is not None and taken.meets(ready.made, contact, printer.thinnest_wall) is None:
                taken.add(here, ready.made, contact)
                return here
            fits &= ~room.near(across, reach)
    return None
