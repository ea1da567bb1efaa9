"""Look and behaviour: light or dark, size, language, units, motion."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QDialog, QGridLayout, QHBoxLayout, QPushButton, QWidget

from ...core.locale.preferences import WRITTEN, languages
from ...core.locale.translate import sentence, tr
from ..desk_state import DeskState
from ..storage.language import AS_THE_DESKTOP
from ..widgets.basics import button, label, row

_LOOKS = (
    (tr("Same as the desktop"), AS_THE_DESKTOP, tr("Uses light or dark colours like the desktop.")),
    (tr("Light"), "light", tr("Dark text on a light ground.")),
    (tr("Dark"), "dark", tr("Light text on a dark ground. Every colour keeps its meaning.")),
)
_SIZES = (100, 125, 150, 175, 200)
_ANGLES = (
    (tr("From the wall"), "wall", tr("Counts from an upright wall (0°) to a ceiling (90°).")),
    (tr("From the bed"), "bed", tr("Counts from a ceiling (0°) to an upright wall (90°).")),
)
_UNITS = (
    (tr("mm"), "mm", tr("Shows lengths in mm, areas in mm² or cm², and volumes in cm³.")),
    (tr("inches"), "in", tr("Shows lengths in inches, areas in square inches and volumes in cubic inches. Files "
                            "are still written in mm.")),
)


def _own_name(code: str) -> str:
    """The name of a language in that language, so that its speakers find it. Qt names English after a country."""
    return "English" if code == "en" else sentence(QLocale(code).nativeLanguageName())


def _languages() -> tuple[tuple[str, str, str], ...]:
    desktop = (tr("Same as the desktop"), AS_THE_DESKTOP, tr("Uses the language of the system, if the program has been "
                                                        "translated into it."))
    return desktop, *((_own_name(code), code, _own_name(code)) for code in languages())


class ComfortDialog(QDialog):
    """Settings of look and behaviour. ``redress`` applies the chosen look."""

    def __init__(self, state: DeskState, redress: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state, self._redress = state, redress
        self.setWindowTitle(tr("Preferences"))
        self.looks, looks = self._choices("look", _LOOKS)
        of_size = (
            (f"{size} %", size, tr("Shows the whole window at {size} % of its usual "
                                   "size.", size=size)) for size in _SIZES
        )
        self.sizes, sizes = self._choices("type_size", tuple(of_size))
        self.angles, angles = self._choices("angle_from", _ANGLES)
        self.motion = self._switch(
            tr("Fly to places"), "motion",
            tr("Lets the view move to a place step by step. If this is off, or if drawing is slow, the view jumps "
               "there."),
        )
        self.swap = self._switch(
            tr("Left drag moves, middle drag turns"), "swap_drag",
            tr("If this is off, a left drag turns the view and a middle drag moves it."),
        )
        self.languages, of_language = self._choices("language", _languages())
        self.units, units = self._choices("units", _UNITS)
        as_now = (tr("Same as the desktop"), AS_THE_DESKTOP, tr("Writes numbers as the settings of the system say."))
        of_numbers = ((one, one, tr("Writes numbers like this one.")) for one in WRITTEN)
        self.numbers, numbers = self._choices("numbers", (as_now, *of_numbers))
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 14, 16, 12)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        lines: tuple[tuple[str, QHBoxLayout | QWidget], ...] = (
            (tr("Colours"), looks), (tr("Text size"), sizes), (tr("Language"), of_language), (tr("Lengths"), units),
            (tr("Numbers"), numbers), (tr("Count overhang angles"), angles), (tr("Motion"), self.motion),
            (tr("Mouse"), self.swap),
        )
        for number, (words, part) in enumerate(lines):
            grid.addWidget(label(words, "faint"), number, 0)
            if isinstance(part, QWidget):
                grid.addWidget(part, number, 1)
            else:
                grid.addLayout(part, number, 1)
        said = tr(
            "Changes of text size, language, units and numbers take effect when the program is started again. Keys "
            "have their own list (Ctrl+F1)."
        )
        self.said = label(said, "faint", wrap=True)
        grid.addWidget(self.said, len(lines), 0, 1, 2)
        close = button(tr("Close"), tr("Closes the preferences. Your choices are kept."), self.accept, role="main")
        grid.addLayout(row(1, close), len(lines) + 1, 0, 1, 2)

    def _choices(
        self, field: str, choices: tuple[tuple[str, Any, str], ...]
    ) -> tuple[dict[Any, QPushButton], QHBoxLayout]:
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
        self._state.change_settings(**{field: value})
        if field == "look":
            self._redress()
