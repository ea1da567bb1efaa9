"""The help window. It stays open beside the work."""

from __future__ import annotations

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QFont, QKeyEvent, QTextBlockFormat, QTextCharFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from ...core.locale.translate import tr
from ..state.desk import STEPS
from ..widgets.basics import button, label, row, say
from .pages import PAGES, file_of, markdown, title

_GAP = 8
"""Pixels between paragraphs."""


class HelpWindow(QDialog):
    """Shows one page of the help, with a list of all pages and a search through them.

    Attributes
    ----------
    page : str
        The page that is shown; see ``pages.PAGES``.
    """

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Help"))
        self.resize(720, 600)
        self.page = ""
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find words in the help"))
        self.search.setAccessibleName(tr("Find words in the help"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._find_anew)
        self.next = button(tr("Find next"), tr("Goes to the next place with these words (Enter)."), self._find_next)
        self.next.setEnabled(False)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pages of the help"))
        self.list.setFixedWidth(150)
        self.list.addItems([title(page) for page in PAGES])
        self.list.currentRowChanged.connect(lambda number: self._show(PAGES[number]))
        self.text = QTextBrowser()
        self.text.setAccessibleName(tr("Page of the help"))
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        self.text.document().setDocumentMargin(16)
        self.said = label("", "faint")
        close = button(tr("Close"), tr("Closes the help."), self.close)
        middle = QHBoxLayout()
        middle.addWidget(self.list)
        middle.addWidget(self.text, 1)
        down = QVBoxLayout(self)
        down.addLayout(row(self.search, self.next))
        down.addLayout(middle, 1)
        down.addLayout(row(self.said, 1, close))

    def open_page(self, page: str) -> None:
        """Show a page, and bring the window to the front."""
        self.list.setCurrentRow(PAGES.index(page))
        self.show()
        self.raise_()
        self.activateWindow()

    def _show(self, page: str) -> None:
        if page != self.page:
            self.page = page
            self.text.setMarkdown(markdown(page))
            _space_out(self.text.document())
            self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def _follow(self, link: QUrl) -> None:
        """Go to the page of a step. Other pages of the docs are not part of the help."""
        for step in STEPS:
            if link.fileName() == file_of(step):
                self.list.setCurrentRow(PAGES.index(step))

    def _find_anew(self) -> None:
        self.next.setEnabled(bool(self.search.text().strip()))
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        self._find_next()

    def _find_next(self) -> None:
        """Select the next place with the words: further down on this page, else on the pages after it."""
        words = self.search.text().strip()
        say(self.said, "", "faint")
        if not words or self.text.find(words):
            return
        here = PAGES.index(self.page)
        for page in (*PAGES[here + 1 :], *PAGES[: here + 1]):
            self.list.setCurrentRow(PAGES.index(page))
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            if self.text.find(words):
                return
        say(self.said, tr("The help does not contain these words."), "faint")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._find_next()
        else:
            super().keyPressEvent(event)


def _space_out(document: QTextDocument) -> None:
    """Put space between the paragraphs of a page, which Qt sets without any, and make its headings less large."""
    cursor = QTextCursor(document)
    block = document.begin()
    while block.isValid():
        cursor.setPosition(block.position())
        level = block.blockFormat().headingLevel()
        spaced = QTextBlockFormat()
        spaced.setLineHeight(125, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
        if cursor.currentTable() is None:
            spaced.setTopMargin(2 * _GAP if level > 1 else 0)
            spaced.setBottomMargin(_GAP // 2 if block.textList() else _GAP)
        cursor.mergeBlockFormat(spaced)
        if level:
            words = QTextCharFormat()
            words.setProperty(QTextCharFormat.Property.FontSizeAdjustment, max(3 - level, 0))
            words.setFontWeight(QFont.Weight.DemiBold)
            cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
            cursor.mergeCharFormat(words)
        block = block.next()
