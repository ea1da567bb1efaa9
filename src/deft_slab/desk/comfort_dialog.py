"""How the program looks and behaves: light or dark, how large, with motion or without."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QButtonGroup, QCheckBox, QDialog, QGridLayout, QHBoxLayout, QPushButton, QWidget

from .whole import DeskState
from .widgets.parts import button, label, row

_LOOKS = (("As the desktop", "as the desktop", "Light or dark, as the desktop."), ("Light", "light", "Ink on paper."),
          ("Dark", "dark", "Pale on dark; every colour means the same."))  # fmt: skip
_SIZES = (100, 125, 150, 175, 200)
_ANGLES = (("From the wall", "wall", "0° is an upright wall, 90° a ceiling."),
           ("From the bed", "bed", "0° is a ceiling, 90° an upright wall."))  # fmt: skip


class ComfortDialog(QDialog):
    """redress : puts the chosen look on"""

    def __init__(self, state: DeskState, redress: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state, self._redress = state, redress
        self.setWindowTitle("Look and comfort")
        self.looks, looks = self._choices("look", _LOOKS)
        of_size = ((f"{size} %", size, f"All of the window at {size} % of its usual size.") for size in _SIZES)
        self.sizes, sizes = self._choices("type_size", tuple(of_size))
        self.angles, angles = self._choices("angle_from", _ANGLES)
        self.motion = self._switch("The view flies to a place", "motion", "Off: it is there at once. Where drawing is "
                                   "slow, it always is.")  # fmt: skip
        self.swap = self._switch("Left drag moves, middle drag turns", "swap_drag", "Off: left drag turns the view, "
                                 "middle drag moves it.")  # fmt: skip
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 14, 16, 12)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        lines: tuple[tuple[str, QHBoxLayout | QWidget], ...] = (
            ("Look", looks), ("Size of type", sizes), ("Overhang angles count", angles), ("Motion", self.motion),
            ("Mouse", self.swap),
        )  # fmt: skip
        for number, (words, part) in enumerate(lines):
            grid.addWidget(label(words, "faint"), number, 0)
            if isinstance(part, QWidget):
                grid.addWidget(part, number, 1)
            else:
                grid.addLayout(part, number, 1)
        self.said = label("The size of type counts when the program is started next. Keys have a list of their "
                          "own (F1).", "faint", wrap=True)  # fmt: skip
        grid.addWidget(self.said, len(lines), 0, 1, 2)
        close = button("Close", "Closes this; what was chosen is kept.", self.accept, role="main")
        grid.addLayout(row(1, close), len(lines) + 1, 0, 1, 2)

    def _choices(
        self, field: str, choices: tuple[tuple[str, Any, str], ...]
    ) -> tuple[dict[Any, QPushButton], QHBoxLayout]:  # fmt: skip
        """Buttons of which one is pressed."""
        group, made = QButtonGroup(self), {}
        for words, value, does in choices:
            made[value] = button(words, does, partial(self._set, field, value), checkable=True)
            made[value].setChecked(getattr(self._state.settings, field) == value)
            group.addButton(made[value])
        return made, row(*made.values(), 1, spacing=4)

    def _switch(self, words: str, field: str, does: str) -> QCheckBox:
        made = QCheckBox(words)
        made.setToolTip(does)
        made.setChecked(bool(getattr(self._state.settings, field)))
        made.clicked.connect(lambda on: self._set(field, on))
        return made

    def _set(self, field: str, value: object) -> None:
        self._state.change_settings(self._state.settings.model_copy(update={field: value}))
        if field == "look":
            self._redress()
