"""The page on tilting by hand: turning about the axes of the bed or of the view, or seating on a face that is
pointed at.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QGridLayout, QPushButton

from ....core.locale.translate import tr, tr_in
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, label, row
from ...widgets.number import NumberField

AXES = (
    (tr("Sideways"), (0.0, 1.0, 0.0), tr("about the bed's depth: the left or right side goes down")),
    (tr("Forward"), (1.0, 0.0, 0.0), tr("about the bed's width: the front or the back goes down")),
    (tr("Around"), (0.0, 0.0, 1.0), tr("about the vertical: changes how it fits the bed, and no other figure")),
)
STEPS = (-15.0, -5.0, 5.0, 15.0)
PICKS = (
    ("facet", tr("On a facet …"), tr("Click this, then click the facet in the view that should lie on the bed.")),
    ("three", tr("On three points …"), tr("Click this, then click three points in the view. The plane through them "
                                          "lies on the bed.")),
    ("region", tr("On a region …"), tr("Click this, then click a smooth region in the view. The plane that fits it "
                                       "best lies on the bed.")),
    (
        "up",
        tr("Up along two points …"),
        tr("Click this, then click a lower and an upper point in the view. The direction between them points up."),
    ),
)


Turn = Callable[[float], None]
"""Turns by so many degrees."""


class ByHandPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head(tr("Seat it on"))
        self.picks: dict[str, QPushButton] = {}
        grid = QGridLayout()
        grid.setSpacing(6)
        for place, (kind, words, tip) in enumerate(PICKS):
            self.picks[kind] = button(words, tip, partial(self._pick, kind), checkable=True,
                                      role="main" if kind == "facet" else "")
            grid.addWidget(self.picks[kind], place // 2, place % 2)
        over = button(tr("Turn over"), tr("Turns the piece upside down, about the depth of the bed."),
                      lambda: state.seats.turn((0, 1, 0), 180))
        back = button(tr("Stand as opened"), tr("Restores how the model stood in its file."), self._as_opened)
        grid.addWidget(over, 2, 0)
        grid.addWidget(back, 2, 1)
        self.add(grid)
        self.head(tr("Turn it"))
        self.drag = button(
            tr("Lean it by hand …"),
            tr("Click this, then drag the pole or the mark on the bed. The angle is shown; Shift turns in steps of "
               "5°."),
            partial(self._pick, "turn"),
            checkable=True,
        )
        self.add(self.drag)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.turns: dict[str, NumberField] = {}
        for place, (name, axis, tip) in enumerate(AXES):
            self._axis(grid, place, name, tip, partial(self._turn, axis))
        self._axis(grid, len(AXES), tr("In the view"), tr("about the line of sight, counter-clockwise as you see it"),
                   self._turn_in_view)
        self.add(grid)
        self.add(label(tr("In the view, the keys [ and ] turn the piece forward by 5°, { and } "
                          "sideways."), "faint", wrap=True))
        self.head(tr("Needs support past"))
        self.threshold = NumberField("°", low=0, high=89, step=5, decimals=1)
        self.threshold.setAccessibleName(tr("Overhang threshold"))
        self.threshold.setToolTip(
            tr("Facets that overhang by more than this need support. A larger angle needs less support.")
        )
        self.threshold.committed.connect(self._set_threshold)
        self._from = label("", "faint")
        self.add(row(self.threshold, self._from, 1))
        self.head(tr("Lift above the bed"))
        self.lift = NumberField("mm", low=0, high=100, step=1, decimals=1)
        self.lift.setAccessibleName(tr_in("over the bed", "Lift"))
        self.lift.setToolTip(
            tr("At 0 mm the piece is printed directly on the bed. Lifted, it stands on support only, as is usual "
               "in resin printing.")
        )
        self.lift.committed.connect(state.seats.set_lift)
        self._lifted = label("", "faint")
        self.add(row(self.lift, self._lifted, 1))
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.selection_changed, state.view_changed,
        )

    def _axis(self, grid: QGridLayout, place: int, name: str, tip: str, turn: Turn) -> None:
        grid.addWidget(label(name), place, 0)
        for column, degrees in enumerate(STEPS):
            sign = "−" if degrees < 0 else "+"
            grid.addWidget(
                button(f"{sign}{abs(degrees):g}°", tr("{name} by {degrees:g}°, {tip}.", name=name, degrees=degrees,
                                                      tip=tip), partial(turn, degrees),
                       role="small"),
                place, column + 1,
            )
        typed = NumberField("°", low=-360, high=360, step=5, decimals=1)
        typed.setMinimumWidth(52)
        typed.set_value(0.0)
        typed.setAccessibleName(tr("{name} by", name=name))
        typed.setToolTip(tr("Turns by the typed angle, {tip}. Enter turns.", tip=tip))
        typed.committed.connect(partial(self._turn_typed, turn, typed))
        grid.addWidget(typed, place, 5)
        self.turns[name] = typed

    def _pick(self, kind: str) -> None:
        state = self._state
        if state.view.in_place and len(state.pieces) > 1:
            state.show(in_place=False)
        state.pointing.begin("" if state.pointing.kind == kind else kind)

    def _as_opened(self) -> None:
        self._state.seats.set(tr("stand as opened"), self._state.plan.model.tilt_as_opened)

    def _turn(self, axis: tuple[float, float, float], degrees: float) -> None:
        if self._state.is_open:
            self._state.seats.turn(axis, degrees)

    def _turn_in_view(self, degrees: float) -> None:
        self._turn(self._state.line_of_sight, degrees)

    def _turn_typed(self, turn: Turn, field: NumberField, degrees: float) -> None:
        field.set_value(0.0)
        turn(degrees)

    def _set_threshold(self, shown: float) -> None:
        wall = self._state.settings.angle_from == "wall"
        self._state.seats.set_threshold(min(shown if wall else 90 - shown, 89.0))

    def refresh(self) -> None:
        state, piece = self._state, self._state.piece
        self.setEnabled(state.is_open)
        for kind, pick in self.picks.items():
            pick.setChecked(state.pointing.kind == kind)
        self.drag.setChecked(state.pointing.kind == "turn")
        wall = state.settings.angle_from == "wall"
        self._from.setText(tr("from the wall (a wall is 0°)") if wall else tr("from the bed (a ceiling is 0°)"))
        if piece is None or not state.is_open:
            return
        self.threshold.set_value(state.plan.threshold if wall else 90 - state.plan.threshold)
        self.lift.set_value(piece.lift)
        self._lifted.setText(tr("stands on support only") if piece.lift > 0 else tr("directly on the bed"))
