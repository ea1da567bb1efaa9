"""Reuses recipes: takes one from a plan, applies it to another model, and tells what does not fit there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..arrays import Floats
from ..cuts import Move
from ..document.base import triple
from ..errors import BadPlan
from ..locale.translate import tr
from ..plan.piece_matching import nearest_alike
from ..plan.plan import Plan
from ..plan.recipe import MadeFor, Recipe, Scaling
from ..results.notes import Note
from ..results.outcome import Outcome
from .remarks import about_hollows, about_joins


def recipe_from(plan: Plan, box: Floats, name: str = "") -> Recipe:
    """A recipe of everything that a plan puts on its model.

    Parameters
    ----------
    box : (2, 3) float64, mm, model frame
        The bounding box of the sized model.
    """
    return Recipe(
        name=name, made_for=MadeFor(low=triple(box[0]), high=triple(box[1])), cuts=plan.recipe, joins=plan.joins,
        pieces=plan.pieces, leaning=plan.leaning, hollows=plan.hollows, posts=plan.posts, left=plan.left,
    )


def way_over(made_for: MadeFor, box: Floats, scaling: Scaling) -> Move:
    """The transformation from the model that a recipe was made for to another one.

    Parameters
    ----------
    box : (2, 3) float64, mm, model frame
        The bounding box of the other model.
    """
    low, high = np.array(made_for.low), np.array(made_for.high)
    size = box[1] - box[0]
    if not np.isfinite(size).all() or (size <= 0).any():
        raise BadPlan(tr("The model has no size along one of its axes."))
    ratio = made_for.ratio(size, scaling)
    foot = np.array([*(low + high)[:2] / 2, low[2]])
    other = np.array([*box.sum(axis=0)[:2] / 2, box[0, 2]])
    return Move(np.diag(ratio), other - ratio * foot)


def used_on(
    plan: Plan, recipe: Recipe, box: Callable[[], Floats], scaling: Scaling
) -> tuple[Plan, tuple[Note, ...]]:
    """A plan with a recipe applied, in place of its own cuts, joins, settings of pieces, hollows and posts. Places
    scale with the model; clearances, wall thicknesses and standard parts keep their size.

    Parameters
    ----------
    box : Callable[[], Floats]
        Gives the bounding box of the sized model, (2, 3) float64, mm, model frame; called only if something has
        to be moved.

    Returns
    -------
    Plan, tuple of Note
        The plan, and what had to be left out.

    Raises
    ------
    BadPlan
        The recipe does not say what it was made for, though it is to be moved; or it makes no sense there.
    """
    own = plan.changed(
        recipe=recipe.cuts, joins=recipe.joins, pieces=recipe.pieces, leaning=recipe.leaning, hollows=recipe.hollows,
        posts=recipe.posts, left=recipe.left, lying=(),
    )
    if scaling == "as it is":
        return own, ()
    if recipe.made_for is None:
        raise BadPlan(tr("This recipe does not say how large its own model was."),
                      remedy=tr("Use it at its own size, or store it again from its own project."))
    move, joins, notes = way_over(recipe.made_for, box(), scaling), [], []
    for join in own.joins:
        try:
            join.carried(move, {})
            joins.append(join)
        except BadPlan as error:
            notes.append(Note("recipe.join_left_out", {"problem": error.what}, "failed"))
    return own.changed(joins=tuple(joins)).carried(move), tuple(notes)


def misfits(outcome: Outcome) -> tuple[Note, ...]:
    """What of a recipe does not fit the model it is used on: cuts that part nothing, joins, vents and posts that are
    not made, and settings for pieces that do not exist.
    """
    plan, pieces = outcome.plan, outcome.pieces
    notes = [
        Note("recipe.cut_parts_nothing", {"name": cut.name, "why": cut.why_not()}, "failed") for cut in plan.recipe
        if cut.id in outcome.cuts and not outcome.cuts[cut.id].parts
    ]
    # that the printer needs more clearance than a join was given was so where the recipe comes from
    joins = {ident: replace(report, warnings=()) for ident, report in outcome.joins.items()}
    notes += [*about_joins(plan, joins), *about_hollows(outcome.hollows)]
    notes += [
        Note("recipe.no_piece_to_seat", {"name": wish.name}, "failed") for wish in plan.pieces
        if nearest_alike(wish, pieces) is None
    ]
    notes += [
        Note("recipe.no_piece_to_hollow", {"hollow": hollow.id}, "failed") for hollow in plan.hollows
        if hollow.on and hollow.id not in outcome.hollows
    ]
    for group in plan.posts:
        report = outcome.posts.get(group.id)
        if report is None or report.piece is None:
            notes.append(Note("recipe.no_piece_for_posts", {"posts": len(group.posts)}, "failed"))
            continue
        name = pieces[report.piece].name
        for land, code in (("off", "recipe.posts_off_surface"), ("nowhere", "recipe.posts_without_way")):
            count = sum(one == land for one in report.lands)
            if count:
                notes.append(Note(code, {"posts": count, "piece": name}, "failed", piece=report.piece))
    return tuple(notes)
