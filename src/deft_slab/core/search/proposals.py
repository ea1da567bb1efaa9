"""Proposals: the cuts that are not beaten in both support left and seam in sight, measured on the full mesh.

In steps that get dearer and fewer: the cut map scores some 16,000 places by their columns; 160 of them, over all
amounts of seam in sight, are tried in free poses; the best of these are followed in their neighbourhood; 32 are really
made on the stand-in; at most ten on the full mesh.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ..cuts import PieceReach, StraightCut
from ..judge.base import fit
from ..judge.marks import Marked, facets_at
from ..judge.seam import seam_of
from ..judge.seats import around, best_seat
from ..judge.tilts import set_down
from ..outcome import Piece
from ..plan import Plan
from ..printer import Printer
from ..progress import QUIET, Job, Spread
from ..shape.bodies import bodies_of
from ..solid import Solid
from ..workshop import Workshop
from .found import MOST_PROPOSALS, CutMap, CutWishes, Proposal
from .places import NORMALS, CutSubject, as_map, cut_map, cut_subject, half_sphere, likely_normals

Floats = NDArray[np.float64]

_BINS = 16
_TRIED, _FOLLOWED, _MADE = 160, 20, 32
_BRANCHES = 3
"""Plans that a further piece is looked for in."""
_APART_ANGLE, _APART_SHARE = np.cos(np.radians(8.0)), 0.04
"""Two cuts nearer to each other than this, the second as a share of the diagonal, are one."""
_REACHES = (5.0, 2.5, 1.2)
"""Degrees around a normal that are tried in turn."""
_FINE_PLACES, _FINE_REACH = 17, 0.06
"""Places around an offset that are tried, and how far from it, as a share of the diagonal."""
_FEW = 8
"""Proposals that there should be at least."""
_SEAT_CELLS = 64
_AT_ONCE = 4


@dataclass(frozen=True, eq=False)
class _Spot:
    """A place that was scored: price : mm3, support : mm3, sight : mm with what crosses show faces counted more
    pose : for each side, the number of the free pose that it sits best in; -1: on or under its cut face"""

    normal: Floats
    offset: float
    price: float
    support: float
    sight: float
    pose: tuple[int, int] = (-1, -1)


def proposals(
    workshop: Workshop, plan: Plan, number: int, subject: CutSubject, wishes: CutWishes, known: CutMap | None = None,
    job: Job = QUIET, spread: Spread = map, most: int = MOST_PROPOSALS,
) -> list[Proposal]:  # fmt: skip
    """Cuts worth making through a piece of a plan, least support left first.

    number : of the piece, from 0 on; subject : of it
    known : the cut map, where it is there already

    Raises
    ------
    Cancelled : the job is no longer wanted.
    OpenSurface : the piece is not closed.
    """
    now = workshop.evaluate(plan, subject.printer, job.part(0.0, 0.05), detail="figures")
    piece = now.pieces[min(number, len(now.pieces) - 1)]
    if known is None:
        normals = np.concatenate([half_sphere(NORMALS), likely_normals(subject)])
        known = cut_map(subject, normals, job.part(0.05, 0.15), spread)
    made = _made_ones(subject, wishes, known, job.part(0.15, 0.6), spread)
    finalists = _front(made, wishes, most, subject.light.diagonal)
    found = []
    for done, one in enumerate(finalists):
        step = job.part(0.6 + 0.4 * done / len(finalists), 0.6 + 0.4 * (done + 1) / len(finalists))
        step.step(0.0, "Measuring the best cuts on the full mesh")
        measured = _measured(workshop, plan, piece, one, subject, wishes, step)
        if measured is not None:
            found.append(measured)
    return sorted(found, key=lambda proposal: proposal.support)


def _made_ones(subject: CutSubject, wishes: CutWishes, known: CutMap, job: Job, spread: Spread) -> list[_Made]:
    """The most promising places of a map, really cut on the stand-in."""
    diagonal = subject.light.diagonal
    spots = _promising(known, wishes, _TRIED, diagonal)
    job.step(0.0, "Trying the most promising places in all poses")
    posed = list(spread(partial(_in_free_poses, subject), spots))
    job.step(0.25, "Following the best places")
    starts = _spaced(posed, _FOLLOWED, diagonal)
    followed = [spot for found in spread(partial(_followed, subject, wishes), starts) for spot in found]
    own = _renumbered(subject.light)
    chosen = _spaced([*posed, *followed], _MADE, diagonal)
    made: list[_Made] = []
    for first in range(0, len(chosen), _AT_ONCE):
        job.step(0.6 + 0.4 * first / len(chosen), "Making the best cuts on the stand-in")
        some = spread(partial(_made_light, subject, own, wishes), chosen[first : first + _AT_ONCE])
        made += [one for one in some if one is not None]
    return made


def plan_with(plan: Plan, piece: Piece, normal: Floats, offset: float) -> tuple[Plan, StraightCut]:
    """A plan with one more straight cut (unit normal, mm), that goes through one piece only where there are several."""
    x, y, z = (float(value) for value in normal)
    reach = PieceReach(sides=piece.sides) if piece.sides else None
    cut = StraightCut(
        id=plan.fresh_id(), name=f"Cut {len(plan.recipe) + 1}", normal=(x, y, z), offset=offset, reach=reach
    )
    return plan.with_cut(cut), cut


def _measured(
    workshop: Workshop, plan: Plan, piece: Piece, one: _Made, subject: CutSubject, wishes: CutWishes, job: Job
) -> Proposal | None:
    """A cut made on the full mesh, its pieces in the seats that the plan gives them; None where it makes more pieces
    than wished, after all."""
    with_cut, cut = plan_with(plan, piece, one.spot.normal / np.linalg.norm(one.spot.normal), one.spot.offset)
    outcome = workshop.evaluate(with_cut, subject.printer, job, detail="figures")
    whole = piece.figures.support_volume_mm3
    proposal = Proposal(cut, with_cut, 0.0, outcome, piece.sides)
    left = proposal.support / whole if whole > 0 else 0.0
    return replace(proposal, left=left) if wishes.allow(len(proposal.pieces)) else None


def proposed_plans(
    workshop: Workshop, plan: Plan, printer: Printer, wishes: CutWishes, job: Job = QUIET, spread: Spread = map
) -> list[Plan]:
    """Plans with a model in ``wishes.pieces`` pieces, best first: the best cuts of the whole, and for more than two
    pieces those of whatever piece needs most support, again and again.

    Raises as ``proposals``.
    """
    found = [(plan, 0.0, 0.0)]
    for count in range(2, wishes.pieces + 1):
        wanted = wishes.model_copy(update={"pieces": 2})
        step = job.part((count - 2) / (wishes.pieces - 1), (count - 1) / (wishes.pieces - 1))
        following: list[tuple[Plan, float, float]] = []
        for before, _, _ in found[: 1 if count == 2 else _BRANCHES]:
            now = workshop.evaluate(before, printer, step, detail="figures")
            worst = max(
                range(len(now.pieces)),
                key=lambda n: (not now.pieces[n].fit.fits, now.pieces[n].figures.support_volume_mm3),
            )
            subject = cut_subject(workshop, before, worst, printer, step)
            most = MOST_PROPOSALS if count == 2 else _BRANCHES
            for one in proposals(workshop, before, worst, subject, wanted, None, step, spread, most):
                totals = one.outcome.totals
                following.append((one.plan, totals.support_volume_mm3, totals.seam_in_sight_mm))
        limit = wishes.seam_limit or np.inf
        found = sorted((one for one in following if one[2] <= limit), key=lambda one: one[1])
    return [one[0] for one in found]


def _promising(known: CutMap, wishes: CutWishes, count: int, diagonal: float) -> list[_Spot]:
    """The best places of the map, spread over all amounts of seam in sight."""
    allowed, sight = known.allowed(wishes), known.hidden_sight(wishes)
    price = np.where(allowed, known.price, np.inf)
    n, k = np.nonzero(np.isfinite(price))
    # only the best few places of each normal and bin are looked at one by one
    order = np.argsort(price[n, k], kind="stable")
    n, k = n[order], k[order]
    spots = [
        _Spot(known.normals[a], float(known.offsets[a, b]), float(price[a, b]), float(known.support[a, b]),
              float(sight[a, b]))
        for a, b in zip(n[:6000], k[:6000], strict=True)
    ]  # fmt: skip
    least = np.argsort(sight[n, k], kind="stable")[:1500]
    spots += [
        _Spot(known.normals[n[i]], float(known.offsets[n[i], k[i]]), float(price[n[i], k[i]]),
              float(known.support[n[i], k[i]]), float(sight[n[i], k[i]]))
        for i in least
    ]  # fmt: skip
    return _spaced(spots, count, diagonal)


def _spaced(spots: list[_Spot], count: int, diagonal: float) -> list[_Spot]:
    """So many spots with little support for their seam in sight, none twice: the range of seams is divided into bins,
    and each bin gives its cheapest."""
    if not spots:
        return []
    sight = np.array([spot.sight for spot in spots])
    edges = np.linspace(sight.min(), np.quantile(sight, 0.98), _BINS + 1)
    bins = np.clip(np.searchsorted(edges, sight, side="right") - 1, 0, _BINS - 1)
    chosen: list[_Spot] = []
    for number in range(_BINS):
        inside = sorted((spots[i] for i in np.flatnonzero(bins == number)), key=lambda spot: spot.price)
        taken: list[_Spot] = []
        for spot in inside:
            if len(taken) == -(-count // _BINS):
                break
            if not any(_same(spot, other, diagonal) for other in taken):
                taken.append(spot)
        chosen += taken
    return chosen


def _same(a: _Spot, b: _Spot, diagonal: float) -> bool:
    cosine = float(a.normal @ b.normal)
    if abs(cosine) < _APART_ANGLE:
        return False
    return bool(abs(a.offset - np.sign(cosine) * b.offset) < _APART_SHARE * diagonal)


def _in_free_poses(subject: CutSubject, spot: _Spot) -> _Spot:
    """The same place with each side in the best of all poses."""
    at = subject.places(spot.normal, np.array([spot.offset]))
    return _posed(subject, spot, at.price[:, 0], at.support[:, 0], at.volume[:, 0], list(range(len(subject.poses))))


def _posed(
    subject: CutSubject, spot: _Spot, price: Floats, support: Floats, volume: Floats, numbers: list[int]
) -> _Spot:
    other_price, other = subject.in_poses(spot.normal, spot.offset, volume, [subject.poses[n] for n in numbers])
    pose, best_price, best_support = [-1, -1], price.copy(), support.copy()
    for side in range(2):
        best = int(np.argmin(other_price[side]))
        if other_price[side, best] < price[side]:
            pose[side] = numbers[best]
            best_price[side], best_support[side] = other_price[side, best], other[side, best]
    return replace(
        spot, price=float(best_price.sum()), support=float(best_support.sum()), pose=(pose[0], pose[1])
    )  # fmt: skip


def _followed(subject: CutSubject, wishes: CutWishes, start: _Spot) -> list[_Spot]:
    """Better places near a start, with no more seam in sight than it has."""
    best, diagonal = start, subject.light.diagonal
    found = []
    for degrees in _REACHES:
        for normal in around(best.normal, degrees):
            # the plane turns about the middle of its section, as near as the middle of the piece tells
            middle = subject.light.bounds.mean(axis=0)
            on_plane = middle + (best.offset - float(best.normal @ middle)) * best.normal
            offset = float(normal @ on_plane)
            reach = _FINE_REACH * diagonal * degrees / _REACHES[0]
            low, high = subject.extent(normal)
            offsets = np.linspace(max(offset - reach, low), min(offset + reach, high), _FINE_PLACES)
            if offsets[-1] - offsets[0] < 1e-6:
                continue
            places = subject.places(normal, offsets)
            map_ = as_map([places])
            good = map_.allowed(wishes)[0] & (map_.hidden_sight(wishes)[0] <= 1.01 * start.sight)
            price = np.where(good, map_.price[0], np.inf)
            free = [n for n in best.pose if n >= 0]
            for k in np.argsort(price)[: 3 if free else 1]:
                if not np.isfinite(price[k]):
                    break
                spot = _Spot(normal, float(offsets[k]), float(price[k]), float(map_.support[0, k]),
                             float(map_.hidden_sight(wishes)[0, k]))  # fmt: skip
                if free:
                    spot = _posed(subject, spot, places.price[:, k], places.support[:, k], places.volume[:, k], free)
                if spot.price < best.price:
                    best = spot
        found.append(best)
    return [spot for spot in found if spot is not start]


@dataclass(frozen=True, eq=False)
class _Made:
    """A cut really made on the stand-in. pieces : how many it makes; fits : whether all of them do"""

    spot: _Spot
    pieces: int
    fits: bool


def _cut(spot: _Spot) -> StraightCut:
    x, y, z = (spot.normal / np.linalg.norm(spot.normal)).tolist()
    return StraightCut(id=_PROPOSED, name="Proposed", normal=(x, y, z), offset=spot.offset)


def _sides(solid: Solid, spot: _Spot) -> tuple[list[Solid], list[Solid]] | None:
    """The pieces of both sides of a cut; None where it parts nothing."""
    made = dict(_cut(spot).part(solid).sides)
    return (bodies_of(made[1]), bodies_of(made[-1])) if len(made) == 2 else None


def _renumbered(solid: Solid) -> Solid:
    """The same solid, in the boolean library, with its facets as origins: what they were before is of no use here."""
    own = Solid(solid.vertices, solid.triangles)
    _ = own.manifold
    return own


_PROPOSED = "proposed"
"""Id of a cut that is tried on a copy that no cut of a recipe has made a face of."""


def _marks_on(piece: Solid, marks: Marked, source: Solid) -> Marked | None:
    """The marks of a piece of a solid. Origins tell which facet of the solid a facet was."""
    if not marks.anything:
        return None
    return marks.picked(facets_at(source, piece.centroids))


def _made_light(subject: CutSubject, own: Solid, wishes: CutWishes, spot: _Spot) -> _Made | None:
    sides = _sides(own, spot)
    if sides is None:
        return None
    price = support = 0.0
    fits = True
    for side, pieces in enumerate(sides):
        free = np.array([subject.poses[n].down for n in (spot.pose[side],) if n >= 0]).reshape(-1, 3)
        for piece in pieces:
            marks = _marks_on(piece, subject.subject.light_marks, own)
            seat = best_seat(
                piece, subject.subject.stood, subject.subject.threshold, marks, free=free, cells=_SEAT_CELLS
            )
            support += seat.support
            price += seat.price
            fits &= fit(set_down(piece.vertices, seat.rotation, subject.subject.lift), subject.printer).fits
    seam = seam_of(sides[0], _PROPOSED, subject.exposed, shown=subject.subject.light_marks.show)
    if wishes.seam_limit is not None and seam.in_sight > wishes.seam_limit:
        return None
    made = replace(spot, price=price, support=support, sight=seam.in_sight + wishes.show_factor * seam.on_show)
    return _Made(made, sum(map(len, sides)), fits)


def _front(made: list[_Made], wishes: CutWishes, most: int, diagonal: float) -> list[_Made]:
    """Those that are not beaten in both price and seam in sight, clearly different ones; then the next best, so that
    there are enough to choose from."""
    fitting = [one for one in made if one.fits]
    pool = fitting if wishes.must_fit and fitting else made
    pool = sorted((one for one in pool if wishes.allow(one.pieces)), key=lambda one: one.spot.price)
    chosen: list[_Made] = []
    while pool and len(chosen) < _FEW:
        front: list[_Made] = []
        rest: list[_Made] = []
        least = np.inf
        for one in pool:
            if one.spot.sight < least * 0.995:
                least = one.spot.sight
                if not any(_same(one.spot, other.spot, diagonal) for other in (*chosen, *front)):
                    front.append(one)
            else:
                rest.append(one)
        # both ends of the front, and as many in between as there is room for
        room = most - len(chosen)
        keep = np.unique(np.round(np.linspace(0, len(front) - 1, min(room, len(front)))).astype(int))
        chosen += [front[n] for n in keep]
        # where few are unbeaten, the next best follow; what is seen much more, for more support, is no choice
        most_seen = 1.25 * max((one.spot.sight for one in chosen), default=0.0)
        pool = [one for one in rest if one.spot.sight <= most_seen]
    return chosen
