"""Keeping the work on the desk against a kill: the copy of the model is made by the worker, the project is written at
each change. See ``recovery`` for how it is stored.
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
    """A part of the desk state."""

    def __init__(self, desk: Desk, autosave: Autosave) -> None:
        super().__init__(desk)
        self._desk, self._autosave = desk, autosave
        autosave.model_wanted.connect(self._keep_model)
        desk.project_changed.connect(self.note)

    def begin(self) -> None:
        """From now on the opened model is kept, and what becomes of it."""
        if self._autosave.begin() is not None:
            self._keep_model()
        self.note()

    def note(self) -> None:
        """The project has changed, or is as it was saved."""
        history = self._desk.history
        self._autosave.note(history.project if history.dirty else None)

    def write(self) -> None:
        """Writes it now, and what is missing of it."""
        self._autosave.write()

    def adopt(self, work: LeftWork) -> None:
        """Work that was brought back is kept here from now on."""
        self._autosave.adopt_left(work)

    def model_changed(self) -> None:
        """The copy of the model lacks a guest that has come."""
        self._autosave.forget_model()
        self._keep_model()

    def _keep_model(self) -> None:
        """Asks for a copy of the model and its guests, unless that is being made."""
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
