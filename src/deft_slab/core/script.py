"""Recipes as documents of their own, for scripts."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, ValidationError

from .cuts import AnyCut
from .documents import Document, first_problem
from .errors import BadPlan
from .hollow import Hollow
from .joins import AnyJoin
from .marking import LeftAlone
from .plan import MOST_CUTS, MOST_JOINS
from .posts import PostSet
from .versions import Versions
from .wishes import PieceWish

RECIPES = Versions("recipe", 5)
MOST_RECIPE_BYTES = 20_000_000


class Recipe(Document):
    """Cuts and joins as a document of their own, for scripts: what is cut, how pieces are joined, how they sit,
    which are hollow or have posts, and what was left on purpose. leaning : see ``Plan``"""

    version: Literal[5] = 5
    cuts: tuple[AnyCut, ...] = Field(max_length=MOST_CUTS)
    joins: tuple[AnyJoin, ...] = Field(default=(), max_length=MOST_JOINS)
    pieces: tuple[PieceWish, ...] = ()
    leaning: float = Field(default=0.5, ge=0.0, le=1.0)
    hollows: tuple[Hollow, ...] = Field(default=(), max_length=MOST_CUTS)
    posts: tuple[PostSet, ...] = Field(default=(), max_length=MOST_CUTS)
    left: tuple[LeftAlone, ...] = Field(default=(), max_length=5000)


@RECIPES.step(1)
def _with_leaning(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1 did not say when pieces lean."""
    return data


@RECIPES.step(2)
def _with_joins(data: dict[str, Any]) -> dict[str, Any]:
    """Version 2 had no joins."""
    return data


@RECIPES.step(3)
def _with_hollows(data: dict[str, Any]) -> dict[str, Any]:
    """Version 3 hollowed nothing, and left nothing on purpose."""
    return data


@RECIPES.step(4)
def _with_materials(data: dict[str, Any]) -> dict[str, Any]:
    """Version 4 did not say what pieces are printed of, and on."""
    return data


def read_recipe(text: bytes) -> Recipe:
    """A recipe from its JSON.

    Raises
    ------
    BadPlan : it is no recipe, or from a newer version.
    """
    if len(text) > MOST_RECIPE_BYTES:
        raise BadPlan("This is no recipe: it is far too long.")
    try:
        return Recipe.model_validate(RECIPES.read(text))
    except ValidationError as error:
        raise BadPlan(f"This is no recipe that can be read: {first_problem(error)}") from error
    except ValueError as error:
        raise BadPlan(f"This is no recipe that can be read: {error}.".replace("..", ".")) from error
