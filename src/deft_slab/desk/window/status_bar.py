"""The status bar: what is being computed, with Stop, and whether unsaved work is stored. It is at the bottom of the
ledger.
"""

from __future__ import annotations

from PySide6.QtWidgets import QProgressBar, QWidget

from ...core.locale.translate import tr
from ..desk_state import DeskState
from ..widgets.basics import Elided, button, label, plain


class Foot:
    """The status bar.

    Attributes
    ----------
    not_kept : QLabel
        Warns that unsaved work is not stored.
    parts : list of QWidget
        Its widgets, from left to right.
    """

    def __init__(self, state: DeskState) -> None:
        self._state = state
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(140)
        self._bar.setAccessibleName(tr("Progress"))
        self._doing = Elided("faint")
        self.stop = button(
            tr("Stop"), tr("Stops what is running. The plan stays the same."), state.jobs.stop, role="small"
        )
        self.not_kept = label(tr("Unsaved work is not stored"), "look")
        self.not_kept.setAccessibleName(tr("Unsaved work"))
        self.parts: tuple[QWidget, ...] = (self.not_kept, self._doing, self._bar, self.stop)
        for part in self.parts:
            part.hide()

    def show_progress(self, share: float, doing: str) -> None:
        """Show the progress of the current work.

        Parameters
        ----------
        share : float
            0 to 1.
        doing : str
            What is being done; empty for nothing.
        """
        for part in (self._doing, self._bar, self.stop):
            part.setVisible(bool(doing))
        self._doing.setText(f"{doing} …" if doing else "")
        self._bar.setUpdatesEnabled(False)  # else Qt paints all that waits to be painted, at each value
        self._bar.setValue(round(1000 * share))
        self._bar.setUpdatesEnabled(True)

    def show_problem(self, problem: str) -> None:
        """Show or hide the warning about unsaved work.

        Parameters
        ----------
        problem : str
            Why it is not stored; empty if it is.
        """
        self.not_kept.setVisible(bool(problem))
        self.not_kept.setToolTip(plain(problem))
