"""Shows the bench sheet page by page before it is written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QKeyEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QDialog, QLabel, QScrollArea, QVBoxLayout, QWidget

from ...core.arrays import Bytes
from ...core.exporting.paper_sizes import NAMES, Paper
from ...core.locale.translate import tr
from ..widgets.basics import button, label, row

_EDGE = 24
"""Pixels beside a page."""


class SheetDialog(QDialog):
    """Shows the bench sheet. ``pages`` are (height, width) uint8 each; ``redraw`` draws it for another paper size;
    ``write`` writes it for the current one.
    """

    def __init__(
        self, pages: Sequence[Bytes], paper: Paper, redraw: Callable[[Paper], None],
        write: Callable[[Paper], None], parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("The sheet"))
        self.resize(860, 720)
        self.paper, self.page = paper, 0
        self._pages: tuple[Bytes, ...] = ()
        self._redraw = redraw
        self._picture = QLabel()
        self._picture.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        self._area = QScrollArea()
        self._area.setWidget(self._picture)
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.back = button(tr("Previous page"), tr("The previous page (Page Up)."), partial(self._leaf, -1))
        self.on = button(tr("Next page"), tr("The next page (Page Down)."), partial(self._leaf, 1))
        self._where = label("", "faint")
        papers = QButtonGroup(self)
        self.papers = {}
        for one, words in NAMES.items():
            made = button(words, tr("Lays out the sheet for {words} "
                                    "paper.", words=words), partial(self._take_paper, one),
                          checkable=True)
            made.setChecked(one == paper)
            papers.addButton(made)
            self.papers[one] = made
        self.write = button(
            tr("Write PDF and HTML …"),
            tr("Writes sheet.pdf, sheet.html and the lists of pieces into a folder."),
            lambda: write(self.paper),
            role="main",
        )
        close = button(tr("Close"), tr("Closes the sheet."), self.accept)
        column = QVBoxLayout(self)
        column.addWidget(self._area, 1)
        column.addLayout(row(self.back, self.on, self._where, 1, *self.papers.values(), self.write, close))
        self.show_pages(pages)

    def show_pages(self, pages: Sequence[Bytes]) -> None:
        """Show a redrawn sheet, at the current page."""
        self._pages = tuple(pages)
        self.page = min(self.page, len(self._pages) - 1)
        self._show()

    def _take_paper(self, paper: Paper) -> None:
        self.paper = paper
        self._redraw(paper)

    def _leaf(self, by: int) -> None:
        self.page = min(max(self.page + by, 0), len(self._pages) - 1)
        self._show()
        self._area.verticalScrollBar().setValue(0)

    def _show(self) -> None:
        page = np.ascontiguousarray(self._pages[self.page])
        high, wide = page.shape
        image = QImage(page.data, wide, high, wide, QImage.Format.Format_Grayscale8)
        finer = self.devicePixelRatioF()
        shown = QPixmap.fromImage(image).scaledToWidth(
            int(finer * max(self._area.viewport().width() - 2 * _EDGE, 200)),
            Qt.TransformationMode.SmoothTransformation,
        )
        shown.setDevicePixelRatio(finer)
        self._picture.setPixmap(shown)
        self._picture.setAccessibleName(
            tr("Page {page} of {count} of the sheet", page=self.page + 1, count=len(self._pages))
        )
        self._where.setText(tr("page {page} of {count}", page=self.page + 1, count=len(self._pages)))
        self.back.setEnabled(self.page > 0)
        self.on.setEnabled(self.page < len(self._pages) - 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_PageUp: -1, Qt.Key.Key_PageDown: 1}.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
        else:
            self._leaf(by)
