"""A row in a list of proposals: number, picture, description, a figure, and a button that keeps it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel

from ...core.arrays import Bytes
from ...core.locale.translate import tr
from ..look.qt_pictures import pixmap_of
from .basics import ClickRow, button, label, restyle

_PICTURE = (46, 32)
_NAMES = "seat", "chosen"


class ListedRow(ClickRow):
    """A click takes the proposal. The row shows a picture of (height, width, 4) uint8, a second line whose colour
    says whether it is as it should be, and a figure on the right.

    Attributes
    ----------
    keep
        The button that adds it to the ledger.
    """

    def __init__(
        self, number: str, picture: Bytes, title: str, said: str, figure: str, *, good: bool, chosen: bool,
        keep: Callable[[], None],
    ) -> None:
        super().__init__(_NAMES[chosen])
        grid = QGridLayout(self)
        grid.setContentsMargins(4, 2, 2, 2)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(0)
        shown = QLabel()
        shown.setPixmap(pixmap_of(picture, *_PICTURE))
        shown.setFixedWidth(_PICTURE[0])
        self._number = label(number, "title")
        grid.addWidget(self._number, 0, 0, 2, 1)
        grid.addWidget(shown, 0, 1, 2, 1)
        grid.addWidget(label(title, wrap=True), 0, 2)
        grid.addWidget(label(said, "good" if good else "faint", wrap=True), 1, 2)
        value = label(figure, "figure")
        value.setAlignment(Qt.AlignmentFlag.AlignRight)
        grid.addWidget(value, 0, 3)
        self.keep = button(
            tr("Keep"),
            tr("Adds it to the ledger as a choice, without putting it on the bed."),
            keep,
            role="small",
        )
        grid.addWidget(self.keep, 1, 3)
        grid.setColumnStretch(2, 1)

    def show_place(self, number: str, *, chosen: bool) -> None:
        """Show the number in the list, and whether this is the proposal that was taken."""
        self._number.setText(number)
        name = _NAMES[chosen]
        if self.objectName() != name:
            self.setObjectName(name)
            restyle(self)
