"""Join: the contacts of the pieces, the joins on them, and how the pieces go together."""

from __future__ import annotations

from ...whole import DeskState
from ...widgets.pages import Pages
from .contacts import ContactsPanel
from .fit import DryFitPanel

_TIPS = {
    "Contacts": "Where pieces meet, the joins there, and the room that they have.",
    "Dry fit": "In which order the pieces go together, and what is in the way.",
}


class JoinPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.contacts, self.fit = ContactsPanel(state), DryFitPanel(state)
        super().__init__({"Contacts": self.contacts, "Dry fit": self.fit}, _TIPS)
        self._state = state
        self.turned.connect(self._on_turned)
        state.step_changed.connect(lambda: self._on_turned("Contacts" if self.contacts.isVisible() else ""))

    def _on_turned(self, page: str) -> None:
        """The pieces lie as the move has them only while it is looked at."""
        if page == "Dry fit":
            self.fit.begin()
        else:
            self._state.show(fitted=None)
