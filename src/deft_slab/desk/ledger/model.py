"""The ledger as a table: a row for the plan on the bed, and one for each choice."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from ...core.exporting.print_job import PrintJob
from ...core.inspection.findings import LayerTotals
from ...core.locale import text
from ...core.locale.translate import term, tr
from ...core.plan.plan import Plan
from ...core.results.outcome import Totals
from ..desk_state import DeskState
from ..meanings import hover
from ..refresh.batching import when_over
from ..state.desk import WHOLE, Entry

Index = QModelIndex | QPersistentModelIndex
COMPARED = tr("the reference")
_TIPS = {
    None: tr("The plan on the bed."),
    WHOLE: tr("The uncut model as it stood in its file. Click to put it on the bed."),
}


@dataclass(frozen=True)
class Column:
    """One figure. ``of`` takes it from the totals. Less is better unless ``best`` says otherwise ("less", "more" or
    "").

    Attributes
    ----------
    tells : Callable[[Totals], bool]
        Whether the figure says anything about a plan. A column that says nothing about any plan is not shown.
    of_layers : Callable[[LayerTotals], float] | None
        In place of ``of`` for figures of the check, which are unknown until the check has run.
    of_work : Callable[[PrintJob], float] | None
        In place of ``of`` for figures of the print job. Hand off shows these columns instead of those that are
        not ``in_job``.
    """

    title: str
    tip: str
    of: Callable[[Totals], float]
    shown: Callable[[float], str]
    best: str = "less"
    bar: bool = True
    exact_only: bool = False
    tells: Callable[[Totals], bool] = lambda totals: True
    of_layers: Callable[[LayerTotals], float] | None = None
    resin_only: bool = False
    of_work: Callable[[PrintJob], float] | None = None
    in_job: bool = True

    @property
    def name(self) -> str:
        """The title in the user's language."""
        return tr(self.title)

    @property
    def hover(self) -> str:
        """The tooltip."""
        return hover(self.title, self.tip)

    def value(self, row: Row) -> float | None:
        """The figure of a row; None while it is unknown, as are exposure figures during a drag."""
        if row.entry is None or (row.approximate and self.exact_only):
            return None
        if self.of_layers is not None:
            return self.of_layers(row.layers) if row.layers is not None else None
        if self.of_work is not None:
            return self.of_work(row.entry.work) if row.entry.work is not None else None
        value = self.of(row.entry.totals)
        return value if math.isfinite(value) else None


COLUMNS: tuple[Column, ...] = (
    Column(term("pieces"), tr("The number of printable "
                              "parts."), lambda t: t.pieces, lambda v: f"{v:.0f}", best="", bar=False),
    Column(term("overhang"), tr("The area of facets past the threshold that do not rest on the bed."),
           lambda t: t.overhang_area_mm2, text.area),
    Column(term("support"), tr("The space between overhangs and what is below them, for all pieces."),
           lambda t: t.support_volume_mm3, text.volume),
    Column(term("hard to reach"), tr("Support in places that are almost closed."), lambda t: t.support_inside_mm3,
           text.volume,
           exact_only=True, in_job=False),
    Column(term("touched"), tr("The supported area, and the area that support stands "
                               "on."), lambda t: t.touched_area_mm2,
           text.area,
           in_job=False),
    Column(term("on show faces"), tr("The touched area on show faces."), lambda t: t.show_scar_mm2, text.area,
           tells=lambda t: t.show_scar_mm2 > 0),
    Column(term("seam in sight"), tr("The length of the seams, weighted by how much of them is seen from all sides."),
           lambda t: t.seam_in_sight_mm, text.mm, exact_only=True),
    Column(term("cut area"), tr("The area to glue."), lambda t: t.cut_area_mm2, text.area),
    Column(term("joined"), tr("The contacts with a join that holds, out of all "
                              "contacts."), lambda t: t.joined, lambda v: f"{v:.0f}",
           best="",
           bar=False, tells=lambda t: t.joined > 0),
    Column(term("thinnest"), tr("The thinnest wall around any "
                                "join."), lambda t: t.least_wall_mm, text.wall, best="more",
           bar=False,
           tells=lambda t: math.isfinite(t.least_wall_mm), in_job=False),
    Column(term("base kept"), tr("The share of the base area that is left. Keys and sockets in a face that lies on "
                                 "the bed reduce it."),
           lambda t: t.base_kept, lambda v: f"{100 * v:.0f} %", best="more", bar=False, tells=lambda t: t.joined > 0,
           in_job=False),
    Column(term("islands"), tr("Parts of layers that begin in the air with nothing to hold them. Known once Check "
                               "has been opened."),
           lambda t: 0.0, lambda v: f"{v:.0f}", bar=False, of_layers=lambda layers: layers.islands),
    Column(term("largest cup"), tr("The largest area of enclosed air in any layer. Known once Check has been "
                                   "opened."),
           lambda t: 0.0, text.area, bar=False, of_layers=lambda layers: layers.cup_mm2, resin_only=True),
    Column(term("posts"), tr("The number of support posts on all "
                             "pieces."), lambda t: t.scar.posts, lambda v: f"{v:.0f}",
           bar=False,
           tells=lambda t: t.scar.posts > 0),
    Column(term("scar in sight"), tr("The area that support touches, weighted by how much of it is seen on the "
                                     "assembled prop."),
           lambda t: t.scar.sight, text.area, exact_only=True),
    Column(term("tallest"), tr("The height of the tallest piece on the "
                               "bed."), lambda t: t.tallest_mm, text.mm, bar=False),
    Column(term("time"), tr("Estimated from the profile: pieces one after another with filament, all at once with "
                            "resin."),
           lambda t: t.print_seconds, text.hours, bar=False, in_job=False),
    Column(term("material"), tr("Estimated from the profile: walls, infill and support with filament, the whole "
                                "volume with resin."),
           lambda t: t.material_g, text.grams, bar=False),
    Column(term("beds"), tr("The number of beds for all pieces and "
                            "copies."), lambda t: 0.0, lambda v: f"{v:.0f}", bar=False,
           exact_only=True, of_work=lambda work: len(work.beds)),
    Column(term("job"), tr("The time for all beds one after another, on both printers if there are "
                           "two."), lambda t: 0.0, text.hours,
           bar=False,
           exact_only=True, of_work=lambda work: work.seconds),
    Column(term("cost"), tr("Material and hours, including the profile's share for failed prints, in your own "
                            "currency."),
           lambda t: 0.0, text.money, exact_only=True, of_work=lambda work: work.cost),
    Column(term("sit flat"), tr("The pieces that sit flat, out of all "
                                "pieces."), lambda t: t.flat_pieces / t.pieces, lambda v: "",
           best="more", bar=False),
    Column(term("fit"), tr("The pieces that fit the printer, out of all "
                           "pieces."), lambda t: t.fitting_pieces / t.pieces, lambda v: "",
           best="more", bar=False),
)


@dataclass(frozen=True, eq=False)
class Row:
    """A row of the ledger.

    Attributes
    ----------
    choice : str
        Its key in the ledger; None: the plan on the bed.
    approximate : bool
        Whether something is being dragged.
    """

    choice: str | None
    name: str
    note: str
    plan: Plan
    entry: Entry | None
    approximate: bool = False
    layers: LayerTotals | None = None

    @property
    def shown(self) -> tuple[object, ...]:
        """Everything that is shown of the row."""
        return self.choice, self.name, self.note, self.plan, self.entry, self.approximate, self.layers


def cell_text(column: Column, row: Row) -> str:
    """A figure as it is shown; empty while it is being measured."""
    value = column.value(row)
    if row.entry is not None and not math.isfinite(column.of(row.entry.totals)):
        return "–"
    if column.of_layers is not None and row.layers is None:
        return "–"
    if row.entry is None or value is None:
        return "…"
    totals = row.entry.totals
    if column.title == "sit flat":
        return tr("{flat_pieces} of {pieces}", flat_pieces=totals.flat_pieces, pieces=totals.pieces)
    if column.title == "joined":
        return tr("{joined} of {contacts}", joined=totals.joined, contacts=totals.contacts) if totals.contacts else "–"
    if column.title == "fit":
        return tr("{fitting_pieces} of {pieces}", fitting_pieces=totals.fitting_pieces, pieces=totals.pieces)
    about = "≈ " if row.approximate and column.title != "pieces" else ""
    return about + column.shown(value)


def difference(column: Column, before: Row, after: Row) -> str:
    """By how much a figure is more or less than in another row; empty where that is unknown or zero."""
    values = column.value(before), column.value(after)
    if values[0] is None or values[1] is None or column.title in ("pieces", "joined", "islands", "sit flat", "fit"):
        return ""
    change = values[1] - values[0]
    return text.signed(column.shown(abs(change)), change) if abs(change) > 0.05 else ""


def _read_aloud(column: Column, row: Row) -> str:
    """A figure with its name, for a screen reader."""
    return f"{column.name} {cell_text(column, row)}"


class LedgerModel(QAbstractTableModel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.rows: list[Row] = []
        self._shown: tuple[str, str, list[tuple[object, ...]]] | None = None
        for signal in (state.project_changed, state.outcome_changed, state.entries_changed, state.live_changed,
                       state.step_changed):
            signal.connect(self._on_changed)

    def _on_changed(self) -> None:
        when_over(self.rebuild)

    def rebuild(self) -> None:
        rows = self._rows()
        # which columns say something depends on the step and on the printer too
        state = self._state
        shown = state.step, state.printer.kind if state.is_open else "", [row.shown for row in rows]
        known, self._shown = self._shown, shown
        if known is not None and known[2] == shown[2]:
            rows = self.rows
        if len(rows) != len(self.rows):
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        elif shown != known:
            self.rows = rows
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS)))

    def _rows(self) -> list[Row]:
        state = self._state
        project = state.history.project
        if project is None:
            return []
        rows = [
            Row(key, name, self._note(key), plan, state.entry(plan), layers=state.checking.totals(plan))
            for key, name, plan in state.compared
        ]
        rows.insert(1 if project.whole else 0, self._bed_row())
        return rows

    def _note(self, key: str) -> str:
        """The note under the name of a row."""
        pinned = self._state.project.pinned
        if key == WHOLE:
            return tr("whole") if pinned else COMPARED
        return COMPARED if key == pinned else ""

    def _bed_row(self) -> Row:
        state = self._state
        if state.draft is not None:
            live, before = state.live, state.entry(state.plan)
            # until there are figures of what is moved there are none: those from before are of something else
            shown = Entry(live.outcome.totals, before.picture if before else None, None) if live else None
            note = tr("cannot be measured") if state.live_problem else tr("being moved")
            return Row(None, tr("On the bed now"), note, state.draft, shown, live is not None)
        same = next((name for _, name, plan in state.compared if plan == state.plan), "")
        return Row(
            None, tr("On the bed now"), tr("same as “{same}”", same=same) if same else tr("not kept"), state.plan,
            state.entry(state.plan),
            layers=state.checking.totals(state.plan),
        )

    def shows(self, column: Column) -> bool:
        """Whether a column says anything about a measured row."""
        of_work = column.of_work is not None
        if (of_work or not column.in_job) and of_work != (self._state.step == "Hand off"):
            return False
        if column.resin_only and self._state.is_open and self._state.printer.kind != "resin":
            return False
        if column.of_layers is not None:
            return any(row.layers is not None for row in self.rows)
        known = [row.entry.totals for row in self.rows if row.entry is not None]
        return not known or any(column.tells(totals) for totals in known)

    @property
    def compared_with(self) -> Row | None:
        """The row with which the others are compared: the pinned one, or else the model as it came."""
        return next((row for row in self.rows if row.note == COMPARED), None)

    def is_best(self, row: Row, column: Column) -> bool:
        """Whether a row has the best figure of a column, and the figures of the column differ."""
        own = column.value(row)
        if not column.best or own is None or row.approximate:
            return False
        known = [column.value(other) for other in self.rows if not other.approximate]
        values = [value for value in known if value is not None]
        if len(values) < 2 or max(values) - min(values) < 1e-9:
            return False
        best = min(values) if column.best == "less" else max(values)
        return abs(own - best) < 1e-9

    def difference(self, row: Row, column: Column) -> str:
        """The signed difference from the pinned row; empty where there is none to show."""
        other = self.compared_with
        if other is None or other.choice == row.choice:
            return ""
        return difference(column, other, row)

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(COLUMNS) + 1

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return tr("Choices") if section == 0 else COLUMNS[section - 1].name
        if role == Qt.ItemDataRole.ToolTipRole:
            return tr("Each row is one way to tilt and cut the model.") if section == 0 else COLUMNS[section - 1].hover
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if section == 0 else Qt.AlignmentFlag.AlignRight
            return int(side | Qt.AlignmentFlag.AlignVCenter) | int(Qt.TextFlag.TextWordWrap)
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.name if index.column() == 0 else cell_text(COLUMNS[index.column() - 1], row)
        if role == Qt.ItemDataRole.AccessibleTextRole:
            if index.column() == 0:
                return ", ".join((row.name, *(_read_aloud(one, row) for one in COLUMNS if self.shows(one))))
            return _read_aloud(COLUMNS[index.column() - 1], row)
        if role == Qt.ItemDataRole.EditRole and index.column() == 0:
            return row.name
        if role == Qt.ItemDataRole.ToolTipRole:
            if index.column() == 0:
                return _TIPS.get(row.choice, tr("Click to bring this choice back to the bed."))
            return COLUMNS[index.column() - 1].hover
        return None

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.EditRole and row.choice not in (None, WHOLE):
            self._state.choosing.rename(row.choice, str(value))
            return True
        return False

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.column() == 0 and self.rows[index.row()].choice not in (None, WHOLE):
            flags |= Qt.ItemFlag.ItemIsEditable
        return flags
