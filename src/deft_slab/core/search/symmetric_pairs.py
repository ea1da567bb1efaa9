"""Pairs: cuts together with their mirror images at the planes of symmetry of the model."""

from __future__ import annotations

from functools import partial

import numpy as np

from ..arrays import Floats
from ..cuts import Cut, Move, PatchCut, StraightCut
from ..figures.congruence import symmetry_planes
from ..geometry.simplify import thinned
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..plan.plan import Plan
from ..progress import QUIET, Job, Spread, for_each
from .drafts import Draft, SearchPieces, distinct

_PLANES = 2
"""Of symmetry, that pairs are made at."""
_FEW = 1_500
"""Triangles by which it is told soon that a body is not symmetric."""


def planes_of(solids: list[Solid]) -> list[tuple[Floats, float]]:
    """The planes of symmetry of one body; none for several bodies.

    Returns
    -------
    list of ((3,) float64, float)
        The unit normal, and the offset in mm.
    """
    if len(solids) != 1 or not symmetry_planes(thinned(solids[0], _FEW)):
        return []
    return symmetry_planes(solids[0])


def in_pairs(
    ground: SearchPieces, drafts: list[Draft], planes: list[tuple[Floats, float]], plan: Plan, job: Job = QUIET,
    spread: Spread = map,
) -> list[Draft]:
    """Each of some drafts with the mirror image of its last cut added, where that cuts something.

    Parameters
    ----------
    planes : list of ((3,) float64, float)
        The unit normals and offsets (mm) of the planes of symmetry.
    plan : Plan
        The plan that the cuts continue.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    tasks = [
        (draft, Move.mirror(normal, offset)) for draft in drafts for normal, offset in planes[:_PLANES]
        if isinstance(draft.cuts[-1], StraightCut | PatchCut)
    ]
    made = for_each(partial(_paired, ground, plan), tasks, tr("Cutting in mirrored pairs"), job, spread)
    return ground.sound(made)


def _paired(ground: SearchPieces, plan: Plan, task: tuple[Draft, Move]) -> Draft | None:
    draft, mirror = task
    # what lies on the other side is another piece: the image goes through whatever it meets
    number, name = draft.added_to(plan).numbered
    named = {"id": number, "name": name, "reach": None}
    image: Cut = draft.cuts[-1].carried(mirror).model_copy(update=named)
    downs = distinct(np.concatenate([draft.downs, draft.downs @ mirror.matrix]))
    return ground.with_cut(draft, image, (downs, downs))
