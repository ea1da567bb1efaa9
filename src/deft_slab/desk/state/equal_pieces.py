"""Which pieces are equal, so that they are written once with a count."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ..messages.requests import FindAlike
from .desk import Desk

_MOST = 60
"""Of more pieces it would take too long."""


class EqualPieces(QObject):
    """Which pieces are equal.

    Attributes
    ----------
    found : tuple of (int, bool)
        For each piece the first one of its shape, and whether it is a mirror image of that; empty while not
        known.
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
