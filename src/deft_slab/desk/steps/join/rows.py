"""The list of contacts."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from ...widgets.parts import ClickRow, label, row


class ContactRow(ClickRow):
    """A contact in the list."""

    def __init__(self, pieces: str, area: str, said: str, role: str, *, chosen: bool) -> None:
        super().__init__("chosen" if chosen else "row")
        inner = row(label(pieces, "title"), label(area, "faint"), 1, label(said, role))
        inner.setContentsMargins(8, 3, 8, 3)
        self.setLayout(inner)
        self.setAccessibleName(f"Contact {pieces}, {area}: {said}")
        self.setToolTip("Opens this contact.")


class ShortList(QScrollArea):
    """A list that takes no more than a few rows of room, and scrolls beyond."""

    def __init__(self, column: QVBoxLayout) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        column.setContentsMargins(0, 0, 0, 0)
        inside.setLayout(column)
        self.setWidget(inside)
