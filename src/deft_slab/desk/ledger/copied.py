"""The ledger as text for the clipboard: as it is shown, or as numbers with all their digits."""

from __future__ import annotations

from ...core.exporting.csv_tables import as_csv as table
from ...core.locale import text
from ...core.locale.translate import tr
from .model import COLUMNS, Column, LedgerModel, cell_text

_UNITS = {text.area: "mm2", text.volume: "mm3", text.mm: "mm", text.wall: "mm", text.hours: "s", text.grams: "g"}
"""Of the figures behind what is shown."""


def as_text(model: LedgerModel) -> str:
    """The table as it is shown, with tabs between the columns, which spreadsheets split again."""
    columns = _shown(model)
    lines = [[tr("choice"), *(column.name for column in columns)]]
    lines += [[row.name, *(cell_text(column, row) for column in columns)] for row in model.rows]
    return "".join("\t".join(line) + "\n" for line in lines)


def as_csv(model: LedgerModel) -> str:
    """The figures with full precision and their units in the head; an unknown figure is left empty."""
    columns = _shown(model)
    head = ["choice", *(f"{column.title} {_UNITS.get(column.shown, '')}".strip() for column in columns)]
    lines = [
        [row.name, *("" if value is None else repr(round(value, 6)) for value in (of.value(row) for of in columns))]
        for row in model.rows
    ]
    return table([head, *lines])


def _shown(model: LedgerModel) -> list[Column]:
    return [column for column in COLUMNS if model.shows(column)]
