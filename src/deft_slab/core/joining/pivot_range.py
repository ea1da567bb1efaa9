"""Moving joints turned through their range: what turns must not collide with what stays."""

from __future__ import annotations

import math
from collections.abc import Sequence

import manifold3d
import numpy as np

from ..joins.reports import TurnChecked
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job
from .contacts import Contact
from .joined import Joined

STEP = 5.0
"""Degrees between the places of a turn that are looked at; its ends are among them."""
_BEYOND = 2
"""Steps beyond the stated range: how much more there is."""
_OVERLAP = 0.02
"""mm3 of overlap that is rounding: facets of what is round, and faces that touch."""


def turns_of(joined: Joined, solids: Sequence[Solid], job: Job = QUIET) -> tuple[TurnChecked, ...]:
    """Check every moving joint over its range.

    Parameters
    ----------
    solids : Sequence[Solid]
        The pieces with their joins, assembled.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    moving = [
        (ident, report.contact, report.turn)
        for ident, report in joined.reports.items() if report.turn is not None and report.contact is not None
    ]
    found = []
    for done, (ident, number, turn) in enumerate(moving):
        part = job.part(done / len(moving), (done + 1) / len(moving))
        pieces, held_by = _turning(joined.contacts, number, len(solids))
        one = TurnChecked(ident, number, turn, pieces, held_by)
        if held_by is None:
            one = _checked(one, joined.contacts[number], solids, part)
        found.append(one)
    return tuple(found)


def _turning(contacts: Sequence[Contact], number: int, count: int) -> tuple[tuple[int, ...], int | None]:
    """The pieces that hang on the second piece of a contact through other contacts, and one of them through which
    they hang on the first; None if there is none.
    """
    first, second = contacts[number].parts
    reached, way = {second}, [second]
    while way:
        here = way.pop()
        for n, contact in enumerate(contacts):
            if n == number or here not in contact.parts:
                continue
            there = contact.parts[0] if contact.parts[1] == here else contact.parts[1]
            if there == first:
                return (second,), n
            if there not in reached:
                reached.add(there)
                way.append(there)
    return tuple(sorted(n for n in reached if n < count)), None


def _checked(one: TurnChecked, contact: Contact, solids: Sequence[Solid], job: Job) -> TurnChecked:
    moves = manifold3d.Manifold.compose([solids[n].manifold for n in one.pieces])
    stays = manifold3d.Manifold.compose([solid.manifold for n, solid in enumerate(solids) if n not in one.pieces])
    # together they are where the cut's kerf is closed
    moves = moves.translate(tuple(contact.kerf * contact.way_in))
    low, high = one.turn.low - _BEYOND * STEP, one.turn.high + _BEYOND * STEP
    inner = np.arange(math.ceil(low / STEP), math.floor(high / STEP) + 1) * STEP
    angles = np.unique(np.r_[low, one.turn.low, inner, 0.0, one.turn.high, high])
    overlaps = []
    for done, angle in enumerate(angles.tolist()):
        job.step(done / len(angles), tr("Turning a joint"))
        overlaps.append(float((moves.transform(one.turn.at(angle)) ^ stays).volume()))
    ok = np.array(overlaps) <= _OVERLAP
    at = int(np.flatnonzero(angles == 0.0)[0])
    free = (0.0, 0.0)
    if ok[at]:
        before, after = np.flatnonzero(~ok[:at]), np.flatnonzero(~ok[at:])
        start = int(before[-1]) + 1 if len(before) else 0
        end = at + int(after[0]) - 1 if len(after) else len(angles) - 1
        free = (float(angles[start]), float(angles[end]))
    return TurnChecked(one.join, one.contact, one.turn, one.pieces, None, tuple(angles.tolist()), tuple(overlaps), free)
