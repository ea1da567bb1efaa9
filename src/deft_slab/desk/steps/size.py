"""Size: what the numbers in the file mean, and how big the prop will be."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QButtonGroup, QGridLayout, QLabel, QPushButton

from ...core.plan import UNITS
from ..state import DeskState
from ..widgets import text
from ..widgets.number import NumberField
from ..widgets.parts import Panel, button, label, row

_NAMES = {"mm": "millimetres", "cm": "centimetres", "m": "metres", "in": "inches"}


class SizePanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head("If the numbers in the file are …")
        grid = QGridLayout()
        grid.setSpacing(6)
        grid.setColumnStretch(1, 1)
        self._group = QButtonGroup(self)
        self._units: dict[str, tuple[QPushButton, QLabel]] = {}
        for place, unit in enumerate(UNITS):
            choose = button(
                _NAMES[unit], f"Takes the numbers in the file as {_NAMES[unit]}; cuts keep their places.",
                partial(self._choose, unit), checkable=True,
            )  # fmt: skip
            self._group.addButton(choose)
            size = label("", "figure")
            grid.addWidget(choose, place, 0)
            grid.addWidget(size, place, 1)
            self._units[unit] = (choose, size)
        self.add(grid)
        self.head("Scale")
        self.percent = NumberField("%", low=0.01, high=1e6, step=5.0, decimals=2)
        self.percent.setAccessibleName("Scale in percent")
        self.percent.setToolTip(
            "All three axes by the same factor; volume grows by its cube, walls by the factor itself."
        )
        self.percent.committed.connect(lambda value: state.resize(state.plan.unit, value / 100))
        self.add(row(label("All axes"), 1, self.percent))
        self.height_field = NumberField("mm", low=0.01, high=1e5, step=1.0, decimals=1)
        self.height_field.setAccessibleName("Height as it stands")
        self.height_field.setToolTip("Sets the scale so that the model is this high as it stands.")
        self.height_field.committed.connect(self._set_height)
        self.add(row(label("Height as it stands"), 1, self.height_field))
        self.head("The model")
        named = ("Size as opened", "Volume", "Triangles", "Surface")
        self._rows = self.add_figures(*((name, "") for name in named))
        self._rows["Surface"].setWordWrap(True)
        self.column.addStretch(1)
        state.outcome_changed.connect(self.refresh)
        state.project_changed.connect(self.refresh)
        self.refresh()

    def _choose(self, unit: str) -> None:
        if self._state.plan is not None:
            self._state.resize(unit, self._state.plan.scale)

    def _set_height(self, height: float) -> None:
        piece = self._state.piece
        if piece is not None and self._state.up_to_date:
            now = self._standing_height()
            self._state.resize(self._state.plan.unit, self._state.plan.scale * height / now)

    def _standing_height(self) -> float:
        up = self._state.plan.tilt.rotation[2]
        along = self._state.model.solid.vertices @ up
        return float(along.max() - along.min()) * self._state.plan.factor

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.model is not None)
        if state.model is None:
            return
        raw = state.model.solid.size
        for unit, (choose, size) in self._units.items():
            factor = UNITS[unit] * state.plan.scale
            choose.setChecked(unit == state.plan.unit)
            size.setText(text.box(tuple(float(value) * factor for value in raw)))
        self.percent.set_value(state.plan.scale * 100)
        self.height_field.set_value(self._standing_height())
        self._rows["Size as opened"].setText(" × ".join(f"{value:.4g}" for value in raw) + f" {state.plan.unit}")
        before = state.evaluated.outcome.volume_before_mm3 if state.evaluated else None
        self._rows["Volume"].setText(text.volume(before) if before is not None else "none: not closed")
        self._rows["Triangles"].setText(f"{len(state.model.solid.triangles):,}")
        if state.evaluated is not None:
            self._rows["Surface"].setText(state.evaluated.outcome.defects.sentence() or "closed")
