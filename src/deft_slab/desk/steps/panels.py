"""The panels of the steps. Each is made when it is first needed, so that the window appears before them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import partial

from PySide6.QtWidgets import QStackedWidget, QWidget

from ..actions.verbs import Verbs
from ..desk_state import DeskState


def _size(state: DeskState, verbs: Verbs) -> QWidget:
    from .size import SizePanel

    return SizePanel(state)


def _tilt(state: DeskState, verbs: Verbs) -> QWidget:
    from .tilt import TiltPanel

    return TiltPanel(state)


def _cut(state: DeskState, verbs: Verbs) -> QWidget:
    from .cut import CutPanel

    return CutPanel(state)


def _join(state: DeskState, verbs: Verbs) -> QWidget:
    from .join import JoinPanel

    return JoinPanel(state, verbs)


def _check(state: DeskState, verbs: Verbs) -> QWidget:
    from .check import CheckPanel

    return CheckPanel(state)


def _hand_off(state: DeskState, verbs: Verbs) -> QWidget:
    from .hand_off.panel import HandOffPanel

    return HandOffPanel(state, verbs)


PANELS: dict[str, Callable[[DeskState, Verbs], QWidget]] = {
    "Size": _size, "Tilt": _tilt, "Cut": _cut, "Join": _join, "Check": _check, "Hand off": _hand_off,
}
"""What makes each, by the name of its step. The modules are loaded then too."""


class StepPanels(Mapping[str, QWidget]):
    """The panels by the name of their step, and the stack that shows them."""

    def __init__(self, state: DeskState, verbs: Verbs, stack: QStackedWidget) -> None:
        self._wanted = {step: partial(make, state, verbs) for step, make in PANELS.items()}
        self._stack = stack
        self._made: dict[str, QWidget] = {}

    def __getitem__(self, step: str) -> QWidget:
        if step not in self._made:
            self._made[step] = self._wanted[step]()
            self._stack.addWidget(self._made[step])
        return self._made[step]

    def __iter__(self) -> Iterator[str]:
        return iter(self._wanted)

    def __len__(self) -> int:
        return len(self._wanted)

    def make_next(self) -> bool:
        """Make one more panel while there is time. Returns whether any are left to make."""
        missing = [step for step in self if step not in self._made]
        if missing:
            self[missing[0]]
        return len(missing) > 1
