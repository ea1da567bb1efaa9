"""The sharp edges of the model, to which the points of a line snap."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.cuts import BentCut
from ...core.figures.sharp_edges import nearest_on
from ...core.locale.translate import tr
from ..messages.requests import FindCreases
from .desk import Desk

_SNAP = 0.015
"""Share of the diagonal within which a point of a line goes to a crease, while nothing else is asked for."""


class Snapping(QObject):
    """Snaps the points of a line to sharp edges.

    Attributes
    ----------
    creases : (k, 2, 3) float64, mm, model frame
        The sharp edges; empty while they are not known.
    """

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.creases: Floats = np.empty((0, 2, 3))
        self._creases_for: object = None
        self._reach: float | None = None
        for signal in (desk.selection_changed, desk.outcome_changed, desk.step_changed):
            signal.connect(self._look)

    def _look(self) -> None:
        """Find the creases ahead of time if the points of a bent cut may be dragged."""
        desk = self._desk
        if desk.step == "Cut" and desk.up_to_date and isinstance(desk.cut, BentCut):
            self.find_creases()

    @property
    def reach(self) -> float:
        """How far a point of a line snaps, in mm; 0: never."""
        if self._reach is not None or not self._desk.pieces:
            return self._reach or 0.0
        low, high = self._desk.box
        return round(_SNAP * float(np.linalg.norm(high - low)), 1)

    def set_reach(self, reach: float) -> None:
        self._reach = reach
        self.changed.emit()

    def snapped(self, place: Floats) -> Floats:
        """The place on a crease that a point snaps to; the point itself if none is near."""
        point, distance = nearest_on(self.creases, place)
        return point if distance <= self.reach else place

    def find_creases(self) -> None:
        """Find the sharp edges of the uncut model, once for each model."""
        desk = self._desk
        plan = desk.plan.changed(recipe=(), pieces=())
        key = plan.sized_model
        if key == self._creases_for:
            return
        self._creases_for, self.creases = key, np.empty((0, 2, 3))

        def take_creases(found: Floats) -> None:
            self.creases = found
            self.changed.emit()

        desk.ask("ask:creases", FindCreases(plan), done=take_creases, still=lambda: key == self._creases_for,
                 label=tr("Searching for creases"))
