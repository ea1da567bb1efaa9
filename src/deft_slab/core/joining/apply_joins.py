"""Applies the joins of a plan to the pieces that its cuts have left."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import get_args

import manifold3d
import numpy as np
import shapely
from shapely.ops import nearest_points

from ..cache import Cache
from ..cuts import Side
from ..document.base import triple
from ..errors import JoinFailed
from ..joins import Join, Made, Site, Which, other
from ..joins.reports import JoinReport
from ..locale.translate import tr
from ..mesh.provenance import Face
from ..mesh.solid import Solid
from ..parting.bodies import Part
from ..progress import QUIET, Job
from .contacts import Contact
from .joined import Joined
from .room import SPACING, least_wall

KEY, SOCKET, LOOSE = "key", "socket", "loose"
"""Roles of the faces that joins make."""
_OUTSIDE = 1e-6
"""Share of a body's volume that may stick out of its pieces: rounding, where it begins on a face."""
_THROUGH = 0.05
"""mm of wall around a pin that are none."""
_MEETS = 1e-6
"""mm3: bodies of two joins that share less only touch."""
_RIM = 0.4
"""mm that stay between a join and the outline of its contact when it is moved back on to it."""
_NEAR = 0.5
"""mm beyond a gap within which it is measured."""
_BESIDE = -1
"""Stands for the piece that what lies on the surface of pieces is of: two such bodies must not meet."""
_FOOTPRINT = 24
"""Places around a join on a bent contact where its face is looked at."""


@dataclass(frozen=True, eq=False)
class Ready:
    """A join that has been built but not yet applied to its pieces.

    Attributes
    ----------
    made : Made | None
        Its bodies; None if it cannot be built.
    contact : int
        The number of its contact.
    key : Hashable
        Names what was built.
    """

    join: Join
    report: JoinReport
    made: Made | None = None
    contact: int | None = None
    key: Hashable = None


class Taken:
    """The space that joins already take up in each piece."""

    def __init__(self) -> None:
        self._by_part: dict[int, list[tuple[Join, manifold3d.Manifold]]] = {}

    def meets(self, made: Made, contact: Contact, gap: float = 0.0) -> Join | None:
        """A join that a new one would intersect, or come nearer to than a gap; None if there is none.

        Parameters
        ----------
        gap : float, mm
        """
        for part, body in _bodies(made, contact):
            for join, known in self._by_part.get(part, ()):
                if body.min_gap(known, gap + _NEAR) < gap if gap > 0 else (body ^ known).volume() > _MEETS:
                    return join
        return None

    def copy(self) -> Taken:
        """A copy to which more can be added without changing this one."""
        made = Taken()
        made.take_over(self)
        return made

    def take_over(self, other: Taken) -> None:
        """Replace the contents by those of another one."""
        self._by_part = {part: list(bodies) for part, bodies in other._by_part.items()}

    def add(self, join: Join, made: Made, contact: Contact) -> None:
        """Add a join."""
        for part, body in _bodies(made, contact):
            self._by_part.setdefault(part, []).append((join, body))


def join_all(
    parts: Sequence[Part], contacts: list[Contact], joins: Sequence[Join], clearance: float, allowance: float,
    kept: Cache, job: Job = QUIET,
) -> Joined:
    """Apply all joins that can be made. Each one that cannot is left out, and its report says why.

    Parameters
    ----------
    clearance : float
        The clearance of joins that state none, in mm per side.
    allowance : float, mm
        How much larger holes are made.
    kept : Cache
        Caches what was built, so that neither an unchanged join nor a piece with unchanged joins is built again.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    ready, taken = [], Taken()
    for done, join in enumerate(joins):
        job.step(0.5 * done / len(joins), tr("Making joins"))
        if join.on:
            ready.append(_beside_others(_ready(join, contacts, clearance, allowance, kept), contacts, taken))
    after = []
    for n, part in enumerate(parts):
        own = [
            (one, role, _moved_on(body, contacts[one.contact], which))
            for one in ready if one.made is not None and one.contact is not None
            for role, bodies in ((KEY, one.made.added), (SOCKET, one.made.removed)) for which, body in bodies.items()
            if contacts[one.contact].part(which) == n
        ]
        if not own:
            after.append(part)
            continue
        job.step(0.5 + 0.5 * n / len(parts), tr("Making joins"))
        key = ("joined", part.key, tuple((one.key, role) for one, role, _ in own))
        solid = kept.once(key, partial(_with_bodies, part.solid, own), len(part.solid.triangles))
        after.append(Part(key, solid, part.sides, part.group, part.crumb, part.off))
    names: dict[int, str] = {}
    kinds: dict[int, str] = {}
    loose = [(one, k, *each) for one in ready if one.made is not None for k, each in enumerate(one.made.loose)]
    for number, (one, k, name, body, down) in enumerate(loose, 1):
        names[len(after)] = f"{name} {number}" if len(loose) > 1 else name
        kinds[len(after)] = name.lower()
        near = parts[contacts[one.contact].parts[0]] if one.contact is not None else parts[0]
        runs = {int(run): Face(one.join.id, LOOSE) for run in body.to_mesh64().run_original_id}
        side = Side(cut=one.join.id, side=0)
        solid = Solid.from_manifold(body, runs)
        after.append(Part(("loose", k, one.key), solid, (side,), near.group,
                          down=None if down is None else triple(down)))
    return Joined(after, contacts, {one.join.id: one.report for one in ready}, names, kinds)


def made_once(
    contact: Contact, join: Join, clearance: float, allowance: float, kept: Cache, least: float = 0.0
) -> Ready:
    """``clear_of_others``, cached: a join that is proposed first and then put into the plan is built only once."""
    key = kept_as(contact, join, clearance, allowance)

    def made() -> Ready:
        return clear_of_others(contact, join, clearance, allowance, least)

    # what was given up for a thin wall is made anew when it is wanted with that
    one: Ready = kept.once((key, least) if least > 0 else key, made)
    if least > 0 and one.made is not None:
        kept.once(key, lambda: one)
    return replace(one, join=join)


def _ready(
    join: Join, contacts: Sequence[Contact], clearance: float, allowance: float, kept: Cache
) -> Ready:
    number = contact_for(join, contacts)
    if number is None:
        return Ready(join, JoinReport(None, tr("Its pieces do not meet, because the cut is off, was moved or was "
                                               "removed.")))
    contact = contacts[number]
    one = made_once(contact, join, clearance, allowance, kept)
    return replace(one, contact=number, key=(join.id, kept_as(contact, join, clearance, allowance)),
                   report=replace(one.report, contact=number))


def kept_as(contact: Contact, join: Join, clearance: float, allowance: float) -> Hashable:
    """A key for what a join makes on its contact, regardless of its id and of why it was proposed."""
    nameless = join.model_copy(update={"id": "", "why": ""})
    near = (*contact.keys, *(part.key for part in contact.around)) if join.beyond else contact.keys
    return "join", nameless, near, clearance, allowance


def clear_of_others(
    contact: Contact, join: Join, clearance: float, allowance: float, least: float = 0.0
) -> Ready:
    """``made_on``, but rejected if what lies on the surface, or turns, would intersect another piece."""
    one = made_on(contact, join, clearance, allowance, least)
    if one.made is None or not join.beyond:
        return one
    others = [part.solid.manifold for part in contact.around]
    own = [contact.body(which) for which in get_args(Which)]
    bodies = [(body, own + others) for _, body, _ in one.made.loose] if one.made.beside else []
    bodies += [(_moved_on(body, contact, which), others) for which, body in one.made.added.items()]
    if any((body ^ piece).volume() > _MEETS for body, pieces in bodies for piece in pieces):
        return Ready(join, replace(one.report, problem=tr("It would run through a piece."), loose=0.0))
    return one


def _beside_others(one: Ready, contacts: Sequence[Contact], taken: Taken) -> Ready:
    """A built join, rejected if it would intersect one that is there already."""
    if one.made is None or one.contact is None:
        return one
    contact = contacts[one.contact]
    met = taken.meets(one.made, contact)
    if met is None:
        taken.add(one.join, one.made, contact)
        return one
    report = replace(one.report, problem=tr("It overlaps the {word} {id}.", word=met.word, id=met.id), meets=met.id,
                     added=0.0, removed=0.0,
                     loose=0.0)
    return replace(one, made=None, report=report)


def contact_for(join: Join, contacts: Sequence[Contact]) -> int | None:
    """The number of the contact that a join is on: the nearest one of its cut and its sides."""
    alike = [
        (contact.region.distance(shapely.Point(contact.frame[:2] @ np.array(join.at))),
         float(np.linalg.norm(contact.place - join.at)), number)
        for number, contact in enumerate(contacts)
        if contact.cut == join.cut and contact.between == join.between
    ]
    return min(alike)[2] if alike else None


def site_of(join: Join, contact: Contact, clearance: float, allowance: float) -> Site:
    """Where a join is built: at its place, or, if that is no longer on the contact, at the nearest place within the
    outline.
    """
    clearance = join.per_side(clearance)
    reach = join.reach(clearance, allowance)
    across = contact.frame[:2] @ np.array(join.at)
    within = contact.region.buffer(-reach - _RIM) if reach > 0 else contact.region
    room = contact.region if within.is_empty else within
    if not room.covers(shapely.Point(across)):
        nearest, _ = nearest_points(room, shapely.Point(across))
        across = np.array([nearest.x, nearest.y])
    place = contact.on_face(across[None])[0]
    low = high = 0.0
    if not contact.flat:
        angles = 2 * np.pi * np.arange(_FOOTPRINT) / _FOOTPRINT
        ring = np.stack([np.cos(angles), np.sin(angles)], axis=1)
        around = contact.heights(np.concatenate([across + share * reach * ring for share in (0.5, 1.0)]))
        over = around - float(place @ contact.out)
        low, high = min(float(over.min()), 0.0), max(float(over.max()), 0.0)
    return Site(place, contact.frame, low, high, clearance, allowance, contact.kerf, contact)


def made_on(contact: Contact, join: Join, clearance: float, allowance: float, least: float = 0.0) -> Ready:
    """Build a join on its contact, without regard to other joins, or say why that is impossible.

    Parameters
    ----------
    clearance, allowance : float
        As for ``join_all``.
    least : float, mm
        The least wall that must remain.
    """
    site = site_of(join, contact, clearance, allowance)
    moved = float(np.linalg.norm(contact.frame[:2] @ (site.place - np.array(join.at))))
    report = JoinReport(None, place=triple(site.place), moved=moved, clearance=site.clearance,
                        warnings=join.warnings(clearance), holds=join.holds)
    if not contact.free and join.holds:
        return Ready(join, replace(report, problem=tr("The contact catches on its way in, so nothing can go in.")))
    try:
        made, report = join.build(site), replace(report, outline=join.rim(site))
    except JoinFailed as error:
        return Ready(join, replace(report, problem=str(error)))
    bodies = [(which, body) for of in (made.added, made.removed) for which, body in of.items()]
    walls = (
        [partial(contact.to_outside, which, points) for which, points in made.edges.items()] if made.edges
        else [partial(least_wall, _moved_on(body, contact, which), contact, which) for which, body in bodies]
    )
    wall = math.inf if made.wall is None else made.wall
    for measure in walls if made.wall is None else ():
        wall = min(wall, float(np.min(measure())))
        if wall < least:
            return Ready(join, replace(report, least_wall=wall, problem=tr("There is too little wall around it.")))
    # what keeps away from all outsides by more than its points lie apart is within: it begins there
    if not made.opens and wall < 2 * SPACING and any(_sticks_out(body, contact) for _, body in bodies):
        return Ready(join, replace(report, problem=tr("It breaks through the surface."), breaks=True))
    if made.turn is not None and made.wall is None and wall < _THROUGH:
        return Ready(join, replace(report, problem=tr("It breaks through the surface."), breaks=True))
    added, removed = _volumes_of_open(made, contact) if made.opens else _volumes(made, contact)
    report = replace(
        report, least_wall=wall, added=added, removed=removed, turn=made.turn,
        loose=sum(float(body.volume()) for _, body, _ in made.loose),
    )
    return Ready(join, report, made)


def _moved_on(body: manifold3d.Manifold, contact: Contact, which: Which) -> manifold3d.Manifold:
    """A body at the contact, moved to where the piece is: the kerf lies between the two."""
    return body.translate(tuple(contact.kerf * contact.out)) if which == "second" and contact.kerf else body


def _volumes(made: Made, contact: Contact) -> tuple[float, float]:
    """What a join that lies within its pieces adds to them, and what it removes.

    Returns
    -------
    float, float, mm3
    """
    return (
        sum(_beyond(body, contact, other(which)) for which, body in made.added.items()),
        sum(_beyond(body, contact, which) for which, body in made.removed.items()),
    )


def _volumes_of_open(made: Made, contact: Contact) -> tuple[float, float]:
    """The same for a join that extends beyond the surface, or into something that it adds itself: computed with the
    bodies of the pieces.
    """
    added = removed = 0.0
    for which in get_args(Which):
        piece = contact.body(which)
        near = made.added.get(which)
        if near is not None:
            added += float((near - piece).volume())
        gone = made.removed.get(which)
        if gone is not None:
            removed += float((gone ^ piece).volume())
            removed += 0.0 if near is None else float((gone ^ (near - piece)).volume())
    return added, removed


def _beyond(body: manifold3d.Manifold, contact: Contact, which: Which) -> float:
    """The volume of a body on the side of one of the pieces, in mm3."""
    if contact.flat:
        towards = contact.out if which == "second" else contact.way_in
        level = contact.level if which == "second" else -contact.level
        return float(body.trim_by_plane(tuple(towards), level).volume())
    return float((body ^ contact.body(which)).volume())


def _sticks_out(body: manifold3d.Manifold, contact: Contact) -> bool:
    """Whether a body is not completely inside the two pieces."""
    left = body
    for which in get_args(Which):
        left = left - contact.body(which)
    return bool(left.volume() > _OUTSIDE * body.volume())


def _bodies(made: Made, contact: Contact) -> list[tuple[int, manifold3d.Manifold]]:
    """The bodies that a join adds to its pieces or removes from them, with the number of the piece. If something
    lies on the pieces, or may stick out of them, both are treated as one piece.
    """
    of_pieces = [
        (contact.part(which), _moved_on(body, contact, which))
        for bodies in (made.added, made.removed) for which, body in bodies.items()
    ]
    sticking_out = [_moved_on(body, contact, which) for which, body in made.added.items()] if made.opens else []
    beside = [body for _, body, _ in made.loose] if made.beside else []
    return of_pieces + [(_BESIDE, body) for body in sticking_out + beside]


def _with_bodies(solid: Solid, bodies: Sequence[tuple[Ready, str, manifold3d.Manifold]]) -> Solid:
    """A piece with what its joins add, and then without what they remove."""
    body, runs = solid.manifold, dict(solid.runs)
    for role, kind in ((KEY, manifold3d.OpType.Add), (SOCKET, manifold3d.OpType.Subtract)):
        own = [(one, made) for one, what, made in bodies if what == role]
        if not own:
            continue
        for one, made in own:
            runs |= {int(run): Face(one.join.id, role) for run in made.to_mesh64().run_original_id}
        body = manifold3d.Manifold.batch_boolean([body, *(made for _, made in own)], kind)
    if body.status() != manifold3d.Error.NoError:
        raise JoinFailed(tr("The joins could not be made ({name}).", name=body.status().name))
    return Solid.from_manifold(body, runs)
