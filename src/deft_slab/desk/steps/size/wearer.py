"""The page on the wearer: forms and other models at their own size, and the room around them."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QVBoxLayout, QWidget

from ....core.formats import chooser
from ....core.geometry.orientation import Tilt
from ....core.locale import text
from ....core.locale.translate import sentence, tr
from ....core.plan.plan import UNITS, Guest, GuestForm
from ....core.wearer.measures import FORMS
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, emptied, label, row, say
from ...widgets.number import NumberField


class WearerPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head(tr("Put in at its own size"))
        self.adds = {
            key: button(form.title, tr("Adds this form in the middle of the model, made from one measure: "
                                       "{measure}.",
                                     measure=form.measure), partial(self._add, key))
            for key, form in FORMS.items()
        }
        self.add_model = button(tr("Add a model …"), tr("Adds a model from another file, such as a ruler or a part "
                                                    "that the prop must fit."), self._ask_model)
        self.add(row(*self.adds.values(), self.add_model, 1))
        self._list = self.add_list()
        self._this = QWidget()
        self._fill_this()
        self.add(self._this)
        self._begin = label(
            tr(
                "Put a head into a helmet or a hand into a gauntlet. It keeps its size while you scale the prop, "
                "and shows where it pokes through."
            ),
            "faint",
            wrap=True,
        )
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
        self.measure.setToolTip(tr("The measure that the form is made from."))
        self.measure.setAccessibleName(tr("Measure of the form"))
        self.measure.committed.connect(self._set_measure)
        column.addLayout(row(self._measure_name, 1, self.measure))
        self.unit = QComboBox()
        self.unit.addItems(list(UNITS))
        self.unit.setAccessibleName(tr("Unit of the other model"))
        self.unit.setToolTip(tr("What one unit of the other model is."))
        self.unit.textActivated.connect(lambda unit: wearing.change(tr("change a guest's unit"), unit=unit))
        self._unit_row = QWidget()
        self._unit_row.setLayout(row(label(tr("One unit is a")), 1, self.unit))
        column.addWidget(self._unit_row)
        self.places: list[NumberField] = []
        for axis, name in enumerate((tr("To the right"), tr("To the back"), tr("Up"))):
            field = NumberField("mm", low=-1e5, high=1e5, step=1, decimals=1)
            field.setAccessibleName(name)
            along = tr("along the file's {axis} axis", axis="XYZ"[axis])
            field.setToolTip(tr("The place of its origin {along}. It stays there on the prop when you "
                                "scale.", along=along))
            field.committed.connect(lambda value, axis=axis: self._move(axis, value))
            self.places.append(field)
            column.addLayout(row(label(name), 1, field))
        self.around = [
            button(words, tip, partial(self._turn, axis, degrees), role="small")
            for words, tip, axis, degrees in (
                ("↺ 15°", tr("Turns it about the upright axis."), (0.0, 0.0, 1.0), 15.0),
                ("↻ 15°", tr("Turns it the other way about the upright axis."), (0.0, 0.0, 1.0), -15.0),
                (tr("Nod +5°"), tr("Leans it forward."), (1.0, 0.0, 0.0), 5.0),
                (tr("Nod −5°"), tr("Leans it back."), (1.0, 0.0, 0.0), -5.0),
            )
        ]
        column.addLayout(row(label(tr("Turn")), *self.around, 1, spacing=4))
        self.settle = button(tr("Move to where there is room"), tr("Moves it to the place nearby with the most room "
                                                              "around it."),
                             wearing.settle)
        column.addLayout(row(self.settle, 1))
        column.addWidget(label(tr("Room around it"), "head"))
        self._room = label("", "good", wrap=True)
        column.addWidget(self._room)
        self.clearance = NumberField("mm", low=0, high=500, step=1, decimals=1)
        self.clearance.setAccessibleName(tr("Clearance wanted"))
        self.clearance.setToolTip(tr("The room wanted between it and the prop on all sides, for padding, hair or a "
                                     "glove."))
        self.clearance.committed.connect(lambda value: wearing.change(tr("change a clearance"), clearance=value))
        column.addLayout(row(label(tr("Clearance wanted")), 1, self.clearance))
        self.scale = button(
            tr("Scale the prop to it"),
            tr("Scales the prop around this guest until there is just the clearance wanted."),
            wearing.scale_to_clearance,
            role="main",
        )
        self.remove = button(tr("Remove it"), tr("Removes it; undo brings it back."), wearing.remove)
        column.addLayout(row(self.scale, self.remove, 1))

    def _add(self, key: GuestForm) -> None:
        self._state.wearing.add(key, FORMS[key].title, FORMS[key].usual)

    def _ask_model(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Another model to show beside it"), "", tr("Models ({list})", list=chooser())
        )
        if name:
            self._state.wearing.add_file(Path(name))

    def _set_measure(self, value: float) -> None:
        guest = self._state.wearing.guest
        form = FORMS.get(guest.form) if guest else None
        if form is not None:
            self._state.wearing.change(
                tr("change the measure of a guest"), measure=min(max(value, form.least), form.most)
            )
            self.refresh()

    def _move(self, axis: int, value: float) -> None:
        guest = self._state.wearing.guest
        if guest is None:
            return
        place = list(guest.place)
        place[axis] = value / float(self._state.plan.factors[axis])
        self._state.wearing.change(tr("move a guest"), place=tuple(place))

    def _turn(self, axis: tuple[float, float, float], degrees: float) -> None:
        guest = self._state.wearing.guest
        if guest is not None:
            self._state.wearing.change(tr("turn a guest"), turn=guest.turn.after(Tilt.turn(axis, degrees)))

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.is_open)
        emptied(self._list)
        guests = state.plan.guests if state.is_open else ()
        for guest in guests:
            shown = QCheckBox(tr("shown"))
            shown.setChecked(guest.shown)
            shown.setToolTip(tr("A hidden guest stays in the plan but is not measured."))
            shown.clicked.connect(partial(self._show_guest, guest.id))
            choose = button(guest.name, tr("Selects this "
                                           "guest."), partial(state.wearing.select, guest.id), checkable=True)
            choose.setChecked(guest.id == state.wearing.selected)
            self._list.addLayout(row(choose, 1, shown))
        chosen = state.wearing.guest
        self._this.setVisible(chosen is not None)
        self._begin.setVisible(chosen is None)
        if chosen is not None:
            self._show_this(chosen)

    def _show_this(self, guest: Guest) -> None:
        """Show the figures of the chosen guest."""
        state = self._state
        form = FORMS.get(guest.form)
        self._title.setText(guest.name)
        self._measure_name.setText(sentence(form.measure) if form else "")
        for part in (self._measure_name, self.measure):
            part.setVisible(form is not None)
        self._unit_row.setVisible(form is None)
        self.unit.setCurrentText(guest.unit)
        if form is not None:
            self.measure.setAccessibleName(sentence(form.measure))
            self.measure.setToolTip(
                tr(
                    "{measure}, from {least} to {most}.",
                    measure=sentence(form.measure),
                    least=text.given(form.least),
                    most=text.given(form.most),
                )
            )
            self.measure.set_value(guest.measure)
        for axis, field in enumerate(self.places):
            field.set_value(round(guest.place[axis] * float(state.plan.factors[axis]), 1))
        self.clearance.set_value(guest.clearance)
        self._say_room(guest.id, guest.clearance)

    def _show_guest(self, guest_id: str, shown: bool) -> None:
        self._state.wearing.select(guest_id)
        self._state.wearing.change(tr("show or hide a guest"), shown=shown)

    def _say_room(self, guest_id: str, wished: float) -> None:
        state = self._state
        room = state.evaluated.outcome.guests.get(guest_id) if state.evaluated and state.up_to_date else None
        if room is None:
            say(self._room, tr("Measuring …") if not state.up_to_date else tr("Not shown."), "faint")
        elif room.clearance is None:
            say(self._room, tr("The prop is not near it."), "faint")
        elif room.clearance < 0 and not room.poking_area:
            say(self._room, tr("It lies inside the wall of the prop. Move it into the open."), "look")
        elif room.clearance < 0:
            say(self._room, tr("It pokes through: {area} of the prop's surface is inside it, up to {value} deep.",
                               area=text.area(room.poking_area), value=text.length(-room.clearance, 1)),
                               "look")
        elif room.clearance < wished:
            say(
                self._room,
                tr(
                    "Smallest clearance {clearance}; {wished} wanted.",
                    clearance=text.length(room.clearance, 1),
                    wished=text.given(wished),
                ),
                "look",
            )
        else:
            say(self._room, tr("✓ Smallest clearance {clearance}.", clearance=text.length(room.clearance, 1)), "good")
