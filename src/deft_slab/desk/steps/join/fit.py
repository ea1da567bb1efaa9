"""The page on the dry fit: putting the pieces together on the screen, move by move."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSlider, QWidget

from ....core.arrays import Floats
from ....core.cuts.side_names import side_along
from ....core.joins.reports import DryFit, DryMove, TurnChecked
from ....core.locale import text
from ....core.locale.translate import tr, tr_in, tr_many
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...state.joins import Joining
from ...widgets.basics import Panel, SaidRow, button, emptied, label, row

_MOST_MEETINGS = 5
_PER_MOVE = 20
"""Steps of the slider for each move."""
_TOWARDS = {
    "upper": tr_in("moves", "up"), "lower": tr_in("moves", "down"), "left": tr("to the left"),
    "right": tr("to the right"), "front": tr("to the front"), "back": tr("to the back"),
}


def way_words(along: Floats) -> str:
    """A direction in words, such as "slanting up".

    Parameters
    ----------
    along : (3,) float64
        Unit vector (3,), as the prop stands.
    """
    straight = float(np.abs(along).max()) > math.cos(math.radians(2.0))
    way = _TOWARDS[side_along(along, 1)]
    return way if straight else tr("diagonally {way}", way=way)


def glued(joining: Joining, contact: int) -> float:
    """The area to glue on a contact in mm²; none where a joint moves."""
    moves = any(one.turn is not None and one.contact == contact for one in joining.reports.values())
    return 0.0 if moves else joining.contacts[contact].area


class DryFitPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._joining, self._fitting = state, state.joining, state.fitting
        self._rows_for: object = None
        self._more_for: tuple[DryFit, int] | None = None
        self._turned = 0
        """The number of the joint that is turned."""
        self._said = label("", "faint", wrap=True)
        self.add(self._said)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(tr("Dry fit"))
        self.slider.setToolTip(tr("From all pieces apart, on the left, to fully assembled, on the right."))
        self.slider.valueChanged.connect(self._on_slid)
        self.before = button(tr("Back"), tr("Goes back to before this move."), partial(self._go, -1), role="small")
        self.after = button(tr("Next move"), tr("Makes the next move."), partial(self._go, 1), role="small")
        across = row(self.before)
        across.addWidget(self.slider, 1)
        across.addWidget(self.after)
        self.add(across)
        self.list = self.add_list()
        self.list.setSpacing(2)
        self._moving = self.add_list()
        self.turn = QSlider(Qt.Orientation.Horizontal)
        self.turn.setAccessibleName(tr("Turn"))
        self.turn.setToolTip(tr("Turns the joint through its range, and a little beyond both ends."))
        self.turn.valueChanged.connect(self._on_turned)
        self._angle = label("", "")
        self._turning = QWidget()
        across = row(self._angle)
        across.insertWidget(0, self.turn, 1)
        self._turning.setLayout(across)
        self.add(self._turning)
        self._meeting = self.add_list()
        self.column.addStretch(1)
        follow(
            self,
            self.refresh,
            self._joining.changed,
            state.fitting.changed,
            state.outcome_changed,
            state.project_changed,
        )

    def begin(self) -> None:
        """Request the moves, and show the pieces as the slider has them."""
        self._fitting.fit_dry()
        self.refresh()

    @property
    def _moves(self) -> tuple[DryMove, ...]:
        return self._fitting.fitted.moves if self._fitting.fitted is not None else ()

    def refresh(self) -> None:
        if len(self._state.pieces) < 2:
            self._said.setText(tr("There is nothing to put together, because the model is uncut."))
        elif not self._moves:
            self._fitting.fit_dry()
            self._said.setText(tr("Finding the order in which the pieces go together …"))
        else:
            stuck = sum(move.meets is not None for move in self._moves)
            words = tr("Nothing is in the way") if not stuck else tr_many(
                "{n} move meets something", "{n} moves meet something", stuck
            )
            many = tr_many("One move", "{n} moves; the last cut is closed first", len(self._moves))
            self._said.setText(f"{many}. {words}.")
        self.slider.setEnabled(bool(self._moves))
        if self.slider.maximum() != _PER_MOVE * len(self._moves):
            self.slider.setRange(0, _PER_MOVE * len(self._moves))
        self._show_list()
        self._show_more()
        self._show_fit()

    @property
    def _dry(self) -> DryFit:
        return self._fitting.fitted or DryFit(())

    def _show_more(self) -> None:
        """Show the joints that move, and where seams meet."""
        dry, before = self._dry, self._more_for
        self._turned = min(self._turned, max(len(dry.turns) - 1, 0))
        if before == (dry, self._turned):
            return
        self._more_for = (dry, self._turned)
        emptied(self._moving)
        emptied(self._meeting)
        if dry.turns:
            self._moving.addWidget(label(tr("Joints that move"), "head"))
        for number, one in enumerate(dry.turns):
            said, role = self._turn_words(one)
            contact = self._joining.contacts[one.contact]
            first, second = (self._state.pieces[n].number for n in contact.pieces)
            reach = tr("{angle} to {angle2}", angle=text.degrees(one.turn.low), angle2=text.degrees(one.turn.high))
            shown = SaidRow(
                tr("{second} turns on {first}, {reach}", second=second, first=first, reach=reach),
                said,
                role,
                tr("Shows this place."),
                chosen=number == self._turned,
            )
            shown.clicked.connect(partial(self._choose_turn, number))
            self._moving.addWidget(shown)
        self._turning.setVisible(bool(dry.turns) and dry.turns[self._turned].held_by is None)
        if self._turning.isVisibleTo(self) and (before is None or before[0] is not dry):
            angles = dry.turns[self._turned].angles
            self.turn.setRange(math.floor(angles[0]), math.ceil(angles[-1]))
            self.turn.setValue(0)
            self._angle.setText(text.degrees(0.0))
        if dry.meetings:
            self._meeting.addWidget(label(tr("Errors that add up where seams meet"), "head"))
        for met in dry.meetings[:_MOST_MEETINGS]:
            said = tr(
                "{count} seams: probably {likely} off, at worst {worst}",
                count=len(met.contacts),
                likely=text.length(met.likely, 1),
                worst=text.length(met.worst, 1),
            )
            cap = button(tr("Add a cap"), tr("Adds a round cap over this place, which is printed separately."),
                         partial(self._fitting.cap, met), role="small")
            across = row(spacing=6)
            across.addWidget(label(said, "faint", wrap=True), 1)
            across.addWidget(cap)
            self._meeting.addLayout(across)
        more = len(dry.meetings) - _MOST_MEETINGS
        if more > 0:
            self._meeting.addWidget(label(tr("… and {more} more that are not worse.", more=more), "faint"))

    def _turn_words(self, one: TurnChecked) -> tuple[str, str]:
        """The result for a joint that moves, and the role of the words."""
        if one.held_by is not None:
            first, second = (self._state.pieces[n].number for n in self._joining.contacts[one.held_by].pieces)
            return tr("it cannot turn, because {first} – {second} holds it as well", first=first, second=second), "look"
        low, high = one.free
        if low <= one.turn.low and high >= one.turn.high:
            return tr("turns freely over its whole range"), "good"
        at = [angle for angle, overlap in zip(one.angles, one.overlaps, strict=True) if overlap > 0]
        nearest = min((angle for angle in at if not low <= angle <= high), key=abs, default=0.0)
        reach = tr("free from {angle} to {angle2}", angle=text.degrees(low), angle2=text.degrees(high))
        return tr("{reach}; at {angle} it meets something", reach=reach, angle=text.degrees(nearest)), "look"

    def _choose_turn(self, number: int) -> None:
        self._turned, self._more_for = number, None
        self._show_more()

    def _on_turned(self) -> None:
        self._angle.setText(text.degrees(self.turn.value()))
        if self.slider.value() != self.slider.maximum():
            self.slider.setValue(self.slider.maximum())
        self._show_fit()

    def _show_list(self) -> None:
        at = min(self.slider.value() // _PER_MOVE, len(self._moves) - 1) if self._moves else -1
        key = (self._moves, at)
        if key == self._rows_for:
            return
        self._rows_for = key
        emptied(self.list)
        for number, move in enumerate(self._moves):
            free, role = self._free(move)
            said = f"{number + 1}  {self._words(move)}"
            shown = SaidRow(said, free, role, tr("Shows this place."), chosen=number == at)
            shown.clicked.connect(partial(self._to, number))
            self.list.addWidget(shown)

    def _words(self, move: DryMove) -> str:
        """Which pieces go where in a move."""
        numbers = {n: self._state.pieces[n].number for n in (*move.pieces, *move.onto)}
        moving, onto = (", ".join(str(numbers[n]) for n in own) for own in (move.pieces, move.onto))
        along = self._state.plan.tilt.rotation @ np.array(move.along)
        return tr_many("{moving} moves {way} onto {onto}", "{moving} move {way} onto {onto}", len(move.pieces),
                       moving=moving,
                       way=way_words(along), onto=onto)

    def _free(self, move: DryMove) -> tuple[str, str]:
        joining = self._joining
        glue = text.area(sum(glued(joining, n) for n in move.contacts if n < len(joining.contacts)))
        if move.meets is None:
            return tr("free all the way · {glue} to glue", glue=glue), "good"
        one, other = (self._state.pieces[n].number for n in move.meets)
        return tr(
            "{one} meets {other} after {length} · {glue} to glue",
            one=one,
            other=other,
            length=text.mm(move.free),
            glue=glue,
        ), "look"

    def _go(self, by: int) -> None:
        at = self.slider.value() / _PER_MOVE
        to = math.floor(at + 1) if by > 0 else math.ceil(at - 1)
        self.slider.setValue(_PER_MOVE * to)

    def _to(self, move: int) -> None:
        self.slider.setValue(_PER_MOVE * move + _PER_MOVE // 2)

    def _on_slid(self) -> None:
        self._show_list()
        self._show_fit()

    def _show_fit(self) -> None:
        """Put the pieces where they are after as many moves as the slider says."""
        if not self.isVisible() or not self._moves:
            return
        done = self.slider.value() / _PER_MOVE
        fitted = np.zeros((len(self._state.pieces), 3))
        for number, move in enumerate(self._moves):
            left = float(np.clip(number + 1 - done, 0.0, 1.0))
            for piece in move.pieces:
                fitted[piece] -= left * np.array(move.along)
        contacts, reports = self._joining.contacts, self._joining.reports
        for number, one in enumerate(self._state.pieces):
            report = reports.get(one.sides[0].cut) if one.extra else None
            if report is not None and report.contact is not None:
                # what is printed apart is put into the first piece before the second one comes
                fitted[number] = fitted[contacts[report.contact].pieces[0]]
        turned = self._turned_pieces()
        shown = self._state.view
        same = shown.fitted is not None and np.array_equal(shown.fitted, fitted)
        if not same or (shown.turned or {}).keys() != turned.keys() or any(
            not np.array_equal(turn, (shown.turned or {})[piece]) for piece, turn in turned.items()
        ):
            self._state.show(fitted=fitted, turned=turned, in_place=True)

    def _turned_pieces(self) -> dict[int, Floats]:
        """The poses of pieces that a joint has turned, once everything is put together."""
        turns = self._dry.turns
        if not turns or turns[self._turned].held_by is not None or self.slider.value() < self.slider.maximum():
            return {}
        one = turns[self._turned]
        angle = float(np.clip(self.turn.value(), one.angles[0], one.angles[-1]))
        return {piece: one.turn.at(angle) for piece in one.pieces} if angle else {}
