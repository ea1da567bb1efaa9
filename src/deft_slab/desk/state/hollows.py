"""Hollows the selected piece: its wall and lattice, its vents, their plugs."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.document.base import free_ids, triple
from ...core.errors import DeftError
from ...core.joins.reports import HollowReport, VentReport
from ...core.locale.translate import tr
from ...core.plan.hollow import Hollow, Vent
from ..messages.check import ProposeVents
from .desk import Desk
from .pointing import Pointing
from .validation import validated

POINTS = "vent"
"""What is pointed at for while a vent is placed."""


class Hollowing(QObject):
    """The hollow of the selected piece.

    Attributes
    ----------
    wishes : Hollow
        The measures of the next hollow.
    vent : str or None
        The id of the selected vent.
    """

    changed = Signal()
    flown_to = Signal(int, object, object)
    """The number of a piece, a place (3,) mm on the model, and the way out of it there."""

    def __init__(self, desk: Desk, pointing: Pointing) -> None:
        super().__init__(desk)
        self._desk, self._pointing = desk, pointing
        self.wishes: dict[str, Any] = {"wall": 2.0, "solid_below": 0.0, "spacing": None, "radius": 1.0}
        self.vent: str | None = None
        self._moves = False
        pointing.answer(POINTS, self._on_pointed)
        desk.opened.connect(self._forget)
        for signal in (desk.outcome_changed, desk.selection_changed, desk.project_changed):
            signal.connect(self.changed)

    def _forget(self) -> None:
        self.vent = None
        self.changed.emit()

    # what there is

    @property
    def hollow(self) -> Hollow | None:
        """The hollow of the selected piece; None if it is solid."""
        found = self._found
        return self._desk.plan.hollow(found[0]) if found is not None else None

    @property
    def report(self) -> HollowReport | None:
        """The report on the hollow when it was evaluated."""
        found = self._found
        return found[1] if found is not None else None

    @property
    def _found(self) -> tuple[str, HollowReport | None] | None:
        desk = self._desk
        if desk.evaluated is None or desk.piece is None or not desk.is_open:
            return None
        number = desk.piece.number - 1
        known = {hollow.id for hollow in desk.plan.hollows}
        for ident, report in desk.evaluated.outcome.hollows.items():
            if report.piece == number and ident in known:
                return ident, report
        # one that was just added is not measured yet
        fresh = [one for one in desk.plan.hollows if one.id not in desk.evaluated.outcome.hollows]
        same = [one for one in fresh if one.sides == desk.piece.sides]
        return (same[-1].id, None) if same else None

    def report_of(self, vent: Vent) -> VentReport | None:
        """The report on a vent of the selected piece."""
        report = self.report
        return next((one for one in report.vents if one.id == vent.id), None) if report is not None else None

    # changing it

    def wish(self, **what: Any) -> None:
        """Change the measures of the next hollow; if the piece is hollow already, those of its hollow."""
        hollow = self.hollow
        next_one = Hollow(id="h", anchor=(0.0, 0.0, 0.0), **self.wishes)
        try:
            validated(hollow or next_one, what, tr("A hollow"))
        except DeftError as error:
            self._desk.failed.emit(error)
        else:
            self.wishes |= what
            if hollow is not None:
                self._put(tr("change a hollow"), hollow, **what)
        self.changed.emit()

    def _put(self, did: str, hollow: Hollow, **what: Any) -> None:
        """Change the hollow. Values that make no sense are reported and change nothing."""
        plan = self._desk.plan
        self._desk.change(did, lambda: plan.with_hollow(validated(hollow, what, tr("A hollow"))))

    def make(self) -> None:
        """Hollows the selected piece, for the seat that it has."""
        desk, piece = self._desk, self._desk.piece
        if piece is None or self.hollow is not None:
            return
        hollow = Hollow(id=desk.plan.fresh_hollow_id(), sides=piece.sides, anchor=piece.anchor,
                        down=piece.seat.down, **self.wishes)
        self.vent = None
        desk.do_plan(tr("hollow a piece"), desk.plan.with_hollow(hollow))

    def undo_hollow(self) -> None:
        """Makes it solid again."""
        hollow, desk = self.hollow, self._desk
        if hollow is not None:
            kept = tuple(one for one in desk.plan.hollows if one.id != hollow.id)
            desk.do_plan(tr("make a piece solid"), desk.plan.changed(hollows=kept))

    # vents

    def propose(self) -> None:
        """Propose vents that let resin out and air in, in place of the present ones."""
        hollow, desk = self.hollow, self._desk
        if hollow is None:
            return
        plugged = any(vent.plug for vent in hollow.vents)

        def take_vents(vents: tuple[Vent, ...]) -> None:
            if not vents:
                desk.told.emit(tr("No place was found for a vent. Show faces or the bed may cover the whole "
                                  "surface."))
                return
            made = tuple(vent.model_copy(update={"plug": plugged}) for vent in vents)
            self.vent = made[0].id
            self._put(tr("propose vents"), hollow, vents=made)

        desk.ask("ask:vents", ProposeVents(desk.plan, desk.printer, hollow.id), done=take_vents,
                 label=tr("Placing vents"), still=lambda: self.hollow == hollow)

    def point(self, *, moves: bool) -> None:
        """Let the user point at a place for a vent.

        Parameters
        ----------
        moves : bool
            Whether the selected vent moves there; otherwise one is added.
        """
        self._moves = moves
        self._pointing.begin(POINTS)

    def _on_pointed(self, number: int, facet: int, place: Floats) -> None:
        desk, hollow = self._desk, self.hollow
        self._pointing.end()
        if hollow is None:
            return
        along = triple(-desk.pieces[number].solid.normals[facet])
        known = next((one for one in hollow.vents if one.id == self.vent), None)
        if self._moves and known is not None:
            vent, did = known.model_copy(update={"place": triple(place), "along": along}), tr("move a vent")
        else:
            ident = next(free_ids("v", {one.id for one in hollow.vents}))
            like = known or (hollow.vents[-1] if hollow.vents else None)
            vent, did = Vent(id=ident, place=triple(place), along=along), tr("add a vent")
            if like is not None:
                vent = like.model_copy(update={"id": ident, "place": vent.place, "along": vent.along})
        self.vent = vent.id
        self._put(did, hollow, vents=hollow.with_vent(vent).vents)

    def select(self, vent: Vent) -> None:
        """Selects a vent, and looks at it."""
        self.vent = vent.id
        if self._desk.piece is not None:
            self.flown_to.emit(self._desk.piece.number - 1, np.array(vent.place), -np.array(vent.along))
        self.changed.emit()

    def size(self, vent: Vent, **what: Any) -> None:
        """Changes a vent: its radii, whether it gets a plug."""
        hollow, plan = self.hollow, self._desk.plan
        if hollow is not None:
            self._desk.change(
                tr("change a vent"), lambda: plan.with_hollow(hollow.with_vent(validated(vent, what, tr("This vent"))))
            )
            self.changed.emit()

    def plug_all(self, *, plugged: bool) -> None:
        """Gives all vents a plug, or none."""
        hollow = self.hollow
        if hollow is not None:
            vents = tuple(vent.model_copy(update={"plug": plugged}) for vent in hollow.vents)
            self._put(tr("plug the vents") if plugged else tr("leave the plugs out"), hollow, vents=vents)

    def drop(self, vent: Vent) -> None:
        """Takes a vent away."""
        hollow = self.hollow
        if hollow is not None:
            self.vent = None
            self._put(tr("remove a vent"), hollow, vents=tuple(one for one in hollow.vents if one.id != vent.id))
