"""Printer profiles: viewed, copied, edited, imported and exported."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from ...core.errors import DeftError
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.printers.profile import Printer
from ..desk_state import DeskState
from ..storage import printers
from ..storage.printers import PrinterProfile
from ..widgets.basics import button, label, row, say
from ..widgets.number import NumberField
from .materials import MaterialsDialog

_LENGTHS = (
    ("bed_x", tr("Bed width"), "mm", 10, 1e5, 0, tr("The size of the bed from left to right.")),
    ("bed_y", tr("Bed depth"), "mm", 10, 1e5, 0, tr("The size of the bed from front to back.")),
    ("height", tr("Height"), "mm", 10, 1e5, 0, tr("The largest height of a piece.")),
    ("margin", tr("Margin"), "mm", 0, 1e3, 1, tr("The margin that is kept free along the edges of the bed.")),
    ("gap", tr("Gap between pieces"), "mm", 0, 500, 1, tr("The gap that is kept free between pieces on a bed.")),
    ("line_width", tr("Line or pixel width"), "mm", 0.001, 10, 3, tr("The width of a printed line or a pixel. "
                                                                     "Walls thinner than two of them print badly.")),
    ("clearance", tr("Clearance"), "mm", 0, 5, 2, tr("The gap on each side between a key and its socket.")),
    (
        "slope",
        tr("Slant of the layers"),
        "°",
        0,
        80,
        0,
        tr("The angle between the layers and an endless bed: 45 on most belts, 0 on all other printers."),
    ),
)
_COSTS = (
    ("support_density", tr("Plastic in support"), "%", 0.1, 100, 0, tr("The share of the support volume that is "
                                                                       "plastic.")),
    ("material_density", tr("Material density"), "g/cm³", 0.1, 25, 2, tr("The weight of 1 cm³ of the material.")),
    ("material_price", tr("Price of 1 kg"), "", 0, 1e5, 2, tr("The price of 1 kg, in your own currency.")),
    ("hour_price", tr("Price of an hour"), "", 0, 1e4, 2, tr("Electricity and wear for an hour, in your own "
                                                             "currency.")),
    (
        "shrinkage",
        tr("Shrinkage"),
        "%",
        0,
        10,
        2,
        tr("Files are made larger by this, so that parts have the right size when cold."),
    ),
    ("failed_share", tr("Failed prints"), "%", 0, 1000, 0, tr("The share of the cost that is added for failed "
                                                              "prints.")),
)
"""What figures of material and cost are made from."""
_TIMES = {
    "filament": (
        ("speed", tr("Speed"), "mm/s", 0.1, 2000, 0, tr("The printing speed along the path, for the estimate of "
                                                        "hours.")),
        ("wall_lines", tr("Lines per wall"), "", 1, 50, 0, tr("The number of lines in a wall.")),
        ("infill", tr("Infill"), "%", 0, 100, 0, tr("The share of the inside that is filled.")),
        (
            "layer_seconds",
            tr("Time between layers"),
            "s",
            0,
            600,
            1,
            tr("The time for moving up and to the start of the next layer."),
        ),
    ),
    "resin": (
        ("bottom_layers", tr("Bottom layers"), "", 0, 100, 0, tr("The number of first layers that are exposed "
                                                                 "longer.")),
        ("bottom_seconds", tr("Time per bottom layer"), "s", 0, 600, 1, tr("The time for exposure and lift of each "
                                                                           "bottom layer.")),
        ("exposure_seconds", tr("Exposure"), "s", 0, 600, 2, tr("The exposure time of all other layers.")),
        ("lift_seconds", tr("Lift"), "s", 0, 600, 2, tr("The time for moving up and down again after each layer.")),
    ),
}
"""What the estimate of hours is made from, by the kind of printer."""
_LIMITS = (
    ("least_island", tr("Smallest island"), "mm²", 0, 1e6, 3, tr("Islands that never grow to this size are listed "
                                                              "separately.")),
    ("most_cup", tr("Largest cup"), "mm²", 0, 1e6, 0, tr("A larger cup counts as failed: each mm² can pull at the "
                                                        "film with 0.1 N.")),
    ("cup_depth", tr("Smallest cup depth"), "mm", 0, 1000, 2,
     tr("The mean depth. The film follows into a flatter cup, which then does not pull.")),
    ("least_void", tr("Smallest trapped void"), "mm³", 0, 1e9, 0, tr("A smaller void without an opening is listed "
                                                            "separately.")),
    (
        "most_jump",
        tr("Largest jump"),
        "mm²",
        0,
        1e6,
        0,
        tr("A layer counts as a jump if it has this much more to peel off the film than the layer before."),
    ),
    (
        "least_neck",
        tr("Smallest neck"),
        "%",
        0,
        100,
        1,
        tr("A layer counts as a neck if its area is a smaller share of the largest layer above it."),
    ),
    ("most_slender", tr("Slenderness limit"), "", 0, 1e4, 1,
     tr("How many times taller than its foot is wide a piece may be before it counts as tall and thin.")),
    ("thin_resin", tr("Thin resin walls"), "mm", 0, 10, 2,
     tr("Thinner resin walls are listed: they warp, or break when the support is removed.")),
    ("file", tr("Narrowest sanding tool"), "mm", 0.1, 100, 1,
     tr("The width of the file or stick that seams are sanded with. Places that it cannot reach are listed.")),
    (
        "least_tip",
        tr("Smallest tipping angle"),
        "°",
        0,
        90,
        0,
        tr("A piece that tips over at a smaller angle does not count as sitting flat."),
    ),
)
"""From what on a check finds fault."""
_ENDLESS = ((tr("no"), None), (tr("along its width"), "x"), (tr("along its depth"), "y"))
_KINDS = {tr("filament"): "filament", tr("resin"): "resin"}


class PrinterDialog(QDialog):
    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = state
        self.setWindowTitle(tr("Printers"))
        self.resize(980, 640)
        self._profiles: list[PrinterProfile] = []
        self._before: dict[str, Printer] = {}
        self.list = QListWidget()
        self.list.setFixedWidth(220)
        self.list.setAccessibleName(tr("Printer profiles"))
        self.list.currentRowChanged.connect(lambda _: self._show())
        self.fields: dict[str, NumberField] = {}
        self._units: dict[str, str] = {}
        self._of_kind: dict[str, list[QWidget]] = {kind: [] for kind in _TIMES}
        right = QVBoxLayout()
        forms = QHBoxLayout()
        forms.setSpacing(24)
        forms.addLayout(self._form(), 1)
        forms.addLayout(self._limits(), 1)
        right.addLayout(forms)
        self._said = label("", "faint", wrap=True)
        right.addWidget(self._said)
        right.addStretch(1)
        across = QHBoxLayout()
        across.addWidget(self.list)
        across.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.addLayout(across, 1)
        self.copy = button(tr("Copy"), tr("Makes a copy of this profile that you can edit."), self._copy)
        self.back = button(
            tr("Restore"), tr("Restores this profile as it was when the list was opened."), self._put_back
        )
        self.delete = button(tr("Remove"), tr("Removes one of your own profiles."), self._remove)
        take = button(tr("Import …"), tr("Reads a profile from a JSON file."), self._import)
        give = button(tr("Export …"), tr("Writes this profile to a JSON file."), self._export)
        self.materials = button(
            tr("Materials …"),
            tr("Lists other materials and colours that the printer can be loaded with."),
            self._materials,
        )
        self.use = button(
            tr("Use it"), tr("Uses this printer for this project and for new ones."), self._use, role="main"
        )
        close = button(tr("Close"), tr("Closes the list. Your edits are kept."), self.accept)
        column.addLayout(row(self.copy, take, give, self.delete, self.back, self.materials, 1, self.use, close))
        self._fill(state.printer)
        lost = ", ".join(str(path) for path in printers.OWN.unreadable)
        if lost:
            say(self._said, tr("Could not be read and was left unchanged: {lost}.", lost=lost), "look")

    def _form(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(5)
        self.name = QLineEdit()
        self.name.setToolTip(tr("The name of the printer."))
        self.name.setAccessibleName(tr("Name of the printer"))
        self.name.editingFinished.connect(lambda: self._change(name=self.name.text()))
        self.kind = QComboBox()
        self.kind.addItems(list(_KINDS))
        self.kind.setAccessibleName(tr("Kind of printer"))
        self.kind.setToolTip(tr("Whether it prints filament or resin."))
        self.kind.textActivated.connect(lambda words: self._change(kind=_KINDS[words]))
        self.endless = QComboBox()
        self.endless.addItems([words for words, _ in _ENDLESS])
        self.endless.setAccessibleName(tr("Endless bed"))
        self.endless.setToolTip(tr("A belt has no end along one axis, so pieces always fit in that direction."))
        self.endless.activated.connect(lambda number: self._change(endless=_ENDLESS[number][1]))
        self.layers = QLineEdit()
        self.layers.setAccessibleName(tr("Layer heights"))
        self.layers.setToolTip(tr("The usual layer heights in mm, separated by spaces, finest first."))
        self.layers.editingFinished.connect(self._change_layers)
        for number, (words, part) in enumerate(((tr("Name"), self.name), (tr("Kind"), self.kind))):
            grid.addWidget(label(words), number, 0)
            grid.addWidget(part, number, 1)
        for number, named in enumerate(_LENGTHS, 2):
            self._field(grid, number, *named)
        last = 2 + len(_LENGTHS)
        line = last + 2
        for kind, fields in _TIMES.items():  # those of the other kind are hidden
            for named in fields:
                self._of_kind[kind] += self._field(grid, line, *named)
                line += 1
        for number, (words, part) in enumerate(
            ((tr("Layer heights (mm)"), self.layers), (tr("Endless bed"), self.endless)), last
        ):
            grid.addWidget(label(words), number, 0)
            grid.addWidget(part, number, 1)
        grid.setColumnStretch(1, 1)
        return grid

    def _limits(self) -> QGridLayout:
        """The values from which material and cost are computed, and the limits of Check."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(5)
        line = 0
        for words, fields in ((tr("Material and cost"), _COSTS), (tr("Limits of the check"), _LIMITS)):
            grid.addWidget(label(words, "head"), line, 0, 1, 3)
            for line, named in enumerate(fields, line + 1):  # noqa: B020 - it goes on below the last one
                self._field(grid, line, *named)
            line += 1
        grid.setRowStretch(line, 1)
        grid.setColumnStretch(1, 1)
        return grid

    def _field(
        self, grid: QGridLayout, line: int, key: str, words: str, unit: str, low: float, high: float, decimals: int,
        tip: str,
    ) -> list[QWidget]:
        """Put a number of the profile into a row of the form; returns its widgets."""
        field = NumberField(unit, low=low, high=high, step=1, decimals=decimals)
        field.setAccessibleName(words)
        field.setToolTip(tip)
        field.committed.connect(partial(self._change_number, key, unit))
        self.fields[key], self._units[key] = field, unit
        parts = [label(words), field]
        for column, part in enumerate(parts):
            grid.addWidget(part, line, column)
        return parts

    @property
    def profile(self) -> PrinterProfile | None:
        """The selected profile."""
        number = self.list.currentRow()
        return self._profiles[number] if 0 <= number < len(self._profiles) else None

    def _fill(self, choose: Printer | str) -> None:
        """Read the profiles again and select one, by its key or its content."""
        self._profiles = printers.profiles()
        for profile in self._profiles:
            self._before.setdefault(profile.key, profile.printer)
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([p.printer.name + (tr(" (own)") if p.own else "") for p in self._profiles])
        chosen = [n for n, p in enumerate(self._profiles) if choose in (p.key, p.printer)]
        self.list.setCurrentRow(chosen[0] if chosen else 0)
        self.list.blockSignals(False)
        self._show()

    def _show(self) -> None:
        profile = self.profile
        if profile is None:
            return
        printer = profile.printer
        self.name.setText(printer.name)
        self.kind.setCurrentText(tr(printer.kind))
        self.endless.setCurrentIndex([axis for _, axis in _ENDLESS].index(printer.endless))
        self.layers.setText("  ".join(text.plain(height) for height in printer.layer_heights))
        for key, unit in self._units.items():
            self.fields[key].set_value(getattr(printer, key) * (100 if unit == "%" else 1))
        for kind, parts in self._of_kind.items():
            for part in parts:
                part.setVisible(kind == printer.kind)
        for part in (self.name, self.kind, self.endless, self.layers, *self.fields.values()):
            part.setEnabled(profile.own)
        self.delete.setEnabled(profile.own)
        self.back.setEnabled(profile.own and self._before[profile.key] != printer)
        used = tr(" This project uses it.") if printer == self._state.printer else ""
        words = (
            tr("This is your own profile. Edits are saved at once.")
            if profile.own
            else tr("This profile comes with the program. Copy it if you want to edit it.")
        )
        say(self._said, words + used, "faint")

    def _change_number(self, key: str, unit: str, value: float) -> None:
        self._change(**{key: value / 100 if unit == "%" else value})

    def _change_layers(self) -> None:
        try:
            heights = tuple(float(word.replace(",", ".")) for word in self.layers.text().split())
        except ValueError:
            say(self._said, tr("Layer heights must be numbers separated by spaces."), "look")
            return
        self._change(layer_heights=heights)

    def _change(self, **update: object) -> None:
        profile = self.profile
        if profile is None or not profile.own:
            return
        try:
            changed = profile.printer.changed(**update)
        except DeftError as error:
            self._show()
            say(self._said, str(error), "look")
            return
        self._keep(profile, changed)

    def _keep(self, profile: PrinterProfile, changed: Printer) -> None:
        if changed == profile.printer:
            return
        state = self._state
        used, second = profile.printer == state.printer, state.is_open and state.plan.second == profile.printer
        self._try(lambda: printers.keep(PrinterProfile(profile.key, changed, True)), profile.key)
        if used:
            state.choose_printer(changed)
            self._show()
        if second:
            state.do_plan(tr("change the second printer"), state.plan.changed(second=changed))

    def _try(self, act: Callable[[], object], choose: Printer | str) -> None:
        """Do something with the profiles on disk; what goes wrong is shown in the dialog."""
        try:
            done = act()
        except DeftError as error:
            say(self._said, str(error), "look")
            return
        self._fill(done.key if isinstance(done, PrinterProfile) else choose)

    def _copy(self) -> None:
        profile = self.profile
        if profile is not None:
            self._try(lambda: printers.add(profile.printer), "")

    def _put_back(self) -> None:
        if self.profile is not None:
            self._keep(self.profile, self._before[self.profile.key])

    def _remove(self) -> None:
        profile = self.profile
        if profile is not None:
            self._try(lambda: printers.OWN.remove(profile.key), self._state.printer)

    def _import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a printer profile"), "", tr("JSON (*.json)"))
        if name:
            self._try(lambda: printers.take_in(Path(name)), "")

    def _export(self) -> None:
        profile = self.profile
        if profile is None:
            return
        suggestion = f"{profile.key}.json"
        name, _ = QFileDialog.getSaveFileName(self, tr("Export the printer profile"), suggestion, tr("JSON (*.json)"))
        if name:
            self._try(lambda: printers.OWN.give(profile.printer, Path(name)), profile.key)

    def _materials(self) -> None:
        profile = self.profile
        if profile is not None:
            dialog = MaterialsDialog(profile.printer, partial(self._keep_materials, profile.key), may_edit=profile.own,
                                     parent=self)
            dialog.exec()

    def _keep_materials(self, key: str, changed: Printer) -> None:
        for profile in self._profiles:
            if profile.key == key:
                self._keep(profile, changed)
                return

    def _use(self) -> None:
        if self.profile is not None:
            self._state.choose_printer(self.profile.printer)
            self._show()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return  # a typed number is taken by its field; the dialog stays
        super().keyPressEvent(event)
