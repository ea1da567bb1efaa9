"""Cut: where to part the model, this cut, and what the pieces come to."""

from __future__ import annotations

from ...whole import DeskState
from ...widgets.pages import Pages
from .pieces import PiecesPanel
from .this import ThisCutPanel
from .where import WherePanel

_TIPS = {
    "Where": "The cut map, and the cuts that leave least support for the seam that is seen of them.",
    "This cut": "The place, reach and kerf of the selected cut; its sweep; settling its seam.",
    "Pieces": "What the plan costs, the proof that nothing is lost, and where the seams run.",
}


class CutPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.where, self.this, self.costs = WherePanel(state), ThisCutPanel(state), PiecesPanel(state)
        super().__init__({"Where": self.where, "This cut": self.this, "Pieces": self.costs}, _TIPS)
        self._state, self._known = state, state.selected_cut
        state.project_changed.connect(self._on_changed)

    def _on_changed(self) -> None:
        """A cut that was added by hand is shown; one that was taken from the map leaves the map in view."""
        added = self._state.selected_cut != self._known and self._state.selected_cut is not None
        self._known = self._state.selected_cut
        if added and "from the" not in self._state.history.undo_text:
            self.turn_to("This cut")
