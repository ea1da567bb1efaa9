"""The page of findings: failed, look here, left on purpose, good. A click on a line flies to its place."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import partial

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ....core.inspection.findings import Finding
from ....core.inspection.lines import Line, lines_of
from ....core.locale import text
from ....core.locale.translate import tr
from ...desk_state import DeskState
from ...refresh.binding import follow, quietly
from ...state.view import View
from ...widgets.basics import ClickRow, Panel, button, label, row
from ...widgets.kept_rows import KeptRows

_HEADS = {"failed": tr("Failed"), "look": tr("Look here"), "left": tr("Left on purpose"), "good": tr("Good")}
_SIGNS = {"failed": "✕", "look": "!", "left": "–", "good": "✓"}
_APART = View().apart
_ROLES = {"failed": "bad", "look": "look", "left": "faint", "good": "good"}


@dataclass(frozen=True)
class _FoundRow:
    """What a row of the list shows: a heading in some role, or a line.

    Attributes
    ----------
    nth : int
        The number among the lines that say the same, from 0 on.
    filament : bool
        Whether the piece is printed in filament, which decides what may help.
    """

    words: str = ""
    role: str = "head"
    line: Line | None = None
    nth: int = 0
    chosen: bool = False
    filament: bool = False


class LineRow(ClickRow):
    """One line. The chosen one also says what it means and what helps."""

    def __init__(self, line: Line, *, chosen: bool) -> None:
        super().__init__("chosen" if chosen else "row")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 3, 8, 3)
        column.setSpacing(1)
        column.addLayout(row(label(_SIGNS[line.verdict], _ROLES[line.verdict]), label(line.what, "title"), 1))
        column.addWidget(label(line.detail, "faint", wrap=True))
        if chosen and line.means:
            column.addWidget(label(line.means, "", wrap=True))
        self.column = column
        self.setAccessibleName(f"{_HEADS[line.verdict]}: {line.what}. {line.detail}")
        self.setToolTip(line.means or line.detail)


class CheckedPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state, self._checking = state, state.checking
        self._said = self.head(tr("What was checked"))
        self.layers = QComboBox()
        self.layers.setAccessibleName(tr("Layer height"))
        self.layers.setToolTip(tr("The layer height of the check, one of the printer's own. Finer layers show more."))
        self.layers.activated.connect(self._on_layer)
        self._sum = label("", "faint", wrap=True)
        self.add(row(label(tr("Layers of"), "faint"), self.layers, 1))
        self.add(self._sum)
        self.seen = button(
            tr("Show assembled"),
            tr(
                "Puts the pieces together and shows what support touches, and the seams: grey where hidden, madder "
                "where in sight."
            ),
            self._look,
            role="small",
            checkable=True,
        )
        self._scar = label("", "faint", wrap=True)
        self.add(row(self.seen, 1))
        self.add(self._scar)
        self.entries = self.add_list()
        self.entries.setSpacing(2)
        self._rows = KeptRows(self.entries, self._row)
        self._chosen: Line | None = None
        self.column.addStretch(1)
        follow(self, self.refresh, state.opened, state.outcome_changed, self._checking.changed, state.project_changed,
               state.view_changed)

    @property
    def lines(self) -> list[Line]:
        """The lines of the measured plan."""
        evaluated = self.state.evaluated
        if evaluated is None:
            return []
        return lines_of(evaluated.outcome, self._checking.found, self.state.printer)

    def refresh(self) -> None:
        self._show_layers()
        if self.state.evaluated is None:
            self._rows.show((_FoundRow(tr("Open a model. What the check finds is listed here."), "faint"),))
            self._sum.setText("")
            return
        totals = self.state.evaluated.outcome.totals
        self.seen.setChecked(self.state.view.in_place)
        sight, seam = text.area(totals.scar.sight), text.mm(totals.seam_in_sight_mm)
        self._scar.setText(tr("On the assembled prop, {sight} of scar and {seam} of seam are in sight; another "
                              "{area} of scar is hidden.", sight=sight, seam=seam, area=text.area(totals.scar.hidden)))
        lines = self.lines
        flown = self._checking.flown
        chosen = next((line for line in lines if line.found is not None and line.found == flown), None)
        if chosen is None and self._chosen in lines and (flown is None or self._chosen is None):
            chosen = self._chosen
        counts = {verdict: sum(line.verdict == verdict for line in lines) for verdict in _HEADS}
        waiting = "" if self._checking.found else tr(" Checking the layers …")
        self._sum.setText(
            tr(
                "{failed} failed, {look} to look at, {good} good.{waiting}",
                failed=counts["failed"],
                look=counts["look"],
                good=counts["good"],
                waiting=waiting,
            )
        )
        self._chosen = chosen
        self._rows.show(self._listed(lines, counts))

    @property
    def rows(self) -> list[tuple[Line, LineRow]]:
        """Each line of the list, with the row that shows it."""
        return [(key.line, row) for key, row in self._rows if key.line is not None and isinstance(row, LineRow)]

    def _listed(self, lines: list[Line], counts: dict[str, int]) -> list[_FoundRow]:
        """The lines, with a heading above those of each verdict."""
        filament = self.state.piece_printer.kind == "filament"
        listed, before = [], Counter[Line]()
        for number, line in enumerate(lines):
            if number == 0 or line.verdict != lines[number - 1].verdict:
                listed.append(_FoundRow(f"{_HEADS[line.verdict]} · {counts[line.verdict]}"))
            listed.append(_FoundRow(line=line, nth=before[line], chosen=line == self._chosen, filament=filament))
            before[line] += 1
        return listed

    def _row(self, of: _FoundRow) -> QWidget:
        if of.line is None:
            return label(of.words, of.role, wrap=of.role == "faint")
        shown = LineRow(of.line, chosen=of.chosen)
        shown.clicked.connect(partial(self._take, of.line))
        if of.chosen:
            shown.column.addLayout(self._helps(of.line))
        return shown

    def _helps(self, line: Line) -> QHBoxLayout:
        """Buttons for what can be done about a line."""
        parts = []
        if line.found is not None:
            parts.append(self._leaving(line.found))
        filament = self.state.piece_printer.kind == "filament"
        if "hold" in line.helps and line.found is not None and line.number is not None and filament:
            parts.append(button(tr("Add a hold spot"), tr("Marks this place as a hold spot, so that it gets support."),
                                partial(self._checking.hold, line.number, line.found), role="small"))
        if "seat" in line.helps:
            parts.append(
                button(
                    tr("Find other seats …"),
                    tr("Opens Tilt to find other seats for this piece."),
                    partial(self._reseat, line),
                    role="small",
                )
            )
        across = row(*parts, 1)
        across.setContentsMargins(0, 3, 0, 1)
        return across

    def _leaving(self, found: Finding) -> QPushButton:
        if found.left:
            return button(tr("Count it again"), tr("Counts this finding again."),
                          partial(self._checking.take_back, found), role="small")
        return button(tr("Leave it"), tr("Accepts this finding. It is listed separately from now on."),
                      partial(self._checking.leave, found), role="small")

    def _take(self, line: Line) -> None:
        self._chosen = line
        if line.found is not None and line.number is not None:
            self._checking.fly(line.number, line.found)
            return
        self._checking.flown = None
        if line.number is not None:
            self.state.select_piece(line.number)
        self.refresh()

    def _reseat(self, line: Line) -> None:
        if line.number is not None:
            self.state.select_piece(line.number)
        self.state.go_to("Tilt")

    def _look(self) -> None:
        """Put the pieces together, or back on the bed."""
        self.state.show(in_place=self.seen.isChecked(), apart=0.0 if self.seen.isChecked() else _APART)

    # the layers

    def _show_layers(self) -> None:
        heights = self.state.piece_printer.layer_heights
        words = [text.layer(height) for height in heights]
        with quietly(self.layers):
            if [self.layers.itemText(n) for n in range(self.layers.count())] != words:
                self.layers.clear()
                self.layers.addItems(words)
            now = self._checking.thickness
            self.layers.setCurrentIndex(heights.index(now) if now in heights else -1)

    def _on_layer(self, number: int) -> None:
        self._checking.look_at(self.state.piece_printer.layer_heights[number])
