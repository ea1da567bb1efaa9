"""Cuts at the necks of limbs: flat across, or along the border that is seen least."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..cuts import Cut, PatchCut, PieceReach, StraightCut
from ..documents import triple
from ..plan import Plan
from ..progress import QUIET, Job, Spread
from .borders import Neck, border_middles, border_stroke, necks, seam_price
from .drafts import Cell, Draft, Ground

_MOST = 6
"""Necks that are cut."""
_FACES = (0.0, 0.0, 0.7)
"""Share of the face of a limb that is made flat, so that it can stand on it: of a flat cut, of a round and a flat face
along the border."""
_AT_ONCE = 4


def limbs_off(ground: Ground, cell: Cell, plan: Plan, job: Job = QUIET, spread: Spread = map) -> list[Draft]:
    """The whole with a limb of a body taken off at its neck, for each of its necks: flat across, and along the border,
    with a round and with a flat face.

    plan : that the cuts are the next one of. Raises Cancelled.
    """
    subject = cell.subject
    price = seam_price(subject.exposed, subject.subject.light_marks, ground.wishes)
    tasks = [(neck, n) for neck in necks(cell.part.solid, price, _MOST, job.part(0.0, 0.3), spread) for n in range(3)]
    found: list[Draft] = []
    for first in range(0, len(tasks), _AT_ONCE):
        job.step(0.3 + 0.7 * first / len(tasks), "Taking limbs off at their necks")
        made = spread(lambda task: _limb_off(ground, cell, plan, *task), tasks[first : first + _AT_ONCE])
        found += [draft for draft in made if draft is not None]
    return found


def _limb_off(ground: Ground, cell: Cell, plan: Plan, neck: Neck, n: int) -> Draft | None:
    solid, sides = cell.part.solid, cell.part.sides
    middles = border_middles(solid, neck.within)
    centre = middles.mean(axis=0)
    normal = np.linalg.eigh((middles - centre).T @ (middles - centre))[1][:, 0]
    normal /= np.linalg.norm(normal)
    offset = float(normal @ centre)
    number, name = plan.fresh_id(), f"Cut {len(plan.recipe) + 1}"
    reach = PieceReach(sides=sides) if sides else None
    cut: Cut = StraightCut(id=number, name=name, reach=reach, normal=triple(normal), offset=offset)
    if n > 0:
        stroke = border_stroke(solid, neck.within)
        cut = PatchCut(id=number, name=name, reach=reach, strokes=(stroke,), flat=_FACES[n], crumbs="neighbour")
    both = cell.subject.poses.downs[np.union1d(*ground.likely(cell.subject, normal, offset))]
    return ground.with_cut(replace(ground.start, limb=True), cut, (both, both))
