"""A panel that is one list, filled anew with each outcome."""

from __future__ import annotations

from ..state import DeskState
from ..widgets.parts import Panel


class ListPanel(Panel):
    """Subclasses fill ``entries`` in ``refresh``."""

    def __init__(self, state: DeskState, title: str) -> None:
        super().__init__()
        self.state = state
        self.head(title)
        self.entries = self.add_list()
        self.column.addStretch(1)
        state.outcome_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        raise NotImplementedError
