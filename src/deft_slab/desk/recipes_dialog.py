"""Own recipes: kept under a name, and used on the model that is open."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QDialog, QFileDialog, QLineEdit, QListWidget, QScrollArea, QVBoxLayout, QWidget

from ..core import text
from ..core.errors import DeftError
from ..core.script import SCALINGS, Recipe
from .shelf import Kept
from .whole import DeskState
from .widgets.parts import button, label, row, say

_SCALINGS = {
    "evenly": "scaled evenly", "each axis": "scaled along each axis", "same size": "at its own size, moved over",
    "as it is": "as it stands, in its own place",
}  # fmt: skip


def _many(count: int, word: str) -> str:
    return f"{count} {word}{'' if count == 1 else 's'}"


def contents(recipe: Recipe) -> str:
    """What is in one: "3 cuts, 5 joins"."""
    vents = sum(len(hollow.vents) for hollow in recipe.hollows)
    posts = sum(len(group.posts) for group in recipe.posts)
    seats = sum(wish.seat is not None for wish in recipe.pieces)
    counts = (
        (len(recipe.cuts), "cut"), (len(recipe.joins), "join"), (seats, "seat"), (len(recipe.hollows), "hollow"),
        (vents, "vent"), (posts, "post"),
    )  # fmt: skip
    return ", ".join(_many(count, word) for count, word in counts if count) or "nothing"


class RecipesDialog(QDialog):
    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state, self._reusing = state, state.reusing
        self._kept: list[Kept[Recipe]] = []
        self.setWindowTitle("Recipes")
        self.resize(760, 480)
        self.fresh = QLineEdit()
        self.fresh.setAccessibleName("Name for what stands on the model")
        self.fresh.setPlaceholderText("A name for what stands on this model")
        self.fresh.setMaxLength(60)
        self.keep = button("Keep it", "Keeps the cuts, joins, seats, hollows, vents and posts of this model under the "
                           "name, to be used on another one.", self._keep)  # fmt: skip
        self.list = QListWidget()
        self.list.setFixedWidth(240)
        self.list.setAccessibleName("Kept recipes")
        self.list.currentRowChanged.connect(lambda _: self._show())
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the recipe")
        self.name.setToolTip("What the chosen recipe is called.")
        self.name.setMaxLength(60)
        self.name.editingFinished.connect(self._rename)
        self._about = label("", "faint", wrap=True)
        self.scaling = QComboBox()
        self.scaling.setAccessibleName("How it follows the size of the model")
        self.scaling.setToolTip("Places, keys and bands scale with the model; walls, rods and clearances stay.")
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
        right.addLayout(row(label("On this model", "faint"), self.scaling, 1))
        for part in (self._factor, self._said):
            right.addWidget(part)
        right.addWidget(scrolled, 1)
        across = row(self.list, spacing=12)
        across.addLayout(right, 1)
        take = button("Import …", "Reads a recipe from a JSON file.", self._import)
        self.give = button("Export …", "Writes the chosen recipe to a JSON file; commands take it too.", self._export)
        self.delete = button("Remove", "Removes the chosen recipe.", self._remove)
        self.use = button("Use it", "Puts the chosen recipe in place of all that stands on this model; undo takes "
                          "it back.", self._use, role="main")  # fmt: skip
        close = button("Close", "Closes the list.", self.accept)
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
            say(self._said, f"Could not be read, and left as it is: {lost}.", "look")

    @property
    def chosen(self) -> Kept[Recipe] | None:
        number = self.list.currentRow()
        return self._kept[number] if 0 <= number < len(self._kept) else None

    def _fill(self, key: str) -> None:
        """Reads the recipes anew and chooses one by its key."""
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
            self.fresh.setPlaceholderText(f"A name for what stands on “{state.project.title}”")
        for part in (self.name, self.scaling, self.give, self.delete):
            part.setEnabled(chosen is not None)
        self._show_use()
        if chosen is None:
            self.name.clear()
            say(self._about, "No recipe is kept yet. Keep what stands on this model, or import one.", "faint")
            self._factor.clear()
            return
        recipe = chosen.item
        self.name.setText(recipe.name)
        made = recipe.made_for
        of = ""
        if made is not None:
            x, y, z = (high - low for low, high in zip(made.low, made.high, strict=True))
            of = f" Made for a model of {text.box((x, y, z))}."
        say(self._about, f"{contents(recipe).capitalize()}.{of}", "faint")
        if made is None:
            self.scaling.setCurrentIndex(SCALINGS.index("as it is"))
        self.scaling.setEnabled(made is not None)
        scaling = SCALINGS[self.scaling.currentIndex()]
        factors = self._reusing.factors(recipe, scaling) if state.is_open else None
        if factors is None or scaling in ("as it is", "same size"):
            self._factor.clear()
        elif scaling == "evenly":
            self._factor.setText(f"It becomes {100 * factors[0]:.1f} % as large.")
        else:
            along = (f"{100 * factor:.1f} % along {axis}" for factor, axis in zip(factors, "XYZ", strict=True))
            self._factor.setText(f"It becomes {', '.join(along)}.")

    # what the user does

    def _keep(self) -> None:
        self._clear()
        self._reusing.keep(self.fresh.text())
        self.fresh.clear()

    def _rename(self) -> None:
        if self.chosen is not None:
            self._reusing.rename(self.chosen, self.name.text())

    def _show_use(self) -> None:
        """It can be stopped while it is worked on."""
        self.use.setText("Stop" if self._state.jobs.busy_with("ask") else "Use it")
        self.use.setEnabled(self.chosen is not None and self._state.is_open)

    def _on_failed(self, error: DeftError) -> None:
        say(self._said, str(error), "bad")

    def _use(self) -> None:
        if self._state.jobs.busy_with("ask"):
            self._state.jobs.cancel("ask")
            say(self._said, "It was stopped; nothing was changed.", "faint")
        elif self.chosen is not None:
            self._clear()
            say(self._said, "Using it …", "faint")
            self._reusing.use(self.chosen.item, SCALINGS[self.scaling.currentIndex()])

    def _clear(self) -> None:
        say(self._said, "", "faint")
        self.misfits.clear()

    def _on_used(self, said: Sequence[str]) -> None:
        if not said:
            say(self._said, "All of it fits.", "good")
            return
        say(self._said, f"It is used; {_many(len(said), 'thing')} of it do{'es' if len(said) == 1 else ''} not fit:",
            "look")  # fmt: skip
        self.misfits.setText("\n".join(said))

    def _remove(self) -> None:
        if self.chosen is not None:
            self._reusing.remove(self.chosen)

    def _import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import a recipe", "", "JSON (*.json)")
        if name:
            self._clear()
            self._reusing.take_in(Path(name))

    def _export(self) -> None:
        if self.chosen is None:
            return
        name, _ = QFileDialog.getSaveFileName(self, "Export the recipe", f"{self.chosen.key}.json", "JSON (*.json)")
        if name:
            self._clear()
            self._reusing.give(self.chosen, Path(name))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return  # a typed name is taken by its field; the dialog stays
        super().keyPressEvent(event)
