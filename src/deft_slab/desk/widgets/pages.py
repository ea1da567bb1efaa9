"""A step panel with several pages, because together they would be too long to look through."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from ...core.locale.translate import tr
from ..refresh.batching import gathered
from .basics import row


class Pages(QWidget):
    """The pages of a step, with tabs above them.

    Attributes
    ----------
    pages
        By their names, in order. ``tips`` has the tooltip of each.
    """

    turned = Signal(str)

    def __init__(self, pages: Mapping[str, QWidget], tips: Mapping[str, str]) -> None:
        super().__init__()
        self.pages = dict(pages)
        self._stack = QStackedWidget()
        self._group = QButtonGroup(self)
        self.tabs: dict[str, QToolButton] = {}
        for name, page in pages.items():
            tab = QToolButton()
            tab.setText(tr(name))
            tab.setCheckable(True)
            tab.setProperty("role", "page")
            tab.setToolTip(tips[name])
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
        self.tabs[next(iter(pages))].setChecked(True)

    @gathered()
    def turn_to(self, name: str) -> None:
        """Show a page."""
        self.tabs[name].setChecked(True)
        self._stack.setCurrentWidget(self.pages[name])
        self.turned.emit(name)
