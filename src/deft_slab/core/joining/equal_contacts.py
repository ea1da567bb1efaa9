"""Contacts that must be joined in the same way, so that pieces of one shape keep it and one file prints them all.

Where a rigid motion takes a piece to another of its shape, it must take the joins on the contacts of the one to those
of the other. Contacts that follow from each other in this way form an orbit: joins are proposed for the first one and
transferred to the others. A contact that follows from itself with its two pieces exchanged needs joins that are their
own counterpart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import get_args

import numpy as np
import shapely

from ..arrays import Floats
from ..cuts import Move
from ..figures.congruence import motions, same_shapes
from ..joins import Which
from ..results.outcome import Piece
from .contacts import Contact

_SAME_AREA = 0.02
"""Share of the area of a contact by which the image of another one may differ from it."""
_LOOSELY = 0.05
"""Share of a piece's diagonal by which its contacts may miss those of another, as far as main axes tell."""
_SAME_PLACE = 0.05
"""mm by which the image of a contact may miss the other one."""
_SAME_TURN, _SAME_SHIFT = 0.02, 1.0
"""Entries of two turns, and mm of two shifts, that differ by less are the same: others differ by much more."""
_SAME_SEAT = np.cos(np.radians(2.0))
_LARGEST = 12
"""Moves of a contact onto itself: with more, what follows from what is not asked."""
_MOST_PIECES = 60


@dataclass(frozen=True, eq=False)
class Carry:
    """A way from one contact to another.

    Attributes
    ----------
    move : Move
        The rigid motion of the model.
    turns : bool
        Whether its first piece becomes the second piece of the other.
    """

    move: Move
    turns: bool

    def then(self, other: Carry) -> Carry:
        """This way, followed by another one."""
        matrix = other.move.matrix @ self.move.matrix
        return Carry(Move(matrix, other.move.matrix @ self.move.shift + other.move.shift), self.turns != other.turns)

    @property
    def back(self) -> Carry:
        """The way back."""
        matrix = self.move.matrix.T
        return Carry(Move(matrix, -matrix @ self.move.shift), self.turns)

    def like(self, other: Carry) -> bool:
        """Whether it equals another one up to rounding."""
        return bool(
            self.turns == other.turns
            and np.abs(self.move.matrix - other.move.matrix).max() < _SAME_TURN
            and np.abs(self.move.shift - other.move.shift).max() < _SAME_SHIFT
        )


NOWHERE = Carry(Move(np.eye(3)), turns=False)


@dataclass(frozen=True, eq=False)
class Orbit:
    """Contacts that follow from one of them.

    Attributes
    ----------
    carries : dict[int, Carry]
        The way from the first one to each, by contact number.
    own : tuple[Carry, ...]
        The ways from the first one to itself, except staying in place.
    pieces : tuple[int, ...]
        The numbers of the pieces of one shape that must keep it.
    """

    carries: dict[int, Carry]
    own: tuple[Carry, ...] = ()
    pieces: tuple[int, ...] = ()

    @property
    def alone(self) -> bool:
        """Whether its joins are not bound by anything."""
        return len(self.carries) == 1 and not self.own


def among(orbits: Sequence[Orbit], numbers: Sequence[int]) -> list[Orbit]:
    """The orbits of some contacts, numbered by their places among these. If an orbit is not complete, what is left
    of it is not bound by anything.
    """
    place = {number: n for n, number in enumerate(numbers)}
    found = []
    for orbit in orbits:
        own = [number for number in orbit.carries if number in place]
        if len(own) == len(orbit.carries):
            found.append(replace(orbit, carries={place[number]: carry for number, carry in orbit.carries.items()}))
        else:
            found += [Orbit({place[number]: NOWHERE}) for number in own]
    return found


_Link = tuple[int, int, Carry]
"""From a contact to another one, and how."""


def orbits_of(contacts: Sequence[Contact], pieces: Sequence[Piece]) -> list[Orbit]:
    """The orbits of all contacts, in the order of their first ones. Pieces of one shape bind nothing if they meet
    others in places that do not follow from each other.

    Parameters
    ----------
    pieces : Sequence[Piece]
        The pieces without joins, in their seats.
    """
    links: list[_Link] = []
    bound: dict[int, set[int]] = {}
    for group in _groups(pieces):
        first = group[0]
        for number in group[1:]:
            for a, b, carry in _links(contacts, pieces, links, first, number):
                links.append((a, b, carry))
                for one in (a, b):
                    bound.setdefault(one, set()).update((first, number))
    return [
        Orbit(carries, own, tuple(sorted(set().union(*(bound.get(one, set()) for one in carries)))))
        for carries, own in _joined(len(contacts), links)
    ]


def _groups(pieces: Sequence[Piece]) -> list[list[int]]:
    """The numbers of pieces of one shape, not counting mirror images."""
    if len(pieces) > _MOST_PIECES:
        return []
    alike = same_shapes([piece.solid for piece in pieces])
    groups: dict[tuple[int, bool], list[int]] = {}
    for number, kind in enumerate(alike):
        groups.setdefault(kind, []).append(number)
    return [group for group in groups.values() if len(group) > 1]


def _links(
    contacts: Sequence[Contact], pieces: Sequence[Piece], known: list[_Link], first: int, number: int
) -> list[_Link]:
    """How the contacts of one piece follow from those of another of its shape: by the motion that seats them the
    same way, or else by the one that binds least. None if they do not follow.
    """
    has = [(n, which) for n, one in enumerate(contacts) for which in get_args(Which) if one.part(which) == first]
    onto = [(n, which) for n, one in enumerate(contacts) for which in get_args(Which) if one.part(which) == number]
    both = pieces[first], pieces[number]
    up, its = (piece.seat.rotation[2] for piece in both)
    chosen = any(piece.wished is not None and piece.wished.seat is not None for piece in both)

    def made(turn: Floats, shift: Floats, off: float) -> list[_Link] | None:
        move, left, found = Move(turn, shift), list(onto), []
        for n, which in has:
            image = next((to for to in left if _follows(contacts[n], which, contacts[to[0]], to[1], move, off)), None)
            if image is None:
                return None
            left.remove(image)
            found.append((n, image[0], Carry(move, which != image[1])))
        return found

    def asked(turn: Floats, shift: Floats) -> tuple[float, ...] | None:
        links = made(turn, shift, _LOOSELY * pieces[first].solid.diagonal)
        if links is None:
            return None
        otherwise = bool(turn @ up @ its < _SAME_SEAT)
        if otherwise and chosen:  # somebody wants them to sit in two ways: they are no pieces of one kind
            return None
        orbits = _joined(len(contacts), [*known, *links])
        return (float(otherwise), sum(len(own) for _, own in orbits), -len(orbits))

    if not has or len(has) != len(onto) or both[0].made_on != both[1].made_on:
        return []
    found = (made(*move, _SAME_PLACE) for move in motions(pieces[first].solid, pieces[number].solid, asked))
    return next((links for links in found if links is not None), [])


def _follows(one: Contact, which: Which, other: Contact, its: Which, move: Move, off: float) -> bool:
    """Whether a motion takes one side of a contact to a side of another.

    Parameters
    ----------
    off : float, mm
        The tolerance.
    """
    if abs(one.area - other.area) > _SAME_AREA * one.area:
        return False
    out, image = (contact.out if side == "first" else contact.way_in for contact, side in ((one, which), (other, its)))
    if float(move.matrix @ out @ image) < _SAME_SEAT:
        return False

    def across(at: Floats) -> Floats:
        return np.asarray((_face(one, which, at) @ move.matrix.T + move.shift) @ other.frame[:2].T)

    place = move.matrix @ (one.place + _kerf(one, which)) + move.shift
    level = float((place - other.place - _kerf(other, its)) @ other.out)
    if one.flat != other.flat or (one.flat and abs(level) > off):
        return False
    outline = shapely.transform(one.region, across)
    if off > _SAME_PLACE:
        return float(outline.centroid.distance(other.region.centroid)) < off
    apart = outline.buffer(0).symmetric_difference(other.region).area
    return float(apart) < _SAME_AREA * one.area + off * float(other.region.length)


def _face(contact: Contact, which: Which, across: Floats) -> Floats:
    """Points of the contact face on one of the two pieces.

    Parameters
    ----------
    across : (k, 2) float64, mm

    Returns
    -------
    (k, 3) float64, mm
    """
    return contact.on_face(across) + _kerf(contact, which)


def _kerf(contact: Contact, which: Which) -> Floats:
    """The vector from the face of the first piece to that of one of the two pieces.

    Returns
    -------
    (3,) float64, mm
    """
    return np.asarray(contact.kerf * contact.out) if which == "second" else np.zeros(3)


def _joined(count: int, links: list[_Link]) -> list[tuple[dict[int, Carry], tuple[Carry, ...]]]:
    """For each orbit: the ways from its first contact to each of its contacts, and the ways from that one to itself."""
    from_here: dict[int, list[tuple[int, Carry]]] = {}
    for a, b, carry in links:
        from_here.setdefault(a, []).append((b, carry))
        from_here.setdefault(b, []).append((a, carry.back))
    orbits, seen = [], set[int]()
    for root in range(count):
        if root in seen:
            continue
        carries, own, open_ones = {root: NOWHERE}, list[Carry](), [root]
        while open_ones:
            at = open_ones.pop()
            for to, carry in from_here.get(at, ()):
                there = carries[at].then(carry)
                if to not in carries:
                    carries[to] = there
                    open_ones.append(to)
                else:
                    own.append(there.then(carries[to].back))
        seen |= set(carries)
        orbits.append((carries, _group(own)))
    return orbits


def _group(some: list[Carry]) -> tuple[Carry, ...]:
    """All ways that can be composed of some, except staying in place; only the first ones if there is no end to
    them.
    """
    known = [NOWHERE]
    for one in some:
        if not any(one.like(other) for other in known):
            known.append(one)
    begun = known[1:]
    added = list(begun)
    while added and len(known) <= _LARGEST:
        new = list[Carry]()
        for a in added:
            for b in begun:
                both = a.then(b)
                if not any(both.like(other) for other in (*known, *new)):
                    new.append(both)
        known += new
        added = new
    return tuple(known[1:])
