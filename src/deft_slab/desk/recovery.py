"""Unsaved work, kept beside the settings so that a kill at any moment loses at most two seconds of it.

A folder for each running window: the opened model once, as NumPy's archive, and the project as JSON at each change. It
never touches the user's own files, and goes when the window is closed in order.
"""

from __future__ import annotations

import io
import json
import logging
import os
import shutil
import time
import uuid
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from pydantic import ValidationError
from PySide6.QtCore import QObject, QTimer

from ..core.errors import SaveFailed, UnreadableFile
from ..core.handoff.saving import write_whole
from ..core.outcome import Model
from ..core.plan import Project, read_project
from ..core.solid import Solid
from .settings import home

_log = logging.getLogger(__name__)

DELAY = 1000
"""ms from a change to its being written."""
_MODEL, _WORK, _OWNER = "model.npz", "project.json", "owner.json"


def _started(pid: int) -> str | None:
    """When a process was started, as the system counts; None where there is none of that number."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return None


@dataclass(frozen=True)
class LeftWork:
    """Work that a window left behind. when : seconds since 1970"""

    folder: Path
    title: str
    when: float


def left_work() -> list[LeftWork]:
    """What windows that no longer run left unsaved, newest first; folders with nothing of worth are removed."""
    found = []
    for folder in sorted(home().joinpath("recovery").glob("*")):
        try:
            owner = json.loads((folder / _OWNER).read_text())
            if _started(owner["pid"]) == owner["started"]:
                continue  # that window is still open
            project = read_project((folder / _WORK).read_bytes())
            if not (folder / _MODEL).exists():
                raise FileNotFoundError(_MODEL)
        except (OSError, ValueError, KeyError, TypeError, UnreadableFile):
            shutil.rmtree(folder, ignore_errors=True)
            continue
        found.append(LeftWork(folder, project.title, (folder / _WORK).stat().st_mtime))
    return sorted(found, key=lambda work: -work.when)


def let_go(work: LeftWork) -> None:
    """Removes left work for good."""
    shutil.rmtree(work.folder, ignore_errors=True)


def write_model(folder: Path, model: Model, guests: dict[str, Solid]) -> None:
    """Writes the model and the guests of a piece of work. Raises SaveFailed."""
    arrays = {"vertices": model.solid.vertices, "triangles": model.solid.triangles}
    for sha, solid in guests.items():
        arrays |= {f"guest-vertices-{sha}": solid.vertices, f"guest-triangles-{sha}": solid.triangles}
    buffer = io.BytesIO()
    np.savez(buffer, allow_pickle=False, **arrays)
    if folder.exists():  # the window may have been closed meanwhile
        write_whole(folder / _MODEL, buffer.getvalue())


def read_work(folder: Path) -> tuple[Model, Project, dict[str, Solid]]:
    """The model, the project and the guests of left work.

    Raises
    ------
    UnreadableFile : it is damaged.
    """
    try:
        project = read_project((folder / _WORK).read_bytes())
        with np.load(folder / _MODEL, allow_pickle=False) as arrays:
            solid = Solid(arrays["vertices"], arrays["triangles"])
            shas = [name.removeprefix("guest-vertices-") for name in arrays if name.startswith("guest-vertices-")]
            guests = {sha: Solid(arrays[f"guest-vertices-{sha}"], arrays[f"guest-triangles-{sha}"]) for sha in shas}
    except (OSError, ValueError, KeyError, ValidationError) as error:
        raise UnreadableFile(
            f"The unsaved work in {folder} is damaged: {error}.", kept="It was left where it is."
        ) from error
    ref = project.plan.model
    return Model(ref.name, solid, ref.grid, project.plan.unit, ref.bodies), project, guests


class Autosave(QObject):
    """Writes the project a moment after each change. All methods are for the UI thread; the disk is waited for on a
    thread of its own."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._folder: Path | None = None
        self._project: Project | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(DELAY)
        self._timer.timeout.connect(self.write)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="deft-autosave")
        self._pending: Future[None] | None = None

    @property
    def folder(self) -> Path | None:
        return self._folder

    def begin(self) -> Path | None:
        """A folder for another model; the one before is removed. None where none can be made: then nothing is kept."""
        self.end()
        folder = home() / "recovery" / f"{int(time.time())}-{uuid.uuid4().hex[:8]}"
        try:
            folder.mkdir(parents=True)
            write_whole(folder / _OWNER, json.dumps({"pid": os.getpid(), "started": _started(os.getpid())}).encode())
        except (OSError, SaveFailed):
            _log.warning("unsaved work cannot be kept in %s", folder, exc_info=True)
            return None
        self._folder = folder
        return folder

    def adopt_left(self, work: LeftWork) -> None:
        """Work that was brought back is kept in the new folder from now on; the old one goes once it is written."""
        self.write()
        self._thread.submit(let_go, work)

    def note(self, project: Project | None) -> None:
        """The project has changed; None: it is as it was saved, and there is nothing to lose."""
        self._project = project
        if self._folder is not None and not self._timer.isActive():
            self._timer.start()

    def write(self) -> None:
        """Hands the newest project to the disk."""
        self._timer.stop()
        if self._folder is not None:
            self._pending = self._thread.submit(_write, self._folder, self._project)

    def end(self) -> None:
        """Removes the folder: what was in it is saved, or was let go."""
        self._timer.stop()
        if self._pending is not None:
            self._pending.result()
            self._pending = None
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
            self._folder = None

    def close(self) -> None:
        """In order: nothing is left behind."""
        self.end()
        self._thread.shutdown()


def _write(folder: Path, project: Project | None) -> None:
    try:
        if project is None:
            (folder / _WORK).unlink(missing_ok=True)
        else:
            write_whole(folder / _WORK, project.model_dump_json().encode())
    except (OSError, SaveFailed):
        _log.warning("unsaved work could not be kept", exc_info=True)
