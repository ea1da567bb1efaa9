"""A line above the bed that says what happened, what was kept and what to do."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from ...core.locale.translate import tr
from ..look import palette
from .basics import button, label, row

_TELL_FOR = 8000
"""ms that good news stays; bad news stays until it is closed."""


class Notice(QFrame):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._what = label("", "title", wrap=True)
        self._more = label("", "", wrap=True)
        for part in (self._what, self._more):
            part.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        close = button(tr("Close"), tr("Closes this message."), self.hide, role="small")
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(self._what)
        words.addWidget(self._more)
        layout = row()
        layout.addLayout(words, 1)
        layout.addWidget(close, 0, Qt.AlignmentFlag.AlignTop)
        layout.setContentsMargins(12, 8, 8, 8)
        self.setLayout(layout)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    @property
    def text(self) -> str:
        return f"{self._what.text()} {self._more.text()}".strip()

    def _show(self, what: str, more: str, colour: str) -> None:
        self._what.setText(what)
        self._more.setText(more)
        self._more.setVisible(bool(more))
        self.setStyleSheet(
            f"Notice {{ background: {palette.SHEET}; border: 1px solid {colour}; border-left: 4px solid {colour};"
            " border-radius: 4px; }"
        )
        self.setAccessibleName(self.text)
        self.show()

    def warn(self, what: str, more: str) -> None:
        self._timer.stop()
        self._show(what, more, palette.AMBER)

    def tell(self, what: str) -> None:
        """Show good news. Everything after the first line is in a smaller font."""
        first, _, more = what.partition("\n")
        self._show(first, more, palette.TEAL)
        self._timer.start(_TELL_FOR)
