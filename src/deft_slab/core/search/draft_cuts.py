"""Makes options on the draft mesh, and picks the best."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from itertools import chain

import numpy as np

from ..cuts import PieceReach, StraightCut
from ..document.base import triple
from ..locale.translate import tr
from ..plan.plan import Plan
from ..progress import QUIET, Job, Spread, for_each
from .cut_options import Option, Scored, best_options, followed, same
from .drafts import Draft, SearchPieces
from .effort import Effort

_ASIDE = (0.0, 0.004, -0.004, 0.008)
"""Shares of the diagonal by which a cut is moved so that it leaves no crumbs."""


def best_made(
    ground: SearchPieces, plan: Plan, tables: list[Scored], effort: Effort, job: Job = QUIET, spread: Spread = map
) -> list[Draft]:
    """Make the best options of each bin, and better ones around them: some with the least support, as many with all
    pieces flat, and as many that fit if not everything does.

    Parameters
    ----------
    plan : Plan
        The plan that their cuts continue.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    orders = [ground.wishes.must_fit]
    if ground.start.misfits(False) and not ground.wishes.must_fit:
        orders = [False, True]
    options: list[Option] = []
    made: list[Draft] = []
    for only in orders:
        options += chain(*best_options(ground, tables, effort.each, flat=False, fitting=only))
        # whether a body really sits flat, only its seats tell
        for some in best_options(ground, tables, effort.flat_tries, flat=True, fitting=only):
            sound, drafts = _sitting_flat(ground, plan, some, effort.each, job, spread)
            options += sound
            made += drafts
    distinct: list[Option] = []
    for option in options:
        if not any(option.flat == one.flat and same(option, one, ground.diagonal) for one in distinct):
            distinct.append(option)
    better = followed(ground, distinct, job.part(0.2, 0.6), spread)
    made += [draft for draft in all_made(ground, plan, better, job.part(0.6, 1.0), spread) if draft is not None]
    return made


def _sitting_flat(
    ground: SearchPieces, plan: Plan, options: list[Option], most: int, job: Job, spread: Spread
) -> tuple[list[Option], list[Draft]]:
    """The first of some options whose bodies all sit flat, and everything that was made to find them.

    Parameters
    ----------
    most : int
        How many to find.
    """
    sound: list[Option] = []
    made: list[Draft] = []
    for first in range(0, len(options), most):
        some = options[first : first + most]
        for option, draft in zip(some, all_made(ground, plan, some, job, spread), strict=True):
            if draft is not None:
                made.append(draft)
                sound += [option] if np.isfinite(draft.flat) else []
        if len(sound) >= most:
            break
    return sound[:most], made


def all_made(
    ground: SearchPieces, plan: Plan, options: list[Option], job: Job = QUIET, spread: Spread = map
) -> list[Draft | None]:
    """Make each of some options on the draft mesh; None where a condition is not met.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    return for_each(partial(_made_of, ground, plan), options, tr("Making the best cuts on the draft mesh"), job, spread)


def _made_of(ground: SearchPieces, plan: Plan, option: Option) -> Draft | None:
    """An option made into a draft. If it would leave crumbs, a cut slightly beside it is made instead. None where a
    condition is not met.

    Parameters
    ----------
    plan : Plan
        The plan that its cuts continue.
    """
    subject = option.cell.subject
    ahead, behind = (subject.poses.downs[n] for n in ground.likely(subject, option.normal, option.offset))
    cuts = [_cut(replace(option, offset=option.offset + shift * ground.diagonal), plan) for shift in _ASIDE]
    return ground.with_cut(option.draft, cuts[0], (ahead, behind), cuts[1:])


def _cut(option: Option, plan: Plan) -> StraightCut:
    """An option as the next cut of its draft; where there are several pieces it goes through one of them only."""
    sides = option.cell.part.sides
    number, name = option.draft.added_to(plan).numbered
    normal = option.normal / np.linalg.norm(option.normal)
    return StraightCut(
        id=number, name=name, normal=triple(normal), offset=option.offset,
        reach=PieceReach(sides=sides) if sides else None,
    )
