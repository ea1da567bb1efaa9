"""A panel that is a single list, filled anew with each outcome."""

from __future__ import annotations

from ..desk_state import DeskState
from ..refresh.binding import follow
from ..widgets.basics import Panel


class ListPanel(Panel):
    """Subclasses fill ``entries`` in ``refresh``."""

    def __init__(self, state: DeskState, title: str) -> None:
        super().__init__()
        self.state = state
        self.head(title)
        self.entries = self.add_list()
        self.column.addStretch(1)
        follow(self, self.refresh, state.opened, state.outcome_changed)

    def refresh(self) -> None:
        raise NotImplementedError
