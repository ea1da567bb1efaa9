"""Where pieces lie on their beds: moved and rotated by hand, laid out anew, and written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ...core.errors import BadPlan, DeftError
from ...core.exporting.layout import Laid, by_hand_of, kept_as, numbered
from ...core.exporting.options import Handed, Wished
from ...core.exporting.paper_sizes import Paper
from ...core.exporting.print_job import PrintJob
from ...core.locale.translate import tr, tr_many
from ...core.plan.placements import BedsBy
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ..messages.hand_off import BedsFound, Deliver, DrawSheet, NestBeds, ShareOut, SheetPages
from .desk import Desk

_CLICK = 3.0
"""mm: a smaller rectangle is a click."""
STEP = 15.0
"""Degrees by which a piece is turned at a time."""


class Bedding(QObject):
    """The layout of pieces on beds.

    Attributes
    ----------
    picked : int or None
        The number, in the layout, of the copy that is moved or rotated.
    keeping_free : bool
        Whether rectangles are being drawn on the beds that must stay free.
    """

    changed = Signal()
    written = Signal()
    """Files were."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.picked: int | None = None
        self.keeping_free = False
        self.nesting: tuple[Plan, BedsFound] | None = None
        for signal in (desk.outcome_changed, desk.selection_changed, desk.project_changed):
            signal.connect(self.changed)
        desk.opened.connect(self._forget)
        desk.jobs.progressed.connect(self._on_stopped)

    def _forget(self) -> None:
        self.picked = None
        self.changed.emit()

    @property
    def laid(self) -> tuple[Laid, ...]:
        """The layout: all pieces of the first copy, then those of the second, and so on. Empty while it is not
        known.
        """
        evaluated = self._desk.evaluated
        return evaluated.laid if evaluated is not None else ()

    @property
    def work(self) -> PrintJob | None:
        """What printing it takes."""
        evaluated = self._desk.evaluated
        return evaluated.work if evaluated is not None else None

    @property
    def clashes(self) -> tuple[tuple[int, int], ...]:
        """Pairs of pieces in the layout that are too close to each other; a pair of equal numbers stands for a piece
        that leaves its bed.
        """
        evaluated = self._desk.evaluated
        return evaluated.clashes if evaluated is not None else ()

    def pick(self, number: int | None) -> None:
        """Pick one copy in the layout, and select its piece."""
        self.picked = number
        if number is not None and number < len(self.laid):
            self._desk.select_piece(self.laid[number].piece)
        self.changed.emit()

    def of_printer(self, bed: int, number: int) -> tuple[bool, int]:
        """Whether a bed belongs to the second printer, and its number among the beds of its printer. A bed after all
        others is the next one of the printer that a piece is on.

        Parameters
        ----------
        number : int
            The number of the piece in the layout.
        """
        on_it = next((n for n, one in enumerate(self.laid) if one.bed == bed), None)
        pieces = self._desk.pieces
        if on_it is not None:
            return pieces[self.laid[on_it].piece].second, self.laid[on_it].of_printer
        second = pieces[self.laid[number].piece].second
        own = (one.of_printer for one in self.laid if pieces[one.piece].second == second)
        return second, 1 + max(own)

    def move(self, number: int, bed: int, x: float, y: float) -> None:
        """Put a piece on a bed, with the low corner of its footprint at x, y mm. All others stay where they are. On
        a bed of the other printer, all of its copies are printed there from then on.
        """
        pieces = self._desk.pieces
        if not pieces or number >= len(self.laid):
            return
        second, own = self.of_printer(bed, number)
        if second != pieces[self.laid[number].piece].second:
            self.print_on(self.laid[number].piece, second=second)
        else:
            self._put(tr("move a piece on its bed"), number, bed=own, x=x, y=y)

    def turn(self, degrees: float) -> None:
        """Rotate the picked piece about its middle."""
        number = self.picked
        if number is None or number >= len(self.laid):
            return
        one = self.laid[number]
        from shapely import affinity  # slow to load: the window is there before it

        x, y, _, _ = affinity.rotate(one.outline, degrees, origin="center").bounds
        turn = (one.turn + degrees + 180.0) % 360.0 - 180.0
        self._put(tr("turn a piece on its bed"), number, bed=one.of_printer, x=x, y=y, turn=turn)

    def _put(self, did: str, number: int, **what: float) -> None:
        desk, pieces = self._desk, self._desk.pieces
        if not desk.up_to_date or number >= len(self.laid):
            return
        kept = list(kept_as(pieces, self.laid, by_hand_of(pieces, self.laid, desk.plan.lying) | {number}))
        kept[number] = kept[number].model_copy(update=what)
        desk.change(did, lambda: desk.plan.changed(lying=tuple(kept)))

    def nest(self) -> None:
        """Search for fewer beds, around the pieces that were placed by hand, until the search is stopped or has
        tried everything; then use the result.
        """
        self._search(self._desk.plan, anew=True)

    def _search(self, plan: Plan, *, anew: bool) -> None:
        desk = self._desk

        def take_beds(found: BedsFound) -> None:
            self.nesting = plan, found
            if found.done < 1:
                self._search(plan, anew=False)
                self.changed.emit()
            else:
                self.take_found()

        desk.ask("ask:nest", NestBeds(plan, desk.printer, anew), done=take_beds, label=tr("Laying pieces on beds"),
                 failed=self._nest_failed, still=lambda: desk.is_open and desk.plan == plan)

    def _nest_failed(self, error: DeftError) -> None:
        self.nesting = None
        self._desk.failed.emit(error)
        self.changed.emit()

    def take_found(self) -> None:
        """Stop searching for fewer beds, and use what was found so far."""
        desk, nesting, self.nesting = self._desk, self.nesting, None
        desk.jobs.cancel("ask")
        if nesting is not None and desk.is_open and desk.plan == nesting[0]:
            found = nesting[1]
            desk.do_plan(tr("lay pieces on fewer beds"), desk.plan.changed(lying=found.lying))
            desk.told.emit(tr_many("Everything now lies on {n} bed.", "Everything now lies on {n} beds.", found.beds))
        self.changed.emit()

    def _on_stopped(self) -> None:
        """Use what was found, however the search was stopped."""
        if self.nesting is not None and not self._desk.jobs.busy_with("ask"):
            self.take_found()

    @property
    def found_so_far(self) -> BedsFound | None:
        """The fewest beds found so far by a running search."""
        desk = self._desk
        looking = self.nesting is not None and desk.is_open and desk.plan == self.nesting[0]
        return self.nesting[1] if looking and self.nesting is not None and desk.jobs.busy_with("ask") else None

    def use_second(self, printer: Printer | None) -> None:
        """Use a second printer, another one, or none."""
        desk = self._desk
        if desk.is_open and desk.plan.second != printer:
            did = tr("add a second printer") if printer is not None else tr("remove the second printer")
            # where pieces lie is of beds that may no longer be there
            desk.do_plan(did, desk.plan.changed(second=printer, lying=()))

    def share_out(self) -> None:
        """Assign each piece to a printer so that everything is done soonest."""
        desk, plan = self._desk, self._desk.plan

        def apply_sharing(found: Plan) -> None:
            there = sum(wish.second for wish in found.pieces)
            desk.do_plan(tr("share out the pieces"), found)
            desk.told.emit(
                tr_many("{n} piece is now on the second printer.", "{n} pieces are now on the second printer.", there)
                if there
                else tr("All pieces stay on the first printer. The second one would not finish anything sooner.")
            )

        desk.ask("ask:share", ShareOut(plan, desk.printer), done=apply_sharing, label=tr("Sharing out the pieces"),
                 still=lambda: desk.is_open and desk.plan == plan)

    def print_on(self, number: int, *, second: bool) -> None:
        """Print a piece, with its copies, on the first or on the second printer.

        Parameters
        ----------
        number : int
            The number of the piece.
        """
        self._wish(tr("move a piece to another printer"), number, second=second, material="")

    def make_of(self, number: int, material: str) -> None:
        """Print a piece of another material of its printer; empty means the usual one.

        Parameters
        ----------
        number : int
            The number of the piece.
        """
        self._wish(tr("change the material of a piece"), number, material=material)

    def _wish(self, did: str, number: int, **what: object) -> None:
        desk = self._desk
        if not desk.up_to_date or number >= len(desk.pieces):
            return
        piece = desk.pieces[number]
        gone = {one for (_, n), one in numbered(desk.pieces, desk.plan.lying).items() if n == number}
        left = tuple(one for one in desk.plan.lying if one not in gone)
        wished = desk.plan.with_wish(piece.wish(**what), piece.wished)
        desk.do_plan(did, wished.changed(lying=left))

    def set_keeping_free(self, on: bool) -> None:
        """Begin or end drawing areas that are kept free."""
        self.keeping_free = on
        self.changed.emit()

    def keep_free(self, bed: int, x: float, y: float, wide: float, deep: float) -> None:
        """Keep a rectangle (mm) free on all beds of a bed's printer, as far as it lies on the bed. One smaller than
        _CLICK removes those that are there.
        """
        desk = self._desk
        second = desk.plan.second if self.of_printer(bed, 0)[0] else None
        printer = second or desk.printer
        if max(wide, deep) < _CLICK:
            kept = tuple(
                one for one in printer.kept_free
                if not (one[0] <= x <= one[0] + one[2] and one[1] <= y <= one[1] + one[3])
            )
        else:
            x1, y1 = min(x + wide, printer.bed_x), min(y + deep, printer.bed_y)
            x, y = max(x, 0.0), max(y, 0.0)
            if x1 - x < _CLICK or y1 - y < _CLICK:
                return
            kept = (*printer.kept_free, (round(x, 1), round(y, 1), round(x1 - x, 1), round(y1 - y, 1)))
        if kept == printer.kept_free:
            return
        try:
            if second is not None:
                desk.do_plan(tr("keep areas free"), desk.plan.changed(second=second.changed(kept_free=kept)))
            else:
                desk.choose_printer(printer.changed(kept_free=kept))
        except BadPlan as error:
            desk.failed.emit(error)

    def order(self, beds_by: BedsBy) -> None:
        """Choose which pieces share a bed, and which bed comes first."""
        desk = self._desk
        if desk.is_open and desk.plan.beds_by != beds_by:
            desk.do_plan(tr("order the beds"), desk.plan.changed(beds_by=beds_by))
        self.changed.emit()

    def lay_anew(self) -> None:
        """Forget where pieces were placed."""
        desk = self._desk
        self.picked = None
        if desk.is_open and desk.plan.lying:
            desk.do_plan(tr("lay out the pieces again"), desk.plan.changed(lying=()))

    def write(self, folder: Path, wished: Wished, paper: Paper | None, *, replace: bool = False) -> None:
        """Write pieces and beds into a folder, with their lists and a sheet. Asks before it replaces files.

        Parameters
        ----------
        paper : Paper | None
            The paper size of the sheet; None: no sheet.
        """
        desk = self._desk

        def tell_written(written: list[Handed]) -> None:
            self.written.emit()
            said = tr("1 file") if len(written) == 1 else tr("{count} files", count=len(written))
            beside = tr("job.json and pieces.csv list them.") if paper is None else (
                tr("job.json and pieces.csv list them. sheet.pdf and sheet.html are for the bench.")
            )
            if written:
                beside = tr(
                    "Wrote {said} to {folder}. Each was read back, and its surface, volume and place are right.\n"
                    "{beside}",
                    said=said,
                    folder=folder,
                    beside=beside,
                )
            desk.told.emit(
                beside if written else tr("Wrote the sheet and the lists of pieces to {folder}.", folder=folder)
            )

        desk.jobs.submit(
            "handoff:all",
            Deliver(desk.plan, desk.printer, desk.project.title, folder, wished, replace, desk.settings.with_posts,
                    paper, self._others),
            done=tell_written, failed=desk.asking_to_replace(lambda: self.write(folder, wished, paper, replace=True)),
            label=tr("Writing pieces and beds"),
        )

    @property
    def _others(self) -> tuple[tuple[str, Plan], ...]:
        """The names and plans of the choices that a sheet compares the plan with."""
        return tuple((choice.name, choice.plan) for choice in self._desk.project.choices)

    def draw_sheet(self, paper: Paper, done: Callable[[SheetPages], None]) -> None:
        """Have the sheet of the plan drawn for viewing."""
        desk = self._desk
        desk.ask("ask:sheet", DrawSheet(desk.plan, desk.printer, desk.project.title, paper, self._others), done=done,
                 label=tr("Drawing the sheet"))
