"""The page on costs: every figure of this seat, and what leaning or lifting it would change."""

from __future__ import annotations

from functools import partial

from ....core.locale import text
from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...messages.replies import SeatShown
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, emptied, label, line, row, say
from ...widgets.legend import SupportBar
from ...widgets.number import NumberField
from .find import SeatRow


class CostsPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head(tr("What this seat costs"))
        self._bar = SupportBar()
        self._rows = self.add_figures(
            (term("Support volume"), tr("The whole space between overhangs and whatever is below them."))
        )
        self.add(self._bar)
        self._rows |= self.add_figures(
            (term("on the bed"), tr("Support that ends on the bed.")),
            (term("on the piece"), tr("Support that ends on the piece and scars it.")),
            (term("hard to reach"), tr("Support in places that are almost closed (hatched). It is a part of the "
                                       "two figures above.")),
            (term("plastic in it"), tr("Support volume times the printer's support density.")),
            (term("Overhang area"), tr("Area of the facets past the threshold that do not rest on the bed.")),
            (term("Touched area"), tr("The supported area, and the area of the piece that support stands on.")),
            (term("Scar on show faces"), tr("The part of the touched area that lies on show faces.")),
            (term("Kept clear"), tr("The area that needs support but is kept clear of it, so that it would hang in "
                                    "the air.")),
        )
        self.add(line())
        self._rows |= self.add_figures(
            (term("Base area"), tr("Area that rests on the bed, within 0.2 mm.")),
            (term("Tips at"), tr("The angle by which the piece can be tilted before it falls over.")),
            (term("Height"), tr("The height above the bed, including the lift.")),
            (term("Layers"), tr("At the printer's usual layer height.")),
            (
                term("Largest layer"),
                tr("The largest area of a layer. Large layers pull hard on the film of a resin printer."),
            ),
            (term("Sudden growth"), tr("The largest increase in area from one layer to the next.")),
            (term("Nearly level underside"), tr("The area that faces down within 10° of level and does not rest on "
                                                "the bed.")),
            (term("Time"), tr("An estimate from the printer's profile, for this piece alone on the bed.")),
        )
        self._verdict = label("", "good", wrap=True)
        self.add(self._verdict)
        self.head(tr("Lean or lift"))
        self.add(label(tr("A slight lean off flat is worst. A clear lean makes small layers."), "faint", wrap=True))
        self.lift = NumberField("mm", low=0.5, high=100, step=1, decimals=1)
        self.lift.set_value(5.0)
        self.lift.setAccessibleName(tr("Lift to compare with"))
        self.lift.setToolTip(tr("How far above the bed the piece would be in the lifted comparisons."))
        self.compare = button(tr("Compare"), tr("Measures this seat and the best lean from it, on the bed and "
                                                "lifted."),
                              self._compare)
        self.add(row(self.compare, label(tr("lifted by"), "faint"), self.lift, 1))
        self.ways = self.add_list()
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.selection_changed, state.view_changed,
            state.seating.changed,
        )

    def _compare(self) -> None:
        if self._state.up_to_date:
            self._state.seating.compare_ways(self.lift.value)

    def refresh(self) -> None:
        state, piece = self._state, self._state.piece
        self.setEnabled(state.is_open)
        if piece is None or not state.is_open:
            return
        f = piece.figures
        self._bar.show_parts(f.support_on_bed_mm3, f.support_on_piece_mm3, f.support_inside_mm3)
        for name, shown in {
            "Support volume": text.volume(f.support_volume_mm3), "on the bed": text.volume(f.support_on_bed_mm3),
            "on the piece": text.volume(f.support_on_piece_mm3), "hard to reach": text.volume(f.support_inside_mm3),
            "plastic in it": text.volume(f.support_volume_mm3 * state.printer.support_density),
            "Overhang area": text.area(f.overhang_area_mm2), "Touched area": text.area(f.touched_area_mm2),
            "Scar on show faces": text.area(f.show_scar_mm2), "Kept clear": text.area(f.unheld_area_mm2),
            "Base area": text.area(f.base_area_mm2), "Tips at": text.degrees(f.tipping_deg),
            "Height": text.mm(f.height_mm), "Layers": tr("{layers:,} of {layer_height}", layers=f.layers,
                                                         layer_height=text.layer(state.printer.layer_height)),
            "Largest layer": text.area(f.largest_layer_mm2), "Sudden growth": text.area(f.layer_growth_mm2),
            "Nearly level underside": text.area(f.level_underside_mm2), "Time": "≈ " + text.hours(f.print_seconds),
        }.items():
            self._rows[name].setText(shown)
        if piece.lift > 0:
            say(
                self._verdict,
                tr("The piece stands on its support only, {lift} above the bed.", lift=text.given(piece.lift)),
                "faint",
            )
        elif f.sits_flat:
            say(self._verdict, tr("✓ sits flat") + ("" if piece.alone else f" · {piece.seat_kind}"), "good")
        elif f.tipping_deg < 0:
            say(self._verdict, tr("The piece falls over in this seat, because its centre of mass is not above its "
                                  "base."), "look")
        else:
            say(self._verdict, tr("The piece does not sit flat: too little of it lies on the bed, or it tips too "
                                  "easily."), "look")
        self._fill_ways(state.seating.ways)

    def _fill_ways(self, ways: tuple[SeatShown, ...]) -> None:
        emptied(self.ways)
        for shown in ways:
            f, first = shown.seat.figures, ways[0].seat.figures
            layer = text.signed(text.area(abs(f.largest_layer_mm2 - first.largest_layer_mm2)),
                                f.largest_layer_mm2 - first.largest_layer_mm2)
            difference = "" if shown is ways[0] else tr(" · largest layer {layer}", layer=layer)
            way = SeatRow("", shown, difference, False, partial(self._state.seating.keep, shown))
            way.clicked.connect(partial(self._state.seating.take, tr("take “{kind}”", kind=shown.seat.kind),
                                        shown.seat.tilt,
                                        shown.seat.lift))
            self.ways.addWidget(way)
