"""Tilt: turn the model, or seat it on a facet, and see what that costs."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QGridLayout

from ...core.plan import Tilt
from ..state import DeskState
from ..widgets import text
from ..widgets.legend import SupportBar
from ..widgets.number import NumberField
from ..widgets.parts import Panel, button, label, line, row, say

AXES = (
    ("Sideways", (0.0, 1.0, 0.0), "about the bed's depth: the left or right side goes down"),
    ("Forward", (1.0, 0.0, 0.0), "about the bed's width: the front or the back goes down"),
    ("Around", (0.0, 0.0, 1.0), "about the vertical: changes how it fits the bed, and no other figure"),
)
STEPS = (-15.0, -5.0, 5.0, 15.0)


class TiltPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head("What this seat costs")
        self._bar = SupportBar()
        self._rows = self.add_figures(("Support volume", "The whole space between overhangs and what is below them."))
        self.add(self._bar)
        self._rows |= self.add_figures(
            ("on the bed", "Support that ends on the bed."),
            ("on the piece", "Support that ends on the piece and scars it."),
            ("hard to reach", "Support where hardly a ray gets out (hatched); a part of the two above."),
            ("plastic in it", "Support volume times the printer's support density."),
            ("Overhang area", "Area of the facets past the threshold that do not rest on the bed."),
            ("Landing area", "Area of the piece that support stands on."),
        )
        self.add(line())
        self._rows |= self.add_figures(
            ("Base area", "Area that rests on the bed, within 0.2 mm."),
            ("Tips at", "Angle by which it can be tilted before it falls over."),
            ("Height", "Height on the bed."),
        )
        self._verdict = label("", "good", wrap=True)
        self.add(self._verdict)
        self.head("Seat it")
        self.pick = button(
            "On a facet …", "Then click, on the bed, the facet that should lie down.", self._pick, checkable=True,
            role="main",
        )  # fmt: skip
        over = button("Turn over", "Turns it upside down, about the bed's depth.", lambda: state.turn((0, 1, 0), 180))
        back = button(
            "As opened", "Back to how it stood in its file.", lambda: state.set_tilt("stand as opened", Tilt())
        )
        self.add(row(self.pick, over, back))
        self.head("Turn it")
        grid = QGridLayout()
        grid.setSpacing(4)
        self.turns: dict[str, NumberField] = {}
        for place, (name, axis, tip) in enumerate(AXES):
            grid.addWidget(label(name), place, 0)
            for column, degrees in enumerate(STEPS):
                sign = "−" if degrees < 0 else "+"
                grid.addWidget(
                    button(f"{sign}{abs(degrees):g}°", f"{name} by {degrees:g}°, {tip}.",
                           partial(self._turn, axis, degrees), role="small"),
                    place, column + 1,
                )  # fmt: skip
            typed = NumberField("°", low=-360, high=360, step=5, decimals=1)
            typed.setMinimumWidth(52)
            typed.set_value(0.0)
            typed.setAccessibleName(f"{name} by")
            typed.setToolTip(f"Turns by the typed angle, {tip}. Enter turns.")
            typed.committed.connect(partial(self._turn_typed, axis, typed))
            grid.addWidget(typed, place, 5)
            self.turns[name] = typed
        self.add(grid)
        self.head("Needs support past")
        self.threshold = NumberField("°", low=0, high=89, step=5, decimals=1)
        self.threshold.setAccessibleName("Overhang threshold")
        self.threshold.setToolTip("Facets that hang over more than this need support. A larger angle makes less of it.")
        self.threshold.committed.connect(self._set_threshold)
        self._from = label("", "faint")
        self.add(row(self.threshold, self._from, 1))
        self.column.addStretch(1)
        for signal in (state.outcome_changed, state.project_changed, state.selection_changed, state.view_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _pick(self) -> None:
        if self._state.in_place and len(self._state.pieces) > 1:
            self._state.show(in_place=False)
        self._state.pointing.begin("facet" if self.pick.isChecked() else "")

    def _turn(self, axis: tuple[float, float, float], degrees: float) -> None:
        if self._state.plan is not None:
            self._state.turn(axis, degrees)

    def _turn_typed(self, axis: tuple[float, float, float], field: NumberField, degrees: float) -> None:
        field.set_value(0.0)
        self._turn(axis, degrees)

    def _set_threshold(self, shown: float) -> None:
        wall = self._state.settings.angle_from == "wall"
        self._state.set_threshold(min(shown if wall else 90 - shown, 89.0))

    def refresh(self) -> None:
        state, piece = self._state, self._state.piece
        self.setEnabled(state.model is not None)
        self.pick.setChecked(state.pointing.kind == "facet")
        wall = state.settings.angle_from == "wall"
        self._from.setText(
            f"from the {state.settings.angle_from}" + (" (a wall is 0°)" if wall else " (a ceiling is 0°)")
        )
        if piece is None or state.plan is None:
            return
        self.threshold.set_value(state.plan.threshold if wall else 90 - state.plan.threshold)
        f = piece.figures
        self._bar.show_parts(f.support_on_bed_mm3, f.support_on_piece_mm3, f.support_inside_mm3)
        for name, shown in {
            "Support volume": text.volume(f.support_volume_mm3), "on the bed": text.volume(f.support_on_bed_mm3),
            "on the piece": text.volume(f.support_on_piece_mm3), "hard to reach": text.volume(f.support_inside_mm3),
            "plastic in it": text.volume(f.support_volume_mm3 * state.printer.support_density),
            "Overhang area": text.area(f.overhang_area_mm2), "Landing area": text.area(f.landing_area_mm2),
            "Base area": text.area(f.base_area_mm2), "Tips at": text.degrees(f.tipping_deg),
            "Height": text.mm(f.height_mm),
        }.items():  # fmt: skip
            self._rows[name].setText(shown)
        if f.sits_flat:
            say(self._verdict, "✓ sits flat" + ("" if piece.alone else f" · {piece.seat_kind}"), "good")
        elif f.tipping_deg < 0:
            say(self._verdict, "Falls over as it stands: its weight is outside what it stands on.", "look")
        else:
            say(self._verdict, "Does not sit flat: too little lies on the bed, or it tips too easily.", "look")
