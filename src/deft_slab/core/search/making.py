"""Options, really cut on the stand-in."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..cuts import PieceReach, StraightCut
from ..documents import triple
from ..plan import Plan
from .drafts import Draft, Ground
from .options import Option

_ASIDE = (0.0, 0.004, -0.004, 0.008)
"""Shares of the diagonal by which a cut is moved so that it leaves no crumbs."""


def made_of(ground: Ground, plan: Plan, option: Option) -> Draft | None:
    """An option as a draft; where it would leave crumbs, a little beside it; None where it is not as wished.

    plan : that its cuts go on from
    """
    subject = option.cell.subject
    ahead, behind = (subject.poses.downs[n] for n in ground.likely(subject, option.normal, option.offset))
    first: Draft | None = None
    for shift in _ASIDE:
        place = replace(option, offset=option.offset + shift * ground.diagonal)
        draft = ground.with_cut(option.draft, _cut(place, plan), (ahead, behind))
        if draft is not None and draft.crumbs == 0:
            return draft
        first = first or draft
        if draft is None and shift == 0.0:
            return None
    return first


def _cut(option: Option, plan: Plan) -> StraightCut:
    """An option as the next cut of its draft, that goes through one piece only where there are several."""
    cuts, sides = option.draft.cuts, option.cell.part.sides
    plan = plan.changed(recipe=(*plan.recipe, *cuts))
    normal = option.normal / np.linalg.norm(option.normal)
    return StraightCut(
        id=plan.fresh_id(), name=f"Cut {len(plan.recipe) + 1}", normal=triple(normal), offset=option.offset,
        reach=PieceReach(sides=sides) if sides else None,
    )  # fmt: skip
