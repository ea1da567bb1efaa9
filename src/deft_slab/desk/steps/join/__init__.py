"""The Join step: the contacts of the pieces, the joins on them, and how the pieces go together."""

from __future__ import annotations

from ....core.locale.translate import term, tr
from ...actions.verbs import Verbs
from ...desk_state import DeskState
from ...widgets.pages import Pages
from .contacts import ContactsPanel
from .coupon import CouponPanel
from .fit import DryFitPanel

_TIPS = {
    term("Contacts"): tr("Where pieces meet, the joins there, and the room for them."),
    term("Coupon"): tr("A small test print that finds the clearance of your printer."),
    term("Dry fit"): tr("The order in which the pieces go together, and what is in the way."),
}


class JoinPanel(Pages):
    def __init__(self, state: DeskState, verbs: Verbs) -> None:
        self.contacts, self.fit, self.coupon = ContactsPanel(state), DryFitPanel(state), CouponPanel(state, verbs)
        super().__init__({"Contacts": self.contacts, "Dry fit": self.fit, "Coupon": self.coupon}, _TIPS)
        self._state = state
        self.turned.connect(self._on_turned)
        state.step_changed.connect(lambda: self._on_turned("Contacts" if self.contacts.isVisible() else ""))

    def _on_turned(self, page: str) -> None:
        """Put the pieces where the dry fit has them only while its page is open."""
        if page == "Dry fit":
            self.fit.begin()
        else:
            self._state.show(fitted=None, turned=None)
