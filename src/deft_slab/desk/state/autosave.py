"""Autosave: protects the work on the desk against a crash. The worker copies the model, and the project is written
at each change. ``storage.recovery`` says how it is stored.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject

from ...core.errors import DeftError
from ...core.locale.translate import tr
from ..messages.requests import KeepWork
from ..storage.recovery import Autosave, LeftWork
from .desk import Desk


class Keeping(QObject):
    """Autosaves the work on the desk."""

    def __init__(self, desk: Desk, autosave: Autosave) -> None:
        super().__init__(desk)
        self._desk, self._autosave = desk, autosave
        autosave.model_wanted.connect(self._keep_model)
        desk.project_changed.connect(self.note)

    def begin(self) -> None:
        """Start saving the opened model and what becomes of it."""
        if self._autosave.begin() is not None:
            self._keep_model()
        self.note()

    def note(self) -> None:
        """The project has changed, or was saved."""
        history = self._desk.history
        self._autosave.note(history.project if history.dirty else None)

    def write(self) -> None:
        """Write the project now, and whatever is missing of the model."""
        self._autosave.write()

    def adopt(self, work: LeftWork) -> None:
        """Continue to save recovered work here."""
        self._autosave.adopt_left(work)

    def model_changed(self) -> None:
        """A guest was added, which the copy of the model lacks."""
        self._autosave.forget_model()
        self._keep_model()

    def _keep_model(self) -> None:
        """Ask for a copy of the model and its guests, unless one is being made."""
        folder, desk = self._autosave.folder, self._desk
        if folder is None or not desk.is_open or desk.jobs.busy_with("keep"):
            return

        def failed(error: DeftError) -> None:
            self._autosave.model_done(folder, error.what)

        desk.jobs.submit(
            "keep", KeepWork(folder, desk.plan, frozenset(desk.guest_surfaces)),
            done=lambda _: self._kept(folder), failed=failed, label=tr("Keeping a copy of the model"),
        )

    def _kept(self, folder: Path) -> None:
        self._autosave.model_done(folder)
