"""Moves and rotates the planes of a draft together: each in turn, with all cuts made again, so that one may gain
what another gives up.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from ..arrays import Floats
from ..cuts import Cut, PatchCut, StraightCut
from ..document.base import triple
from ..evaluate.evaluator import Evaluator
from ..geometry.curves import frame_of
from ..locale.translate import tr
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread
from .borders import border_stroke, facets_of, resettled, seam_price
from .cut_map import cut_subject
from .drafts import Draft, SearchPieces
from .results import MOST_PIECES, CutWishes, Limits
from .seam_settling import Both

_STEPS = ((0.03, 5.0), (0.015, 2.5), (0.007, 1.2))
"""How far planes are moved, as a share of the diagonal, and turned, in degrees, one after the other."""
_SHARES = (1.0, 0.5, 0.25, 0.12)
"""Of how far cuts may be settled together, one after the other."""
_SLACK = 1.02
"""Times the seam of the draft that one that is better may have."""


def moved_together(
    ground: SearchPieces, draft: Draft, flat: bool, job: Job = QUIET, spread: Spread = map
) -> list[Draft]:
    """All drafts that were made around one, better or not, because those with less seam are worth considering too.

    Parameters
    ----------
    flat : bool
        Whether to reduce the support with all pieces flat.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    best, made = draft, []
    most = _SLACK * draft.hidden(ground.wishes)
    tries = len(_STEPS) * len(draft.cuts)
    for number in range(tries):
        job.step(number / tries, tr("Moving all cuts together"))
        share, degrees = _STEPS[number // len(draft.cuts)]
        which = number % len(draft.cuts)
        others = _around(best, which, share * ground.diagonal, degrees)
        found = [one for one in spread(partial(_made, ground, best), others) if one is not None]
        made += found
        for one in found:
            if one.hidden(ground.wishes) <= most and one.left(flat) < best.left(flat):
                best = one
    return made


def ground_of(evaluator: Evaluator, plan: Plan, printer: Printer, job: Job = QUIET) -> SearchPieces:
    """All pieces of a plan, to be cut as the user has it, with nothing left out. Raises as ``Evaluator.evaluate``."""
    outcome = evaluator.evaluate(plan, printer, job.part(0.0, 0.5), detail="figures")
    subjects = [cut_subject(evaluator, plan, piece.number - 1, printer, job) for piece in outcome.pieces]
    return SearchPieces.of(CutWishes(pieces=MOST_PIECES), outcome.pieces, subjects)


def settled_together(
    ground: SearchPieces, cuts: Sequence[Cut], limits: Limits, leaning: float, job: Job = QUIET, spread: Spread = map
) -> tuple[tuple[Cut, ...], Both, Both]:
    """Move all cuts of a plan to places where least of their seams, taken together, is seen, as measured on the draft
    mesh. Planes are moved and rotated and borders of patches are moved, none farther than ``limits`` allows. Other
    kinds of cuts stay where they are. No piece that sat flat leans afterwards.

    Parameters
    ----------
    leaning : float
        See ``Plan``.

    Returns
    -------
    tuple of Cut, (float, float), (float, float)
        The cuts, and the seam in sight (mm) and the support (mm3) before and after.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    best = ground.start
    for cut in cuts:
        best = ground.with_cut(best, cut, None) or best
    own = {cut.id: cut for cut in best.cuts}
    before = best.sight, _seated(best, leaning)
    most, leans = limits.most_support(before[1]), best.leaning_cells
    tries = len(_SHARES) * len(best.cuts)
    for number in range(tries):
        job.step(number / max(tries, 1), tr("Settling all seams together"))
        share, which = _SHARES[number // len(best.cuts)], number % len(best.cuts)
        others = _around(best, which, share * limits.moved, share * limits.turned)
        others += _bordered(ground, best, which, own[best.cuts[which].id], share * limits.moved)
        middle = best.seams[which].segments.reshape(-1, 3)
        others = [one for one in others if _within(own[one[which].id], one[which], middle, limits)]
        for one in spread(partial(_made, ground, best), others):
            if one is None or len(one.cells) != len(best.cells) or one.leaning_cells > leans:
                continue
            if one.hidden(ground.wishes) < 0.995 * best.hidden(ground.wishes) and _seated(one, leaning) <= most:
                best = one
    moved = {cut.id: cut for cut in best.cuts}
    return tuple(moved.get(cut.id, cut) for cut in cuts), before, (best.sight, _seated(best, leaning))


def _seated(draft: Draft, leaning: float) -> float:
    """The support with each body in the seat that a plan chooses, in mm3."""
    return sum(cell.seats.chosen(leaning).support for cell in draft.cells)


def _within(own: Cut, cut: Cut, middle: Floats, limits: Limits) -> bool:
    """Whether a plane is no farther from its own place than it may be, about the middle of its seam."""
    if not isinstance(own, StraightCut) or not isinstance(cut, StraightCut):
        return True
    cosine = float(np.dot(own.normal, cut.normal))
    at = middle.mean(axis=0)
    apart = abs(float(at @ np.array(cut.normal)) - cut.offset - float(at @ np.array(own.normal)) + own.offset)
    turned = float(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))))
    return apart <= limits.moved + 1e-6 and turned <= limits.turned + 1e-6


def _bordered(ground: SearchPieces, draft: Draft, which: int, own: Cut, reach: float) -> list[tuple[Cut, ...]]:
    """The cuts of a draft with the border of a patch moved to where it costs least near its own place.

    Parameters
    ----------
    reach : float, mm
    """
    if not isinstance(own, PatchCut) or len(ground.parts) > 1:
        return []
    solid = ground.parts[0].solid
    price = seam_price(ground.exposed, ground.marks, ground.wishes)
    moved = resettled(solid, price, facets_of(own.strokes, ground.taken), reach)
    if moved is None:
        return []
    other = own.model_copy(update={"strokes": (border_stroke(solid, moved),)})
    return [(*draft.cuts[:which], other, *draft.cuts[which + 1 :])]


def _around(draft: Draft, which: int, shift: float, degrees: float) -> list[tuple[Cut, ...]]:
    """The cuts of a draft with one of them moved both ways, and rotated about the middle of its seam."""
    cut, segments = draft.cuts[which], draft.seams[which].segments
    if not isinstance(cut, StraightCut) or not len(segments):
        return []
    middle, normal = segments.reshape(-1, 3).mean(axis=0), np.array(cut.normal)
    frame = frame_of(normal)
    lean = float(np.tan(np.radians(degrees)))
    planes = [(normal, cut.offset + sign * shift) for sign in (-1.0, 1.0)]
    for axis in (0, 1):
        for sign in (-1.0, 1.0):
            turned = normal + sign * lean * frame[axis]
            turned = turned / np.linalg.norm(turned)
            planes.append((turned, cut.offset + float((turned - normal) @ middle)))
    cuts = []
    for turned, offset in planes:
        other = cut.model_copy(update={"normal": triple(turned), "offset": offset})
        cuts.append((*draft.cuts[:which], other, *draft.cuts[which + 1 :]))
    return cuts


def _made(ground: SearchPieces, like: Draft, cuts: tuple[Cut, ...]) -> Draft | None:
    """Cuts made one after the other. Seats are searched around those of a similar draft."""
    draft: Draft | None = ground.start
    for cut in cuts:
        draft = ground.with_cut(draft, cut, (like.downs, like.downs)) if draft is not None else None
    return draft
