"""The card of the first job, a line over the bed."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import QFrame, QVBoxLayout

from ...core.locale.translate import tr
from ..refresh.batching import when_over
from ..widgets.basics import button, label, row
from .guide import Guide


class GuideCard(QFrame):
    """The card of the first job.

    Attributes
    ----------
    take : QPushButton
        Does what is proposed.
    otherwise : QPushButton
        Continues without it.
    """

    def __init__(self, guide: Guide) -> None:
        super().__init__()
        self._guide = guide
        self.setProperty("role", "card")
        self._title = label("", "title")
        self._says = label("", "", wrap=True)
        self.take = button(tr("Continue"), tr("Accepts what is proposed, and continues."), guide.take, role="main")
        self.otherwise = button("", tr("Continues without it."), guide.pass_over)
        self.leave = button(
            tr("Leave the first job"),
            tr("Leaves the first job. “First job” in the help menu resumes it at the step that is open then."),
            guide.leave,
        )
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(self._title)
        words.addWidget(self._says)
        layout = row(spacing=8)
        layout.setContentsMargins(12, 8, 8, 8)
        layout.addLayout(words, 1)
        for part in (self.take, self.otherwise, self.leave):
            layout.addWidget(part, 0, Qt.AlignmentFlag.AlignVCenter)
        self.setLayout(layout)
        guide.changed.connect(partial(when_over, self.refresh))
        self.refresh()

    def refresh(self) -> None:
        guide = self._guide
        self.setVisible(guide.on)
        if not guide.on:
            return
        proposal = guide.proposal
        self._title.setText(guide.title)
        self._says.setText(proposal.says)
        for part, said in ((self.take, proposal.does), (self.otherwise, proposal.otherwise)):
            part.setText(said)
            part.setAccessibleName(said)
            part.setVisible(bool(said))
        self._fit_buttons()
        self.setAccessibleName(f"{guide.title}. {proposal.says}")

    def _fit_buttons(self) -> None:
        """Let the text beside the buttons give way at once."""
        for part in (self.take, self.otherwise):
            part.setFixedWidth(part.sizeHint().width())

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.StyleChange:  # it is made before the window has its style sheet
            self._fit_buttons()
