"""Twin view: two choices side by side, seen from the same place, with the figures that differ."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial
from itertools import chain

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ..desk_state import DeskState
from ..ledger.model import COLUMNS, Row, cell_text, difference
from ..messages.replies import Evaluated
from ..messages.requests import Evaluate
from ..refresh.binding import follow
from ..scene.camera import Camera
from ..scene.scene_view import SceneView
from ..scene.subject import SceneSubject
from ..state.desk import Entry
from ..widgets.basics import button, emptied, label, row

_IN_A_ROW = 5
_SAMPLED = 4000
"""Corners of each piece that are framed, about."""
NOW = "now"
"""The name, among those of choices, of the plan on the bed."""


class TwinPane(SceneView):
    """One half: a plan on its bed. Dragging with the left button rotates, with the middle button pans, and the wheel
    zooms, in both halves at once.
    """

    looked = Signal(object)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.evaluated: Evaluated | None = None
        self._own = False  # whether the user has chosen the view
        self._last: QPointF | None = None
        self.setMinimumSize(200, 200)

    def show_plan(self, evaluated: Evaluated | None) -> None:
        """Show a plan, or that it is being evaluated."""
        self.evaluated = evaluated
        if evaluated is not None:
            self.wake()
            view = replace(
                self._state.view,
                in_place=False,
                hidden=frozenset(),
                as_it_came=False,
                hidden_below=0.0,
                hidden_above=math.inf,
                faces=(),
            )
            self.put_on(SceneSubject(self._state.printer, evaluated, view=view))
        self.update()

    def fill(self) -> None:
        """Frame the pieces and what is below them, unless the user has chosen the view."""
        if self.scene is None or self._own:
            return
        points = []
        for one in self.scene.placed:
            vertices = one.piece.solid.vertices
            points.append(one.pose.of(vertices[:: max(1, len(vertices) // _SAMPLED)]))
        found = np.concatenate(points)
        self.look(self.camera.framing(np.concatenate([found, found * [1, 1, 0]]), self.width(), self.height()))

    def seen_as(self, camera: Camera) -> None:
        """Look through another camera from now on, because the user chose it."""
        self._own = True
        self.look(camera)

    def fill_again(self) -> None:
        """Frame the pieces whatever view the user has chosen before."""
        self._own = False
        self.fill()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fill()

    def redress(self) -> None:
        super().redress()
        if self.evaluated is not None:
            self.show_plan(self.evaluated)

    @property
    def waiting_words(self) -> str:
        return tr("Measuring …") if self.evaluated is None else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._last is None or not event.buttons():
            return
        dx, dy = event.position().x() - self._last.x(), event.position().y() - self._last.y()
        self._last = event.position()
        turns = Qt.MouseButton.MiddleButton if self._state.settings.swap_drag else Qt.MouseButton.LeftButton
        moved = self.camera.turned(dx, dy) if event.buttons() & turns else self.camera.moved(dx, dy, self.height())
        self.looked.emit(moved)

    def wheelEvent(self, event: QWheelEvent) -> None:
        at = event.position()
        factor = 1.0015 ** event.angleDelta().y()
        self.looked.emit(self.camera.nearer(factor, at.x(), at.y(), self.width(), self.height()))


class TwinView(QWidget):
    closed = Signal()

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._names: list[str] = []
        self.panes = (TwinPane(state), TwinPane(state))
        self.picks = (QComboBox(), QComboBox())
        across = QGridLayout()
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(2)
        for side, (pane, pick) in enumerate(zip(self.panes, self.picks, strict=True)):
            pick.setToolTip(tr("The choice on this side."))
            pick.setAccessibleName((tr("Choice on the left"), tr("Choice on the right"))[side])
            pick.activated.connect(self.refresh)
            pane.looked.connect(partial(self._look, side))
            across.addWidget(pick, 0, side)
            across.addWidget(pane, 1, side)
        across.setRowStretch(1, 1)
        self.close_button = button(tr("Close twin view"), tr("Closes the twin view."), self.closed.emit)
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(16)
        self._figures.setVerticalSpacing(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 6)
        head = label(tr("Below are the figures that differ, and by how much the right side is more or less."), "faint")
        column.addLayout(row(self.close_button, head, 1))
        column.addLayout(across, 1)
        column.addLayout(self._figures)
        follow(self, self._on_changed, state.project_changed, state.outcome_changed)

    def begin(self) -> None:
        """Show the plan on the bed beside the latest choice that differs from it."""
        self._fill()
        plan = self._state.plan
        others = [choice.id for choice in self._state.project.choices if choice.plan != plan]
        self._choose(1, others[-1] if others else NOW)
        self._choose(0, NOW)
        for pane in self.panes:
            pane.fill_again()
        self.refresh()

    def _on_changed(self) -> None:
        if self._state.is_open:
            self._fill()
            self.refresh()

    def _fill(self) -> None:
        """Fill the lists of names; the selection stays if it still exists."""
        project = self._state.project
        names = [(NOW, tr("On the bed now")), *((choice.id, choice.name) for choice in project.choices)]
        for pick in self.picks:
            before = pick.currentData()
            pick.clear()
            for name, words in names:
                pick.addItem(words, name)
            pick.setCurrentIndex(max(pick.findData(before), 0))

    def _choose(self, side: int, name: str) -> None:
        self.picks[side].setCurrentIndex(max(self.picks[side].findData(name), 0))

    def _plan(self, side: int) -> Plan:
        name = self.picks[side].currentData()
        found = [choice.plan for choice in self._state.project.choices if choice.id == name]
        return found[0] if found else self._state.plan

    def refresh(self) -> None:
        """Evaluate what is missing, and show the rest."""
        state = self._state
        for side, pane in enumerate(self.panes):
            plan = self._plan(side)
            if pane.evaluated is not None and pane.evaluated.of(plan, state.printer):
                continue
            if state.evaluated is not None and state.up_to_date and plan == state.plan:
                self._show(side, state.evaluated)
                continue
            pane.show_plan(None)
            printer = state.printer
            state.ask(
                f"choice:twin{side}", Evaluate(plan, printer), done=partial(self._show, side),
                still=partial(self._wants, side, plan, printer), label=tr("Measuring a choice"),
            )
        self._show_figures()

    def _wants(self, side: int, plan: Plan, printer: Printer) -> bool:
        """Whether a side shows a plan on a printer."""
        return (self._plan(side), self._state.printer) == (plan, printer)

    def _show(self, side: int, evaluated: Evaluated) -> None:
        pane = self.panes[side]
        pane.show_plan(evaluated)
        pane.fill()
        self._show_figures()

    def _look(self, side: int, camera: Camera) -> None:
        """One half is viewed from elsewhere: the other one follows, in proportion to its own scale."""
        before, other = self.panes[side].camera, self.panes[1 - side]
        scale = other.camera.distance / before.distance
        x, y, z = (np.array(other.camera.focus) + scale * np.subtract(camera.focus, before.focus)).tolist()
        self.panes[side].seen_as(camera)
        other.seen_as(replace(camera, focus=(x, y, z), distance=scale * camera.distance))

    def _show_figures(self) -> None:
        emptied(self._figures)
        found = [pane.evaluated for pane in self.panes if pane.evaluated is not None]
        if len(found) < len(self.panes):
            return
        rows = [Row(None, "", "", one.outcome.plan, Entry(one.outcome.totals, None, one.work)) for one in found]
        differing: list[tuple[QLabel, QLabel]] = []
        for column in COLUMNS:
            shown = [cell_text(column, one) for one in rows]
            if shown[0] == shown[1]:
                continue
            said = difference(column, *rows)
            both = label(f"{shown[0]}  |  {shown[1]}", "figure")
            differing.append((label(f"{column.name}  {said}", "faint"), both))
        across = self._in_a_row(differing)
        for place, (title, both) in enumerate(differing):
            line = 2 * (place // across)
            self._figures.addWidget(title, line, place % across)
            self._figures.addWidget(both, line + 1, place % across)
        if not differing:
            self._figures.addWidget(label(tr("No figure differs."), "faint"), 0, 0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_figures()

    def _in_a_row(self, differing: list[tuple[QLabel, QLabel]]) -> int:
        """How many of the figures fit side by side, each under its title, without being cut off."""
        for one in chain(*differing):
            one.setParent(self)  # it has the window's style only on the window
            one.ensurePolished()
        widths = [max(title.sizeHint().width(), both.sizeHint().width()) for title, both in differing]
        for across in range(_IN_A_ROW, 1, -1):
            columns = [max(widths[n::across], default=0) for n in range(across)]
            if sum(columns) + (across - 1) * self._figures.horizontalSpacing() <= self.width() - 16:
                return across
        return 1

    def sleep(self) -> None:
        """Release VTK."""
        for pane in self.panes:
            pane.sleep()
