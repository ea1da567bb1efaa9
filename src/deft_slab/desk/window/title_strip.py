"""The title strip: the menus, what is open, the steps, the printer, undo and redo."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PySide6.QtGui import QAction, QIcon, QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QMenu, QSizePolicy, QToolButton, QWidget

from ...core.document.base import triple
from ...core.locale import text
from ...core.locale.translate import tr, tr_in
from ..actions import table
from ..desk_state import DeskState
from ..look.logo import Logo
from ..refresh.binding import follow
from ..state.desk import STEPS
from ..state.recents import picture_of
from ..storage.printers import profiles
from ..widgets.basics import Elided, button, label, plain, row

_BETWEEN = 8
"""Pixels between the parts of the strip."""


class TitleStrip(QWidget):
    def __init__(self, state: DeskState, made: Mapping[str, QAction]) -> None:
        """Parameters
        ----------
        made : Mapping[str, QAction]
            The actions of the window, by their ids.
        """
        super().__init__()
        self._state, self._actions = state, made
        self.setObjectName("strip")
        self.setFixedHeight(44)
        self.file = self._menu_button(tr_in("a menu", "File"), tr("Open, save, recent files."))
        self.file_menu = QMenu(self)
        self.file_menu.aboutToShow.connect(self.fill_file_menu)
        self.file.setMenu(self.file_menu)
        self.help = self._menu_button(
            tr_in("a menu", "Help"), tr("Explanations of the steps and words, the keys, and a first job.")
        )
        self.help_menu = QMenu(self)
        for action in table.HELP:
            self.help_menu.addAction(made[action.id])
        self.help.setMenu(self.help_menu)
        self.title = Elided("title")
        self.size_label = label("", "faint")
        self._steps = QButtonGroup(self)
        tabs = []
        self.tabs: dict[str, QToolButton] = {}
        for number, step in enumerate(STEPS, 1):
            tab = QToolButton()
            tab.setText(tr(step))
            tab.setCheckable(True)
            tab.setProperty("role", "step")
            tab.setToolTip(tr("Opens the step “{step}” (Ctrl+{number}).", step=tr(step), number=number))
            tab.clicked.connect(partial(state.go_to, step))
            self._steps.addButton(tab)
            tabs.append(tab)
            self.tabs[step] = tab
        self.undo = button(tr("Undo"), "", state.undo)
        self.redo = button(tr("Redo"), "", state.redo)
        self.chip = self._menu_button(
            "", tr("The printer of this project. Click to choose another one, or to edit profiles.")
        )
        self.chip.setProperty("role", "chip")
        self.chip_menu = QMenu(self)
        self.chip_menu.aboutToShow.connect(self.fill_chip_menu)
        self.chip.setMenu(self.chip_menu)
        layout = row(*tabs, spacing=8)
        layout.setContentsMargins(12, 0, 12, 0)
        # what lies on both sides takes equal shares, so that the steps keep their places whatever the name
        self._left, self._right = QWidget(), QWidget()
        self._left.setLayout(row(Logo(), self.file, self.help, self.title, self.size_label, 1, spacing=_BETWEEN))
        self._right.setLayout(row(1, self.chip, self.undo, self.redo, spacing=_BETWEEN))
        for place, holder in ((0, self._left), (-1, self._right)):
            holder.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            layout.insertWidget(place, holder, 1)
        self.setLayout(layout)
        follow(
            self, self.refresh, state.project_changed, state.opened, state.view_changed, state.step_changed,
            state.outcome_changed,
        )

    def _name_printer(self) -> None:
        """Show the printer with its size, or only its name if there is no room."""
        printer = self._state.printer
        room = self._right.width() - self.undo.sizeHint().width() - self.redo.sizeHint().width() - 2 * _BETWEEN
        self.chip.setText(printer.label.replace("&", "&&"))
        if self.chip.sizeHint().width() > room:
            self.chip.setText(printer.name.replace("&", "&&"))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._name_printer()

    def _menu_button(self, words: str, tip: str) -> QToolButton:
        found = QToolButton()
        found.setText(words)
        found.setToolTip(tip)
        found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        found.setFixedHeight(28)
        return found

    def fill_file_menu(self) -> None:
        """Puts the recent files into the menu."""
        menu = self.file_menu
        menu.clear()
        for action in table.FILE[:2]:
            menu.addAction(self._actions[action.id])
        recent = self._state.recents.files
        self._state.recents.look()
        if recent:
            menu.addSection(tr("Recent"))
            for path in recent:
                opens = menu.addAction(path.name.replace("&", "&&"), partial(self._state.opening.open, path))
                opens.setIcon(QIcon(picture_of(str(path))))
        menu.addSeparator()
        for name in ("save", "save_as"):
            menu.addAction(self._actions[name])
        menu.addSeparator()
        for name in ("copy_picture", "save_picture", "recipes"):
            menu.addAction(self._actions[name])
        menu.addSeparator()
        for name in ("comfort", "quit"):
            menu.addAction(self._actions[name])

    def fill_chip_menu(self) -> None:
        """Puts the printer profiles into the menu."""
        menu = self.chip_menu
        menu.clear()
        for profile in profiles():
            named = profile.printer.label.replace("&", "&&")
            choice = menu.addAction(named, partial(self._state.choose_printer, profile.printer))
            choice.setCheckable(True)
            choice.setChecked(profile.printer == self._state.printer)
        menu.addSeparator()
        menu.addAction(self._actions["printers"])

    def refresh(self) -> None:
        state = self._state
        self.title.setText(state.project.title if state.is_open else tr("No model open"))
        self.size_label.setText(text.box(triple(state.sizing.size)) if state.is_open else "")
        self._name_printer()
        for step, tab in self.tabs.items():
            tab.setChecked(step == state.step)
        for made, words, what, nothing in (
            (self.undo, state.history.undo_text, tr("Undoes"), tr("There is nothing to undo.")),
            (self.redo, state.history.redo_text, tr("Redoes"), tr("There is nothing to redo.")),
        ):
            made.setEnabled(bool(words))
            made.setToolTip(plain(f"{what}: {words}") if words else nothing)
