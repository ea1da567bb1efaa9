"""What recipes need from the worker process; see ``requests``."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.plan.plan import Plan
from ...core.plan.recipe import Recipe, Scaling
from .requests import OfPlan


@dataclass(frozen=True, eq=False)
class TakeRecipe(OfPlan[Recipe]):
    """A recipe of everything on the model of a plan, with the box it was made for.

    Attributes
    ----------
    name : str
        The name it is stored under.
    """

    name: str


@dataclass(frozen=True, eq=False)
class Used:
    """A plan after a recipe was applied.

    Attributes
    ----------
    plan : Plan
        The plan with the recipe.
    said : tuple[str, ...]
        What of the recipe does not fit, a sentence each.
    """

    plan: Plan
    said: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class UseRecipe(OfPlan[Used]):
    """The plan with a recipe in place of its own."""

    recipe: Recipe
    scaling: Scaling
