"""The Size step: the unit of the file, a sound surface, and the right size for whoever wears or uses the prop."""

from __future__ import annotations

from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...widgets.pages import Pages
from .measure import MeasurePanel
from .scale import ScalePanel
from .surface import SurfacePanel
from .wearer import WearerPanel

_TIPS = {
    term("Scale"): tr("Units, scale, lengths, copies."),
    term("Surface"): tr("The bodies in the file, and what is done to close them."),
    term("Wearer"): tr("A head, a hand or another model at its own size, inside the prop or beside it."),
    term("Measure"): tr("Distances, walls and round edges."),
}


class SizePanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.scale, self.surface = ScalePanel(state), SurfacePanel(state)
        self.wearer, self.measure = WearerPanel(state), MeasurePanel(state)
        pages = {"Scale": self.scale, "Surface": self.surface, "Wearer": self.wearer, "Measure": self.measure}
        super().__init__(pages, _TIPS)
        self._state = state
        self.turned.connect(self._put_away)
        state.opened.connect(self._on_opened)

    def _put_away(self) -> None:
        """Hide what was shown for another page."""
        if self._state.view.as_it_came or self._state.view.mend_places is not None:
            self._state.show(as_it_came=False, mend_places=None)

    def _on_opened(self) -> None:
        if self._state.sizing.asking_unit or self._state.sizing.asking_fineness:
            self.turn_to("Scale")
