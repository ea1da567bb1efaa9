"""Offers to recover the work that a window lost when it crashed."""

from __future__ import annotations

from html import escape
from pathlib import Path

from PySide6.QtCore import QDateTime, QLocale
from PySide6.QtWidgets import QFrame

from ...core.locale.preferences import language
from ...core.locale.translate import tr, tr_in
from ..desk_state import DeskState
from ..storage.recovery import LeftWork, left_work, let_go
from ..widgets.basics import button, label, row


class LeftWorkCard(QFrame):
    """A line over the bed that offers one piece of work after the other."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.work: LeftWork | None = None
        self._passed_over: set[Path] = set()
        self.setProperty("role", "ask")
        self._words = label("", "", wrap=True, rich=True)
        self.bring = button(tr("Recover it"), tr("Opens the work as it was last stored."), self._bring, role="main")
        self.later = button(tr("Decide later"), tr("Asks again when the program is started next."), self._later)
        self.drop = button(tr("Delete it"), tr("Deletes the stored work for good."), self._drop)
        line = row(self._words, self.bring, self.later, self.drop, spacing=8)
        line.setStretch(0, 1)
        line.setContentsMargins(12, 8, 8, 8)
        self.setLayout(line)
        state.opened.connect(self.hide)
        self.hide()

    def look(self) -> None:
        """Look for left work, and offer the newest."""
        found = [work for work in left_work() if work.folder not in self._passed_over]
        self.work = found[0] if found else None
        if self.work is not None:
            form = tr_in("a date, in the format of Qt", "d MMMM, HH:mm")
            when = QLocale(language()).toString(QDateTime.fromSecsSinceEpoch(int(self.work.when)), form)
            said = tr("<b>“{text}” was not saved</b> when the program ended.", text=escape(self.work.title))
            if self.work.problem:
                why = escape(tr("{problem} It is in {folder}.", problem=self.work.problem, folder=self.work.folder))
                self._words.setText(tr("{said} The stored work cannot be read: {why}", said=said, why=why))
            else:
                self._words.setText(tr("{said} It was last stored on {when}.", said=said, when=when))
            self.bring.setVisible(not self.work.problem)
        self.setVisible(self.work is not None)

    def _bring(self) -> None:
        if self.work is not None:
            self._state.opening.recover(self.work)

    def _later(self) -> None:
        if self.work is not None:
            self._passed_over.add(self.work.folder)
            self.look()

    def _drop(self) -> None:
        if self.work is not None:
            let_go(self.work)
            self.look()
