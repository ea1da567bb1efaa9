"""The materials that a printer can be loaded with."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QDialog, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...core.errors import BadPlan, DeftError
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.printers.profile import Material, Printer
from ..widgets.basics import button, label, row, say
from ..widgets.number import parse_quantity
from ..widgets.presets_button import PresetsButton

_COLUMNS = (tr("Material"), tr("Density (g/cm³)"), tr("Price of 1 kg"), tr("Shrinkage (%)"), tr("Colour"))
_COLOUR = 4
_NO_COLOUR = tr("none")


class MaterialsDialog(QDialog):
    """The materials of a printer. ``keep`` stores the changed profile; without ``may_edit`` the table is only shown."""

    def __init__(
        self, printer: Printer, keep: Callable[[Printer], None], *, may_edit: bool, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.printer, self._keep, self._may_edit = printer, keep, may_edit
        self.setWindowTitle(tr("Materials of {name}", name=printer.name))
        self.resize(640, 340)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName(tr("Materials"))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.verticalHeader().setVisible(False)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column in range(1, len(_COLUMNS)):
            self.table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        self.table.itemChanged.connect(self._changed)
        self.table.cellDoubleClicked.connect(self._colour)
        self.said = label("", "faint", wrap=True)
        self.add = button(tr("Add a material"), tr("Adds a material that starts as a copy of the usual "
                                                   "one."), self._add)
        self.remove = button(tr("Remove"), tr("Removes the selected material. The first row is the usual material "
                                              "and cannot be removed."),
                             self._remove)
        self.colour = button(
            tr("Colour …"),
            tr("Chooses the colour of the selected material, for files with colours."),
            lambda: self._colour(self.table.currentRow(), _COLOUR),
        )
        self.presets = PresetsButton("materials", self._now, self._take_kept, lambda e: say(self.said, str(e), "look"))
        close = button(tr("Close"), tr("Closes the list. Your edits are kept."), self.accept, role="main")
        down = QVBoxLayout(self)
        down.addWidget(
            label(
                tr(
                    "Pieces are printed in the usual material unless you choose another one in Hand off. Cost and "
                    "shrinkage are computed for each piece's own material."
                ),
                "faint",
                wrap=True,
            )
        )
        down.addWidget(self.table, 1)
        down.addWidget(self.said)
        down.addLayout(row(self.add, self.remove, self.colour, self.presets, 1, close))
        self._fill()

    def _fill(self) -> None:
        p = self.printer
        usual = (p.loads[0], p.material_density, p.material_price, p.shrinkage, p.material_colour)
        rows = [usual, *((m.name, m.density, m.price, m.shrinkage, m.colour) for m in p.materials)]
        chosen = self.table.currentRow()
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for number, (name, density, price, shrinkage, colour) in enumerate(rows):
            words = (name, text.plain(density), text.plain(price), text.plain(100 * shrinkage), colour or _NO_COLOUR)
            for column, word in enumerate(words):
                item = QTableWidgetItem(word)
                if not self._may_edit or column == _COLOUR:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                if column == _COLOUR and colour:
                    item.setData(Qt.ItemDataRole.DecorationRole, QColor(colour))
                if 0 < column < _COLOUR:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(number, column, item)
        self.table.setCurrentCell(min(max(chosen, 0), len(rows) - 1), 0)
        self.table.blockSignals(False)
        for part in (self.add, self.remove, self.colour):
            part.setEnabled(self._may_edit)
        said = (
            tr("Double-click a cell to change it.")
            if self._may_edit
            else tr("This profile comes with the program. Copy it if you want to edit it.")
        )
        say(self.said, said, "faint")

    def _changed(self, item: QTableWidgetItem) -> None:
        given, number = item.text().strip(), item.row()
        what: dict[str, object]
        try:
            match item.column():
                case 0:
                    what = {"name": given}
                case 1:
                    what = {"density": parse_quantity(given, "")}
                case 2:
                    what = {"price": parse_quantity(given, "")}
                case _:
                    what = {"shrinkage": parse_quantity(given, "%") / 100}
        except ValueError:
            self._fill()
            say(self.said, tr("“{given}” is not a number.", given=given), "look")
            return
        self._change(number, what)

    def _change(self, number: int, what: dict[str, object]) -> None:
        """Change a value of one row."""
        if number == 0:
            usual = {"name": "material", "density": "material_density", "price": "material_price",
                     "colour": "material_colour"}
            self._take({usual.get(key, key): value for key, value in what.items()})
            return
        own = [one.model_dump() for one in self.printer.materials]
        own[number - 1] |= what
        self._take({"materials": own})

    def _take(self, what: dict[str, object]) -> None:
        try:
            changed = self.printer.changed(**what)
            self._keep(changed)
        except DeftError as error:
            self._fill()
            say(self.said, str(error), "look")
            return
        self.printer = changed
        self._fill()

    def _add(self) -> None:
        p = self.printer
        names, number = set(p.loads), 1
        while tr("Material {number}", number=number) in names:
            number += 1
        fresh = Material(name=tr("Material {number}", number=number), price=p.material_price,
                         density=p.material_density,
                         shrinkage=p.shrinkage)
        self._take({"materials": (*p.materials, fresh)})
        self.table.setCurrentCell(self.table.rowCount() - 1, 0)

    def _now(self) -> tuple[str, dict[str, Any]]:
        """The selected material, to be kept for other printers."""
        number, p = max(self.table.currentRow(), 0), self.printer
        if number == 0:
            usual = Material(name=p.loads[0], price=p.material_price, density=p.material_density,
                             shrinkage=p.shrinkage, colour=p.material_colour)
            return "", usual.model_dump(mode="json")
        return "", p.materials[number - 1].model_dump(mode="json")

    def _take_kept(self, values: dict[str, Any]) -> None:
        """Add a kept material, replacing one with the same name."""
        kept = Material.model_validate(values)
        if not self._may_edit:
            raise BadPlan(tr("This profile comes with the program."), remedy=tr("Copy it if you want to add "
                                                                                "materials."))
        others = tuple(one for one in self.printer.materials if one.name != kept.name)
        self._take({"materials": (*others, kept)})

    def _remove(self) -> None:
        number = self.table.currentRow()
        if number < 1:
            say(self.said, tr("The first row is the usual material and cannot be removed."), "look")
            return
        self._take({"materials": tuple(one for n, one in enumerate(self.printer.materials, 1) if n != number)})

    def _colour(self, number: int, column: int) -> None:
        if column != _COLOUR or not self._may_edit or number < 0:
            return
        now = self.table.item(number, _COLOUR)
        start = QColor(now.text()) if now is not None and now.text() != _NO_COLOUR else QColor("#9FB4BA")
        chosen = QColorDialog.getColor(start, self, tr("Colour of the material"))
        if chosen.isValid():
            self._change(number, {"colour": chosen.name()})
