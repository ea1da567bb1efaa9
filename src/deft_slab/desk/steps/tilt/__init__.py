"""The Tilt step: all seats at once, what each costs, and which surfaces it would scar."""

from __future__ import annotations

from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...widgets.pages import Pages
from .by_hand import ByHandPanel
from .costs import CostsPanel
from .faces import FacesPanel
from .find import FindPanel

_TIPS = {
    term("Find"): tr("The tilt map, the seats worth trying, and what matters here."),
    term("By hand"): tr("Turn the piece, or seat it on a facet, on three points or on a region."),
    term("Costs"): tr("Every figure of this seat, and what leaning or lifting would change."),
    term("Faces"): tr("Faces that must come out clean, who looks at them, and where support is wanted or refused."),
}


class TiltPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.finding, self.by_hand = FindPanel(state), ByHandPanel(state)
        self.costs, self.faces = CostsPanel(state), FacesPanel(state)
        pages = {"Find": self.finding, "By hand": self.by_hand, "Costs": self.costs, "Faces": self.faces}
        super().__init__(pages, _TIPS)
        self.turned.connect(lambda name: state.pointing.end())
