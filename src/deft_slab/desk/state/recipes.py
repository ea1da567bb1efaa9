"""Own recipes: what stands on a model kept under a name, and used on another one."""

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
    """A part of the desk state.

    Attributes
    ----------
    shelf
        The kept ones.
    changed
        What is kept is another.
    used
        One was used, with what of it does not fit.
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
        """Whether anything stands on the model."""
        return self._desk.is_open and bool(self._desk.plan.recipe or self._desk.plan.hollows or self._desk.plan.posts)

    def keep(self, name: str) -> None:
        """Keeps what stands on the model under a name; with a number behind it where there is one already."""
        desk = self._desk
        name = name.strip()[:MOST_LETTERS] or desk.project.title[:MOST_LETTERS]

        def keep_recipe(recipe: Recipe) -> None:
            desk.attempt(lambda: self.changed.emit(self.shelf.add(recipe).key))

        desk.ask(
            "ask:recipe", TakeRecipe(desk.plan, desk.printer, name), done=keep_recipe,
            label=tr("Keeping “{name}”", name=name),
        )

    def use(self, recipe: Recipe, scaling: Scaling) -> None:
        """Puts a recipe in place of all that stands on the model."""
        desk = self._desk

        def apply_recipe(found: Used) -> None:
            desk.do_plan(tr("use the recipe “{name}”", name=recipe.name), found.plan)
            self.used.emit(found.said)

        desk.ask("ask:recipe", UseRecipe(desk.plan, desk.printer, recipe, scaling), done=apply_recipe,
                 label=tr("Using “{name}”", name=recipe.name))

    def factors(self, recipe: Recipe, scaling: Scaling) -> Floats | None:
        """(3,) by what it would be scaled along each axis of the file; None where it does not say what it was made
        for.
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
        """Keeps a recipe from a file."""
        self._desk.attempt(lambda: self.changed.emit(self.shelf.take_in(path).key))

    def give(self, kept: ShelfItem[Recipe], path: Path) -> None:
        """Writes one to any place."""
        self._desk.attempt(lambda: self.shelf.give(kept.item, path))
