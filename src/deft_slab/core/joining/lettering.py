"""Where numbers and letters go: never where they are seen, on both faces of a contact, away from its joins."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from ..documents import triple
from ..joins import Join, LettersJoin
from ..printer import Printer
from ..progress import QUIET, Job
from .contacts import Contact
from .joined import Taken, made_on
from .room import ContactRoom

_HEIGHTS = (6.0, 5.0, 4.0, 3.2)
"""mm of a capital that are tried; strokes of the smallest one are 0.45 mm wide."""
_TRIES = 8


def letter_of(number: int) -> str:
    """A, B, … Z, AA, AB, …"""
    text = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        text = chr(ord("A") + rest) + text
    return text


def propose_letters(
    contacts: Sequence[Contact], begun: int, printer: Printer, ids: Iterable[str], taken: Taken, job: Job = QUIET
) -> list[Join]:
    """For each contact with room: the number of its piece and a letter that both faces share, as large as it fits.

    begun : how many letters there are already; taken : what is there, which letters keep away from and are added to

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """
    found: list[Join] = []
    free = iter(ids)
    for done, contact in enumerate(contacts):
        job.step(done / max(len(contacts), 1), "Looking for room for letters")
        one = _on(contact, letter_of(begun + len(found)), printer, taken)
        if one is not None:
            found.append(one.model_copy(update={"id": next(free)}))
    return found


def _on(contact: Contact, letter: str, printer: Printer, taken: Taken) -> LettersJoin | None:
    room = ContactRoom.of(contact)
    first, second = (n + 1 for n in contact.parts)
    for height in _HEIGHTS:
        join = LettersJoin(id="new", cut=contact.cut, between=contact.between, at=triple(contact.place), height=height,
                           text_first=f"{first}{letter}", text_second=f"{second}{letter}")  # fmt: skip
        reach = join.reach(0.0, 0.0)
        values = room.around(join, 0.0, printer.thinnest_wall)
        fits = values >= reach
        for _ in range(_TRIES):
            if not fits.any():
                break
            places = room.places(fits)
            across = places[int(np.argmax(values[fits]))]
            here = join.model_copy(update={"at": triple(contact.on_face(across[None])[0])})
            ready = made_on(contact, here, printer.clearance, printer.hole_allowance, printer.thinnest_wall)
            if ready.made is not None and taken.meets(ready.made, contact, printer.thinnest_wall) is None:
                taken.add(here, ready.made, contact)
                return here
            fits &= ~room.near(across, reach)
    return None
