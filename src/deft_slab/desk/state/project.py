"""The opened model and its project: what every part of the desk may ask, change, and ask the worker for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import QObject, Signal

from ...core.errors import DeftError, WouldReplace
from ...core.locale.translate import tr
from ...core.mesh.solid import Solid
from ...core.plan.model import Model
from ...core.plan.plan import Plan
from ...core.plan.project import Project
from ...core.printers.profile import Printer, default_printer
from ..messages.jobs import Jobs
from ..messages.requests import Request
from ..storage.settings import read_settings
from .history import History
from .settings_writer import Remembering

R = TypeVar("R")


class NothingOpen(RuntimeError):
    """Something was asked about the model or the plan while nothing is open. Check ``is_open`` first."""


class ProjectState(QObject):
    """The opened model and its project. For the UI thread.

    Attributes
    ----------
    guest_surfaces
        The surfaces of guests that are models, in their own units, by content hash.
    """

    opened = Signal()
    closing = Signal()
    project_changed = Signal()
    settings_changed = Signal()
    failed = Signal(object)
    told = Signal(str)
    would_replace = Signal(object, object)
    """What would be replaced, and what does it all the same once somebody has said so."""

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.settings, self.settings_problem = read_settings()
        self.history = History()
        self.remembering = Remembering(self)
        self.guest_surfaces: dict[str, Solid] = {}
        self._model: Model | None = None

    @property
    def is_open(self) -> bool:
        """Whether there is a model, and with it a project and a plan."""
        return self._model is not None

    @property
    def model(self) -> Model:
        """The opened model.

        Raises
        ------
        NothingOpen
            Nothing is open.
        """
        if self._model is None:
            raise NothingOpen
        return self._model

    @property
    def project(self) -> Project:
        """The project.

        Raises
        ------
        NothingOpen
            Nothing is open.
        """
        project = self.history.project
        if project is None:
            raise NothingOpen
        return project

    @property
    def plan(self) -> Plan:
        """The plan on the bed.

        Raises
        ------
        NothingOpen
            Nothing is open.
        """
        return self.project.plan

    @property
    def printer(self) -> Printer:
        """The printer that plans are judged by: that of the project, or else the one chosen last."""
        own = self.project.printer if self.is_open else None
        return own or self.settings.printer or default_printer()

    # changing the project

    def do(self, did: str, project: Project) -> None:
        """Replace the project.

        Parameters
        ----------
        did : str
            What was done, for the texts of undo.
        """
        if self.is_open and project != self.project:
            self.history.do(did, project)
            self._settled()

    def do_plan(self, did: str, plan: Plan) -> None:
        """Replaces the plan on the bed."""
        if self.is_open:
            self.do(did, self.project.changed(plan=plan))

    def change(self, did: str, make: Callable[[], Plan]) -> None:
        """Make another plan. Values that make no sense are reported and change nothing."""
        try:
            plan = make()
        except DeftError as error:
            self.failed.emit(error)
            return
        self.do_plan(did, plan)

    def attempt(self, act: Callable[[], object]) -> None:
        """Do something and report what goes wrong."""
        try:
            act()
        except DeftError as error:
            self.failed.emit(error)

    def change_everywhere(self, did: str, change: Callable[[Plan], Plan]) -> None:
        """Change the plan on the bed and that of every choice, for what belongs to the prop itself."""
        try:
            kept = [choice.model_copy(update={"plan": change(choice.plan)}) for choice in self.project.choices]
            project = self.project.changed(plan=change(self.plan), choices=tuple(kept))
        except DeftError as error:
            self.failed.emit(error)
            return
        self.do(did, project)

    def undo(self) -> None:
        if self.history.undo():
            self._settled()

    def redo(self) -> None:
        if self.history.redo():
            self._settled()

    def _settled(self) -> None:
        """Another project is in place."""
        self.project_changed.emit()

    # settings

    def change_settings(self, **what: object) -> None:
        """Change settings, and store them."""
        self.settings = self.settings.model_copy(update=what)
        self.remembering.note(self.settings)
        self.settings_changed.emit()

    def choose_printer(self, printer: Printer) -> None:
        """Judge this project and new ones by another printer."""
        self.change_settings(printer=printer)
        if self.is_open:
            self.do(tr("change the printer"), self.project.changed(printer=printer))

    # asking

    def ask(
        self, lane: str, request: Request[R], *, done: Callable[[R], None], label: str = "",
        failed: Callable[[DeftError], None] | None = None, still: Callable[[], bool] | None = None,
    ) -> None:
        """Ask the worker for something. The reply, or the error, is dropped if it is outdated when it arrives.

        Parameters
        ----------
        lane : str
            See ``Jobs``.
        failed : Callable[[DeftError], None] | None
            Told about an error; by default the user is.
        still : Callable[[], bool] | None
            Whether the reply is still wanted; by default, if plan and printer are unchanged.
        """
        asked_for = self._subject

        def wanted() -> bool:
            return still() if still is not None else self._subject == asked_for

        def heard(reply: R) -> None:
            if wanted():
                done(reply)

        def went_wrong(error: DeftError) -> None:
            if wanted():
                (failed or self.failed.emit)(error)

        self.jobs.submit(lane, request, done=heard, failed=went_wrong, label=label)

    @property
    def _subject(self) -> tuple[Plan | None, Printer]:
        return self.plan if self.is_open else None, self.printer

    def asking_to_replace(self, again: Callable[[], None]) -> Callable[[DeftError], None]:
        """An error handler that asks the user if only the permission to replace files was missing.

        Parameters
        ----------
        again : Callable[[], None]
            What to do once the user agrees.
        """

        def failed(error: DeftError) -> None:
            if isinstance(error, WouldReplace):
                self.would_replace.emit(error, again)
            else:
                self.failed.emit(error)

        return failed
