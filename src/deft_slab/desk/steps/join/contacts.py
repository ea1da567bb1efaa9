"""The page on contacts: the selected one opened like a book, the joins on it, and the list of all, worst first."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.arrays import Floats
from ....core.errors import DeftError
from ....core.joins import DowelJoin, Join, KeyJoin, PivotJoin
from ....core.joins.reports import ContactFound, JoinReport
from ....core.locale import text
from ....core.locale.translate import sentence, tr, tr_in, tr_many
from ...desk_state import DeskState
from ...fields import Field
from ...joins import ON_DESK
from ...joins.kind import measures
from ...refresh.binding import follow
from ...widgets.basics import ListColumn, Panel, button, emptied, label, row, say
from ...widgets.book import BookShown, ContactBook, JoinDrawn
from ...widgets.gap import GapDrawing
from ...widgets.number import NumberField
from ...widgets.presets_button import PresetsButton
from ..field_grid import FieldsShown, put_fields
from .fit import glued
from .rows import ContactRow, ShortList, how_they_sit

_ROW, _SHORT = 28, 118
"""Pixels that a contact takes in the list, and all of them at most."""


def _decimals(field: Field) -> int:
    return {"°": 1, "": 0}.get(field.unit, 2)


_LET_GO = {"move": tr("move a join"), "turn": tr("turn a join"), "size": tr("size a join")}
"""What was done to a join in the open contact."""


class ContactsPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._joining = state, state.joining
        self._fields: FieldsShown = []
        self._fields_for: object = None
        self._rows_for: object = None
        self._nothing = label(tr("There is nothing to join yet, because the model is uncut. Cut it "
                                 "first."), "faint", wrap=True)
        self.add(self._nothing)
        self._all = QWidget()
        column = QVBoxLayout(self._all)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addWidget(label(tr("Contacts, worst first"), "head"))
        self.list = ListColumn()
        self.list.setSpacing(2)
        self._listed = ShortList(self.list)
        column.addWidget(self._listed)
        self._lost = ListColumn()
        column.addLayout(self._lost)
        self.propose_all = button(tr("Propose all"), tr("Adds joins to every contact that has none, depending on "
                                                        "how the pieces sit."),
                                  self._joining.propose, role="main")
        self.clear = button(tr("Remove all"), tr("Removes all joins from the plan."), self._clear, role="small")
        self.letter_all = button(
            tr("Letters"),
            tr("Engraves the number of the piece and a matching letter in both faces of every contact that has "
               "room."),
            self._joining.letter_all,
            role="small",
        )
        column.addLayout(row(self.propose_all, self.letter_all, self.clear, 1))
        self._about = label("", "head", wrap=True)
        self._sits = label("", "faint", wrap=True)
        self.book = ContactBook()
        self._legend = label("", "faint", wrap=True, rich=True)
        for part in (self._about, self._sits, self.book, self._legend):
            column.addWidget(part)
        self._add_buttons(column)
        self._this = QWidget()
        self._fill_this()
        column.addWidget(self._this)
        self.add(self._all)
        self.column.addStretch(1)
        self.book.chosen.connect(self._joining.select)
        self.book.moved.connect(self._joining.try_place)
        self.book.sized.connect(self._size)
        self.book.turned.connect(self._turn)
        self.book.let_go.connect(lambda what: self._joining.settle(_LET_GO[what]))
        self.book.dropped.connect(state.drop_draft)
        follow(self, self.refresh, self._joining.changed, state.outcome_changed, state.project_changed,
               state.draft_changed, state.live_changed, state.settings_changed)

    def _add_buttons(self, column: QVBoxLayout) -> None:
        self.propose = button(tr("Propose"), tr("Adds a join to this contact, depending on its room and on how "
                                                "both pieces sit."),
                              self._propose_here, role="small")
        self.adds = {
            kind: button(here.word, here.adds, partial(self._joining.add, kind), role="small")
            for kind, here in sorted(ON_DESK.items(), key=lambda one: one[1].place)
        }
        buttons = list(self.adds.values())
        column.addLayout(row(self.propose, label(tr("or add"), "faint"), *buttons[:3], 1, spacing=2))
        column.addLayout(row(*buttons[3:], 1, spacing=2))

    def _fill_this(self) -> None:
        column = QVBoxLayout(self._this)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(5)
        self._title = label("", "head")
        self._why = label("", "faint", wrap=True)
        self._wall = label("", "good", wrap=True)
        for part in (self._title, self._why, self._wall):
            column.addWidget(part)
        self._own = QGridLayout()
        self._own.setSpacing(4)
        column.addLayout(self._own)
        self.clearance = NumberField("mm", low=0, high=10, step=0.05, decimals=2)
        self.clearance.setAccessibleName(tr("Clearance, per side"))
        self.clearance.setToolTip(tr("The gap on each side between a part and its hole."))
        self.clearance.setFixedWidth(74)
        self.clearance.committed.connect(lambda value: self._joining.change(tr("change a clearance"), clearance=value))
        self.as_printer = button(tr("Use the printer's"), tr("Uses the clearance of the printer's profile."),
                                 lambda: self._joining.change(tr("change a clearance"), clearance=None),
                                 role="small")
        self.for_all = button(tr("Use for all"), tr("Uses this clearance for all joins of the plan."),
                              self._clearance_for_all,
                              role="small")
        self.gap = GapDrawing()
        self._gap = QWidget()
        left = QVBoxLayout()
        left.addLayout(row(label(tr("Clearance"), "faint"), self.clearance, 1, spacing=4))
        left.addLayout(row(self.as_printer, self.for_all, 1, spacing=4))
        beside = row(spacing=4)
        beside.addLayout(left, 1)
        beside.addWidget(self.gap)
        self._gap.setLayout(beside)
        column.addWidget(self._gap)
        self.rods = QLineEdit()
        self.rods.setAccessibleName(tr("Rods in stock"))
        self.rods.setToolTip(
            tr("The diameters of your rods in mm, separated by spaces or semicolons. Dowel holes and pins are made "
               "for these.")
        )
        self.rods.editingFinished.connect(self._type_rods)
        self._rods = QWidget()
        self._rods.setLayout(row(label(tr("Rods in stock"), "faint"), self.rods, label("mm", "faint"), spacing=4))
        column.addWidget(self._rods)
        self._switches = row(spacing=4)
        column.addLayout(self._switches)
        self.middle = button(tr("Move to the middle"), tr("Moves the join to where it has the most room."),
                             self._joining.to_middle,
                             role="small")
        self.remove = button(tr("Remove"), tr("Removes this join from the plan."), self._remove, role="small")
        self.presets = PresetsButton("joins", lambda: measures(self._joining.join),
                                     lambda values: self._joining.change(tr("take a preset"), **values),
                                     self._state.failed.emit)
        column.addLayout(row(self.middle, self.remove, self.presets, 1))

    # what the user does

    def _propose_here(self) -> None:
        self._joining.propose(self._joining.contact)

    def _clear(self) -> None:
        self._joining.remove([join.id for join in self._state.plan.joins])

    def _remove(self) -> None:
        join = self._joining.join
        if join is not None:
            self._joining.remove([join.id])

    def _clearance_for_all(self) -> None:
        self._state.fitting.clearance_for_all(self.clearance.value)

    def _size(self, factor: float) -> None:
        """Set the width of the selected join, as a multiple of its width before the drag."""
        join = self._joining.join
        if join is None:
            return
        before = self._state.plan.join(join.id)
        self._joining.try_change(**ON_DESK[join.kind].sized(before, factor, self._joining.stock))

    def _turn(self, degrees: float) -> None:
        """Turn the selected join, in degrees from its heading before the drag."""
        join = self._joining.join
        if join is not None:
            self._joining.try_turn(degrees, self._state.plan.join(join.id))

    def _type(self, field: Field, value: float) -> None:
        join = self._joining.join
        if join is not None:
            self._joining.change(tr("change a join"), **field.update(join, value))

    def _type_rods(self) -> None:
        """Read the list of rods. An entry that is not a number is reported, and changes nothing."""
        words = self.rods.text().replace(";", " ").split()
        try:
            sizes = [float(word.replace(",", ".").rstrip(".")) for word in words]
        except ValueError:
            sizes = []
        try:
            if tuple(sorted(set(sizes))) != self._joining.stock:
                self._joining.keep_stock(sizes)
        except DeftError as error:
            self._state.failed.emit(error)
        self._show_rods()

    def _show_rods(self) -> None:
        self.rods.setText("  ".join(f"{one:g}" for one in self._joining.stock))

    # what is shown

    def refresh(self) -> None:
        joining, contacts = self._joining, self._joining.contacts
        self._nothing.setVisible(not contacts)
        self._all.setVisible(bool(contacts))
        if not contacts:
            return
        contact = contacts[joining.contact]
        first, second = (self._state.pieces[n] for n in contact.pieces)
        catches = "" if contact.free else tr(" It catches on its way in, so only glue can hold it.")
        face = tr_in("a face", "flat") if contact.flat else tr_in("a face", "bent")
        area = tr("{area} to glue", area=text.area(contact.area))
        if not glued(joining, joining.contact):
            area = tr("{area} that turn, not glued", area=text.area(contact.area))
        self._about.setText(tr("Contact {number} – {number2}: {area}, {face}.{catches}", number=first.number,
                               number2=second.number, area=area, face=face, catches=catches))
        self._sits.setText(how_they_sit(self._state, contact))
        self._show_book(contact)
        self._show_this(contact)
        self._show_list()
        self.clear.setVisible(bool(self._state.plan.joins))

    def _show_book(self, contact: ContactFound) -> None:
        joining = self._joining
        frame = contact.frame
        drawn = []
        for join in joining.joins_of(joining.contact):
            report = joining.reports.get(join.id)
            outline = np.empty((0, 2)) if report is None else report.outline @ frame[:2].T
            at = frame[:2] @ np.array(join.at if report is None else report.place)
            out_of = join.carrier if isinstance(join, KeyJoin) else ""
            drawn.append(JoinDrawn(join.id, outline, at, out_of, bool(report and report.problem),
                                   self._heading(join, frame)))
        names = [f"{self._state.pieces[n].number} {self._state.pieces[n].name}" for n in contact.pieces]
        shown = BookShown((names[0], names[1]), tuple(ring @ frame[:2].T for ring in contact.outline), tuple(drawn),
                          joining.selected)
        # what follows the outline takes no circle of room
        one = joining.join
        room = joining.room_here if one is None or (len(one.holes(0.0)) and one.radius(0.0, 0.0) > 0) else None
        self._legend.setVisible(room is not None)
        if room is not None:
            printer, one = self._state.printer, joining.join
            reach = room.reach if one is None else one.radius(one.per_side(printer.clearance), printer.hole_allowance)
            shown = BookShown(shown.names, shown.rings, shown.joins, shown.selected, reach, room.low, room.step,
                              room.enough, room.bare)
            wall = self._state.printer.least_wall
            self._legend.setText(
                tr(
                    "With its middle on <b>teal</b> a join has at least {wall} of wall around it, on <b>straw</b> "
                    "less. On <b>plum</b> it breaks through.",
                    wall=text.given(wall),
                )
            )
        self.book.show_book(shown)

    def _heading(self, join: Join, frame: Floats) -> Floats | None:
        """The direction (2,) across its contact from which a join can be turned."""
        here = ON_DESK[join.kind]
        if not here.turns(join):
            return None
        heading = here.heading(join)
        across = np.array([1.0, 0.0]) if heading is None else frame[:2] @ np.array(heading)
        length = float(np.linalg.norm(across))
        return across / length if length > 1e-3 else np.array([1.0, 0.0])

    def _show_this(self, contact: ContactFound) -> None:
        join = self._joining.join
        on_it = join is not None and join in self._joining.joins_of(self._joining.contact)
        self._this.setVisible(on_it)
        if join is None or not on_it:
            return
        report = self._joining.reports.get(join.id)
        on = ""
        if isinstance(join, KeyJoin):
            on = tr(
                " on {number}", number=self._state.pieces[contact.pieces[0 if join.carrier == "first" else 1]].number
            )
        self._title.setText(f"{sentence(join.word)}{on}")
        self._why.setText(tr("Proposed because {why}.", why=join.why) if join.why else tr("Added by you."))
        self._show_wall(report)
        self._show_fields(join)
        self._gap.setVisible(join.holds)
        self._rods.setVisible(isinstance(join, DowelJoin | PivotJoin))
        if not self.rods.hasFocus():
            self._show_rods()
        self.middle.setVisible(bool(join.holes(0.0)))
        clearance = join.per_side(self._state.printer.clearance)
        self.clearance.set_value(clearance)
        self.as_printer.setEnabled(join.clearance is not None)
        self.gap.show_gap(clearance)

    def _show_wall(self, report: JoinReport | None) -> None:
        """Show the thinnest wall around the selected join, or why the join is not made."""
        if report is None:
            say(self._wall, "", "faint")
            return
        near = "≈ " if self._state.draft is not None else ""
        join = self._joining.join
        least = self._state.printer.least_wall if join is None else join.wall_needed(self._state.printer)
        if report.problem:
            say(self._wall, tr("Not made. {problem}", problem=report.problem), "look")
        elif math.isfinite(report.least_wall):
            enough = report.least_wall >= least
            more = tr("or more ") if report.least_wall >= 12.0 else ""
            words = "" if enough else tr(", less than the {least} that this printer needs", least=text.given(least))
            said = [tr("{near}Thinnest wall around it {wall} {more}", near=near, wall=text.length(report.least_wall, 1),
                       more=more).rstrip() + words + "."]
            say(self._wall, " ".join([*said, *report.warnings]), "good" if enough and not report.warnings else "look")
        else:
            say(self._wall, "", "faint")
        self._wall.setVisible(bool(self._wall.text()))

    def _show_fields(self, join: Join) -> None:
        """Show the fields and switches of the join's kind. They are built again if the kind or its fields differ
        from before.
        """
        here = ON_DESK[join.kind]
        own = here.fields(join)
        key = (join.id, tuple(field.name for field in own), tuple(one.words(join) for one in here.switches))
        if key != self._fields_for:
            self._fields_for = key
            emptied(self._own)
            self._fields = put_fields(self._own, own, self._type, 74, _decimals)
            emptied(self._switches)
            for switch in here.switches:
                words = switch.words(join)
                self._switches.addWidget(button(words, switch.does, partial(self._switch, words), role="small"))
            self._switches.addStretch(1)
        for field, shown in self._fields:
            shown.set_value(round(field.value(join), 2))

    def _switch(self, words: str) -> None:
        """Press the switch with these words."""
        join = self._joining.join
        if join is not None:
            switch = next(one for one in ON_DESK[join.kind].switches if one.words(join) == words)
            self._joining.change(tr("change a join"), **switch.update(join))

    def _show_list(self) -> None:
        joining = self._joining
        rows = []
        for number in joining.worst_first():
            contact = joining.contacts[number]
            said, role = self._said_of(number)
            first, second = (self._state.pieces[n].number for n in contact.pieces)
            rows.append((number, f"{first} – {second}", text.area(contact.area), said, role))
        lost = tuple(join.id for join in joining.homeless)
        key = (tuple(rows), joining.contact, lost)
        if key == self._rows_for:
            return
        self._rows_for = key
        emptied(self.list)
        for number, pieces, area, said, role in rows:
            shown = ContactRow(pieces, area, said, role, chosen=number == joining.contact)
            shown.clicked.connect(partial(joining.select_contact, number))
            self.list.addWidget(shown)
        self._listed.setFixedHeight(min(_ROW * len(rows), _SHORT))
        emptied(self._lost)
        if lost:
            words = tr("{count} joins", count=len(lost)) if len(lost) > 1 else tr("One join")
            self._lost.addWidget(
                label(tr("{words} without a contact, because the cut is off, was moved or was "
                         "removed.", words=words), "look", wrap=True)
            )
            self._lost.addWidget(button(tr("Remove them"), tr("Removes joins without a contact from the plan."),
                                       partial(joining.remove, lost), role="small"))

    def _said_of(self, number: int) -> tuple[str, str]:
        """What is on a contact, and the role of the words."""
        joins = self._joining.joins_of(number)
        reports = [self._joining.reports[join.id] for join in joins if join.id in self._joining.reports]
        if not joins:
            return tr("no join yet"), "look"
        if any(report.problem for report in reports):
            return tr("not made"), "look"
        joins = [join for join in joins if join.answers] or joins
        if all(join.answers and not join.holds for join in joins):
            return tr("glue only"), "faint"
        if len({type(join) for join in joins}) > 1:
            words = tr_many("{n} join", "{n} joins", len(joins))
        else:
            words = f"{len(joins)} × {joins[0].word}" if len(joins) > 1 else joins[0].word
        printer, reported = self._state.printer, self._joining.reports
        wall = min(report.least_wall for report in reports)
        thin = any(reported[join.id].least_wall < join.wall_needed(printer) for join in joins if join.id in reported)
        said = tr("{words} · wall {wall}", words=words, wall=text.length(wall, 1)) if math.isfinite(wall) else words
        return said, "look" if thin else "good"
