"""Joins: the contacts of the plan, the joins on them, and the room there."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Collection

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.document.base import Triple, triple
from ...core.errors import BadPlan, DeftError
from ...core.joins import THICKEST, THINNEST, Join
from ...core.joins.reports import ContactFound, JoinReport
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ..joins import ON_DESK, Where
from ..messages.replies import RoomShown
from ..messages.requests import LetterAll, LookAtRoom, ProposeJoins
from .desk import Desk
from .validation import validated

_PROBE = "probe"
"""The id of a join that is only there to ask for the room."""
_MOST_STOCK = 40
"""So many rods one may have."""
_USUAL = (4.0, 12.0)
"""mm across a key, between these."""


class Joining(QObject):
    """The joins of the plan.

    Attributes
    ----------
    contact : int
        The number of the selected contact.
    selected : str or None
        The id of the selected join.
    room : RoomShown or None
        The room for the selected join.
    """

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.contact = 0
        self.selected: str | None = None
        self.room: RoomShown | None = None
        self._room_of: tuple[Plan, Join] | None = None
        desk.opened.connect(self._on_opened)
        desk.outcome_changed.connect(self._on_outcome)
        desk.project_changed.connect(self._on_project)
        desk.step_changed.connect(self._on_step)

    def _on_opened(self) -> None:
        self.contact, self.selected, self.room = 0, None, None
        self._room_of = None
        self.changed.emit()

    def _on_project(self) -> None:
        if self.selected is not None and all(join.id != self.selected for join in self._desk.plan.joins):
            self.selected = None
        self.changed.emit()

    def _on_outcome(self) -> None:
        known = self._desk.evaluated.outcome.joins.get(self.selected or "") if self._desk.evaluated else None
        if known is not None and known.contact is not None:
            self.contact = known.contact  # they may be numbered anew
        else:
            self.contact = min(self.contact, max(len(self.contacts) - 1, 0))
            joins = self.joins_of(self.contact)
            self.selected = joins[0].id if joins else None
        self._look()
        self.changed.emit()

    def _on_step(self) -> None:
        if self._desk.step == "Join":
            self._look()

    # what there is

    @property
    def contacts(self) -> tuple[ContactFound, ...]:
        """The contacts of the shown pieces."""
        return self._desk.evaluated.outcome.contacts if self._desk.evaluated else ()

    @property
    def reports(self) -> dict[str, JoinReport]:
        """The report on each join; approximate while one is dragged."""
        live = self._desk.live
        if self._desk.draft is not None and live is not None:
            return live.outcome.joins
        return self._desk.evaluated.outcome.joins if self._desk.evaluated else {}

    def joins_of(self, contact: int) -> list[Join]:
        """The joins on a contact, and those that are being added to it."""
        if not self._desk.is_open or self._desk.evaluated is None:
            return []
        known = self._desk.evaluated.outcome.joins
        shown = (self._desk.draft or self._desk.plan).joins
        return [join for join in shown if join.id in known and known[join.id].contact == contact]

    @property
    def join(self) -> Join | None:
        """The selected join; while it is dragged, as it is being dragged."""
        if not self._desk.is_open or self.selected is None:
            return None
        return next((one for one in (self._desk.draft or self._desk.plan).joins if one.id == self.selected), None)

    @property
    def room_here(self) -> RoomShown | None:
        """The room for the selected join; on an empty contact, for one that would suit it."""
        room = self.room
        known = room is not None and room.contact == self.contact and room.join == (self.selected or _PROBE)
        return room if known else None

    @property
    def homeless(self) -> list[Join]:
        """Joins whose pieces do not meet."""
        if self._desk.evaluated is None or not self._desk.is_open:
            return []
        known = self._desk.evaluated.outcome.joins
        return [join for join in self._desk.plan.joins if join.id in known and known[join.id].contact is None]

    def worst_first(self) -> list[int]:
        """The numbers of the contacts: those with a problem first, then those without a join, then by the thinnest
        wall.
        """

        def rank(number: int) -> tuple[int, float]:
            joins = self.joins_of(number)
            found = [self.reports[join.id] for join in joins if join.id in self.reports]
            if any(report.problem for report in found):
                return 0, 0.0
            if not joins:
                return 1, -self.contacts[number].area
            return 2, min((report.least_wall for report in found), default=math.inf)

        return sorted(range(len(self.contacts)), key=rank)

    @property
    def stock(self) -> tuple[float, ...]:
        """The diameters of the rods at hand, thinnest first, in mm."""
        return self._desk.settings.stock

    def keep_stock(self, sizes: Collection[float]) -> None:
        """Store other rods for future use.

        Raises
        ------
        BadPlan
            There are none, or impossible ones.
        """
        found = tuple(sorted(set(sizes)))
        if not found or found[0] <= THINNEST or found[-1] > THICKEST or len(found) > _MOST_STOCK:
            raise BadPlan(tr("Rods must be {thinnest} to {thickest} thick, and there can be at most {most_stock} "
                             "sizes.",
                             thinnest=text.given(THINNEST), thickest=text.given(THICKEST), most_stock=_MOST_STOCK),
                          kept=tr("Your list is unchanged."))
        self._desk.change_settings(stock=found)

    # choosing

    def select_contact(self, number: int) -> None:
        """Opens a contact, with its first join."""
        joins = self.joins_of(number)
        self.contact, self.selected = number, joins[0].id if joins else None
        self._look()
        self.changed.emit()

    def select(self, join_id: str | None) -> None:
        """Chooses a join of the contact."""
        self.selected = join_id
        self._look()
        self.changed.emit()

    # changing

    def propose(self, only: int | None = None) -> None:
        """Propose joins for the contacts that have none, or for one of them, and add them."""
        desk = self._desk

        def add_joins(found: list[Join]) -> None:
            if not found:
                joined = tr("Every contact already has a join.\nRemove one to have another proposed.")
                apart = tr("No two pieces meet.\nCut the model first. Bodies that do not touch cannot be joined.")
                desk.told.emit(joined if self.contacts else apart)
                return
            did = tr("propose joins") if only is None else tr("propose a join")
            if self.selected is None:
                self.selected = found[0].id
            desk.do_plan(did, desk.plan.changed(joins=(*desk.plan.joins, *found)))

        desk.ask(
            "ask:joins",
            ProposeJoins(desk.plan, desk.printer, only, self.stock),
            done=add_joins,
            label=tr("Searching for joins"),
        )

    def letter_all(self) -> None:
        """Sinks numbers and letters into the contacts that have none, where there is room."""
        desk = self._desk

        def add_letters(found: list[Join]) -> None:
            if not found:
                desk.told.emit(tr("No other contact has room for letters."))
                return
            desk.do_plan(tr("add letters"), desk.plan.changed(joins=(*desk.plan.joins, *found)))

        label = tr("Searching for room for letters")
        desk.ask("ask:joins", LetterAll(desk.plan, desk.printer), done=add_letters, label=label)

    def add(self, kind: str) -> None:
        """Adds a join of a kind in the middle of the selected contact."""
        if not self.contacts:
            return
        plan = self._desk.plan
        (ident,) = plan.fresh_join_ids(1)
        join = self._new(kind, ident)
        self.selected = ident
        self._desk.do_plan(tr("add a {word}", word=join.word), plan.with_join(join))

    def remove(self, ids: Collection[str]) -> None:
        """Takes joins out of the plan."""
        did = tr("remove a join") if len(ids) == 1 else tr("remove joins")
        self._desk.do_plan(did, self._desk.plan.without_joins(ids))

    def change(self, did: str, **update: object) -> None:
        """Change the selected join. Values that make no sense are reported and change nothing. The reason for which
        it was proposed is dropped.
        """
        join, plan = self.join, self._desk.plan
        if join is not None:
            self._desk.change(
                did, lambda: plan.with_join(validated(join, {"why": "", **update}, tr("The {word}", word=join.word)))
            )

    def try_change(self, **update: object) -> None:
        """Change the selected join while something is dragged. Values that make no sense are ignored."""
        join, plan = self.join, self._desk.plan
        if join is not None:
            with contextlib.suppress(DeftError):
                self._desk.try_plan(plan.with_join(validated(join, {"why": "", **update}, "")))

    def try_place(self, across: Floats) -> None:
        """Drag the selected join to a place across its contact."""
        join = self.join
        if join is None or not self.contacts:
            return
        self.try_change(at=_moved_across(join, self.contacts[self.contact], across))

    def try_turn(self, degrees: float, before: Join) -> None:
        """Rotate the selected join about the direction of its contact, relative to how it was before."""
        here = ON_DESK[before.kind]
        if not self.contacts or not here.turns(before):
            return
        across = self.contacts[self.contact].frame
        heading = here.heading(before)
        was = across[0] if heading is None else np.array(heading)
        angle = math.radians(degrees)
        x, y = (float(was @ row) for row in across[:2])
        turned = (math.cos(angle) * x - math.sin(angle) * y) * across[0] + (
            math.sin(angle) * x + math.cos(angle) * y
        ) * across[1]
        length = float(np.linalg.norm(turned))
        if length > 1e-3:
            self.try_change(**here.turned(before, triple(turned / length)))

    def to_middle(self) -> None:
        """Move the selected join to where it has most room."""
        room = self.room_here
        if room is None or not np.isfinite(room.enough).any():
            return
        row, column = np.unravel_index(int(np.argmax(room.enough)), room.enough.shape)
        across = room.low + room.step * np.array([column, row])
        join = self.join
        if join is not None:
            at = _moved_across(join, self.contacts[self.contact], across)
            self.change(tr("move a join to the middle"), at=at)

    def settle(self, did: str) -> None:
        """Make the dragged plan the plan on the bed."""
        self._desk.settle(did)

    # asking

    def _look(self) -> None:
        """Ask for the room around the selected join; on an empty contact, around a key that would suit it."""
        desk = self._desk
        if desk.step != "Join" or not desk.up_to_date or not self.contacts:
            return
        probe = self.join or self._probe()
        asked = (desk.plan, probe)
        if self._room_of == asked:
            return
        self._room_of = asked

        def take_room(found: RoomShown) -> None:
            self.room = found
            self.changed.emit()

        desk.ask("ask:room", LookAtRoom(desk.plan, desk.printer, probe), done=take_room, failed=lambda _: None,
                 still=lambda: self._room_of == asked, label=tr("Measuring the room"))

    def _probe(self) -> Join:
        return self._new("key", _PROBE)

    @property
    def tried(self) -> Join:
        """The join that a coupon is made for: the selected one, or a key that suits the contact."""
        return self.join if self.join is not None and self.join.holes(0.0) else self._probe()

    def _new(self, kind: str, ident: str) -> Join:
        """A join of a kind that suits the selected contact."""
        contact = self.contacts[self.contact]
        width = min(max(round(0.3 * math.sqrt(contact.area), 1), _USUAL[0]), _USUAL[1])
        where = Where(ident, contact.cut, contact.between, contact.place, width, self.stock)
        join: Join = ON_DESK[kind].new_join(where)
        return join


def _moved_across(join: Join, contact: ContactFound, across: Floats) -> Triple:
    """The place of a join once it is moved to (2,) mm across its contact."""
    off = across - contact.frame[:2] @ np.array(join.at)
    return triple(np.array(join.at) + off @ contact.frame[:2])
