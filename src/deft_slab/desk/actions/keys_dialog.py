"""All actions in one list: they can be found by words, run, and given other keys."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.locale.translate import tr
from ..desk_state import DeskState
from ..widgets.basics import button, label, row, say
from .table import ALL, ELSEWHERE, Action

_COLUMNS = (tr("Action"), tr("What it does"), tr("Keys"))


def keys_of(action: Action, state: DeskState) -> tuple[str, ...]:
    """The keys of an action: those that the user gave it, or else the usual ones."""
    own = state.settings.keys.get(action.id)
    return action.keys if own is None else (own,) if own else ()


def found_by(words: str, *said: str) -> bool:
    """Whether all of some words occur in a description, in any order and case."""
    text = " ".join(said).casefold()
    return all(word in text for word in words.casefold().split())


class KeysDialog(QDialog):
    """The list of all actions. ``made`` are the actions of the window by their ids; ``changed`` is called when keys
    have changed.
    """

    def __init__(
        self, state: DeskState, made: dict[str, QAction], changed: Callable[[], None], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._state, self._made, self._changed = state, made, changed
        self.setWindowTitle(tr("Keys"))
        self.resize(720, 560)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find an action in plain words"))
        self.search.setAccessibleName(tr("Find an action"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._fill)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName(tr("Actions and their keys"))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.verticalHeader().setVisible(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setTabKeyNavigation(False)
        self.table.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        for column in (0, 2):
            self.table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        self.table.itemSelectionChanged.connect(self._chosen)
        self.table.itemDoubleClicked.connect(lambda _: self._do())
        self.edit = QKeySequenceEdit()
        self.edit.setMaximumSequenceLength(1)
        for part in (self.edit, *self.edit.findChildren(QLineEdit)):
            part.setAccessibleName(tr("New keys"))
        self.edit.setToolTip(tr("Click here and press the keys that you want for the selected action."))
        self.put = button(tr("Assign"), tr("Assigns these keys to the selected action."), self._put)
        self.none = button(tr("Remove keys"), tr("Removes all keys from the selected action."), lambda: self._keep(""))
        self.usual = button(
            tr("Restore usual keys"), tr("Restores the usual keys of the selected action."), lambda: self._keep(None)
        )
        self.do = button(tr("Run it"), tr("Closes this list and runs the selected action."), self._do, role="main")
        close = button(tr("Close"), tr("Closes the list. Changed keys are kept."), self.reject)
        self.said = label("", "faint", wrap=True)
        self._rows: list[Action | None] = []
        down = QVBoxLayout(self)
        down.addWidget(self.search)
        down.addWidget(self.table, 1)
        down.addWidget(self.said)
        down.addLayout(row(label(tr("Keys"), "faint"), self.edit, self.put, self.none, self.usual, 1, self.do, close))
        self._fill()

    @property
    def chosen(self) -> Action | None:
        """The action of the selected row; None if there is none, or it is only listed."""
        number = self.table.currentRow()
        return self._rows[number] if 0 <= number < len(self._rows) else None

    def _fill(self) -> None:
        words, before = self.search.text(), self.chosen
        lines: list[tuple[Action | None, Sequence[str]]] = [
            (one, (one.text.removesuffix(" …"), one.tip, ", ".join(keys_of(one, self._state)))) for one in ALL
        ]
        lines += [(None, (where, what, "")) for where, what in ELSEWHERE]
        lines = [(action, said) for action, said in lines if found_by(words, *said)]
        self._rows = [action for action, _ in lines]
        self.table.setRowCount(len(lines))
        for number, (_, said) in enumerate(lines):
            for column, word in enumerate(said):
                self.table.setItem(number, column, QTableWidgetItem(word))
        self.table.resizeRowsToContents()
        there = before is not None and before in self._rows
        self.table.setCurrentCell(self._rows.index(before) if there else 0, 0)
        self._chosen()

    def _chosen(self) -> None:
        action = self.chosen
        for part in (self.edit, self.put, self.none, self.usual):
            part.setEnabled(action is not None)
        self.do.setEnabled(action is not None and self._made[action.id].isEnabled())
        self.usual.setEnabled(action is not None and action.id in self._state.settings.keys)
        say(self.said, "" if self._rows else tr("No action matches these words."), "faint")

    def _put(self) -> None:
        keys = self.edit.keySequence().toString(QKeySequence.SequenceFormat.PortableText)
        action = self.chosen
        if action is None or not keys:
            say(self.said, tr("Press the keys in the field first."), "look")
            return
        taken = [one for one in ALL if one is not action and keys in keys_of(one, self._state)]
        if taken:
            say(
                self.said,
                tr("{keys} already runs “{text}”. Remove it there "
                   "first.", keys=keys, text=taken[0].text.removesuffix(" …")),
                "look",
            )
            return
        self._keep(keys)

    def _keep(self, keys: str | None) -> None:
        """Give the selected action keys; empty for none, None for the usual ones."""
        action = self.chosen
        if action is None:
            return
        own = {name: kept for name, kept in self._state.settings.keys.items() if name != action.id}
        if keys is not None:
            own[action.id] = keys
        self._state.change_settings(keys=own)
        self.edit.clear()
        self._changed()
        self._fill()

    def _do(self) -> None:
        action = self.chosen
        if action is not None and self._made[action.id].isEnabled():
            self.accept()
            self._made[action.id].trigger()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Down and self.search.hasFocus():
            self.table.setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._do()
        else:
            super().keyPressEvent(event)
