"""The page on scale: the unit of the file, and the size of the prop."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QButtonGroup, QFrame, QLabel, QVBoxLayout, QWidget

from ....core.geometry.orientation import Tilt
from ....core.locale import text
from ....core.locale.translate import tr, tr_in
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, label, row, say
from ...widgets.number import NumberField
from ...widgets.unit_tiles import NAMES, UnitTiles

_AXES = ((tr("Width"), "x"), (tr("Depth"), "y"), (tr("Height"), "z"))


class ScalePanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._question = self._make_question()
        self.add(self._question)
        self._drawn = self._make_fineness()
        self.add(self._drawn)
        self._unit_head = label(tr("One unit of the file is …"), "head")
        self.add(self._unit_head)
        self.tiles = UnitTiles()
        self.tiles.chosen.connect(state.sizing.choose_unit)
        self.add(self.tiles)
        self._stated = label("", "faint", wrap=True)
        self.add(self._stated)
        self._on_y = QWidget()
        up = button(tr("Stand it up"), tr("Turns the model so that its -Y side is "
                                          "down."), state.sizing.stand_up, role="small")
        words = label(tr("It has a flat foot on its −Y side, so it may be meant to stand on that "
                         "side."), "look", wrap=True)
        upright = row(words, up)
        upright.setStretch(0, 1)
        self._on_y.setLayout(upright)
        self.stand_up = up
        self.add(self._on_y)
        self.head(tr("Size of the model"))
        self.percent = NumberField("%", low=0.01, high=1e6, step=5.0, decimals=2)
        self.percent.setAccessibleName(tr("Scale in percent"))
        self.percent.setToolTip(
            tr("Scales all axes by the same factor. Walls grow by the factor, the volume by its cube.")
        )
        self.percent.committed.connect(lambda value: state.sizing.resize(scale=value / 100))
        self.add(row(label(tr_in("how large", "Scale")), 1, self.percent))
        self._along: dict[str, QLabel] = {}
        self.lengths: dict[str, NumberField] = {}
        for name, axis in _AXES:
            field = NumberField("mm", low=0.01, high=1e5, step=1.0, decimals=1)
            field.setAccessibleName(name)
            field.setToolTip(tr("{name} of the model as it stands. Type a length, and the others follow.", name=name))
            field.committed.connect(partial(self._set_length, "xyz".index(axis)))
            self.lengths[axis] = field
            self._along[axis] = label("", "faint")
            self.add(row(label(name), self._along[axis], 1, field))
        self.apart = button(
            tr("Scale each axis separately"), tr("A typed length then stretches only its own axis. Round shapes do not "
                                          "stay round."),
            self._toggle_apart, checkable=True,
        )
        self.even = button(tr("Scale evenly again"), tr("Scales all axes by the same factor again."), self._make_even)
        self.add(row(self.apart, self.even, 1))
        self._warning = label(tr("Round shapes are no longer round."), "look", wrap=True)
        self.add(self._warning)
        self.fill = button(
            tr("Largest that fits"),
            tr("Scales the model, as it stands, so that it just fits the printer."),
            state.sizing.scale_to_bed,
        )
        self.two = button(
            tr("By two points …"), tr("Click two points whose distance you know, then type that distance."),
            self._begin_two, checkable=True,
        )
        self.add(row(self.fill, self.two, 1))
        self._between = QWidget()
        self.wanted = NumberField("mm", low=0.01, high=1e5, step=1.0, decimals=2)
        self.wanted.setAccessibleName(tr("Wanted distance"))
        self.wanted.setToolTip(tr("What the distance between the two points should be. Press Enter to scale the "
                                  "model."))
        self.wanted.committed.connect(state.measuring.scale_by_points)
        self._now = label("", "faint")
        self._between.setLayout(row(self._now, 1, label(tr("should be")), self.wanted))
        self.add(self._between)
        self._add_mirrors()
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.view_changed, state.pointing.changed,
        )

    def _add_mirrors(self) -> None:
        self.head(tr("Mirror and copies"))
        self._mirrors = QButtonGroup(self)
        self._mirrors.setExclusive(False)
        self.mirrors = {
            axis: button(words, tip, partial(self._mirror, axis), checkable=True)
            for axis, words, tip in (
                ("x", tr("Left and right"), tr("Swaps left and right of the model, along the file's X axis.")),
                ("y", tr("Front and back"), tr("Swaps front and back of the model, along the file's Y axis.")),
                ("z", tr("Top and bottom"), tr("Swaps top and bottom of the model, along the file's Z axis.")),
            )
        }
        for mirror in self.mirrors.values():
            mirror.setProperty("role", "small")
            self._mirrors.addButton(mirror)
        self.add(row(*self.mirrors.values(), 1, spacing=4))
        self.copies = NumberField("", low=1, high=1000, step=1, decimals=0)
        self.copies.setAccessibleName(tr("Copies"))
        self.copies.setToolTip(tr("How many copies of the prop lie on the beds and in the 3MF. All figures are for "
                                  "one."))
        self.copies.committed.connect(lambda value: self._state.sizing.set_copies(round(value)))
        self.add(row(label(tr("Copies on the beds")), 1, self.copies))

    def _make_question(self) -> QFrame:
        card = QFrame()
        card.setProperty("role", "ask")
        column = QVBoxLayout(card)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(6)
        self._asked = label("", "title", wrap=True)
        column.addWidget(self._asked)
        self.right = button(
            tr("Keep this size"), tr("Keeps the size that is marked "
                                     "below."), self._state.sizing.answer_unit, role="main"
        )
        column.addLayout(row(self.right, label(tr("or choose below"), "faint"), 1))
        return card

    def _make_fineness(self) -> QFrame:
        """The control for files with exact surfaces: with what accuracy they are converted, before anything else is
        done.
        """
        card = QFrame()
        card.setProperty("role", "ask")
        column = QVBoxLayout(card)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(6)
        self._drawn_words = label("", "", wrap=True)
        column.addWidget(self._drawn_words)
        self.fineness = NumberField("mm", low=0.002, high=20, step=0.05, decimals=3)
        self.fineness.setAccessibleName(tr("Fineness"))
        self.fineness.setToolTip(
            tr("How far the triangles may deviate from the exact surfaces. Finer needs more triangles and takes "
               "longer.")
        )
        self.fineness.committed.connect(self._draw_anew)
        self.take = button(
            tr("Use these triangles"), tr("Continues with these "
                                          "triangles."), self._state.sizing.answer_fineness, role="main"
        )
        column.addLayout(row(label(tr("Deviation at most")), self.fineness, 1, self.take))
        return card

    def _draw_anew(self, fineness: float) -> None:
        opening = self._state.opening
        if opening.fetched is not None:
            opening.open(opening.fetched.path, fineness)

    def _lengths_now(self) -> np.ndarray:
        """The size (3,) of the model in mm: as it stands, or along the file's own axes where each is to be stretched
        separately.
        """
        return np.asarray(self._state.sizing.spans[1 if self.apart.isChecked() else 0])

    def _set_length(self, axis: int, length: float) -> None:
        state = self._state
        ratio = length / float(self._lengths_now()[axis])
        if self.apart.isChecked():
            stretch = list(state.plan.stretch)
            stretch[axis] *= ratio
            state.sizing.resize(stretch=tuple(stretch))
        else:
            state.sizing.resize(scale=state.plan.scale * ratio)
        self.refresh()

    def _toggle_apart(self) -> None:
        self.refresh()

    def _make_even(self) -> None:
        self.apart.setChecked(False)
        self._state.sizing.resize(stretch=(1.0, 1.0, 1.0))

    def _mirror(self, axis: str) -> None:
        self._state.sizing.resize(mirror=axis if self._state.plan.mirror != axis else None)
        self.refresh()

    def _begin_two(self) -> None:
        self._state.pointing.begin("scale" if self.two.isChecked() else "")

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.is_open)
        fetched = state.opening.fetched
        if fetched is None:
            return
        plan, size = state.plan, self._lengths_now()
        self._question.setVisible(state.sizing.asking_unit)
        if state.sizing.asking_unit:
            self._asked.setText(
                tr(
                    "The file does not state its unit. In {unit} the model is {size}.",
                    unit=NAMES[plan.unit],
                    size=text.any_box(tuple(state.sizing.size.tolist())),
                )
            )
        self.tiles.show_model(state.sizing.size, plan.unit, fetched.outline)
        stated = state.model.unit
        self._stated.setText(tr("The file states its unit: {unit}.", unit=NAMES[stated]) if stated else "")
        self._stated.setVisible(bool(stated) and state.opening.path is None)
        self._on_y.setVisible(state.model.y_up and plan.tilt == Tilt())
        self._drawn.setVisible(fetched.exact and state.sizing.asking_fineness)
        self._drawn_words.setText(
            tr(
                "The file has exact surfaces, converted to {count:,} triangles.",
                count=len(state.model.solid.triangles),
            )
        )
        self.fineness.set_value(fetched.fineness)
        self.percent.set_value(plan.scale * 100)
        for place, (axis, field) in enumerate(self.lengths.items()):
            field.set_value(float(size[place]))
            self._along[axis].setText(
                tr("the file's {axis}", axis=axis.upper()) if self.apart.isChecked() else tr("as it stands")
            )
        uneven = plan.stretch != (1.0, 1.0, 1.0)
        self._warning.setVisible(uneven or self.apart.isChecked())
        say(self._warning, tr("Round shapes are no longer round.") if uneven else
            tr("A length now stretches only its own axis. Round shapes will not stay round."), "look")
        self.even.setVisible(uneven)
        for axis, mirror in self.mirrors.items():
            mirror.setChecked(plan.mirror == axis)
        self.copies.set_value(plan.copies)
        pointing = state.pointing
        self.two.setChecked(pointing.kind == "scale")
        reading = pointing.reading
        length = reading.value if reading is not None and reading.kind == "scale" else None
        self._between.setVisible(length is not None)
        if length is not None:
            self._now.setText(tr("now {length}", length=text.length(length, 2)))
            self.wanted.set_value(round(length, 2))
