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
    (tr("As the desktop"), AS_THE_DESKTOP, tr("Light or dark, as the desktop.")),
    (tr("Light"), "light", tr("Ink on paper.")),
    (tr("Dark"), "dark", tr("Pale on dark; every colour means the same.")),
)
_SIZES = (100, 125, 150, 175, 200)
_ANGLES = (
    (tr("From the wall"), "wall", tr("0° is an upright wall, 90° a ceiling.")),
    (tr("From the bed"), "bed", tr("0° is a ceiling, 90° an upright wall.")),
)
_UNITS = (
    (tr("mm"), "mm", tr("Lengths in mm, areas in mm² or cm², volumes in cm³.")),
    (tr("inches"), "in", tr("Lengths in inches, areas and volumes in square and cubic ones. Files are written in mm.")),
)


def _own_name(code: str) -> str:
    """The name of a language in that language, so that its speakers find it. Qt names English after a country."""
    return "English" if code == "en" else sentence(QLocale(code).nativeLanguageName())


def _languages() -> tuple[tuple[str, str, str], ...]:
    desktop = (tr("As the desktop"), AS_THE_DESKTOP, tr("The language of the system, where there are texts in it."))
    return desktop, *((_own_name(code), code, _own_name(code)) for code in languages())


class ComfortDialog(QDialog):
    """Settings of look and behaviour. ``redress`` applies the chosen look."""

    def __init__(self, state: DeskState, redress: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state, self._redress = state, redress
        self.setWindowTitle(tr("Look and comfort"))
        self.looks, looks = self._choices("look", _LOOKS)
        of_size = (
            (f"{size} %", size, tr("All of the window at {size} % of its usual size.", size=size)) for size in _SIZES
        )
        self.sizes, sizes = self._choices("type_size", tuple(of_size))
        self.angles, angles = self._choices("angle_from", _ANGLES)
        self.motion = self._switch(
            tr("The view flies to a place"), "motion",
            tr("Off: it is there at once. Where drawing is slow, it always is."),
        )
        self.swap = self._switch(
            tr("Left drag moves, middle drag turns"), "swap_drag",
            tr("Off: left drag turns the view, middle drag moves it."),
        )
        self.languages, of_language = self._choices("language", _languages())
        self.units, units = self._choices("units", _UNITS)
        as_now = (tr("As the desktop"), AS_THE_DESKTOP, tr("As the settings of the system write numbers."))
        of_numbers = ((one, one, tr("Numbers are written like this one.")) for one in WRITTEN)
        self.numbers, numbers = self._choices("numbers", (as_now, *of_numbers))
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 14, 16, 12)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        lines: tuple[tuple[str, QHBoxLayout | QWidget], ...] = (
            (tr("Look"), looks), (tr("Size of type"), sizes), (tr("Language"), of_language), (tr("Lengths"), units),
            (tr("Numbers"), numbers), (tr("Overhang angles count"), angles), (tr("Motion"), self.motion),
            (tr("Mouse"), self.swap),
        )
        for number, (words, part) in enumerate(lines):
            grid.addWidget(label(words, "faint"), number, 0)
            if isinstance(part, QWidget):
                grid.addWidget(part, number, 1)
            else:
                grid.addLayout(part, number, 1)
        said = tr(
            "Size of type, language, units and numbers count when the program is started next. "
            "Keys have a list of their own (F1)."
        )
        self.said = label(said, "faint", wrap=True)
        grid.addWidget(self.said, len(lines), 0, 1, 2)
        close = button(tr("Close"), tr("Closes this; what was chosen is kept."), self.accept, role="main")
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
