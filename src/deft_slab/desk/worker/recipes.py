"""Answers what recipes need."""

from __future__ import annotations

from ...core.evaluate.recipe_reuse import misfits, recipe_from, used_on
from ...core.plan.recipe import Recipe
from ...core.progress import Job
from ..messages.recipes import TakeRecipe, Used, UseRecipe
from .shop import Shop


class RecipeAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop

    def take(self, asked: TakeRecipe, job: Job) -> Recipe:
        """The recipe of a plan. Raises BadPlan, Cancelled."""
        whole, _ = self._shop.evaluator(asked.plan).mended(asked.plan, job)
        return recipe_from(asked.plan, whole.bounds, asked.name)

    def use(self, asked: UseRecipe, job: Job) -> Used:
        """A plan with a recipe applied, and what of it does not fit. Raises BadPlan, OpenSurface, CutFailed,
        Cancelled.
        """
        evaluator = self._shop.evaluator(asked.plan)
        whole, _ = evaluator.mended(asked.plan, job.part(0.0, 0.1))
        plan, left_out = used_on(asked.plan, asked.recipe, lambda: whole.bounds, asked.scaling)
        outcome = evaluator.evaluate(plan, asked.printer, job.part(0.1, 1.0))
        return Used(plan, tuple(note.says for note in (*left_out, *misfits(outcome))))
