"""The user's recipes: everything on a model stored under a name, and used on another model."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.locale.translate import tr
from ...core.plan.recipe import RECIPES, Recipe, Scaling, read_recipe
from ..messages.recipes import TakeRecipe, Used, UseRecipe
from ..storage.shelf import MOST_LETTERS, Shelf, ShelfItem
from .desk import Desk
from .size import Sizing


class Reusing(QObject):
    """The user's recipes.

    Attributes
    ----------
    changed : signal
        The stored recipes have changed.
    used : signal
        A recipe was used; with what of it does not fit.
    shelf : Shelf
        The stored recipes.
    """

    changed = Signal(str)
    """With the key of the one that was kept or taken in; empty when one was removed."""
    used = Signal(object)

    def __init__(self, desk: Desk, sizing: Sizing) -> None:
        super().__init__(desk)
        self._desk, self._sizing = desk, sizing
        self.shelf: Shelf[Recipe] = Shelf(
            "recipes", RECIPES, read_recipe, lambda recipe, name: recipe.model_copy(update={"name": name})
        )

    @property
    def may_keep(self) -> bool:
        """Whether there is anything on the model."""
        return self._desk.is_open and bool(self._desk.plan.recipe or self._desk.plan.hollows or self._desk.plan.posts)

    def keep(self, name: str) -> None:
        """Store everything on the model under a name, with a number if the name is taken."""
        desk = self._desk
        name = name.strip()[:MOST_LETTERS] or desk.project.title[:MOST_LETTERS]

        def keep_recipe(recipe: Recipe) -> None:
            desk.attempt(lambda: self.changed.emit(self.shelf.add(recipe).key))

        desk.ask(
            "ask:recipe", TakeRecipe(desk.plan, desk.printer, name), done=keep_recipe,
            label=tr("Storing “{name}”", name=name),
        )

    def use(self, recipe: Recipe, scaling: Scaling) -> None:
        """Replace everything on the model by a recipe."""
        desk = self._desk

        def apply_recipe(found: Used) -> None:
            desk.do_plan(tr("use the recipe “{name}”", name=recipe.name), found.plan)
            self.used.emit(found.said)

        desk.ask("ask:recipe", UseRecipe(desk.plan, desk.printer, recipe, scaling), done=apply_recipe,
                 label=tr("Applying “{name}”", name=recipe.name))

    def factors(self, recipe: Recipe, scaling: Scaling) -> Floats | None:
        """The factors by which a recipe would be scaled along each axis of the file; None if it does not say what it
        was made for.

        Returns
        -------
        (3,) float64 or None
        """
        if recipe.made_for is None:
            return None
        return recipe.made_for.ratio(self._sizing.spans[1], scaling)

    # what is kept

    def rename(self, kept: ShelfItem[Recipe], name: str) -> None:
        name = name.strip()[:MOST_LETTERS]
        if name and name != kept.item.name:
            renamed = ShelfItem(kept.key, kept.item.model_copy(update={"name": name}))
            self._desk.attempt(lambda: self.shelf.keep(renamed))
            self.changed.emit(kept.key)

    def remove(self, kept: ShelfItem[Recipe]) -> None:
        self.shelf.remove(kept.key)
        self.changed.emit("")

    def take_in(self, path: Path) -> None:
        """Store a recipe from a file."""
        self._desk.attempt(lambda: self.changed.emit(self.shelf.take_in(path).key))

    def give(self, kept: ShelfItem[Recipe], path: Path) -> None:
        """Write a recipe to a file."""
        self._desk.attempt(lambda: self.shelf.give(kept.item, path))
