"""Cut: part the model with straight cuts, and see at once what the pieces cost."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit, QSlider, QVBoxLayout, QWidget

from ..state import DeskState
from ..widgets import text
from ..widgets.number import NumberField
from ..widgets.parts import Panel, button, label, row

Triple = tuple[float, float, float]
FACINGS: tuple[tuple[str, Triple, str], ...] = (
    ("Level", (0.0, 0.0, 1.0), "an upper and a lower piece"),
    ("Left and right", (1.0, 0.0, 0.0), "a left and a right piece"),
    ("Front and back", (0.0, 1.0, 0.0), "a front and a back piece"),
)


def to_angles(normal: np.ndarray) -> tuple[float, float]:
    """(lean, facing) in degrees of a unit normal, bed frame: lean 0 is a level cut, 90 an upright one; facing is the
    compass direction the cut looks at, counter-clockwise from +X."""
    lean = math.degrees(math.acos(max(-1.0, min(1.0, float(normal[2])))))
    facing = math.degrees(math.atan2(float(normal[1]), float(normal[0]))) if lean > 1e-6 else 0.0
    return lean, facing


def from_angles(lean: float, facing: float) -> np.ndarray:
    """The unit normal, bed frame, of ``to_angles``."""
    a, b = math.radians(lean), math.radians(facing)
    return np.array([math.sin(a) * math.cos(b), math.sin(a) * math.sin(b), math.cos(a)])


class CutPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head("What this plan costs")
        self._rows = self.add_figures(
            ("Pieces", "How many printable parts there are."),
            ("Support volume", "Of all pieces, each in its seat."),
            ("Before any cut", "Support of the whole model as it stands, for comparison, once it is known."),
            ("Overhang area", "Of all pieces, each in its seat."),
            ("Seam", "Length of the join on the surface, all cuts."),
            ("Seam in sight", "The same, weighted by how much of it is seen from all sides."),
            ("Cut area", "Area to glue, counted once."),
        )
        self._about = label("", "faint", wrap=True)
        self.add(self._about)
        self.head("Add a straight cut")
        self.adds = {
            name: button(name, f"Adds a straight cut through the middle: {gives}.", partial(self._add, normal))
            for name, normal, gives in FACINGS
        }
        self.add(row(*self.adds.values()))
        self._this = QWidget()
        self._fill_this()
        self.add(self._this)
        self._begin = label(
            "A cut parts everything it meets. Drag its handles on the bed, or type its place; figures follow at once.",
            "faint", wrap=True,
        )  # fmt: skip
        self.add(self._begin)
        self.column.addStretch(1)
        for signal in (state.outcome_changed, state.project_changed, state.selection_changed, state.live_changed,
                       state.shown_changed):  # fmt: skip
            signal.connect(self.refresh)
        self.refresh()

    def _fill_this(self) -> None:
        column = QVBoxLayout(self._this)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(8)
        column.addWidget(label("This cut", "head"))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the cut")
        self.name.setToolTip("A name to know the cut by.")
        self.name.editingFinished.connect(self._rename)
        column.addWidget(self.name)
        self.place = NumberField("mm", low=-1e5, high=1e5, step=1.0, decimals=2)
        self.place.setAccessibleName("Place")
        self.place.setToolTip("Distance from where the cut would first touch the model.")
        self.place.committed.connect(self._set_place)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 1000)
        self.slider.setAccessibleName("Place along the model")
        self.slider.setToolTip("Slide the cut through the model; figures follow.")
        self.slider.sliderMoved.connect(self._slide)
        self.slider.sliderReleased.connect(lambda: self._state.settle("move a cut"))
        self.slider.actionTriggered.connect(self._slider_stepped)
        column.addLayout(row(label("Place"), self.slider, self.place))
        self.lean = NumberField("°", low=0, high=180, step=5, decimals=1)
        self.lean.setAccessibleName("Lean")
        self.lean.setToolTip("0° is a level cut, 90° an upright one.")
        self.lean.committed.connect(lambda _: self._set_angles())
        self.facing = NumberField("°", low=-360, high=360, step=5, decimals=1)
        self.facing.setAccessibleName("Facing")
        self.facing.setToolTip("The way an upright or leaning cut faces, counted from the bed's width.")
        self.facing.committed.connect(lambda _: self._set_angles())
        column.addLayout(row(label("Lean"), self.lean, 1, label("Facing"), self.facing))
        self.middle = button(
            "To the middle", "Moves the cut to the middle of the model along its direction.", self._to_middle
        )
        self.remove = button("Remove", "Takes the cut out of the plan; pieces grow together again.", self._remove)
        column.addLayout(row(self.middle, self.remove, 1))

    def _add(self, facing: Triple) -> None:
        state = self._state
        if state.plan is None:
            return
        normal = state.plan.tilt.rotation.T @ np.array(facing)
        low, high = self._extent(normal)
        state.add_cut((float(normal[0]), float(normal[1]), float(normal[2])), round((low + high) / 2, 2))

    def _extent(self, normal: np.ndarray) -> tuple[float, float]:
        """Where a plane of this normal first and last touches the model, mm."""
        along = self._state.model.solid.vertices @ (normal * self._state.plan.factors)
        return float(along.min()), float(along.max())

    def _set_place(self, place: float) -> None:
        cut = self._state.cut
        if cut is not None:
            low, _ = self._extent(np.array(cut.normal))
            self._state.change_cut("move a cut", cut.id, offset=low + place)

    def _slide(self, tick: int) -> None:
        cut = self._state.cut
        if cut is not None:
            low, high = self._extent(np.array(cut.normal))
            self._state.try_cut(cut.id, offset=round(low + (high - low) * tick / 1000, 2))

    def _slider_stepped(self, _action: int) -> None:
        if not self.slider.isSliderDown():  # by key or by a click beside the handle
            self._slide(self.slider.sliderPosition())
            self._state.settle("move a cut")

    def _set_angles(self) -> None:
        cut = self._state.cut
        if cut is None:
            return
        old, rotation = np.array(cut.normal), self._state.plan.tilt.rotation
        normal = rotation.T @ from_angles(self.lean.value, self.facing.value)
        # it turns about its own middle
        before, after = self._extent(old), self._extent(normal)
        share = (cut.offset - before[0]) / max(before[1] - before[0], 1e-9)
        offset = after[0] + share * (after[1] - after[0])
        self._state.change_cut("turn a cut", cut.id, normal=tuple(normal.tolist()), offset=offset)

    def _to_middle(self) -> None:
        cut = self._state.cut
        if cut is not None:
            low, high = self._extent(np.array(cut.normal))
            self._state.change_cut("move a cut", cut.id, offset=(low + high) / 2)

    def _rename(self) -> None:
        cut = self._state.cut
        if cut is not None and self.name.text().strip() and self.name.text().strip() != cut.name:
            self._state.change_cut("rename a cut", cut.id, name=self.name.text().strip()[:120])

    def _remove(self) -> None:
        if self._state.cut is not None:
            self._state.remove_cut(self._state.cut.id)

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.model is not None)
        cut = state.cut
        self._this.setVisible(cut is not None)
        self._begin.setVisible(cut is None)
        if cut is not None:
            self._show_cut(cut)
        self._show_figures()

    def _show_cut(self, cut) -> None:
        normal = np.array(cut.normal)
        low, high = self._extent(normal)
        self.place.set_value(round(cut.offset - low, 2))
        if not self.slider.isSliderDown():
            self.slider.setValue(round(1000 * (cut.offset - low) / max(high - low, 1e-9)))
        lean, facing = to_angles(self._state.plan.tilt.rotation @ normal)
        self.lean.set_value(round(lean, 1))
        self.facing.set_value(round(facing, 1))
        if not self.name.hasFocus():
            self.name.setText(cut.name)

    def _show_figures(self) -> None:
        state = self._state
        shown = state.live if state.draft is not None else state.evaluated
        if shown is None:
            return
        totals, about = shown.outcome.totals, "≈ " if shown.outcome.approximate else ""
        self._rows["Pieces"].setText(str(totals.pieces))
        self._rows["Support volume"].setText(about + text.volume(totals.support_volume_mm3))
        self._rows["Overhang area"].setText(about + text.area(totals.overhang_area_mm2))
        self._rows["Seam"].setText(about + text.mm(totals.seam_length_mm))
        self._rows["Seam in sight"].setText("…" if about else text.mm(totals.seam_in_sight_mm))
        self._rows["Cut area"].setText(about + text.area(totals.cut_area_mm2))
        whole = state.shown(state.plan.changed(recipe=(), pieces=()))
        self._rows["Before any cut"].setText(text.volume(whole.totals.support_volume_mm3) if whole else "–")
        self._about.setText(
            "≈ while you drag: from a lighter stand-in of the model; exact when you let go." if about else ""
        )
        self._about.setVisible(bool(about))
