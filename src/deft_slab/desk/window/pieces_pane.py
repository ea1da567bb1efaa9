"""The left pane: the pieces of the plan on the bed, and its cuts."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QInputDialog, QLabel, QVBoxLayout, QWidget

from ...core.cuts import Cut
from ...core.exporting.colours import PIECES
from ...core.locale import text
from ...core.locale.translate import term, tr, tr_in, tr_many
from ...core.results.outcome import Piece
from ..cuts import ON_DESK, on_desk
from ..desk_state import DeskState
from ..look import palette
from ..refresh.binding import follow
from ..widgets.basics import ClickRow, Panel, Swatch, button, emptied, label, row

_MOST_ROWS = 40
"""A cut through a model of many bodies may leave thousands of pieces; a row for each would take seconds to lay out."""

_MOST_SPOTS = 8
"""Further ones are summed up."""


class _PieceRow(ClickRow):
    """A row with several lines of text."""

    def __init__(self, chosen: bool) -> None:
        super().__init__("chosen" if chosen else "")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(6, 4, 6, 4)
        self.column.setSpacing(2)


class PiecesPane(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("left")
        self.setFixedWidth(230)
        self._state = state
        panel = Panel()
        panel.column.setContentsMargins(8, 12, 8, 12)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 1, 0)
        outer.addWidget(panel)
        self._lists: dict[str, QVBoxLayout] = {}
        self._heads: dict[str, QLabel] = {}
        self._made_of: dict[str, tuple[object, ...]] = {}
        for title in (term("Pieces on the bed"), term("Cuts, in order"), term("Worth knowing"), term("Overhang spots")):
            self._heads[title] = panel.head(tr(title))
            self._lists[title] = panel.add_list()
        panel.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.selection_changed, state.step_changed,
            state.view_changed,
        )

    def refresh(self) -> None:
        state = self._state
        piece = state.piece if state.step == "Tilt" else None
        self._heads["Overhang spots"].setVisible(piece is not None)
        for title, fill, made_of in (
            ("Pieces on the bed", self._fill_pieces,
             (state.pieces, state.is_open, state.selected_piece, state.step in ("Cut", "Join"), state.view.hidden,
              palette.is_dark())),
            ("Cuts, in order", self._fill_cuts,
             (state.plan if state.is_open else None, state.evaluated, state.up_to_date, state.selected_cut,
              state.step == "Cut", state.pointing.kind)),
            ("Worth knowing", self._fill_notes, (state.evaluated,)),
            ("Overhang spots", partial(self._fill_spots, piece),
             (piece, state.selected_piece, state.plan.threshold if state.is_open else None, state.settings.angle_from)),
        ):
            # rows that say the same stay: who goes through them by keys stays where they are
            if self._made_of.get(title) != made_of:
                self._made_of[title] = made_of
                emptied(self._lists[title])
                fill(self._lists[title])

    def _fill_pieces(self, pieces: QVBoxLayout) -> None:
        state = self._state
        if state.evaluated is None:
            what = tr("Measuring …") if state.is_open else tr("Open a model: File, or drop it on the window.")
            pieces.addWidget(label(what, "faint", wrap=True))
        for number, piece in enumerate(state.pieces[:_MOST_ROWS]):
            pieces.addWidget(self._piece_row(number, piece))
        if len(state.pieces) > _MOST_ROWS:
            pieces.addWidget(label(tr("… and {count:,} more pieces", count=len(state.pieces) - _MOST_ROWS), "faint"))

    def _fill_cuts(self, cuts: QVBoxLayout) -> None:
        state = self._state
        for cut in state.plan.recipe if state.is_open else ():
            cuts.addWidget(self._cut_row(cut))
        if state.is_open and not state.plan.recipe:
            cuts.addWidget(label(tr("No cut yet."), "faint", wrap=True))
        if state.is_open and state.step == "Cut":
            self._add_kinds(cuts)
        elif state.is_open and not state.plan.recipe:
            cuts.addWidget(button(tr("Cut it …"), tr("Opens the Cut step."), lambda: state.go_to("Cut"), role="link"))

    def _fill_notes(self, notes: QVBoxLayout) -> None:
        state = self._state
        for note in state.evaluated.outcome.notes if state.evaluated else ():
            notes.addWidget(label(note.says, "look", wrap=True))
        if state.evaluated is not None and not state.evaluated.outcome.notes:
            notes.addWidget(label(tr("Nothing unusual."), "faint"))

    def _add_kinds(self, column: QVBoxLayout) -> None:
        """Add a button for each kind of cut; while a line is drawn, the buttons that end it."""
        state = self._state
        pointing = state.pointing.kind
        if pointing in ("cut line", "cut outline"):
            column.addWidget(
                label(tr("Click points on the model. Near a crease (teal) they snap to it."), "look", wrap=True)
            )
            if pointing == "cut line":
                sheet = button(tr_in("a cut", "Sheet"), tr("Ends the line with a sheet through it, in the "
                                                           "direction of view."),
                               partial(state.placing.end_line, closed=False), role="small")
                loop = button(tr("Loop"), tr("Ends the line as a loop around a limb."),
                              partial(state.placing.end_line, closed=True), role="small")
                column.addLayout(row(sheet, loop, 1))
            return
        kinds = sorted(ON_DESK.values(), key=lambda here: here.rank)
        for first in range(0, len(kinds), 3):
            made = [
                button(f"+ {here.word}", here.tip, partial(state.placing.add, here.kind), role="small")
                for here in kinds[first : first + 3]
            ]
            column.addLayout(row(*made, 1, spacing=4))

    def _piece_row(self, number: int, piece: Piece) -> QWidget:
        state = self._state
        several = len(state.pieces) > 1
        frame = _PieceRow(several and number == state.selected_piece)
        colour = PIECES[number % len(PIECES)] if several else palette.STONE
        name = label(f"{piece.number}  {piece.name}" if several else piece.name, "title", wrap=True)
        head = row(Swatch(colour), name)
        head.setStretch(1, 1)
        frame.column.addLayout(head)
        f = piece.figures
        volume = f" · {text.volume(f.volume_mm3)}" if f.volume_mm3 is not None else ""
        frame.column.addWidget(label(f"{text.box(f.size_mm)}{volume}", "faint"))
        flat = label(tr("✓ sits flat") if f.sits_flat else tr("! not flat"), "good" if f.sits_flat else "look")
        if piece.fit.fits:
            frame.column.addLayout(row(flat, label(tr("✓ fits"), "good"), 1))
        else:
            frame.column.addWidget(flat)
            frame.column.addWidget(label(f"! {piece.fit.sentence()}", "look", wrap=True))
        support = label(tr("support {volume}", volume=text.volume(f.support_volume_mm3)), "faint")
        frame.column.addWidget(support)
        if several and state.step in ("Cut", "Join"):
            hidden = number in state.view.hidden
            show = button(tr("Show") if hidden else tr("Hide"), tr("Shows or hides this piece. The plan stays the "
                                                                   "same."),
                          partial(state.hide_pieces, state.view.hidden ^ {number}), role="small")
            others = frozenset(range(len(state.pieces))) - {number}
            only = button(tr("Only this"), tr("Shows only this piece, or all pieces again."),
                          partial(state.hide_pieces, frozenset() if state.view.hidden == others else others),
                          role="small")
            frame.column.addLayout(row(show, only, 1))
        frame.setAccessibleName(piece.name)
        frame.setToolTip(
            tr("Click to select this piece, double-click to rename it.") if several else tr("The whole model.")
        )
        frame.clicked.connect(partial(state.select_piece, number))
        frame.double_clicked.connect(partial(self._rename, number))
        return frame

    def _fill_spots(self, piece: Piece | None, column: QVBoxLayout) -> None:
        """List the overhanging regions of a piece, largest first; a click flies to one."""
        state = self._state
        if piece is None:
            return
        number = min(state.selected_piece, len(state.pieces) - 1)
        spots = piece.spots
        for spot in spots[:_MOST_SPOTS]:
            frame = _PieceRow(False)
            past = state.plan.threshold + spot.past
            angle = text.overhang(past, state.settings.angle_from)
            words = (
                text.area(spot.area),
                text.counted(past, state.settings.angle_from),
                tr("{length} to piece", length=text.mm(spot.gap))
                if spot.on_piece
                else tr("{length} to bed", length=text.mm(spot.gap)),
            )
            frame.column.addWidget(label(" · ".join(words)))
            if spot.on_show:
                frame.column.addWidget(label(tr("scars a show face"), "look"))
            frame.setAccessibleName(tr("Overhang spot of {area}", area=text.area(spot.area)))
            frame.setToolTip(
                tr(
                    "Mean angle {angle}; support would be {length} high and end on the piece. "
                    "Click to look at it from below.",
                    angle=angle,
                    length=text.mm(spot.gap),
                )
                if spot.on_piece
                else tr(
                    "Mean angle {angle}; support would be {length} high and end on the bed. "
                    "Click to look at it from below.",
                    angle=angle,
                    length=text.mm(spot.gap),
                )
            )
            frame.clicked.connect(partial(state.flown_to.emit, number, spot))
            column.addWidget(frame)
        if len(spots) > _MOST_SPOTS:
            rest = sum(spot.area for spot in spots[_MOST_SPOTS:])
            column.addWidget(
                label(
                    tr("… and {count} smaller ones, {area}", count=len(spots) - _MOST_SPOTS, area=text.area(rest)),
                    "faint",
                )
            )
        if not spots:
            column.addWidget(label(tr("None: nothing needs support."), "faint"))

    def _rename(self, number: int) -> None:
        state = self._state
        state.select_piece(number)
        piece = state.piece
        if piece is None or piece.alone:
            return
        name, accepted = QInputDialog.getText(self, tr("Rename the piece"), tr("Name:"), text=piece.name)
        if accepted:
            state.seats.rename_piece(name)

    def _cut_row(self, cut: Cut) -> QWidget:
        state = self._state
        frame = _PieceRow(cut.id == state.selected_cut)
        word = on_desk(cut).word
        on = QCheckBox(tr_in("a cut", "on"))
        on.setChecked(cut.on)
        on.setToolTip(tr("A cut that is switched off stays in the plan but does not cut."))
        on.setAccessibleName(tr("{name} on", name=cut.name))
        on.clicked.connect(lambda checked: state.cutting.change_one(tr("switch a cut"), cut.id, on=checked))
        remove = button(
            "×", tr("Removes “{name}”.", name=cut.name), partial(state.cutting.remove, cut.id), role="small"
        )
        title = label(cut.name, "title", wrap=True)
        head = row(title, on, remove)
        head.setStretch(0, 1)
        frame.column.addLayout(head)
        seam = state.evaluated.outcome.seams.get(cut.id) if state.evaluated else None
        if not cut.on:
            said = tr("{word} · off", word=word)
        elif seam is None:
            said = tr("{word} · measuring …", word=word)
        else:
            said = tr(
                "{word} · seam {length}, {length2} in sight",
                word=word,
                length=text.mm(seam.length),
                length2=text.mm(seam.in_sight),
            )
            said += tr(", {length} across show faces", length=text.mm(seam.on_show)) if seam.on_show > 0 else ""
        frame.column.addWidget(label(said, "faint", wrap=True))
        report = state.evaluated.outcome.cuts.get(cut.id) if state.evaluated and cut.on else None
        if report is not None and state.up_to_date and (not report.parts or report.catches or report.crumbs):
            words = tr("cuts nothing") if not report.parts else tr("catches") if report.catches else ""
            words = words or tr_many("{n} crumb", "{n} crumbs", len(report.crumbs))
            frame.column.addWidget(label(f"! {words}", "look"))
        if cut.id == state.selected_cut and len(state.plan.recipe) > 1:
            up = button(tr("Earlier"), tr("Moves this cut up, so that it is made before the one above "
                                          "it."), partial(state.cutting.order,
                    cut.id, -1),
                        role="small")
            down = button(tr("Later"), tr("Moves this cut down, so that it is made after the one below "
                                          "it."), partial(state.cutting.order,
                    cut.id, 1),
                          role="small")
            frame.column.addLayout(row(up, down, 1))
        frame.setAccessibleName(cut.name)
        frame.setToolTip(tr("Click to select this cut. Its handles appear in the Cut step."))
        frame.clicked.connect(partial(self._choose_cut, cut.id))
        return frame

    def _choose_cut(self, cut_id: str) -> None:
        self._state.select_cut(cut_id)
        if self._state.step != "Cut":
            self._state.go_to("Cut")
