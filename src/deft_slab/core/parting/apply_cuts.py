"""Carries out the recipe: the cuts of a plan, one after the other, each on what the one before left."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from ..arrays import Bools
from ..cache import Cache
from ..cuts import Cut, PieceReach, RestReach, Side
from ..document.marks import Region
from ..errors import CutFailed
from ..figures.thin_places import thin_places
from ..geometry.bodies import bodies_of, joined_to
from ..geometry.lift_direction import leaves_freely, lift_direction
from ..locale.translate import tr
from ..mesh.components import CRUMB_SHARE, CRUMB_SIZE, body_numbers, shells_of
from ..mesh.solid import Solid
from ..progress import QUIET, Job
from ..results.outcome import CutReport, Place
from .bodies import Part

Masks = Callable[[Region], Bools]
"""Gives (source triangles,) those that a region takes."""


MOST_PIECES = 1000
"""A cut that leaves more than this is refused: nobody prints them, and each is seated and measured."""

_TOUCHING = 1e-3
"""mm: faces of one cut that lie this near to each other touch; those of a loop are a thousandth of that apart."""


@dataclass(frozen=True, eq=False)
class Stage:
    """The parts after a cut.

    Attributes
    ----------
    touched : tuple[int, ...]
        The numbers of the parts that the cut has made.
    """

    parts: list[Part]
    touched: tuple[int, ...]
    report: CutReport = CutReport(0, 0, False)

    @property
    def made(self) -> list[Part]:
        """The parts that lie on a side of this cut."""
        return [self.parts[n] for n in self.touched]


def nameless(cut: Cut) -> Cut:
    """A cut without its name, which makes no difference to what it produces."""
    return cut.model_copy(update={"name": "-"})


def cut_all(parts: list[Part], cut: Cut, key: Hashable, whole: float, masks: Masks, job: Job = QUIET) -> Stage:
    """Apply a cut to all parts. A part that it does not divide keeps its key, so that nothing about it is computed
    again.

    Parameters
    ----------
    parts : list[Part]
        The parts before the cut.
    cut : Cut
        The cut.
    key : Hashable
        Names the content of what the cut produces.
    whole : float, mm3
        The volume of the model before any cut.
    masks : Masks
        Gives the facets (source triangles,) that a region takes.

    Raises
    ------
    OpenSurface
        A part is not closed.
    CutFailed
        The cut cannot be made, leaves nothing, or leaves too many pieces.
    Cancelled
        The job is no longer wanted.
    """
    after: list[Part] = []
    touched: list[int] = []
    kerf = set_aside = 0.0
    given = 0
    crumbs: list[tuple[float, tuple[float, float, float]]] = []
    bridges: list[Place] = []
    amounts = {1: 0.0, -1: 0.0}
    meets = _met(parts, cut, masks)
    for place, part in enumerate(parts):
        step = job.part(place / len(parts), (place + 1) / len(parts))
        step.step(0.0, tr("Cutting: {name}", name=cut.name))
        if place not in meets:
            after.append(part)
            continue
        made = cut.part(part.solid, partial(_on, part.solid, masks), step)
        bodies = sum(int(body_numbers(shells_of(solid)).max(initial=0)) + 1 for _, solid in made.sides)
        if len(after) + bodies > max(MOST_PIECES, len(parts)):
            raise CutFailed(
                tr("“{name}” leaves more than {most_pieces:,} pieces.", name=cut.name, most_pieces=MOST_PIECES),
                kept=tr("The cut was not made."),
                remedy=tr("Use fewer cuts, or leave small bodies out."),
            )
        kerf += made.kerf
        bridges += [Place(place, outward) for place, outward in made.bridge]
        if len(made.sides) == 1 and made.kerf == 0:
            side, _ = made.sides[0]
            sides = (*part.sides, Side(cut=cut.id, side=side))
            after.append(Part(part.key, part.solid, sides, part.group, part.crumb, part.off))
            continue
        pieces = [(side, body, n) for side, solid in made.sides for n, body in enumerate(bodies_of(solid))]
        small = [i for i, (_, body, n) in enumerate(pieces) if n > 0 and is_crumb(body, whole)]
        crumbs += [(float(pieces[i][1].size.max()), _middle(pieces[i][1])) for i in small]
        gone, pieces_after = _dealt_with(cut, pieces, small)
        set_aside += gone
        given += len(small) - sum(crumb for _, _, crumb in pieces_after) if cut.crumbs == "neighbour" else 0
        for side, body, crumb in pieces_after:
            touched.append(len(after))
            sides = (*part.sides, Side(cut=cut.id, side=side))
            if cut.two_sided:
                amounts[side] += body.volume
            off = part.off or (cut.takes_off and cut.two_sided and side == 1)
            after.append(Part((key, len(after)), body, sides, part.group, crumb, off))
    if not after:
        raise CutFailed(tr("“{name}” leaves nothing.", name=cut.name), kept=tr("The cut was not made."))
    stage = Stage(after, tuple(touched))
    lift, catches = _leaving(cut, stage)
    least = min(amounts.values()) / whole if cut.two_sided and touched and whole > 0 else 1.0
    report = CutReport(len(parts), len(after), bool(touched), kerf, set_aside, given, tuple(crumbs), lift, catches,
                       tuple(bridges), least=least)
    return Stage(after, tuple(touched), report)


_LITTLE = 1e-3
"""Share of a region under which a piece only has slivers of it, and is not cut."""


def _met(parts: list[Part], cut: Cut, masks: Masks) -> set[int]:
    """The numbers of the parts that a cut applies to, as its reach and its regions say. If no part has a region, all
    of them are, and the cut itself reports what is missing.
    """
    met = set(range(len(parts)))
    match cut.reach:
        case PieceReach(sides=wanted):
            met = {n for n, part in enumerate(parts) if set(wanted) <= set(part.sides)}
        case RestReach():
            met = {n for n, part in enumerate(parts) if not part.off}
    for region in cut.picked_regions:
        areas = {n: float(parts[n].solid.areas[_on(parts[n].solid, masks, region)].sum()) for n in met}
        met = {n for n in met if areas[n] > _LITTLE * math.fsum(areas.values())} or met
    return met


def _leaving(cut: Cut, stage: Stage) -> tuple[tuple[float, float, float] | None, bool]:
    """The direction in which the side +1 of a cut comes off, and whether its own face stands against that."""
    known = cut.way_off()
    if known is not None:
        return known, False
    leaving = [part.solid for part in stage.made if part.sides[-1].side == 1]
    if not cut.two_sided or not leaving:
        return None, False
    direction, free = lift_direction(leaving, cut.id)
    x, y, z = (float(value) for value in direction)
    return (x, y, z), not free


def catches_on_its_way(cut: Cut, stage: Stage) -> bool:
    """Whether the part on side +1 of a cut collides with something while it is lifted off. This takes some booleans,
    so it is meant for draft meshes.
    """
    lift = stage.report.lift
    if lift is None or stage.report.catches or cut.way_off() is not None:
        return stage.report.catches
    leaving = [part.solid for part in stage.made if part.sides[-1].side == 1]
    staying = [part.solid for part in stage.made if part.sides[-1].side != 1]
    return bool(leaving and staying) and not leaves_freely(leaving, staying, np.array(lift))


def is_crumb(solid: Solid, whole: float) -> bool:
    """Whether a fragment is smaller than the limits for crumbs.

    Parameters
    ----------
    whole : float
        The volume of the model, in mm3.
    """
    return bool(solid.volume < CRUMB_SHARE * whole and solid.size.max() < CRUMB_SIZE)


def _middle(solid: Solid) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in solid.bounds.mean(axis=0))
    return x, y, z


def _on(solid: Solid, masks: Masks, region: Region) -> Bools:
    """The facets of a part whose source triangles a region takes.

    Returns
    -------
    (m,) bool
    """
    mask = masks(region)
    return np.asarray((solid.origin >= 0) & mask[np.maximum(solid.origin, 0)])


def _dealt_with(
    cut: Cut, pieces: list[tuple[int, Solid, int]], small: list[int]
) -> tuple[float, list[tuple[int, Solid, bool]]]:
    """The pieces with their crumbs kept, dropped, or joined to the neighbour that they touch most.

    With a kerf nothing touches. Crumbs that should be given away but touch nobody, or cannot be joined exactly, are
    kept.

    Returns
    -------
    float, list of (int, Solid, bool)
        The volume that was set aside, in mm3; and the side, the solid and whether it is a crumb, for each piece.
    """
    if cut.crumbs == "drop":
        kept = [(side, body, False) for i, (side, body, _) in enumerate(pieces) if i not in small]
        return sum(pieces[i][1].volume for i in small), kept
    if cut.crumbs == "keep" or cut.kerf > 0 or not small:
        return 0.0, [(side, body, i in small) for i, (side, body, _) in enumerate(pieces)]
    takers: dict[int, list[int]] = {}
    for i in small:
        others = [k for k, (side, _, _) in enumerate(pieces) if k not in small and side != pieces[i][0]]
        touching = [(_contact(pieces[i][1], pieces[k][1]), k) for k in others]
        corners, taker = max(touching, default=(0, -1))
        if corners > 0:
            takers.setdefault(taker, []).append(i)
    joined: dict[int, Solid] = {}
    given: set[int] = set()
    for k, crumbs in takers.items():
        joined[k], taken = joined_to(pieces[k][1], [pieces[i][1] for i in crumbs])
        given |= {i for i, own in zip(crumbs, taken, strict=True) if own}
    return 0.0, [(side, joined.get(k, body), k in small) for k, (side, body, _) in enumerate(pieces) if k not in given]


def _contact(crumb: Solid, other: Solid) -> int:
    """The number of vertices that the cut faces of two pieces have in common."""
    from scipy.spatial import cKDTree

    ours, theirs = (piece.vertices[np.unique(piece.triangles[piece.origin < 0])] for piece in (crumb, other))
    if not len(ours) or not len(theirs):
        return 0
    distance, _ = cKDTree(theirs).query(ours)
    return int(np.count_nonzero(distance < max(_TOUCHING, 1e-6 * other.diagonal)))


def proven(kept: Cache, cut: Cut, report: CutReport, light: Stage, limit: float) -> CutReport:
    """A cut report completed with two checks made on the draft mesh: whether what the cut takes off catches on its
    way, and where it leaves too little material.

    Parameters
    ----------
    kept : Cache
        Caches both checks.
    limit : float, mm
        The least thickness that prints well.
    """
    made = tuple(part.key for part in light.made)
    solids = [part.solid for part in light.made]
    catches = kept.once(("leaves", nameless(cut), made), lambda: catches_on_its_way(cut, light))
    thin = kept.once(("thin", nameless(cut), made, limit), lambda: thin_places(solids, cut, limit))
    return replace(report, catches=report.catches or catches, thin=thin)
