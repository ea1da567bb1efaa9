"""Recipes: the cuts and joins of a plan as a document of their own, for other models and for scripts."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

import numpy as np
from pydantic import Field, StringConstraints, ValidationError, model_validator

from ..arrays import Floats
from ..cuts import AnyCut
from ..defaults import LEANING
from ..document.base import Document, Triple, first_problem
from ..document.marks import LeftAlone
from ..document.migrations import Versions
from ..errors import BadPlan
from ..joins import AnyJoin
from ..locale.translate import tr
from .hollow import Hollow
from .piece_settings import PieceSettings
from .plan import MOST_CUTS, MOST_JOINS
from .supports import PostSet

RECIPES = Versions("recipe", 1)
MOST_RECIPE_BYTES = 20_000_000

Scaling = Literal["evenly", "each axis", "same size", "as it is"]
"""How a recipe follows another model: scaled by one factor, that of the diagonals of the two boxes; by one for each
axis; moved only; or neither. When it is moved, the middle of its box comes to the middle of the other, foot on foot."""
SCALINGS: tuple[Scaling, ...] = get_args(Scaling)


class MadeFor(Document):
    """The bounding box of the model that a recipe was made for, in mm, model frame."""

    low: Triple
    high: Triple

    @model_validator(mode="after")
    def _is_a_box(self) -> MadeFor:
        if not all(low < high for low, high in zip(self.low, self.high, strict=True)):
            raise ValueError(tr("the box of a model must have a size along each axis"))
        return self

    def ratio(self, size: Floats, scaling: Scaling) -> Floats:
        """The factors by which a recipe is scaled for a model of another size.

        Parameters
        ----------
        size : (3,) float64, mm
            The size of the other model.

        Returns
        -------
        (3,) float64
        """
        own = np.array(self.high) - self.low
        if scaling == "each axis":
            return np.asarray(size / own)
        return np.full(3, np.linalg.norm(size) / np.linalg.norm(own) if scaling == "evenly" else 1.0)


class Recipe(Document):
    """Cuts, joins, seats, hollows, posts and accepted findings as a document of their own.

    Attributes
    ----------
    name : str
        The name that it is kept under.
    made_for : MadeFor | None
        What it is scaled from when it is used on another model; None: it is used unscaled.
    leaning : float
        See ``Plan``.
    """

    version: Literal[1] = 1
    name: Annotated[str, StringConstraints(max_length=120)] = ""
    made_for: MadeFor | None = None
    cuts: tuple[AnyCut, ...] = Field(max_length=MOST_CUTS)
    joins: tuple[AnyJoin, ...] = Field(default=(), max_length=MOST_JOINS)
    pieces: tuple[PieceSettings, ...] = ()
    leaning: float = Field(default=LEANING, ge=0.0, le=1.0)
    hollows: tuple[Hollow, ...] = Field(default=(), max_length=MOST_CUTS)
    posts: tuple[PostSet, ...] = Field(default=(), max_length=MOST_CUTS)
    left: tuple[LeftAlone, ...] = Field(default=(), max_length=5000)


def read_recipe(text: bytes) -> Recipe:
    """A recipe from its JSON.

    Raises
    ------
    BadPlan
        It is not a recipe, or was saved by a newer version.
    """
    if len(text) > MOST_RECIPE_BYTES:
        raise BadPlan(tr("This is not a recipe: it is far too long."))
    try:
        return Recipe.model_validate(RECIPES.read(text))
    except ValidationError as error:
        raise BadPlan(tr("This recipe cannot be read: {problem}", problem=first_problem(error))) from error
    except ValueError as error:
        raise BadPlan(tr("This recipe cannot be read: {error}.", error=error).replace("..", ".")) from error
