"""The recipe that a command is given: cuts in words, and a file."""

from __future__ import annotations

import argparse

from ..core.cuts import Cut, StraightCut
from ..core.document.regular_files import read_regular
from ..core.errors import BadPlan, CutFailed
from ..core.evaluate.evaluator import Evaluator
from ..core.evaluate.recipe_reuse import used_on
from ..core.geometry.orientation import Tilt
from ..core.geometry.place_on_bed import down_to_rotation
from ..core.locale.translate import tr
from ..core.plan.plan import MOST_CUTS, Plan
from ..core.plan.recipe import Recipe, Scaling, read_recipe
from ..core.printers.profile import Printer
from ..core.results.outcome import Outcome
from .arguments import BadArgument, direction_of
from .options import SCALED


def recipe_of(arguments: argparse.Namespace) -> Recipe:
    """The recipe of ``--recipe`` and ``--straight``.

    Raises
    ------
    BadPlan
        The recipe cannot be read.
    BadArgument
        The arguments name no cut, or a normal without length.
    """
    cuts = tuple(
        StraightCut(
            id=f"s{n}",
            name=tr("Cut {n}", n=n),
            normal=tuple(direction_of(values[:3], tr("cut normal"))),
            offset=values[3],
        )
        for n, values in enumerate(arguments.straight, 1)
    )
    if arguments.recipe is None:
        if not cuts:
            raise BadArgument(tr("Say where to cut with --straight or --recipe."))
        return _with_more(Recipe(cuts=()), cuts)
    try:
        read = read_recipe(read_regular(arguments.recipe))
    except OSError as error:
        raise BadPlan(
            tr("The recipe {recipe} cannot be read ({why}).", recipe=arguments.recipe, why=error.strerror)
        ) from error
    return _with_more(read, cuts)


def with_recipe(arguments: argparse.Namespace, plan: Plan, evaluator: Evaluator, printer: Printer) -> Plan:
    """A plan that stands as the arguments say, with the recipe that they name.

    Raises
    ------
    BadPlan
        The recipe cannot be read.
    CutFailed
        A cut of the recipe cuts nothing.
    """
    tilt = Tilt.from_rotation(down_to_rotation(direction_of(arguments.down, tr("down direction"))))
    plan = plan.changed(tilt=tilt, threshold=arguments.theta)
    if arguments.recipe is None and not arguments.straight:
        return plan
    recipe = recipe_of(arguments)
    plan = carried_out(plan, recipe, arguments, evaluator)
    bare = plan.changed(joins=(), hollows=())
    refuse_misses(recipe, evaluator.evaluate(bare, printer, arguments.job, detail="figures"))
    return plan


def carried_out(plan: Plan, recipe: Recipe, arguments: argparse.Namespace, evaluator: Evaluator) -> Plan:
    """A plan with a recipe applied, scaled as the arguments say.

    Raises
    ------
    BadPlan
        The recipe does not fit the plan.
    """
    own = plan.changed(threshold=arguments.theta)
    scaling: Scaling = SCALED.get(arguments.recipe_scaled, "as it is")
    used, left_out = used_on(own, recipe, lambda: evaluator.mended(own, arguments.job)[0].bounds, scaling)
    for note in left_out:
        arguments.shows.say(tr("deft-slab: {said}", said=note.says))
    return used


def refuse_misses(recipe: Recipe, outcome: Outcome) -> None:
    """Check that every cut of a recipe cuts something.

    Raises
    ------
    CutFailed
        A cut of the recipe cuts nothing.
    """
    for cut in recipe.cuts:
        if cut.on and not outcome.cuts[cut.id].parts:
            raise CutFailed(tr("“{cut}” {why}.", cut=cut.name, why=cut.why_not()), kept=tr("Nothing was written."))


def _with_more(recipe: Recipe, more: tuple[Cut, ...]) -> Recipe:
    """A recipe with further cuts added at its end."""
    cuts = (*recipe.cuts, *more)
    if len(cuts) > MOST_CUTS:
        raise BadPlan(
            tr("A recipe has at most {most_cuts} cuts; this one has {count}.", most_cuts=MOST_CUTS, count=len(cuts))
        )
    return recipe.model_copy(update={"cuts": cuts})
