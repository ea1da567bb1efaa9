"""Check: what was checked of this choice, worst first, and what helps; hollowing."""

from __future__ import annotations

from ...whole import DeskState
from ...widgets.pages import Pages
from .hollow import HollowPanel
from .panel import CheckedPanel

_TIPS = {
    "Checked": "What was found, worst first; each line flies there.",
    "Hollow": "Takes out the inside of a piece, with vents and plugs.",
}


class CheckPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.checked, self.hollow = CheckedPanel(state), HollowPanel(state)
        super().__init__({"Checked": self.checked, "Hollow": self.hollow}, _TIPS)
