"""The one mutable thing: the opened model, the project on the desk, its history, and what the plans come to."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from ..core.errors import DeftError
from ..core.outcome import Model, Piece, Totals
from ..core.plan import Choice, Cut, Plan, Project, StraightCut, Tilt
from ..core.printer import default_printer
from .jobs import Jobs
from .messages import Evaluated, Fetched
from .settings import keep_settings, load_settings

STEPS = ("Size", "Tilt", "Cut", "Join", "Check", "Hand off")

_HISTORY = 200
_PICTURES = 64


@dataclass(frozen=True, eq=False)
class Shown:
    """What the ledger keeps of an evaluated plan. picture : (height, width, 4) uint8 or None"""

    totals: Totals
    picture: Any


@dataclass(frozen=True)
class _Past:
    project: Project
    did: str


class DeskState(QObject):
    """All methods are for the UI thread. Panels ask this, call its verbs and hear its signals; nothing else."""

    opened = Signal()
    project_changed = Signal()
    outcome_changed = Signal()
    live_changed = Signal()
    shown_changed = Signal()
    selection_changed = Signal()
    step_changed = Signal()
    view_changed = Signal()
    failed = Signal(object)
    told = Signal(str)

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.printer = default_printer()
        self.settings = load_settings()
        self.model: Model | None = None
        self.path: Path | None = None
        self.evaluated: Evaluated | None = None
        self.live: Evaluated | None = None
        self.draft: Plan | None = None
        self.step = "Tilt"
        self.selected_cut: str | None = None
        self.selected_piece = 0
        self.picking_facet = False
        self.show_overhang = True
        self.show_support = True
        self.in_place = False
        self.apart = 0.35
        self._history: list[_Past] = []
        self._now = -1
        self._saved: Project | None = None
        self._shown: OrderedDict[Plan, Shown] = OrderedDict()
        jobs.restarted.connect(self._on_restarted)

    # what there is

    @property
    def project(self) -> Project | None:
        return self._history[self._now].project if self._history else None

    @property
    def plan(self) -> Plan | None:
        project = self.project
        return project.plan if project else None

    @property
    def up_to_date(self) -> bool:
        """Whether the outcome is of the plan on the desk."""
        return self.evaluated is not None and self.evaluated.outcome.plan == self.plan

    @property
    def dirty(self) -> bool:
        return self.project is not None and self.project != self._saved

    @property
    def pieces(self) -> tuple[Piece, ...]:
        return self.evaluated.outcome.pieces if self.evaluated else ()

    @property
    def piece(self) -> Piece | None:
        """The selected piece."""
        return self.pieces[min(self.selected_piece, len(self.pieces) - 1)] if self.pieces else None

    @property
    def cut(self) -> Cut | None:
        """The selected cut, as it is being dragged if it is."""
        plan = self.draft or self.plan
        if plan is None or self.selected_cut is None:
            return None
        return next((cut for cut in plan.recipe if cut.id == self.selected_cut), None)

    def shown(self, plan: Plan) -> Shown | None:
        return self._shown.get(plan)

    # opening and saving

    def open(self, path: Path) -> None:
        """Opens a model or a project; what is open stays until the new one is there."""
        self.jobs.submit(
            "open", "open", path, done=self._on_fetched, failed=self.failed.emit, label=f"Opening {path.name}"
        )

    def _on_fetched(self, fetched: Fetched) -> None:
        model = fetched.model
        project = fetched.project
        if project is not None and project.plan.model.sha256 != model.sha256:
            self.failed.emit(
                DeftError(f"The plan in “{fetched.path.name}” is for another model than the one in it.",
                          kept="What you have open is untouched.", remedy="Save the project again from its model.")
            )  # fmt: skip
            return
        self.jobs.cancel()
        self.model = model
        self.path = fetched.path if project is not None else None
        self.evaluated = self.live = self.draft = None
        self._shown.clear()
        fresh = Project(title=model.name, plan=Plan(model=model.ref, unit=model.unit))
        self._history = [_Past(project or fresh, "")]
        self._now = 0
        self._saved = self.project if project is not None else None
        self.selected_piece = 0
        self.selected_cut = self.plan.recipe[-1].id if self.plan and self.plan.recipe else None
        self.in_place = False
        self.remember(fetched.path)
        self.opened.emit()
        self.project_changed.emit()
        self._evaluate()
        self.jobs.submit(
            "ready", "ready", model.sha256, done=lambda _: None, failed=self.failed.emit,
            label="Making a lighter stand-in of the model",
        )  # fmt: skip

    def remember(self, path: Path) -> None:
        self.change_settings(self.settings.with_recent(path))

    def change_settings(self, settings: Any) -> None:
        self.settings = settings
        keep_settings(settings)
        self.view_changed.emit()

    def save(self, path: Path) -> None:
        project = self.project
        if project is None:
            return

        def done(_: object) -> None:
            self.path = path
            self._saved = project
            self.remember(path)
            self.project_changed.emit()
            self.told.emit(f"Saved as {path.name}.")

        self.jobs.submit(
            "handoff:save", "save", project, self.printer, path, done=done, failed=self.failed.emit,
            label=f"Saving {path.name}",
        )  # fmt: skip

    def write_pieces(self, folder: Path) -> None:
        def done(written: Any) -> None:
            names = ", ".join(item.path.name for item in written[:4]) + (", …" if len(written) > 4 else "")
            self.told.emit(f"Wrote {len(written)} STL file{'s' if len(written) > 1 else ''} to {folder}: {names}")

        self.jobs.submit(
            "handoff:stl", "write_pieces", self.plan, self.printer, folder, done=done, failed=self.failed.emit,
            label="Writing the pieces",
        )  # fmt: skip

    def write_together(self, path: Path) -> None:
        def done(written: Any) -> None:
            beds = f" on {written.beds} beds" if written.beds > 1 else ""
            self.told.emit(f"Wrote {written.pieces} piece{'s' if written.pieces > 1 else ''}{beds} to {path.name}.")

        self.jobs.submit(
            "handoff:3mf", "write_together", self.plan, self.printer, self.project.title, path, done=done,
            failed=self.failed.emit, label=f"Writing {path.name}",
        )  # fmt: skip

    # changing the project

    def do(self, did: str, project: Project) -> None:
        """Replaces the project; ``did`` says what was done, for undo."""
        if self.project is None or project == self.project:
            self._end_draft()
            return
        self._history = [*self._history[: self._now + 1], _Past(project, did)][-_HISTORY:]
        self._now = len(self._history) - 1
        self._settled()

    def do_plan(self, did: str, plan: Plan) -> None:
        if self.project is not None:
            self.do(did, self.project.changed(plan=plan))

    @property
    def undo_text(self) -> str:
        return self._history[self._now].did if self._now > 0 else ""

    @property
    def redo_text(self) -> str:
        return self._history[self._now + 1].did if self._now + 1 < len(self._history) else ""

    def undo(self) -> None:
        if self._now > 0:
            self._now -= 1
            self._settled()

    def redo(self) -> None:
        if self._now + 1 < len(self._history):
            self._now += 1
            self._settled()

    def _settled(self) -> None:
        self.draft = self.live = None
        self._keep_selection()
        self.project_changed.emit()
        self._evaluate()

    def _keep_selection(self) -> None:
        ids = [cut.id for cut in self.plan.recipe]
        if self.selected_cut not in ids:
            self.selected_cut = ids[-1] if ids else None

    # trying a plan while something is dragged

    def try_plan(self, plan: Plan) -> None:
        """Shows a plan that is not settled yet: figures come from the stand-in, marked as approximate."""
        self.draft = plan
        self.live_changed.emit()
        self.jobs.submit(
            "live", "live", plan, self.printer, done=self._on_live, failed=lambda _: None, label="",
        )  # fmt: skip

    def settle(self, did: str) -> None:
        """Makes what was tried the plan."""
        if self.draft is not None:
            self.do_plan(did, self.draft)

    def _end_draft(self) -> None:
        if self.draft is not None:
            self.draft = self.live = None
            self.live_changed.emit()

    def drop_draft(self) -> None:
        """Goes back to the plan as it was before something was dragged."""
        self.jobs.cancel("live")
        self._end_draft()

    def _on_live(self, evaluated: Evaluated) -> None:
        if self.draft is not None:
            self.live = evaluated
            self.live_changed.emit()

    # figures

    def _evaluate(self) -> None:
        plan = self.plan
        if plan is None:
            return
        self.jobs.submit(
            "evaluate", "evaluate", plan, self.printer, done=self._on_evaluated, failed=self._on_evaluation_failed,
            label="Measuring",
        )  # fmt: skip
        for choice in self.project.choices:
            if choice.plan not in self._shown and choice.plan != plan:
                self.jobs.submit(
                    f"choice:{choice.id}", "evaluate", choice.plan, self.printer, done=self._keep_shown,
                    failed=lambda _: None, label=f"Measuring “{choice.name}”",
                )  # fmt: skip

    def _keep_shown(self, evaluated: Evaluated) -> None:
        self._shown[evaluated.outcome.plan] = Shown(evaluated.outcome.totals, evaluated.picture)
        while len(self._shown) > _PICTURES:
            self._shown.popitem(last=False)
        self.shown_changed.emit()

    def _on_evaluated(self, evaluated: Evaluated) -> None:
        if evaluated.outcome.plan != self.plan:
            return
        before = {piece.sides for piece in self.pieces}
        self.evaluated = evaluated
        self.selected_piece = min(self.selected_piece, len(self.pieces) - 1)
        if {piece.sides for piece in self.pieces} != before:
            # a model that has just been cut is looked at as a whole; a whole one on the bed
            self.in_place = len(self.pieces) > 1 and self.step == "Cut"
        self._keep_shown(evaluated)
        self.outcome_changed.emit()

    def _on_evaluation_failed(self, error: DeftError) -> None:
        if self._now > 0:
            error.kept = f"The last step ({self.undo_text}) was taken back."
        self.failed.emit(error)
        if self._now > 0:
            # the plan cannot be made: go back to the one before it, and forget it
            self._history = self._history[: self._now]
            self._now -= 1
            self._settled()

    def _on_restarted(self) -> None:
        if self.model is not None:
            self.jobs.submit(
                "adopt", "adopt", self.model, done=lambda _: self._evaluate(), failed=self.failed.emit,
                label="Handing the model over again",
            )  # fmt: skip

    # the verbs of the steps

    def resize(self, unit: str, scale: float) -> None:
        self.do_plan("change the size", self.plan.sized(unit, scale))

    def set_threshold(self, degrees: float) -> None:
        self.do_plan("change the overhang threshold", self.plan.changed(threshold=degrees))

    @property
    def tilt(self) -> Tilt | None:
        """The tilt of the selected piece; of the whole model while there is one piece."""
        if self.plan is None:
            return None
        return self.piece.seat if self.piece is not None and self.piece.sides else self.plan.tilt

    def set_tilt(self, did: str, tilt: Tilt) -> None:
        """Tilts the model, or the selected piece of a model in pieces."""
        piece = self.piece
        if piece is None or not piece.sides or not self.up_to_date:
            self.do_plan(did, self.plan.changed(tilt=tilt))
            return
        self.do_plan(did, self.plan.with_wish(piece.wish(seat=tilt), piece.wished))

    def turn(self, axis: tuple[float, float, float], degrees: float) -> None:
        """Turns about an axis of the bed frame."""
        self.set_tilt(f"turn by {degrees:g}°", Tilt.turn(axis, degrees).after(self.tilt))

    def rename_piece(self, name: str) -> None:
        piece = self.piece
        if piece is None or not piece.sides or not name.strip():
            return
        self.do_plan("rename a piece", self.plan.with_wish(piece.wish(name=name.strip()[:120]), piece.wished))

    def add_cut(self, normal: tuple[float, float, float], offset: float) -> None:
        """Adds a straight cut (mm, model frame) and selects it."""
        plan = self.plan
        cut = StraightCut(id=plan.fresh_id(), name=f"Cut {len(plan.recipe) + 1}", normal=normal, offset=offset)
        self.selected_cut = cut.id
        self.do_plan("add a cut", plan.with_cut(cut))

    def change_cut(self, did: str, cut_id: str, **update: object) -> None:
        cut = self.plan.cut(cut_id)
        changed = StraightCut.model_validate({**cut.model_dump(), **update})
        self.do_plan(did, self.plan.with_cut(changed))

    def try_cut(self, cut_id: str, **update: object) -> None:
        cut = self.plan.cut(cut_id)
        self.try_plan(self.plan.with_cut(StraightCut.model_validate({**cut.model_dump(), **update})))

    def remove_cut(self, cut_id: str) -> None:
        self.do_plan("remove a cut", self.plan.without_cut(cut_id))

    def select_cut(self, cut_id: str | None) -> None:
        self.selected_cut = cut_id
        self.selection_changed.emit()

    def select_piece(self, number: int) -> None:
        self.selected_piece = number
        self.selection_changed.emit()

    def go_to(self, step: str) -> None:
        self.step = step
        self.picking_facet = False
        self.in_place = step in ("Cut", "Join") and len(self.pieces) > 1
        self.step_changed.emit()
        self.view_changed.emit()

    def show(self, **what: Any) -> None:
        """Changes what the bed shows: show_overhang, show_support, in_place, apart, picking_facet."""
        for name, value in what.items():
            setattr(self, name, value)
        self.view_changed.emit()

    # the ledger

    def keep_choice(self) -> None:
        project = self.project
        if project is None:
            return
        choice = Choice(id=project.fresh_choice_id(), name=f"Choice {len(project.choices) + 1}", plan=project.plan)
        pinned = project.pinned or choice.id
        self.do("keep a choice", project.changed(choices=(*project.choices, choice), pinned=pinned))

    def rename_choice(self, choice_id: str, name: str) -> None:
        if name.strip():
            self._change_choice("rename a choice", choice_id, name=name.strip()[:120])

    def _change_choice(self, did: str, choice_id: str, **update: object) -> None:
        project = self.project
        changed = [choice.model_copy(update=update) if choice.id == choice_id else choice for choice in project.choices]
        self.do(did, project.changed(choices=tuple(changed)))

    def pin_choice(self, choice_id: str | None) -> None:
        self.do("pin a choice", self.project.changed(pinned=choice_id))

    def remove_choice(self, choice_id: str) -> None:
        project = self.project
        left = tuple(choice for choice in project.choices if choice.id != choice_id)
        pinned = None if project.pinned == choice_id else project.pinned
        self.do("remove a choice", project.changed(choices=left, pinned=pinned))

    def bring_back(self, choice_id: str) -> None:
        choice = next(choice for choice in self.project.choices if choice.id == choice_id)
        self.do_plan(f"bring back “{choice.name}”", choice.plan)
