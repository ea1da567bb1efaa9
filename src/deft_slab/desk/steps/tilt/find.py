"""The page on finding a seat: the tilt map, the seats worth trying, and what matters here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QSlider, QVBoxLayout, QWidget

from ....core.geometry.orientation import Tilt
from ....core.locale import text
from ....core.locale.translate import tr
from ....core.search.weighing import AIMS, PRESETS, Weights, blend, parts_of
from ...desk_state import DeskState
from ...look.qt_pictures import pixmap_of
from ...messages.replies import SeatShown
from ...refresh.binding import follow, quietly
from ...widgets.basics import Panel, button, label, row, say
from ...widgets.kept_rows import KeptRows
from ...widgets.listed_row import ListedRow
from ...widgets.presets_button import PresetsButton
from ...widgets.tilt_map import SeatsOnMap, TiltDisc

FIGURES: dict[str, tuple[str, Callable[[float], str]]] = {
    "support_volume_mm3": (tr("support volume"), text.volume),
    "overhang_area_mm2": (tr("overhang area"), text.area),
    "touched_area_mm2": (tr("touched area"), text.area),
    "show_scar_mm2": (tr("scar on show faces"), text.area),
    "height_mm": (tr("height"), text.mm),
    "largest_layer_mm2": (tr("largest layer"), text.area),
    "level_underside_mm2": (tr("nearly level underside"), text.area),
    "print_seconds": (tr("time"), text.hours),
    "blend": (tr("what matters here"), lambda value: text.number(value, 2)),
}
"""What can colour the map: words, and how a value of it is shown."""

_WEIGHT_WORDS = {
    "support": (tr("Little support"), tr("How much support volume counts.")),
    "clean": (
        tr("Clean show faces"),
        tr("How much scar on show faces counts. If no show faces are marked, all touched area counts."),
    ),
    "quick": (tr("Quick"), tr("How much the estimated hours count.")),
    "steady": (tr("Stands steadily"), tr("How much sitting flat and not tipping over easily count.")),
    "small_layers": (
        tr("Small layers"),
        tr("How much the largest layer and nearly level undersides count (for resin)."),
    ),
}


class SeatRow(ListedRow):
    """A seat worth trying: the reason, and its figures."""

    def __init__(self, number: str, shown: SeatShown, difference: str, chosen: bool, keep: Callable[[], None]) -> None:
        f = shown.seat.figures
        fits = shown.seat.fit.fits
        flat = tr("✓ sits flat") if f.sits_flat else tr("! not flat")
        if not fits:
            flat += f" · ! {shown.seat.fit.sentence()}"
        scar = tr(" · scar {area}", area=text.area(f.show_scar_mm2)) if f.show_scar_mm2 > 0.05 else ""
        super().__init__(
            number, shown.picture, shown.seat.kind, f"{flat} · {text.hours(f.print_seconds)}{scar}{difference}",
            text.volume(f.support_volume_mm3), good=f.sits_flat and fits, chosen=chosen, keep=keep,
        )
        self.setAccessibleName(tr("Seat {number}: {kind}", number=number, kind=shown.seat.kind))
        costs = (
            tr("support {volume}", volume=text.volume(f.support_volume_mm3)), tr("overhang {area}",
                                                                                 area=text.area(f.overhang_area_mm2)),
            tr("touched {area}", area=text.area(f.touched_area_mm2)), tr("scar on show faces {area}",
                                                                         area=text.area(f.show_scar_mm2)),
            tr("{length} high", length=text.mm(f.height_mm)), tr("largest layer {area}",
                                                                 area=text.area(f.largest_layer_mm2)),
        )
        self.setToolTip(tr("{kind}: {list}. Click to use this seat.", kind=shown.seat.kind, list=", ".join(costs)))


class FindPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._seating = state, state.seating
        self._turned_over = False
        self._shown_weights: Weights | None = None
        self._held = False
        self._before: dict[str, float] = {}
        self._now: dict[str, float] = {}
        self.figure = QComboBox()
        for name, (words, _) in FIGURES.items():
            self.figure.addItem(words, name)
        self.figure.setToolTip(tr("The figure that colours the map: light is little, dark is much."))
        self.figure.setAccessibleName(tr("Figure of the tilt map"))
        self.figure.activated.connect(lambda n: self._seating.show_figure(self.figure.itemData(n)))
        self.other_side = button(
            tr("Upside down in the middle"), tr("Puts the model upside down in the middle of the map."), self._turn,
            checkable=True, role="small",
        )
        self.add(row(label(tr("Directions down, by"), "faint"), self.figure, 1))
        self.map = TiltDisc()
        self.map.hovered.connect(self._on_hovered)
        self.map.rested.connect(self._seating.peek)
        self.map.chosen.connect(self._seating.take_down)
        self._seating.peeked.connect(self._on_peeked)
        self.add(self.map)
        self._said = label("", "faint", wrap=True)
        self._said.setMinimumHeight(46)
        self._said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._peek = QLabel()
        self._peek.hide()
        self._peek.setFixedSize(70, 48)
        beside = QVBoxLayout()
        beside.addWidget(self._said)
        across = row(self._peek)
        across.addLayout(beside, 1)
        self.add(across)
        self.again = button(tr("Continue the search"), tr("Continues the search after it was "
                                                          "stopped."), self._seating.look_again,
                            role="small")
        self.all = button(tr("Seat all pieces"), tr("Puts every piece in its best seat by what matters here."),
                          self._seating.seat_all, role="small")
        self.add(row(self.other_side, self.again, 1))
        self.add(row(self.all, 1))
        self.head(tr("Seats worth trying, best first by what matters here"))
        self.seats = self.add_list()
        self._rows = KeptRows(self.seats, self._row)
        self.seats.setSpacing(2)
        self._add_weights()
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            self._seating.changed, state.project_changed, state.selection_changed, state.view_changed,
            state.outcome_changed,
        )
        state.jobs.progressed.connect(self._show_buttons)

    def _add_weights(self) -> None:
        self.head(tr("What matters here"))
        self.sliders: dict[str, QSlider] = {}
        self._counts: dict[str, QLabel] = {}
        self._effects: dict[str, QLabel] = {}
        grid = QGridLayout()
        grid.setSpacing(4)
        for column, words in ((2, tr("weight")), (3, tr("at the best"))):
            head = label(words, "faint")
            head.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(head, 0, column)
        for place, aim in enumerate(AIMS, 1):
            words, tip = _WEIGHT_WORDS[aim]
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, 100)
            slider.setSingleStep(5)
            slider.setAccessibleName(words)
            slider.setToolTip(tip)
            slider.valueChanged.connect(self._weigh)
            self.sliders[aim] = slider
            self._counts[aim] = label("", "figure")
            self._counts[aim].setToolTip(tr("How much this counts against the others, from 0 to 100."))
            self._effects[aim] = label("", "faint")
            self._effects[aim].setToolTip(
                tr("What the best seat has of this, before → now. 0 is the least of all seats, 1 is usual.")
            )
            grid.addWidget(label(words), place, 0)
            grid.addWidget(slider, place, 1)
            for column, part, width in ((2, self._counts[aim], 38), (3, self._effects[aim], 72)):
                part.setFixedWidth(width)
                part.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                grid.addWidget(part, place, column)
        self.add(grid)
        filament = button(tr("As for filament"), tr("Little support and standing steadily first."),
                          partial(self._seating.weigh, PRESETS["filament"]), role="small")
        resin = button(tr("As for resin"), tr("Clean faces and small layers first."),
                       partial(self._seating.weigh, PRESETS["resin"]), role="small")
        self.presets = PresetsButton("seats", lambda: ("", self._seating.weights.model_dump()),
                                     lambda values: self._seating.weigh(Weights.model_validate(values)),
                                     self._state.failed.emit)
        self.add(row(filament, resin, self.presets, 1))

    # what the user does

    def _turn(self) -> None:
        self._turned_over = self.other_side.isChecked()
        self.refresh()

    def _weigh(self) -> None:
        self._seating.weigh(Weights(**{aim: slider.value() for aim, slider in self.sliders.items()}))

    def _on_hovered(self, down: np.ndarray | None) -> None:
        self._peek.setVisible(down is not None)
        if down is None:
            self._peek.clear()
        self._say(down)

    def _on_peeked(self, picture: np.ndarray) -> None:
        if self.map.underMouse() or self.map.hasFocus():
            self._peek.setPixmap(pixmap_of(picture, self._peek.width(), self._peek.height()))

    # what is shown

    def _middle(self) -> np.ndarray:
        """The rotation (3, 3) that turns the direction in the middle of the map to -z: the model as it was opened,
        or upside down.
        """
        over = Tilt.turn((0.0, 1.0, 0.0), 180.0) if self._turned_over else Tilt()
        return over.after(self._state.plan.model.tilt_as_opened).rotation

    def refresh(self) -> None:
        seating = self._seating
        self.setEnabled(self._state.is_open)
        self.figure.setCurrentIndex(list(FIGURES).index(seating.figure))
        self._show_buttons()
        for aim, slider in self.sliders.items():
            weight = getattr(seating.weights, aim)
            with quietly(slider):
                slider.setValue(weight)
            self._counts[aim].setText(f"{weight:.0f}")
        if seating.figures is None or seating.now is None:
            self.map.show_map(None)
            self._fill_seats(())
            return
        self.map.show_map(
            SeatsOnMap(self._middle(), seating.figures, seating.values(seating.figures), seating.now, seating.flats,
                  tuple(np.array(one.seat.tilt.down) for one in seating.seats), tuple(seating.trail))
        )
        self._say(self.map.pointer)
        self._fill_seats(seating.seats)
        self._show_effects()

    def _show_buttons(self, *_progress: object) -> None:
        seating = self._seating
        stopped = self._state.up_to_date and not seating.seats and not seating.busy
        self.again.setVisible(stopped)
        self.all.setVisible(len(self._state.pieces) > 1)

    def _say(self, down: np.ndarray | None) -> None:
        """Show the figures of the direction under the pointer; without a direction, the range of the map."""
        seating = self._seating
        figures = seating.figures
        if figures is None:
            return
        words, shown = FIGURES[seating.figure]
        if down is None:
            values = seating.values(figures)
            middle = tr("upside down") if self._turned_over else tr("as opened")
            self._said.setText(
                tr(
                    "{figure}: {least} (light) to {most} (dark). In the middle: {middle}. Squares are flat faces, "
                    "circles the seats below, and the cross is the present seat.",
                    figure=words,
                    least=shown(float(values.min())),
                    most=shown(float(values.max())),
                    middle=middle,
                )
            )
            return
        n = int(np.argmax(figures.down @ down))  # the direction looked at that is nearest
        flat = tr("sits flat") if figures.sits_flat[n] > 0.5 else tr("not flat")
        self._said.setText(
            tr(
                "≈ support {volume}, overhang {area}, scar {area2}, {length} high, {time}, {flat}",
                volume=text.volume(float(figures.support_volume_mm3[n])),
                area=text.area(float(figures.overhang_area_mm2[n])),
                area2=text.area(float(figures.show_scar_mm2[n])),
                length=text.mm(float(figures.height_mm[n])),
                time=text.hours(float(figures.print_seconds[n])),
                flat=flat,
            )
        )

    def _fill_seats(self, seats: tuple[SeatShown, ...]) -> None:
        now = self._seating.now

        def is_now(shown: SeatShown) -> bool:
            return now is not None and float(np.array(shown.seat.tilt.down) @ now) > 1 - 1e-6

        listed = [(number, shown, is_now(shown)) for number, shown in enumerate(seats, 1)]
        self._rows.show(listed or [None])

    def _row(self, of: tuple[int, SeatShown, bool] | None) -> QWidget:
        if of is None:
            return label(tr("They appear once the map is complete."), "faint", wrap=True)
        number, shown, chosen = of
        line = SeatRow(str(number), shown, tr(" · now") if chosen else "", chosen, partial(self._seating.keep, shown))
        line.clicked.connect(
            partial(self._seating.take, tr("take the seat “{kind}”", kind=shown.seat.kind), shown.seat.tilt)
        )
        return line

    def _show_effects(self) -> None:
        """Show how good the best direction by the weights is in each aim, and how good it was before the weights
        were changed.
        """
        seating = self._seating
        if seating.figures is None:
            return
        parts = parts_of(seating.figures, seating.has_show_faces)
        best = int(np.argmin(blend(parts, seating.weights)))
        now = {aim: float(parts[aim][best]) for aim in AIMS}
        if seating.weights != self._shown_weights:
            held = any(slider.isSliderDown() for slider in self.sliders.values())
            if not (held and self._held):  # what was before a slider is dragged stays so until it is let go
                self._before = self._now
            self._held, self._shown_weights = held, seating.weights
        self._now = now
        for aim, effect in self._effects.items():
            before = self._before.get(aim, now[aim])
            changed, after = abs(before - now[aim]) >= 0.005, text.number(now[aim], 2)
            say(effect, f"{text.number(before, 2)} → {after}" if changed else after, "faint")
