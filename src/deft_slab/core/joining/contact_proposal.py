"""Which joins to propose for one contact: how many, how large, where, and which piece carries them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import product
from typing import Literal, get_args

import numpy as np
import shapely

from ..arrays import Floats
from ..cache import Cache
from ..document.base import Triple, triple
from ..joins import DowelJoin, GlueJoin, Join, KeyJoin, LapJoin, LooseKeyJoin, Peg, SplintJoin, Which, other
from ..joins.lap_bodies import LEAST_RING
from ..locale import text
from ..locale.translate import tr
from ..printers.profile import Printer
from ..results.contact_pose import ContactPose
from ..results.outcome import Piece
from .apply_joins import Ready, Taken, made_once, site_of
from .contacts import Contact
from .equal_contacts import Carry
from .needs import Needs
from .room import UNDER_A_ROOT, ContactRoom

_SMALLEST, _LARGEST = 4.0, 12.0
"""mm across a key."""
_FEWER = 0.85
"""By how much a key that does not fit is made smaller."""
_MUCH_SMALLER = 0.6
"""Share of its size that a key may lose so that there is room for one more."""
USUAL_DEPTH = 8.0
"""mm that a proposed key is high, or a hole deep, at most."""
_TRIES = 12
"""Places that are tried for the joins of a contact, of one size."""
_PER_AREA = ((60.0, 1), (1500.0, 2), (4000.0, 3))
"""mm2 up to which a contact gets so many keys; four beyond."""
_COARSE = 0.2
"""mm: the room map is known to that."""
_UNLIKE = 0.8
"""Size of the last of several keys: so that the pieces go together in one way only."""
_WITH_RIDGE = tr(", so key and socket have a ridge")
_UNNAMED = "new"
_ONE_PLACE, _ONE_WAY = 0.5, np.cos(np.radians(3.0))
"""mm, and the cosine, by which a join may differ from its counterpart in one place: it is the same but for rounding."""
_HALVES: tuple[Literal["inner", "outer"], ...] = ("inner", "outer")
_LITTLE = 25.0
"""mm2: a contact that is smaller holds by glue."""


@dataclass(frozen=True, eq=False)
class ContactProposal:
    """The proposal for one contact.

    Attributes
    ----------
    stances, names : dict[Which, ContactPose]
        The pose of the contact face, and the name, of each of the two pieces.
    own : tuple[Carry, ...]
        Ways from the contact to itself that its joins must follow, so that its two pieces keep the same shape.
    """

    contact: Contact
    stances: dict[Which, ContactPose]
    names: dict[Which, str]
    room: ContactRoom
    needs: Needs
    taken: Taken
    kept: Cache
    own: tuple[Carry, ...] = ()

    @classmethod
    def of(
        cls, contact: Contact, room: ContactRoom, pieces: Sequence[Piece], needs: Needs, taken: Taken, kept: Cache
    ) -> ContactProposal:
        first, second = (pieces[n] for n in contact.parts)
        stances: dict[Which, ContactPose] = {
            "first": ContactPose.of(first, contact.place, contact.out),
            "second": ContactPose.of(second, contact.place + contact.kerf * contact.out, contact.way_in),
        }
        names = {which: tr("piece {part}", part=contact.part(which) + 1) for which in get_args(Which)}
        return cls(contact, stances, names, room, needs, taken, kept)

    @property
    def printer(self) -> Printer:
        """The printer that the pieces are made on."""
        return self.needs.printer

    def joins(self) -> list[Join]:
        """The proposed joins: keys, or else dowels, keys on a thin piece, a lap, a splint, or glue only. If the
        joins must be their own counterpart: loose keys, or else dowels or glue only.
        """
        if not self.contact.free:
            return [self._glue(tr("nothing can go in along one line, because the contact catches"))]
        if self.own:
            return self._keys() or self._dowels() or [self._glue(self._why_glue())]
        ways = (self._keys, self._dowels, self._keys_on_the_thin, self._laps, self._splint)
        return next((found for way in ways if (found := way())), None) or [self._glue(self._why_glue())]

    @property
    def wall(self) -> float:
        """The wall that the room map must leave, in mm, so that the least wall is kept."""
        return self.printer.least_wall + _COARSE

    def _wanted(self) -> tuple[int, float]:
        area = self.contact.area
        count = next((count for most, count in _PER_AREA if area <= most), 4)
        return count, float(np.clip(0.3 * math.sqrt(area), _SMALLEST, _LARGEST))

    def _carrier(self) -> tuple[Which | None, str]:
        """Which piece keys stand out of (None: neither), and why."""
        first, second = self.stances["first"], self.stances["second"]
        if self.own:
            return None, tr("both pieces have the same shape, and keep it")
        lying = [which for which in self.stances if self.stances[which].lies == "down"]
        if len(lying) == 2:
            return None, tr("both pieces lie on this face")
        if len(lying) == 1:
            base: Which = lying[0]
            return other(base), tr("{piece} lies on this face", piece=self.names[base])
        carrier: Which = "first" if first.rise >= second.rise else "second"
        if self.stances[carrier].lies == "up":
            return carrier, tr("it prints upright on {piece}", piece=self.names[carrier])
        if self.stances[carrier].lies == "sideways":
            return carrier, tr(
                "the face stands upright on {piece}{ridge}", piece=self.names[carrier], ridge=_WITH_RIDGE
            )
        return carrier, tr("on {piece} it needs the least support", piece=self.names[carrier])

    def _ridges(self, carrier: Which | None) -> tuple[Triple, ...]:
        """The directions in which the outline of a key is drawn out to a ridge: downward in the seat of the carrier,
        so that the key prints on a keel, and upward in the seat of the other piece, so that its socket gets a
        roof.
        """
        found: list[Floats] = []
        start: Which = carrier or "first"
        for which in (start, other(start)):
            sign, stance = -1.0 if which == carrier else 1.0, self.stances[which]
            across = stance.up - float(stance.up @ self.contact.out) * self.contact.out
            length = float(np.linalg.norm(across))
            if math.degrees(math.asin(min(length, 1.0))) <= self.needs.threshold - 1.0:
                continue
            towards = sign * across / length
            if all(float(towards @ one) < math.cos(math.radians(15.0)) for one in found):
                found.append(towards)
        return tuple(triple(one) for one in found)

    def _keys(self) -> list[Join]:
        """As many keys as wanted, as large as possible, with ridges if there is room for them."""
        return self._keys_out_of(*self._carrier())

    def _keys_on_the_thin(self) -> list[Join]:
        """Keys on a piece that is too thin for a socket. Their reason says if this spoils the base of the piece."""
        deep = {which: float(self.room.depths[which].max()) for which in self.stances}
        thin = min(deep, key=lambda which: deep[which])
        if deep[thin] > 0.5 * deep[other(thin)] or deep[thin] <= UNDER_A_ROOT:
            return []
        lies = self.stances[thin].lies == "down"
        spoils = tr(", though it lies on this face, so another side must be its base") if lies else ""
        why = tr(
            "{piece} is only {deep} thick, too thin for a socket{spoils}",
            piece=self.names[thin],
            deep=text.length(deep[thin], 1),
            spoils=spoils,
        )
        return self._keys_out_of(thin, why)

    def _keys_out_of(self, carrier: Which | None, why: str) -> list[Join]:
        """Keys that stand out of a piece, or loose ones if ``carrier`` is None.

        Parameters
        ----------
        why : str
            The reason that is given for them.
        """
        count, widest = self._wanted()
        ridges = self._ridges(carrier)
        for peaks in (ridges, ()) if ridges else ((),):
            words = why if peaks or not ridges else why.replace(_WITH_RIDGE, tr("; there is no room for a ridge"))
            best: list[Join] = []
            width = widest
            least = _SMALLEST
            while width >= least and len(best) < count:
                found = self._keys_of(width, count, carrier, peaks, words)
                if found and not best:
                    least = max(_SMALLEST, _MUCH_SMALLER * width)
                best = found if len(found) > len(best) else best
                width *= _FEWER
            if best:
                return self.kept_away(best)
        return []

    def kept_away(self, joins: list[Join]) -> list[Join]:
        """Record proposed joins, so that others keep away from them."""
        for join in joins:
            made = self._made(join).made
            if made is not None:
                self.taken.add(join, made, self.contact)
        return joins

    def _keys_of(
        self, width: float, count: int, carrier: Which | None, ridges: tuple[Triple, ...], why: str
    ) -> list[Join]:
        height = float(np.clip(0.8 * width, 3.0, USUAL_DEPTH))
        roofed = {which: self.stances[which].lies == "down" for which in self.stances}
        at = triple(self.contact.place)
        probe = self._peg(at, width, height, carrier, ridges, roofed, why)
        free = self.room.around(probe, self.printer.clearance, self.wall)
        reach = width / 2 + self.printer.clearance

        def made(at: Triple, last: bool) -> Join:
            size = max(width * _UNLIKE, _SMALLEST) if last else width
            high = min(height, max(0.8 * size, 3.0))
            return self._peg(at, size, high, carrier, ridges, roofed, why)

        found = self._placed(free, reach, count, made)
        alike = {join.sides for join in found if isinstance(join, Peg)}
        unlike = len(found) > 1 and len(alike) == 1 and not self.own
        return [*found[:-1], made(found[-1].at, True)] if unlike else found

    def _made(self, join: Join) -> Ready:
        return made_once(self.contact, join, self.printer.clearance, self.printer.hole_allowance, self.kept)

    def _placed(self, free: Floats, reach: float, count: int, make: Callable[[Triple, bool], Join]) -> list[Join]:
        """Up to so many joins that hold, as far apart as possible; a single one in the middle of the room.

        Parameters
        ----------
        free : (rows, columns) float64, mm
            The room around each cell.
        reach : float, mm
            The room that one join takes.
        make : Callable[[Triple, bool], Join]
            Makes a join at a place; it is told whether this is the last of several.
        """
        fits, found, places = free >= reach, list[Join](), list[Floats]()
        for _ in range(_TRIES):
            if len(found) >= count or not fits.any():
                break
            across = _next(self.room.places(fits), free[fits], places, count, reach)
            join = make(self._at(across), 0 < len(found) == count - 1)
            joins = self._counterparts(make, across, 2 * reach + self.wall) if self.own else [join]
            holds = bool(joins) and (not found or len(found) + len(joins) <= count) and all(map(self.holds, joins))
            if holds:
                found += joins
                places += [self.contact.frame[:2] @ np.array(one.at) for one in joins]
            for one in joins if holds else ():
                fits &= ~self.room.near(self.contact.frame[:2] @ np.array(one.at), 2 * reach + self.wall)
            fits &= ~self.room.near(across, max(0.5 * reach, 1.0))
        if len(found) == 1 and count > 1 and not self.own:
            cells = free >= reach
            alone = make(self._at(_next(self.room.places(cells), free[cells], [], 1, reach)), False)
            return [alone] if self.holds(alone) else found
        return found

    def _counterparts(self, make: Callable[[Triple, bool], Join], across: Floats, apart: float) -> list[Join]:
        """A join at a place together with its counterparts, or one join if it is its own. None if they would be
        nearer to each other than ``apart`` mm.

        Parameters
        ----------
        across : (2,) float64, mm
            The place.
        """
        at = self._at(across)
        images = np.array([at, *(one.move.point(at) for one in self.own)]) @ self.contact.frame[:2].T
        close = np.linalg.norm(images - across, axis=1) < apart
        if close[1:].any():
            at = self._at(images[close].mean(axis=0))
        joins = [make(at, False)]
        for carry in self.own:
            there = self.carried(joins[0], carry)
            off = min(float(np.linalg.norm(np.subtract(there.at, one.at))) for one in joins)
            if off >= apart:
                joins.append(there)
            elif off > _ONE_PLACE or not all(_same_ridges(there, one) for one in joins[:1]):
                return []
        return joins

    def carried(self, join: Join, carry: Carry) -> Join:
        """A join of the first contact of an orbit, transferred to this one."""
        own = {**join.model_dump(), "at": carry.move.point(join.at), **join.moved(carry.move)}
        made = type(join).model_validate({**own, "cut": self.contact.cut, "between": self.contact.between})
        return type(join).model_validate({**made.model_dump(), **made.turned_round()}) if carry.turns else made

    def _at(self, across: Floats) -> Triple:
        return triple(self.contact.on_face(across[None])[0])

    def _peg(
        self, at: Triple, width: float, height: float, carrier: Which | None, ridges: tuple[Triple, ...],
        roofed: dict[Which, bool], why: str,
    ) -> Join:
        where = {"id": _UNNAMED, "cut": self.contact.cut, "between": self.contact.between, "at": at, "why": why}
        size = {"width": round(width, 1), "height": round(height, 1), "ridges": ridges}
        if carrier is None:
            roofs = {"roofed_first": roofed["first"], "roofed_second": roofed["second"]}
            return LooseKeyJoin.model_validate({**where, **size, **roofs})
        return KeyJoin.model_validate({**where, **size, "carrier": carrier, "roofed": roofed[other(carrier)]})

    def _dowels(self) -> list[Join]:
        """Up to two dowel holes for the thickest stock that there is room for."""
        for diameter, depth in self.needs.rods:
            radius = diameter / 2 + self.printer.clearance + self.printer.hole_allowance / 2
            for roofs in dict.fromkeys([self._lying, (False, False)]):
                probe = self._dowel(diameter, depth, roofs, triple(self.contact.place), False)
                free = self.room.around(probe, self.printer.clearance, self.wall)
                found = self._placed(free, radius, 2, partial(self._dowel, diameter, depth, roofs))
                if found:
                    return self.kept_away(found)
        return []

    def _laps(self) -> list[Join]:
        """A stepped rim, where that spoils no base."""
        carrier, why = self._carrier()
        if carrier is None or not self.contact.flat or self.room.width < LEAST_RING:
            return []
        # where a wall leans, less of it stands over well
        for height, half in product((2.0, 1.2), _HALVES):
            lap = LapJoin(id=_UNNAMED, cut=self.contact.cut, between=self.contact.between, carrier=carrier,
                          at=triple(self.contact.place), half=half, height=height,
                          why=tr("the wall is too thin for a key or a rod; {why}", why=why.replace(_WITH_RIDGE,
                                  '')))
            if self.holds(lap):
                return self.kept_away([lap])
        return []

    def _splint(self) -> list[Join]:
        """A strip along the inside, if there is an inside, in as many parts as the bed requires."""
        if self.contact.area < _LITTLE:
            return []
        room = sorted(self.printer.room[:2])
        long = float(max(np.ptp(np.concatenate([np.asarray(one.exterior.coords) for one in self.contact.region.geoms]),
                                axis=0)))
        splint = SplintJoin(id=_UNNAMED, cut=self.contact.cut, between=self.contact.between,
                            at=triple(self.contact.place), parts=1 if long < room[0] else math.ceil(2 * long / room[0]),
                            why=tr("the wall is too thin for a key, a rod or a lap"))
        return self.kept_away([splint]) if self.holds(splint) else []

    @property
    def _lying(self) -> tuple[bool, bool]:
        """Whether each of the two pieces lies on this face."""
        return self.stances["first"].lies == "down", self.stances["second"].lies == "down"

    def _dowel(self, diameter: float, depth: float, roofs: tuple[bool, bool], at: Triple, last: bool) -> Join:
        return DowelJoin(
            id=_UNNAMED, cut=self.contact.cut, between=self.contact.between, diameter=diameter, at=at,
            why=tr("no room for a key of {smallest}", smallest=text.given(_SMALLEST)), depth_first=depth,
            depth_second=depth,
            roofed_first=roofs[0], roofed_second=roofs[1],
        )

    def holds(self, join: Join) -> bool:
        """Whether a join can be built with enough wall around it and away from others."""
        printer = self.printer
        # what comes too near to the outline is known without making it
        if not isinstance(join, LapJoin | SplintJoin) and not self._within.contains(self._mouth(join)):
            return False
        ready = made_once(
            self.contact, join, printer.clearance, printer.hole_allowance, self.kept, join.wall_needed(printer)
        )
        return ready.made is not None and self.taken.meets(ready.made, self.contact, printer.least_wall) is None

    @cached_property
    def _within(self) -> shapely.Geometry:
        """The part of the contact that is a wall away from its outline, or slightly nearer, because a bent face
        continues below.
        """
        return self.contact.region.buffer(_COARSE - self.printer.least_wall)

    def _mouth(self, join: Join) -> shapely.Polygon:
        """The outline of the hole for a join, across the contact."""
        site = site_of(join, self.contact, self.printer.clearance, self.printer.hole_allowance)
        outline = shapely.Polygon(join.rim(site) @ self.contact.frame[:2].T)
        return outline.buffer(site.clearance) if isinstance(join, Peg) else outline

    def _glue(self, why: str) -> Join:
        return GlueJoin(id=_UNNAMED, cut=self.contact.cut, between=self.contact.between,
                        at=triple(self.contact.place), why=why)

    def _why_glue(self) -> str:
        if self.contact.area < _LITTLE:
            return tr("it is only {area}", area=text.area(self.contact.area))
        deep = {which: self.room.depths[which].max() for which in self.stances}
        thin = min(deep, key=lambda which: deep[which])
        if deep[thin] < self.needs.rods[-1][1] + self.wall:
            return tr("{piece} is only {deep} thick behind it", piece=self.names[thin], deep=text.length(deep[thin], 1))
        if self.room.width > self.needs.rods[-1][0] + 2 * self.wall + 1.0:
            least = tr("{least_wall} of wall", least_wall=text.given(self.printer.least_wall))
            return tr(
                "no hole of {rods} keeps {least} of wall, because the walls lean or other joins are in the way",
                rods=text.given(self.needs.rods[-1][0]),
                least=least,
            )
        return tr(
            "it is {width} wide, too narrow for a rod and {least_wall} of wall",
            width=text.length(self.room.width, 1),
            least_wall=text.given(self.printer.least_wall),
        )


def _same_ridges(one: Join, other: Join) -> bool:
    """Whether two joins at one place have the same outline and roofs."""
    if isinstance(one, LooseKeyJoin) and isinstance(other, LooseKeyJoin):
        mine, its = (np.reshape(join.ridges, (-1, 3)) for join in (one, other))
        same = len(mine) == len(its) and (not len(mine) or bool(((mine @ its.T).max(axis=1) > _ONE_WAY).all()))
        return same and one.roofed_first == other.roofed_first and one.roofed_second == other.roofed_second
    return True


def _next(places: Floats, free: Floats, chosen: Sequence[Floats], count: int, reach: float) -> Floats:
    """The place for the next join: the farthest from those already chosen; for a single one, the middle of the room.

    Parameters
    ----------
    places : (k, 2) float64, mm
        Places to choose from.
    free : (k,) float64, mm
        The room at each.

    Returns
    -------
    (2,) float64, mm
    """
    off = np.linalg.norm(places - places.mean(axis=0), axis=1)
    if count == 1:
        return np.asarray(places[int(np.argmax(np.minimum(free, 3 * reach) - 1e-3 * off))])
    others = chosen or [places[int(np.argmax(off))]]
    return np.asarray(places[int(np.argmax(np.min([np.linalg.norm(places - one, axis=1) for one in others], axis=0)))])
