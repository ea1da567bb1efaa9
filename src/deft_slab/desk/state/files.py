"""Opens models and projects, recovers work, and saves."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ...core.errors import DeftError
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.plan.project import Project
from ..messages.replies import Fetched
from ..messages.requests import Adopt, MakeReady, OpenFile, Recover, Save
from ..storage.recovery import LeftWork
from .autosave import Keeping
from .desk import Desk
from .recents import keep_picture, listed
from .size import Sizing


class Opening:
    """Opening, recovering and saving.

    Attributes
    ----------
    path : Path or None
        Where the project was saved last.
    fetched : Fetched or None
        What was opened.
    may_leave : callable
        Asks whether unsaved work may be discarded; the window puts its question here.
    """

    def __init__(self, desk: Desk, sizing: Sizing, keeping: Keeping) -> None:
        self._desk, self._sizing, self._keeping = desk, sizing, keeping
        self.path: Path | None = None
        self.fetched: Fetched | None = None
        self.may_leave: Callable[[], bool] = lambda: True
        self._tell_mending = False
        self._unpictured = ""
        desk.outcome_changed.connect(self._say_what_was_mended)
        desk.outcome_changed.connect(self._keep_picture)
        desk.jobs.restarted.connect(self._on_restarted)

    def open(self, path: Path, fineness: float = 0.1) -> None:
        """Open a model or a project, unless the user wants to keep what is open, which stays until the new one is
        loaded.

        Parameters
        ----------
        fineness : float, mm
            How far triangles may be off, for files with exact surfaces.
        """
        if not self.may_leave():
            return
        left = self._desk.history.project

        def opened(fetched: Fetched) -> None:
            self._on_fetched(fetched, left)

        self._desk.jobs.submit(
            "open", OpenFile(path, fineness), done=opened,
            failed=self._desk.failed.emit, label=tr("Opening {name}", name=path.name),
        )

    def recover(self, work: LeftWork) -> None:
        """Recover work that was left unsaved, unless the user wants to keep what is open."""
        if not self.may_leave():
            return
        left = self._desk.history.project

        def take_recovered(fetched: Fetched) -> None:
            if self._on_fetched(fetched, left, recovered=True):
                self._keeping.adopt(work)

        self._desk.jobs.submit(
            "open",
            Recover(work.folder),
            done=take_recovered,
            failed=self._desk.failed.emit,
            label=tr("Recovering {title}", title=work.title),
        )

    def _refusal(self, fetched: Fetched, left: Project | None) -> DeftError | None:
        """Why what was fetched cannot be used.

        Parameters
        ----------
        left : Project | None
            The project that may be discarded for it.
        """
        project, history = fetched.project, self._desk.history
        if project is not None and project.plan.model.sha256 != fetched.model.sha256:
            return DeftError(tr("The plan in “{name}” does not belong to the model in it.",
                                name=fetched.path.name),
                             kept=tr("Your open project is unchanged."),
                             remedy=tr("Save the project again from its original model."))
        if history.project != left and history.at_stake:
            return DeftError(tr("“{name}” was not opened, because your open project was changed meanwhile.",
                                name=fetched.path.name),
                             kept=tr("Your changes are kept."), remedy=tr("Open it again."))
        return None

    def _on_fetched(self, fetched: Fetched, left: Project | None, *, recovered: bool = False) -> bool:
        """Use what was fetched; returns whether it is open now."""
        desk, model, project = self._desk, fetched.model, fetched.project
        refusal = self._refusal(fetched, left)
        if refusal is not None:
            desk.failed.emit(refusal)
            return False
        desk.jobs.cancel()
        self.fetched = fetched
        self.path = fetched.path if project is not None and not recovered else None
        desk.begin(model, dict(fetched.guests), project or self._fresh(fetched), saved=self.path is not None)
        mends = project is None and fetched.advice.does_something
        if mends:
            desk.history.do(
                tr("mend the surface"), desk.project.changed(plan=desk.plan.changed(mending=fetched.advice))
            )
        self._tell_mending = mends
        if not recovered:
            desk.history.nothing_to_lose()
            self.remember(fetched.path)
            self._unpictured = listed(fetched.path)
        self._sizing.ask_for(unit=project is None and model.unit is None, fineness=fetched.exact)
        desk.opened.emit()
        self._keeping.begin()  # what it has to say comes after what was said of the model before
        desk.project_changed.emit()
        desk.evaluate()
        desk.jobs.submit(
            "ready", MakeReady(desk.plan), done=lambda _: None, failed=lambda _: None,
            label=tr("Making the draft mesh of the model"),
        )
        return True

    def _fresh(self, fetched: Fetched) -> Project:
        """A new project for a model."""
        model = fetched.model
        plan = Plan(model=model.ref, unit=fetched.unit, tilt=model.ref.tilt_as_opened)
        return Project(title=model.name, plan=plan, printer=self._desk.settings.printer)

    def _say_what_was_mended(self) -> None:
        if self._tell_mending and self._desk.evaluated is not None:
            self._tell_mending = False
            report = self._desk.evaluated.outcome.report
            did = " ".join(step.sentence() for step in (report.steps if report else ()) if step.changed)
            self._desk.told.emit(
                tr("The surface was mended.\n{did} Size lists what was done. Undo restores the original "
                   "surface.", did=did)
            )

    def _on_restarted(self) -> None:
        desk = self._desk
        if desk.is_open:
            desk.jobs.submit(
                "adopt", Adopt(desk.model, desk.guest_surfaces), done=lambda _: desk.evaluate(),
                failed=desk.failed.emit, label=tr("Loading the model again"),
            )
            self._keeping.write()  # the copy of the model too, if it was not made yet

    def remember(self, path: Path) -> None:
        """Add a file to the recent ones."""
        if first := listed(path):
            self._desk.change_settings(recent=self._desk.settings.with_recent(first).recent)

    def _keep_picture(self) -> None:
        """Store the first picture of what was opened or saved, for the list of recent files."""
        picture = self._desk.evaluated.picture if self._desk.evaluated is not None else None
        if picture is not None and self._unpictured:
            keep_picture(self._unpictured, picture, self._desk.settings.recent)
            self._unpictured = ""

    def save(self, path: Path, *, replace: bool = False) -> None:
        """Saves the project.

        Parameters
        ----------
        replace : bool
            Whether a file of that name may be replaced; where it may not, ``would_replace`` asks.
        """
        desk = self._desk
        project = desk.project

        def note_saved(_: object) -> None:
            self.path = path
            desk.history.saved(project)
            self.remember(path)
            self._unpictured = listed(path)
            self._keep_picture()
            desk.project_changed.emit()
            desk.told.emit(tr("Saved as {name}.", name=path.name))

        desk.jobs.submit(
            "handoff:save", Save(project, desk.printer, path, replace), done=note_saved,
            failed=desk.asking_to_replace(lambda: self.save(path, replace=True)), label=tr("Saving {name}",
                    name=path.name),
        )
