"""Which pieces are equal, so that they are written once, with a count."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ..messages.requests import FindAlike
from .desk import Desk

_MOST = 60
"""Of more pieces it would take too long."""


class EqualPieces(QObject):
    """A part of the desk state.

    Attributes
    ----------
    found
        For each piece the number of the first one of its shape, and whether it is that mirrored; none while
        that is not known.
    """

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.found: tuple[tuple[int, bool], ...] = ()
        self._of: Plan | None = None
        for signal in (desk.outcome_changed, desk.selection_changed, desk.step_changed):
            signal.connect(self._look)

    def _look(self) -> None:
        desk = self._desk
        if desk.step not in ("Cut", "Hand off") or not desk.up_to_date:
            return
        plan = desk.plan
        if plan == self._of or not 2 <= len(desk.pieces) <= _MOST:
            return
        self._of, self.found = plan, ()

        def take_equals(found: tuple[tuple[int, bool], ...]) -> None:
            self.found = found
            self.changed.emit()

        # whatever printer they are judged by, the pieces are the same
        desk.ask("map:alike", FindAlike(plan, desk.printer), done=take_equals, failed=lambda _: None,
                 still=lambda: desk.plan == plan, label=tr("Comparing the pieces"))
