"""Wearer: forms and other models at their own size, and the room around them."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QVBoxLayout, QWidget

from ....core import text
from ....core.intake.endings import ENDINGS
from ....core.plan import UNITS, Guest, GuestForm
from ....core.tilt import Tilt
from ....core.wearer.measures import FORMS
from ...whole import DeskState
from ...widgets.binding import follow
from ...widgets.number import NumberField
from ...widgets.parts import Panel, button, emptied, label, row, say


class WearerPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head("Put in at its own size")
        self.adds = {
            key: button(form.title, f"Puts a {form.title.lower()} in the middle of the model, made from its "
                        f"{form.measure}.", partial(self._add, key))
            for key, form in FORMS.items()
        }  # fmt: skip
        self.add_model = button("A model …", "Another file: a ruler, a part that it must fit.", self._ask_model)
        self.add(row(*self.adds.values(), self.add_model, 1))
        self._list = self.add_list()
        self._this = QWidget()
        self._fill_this()
        self.add(self._this)
        self._begin = label(
            "Put a head into a helmet or a hand into a gauntlet: it keeps its size while you scale the prop, and shows "
            "where it pokes through.", "faint", wrap=True,
        )  # fmt: skip
        self.add(self._begin)
        self.column.addStretch(1)
        follow(self, self.refresh, state.outcome_changed, state.project_changed, state.selection_changed)

    def _fill_this(self) -> None:
        wearing = self._state.wearing
        column = QVBoxLayout(self._this)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(5)
        self._title = label("", "head")
        column.addWidget(self._title)
        self._measure_name = label("")
        self.measure = NumberField("mm", low=1, high=1e4, step=5, decimals=1)
        self.measure.setToolTip("The measure that the form is made from.")
        self.measure.setAccessibleName("Measure of the form")
        self.measure.committed.connect(self._set_measure)
        column.addLayout(row(self._measure_name, 1, self.measure))
        self.unit = QComboBox()
        self.unit.addItems(list(UNITS))
        self.unit.setAccessibleName("Unit of the other model")
        self.unit.setToolTip("What one unit of the other model is.")
        self.unit.textActivated.connect(lambda unit: wearing.change("change a guest's unit", unit=unit))
        self._unit_row = QWidget()
        self._unit_row.setLayout(row(label("One unit of it is a"), 1, self.unit))
        column.addWidget(self._unit_row)
        self.places: list[NumberField] = []
        for axis, name in enumerate(("To the right", "To the back", "Up")):
            field = NumberField("mm", low=-1e5, high=1e5, step=1, decimals=1)
            field.setAccessibleName(name)
            along = f"along the file's {'XYZ'[axis]} axis"
            field.setToolTip(f"Where its origin is {along}; it stays there on the prop when you scale.")
            field.committed.connect(lambda value, axis=axis: self._move(axis, value))
            self.places.append(field)
            column.addLayout(row(label(name), 1, field))
        self.around = [
            button(words, tip, partial(self._turn, axis, degrees), role="small")
            for words, tip, axis, degrees in (
                ("↺ 15°", "Turns it about the upright axis.", (0.0, 0.0, 1.0), 15.0),
                ("↻ 15°", "Turns it about the upright axis, the other way.", (0.0, 0.0, 1.0), -15.0),
                ("Nod +5°", "Leans it forward.", (1.0, 0.0, 0.0), 5.0),
                ("Nod −5°", "Leans it back.", (1.0, 0.0, 0.0), -5.0),
            )
        ]  # fmt: skip
        column.addLayout(row(label("Turn"), *self.around, 1, spacing=4))
        self.settle = button("To where there is room", "Moves it, near its place, to where it has most air around it.",
                             wearing.settle)  # fmt: skip
        column.addLayout(row(self.settle, 1))
        column.addWidget(label("Room around it", "head"))
        self._room = label("", "good", wrap=True)
        column.addWidget(self._room)
        self.clearance = NumberField("mm", low=0, high=500, step=1, decimals=1)
        self.clearance.setAccessibleName("Wished clearance")
        self.clearance.setToolTip("Air wished between it and the prop on all sides: padding, hair, a glove.")
        self.clearance.committed.connect(lambda value: wearing.change("change a clearance", clearance=value))
        column.addLayout(row(label("Wished clearance"), 1, self.clearance))
        self.scale = button("Scale the prop to it", "Scales the prop, about this guest, until the wished clearance is "
                            "just kept.", wearing.scale_to_clearance, role="main")  # fmt: skip
        self.remove = button("Take it away", "Removes it; undo brings it back.", wearing.remove)
        column.addLayout(row(self.scale, self.remove, 1))

    def _add(self, key: GuestForm) -> None:
        self._state.wearing.add(key, FORMS[key].title, FORMS[key].usual)

    def _ask_model(self) -> None:
        endings = " ".join(f"*{ending}" for ending in ENDINGS)
        name, _ = QFileDialog.getOpenFileName(self, "Another model to show beside it", "", f"Models ({endings})")
        if name:
            self._state.wearing.add_file(Path(name))

    def _set_measure(self, value: float) -> None:
        guest = self._state.wearing.guest
        form = FORMS.get(guest.form) if guest else None
        if form is not None:
            self._state.wearing.change(f"change a {form.title.lower()}", measure=min(max(value, form.least), form.most))
            self.refresh()

    def _move(self, axis: int, value: float) -> None:
        guest = self._state.wearing.guest
        if guest is None:
            return
        place = list(guest.place)
        place[axis] = value / float(self._state.plan.factors[axis])
        self._state.wearing.change("move a guest", place=tuple(place))

    def _turn(self, axis: tuple[float, float, float], degrees: float) -> None:
        guest = self._state.wearing.guest
        if guest is not None:
            self._state.wearing.change("turn a guest", turn=guest.turn.after(Tilt.turn(axis, degrees)))

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.is_open)
        emptied(self._list)
        guests = state.plan.guests if state.is_open else ()
        for guest in guests:
            shown = QCheckBox("shown")
            shown.setChecked(guest.shown)
            shown.setToolTip("Hidden, it stays in the plan and is not looked at.")
            shown.clicked.connect(partial(self._show_guest, guest.id))
            choose = button(guest.name, "Chooses it.", partial(state.wearing.select, guest.id), checkable=True)
            choose.setChecked(guest.id == state.wearing.selected)
            self._list.addLayout(row(choose, 1, shown))
        chosen = state.wearing.guest
        self._this.setVisible(chosen is not None)
        self._begin.setVisible(chosen is None)
        if chosen is not None:
            self._show_this(chosen)

    def _show_this(self, guest: Guest) -> None:
        """The figures of the chosen guest."""
        state = self._state
        form = FORMS.get(guest.form)
        self._title.setText(guest.name)
        self._measure_name.setText(form.measure.capitalize() if form else "")
        for part in (self._measure_name, self.measure):
            part.setVisible(form is not None)
        self._unit_row.setVisible(form is None)
        self.unit.setCurrentText(guest.unit)
        if form is not None:
            self.measure.setAccessibleName(form.measure.capitalize())
            self.measure.setToolTip(f"{form.measure.capitalize()}, from {form.least:g} to {form.most:g} mm.")
            self.measure.set_value(guest.measure)
        for axis, field in enumerate(self.places):
            field.set_value(round(guest.place[axis] * float(state.plan.factors[axis]), 1))
        self.clearance.set_value(guest.clearance)
        self._say_room(guest.id, guest.clearance)

    def _show_guest(self, guest_id: str, shown: bool) -> None:
        self._state.wearing.select(guest_id)
        self._state.wearing.change("show or hide a guest", shown=shown)

    def _say_room(self, guest_id: str, wished: float) -> None:
        state = self._state
        room = state.evaluated.outcome.guests.get(guest_id) if state.evaluated and state.up_to_date else None
        if room is None:
            say(self._room, "Measuring …" if not state.up_to_date else "Not shown.", "faint")
        elif room.clearance is None:
            say(self._room, "The prop is nowhere near it.", "faint")
        elif room.clearance < 0 and not room.poking_area:
            say(self._room, "It lies inside the wall of the prop. Move it into the open.", "look")
        elif room.clearance < 0:
            say(self._room, f"Pokes through: {text.area(room.poking_area)} of the prop's surface is inside it, up to "
                f"{-room.clearance:.1f} mm deep.", "look")  # fmt: skip
        elif room.clearance < wished:
            say(self._room, f"Smallest clearance {room.clearance:.1f} mm; {wished:g} mm are wished.", "look")
        else:
            say(self._room, f"✓ Smallest clearance {room.clearance:.1f} mm.", "good")
