"""Dry fit: putting the pieces together on the screen, move by move."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSlider, QVBoxLayout

from ....core.cuts.words import words_along
from ....core.reports import DryMove
from ...whole import DeskState
from ...widgets import text
from ...widgets.binding import follow
from ...widgets.parts import ClickRow, Panel, button, emptied, label, row

_PER_MOVE = 20
"""Steps of the slider for each move."""
_TOWARDS = {"upper": "up", "lower": "down", "left": "to the left", "right": "to the right", "front": "to the front",
            "back": "to the back"}  # fmt: skip


class MoveRow(ClickRow):
    def __init__(self, number: int, said: str, free: str, role: str, *, chosen: bool) -> None:
        super().__init__("chosen" if chosen else "row")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 3, 8, 3)
        column.setSpacing(1)
        column.addWidget(label(f"{number}  {said}", "title", wrap=True))
        column.addWidget(label(free, role, wrap=True))
        self.setAccessibleName(f"Move {number}: {said}. {free}")
        self.setToolTip("Shows this move.")


class DryFitPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._joining = state, state.joining
        self._rows_for: object = None
        self._said = label("", "faint", wrap=True)
        self.add(self._said)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Dry fit")
        self.slider.setToolTip("From all apart, on the left, to put together, on the right.")
        self.slider.valueChanged.connect(self._on_slid)
        self.before = button("Back", "To before this move.", partial(self._go, -1), role="small")
        self.after = button("On", "Makes the next move.", partial(self._go, 1), role="small")
        across = row(self.before)
        across.addWidget(self.slider, 1)
        across.addWidget(self.after)
        self.add(across)
        self.list = self.add_list()
        self.list.setSpacing(2)
        self.column.addStretch(1)
        follow(self, self.refresh, self._joining.changed, state.outcome_changed, state.project_changed)

    def begin(self) -> None:
        """Asks for the moves, and shows the pieces as the slider has them."""
        self._joining.fit_dry()
        self.refresh()

    @property
    def _moves(self) -> tuple[DryMove, ...]:
        return self._joining.fitted or ()

    def refresh(self) -> None:
        if len(self._state.pieces) < 2:
            self._said.setText("Nothing to put together: the model is whole.")
        elif not self._moves:
            self._joining.fit_dry()
            self._said.setText("Looking for the order in which the pieces go together …")
        else:
            stuck = sum(move.meets is not None for move in self._moves)
            words = "Free all the way" if not stuck else f"{stuck} of them meet{'s' if stuck == 1 else ''} something"
            many = f"{len(self._moves)} moves, the last cut first" if len(self._moves) > 1 else "One move"
            self._said.setText(f"{many}. {words}.")
        self.slider.setEnabled(bool(self._moves))
        if self.slider.maximum() != _PER_MOVE * len(self._moves):
            self.slider.setRange(0, _PER_MOVE * len(self._moves))
        self._show_list()
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
            shown = MoveRow(number + 1, self._words(move), free, role, chosen=number == at)
            shown.clicked.connect(partial(self._to, number))
            self.list.addWidget(shown)

    def _words(self, move: DryMove) -> str:
        """Which pieces go where."""
        numbers = {n: self._state.pieces[n].number for n in (*move.pieces, *move.onto)}
        moving, onto = (", ".join(str(numbers[n]) for n in own) for own in (move.pieces, move.onto))
        along = self._state.plan.tilt.rotation @ np.array(move.along)
        straight = float(np.abs(along).max()) > math.cos(math.radians(2.0))
        slanting = "" if straight else "slanting "
        goes = "go" if len(move.pieces) > 1 else "goes"
        return f"{moving} {goes} {slanting}{_TOWARDS[words_along(along, 1)]} on to {onto}"

    def _free(self, move: DryMove) -> tuple[str, str]:
        glue = text.area(sum(self._joining.contacts[n].area for n in move.contacts if n < len(self._joining.contacts)))
        if move.meets is None:
            return f"free all the way · {glue} to glue", "good"
        one, other = (self._state.pieces[n].number for n in move.meets)
        return f"{one} meets {other} after {text.mm(move.free)} · {glue} to glue", "look"

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
        """Puts the pieces where they are after so many moves."""
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
        known = self._state.view.fitted
        if known is None or not np.array_equal(known, fitted):
            self._state.show(fitted=fitted, in_place=True)
