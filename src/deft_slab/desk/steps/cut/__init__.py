"""The Cut step: ways to cut the model, where one cut could go, the selected cut, and the resulting pieces."""

from __future__ import annotations

from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...state.cut_search import FROM_MAP
from ...state.ways import FROM_FRONT
from ...widgets.pages import Pages
from .pieces import PiecesPanel
from .this_cut import ThisCutPanel
from .ways import WaysPanel
from .where import WherePanel

_TIPS = {
    term("Plans"): tr("Complete plans of one or more cuts that need the least support for the seam that they show."),
    term("Where"): tr("The cut map shows where a single straight cut could go."),
    term("This cut"): tr("The place, reach and kerf of the selected cut, its sweep, and settling its seam."),
    term("Pieces"): tr("What the plan costs, the proof that nothing is lost, and where the seams run."),
}


class CutPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.ways, self.where = WaysPanel(state), WherePanel(state)
        self.this, self.costs = ThisCutPanel(state), PiecesPanel(state)
        pages = {"Plans": self.ways, "Where": self.where, "This cut": self.this, "Pieces": self.costs}
        super().__init__(pages, _TIPS)
        self._state, self._known = state, state.selected_cut
        state.project_changed.connect(self._on_changed)

    def _on_changed(self) -> None:
        """Turn to the page of a cut that was added by hand. A cut that was taken from the map or the front leaves
        that page in view.
        """
        added = self._state.selected_cut != self._known and self._state.selected_cut is not None
        self._known = self._state.selected_cut
        if added and self._state.history.undo_text not in (FROM_FRONT, FROM_MAP):
            self.turn_to("This cut")
