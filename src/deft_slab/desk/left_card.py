"""Offers the work that a window lost when it did not end in order."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtWidgets import QFrame

from .recovery import LeftWork, left_work, let_go
from .state import DeskState
from .widgets.parts import button, label, row


class LeftWorkCard(QFrame):
    """A line over the bed, one piece of work after the other."""

    def __init__(self, state: DeskState, may_leave: Callable[[], bool]) -> None:
        super().__init__()
        self._state, self._may_leave = state, may_leave
        self.work: LeftWork | None = None
        self.setProperty("role", "ask")
        self._words = label("", "", wrap=True)
        self.bring = button("Bring it back", "Opens the work as it was last kept.", self._bring, role="main")
        self.drop = button("Let it go", "Removes the kept work for good.", self._drop)
        line = row(self._words, self.bring, self.drop, spacing=8)
        line.setStretch(0, 1)
        line.setContentsMargins(12, 8, 8, 8)
        self.setLayout(line)
        self.hide()

    def look(self) -> None:
        """Looks for left work and shows the newest, if there is any."""
        found = left_work()
        self.work = found[0] if found else None
        if self.work is not None:
            when = time.strftime("%d %B, %H:%M", time.localtime(self.work.when))
            self._words.setText(
                f"<b>“{self.work.title}” was not saved</b> when the program ended. It was kept up to {when}."
            )
        self.setVisible(self.work is not None)

    def _bring(self) -> None:
        if self.work is not None and self._may_leave():
            self._state.recover(self.work)
            self.hide()

    def _drop(self) -> None:
        if self.work is not None:
            let_go(self.work)
            self.look()
