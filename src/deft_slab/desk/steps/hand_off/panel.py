"""The Hand off panel: pieces on their beds, what printing takes, and the files."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QPushButton

from ....core.exporting.equal_pieces import firsts_of
from ....core.exporting.options import Wished
from ....core.exporting.paper_sizes import NAMES, PAPERS, Paper
from ....core.formats import WRITTEN
from ....core.locale import text
from ....core.locale.translate import term, tr, tr_many
from ....core.plan.placements import BedsBy
from ...actions.verbs import Verbs
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...state.beds import STEP
from ...widgets.basics import Panel, button, label, row, say
from .bed_tiles import BedTiles
from .choices_front import ChoicesFront
from .pieces_to_print import PiecesToPrint, SecondPrinter
from .printers import PrintersSection

_ORDERS: dict[BedsBy, tuple[str, str]] = {
    "fewest": (tr("Fewest"), tr("Uses as few beds as possible.")),
    "piece": (
        tr("One piece each"),
        tr("Prints each piece with its copies on a bed of its own."),
    ),
    "hours": (tr("Longest first"), tr("Uses as few beds as possible. The bed that takes longest is printed first.")),
    "colour": (tr("By colour"), tr("Uses as few beds as possible. Beds of the same material or colour follow each "
                                   "other.")),
}


class HandOffPanel(Panel):
    def __init__(self, state: DeskState, verbs: Verbs) -> None:
        super().__init__()
        self._state, self._bedding = state, state.bedding
        self._beds_head = self.head(tr("Beds"))
        self._beds_said = label("", "faint", wrap=True)
        self.add(self._beds_said)
        self.tiles = BedTiles(state)
        self.add(self.tiles)
        self.fewer = button(
            tr("Fewer beds …"),
            tr("Tries many orders and rotations to find the fewest beds. What you placed by hand stays there."),
            self._nest_or_stop,
            role="small",
        )
        self.anew = button(
            tr("Reset"), tr("Discards the places that you chose by hand."), self._bedding.lay_anew, role="small"
        )
        self.left = button(tr("Turn left"), tr("Turns the selected piece by {step:g}° (comma key).", step=STEP),
                           partial(self._bedding.turn, STEP), role="small")
        self.right = button(tr("Turn right"), tr("Turns the selected piece by {step:g}° (full stop key).", step=STEP),
                            partial(self._bedding.turn, -STEP), role="small")
        self.add(row(self.fewer, self.anew, self.left, self.right, 1, spacing=4))
        self.orders = {
            beds_by: button(words, does, partial(self._bedding.order, beds_by), role="small", checkable=True)
            for beds_by, (words, does) in _ORDERS.items()
        }
        self.room = button(
            tr("Keep areas free"),
            tr(
                "Draw rectangles on a bed where nothing may lie, for example for clips. A click removes one. The "
                "rectangles are stored with the printer."
            ),
            lambda: self._bedding.set_keeping_free(self.room.isChecked()),
            role="small",
            checkable=True,
        )
        *first, colour = self.orders.values()
        self.add(row(label(tr("Beds"), "faint"), 1, *first, spacing=3))
        self.add(row(1, colour, self.room, spacing=3))
        self.second = SecondPrinter(state)
        self.add(self.second)
        self.head(tr("The job"))
        self.figures = self.add_figures(
            (term("Time"), tr("The time for all beds, one after another, on both printers if there are two.")),
            (term("All done after"), tr("The time until everything is printed, with both printers working at once.")),
            (term("Longest piece"), tr("The time of the piece that takes longest, printed alone.")),
            (term("Material"), tr("The material of all pieces and their support.")),
            (
                term("Cost"),
                tr("Material and hours, including the profile's share for failed prints, in your own currency."),
            ),
            (term("To glue"), tr("The number of contacts of one prop, and their area.")),
        )
        self.choices = ChoicesFront(state)
        self.add(self.choices)
        self.head(tr("Write"))
        self._add_writing(verbs)
        self.head(tr("Printers"))
        self.printers = PrintersSection(state)
        self.add(self.printers)
        self.head(tr("Pieces, seated on the bed"))
        self.pieces = PiecesToPrint(state)
        self.add(self.pieces)
        self.column.addStretch(1)
        follow(self, self.refresh, state.alike.changed, self._bedding.changed)

    def _add_writing(self, verbs: Verbs) -> None:
        """Add the controls for what is written, and how."""
        state = self._state
        self.piece_files = self._toggles(tr("Each piece"), ("stl",))
        self.bed_files = self._toggles(tr("Each bed"), ("3mf",))
        self.papers = {
            paper: button(words, tr("The sheet for the bench, as PDF on {words} paper and as HTML.", words=words),
                          partial(self._choose_paper, paper), role="small", checkable=True)
            for paper, words in NAMES.items()
        }
        self.papers[PAPERS[0]].setChecked(True)
        self.look = button(
            tr("Look at it …"),
            tr("Opens the sheet: the prop assembled and pulled apart, the pieces in their seats, the steps, and "
               "the job."),
            lambda: verbs.look_at_sheet(self.paper or PAPERS[0]),
            role="small",
        )
        self.add(row(label(tr("Sheet"), "faint"), 1, self.look, *self.papers.values(), spacing=3))
        self.all = button(
            tr("Write pieces and beds …"),
            tr(
                "Writes files in the chosen formats, each read back before it is saved, with the sheet, and with "
                "job.json and pieces.csv, which list them."
            ),
            lambda: verbs.ask_job_folder(self.wished, self.paper),
            role="main",
        )
        self.stl = button(
            tr("Each piece as STL …"), tr("Writes a binary STL for each piece, in its seat, with the lowest point "
                                          "at z = 0, in mm."),
            verbs.ask_stl_folder,
        )
        self.together = button(
            tr("All in one 3MF …"), tr("Writes all pieces, named and in their seats, side by side without overlap, "
                                       "in mm."),
            verbs.ask_3mf_file,
        )
        self.save = button(
            tr("Save the project …"),
            tr("Writes a 3MF with the pieces, the model as it was opened, and the plan with its choices."),
            verbs.ask_project_file,
        )
        self.equal = QCheckBox(tr("Equal pieces as one file, with a count"))
        self.equal.setToolTip(tr("Equal pieces are printed from the file of the first, in its seat."))
        self.equal.clicked.connect(lambda on: state.change_settings(equal_once=on))
        self.posts = QCheckBox(tr("with their posts, as one body"))
        self.posts.setToolTip(tr("Pieces are written standing on their posts. Otherwise the posts are left out."))
        self.posts.clicked.connect(lambda on: state.change_settings(with_posts=on))
        self.layers = QCheckBox(tr("layers of each bed, as pictures and in a 3MF"))
        self.layers.setToolTip(
            tr(
                "Writes a ZIP with a picture of each layer at the resolution of the printer, and a 3MF with the "
                "same layers as polygons. 2,000 layers take about a minute."
            )
        )
        self.layers.clicked.connect(self._formats_changed)
        for part in (self.all, self.equal, self.posts, self.layers):
            self.add(part)
        self.add(row(self.stl, self.together, 1))
        self.add(row(self.save, 1))
        self._where = label("", "faint", wrap=True)
        self.add(self._where)

    def _toggles(self, title: str, chosen: tuple[str, ...]) -> dict[str, QPushButton]:
        """A row of buttons for the formats to write."""
        found = {}
        for ending in WRITTEN:
            one = button(
                ending.upper(),
                tr("{title} as .{ending}.", title=title, ending=ending),
                self._formats_changed,
                role="small",
                checkable=True,
            )
            one.setChecked(ending in chosen)
            one.setAccessibleName(tr("{title} as {ending}", title=title, ending=ending.upper()))
            found[ending] = one
        self.add(row(label(title, "faint"), 1, *found.values(), spacing=3))
        return found

    def _formats_changed(self) -> None:
        wished = self.wished
        anything = bool(wished.pieces or wished.beds or wished.layers or self.paper)
        self.all.setEnabled(self._state.evaluated is not None and anything)

    def _choose_paper(self, paper: Paper) -> None:
        """Choose one of the paper sizes, or none."""
        for other, one in self.papers.items():
            if other != paper:
                one.setChecked(False)
        self._formats_changed()

    @property
    def _resin(self) -> bool:
        """Whether a bed is printed in resin."""
        work = self._bedding.work
        return work is not None and any(bed.printer.kind == "resin" for bed in work.beds)

    @property
    def paper(self) -> Paper | None:
        """The paper size of the sheet that is written as well; None: no sheet."""
        return next((paper for paper, one in self.papers.items() if one.isChecked()), None)

    @property
    def wished(self) -> Wished:
        """What the user wants written."""
        pieces, beds = (
            tuple(ending for ending, one in of.items() if one.isChecked())
            for of in (self.piece_files, self.bed_files)
        )
        layers = self.layers.isChecked() and self._resin
        return Wished(pieces, beds, equal_once=self._state.settings.equal_once, layers=layers)

    def refresh(self) -> None:
        evaluated = self._state.evaluated
        for part in (
            self.stl,
            self.together,
            self.save,
            self.fewer,
            self.tiles,
            self.look,
            *self.orders.values(),
            self.room,
        ):
            part.setEnabled(evaluated is not None)
        self._formats_changed()
        if evaluated is None:
            return
        self._show_beds()
        self._show_job()
        alike = self._state.alike.found
        firsts = firsts_of(alike) if len(alike) == len(evaluated.outcome.pieces) else []
        self.equal.setVisible(len(set(firsts)) < len(firsts))
        self.equal.setChecked(self._state.settings.equal_once)
        self.layers.setVisible(self._resin)
        self.posts.setVisible(bool(evaluated.outcome.posts))
        self.posts.setChecked(self._state.settings.with_posts)
        path = self._state.opening.path
        saved = tr("Project: {name}.", name=path.name) if path else tr("The project has not been saved yet.")
        self._where.setText(saved + (tr(" It has changed since it was "
                                        "saved.") if path and self._state.history.dirty else ""))

    def _nest_or_stop(self) -> None:
        """Search for fewer beds, or stop and take the best layout so far."""
        if self._bedding.found_so_far is not None:
            self._bedding.take_found()
        else:
            self._bedding.nest()

    def _show_beds(self) -> None:
        bedding, work = self._bedding, self._bedding.work
        found = bedding.found_so_far
        self.fewer.setText(
            tr("Fewer beds …")
            if found is None
            else tr("Stop at {beds} beds (at least {least} needed)", beds=found.beds, least=found.least)
        )
        self.room.setChecked(bedding.keeping_free)
        for beds_by, one in self.orders.items():
            one.setChecked(self._state.is_open and self._state.plan.beds_by == beds_by)
        self.anew.setEnabled(self._state.is_open and bool(self._state.plan.lying))
        picked = bedding.picked is not None and bedding.picked < len(bedding.laid)
        self.left.setEnabled(picked)
        self.right.setEnabled(picked)
        if work is not None:
            self._beds_head.setText(
                tr_many("{n} bed, at least {least}", "{n} beds, at least {least}", len(work.beds), least=work.least)
            )
        clashes = bedding.clashes
        if clashes:
            numbers = {number for pair in clashes for number in pair}
            words = tr_many("{n} piece is closer than {gap} to another, or outside the bed.",
                            "{n} pieces are closer than {gap} to another, or outside the bed.", len(numbers),
                            gap=text.given(self._state.printer.gap))
            say(self._beds_said, words, "look")
        else:
            say(self._beds_said, tr("Drag pieces on their bed or to another one. Arrow keys move the selected "
                                    "piece."), "faint")
        self.tiles.updateGeometry()
        self.tiles.update()

    def _show_job(self) -> None:
        work = self._bedding.work
        if work is None:
            return
        self.figures["Time"].setText(text.hours(work.seconds))
        several = len({bed.second for bed in work.beds}) > 1
        self.show_figure("All done after", several)
        self.figures["All done after"].setText(text.hours(work.elapsed))
        self.figures["Longest piece"].setText(text.hours(work.longest))
        materials = work.materials
        grams = text.grams(work.material)
        each = " · ".join(f"{text.grams(of)} {name}" for name, of in materials.items())
        self.figures["Material"].setText(grams if len(materials) == 1 else each)
        self.figures["Cost"].setText(text.money(work.cost))
        glued = tr_many("{n} contact, {area}", "{n} contacts, {area}", work.contacts, area=text.area(work.glue))
        self.figures["To glue"].setText(glued if work.contacts else tr("nothing"))
