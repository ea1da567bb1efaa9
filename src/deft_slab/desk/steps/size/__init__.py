"""Size: what the numbers in the file mean, a sound surface, the right size for whoever wears or uses it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QButtonGroup, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from ...state import DeskState
from ...widgets.parts import row
from .measure import MeasurePanel
from .scale import ScalePanel
from .surface import SurfacePanel
from .wearer import WearerPanel

_TIPS = {
    "Scale": "Units, percent, lengths, copies.",
    "Surface": "Which bodies the file holds, and what is done to close them.",
    "Wearer": "A head, a hand or another model at its own size, inside the prop or beside it.",
    "Measure": "Distances, walls and round edges.",
}


class SizePanel(QWidget):
    """Four pages, for together they would be too long to look over."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.pages = {
            "Scale": ScalePanel(state), "Surface": SurfacePanel(state), "Wearer": WearerPanel(state),
            "Measure": MeasurePanel(state),
        }  # fmt: skip
        self._stack = QStackedWidget()
        self._group = QButtonGroup(self)
        self.tabs: dict[str, QToolButton] = {}
        for name, page in self.pages.items():
            tab = QToolButton()
            tab.setText(name)
            tab.setCheckable(True)
            tab.setProperty("role", "page")
            tab.setToolTip(_TIPS[name])
            tab.clicked.connect(partial(self.turn_to, name))
            self._group.addButton(tab)
            self.tabs[name] = tab
            self._stack.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(0)
        tabs = row(*self.tabs.values(), 1, spacing=2)
        tabs.setContentsMargins(10, 0, 10, 0)
        column.addLayout(tabs)
        column.addWidget(self._stack, 1)
        state.opened.connect(self._on_opened)
        self.turn_to("Scale")

    def turn_to(self, name: str) -> None:
        """Shows a page; what was looked at on another one is put away."""
        self.tabs[name].setChecked(True)
        self._stack.setCurrentWidget(self.pages[name])
        if self._state.as_it_came or self._state.mend_places is not None:
            self._state.show(as_it_came=False, mend_places=None)

    def _on_opened(self) -> None:
        if self._state.asking_unit or self._state.asking_fineness:
            self.turn_to("Scale")
