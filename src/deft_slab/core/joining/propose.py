"""Proposes joins for the contacts of a plan, so that pieces of one shape keep it wherever that holds equally well."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

from ..cache import Cache
from ..joins import Join
from ..locale.translate import tr
from ..progress import QUIET, Job
from ..results.outcome import Piece
from .apply_joins import Taken
from .contact_proposal import ContactProposal
from .contacts import Contact
from .equal_contacts import Orbit
from .needs import Needs
from .room import ContactRoom

_AS_WELL = 0.4
"""Share of the section of keys and rods that joins must keep which keep pieces of one shape alike (an assumption)."""


def propose(
    contacts: Sequence[Contact], rooms: Sequence[ContactRoom], orbits: Sequence[Orbit], pieces: Sequence[Piece],
    needs: Needs, ids: Iterable[str], taken: Taken, kept: Cache, job: Job = QUIET,
) -> list[Join]:
    """Propose one or several joins for each contact. Each says why.

    Parameters
    ----------
    rooms : Sequence[ContactRoom]
        The room on each contact.
    orbits : Sequence[Orbit]
        The orbits of the contacts, by their numbers.
    pieces : Sequence[Piece]
        The pieces without joins, in their seats.
    ids : Iterable[str]
        Fresh ids.
    taken : Taken
        The joins that are there already; the new ones keep away from them and are added.
    kept : Cache
        Caches what joins make.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    found: list[Join] = []
    proposals = [
        ContactProposal.of(contact, room, pieces, needs, taken, kept)
        for contact, room in zip(contacts, rooms, strict=True)
    ]
    for done, orbit in enumerate(orbits):
        job.step(done / len(orbits), tr("Searching for joins"))
        own = [proposals[number] for number in orbit.carries]
        joins, taken = _apart(own)
        if not orbit.alone and any(join.holds for join in joins):
            alike, with_alike = _alike(own, orbit)
            if _hold(alike, needs) >= _AS_WELL * _hold(joins, needs):
                joins, taken = alike, with_alike
            else:
                joins = _unlike(joins, orbit)
        own[0].taken.take_over(taken)
        found += joins
    return [join.model_copy(update={"id": ident}) for join, ident in zip(found, ids, strict=False)]


def _apart(proposals: Sequence[ContactProposal]) -> tuple[list[Join], Taken]:
    """The joins of some contacts, each proposed by itself, and the space that they take up."""
    taken = proposals[0].taken.copy()
    return [join for one in proposals for join in replace(one, taken=taken).joins()], taken


def _alike(proposals: Sequence[ContactProposal], orbit: Orbit) -> tuple[list[Join], Taken]:
    """The joins of the contacts of an orbit, transferred from its first one, and the space that they take up; none
    if they do not hold.
    """
    taken = proposals[0].taken.copy()
    first, *others = (replace(one, taken=taken) for one in proposals)
    joins = replace(first, own=orbit.own).joins()
    found = list(joins)
    for one, carry in zip(others, list(orbit.carries.values())[1:], strict=True):
        said = tr("pieces of the same shape keep it: the join is as between {one} and "
                  "{other}", one=first.names["first"],
                  other=first.names["second"])
        there = [one.carried(join, carry).model_copy(update={"why": said}) for join in joins]
        if not all(one.holds(join) for join in there if join.holds):
            return [], taken
        found += one.kept_away(there)
    return found, taken


def _hold(joins: Sequence[Join], needs: Needs) -> float:
    """The area across the keys and rods of some joins, in mm2; each join that follows the outline of its contact
    counts 1.
    """
    printer = needs.printer
    across = [join.radius(printer.clearance, printer.hole_allowance) for join in joins if join.holds]
    return sum(math.pi * radius**2 if radius > 0 else 1.0 for radius in across)


def _unlike(joins: list[Join], orbit: Orbit) -> list[Join]:
    """Joins that make pieces of one shape different; the first of them says so."""
    said = tr(
        "{why}; pieces {list} had the same shape and no longer do, because no suitable place is its own counterpart",
        why=joins[0].why, list=", ".join(str(number + 1) for number in orbit.pieces),
    )
    return [joins[0].model_copy(update={"why": said}), *joins[1:]]
