"""The state of the bed: the results for the plan, the selection, and the view."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Bytes, Floats
from ...core.cuts import Cut
from ...core.document.base import Triple
from ...core.errors import DeftError, WorkerEnded
from ...core.exporting.print_job import PrintJob
from ...core.locale.translate import term, tr
from ...core.mesh.solid import Solid
from ...core.plan.model import Model
from ...core.plan.plan import Plan
from ...core.plan.project import Project
from ...core.printers.profile import Printer
from ...core.results.outcome import Piece, Totals
from ..messages.jobs import Jobs
from ..messages.replies import Evaluated
from ..messages.requests import Evaluate, EvaluateLive
from ..refresh.batching import gathered
from .project import ProjectState
from .view import View

STEPS = (term("Size"), term("Tilt"), term("Cut"), term("Join"), term("Check"), term("Hand off"))

WHOLE = "whole"
"""The key, among those of choices, of the model as it came."""

_PICTURES = 64


@dataclass(frozen=True, eq=False)
class Entry:
    """What the ledger stores about an evaluated plan.

    Attributes
    ----------
    picture : (height, width, 4) uint8
        Or None.
    work : PrintJob | None
        What printing all of it takes; None if that is not known.
    """

    totals: Totals
    picture: Bytes | None
    work: PrintJob | None


class Desk(ProjectState):
    """The project on the bed.

    Attributes
    ----------
    evaluated : Evaluated or None
        The outcome of the plan that was evaluated last.
    live : Evaluated or None
        Its approximate outcome.
    live_problem : str
        Why it has no figures; empty if it has them, or will.
    draft : Plan or None
        The plan that is being dragged.
    selected_piece : int
        The number of the selected piece, from 0 on.
    line_of_sight
        The direction from the model to the eye, bed frame.
    """

    outcome_changed = Signal()
    draft_changed = Signal()
    live_changed = Signal()
    entries_changed = Signal()
    selection_changed = Signal()
    step_changed = Signal()
    view_changed = Signal()
    flown_to = Signal(int, object)
    """The number of a piece, and one of its overhang spots."""
    seam_flown_to = Signal(object)
    """A stretch of a seam."""

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(jobs, parent)
        self.evaluated: Evaluated | None = None
        self.live: Evaluated | None = None
        self.live_problem = ""
        self.draft: Plan | None = None
        self.step = "Tilt"
        self.selected_cut: str | None = None
        self.selected_piece = 0
        self.view = View()
        self.line_of_sight: Triple = (0.0, -1.0, 0.0)
        self._entries: OrderedDict[tuple[Plan, Printer], Entry] = OrderedDict()
        self.settings_changed.connect(self.view_changed)

    # what there is

    @property
    def piece_printer(self) -> Printer:
        """The printer of the selected piece, loaded with its material."""
        return self.piece.on(self.printer) if self.piece is not None else self.printer

    @property
    def up_to_date(self) -> bool:
        """Whether the outcome belongs to the present plan and its printer."""
        return self.evaluated is not None and self.is_open and self.evaluated.of(self.plan, self.printer)

    @property
    def pieces_up_to_date(self) -> bool:
        """Whether the shown pieces are those of the present plan, however they are judged and seated."""
        if self.evaluated is None or not self.is_open:
            return False
        measured = self.evaluated.outcome.plan
        return (measured.parting, measured.joins) == (self.plan.parting, self.plan.joins)

    @property
    def pieces(self) -> tuple[Piece, ...]:
        return self.evaluated.outcome.pieces if self.evaluated else ()

    @property
    def piece(self) -> Piece | None:
        """The selected piece."""
        return self.pieces[min(self.selected_piece, len(self.pieces) - 1)] if self.pieces else None

    @property
    def box(self) -> tuple[Floats, Floats]:
        """The bounding box of all pieces, in mm, model frame; of the model while there are none yet.

        Returns
        -------
        (3,) float64, (3,) float64
            The lowest and the highest corner.

        Raises
        ------
        NothingOpen
            Nothing is open.
        """
        if not self.pieces:
            corners = self.model.solid.bounds * self.plan.factors
            return corners.min(axis=0), corners.max(axis=0)
        solids = [piece.solid for piece in self.pieces]
        return np.min([s.bounds[0] for s in solids], axis=0), np.max([s.bounds[1] for s in solids], axis=0)

    @property
    def cut(self) -> Cut | None:
        """The selected cut; while it is dragged, as it is being dragged."""
        if not self.is_open or self.selected_cut is None:
            return None
        return next((cut for cut in (self.draft or self.plan).recipe if cut.id == self.selected_cut), None)

    @property
    def compared(self) -> tuple[tuple[str, str, Plan], ...]:
        """Key, name and plan of the other rows of the ledger: the model as it came, and the choices."""
        project = self.project
        whole = ((WHOLE, tr("As opened"), self.plan.as_it_came),) if project.whole else ()
        return (*whole, *((choice.id, choice.name, choice.plan) for choice in project.choices))

    def entry(self, plan: Plan) -> Entry | None:
        """The outcome of a plan on the printer of the desk."""
        return self._entries.get((plan, self.printer))

    # changing the project

    def do(self, did: str, project: Project) -> None:
        """Replace the project.

        Parameters
        ----------
        did : str
            What was done, for the texts of undo.
        """
        if self.is_open and project == self.project:
            self.drop_draft()
        super().do(did, project)

    @gathered()
    def _settled(self) -> None:
        self.jobs.cancel("live")
        self.draft = self.live = None
        self._keep_selection()
        self.view = replace(self.view, as_it_came=False, mend_places=None)
        super()._settled()
        self.evaluate()

    def _keep_selection(self) -> None:
        ids = [cut.id for cut in self.plan.recipe]
        if self.selected_cut not in ids:
            self.selected_cut = ids[-1] if ids else None

    def begin(self, model: Model, guest_surfaces: dict[str, Solid], project: Project, *, saved: bool) -> None:
        """Replace everything by what was opened. The caller announces it once it is complete.

        Parameters
        ----------
        saved : bool
            Whether the project comes from its own file.
        """
        self._model, self.guest_surfaces = model, guest_surfaces
        self.history.begin(project, saved=saved)
        self.evaluated = self.live = self.draft = None
        self._entries.clear()
        self.selected_piece, self.selected_cut = 0, None
        self._keep_selection()
        self.view = replace(self.view, in_place=False, as_it_came=False, mend_places=None)

    # trying a plan while something is dragged

    def try_plan(self, plan: Plan) -> None:
        """Show a plan that is not final yet. Its figures come from the draft mesh, and are marked as approximate."""
        began = self.draft is None
        self.draft = plan
        self.draft_changed.emit()
        if began:
            self.live_problem = ""
            self.live_changed.emit()
        self.jobs.submit(
            "live", EvaluateLive(plan, self.printer), done=lambda found: self._on_live(found, ""),
            failed=lambda error: self._on_live(None, error.what), label="",
        )

    def settle(self, did: str) -> None:
        """Make the tried plan the plan on the bed."""
        if self.draft is not None:
            self.do_plan(did, self.draft)

    def drop_draft(self) -> None:
        """Return to the plan as it was before the drag."""
        if self.draft is not None:
            self.jobs.cancel("live")
            self.draft = self.live = None
            self.draft_changed.emit()
            self.live_changed.emit()

    def _on_live(self, evaluated: Evaluated | None, problem: str) -> None:
        if self.draft is not None:
            self.live, self.live_problem = evaluated, problem
            self.live_changed.emit()

    # figures

    def evaluate(self) -> None:
        """Evaluate the plan on the bed, and those choices that have not been evaluated yet."""
        self.ask(
            "evaluate", Evaluate(self.plan, self.printer), done=self._on_evaluated,
            failed=self._on_evaluation_failed, label=tr("Measuring"),
        )
        for key, name, plan in self.compared:
            if self.entry(plan) is None and plan != self.plan:
                self.jobs.submit(
                    f"choice:{key}", Evaluate(plan, self.printer), done=self._keep_entry, failed=lambda _: None,
                    label=tr("Measuring “{name}”", name=name),
                )

    def _keep_entry(self, evaluated: Evaluated) -> None:
        key = (evaluated.outcome.plan, evaluated.printer)
        self._entries[key] = Entry(evaluated.outcome.totals, evaluated.picture, evaluated.work)
        while len(self._entries) > max(_PICTURES, 2 * len(self.project.choices)):
            self._entries.popitem(last=False)
        self.entries_changed.emit()

    def _on_evaluated(self, evaluated: Evaluated) -> None:
        before = {piece.sides for piece in self.pieces}
        self.evaluated = evaluated
        self.selected_piece = min(self.selected_piece, len(self.pieces) - 1)
        if {piece.sides for piece in self.pieces} != before:
            # a model that has just been cut is looked at as a whole; a whole one on the bed
            in_place = len(self.pieces) > 1 and self.step in ("Cut", "Join")
            self.view = replace(self.view, in_place=in_place, hidden=frozenset())
        self._keep_entry(evaluated)
        self.outcome_changed.emit()

    def _on_evaluation_failed(self, error: DeftError) -> None:
        did = self.history.undo_text
        if isinstance(error, WorkerEnded) or not self.history.take_back():
            # the plan is no step that was just made, or is not to blame: it stays, and can be undone
            self.failed.emit(error)
            return
        error.kept = tr("The last step ({did}) was undone.", did=did)
        self.failed.emit(error)
        self._settled()

    # choosing and looking

    def select_cut(self, cut_id: str | None) -> None:
        self.selected_cut = cut_id
        self.selection_changed.emit()

    def select_piece(self, number: int) -> None:
        self.selected_piece = number
        self.selection_changed.emit()

    def hide_pieces(self, numbers: frozenset[int]) -> None:
        """Hide pieces, given their numbers from 0 on; at least one stays visible."""
        self.show(hidden=numbers if len(numbers) < len(self.pieces) else frozenset())

    @gathered()
    def go_to(self, step: str) -> None:
        """Opens a step."""
        self.step = step
        in_place = step in ("Cut", "Join") and len(self.pieces) > 1
        self.view = replace(self.view, as_it_came=False, mend_places=None, in_place=in_place, fitted=None, turned=None)
        self.step_changed.emit()
        self.view_changed.emit()

    def show(self, **what: Any) -> None:
        """Changes what the bed shows: fields of ``View``."""
        self.view = replace(self.view, **what)
        self.view_changed.emit()
