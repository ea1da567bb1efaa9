"""The user's recipes: kept under a name, and used on the open model."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QDialog, QFileDialog, QLineEdit, QListWidget, QScrollArea, QVBoxLayout, QWidget

from ...core.errors import DeftError
from ...core.locale import text
from ...core.locale.translate import sentence, tr, tr_many
from ...core.plan.recipe import SCALINGS, Recipe
from ..desk_state import DeskState
from ..storage.shelf import ShelfItem
from ..widgets.basics import button, label, row, say

_SCALINGS = {
    "evenly": tr("scaled evenly"),
    "each axis": tr("scaled along each axis"),
    "same size": tr("at its own size, moved onto the model"),
    "as it is": tr("at its own size, in its own place"),
}


def contents(recipe: Recipe) -> str:
    """What a recipe contains: "3 cuts, 5 joins"."""
    vents = sum(len(hollow.vents) for hollow in recipe.hollows)
    posts = sum(len(group.posts) for group in recipe.posts)
    seats = sum(wish.seat is not None for wish in recipe.pieces)
    counts = (
        (len(recipe.cuts), tr_many("{n} cut", "{n} cuts", len(recipe.cuts))),
        (len(recipe.joins), tr_many("{n} join", "{n} joins", len(recipe.joins))),
        (seats, tr_many("{n} seat", "{n} seats", seats)),
        (len(recipe.hollows), tr_many("{n} hollow", "{n} hollows", len(recipe.hollows))),
        (vents, tr_many("{n} vent", "{n} vents", vents)),
        (posts, tr_many("{n} post", "{n} posts", posts)),
    )
    return ", ".join(words for count, words in counts if count) or tr(tr("nothing"))


class RecipesDialog(QDialog):
    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state, self._reusing = state, state.reusing
        self._kept: list[ShelfItem[Recipe]] = []
        self.setWindowTitle(tr("Recipes"))
        self.resize(760, 480)
        self.fresh = QLineEdit()
        self.fresh.setAccessibleName(tr("Name of the new recipe"))
        self.fresh.setPlaceholderText(tr("A name for the recipe of this model"))
        self.fresh.setMaxLength(60)
        self.keep = button(
            tr("Store the recipe"),
            tr(
                "Stores the cuts, joins, seats, hollows, vents and posts of this model under the name, to be used "
                "on another model."
            ),
            self._keep,
        )
        self.list = QListWidget()
        self.list.setFixedWidth(240)
        self.list.setAccessibleName(tr("Stored recipes"))
        self.list.currentRowChanged.connect(lambda _: self._show())
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the recipe"))
        self.name.setToolTip(tr("The name of the selected recipe."))
        self.name.setMaxLength(60)
        self.name.editingFinished.connect(self._rename)
        self._about = label("", "faint", wrap=True)
        self.scaling = QComboBox()
        self.scaling.setAccessibleName(tr("How the recipe follows the size of the model"))
        self.scaling.setToolTip(tr("Places, keys and bands scale with the model. Walls, rods and clearances stay "
                                   "the same."))
        for one in SCALINGS:
            self.scaling.addItem(_SCALINGS[one], one)
        self.scaling.activated.connect(lambda _: self._show())
        self._factor = label("", "faint", wrap=True)
        self._said = label("", "faint", wrap=True)
        self._said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.misfits = label("", "look", wrap=True)
        self.misfits.setAlignment(Qt.AlignmentFlag.AlignTop)
        scrolled = QScrollArea()
        scrolled.setWidgetResizable(True)
        scrolled.setWidget(self.misfits)
        right = QVBoxLayout()
        for part in (self.name, self._about):
            right.addWidget(part)
        right.addLayout(row(label(tr("Use on this model"), "faint"), self.scaling, 1))
        for part in (self._factor, self._said):
            right.addWidget(part)
        right.addWidget(scrolled, 1)
        across = row(self.list, spacing=12)
        across.addLayout(right, 1)
        take = button(tr("Import …"), tr("Reads a recipe from a JSON file."), self._import)
        self.give = button(
            tr("Export …"), tr("Writes the selected recipe to a JSON file, which commands can use as "
                               "well."), self._export
        )
        self.delete = button(tr("Remove"), tr("Removes the selected recipe."), self._remove)
        self.use = button(
            tr("Use it"),
            tr("Replaces everything on this model by the selected recipe. You can undo it."),
            self._use,
            role="main",
        )
        close = button(tr("Close"), tr("Closes the list."), self.accept)
        down = QVBoxLayout(self)
        down.addLayout(row(self.fresh, self.keep))
        down.addLayout(across, 1)
        down.addLayout(row(take, self.give, self.delete, 1, self.use, close))
        self._reusing.changed.connect(self._fill)
        self._reusing.used.connect(self._on_used)
        state.project_changed.connect(self._show)
        state.failed.connect(self._on_failed)
        state.jobs.progressed.connect(self._show_use)
        self._fill("")
        lost = ", ".join(str(path) for path in self._reusing.shelf.unreadable)
        if lost:
            say(self._said, tr("Could not be read and was left unchanged: {lost}.", lost=lost), "look")

    @property
    def chosen(self) -> ShelfItem[Recipe] | None:
        number = self.list.currentRow()
        return self._kept[number] if 0 <= number < len(self._kept) else None

    def _fill(self, key: str) -> None:
        """Read the recipes again and select one by its key."""
        before = self.chosen
        key = key or (before.key if before is not None else "")
        self._kept = self._reusing.shelf.all
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([kept.item.name or kept.key for kept in self._kept])
        self.list.setCurrentRow(next((n for n, kept in enumerate(self._kept) if kept.key == key), 0))
        self.list.blockSignals(False)
        self._show()

    def _show(self) -> None:
        chosen, state = self.chosen, self._state
        self.keep.setEnabled(self._reusing.may_keep)
        if state.is_open and not self.fresh.text():
            self.fresh.setPlaceholderText(tr("A name for the recipe of “{title}”", title=state.project.title))
        for part in (self.name, self.scaling, self.give, self.delete):
            part.setEnabled(chosen is not None)
        self._show_use()
        if chosen is None:
            self.name.clear()
            say(self._about, tr("There is no recipe yet. Store the one of this model, or import one."), "faint")
            self._factor.clear()
            return
        recipe = chosen.item
        self.name.setText(recipe.name)
        made = recipe.made_for
        of = ""
        if made is not None:
            x, y, z = (high - low for low, high in zip(made.low, made.high, strict=True))
            of = tr(" It was made for a model of {size}.", size=text.box((x, y, z)))
        say(self._about, f"{sentence(contents(recipe))}.{of}", "faint")
        if made is None:
            self.scaling.setCurrentIndex(SCALINGS.index("as it is"))
        self.scaling.setEnabled(made is not None)
        scaling = SCALINGS[self.scaling.currentIndex()]
        factors = self._reusing.factors(recipe, scaling) if state.is_open else None
        if factors is None or scaling in ("as it is", "same size"):
            self._factor.clear()
        elif scaling == "evenly":
            self._factor.setText(tr("It is scaled to {factors:.1f} %.", factors=100 * factors[0]))
        else:
            along = (
                tr("{factor:.1f} % along {axis}", factor=100 * factor, axis=axis)
                for factor, axis in zip(factors, "XYZ", strict=True)
            )
            self._factor.setText(tr("It is scaled to {list}.", list=", ".join(along)))

    # what the user does

    def _keep(self) -> None:
        self._clear()
        self._reusing.keep(self.fresh.text())
        self.fresh.clear()

    def _rename(self) -> None:
        if self.chosen is not None:
            self._reusing.rename(self.chosen, self.name.text())

    def _show_use(self) -> None:
        """Show that a recipe is being applied, and let it be stopped."""
        self.use.setText(tr("Stop") if self._state.jobs.busy_with("ask") else tr("Use it"))
        self.use.setEnabled(self.chosen is not None and self._state.is_open)

    def _on_failed(self, error: DeftError) -> None:
        say(self._said, str(error), "bad")

    def _use(self) -> None:
        if self._state.jobs.busy_with("ask"):
            self._state.jobs.cancel("ask")
            say(self._said, tr("It was stopped. Nothing was changed."), "faint")
        elif self.chosen is not None:
            self._clear()
            say(self._said, tr("Applying the recipe …"), "faint")
            self._reusing.use(self.chosen.item, SCALINGS[self.scaling.currentIndex()])

    def _clear(self) -> None:
        say(self._said, "", "faint")
        self.misfits.clear()

    def _on_used(self, said: Sequence[str]) -> None:
        if not said:
            say(self._said, tr("The whole recipe fits."), "good")
            return
        say(self._said, tr_many("The recipe was applied. {n} item does not "
                                "fit:", "The recipe was applied. {n} items do "
                                                                             "not fit:",
                                len(said)),
            "look")
        self.misfits.setText("\n".join(said))

    def _remove(self) -> None:
        if self.chosen is not None:
            self._reusing.remove(self.chosen)

    def _import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a recipe"), "", tr("JSON (*.json)"))
        if name:
            self._clear()
            self._reusing.take_in(Path(name))

    def _export(self) -> None:
        if self.chosen is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Export the recipe"), f"{self.chosen.key}.json", tr("JSON (*.json)")
        )
        if name:
            self._clear()
            self._reusing.give(self.chosen, Path(name))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return  # a typed name is taken by its field; the dialog stays
        super().keyPressEvent(event)
