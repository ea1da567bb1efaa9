"""The one mutable thing: the opened model, the project on the desk, its history, and what the plans come to."""

from __future__ import annotations

import contextlib
import math
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from ..core.cuts import Cut, StraightCut
from ..core.errors import DeftError, WorkerEnded, WouldReplace
from ..core.marking import Audience, Mark
from ..core.outcome import Model, Piece, Totals
from ..core.plan import Mending, PieceWish, Plan, Project, Role
from ..core.printer import Printer, default_printer
from ..core.tilt import Tilt
from .choosing import Choosing
from .cutting import Cutting, validated
from .jobs import Jobs
from .keeping import Keeping
from .marker import Marker
from .placing import Placing
from .pointing import Pointing
from .recovery import Autosave, LeftWork
from .replies import Evaluated, Fetched
from .requests import Adopt, Evaluate, EvaluateLive, MakeReady, OpenFile, Recover, Request, Save, ScaleToBed
from .seating import Seating
from .settings import keep_settings, read_settings
from .stale import being_made
from .wearing import Wearing
from .writing import Writing

R = TypeVar("R")

STAND_UP = Tilt.turn((1.0, 0.0, 0.0), 90.0)
"""What stands a model on its -Y side."""

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
    flown_to = Signal(int, object)
    """The number of a piece, and one of its overhang spots."""
    seam_flown_to = Signal(object)
    """A stretch of a seam."""
    failed = Signal(object)
    told = Signal(str)
    would_replace = Signal(object, object)
    """What would be replaced, and what does it all the same once somebody has said so."""

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.settings, self.settings_problem = read_settings()
        self.autosave = Autosave(self)
        self.may_leave: Callable[[], bool] = lambda: True
        """Asks before unsaved work is left, true when it may be; the window puts its question here."""
        self.model: Model | None = None
        self.fetched: Fetched | None = None
        self.path: Path | None = None
        self.asking_unit = self.asking_fineness = False
        self.evaluated: Evaluated | None = None
        self.live: Evaluated | None = None
        self.live_problem = ""
        """Why what is being dragged has no figures; empty where it has, or will."""
        self.draft: Plan | None = None
        self.step = "Tilt"
        self.selected_cut: str | None = None
        self.selected_piece = 0
        self.pointing = Pointing(self)
        self.wearing = Wearing(self)
        self.marker = Marker(self)
        self.seating = Seating(self)
        self.placing = Placing(self)
        self.cutting = Cutting(self)
        self.choosing = Choosing(self)
        self.writing = Writing(self)
        self.keeping = Keeping(self, self.autosave)
        self.hidden: frozenset[int] = frozenset()
        """Numbers of pieces, from 0 on, that are not drawn."""
        self.as_it_came = False
        self.mend_places: NDArray[Any] | None = None
        self.line_of_sight: tuple[float, float, float] = (0.0, -1.0, 0.0)
        """From the model to the eye, bed frame; kept up to date by the bed."""
        self.hidden_below = 0.0
        """mm over the bed below which nothing is drawn of the pieces."""
        self.from_below = False
        self.show_overhang = True
        self.show_support = True
        self.in_place = False
        self.apart = 0.35
        self._history: list[_Past] = []
        self._now = -1
        self._before_last: tuple[list[_Past], int] | None = None
        """The history as it was before the step that was done last; None where that was undone, or redone."""
        self._clean: Project | None = None
        """The project with nothing in it that would be lost: as it was saved, or as a model was opened."""
        self._never_saved = True
        self._shown: OrderedDict[tuple[Plan, Printer], Shown] = OrderedDict()
        self._tell_mending = False
        self._stands: tuple[object, NDArray[Any]] | None = None
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
    def printer(self) -> Printer:
        """What plans are judged by: the project's printer, else the one chosen last."""
        project = self.project
        return (project.printer if project else None) or self.settings.printer or default_printer()

    @property
    def spans(self) -> NDArray[Any] | None:
        """(2, 3) mm of the whole model, mended: as it stands, and along the axes of its file. Of the model as it came,
        until it is measured."""
        if self.model is None or self.plan is None:
            return None
        plan, known = self.plan, self.evaluated.outcome if self.evaluated is not None else None
        if known is not None and _proportions(known.plan) == _proportions(plan):
            return known.spans * abs(plan.factors[0] / known.plan.factors[0])
        solid = self.model.solid
        if self._stands is None or self._stands[0] != (solid, _proportions(plan)):
            sized = solid.vertices * (plan.factors / abs(plan.factors[0]))
            own, stands = np.ptp(sized, axis=0), np.ptp(sized @ plan.tilt.rotation.T, axis=0)
            self._stands = (solid, _proportions(plan)), np.stack([stands, own])
        return self._stands[1] * abs(plan.factors[0])

    @property
    def size(self) -> NDArray[Any] | None:
        """(3,) mm: width, depth and height of the model as it stands."""
        spans = self.spans
        return None if spans is None else spans[0]

    @property
    def up_to_date(self) -> bool:
        """Whether the outcome is of the plan on the desk, and of its printer."""
        return self.evaluated is not None and self.evaluated.of(self.plan, self.printer)

    @property
    def pieces_up_to_date(self) -> bool:
        """Whether the pieces that are shown are those of the plan on the desk, however they are judged and seated."""
        if self.evaluated is None or self.plan is None:
            return False
        measured = self.evaluated.outcome.plan
        return measured == self.plan or _parting(measured) == _parting(self.plan)

    @property
    def dirty(self) -> bool:
        """Whether there is something that is not saved."""
        return self.project is not None and self.project != self._clean

    @property
    def at_stake(self) -> bool:
        """Whether work would be lost by leaving: what is not saved, or steps taken back that never were."""
        return self.dirty or (self._never_saved and bool(self.redo_text))

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
        """What a plan comes to on the printer of the desk."""
        return self._shown.get((plan, self.printer))

    # opening and saving

    def open(self, path: Path, fineness: float = 0.1) -> None:
        """Opens a model or a project, unless what is open may not be left; it stays until the new one is there.

        fineness : mm by which triangles may be off, for files with exact faces
        """
        if not self.may_leave():
            return
        left = self.project
        self.jobs.submit(
            "open", OpenFile(path, fineness), done=lambda fetched: self._on_fetched(fetched, left),
            failed=self.failed.emit, label=f"Opening {path.name}",
        )  # fmt: skip

    def recover(self, work: LeftWork) -> None:
        """Brings back work that was left unsaved, unless what is open may not be left."""
        if not self.may_leave():
            return
        left = self.project

        def done(fetched: Fetched) -> None:
            self._on_fetched(fetched, left, recovered=True)
            if self.model is fetched.model:
                self.keeping.adopt(work)

        self.jobs.submit(
            "open", Recover(work.folder), done=done, failed=self.failed.emit, label=f"Bringing back {work.title}"
        )

    def _on_fetched(self, fetched: Fetched, left: Project | None, *, recovered: bool = False) -> None:
        """left : the project that may be left for it"""
        model, project = fetched.model, fetched.project
        if project is not None and project.plan.model.sha256 != model.sha256:
            self.failed.emit(
                DeftError(f"The plan in “{fetched.path.name}” is for another model than the one in it.",
                          kept="What you have open is untouched.", remedy="Save the project again from its model.")
            )  # fmt: skip
            return
        if self.project != left and self.at_stake:
            self.failed.emit(
                DeftError(f"“{fetched.path.name}” was not opened: what you have open was changed meanwhile.",
                          kept="Your changes are untouched.", remedy="Open it again.")
            )  # fmt: skip
            return
        self.jobs.cancel()
        self.model, self.fetched, self.wearing.surfaces = model, fetched, dict(fetched.guests)
        self.path = fetched.path if project is not None and not recovered else None
        self.evaluated = self.live = self.draft = self._before_last = None
        self._shown.clear()
        fresh = Plan(model=model.ref, unit=fetched.unit, tilt=self.tilt_as_opened)
        printer = self.settings.printer
        self._history = [_Past(project or Project(title=model.name, plan=fresh, printer=printer), "")]
        if project is None and fetched.advice.does_something:
            mended = self._history[0].project.changed(plan=fresh.changed(mending=fetched.advice))
            self._history.append(_Past(mended, "mend the surface"))
        self._now = len(self._history) - 1
        self._forget_looks()
        self._tell_mending = project is None and fetched.advice.does_something
        self._clean = None if recovered else self.project
        self._never_saved = project is None or recovered
        self.asking_unit = project is None and model.unit is None
        self.asking_fineness = fetched.exact
        if self.asking_unit or self.asking_fineness:
            self.step = "Size"
            self.step_changed.emit()
        self.selected_piece = 0
        self.selected_cut = self.plan.recipe[-1].id if self.plan and self.plan.recipe else None
        self.wearing.keep_selection()
        self.in_place = False
        if not recovered:
            self.remember(fetched.path)
        self.opened.emit()
        self.keeping.begin()  # what it has to say comes after what was said of the model before
        self.project_changed.emit()
        self._evaluate()
        self.jobs.submit(
            "ready", MakeReady(self.plan), done=lambda _: None, failed=lambda _: None,
            label="Making a lighter stand-in of the model",
        )  # fmt: skip

    def answer_unit(self) -> None:
        """The unit that is shown is right."""
        self.asking_unit = False
        self.view_changed.emit()

    def answer_fineness(self) -> None:
        """The fineness that is shown is right."""
        self.asking_fineness = False
        self.view_changed.emit()

    def _forget_looks(self) -> None:
        """What was pointed at, measured and compared is of what is no longer shown."""
        self.as_it_came, self.mend_places = False, None
        self.pointing.forget()

    def remember(self, path: Path) -> None:
        self.change_settings(self.settings.with_recent(path))

    def change_settings(self, settings: Any) -> None:
        self.settings = settings
        keep_settings(settings)
        self.view_changed.emit()

    def save(self, path: Path, *, replace: bool = False) -> None:
        """Saves the project.

        replace : whether a file of that name may be replaced; where it may not, ``would_replace`` asks
        """
        project = self.project
        if project is None:
            return

        def done(_: object) -> None:
            self.path = path
            self._clean, self._never_saved = project, False
            self.remember(path)
            self.project_changed.emit()
            self.keeping.note()
            self.told.emit(f"Saved as {path.name}.")

        self.jobs.submit(
            "handoff:save", Save(project, self.printer, path, replace), done=done,
            failed=self.asking_to_replace(lambda: self.save(path, replace=True)), label=f"Saving {path.name}",
        )  # fmt: skip

    def asking_to_replace(self, again: Callable[[], None]) -> Callable[[DeftError], None]:
        """What hears that something could not be written: it asks where only leave to replace was wanting."""

        def failed(error: DeftError) -> None:
            if isinstance(error, WouldReplace):
                self.would_replace.emit(error, again)
            else:
                self.failed.emit(error)

        return failed

    # changing the project

    def do(self, did: str, project: Project) -> None:
        """Replaces the project; ``did`` says what was done, for undo."""
        if self.project is None or project == self.project:
            self._end_draft()
            return
        self._before_last = self._history, self._now
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
            self._now, self._before_last = self._now - 1, None
            self._settled()

    def redo(self) -> None:
        if self._now + 1 < len(self._history):
            self._now, self._before_last = self._now + 1, None
            self._settled()

    def _settled(self) -> None:
        self.jobs.cancel("live")
        self.draft = self.live = None
        self._keep_selection()
        self._forget_looks()
        self.project_changed.emit()
        self.keeping.note()
        self._evaluate()

    def _keep_selection(self) -> None:
        ids = [cut.id for cut in self.plan.recipe]
        if self.selected_cut not in ids:
            self.selected_cut = ids[-1] if ids else None
        self.wearing.keep_selection()

    # trying a plan while something is dragged

    def try_plan(self, plan: Plan) -> None:
        """Shows a plan that is not settled yet: figures come from the stand-in, marked as approximate."""
        if self.draft is None:
            self.live_problem = ""
        self.draft = plan
        self.live_changed.emit()
        self.jobs.submit(
            "live", EvaluateLive(plan, self.printer), done=lambda found: self._on_live(found, ""),
            failed=lambda error: self._on_live(None, error.what), label="",
        )  # fmt: skip

    def settle(self, did: str) -> None:
        """Makes what was tried the plan."""
        if self.draft is not None:
            self.do_plan(did, self.draft)

    def _end_draft(self) -> None:
        if self.draft is not None:
            self.jobs.cancel("live")
            self.draft = self.live = None
            self.live_changed.emit()

    def drop_draft(self) -> None:
        """Goes back to the plan as it was before something was dragged."""
        self._end_draft()

    def _on_live(self, evaluated: Evaluated | None, problem: str) -> None:
        if self.draft is not None:
            self.live, self.live_problem = evaluated, problem
            self.live_changed.emit()

    # figures

    def _evaluate(self) -> None:
        plan = self.plan
        if plan is None:
            return
        self.ask(
            "evaluate", Evaluate(plan, self.printer), done=self._on_evaluated, failed=self._on_evaluation_failed,
            label="Measuring",
        )  # fmt: skip
        for choice in self.project.choices:
            if self.shown(choice.plan) is None and choice.plan != plan:
                self.jobs.submit(
                    f"choice:{choice.id}", Evaluate(choice.plan, self.printer), done=self._keep_shown,
                    failed=lambda _: None, label=f"Measuring “{choice.name}”",
                )  # fmt: skip

    def _keep_shown(self, evaluated: Evaluated) -> None:
        self._shown[evaluated.outcome.plan, evaluated.printer] = Shown(evaluated.outcome.totals, evaluated.picture)
        while len(self._shown) > max(_PICTURES, 2 * len(self.project.choices)):
            self._shown.popitem(last=False)
        self.shown_changed.emit()

    def _on_evaluated(self, evaluated: Evaluated) -> None:
        before = {piece.sides for piece in self.pieces}
        self.evaluated = evaluated
        self.selected_piece = min(self.selected_piece, len(self.pieces) - 1)
        if {piece.sides for piece in self.pieces} != before:
            # a model that has just been cut is looked at as a whole; a whole one on the bed
            self.in_place = len(self.pieces) > 1 and self.step == "Cut"
            self.hidden = frozenset()
        self._keep_shown(evaluated)
        self.outcome_changed.emit()
        if self._tell_mending:
            self._tell_mending = False
            self._say_what_was_mended()

    def _say_what_was_mended(self) -> None:
        report = self.evaluated.outcome.report
        did = " ".join(step.sentence() for step in report.steps if step.changed)
        self.told.emit(f"The surface was mended.\n{did} Size lists it; undo brings it back as it came.")

    def _on_evaluation_failed(self, error: DeftError) -> None:
        back = self._before_last
        if back is None or isinstance(error, WorkerEnded):
            # the plan is no step that was just made, or is not to blame: it stays, and can be undone
            self.failed.emit(error)
            return
        error.kept = f"The last step ({self.undo_text}) was taken back."
        self.failed.emit(error)
        (self._history, self._now), self._before_last = back, None
        self._settled()

    def _on_restarted(self) -> None:
        if self.model is not None:
            self.jobs.submit(
                "adopt", Adopt(self.model, self.wearing.surfaces), done=lambda _: self._evaluate(),
                failed=self.failed.emit, label="Handing the model over again",
            )  # fmt: skip
            self.autosave.write()  # the copy of the model too, if it was not made yet

    # the verbs of the steps

    def resize(self, **size: object) -> None:
        """unit, scale, stretch, mirror: cuts and guests keep their places on the model."""
        self.change("change the size", lambda: self.plan.sized(**size))

    def choose_unit(self, unit: str) -> None:
        self.asking_unit = False
        self.resize(unit=unit)
        self.view_changed.emit()

    def change(self, did: str, make: Any) -> None:
        """Makes another plan; values that make no sense are told and change nothing."""
        try:
            plan = make()
        except DeftError as error:
            self.failed.emit(error)
            return
        self.do_plan(did, plan)

    def set_copies(self, copies: int) -> None:
        self.change("change the number of copies", lambda: self.plan.changed(copies=copies))

    def set_role(self, body: int, role: Role) -> None:
        self.change("change what becomes of a body", lambda: self.plan.with_role(body, role))

    def mend(self, did: str, **steps: object) -> None:
        """Changes what is done to the surface: fields of ``Mending``."""
        mending = Mending.model_validate({**self.plan.mending.model_dump(), **steps})
        self.change(did, lambda: self.plan.changed(mending=mending))

    def leave_unmended(self) -> None:
        self.change("put all mending back", lambda: self.plan.changed(mending=Mending()))

    def stand_up(self) -> None:
        self.do_plan("stand it on Y", self.plan.changed(tilt=STAND_UP))

    def scale_to_bed(self) -> None:
        """Scales to the largest that fits the printer as it stands."""
        plan = self.plan
        self.ask(
            "ask:scale", ScaleToBed(plan, self.printer), label="Finding the largest size",
            done=lambda factor: self.scale_further(plan, factor, "scale to the largest that fits"),
        )  # fmt: skip

    def scale_further(self, plan: Plan, factor: float, did: str, *, up: bool = False) -> None:
        """Scales further, rounded to a hundredth of a percent (down, or up)."""
        rounded = math.ceil if up else math.floor
        scale = rounded(plan.scale * factor * 1e4) / 1e4
        self.change(did, lambda: plan.sized(scale=max(scale, 1e-4)))

    def ask(
        self, lane: str, request: Request[R], *, done: Callable[[R], None], label: str = "",
        failed: Callable[[DeftError], None] | None = None, still: Callable[[], bool] | None = None,
    ) -> None:  # fmt: skip
        """Asks the worker for something, and drops the reply, or what went wrong, when it is of something else by then.

        lane : see ``Jobs``; failed : hears what went wrong, by default the user does
        still : whether the reply is still of what is wanted; by default, that plan and printer are as they were
        """
        asked_for = (self.plan, self.printer)

        def wanted() -> bool:
            return still() if still is not None else (self.plan, self.printer) == asked_for

        def heard(reply: R) -> None:
            if wanted():
                done(reply)

        def went_wrong(error: DeftError) -> None:
            if wanted():
                (failed or self.failed.emit)(error)

        self.jobs.submit(lane, request, done=heard, failed=went_wrong, label=label)

    # printers

    def choose_printer(self, printer: Printer) -> None:
        """Judges the project by another printer, and new projects too."""
        self.change_settings(self.settings.model_copy(update={"printer": printer}))
        if self.project is not None:
            self.do("change the printer", self.project.changed(printer=printer))
        self.view_changed.emit()

    def set_threshold(self, degrees: float) -> None:
        self.do_plan("change the overhang threshold", self.plan.changed(threshold=degrees))

    @property
    def tilt(self) -> Tilt | None:
        """The tilt of the selected piece, as wished where that is not measured yet; of the whole model while there is
        one piece."""
        if self.plan is None:
            return None
        piece = self.piece
        return self.plan.tilt if piece is None or piece.alone else self.wanted_tilt or piece.seat

    @property
    def tilt_as_opened(self) -> Tilt:
        """How the model stands in its file."""
        return STAND_UP if self.model is not None and self.model.up_stated else Tilt()

    @property
    def wanted_tilt(self) -> Tilt | None:
        """The seat that the plan wishes for the selected piece, before it is measured; None where it wishes none."""
        piece = self.piece
        if piece is None or self.plan is None:
            return None
        if piece.alone:
            return self.plan.tilt
        wish = self._wish_of(piece)
        return wish.seat if wish else None

    def _wish_of(self, piece: Piece) -> PieceWish | None:
        """The wish for a piece that stands in the plan now, also where it was made since the piece was measured."""
        same = [wish for wish in self.plan.pieces if (wish.sides, wish.anchor) == (piece.sides, piece.anchor)]
        if same:
            return same[-1]
        return piece.wished if piece.wished in self.plan.pieces else None

    def plan_with_wish(self, **wish: object) -> Plan:
        """The plan with a wish for the selected piece: seat, name, lift.

        Raises
        ------
        BadPlan : the pieces that are shown are not those of the plan.
        """
        piece = self.piece
        if piece is None or not self.pieces_up_to_date:
            raise being_made()
        old = self._wish_of(piece)
        kept = old.model_dump(include={"seat", "name", "lift"}) if old else {}
        return self.plan.with_wish(PieceWish(sides=piece.sides, anchor=piece.anchor, **{**kept, **wish}), old)

    def plan_with_tilt(self, tilt: Tilt, lift: float | None = None) -> Plan:
        """The plan with another seat for the model, or for the selected piece of a model in pieces.

        lift : mm over the bed; None: as it is

        Raises
        ------
        BadPlan : the pieces that are shown are not those of the plan.
        """
        piece = self.piece
        if not self.plan.recipe if piece is None else piece.alone and self.pieces_up_to_date:
            return self.plan.changed(tilt=tilt, lift=self.plan.lift if lift is None else lift)
        return self.plan_with_wish(seat=tilt) if lift is None else self.plan_with_wish(seat=tilt, lift=lift)

    def set_tilt(self, did: str, tilt: Tilt, lift: float | None = None) -> None:
        self.change(did, lambda: self.plan_with_tilt(tilt, lift))

    def set_lift(self, lift: float) -> None:
        self.set_tilt("change the lift", self.tilt, lift)

    def turn(self, axis: tuple[float, float, float], degrees: float) -> None:
        """Turns about an axis of the bed frame."""
        self.set_tilt(f"turn by {degrees:g}°", Tilt.turn(axis, degrees).after(self.tilt))

    def mark(self, did: str, mark: Mark) -> None:
        """Marks or unmarks a part of the surface. Show faces are the prop's own: all choices get them."""
        self._change_plans(did, lambda plan: plan.changed(marks=(*plan.marks, mark)), everywhere=mark.meaning == "show")

    def unmark_all(self, meaning: str) -> None:
        def without(plan: Plan) -> Plan:
            return plan.changed(marks=tuple(mark for mark in plan.marks if mark.meaning != meaning))

        self._change_plans("take marks away", without, everywhere=meaning == "show")

    def set_audience(self, audience: Audience) -> None:
        """The audience is the prop's own: all choices get it."""
        self._change_plans("change the audience", lambda plan: plan.changed(audience=audience), everywhere=True)

    def _change_plans(self, did: str, change: Any, *, everywhere: bool) -> None:
        """Changes the plan on the bed, and that of every choice too if ``everywhere``."""
        try:
            project = self.project.changed(plan=change(self.plan))
            if everywhere:
                kept = [choice.model_copy(update={"plan": change(choice.plan)}) for choice in project.choices]
                project = project.changed(choices=tuple(kept))
        except DeftError as error:
            self.failed.emit(error)
            return
        self.do(did, project)

    def rename_piece(self, name: str) -> None:
        piece = self.piece
        if piece is None or piece.alone or not name.strip():
            return
        self.change("rename a piece", lambda: self.plan_with_wish(name=name.strip()[:120]))

    def add_cut(self, normal: tuple[float, float, float], offset: float) -> None:
        """Adds a straight cut (mm, model frame) and selects it."""
        plan = self.plan
        cut = StraightCut(id=plan.fresh_id(), name=f"Cut {len(plan.recipe) + 1}", normal=normal, offset=offset)
        self.selected_cut = cut.id
        self.do_plan("add a cut", plan.with_cut(cut))

    def change_cut(self, did: str, cut_id: str, **update: object) -> None:
        self.change(did, lambda: self.plan.with_cut(validated(self.plan.cut(cut_id), update)))

    def try_cut(self, cut_id: str, **update: object) -> None:
        """While something is dragged; what makes no sense is passed over."""
        with contextlib.suppress(DeftError):
            self.try_plan(self.plan.with_cut(validated(self.plan.cut(cut_id), update)))

    def remove_cut(self, cut_id: str) -> None:
        self.do_plan("remove a cut", self.plan.without_cut(cut_id))

    def select_cut(self, cut_id: str | None) -> None:
        self.selected_cut = cut_id
        self.selection_changed.emit()

    def hide_pieces(self, numbers: frozenset[int]) -> None:
        """Leaves pieces undrawn, by their numbers from 0 on; at least one stays."""
        self.hidden = numbers if len(numbers) < len(self.pieces) else frozenset()
        self.view_changed.emit()

    def select_piece(self, number: int) -> None:
        self.selected_piece = number
        self.selection_changed.emit()

    def go_to(self, step: str) -> None:
        self.step = step
        self.pointing.begin("")
        self.as_it_came, self.mend_places = False, None
        self.in_place = step in ("Cut", "Join") and len(self.pieces) > 1
        self.step_changed.emit()
        self.view_changed.emit()

    def show(self, **what: Any) -> None:
        """Changes what the bed shows: show_overhang, show_support, in_place, apart, as_it_came, mend_places,
        from_below, hidden."""
        for name, value in what.items():
            setattr(self, name, value)
        self.view_changed.emit()


def _parting(plan: Plan) -> tuple[object, ...]:
    """What decides which pieces a plan has."""
    return plan.model, tuple(plan.factors), plan.roles, plan.mending, plan.recipe


def _proportions(plan: Plan) -> tuple[object, ...]:
    """What decides the size of a model, but for its scale."""
    return plan.model, plan.roles, plan.mending, plan.stretch, plan.mirror, plan.tilt
