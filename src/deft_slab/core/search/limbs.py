"""Cuts at the necks of limbs: flat across, or along the border that is seen least."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..arrays import Floats
from ..cuts import Cut, PatchCut, PieceReach, Reach, StraightCut
from ..document.base import triple
from ..geometry.simplify import refined
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..plan.plan import Plan
from ..progress import QUIET, Job, Spread, for_each
from .borders import LimbNeck, border_middles, border_stroke, necks, seam_price
from .drafts import Cell, Draft, SearchPieces, distinct

_MOST = 6
"""Necks that are cut."""
_FACES = (0.0, 0.7)
"""Share of the face along the border that is made flat: none, or so that the limb can stand on it."""
_LONGEST = 1 / 60
"""Of the diagonal: about the longest edge of the mesh on which borders are looked for. A border runs along edges, and
what is smooth along a limb has few across it once it is simplified. (Edges of the demo models' draft meshes have about
this length on average.)"""


def limbs_off(ground: SearchPieces, cell: Cell, plan: Plan, job: Job = QUIET, spread: Spread = map) -> list[Draft]:
    """The draft with a limb of a body taken off, for each of its necks: flat across, and along the border with a
    rounded and with a flat face.

    Parameters
    ----------
    plan : Plan
        The plan that the cuts continue.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    subject = cell.subject
    price = seam_price(subject.exposed, subject.subject.light_marks, ground.wishes)
    even, facets = refined(cell.part.solid, _LONGEST * ground.diagonal)
    found = necks(even, price[facets], _MOST, job.part(0.0, 0.3), spread)
    tasks = [task for neck in found for task in _cuts_at(ground, cell, plan, even, neck)]

    def made(task: tuple[Cut, Floats]) -> Draft | None:
        cut, downs = task
        return ground.with_cut(replace(ground.start, limb=True), cut, (downs, downs))

    doing = tr("Cutting limbs off at their necks")
    drafts = for_each(made, tasks, doing, job.part(0.3, 1.0), spread)
    return [draft for draft in drafts if draft is not None]


def limbs_too(
    ground: SearchPieces, drafts: list[Draft], limbs: list[Draft], plan: Plan, job: Job = QUIET, spread: Spread = map
) -> list[Draft]:
    """Each of some limbs taken off, and then what is left parted as in each of some drafts.

    The limb comes first, because its bent face takes far longer to make than a plane, and is there already.

    Parameters
    ----------
    limbs : list[Draft]
        Drafts of one cut each, from ``limbs_off``.
    plan : Plan
        The plan that the cuts continue.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    tasks = [(draft, limb) for draft in drafts for limb in limbs if limb.cuts != draft.cuts[:1]]

    def made(task: tuple[Draft, Draft]) -> Draft | None:
        draft, limb = task
        downs = distinct(np.concatenate([draft.downs, limb.downs]))
        both: Draft | None = replace(limb, limb=draft.limb)
        new_ids: dict[str, str] = {}
        for cut in draft.cuts:
            if both is None:
                break
            number, name = both.added_to(plan).numbered
            new_ids[cut.id] = number
            same = cut.model_copy(update={"id": number, "name": name, "reach": _renamed(cut, new_ids)})
            both = ground.with_cut(both, same, (downs, downs))
        return both

    return ground.sound(for_each(made, tasks, tr("Cutting off limbs as well"), job, spread))


def _renamed(cut: Cut, new_ids: dict[str, str]) -> Reach | None:
    """The reach of a cut, where some of the cuts before it have other ids now."""
    if not isinstance(cut.reach, PieceReach):
        return cut.reach
    return PieceReach(sides=tuple(side.model_copy(update={"cut": new_ids.get(side.cut, side.cut)})
                                  for side in cut.reach.sides))


def _cuts_at(ground: SearchPieces, cell: Cell, plan: Plan, even: Solid, neck: LimbNeck) -> list[tuple[Cut, Floats]]:
    """Cuts for a neck, with downward directions in which their pieces are likely to sit well.

    Parameters
    ----------
    even : Solid
        The mesh on which the neck was found.
    """
    sides = cell.part.sides
    middles = border_middles(even, neck.within)
    centre = middles.mean(axis=0)
    normal = np.linalg.eigh((middles - centre).T @ (middles - centre))[1][:, 0]
    normal /= np.linalg.norm(normal)
    offset = float(normal @ centre)
    number, name = plan.numbered
    reach = PieceReach(sides=sides) if sides else None
    strokes = (border_stroke(even, neck.within),)
    cuts: list[Cut] = [
        StraightCut(id=number, name=name, reach=reach, normal=triple(normal), offset=offset),
        *(PatchCut(id=number, name=name, reach=reach, strokes=strokes, flat=flat, crumbs="neighbour")
          for flat in _FACES),
    ]
    downs = cell.subject.poses.downs[np.union1d(*ground.likely(cell.subject, normal, offset))]
    return [(cut, downs) for cut in cuts]
