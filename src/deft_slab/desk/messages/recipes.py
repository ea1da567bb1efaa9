"""What keeping recipes, and using them on other models, asks of the worker process; see ``requests``."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.plan.plan import Plan
from ...core.plan.recipe import Recipe, Scaling
from .requests import OfPlan


@dataclass(frozen=True, eq=False)
class TakeRecipe(OfPlan[Recipe]):
    """What stands on the model of a plan, with the box that it was made for.

    Attributes
    ----------
    name : str
        What it is kept under.
    """

    name: str


@dataclass(frozen=True, eq=False)
class Used:
    """Attributes
    ----------
    plan : Plan
        With the recipe.
    said : tuple[str, ...]
        What of it does not fit, a sentence each.
    """

    plan: Plan
    said: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class UseRecipe(OfPlan[Used]):
    """The plan, with a recipe in place of its own."""

    recipe: Recipe
    scaling: Scaling
