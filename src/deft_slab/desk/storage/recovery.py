"""Unsaved work, stored beside the settings so that a crash at any moment loses at most two seconds of it.

Each running window has a folder: the opened model once, as a NumPy archive, and the project as JSON at each change.
It never touches the user's own files, and is removed when the window is closed properly. What cannot be read is never
removed: it is reported, so that somebody may still read it.
"""

from __future__ import annotations

import io
import json
import os
import shutil
import time
import uuid
import zipfile
import zlib
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic_core import from_json
from PySide6.QtCore import QObject, QTimer, Signal

from ...core.errors import DeftError, SaveFailed, UnreadableFile
from ...core.exporting.safe_writing import write_whole
from ...core.locale.translate import tr
from ...core.mesh.solid import Solid
from ...core.plan.model import Model
from ...core.plan.project import PROJECTS, Project, project_text, read_project
from ...logbook import home
from .backups import keep_if_older

DELAY = 1000
"""ms from a change to its being written."""
RETRY = 10_000
"""ms until it is tried again to keep what could not be kept."""
_MODEL, _WORK, _OWNER = "model.npz", "project.json", "owner.json"


def _started(pid: int) -> str | None:
    """When a process was started, as the system counts; None if there is no such process."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return None


@dataclass(frozen=True)
class LeftWork:
    """Work that a window left behind.

    Attributes
    ----------
    when : float, seconds
        When it was stored, in seconds since 1970.
    problem : str
        Why it cannot be recovered; empty if it can.
    """

    folder: Path
    title: str
    when: float
    problem: str = ""


def left_work() -> list[LeftWork]:
    """What windows that no longer run left unsaved: first what can be recovered, newest first."""
    found = []
    for folder in sorted(home().joinpath("recovery").glob("[!.]*")):
        if _is_owned(folder):
            continue
        try:
            when = (folder / _WORK).stat().st_mtime
        except FileNotFoundError:
            if not any((folder / name).exists() for name in (_WORK, _MODEL)) or (folder / _OWNER).exists():
                shutil.rmtree(folder, ignore_errors=True)  # that window had nothing unsaved
            continue
        except OSError as error:
            found.append(LeftWork(folder, folder.name, 0.0, tr("It cannot be read: {why}.", why=error.strerror)))
            continue
        found.append(_looked_at(folder, when))
    return sorted(found, key=lambda work: (bool(work.problem), -work.when))


def _is_owned(folder: Path) -> bool:
    """Whether the window that stores its work there is still running."""
    try:
        owner = from_json((folder / _OWNER).read_bytes())
        return bool(_started(int(owner["pid"])) == owner["started"])
    except (OSError, ValueError, KeyError, TypeError):
        return False


def _looked_at(folder: Path, when: float) -> LeftWork:
    title = folder.name
    try:
        text = (folder / _WORK).read_bytes()
        try:
            title = str(from_json(text)["title"])[:120]
        except (ValueError, KeyError, TypeError):
            title = folder.name  # the next line says what is wrong with it
        project = read_project(text)
        if not (folder / _MODEL).exists():
            return LeftWork(folder, project.title, when, tr("The copy of its model is missing."))
    except OSError as error:
        return LeftWork(folder, title, when, tr("It cannot be read: {value}.", value=error.strerror or error))
    except UnreadableFile as error:
        return LeftWork(folder, title, when, error.what)
    return LeftWork(folder, project.title, when)


def let_go(work: LeftWork) -> None:
    """Remove left work for good."""
    shutil.rmtree(work.folder, ignore_errors=True)


def write_model(folder: Path, model: Model, guests: dict[str, Solid]) -> None:
    """Write the model and the guests of unsaved work.

    Raises
    ------
    SaveFailed
        They cannot be written.
    """
    arrays: dict[str, NDArray[Any]] = {"vertices": model.solid.vertices, "triangles": model.solid.triangles}
    for sha, solid in guests.items():
        arrays |= {f"guest-vertices-{sha}": solid.vertices, f"guest-triangles-{sha}": solid.triangles}
    buffer = io.BytesIO()
    np.savez(buffer, allow_pickle=False, **arrays)
    write_whole(folder / _MODEL, buffer.getvalue())


def read_work(folder: Path) -> tuple[Model, Project, dict[str, Solid]]:
    """The model, the project and the guests of left work.

    Raises
    ------
    UnreadableFile
        It is damaged.
    """
    kept = tr("It was left where it is, in {folder}.", folder=folder)
    try:
        text = (folder / _WORK).read_bytes()
        project = read_project(text)
        keep_if_older(folder / _WORK, text, PROJECTS)
        with (folder / _MODEL).open("rb") as file, np.load(file, allow_pickle=False) as arrays:
            solid = Solid(arrays["vertices"], arrays["triangles"])
            shas = [name.removeprefix("guest-vertices-") for name in arrays if name.startswith("guest-vertices-")]
            guests = {sha: Solid(arrays[f"guest-vertices-{sha}"], arrays[f"guest-triangles-{sha}"]) for sha in shas}
    except UnreadableFile as error:
        raise UnreadableFile(error.what, kept=kept, remedy=error.remedy) from error
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error, NotImplementedError) as error:
        raise UnreadableFile(
            tr("The copy of the model in the unsaved work is damaged: {error}.", error=error), kept=kept
        ) from error
    ref = project.plan.model
    if solid.sha256 != ref.sha256:
        raise UnreadableFile(tr("The copy of the model in the unsaved work belongs to another model."), kept=kept)
    return Model.from_ref(ref, solid, project.plan.unit), project, guests


class Autosave(QObject):
    """Writes the project shortly after each change. All methods belong to the UI thread; writing happens on a thread
    of its own.
    """

    problem_changed = Signal()
    model_wanted = Signal()
    """The copy of the model is not there yet, and nobody has said that it is being made."""
    _written = Signal(object, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.problem = ""
        """Why unsaved work is not kept, a sentence; empty while it is."""
        self._folder: Path | None = None
        self._open = self._model_kept = False
        self._project: Project | None = None
        self._adopted: list[LeftWork] = []
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.write)
        self._written.connect(self._on_written)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="deft-autosave")
        self._pending: Future[None] | None = None

    @property
    def folder(self) -> Path | None:
        return self._folder

    @property
    def model_kept(self) -> bool:
        """Whether the copy of the model is complete."""
        return self._model_kept

    def begin(self) -> Path | None:
        """Make a folder for another model and remove the one before. None if none can be made; ``problem`` says why,
        and it is tried again.
        """
        self.end()
        self._open = True
        return self._make_folder()

    def _make_folder(self) -> Path | None:
        place = home() / "recovery"
        name = f"{int(time.time())}-{uuid.uuid4().hex[:8]}"
        making = place / f".{name}"
        try:
            making.mkdir(parents=True)
            write_whole(making / _OWNER, json.dumps({"pid": os.getpid(), "started": _started(os.getpid())}).encode())
            making.rename(place / name)  # another window that looks for left work never sees it without its owner
        except (OSError, SaveFailed) as error:
            shutil.rmtree(making, ignore_errors=True)
            self._tell(str(error.what if isinstance(error, SaveFailed) else f"{place}: {error.strerror or error}."))
            self._timer.start(RETRY)
            return None
        self._folder = place / name
        return self._folder

    def _tell(self, problem: str) -> None:
        if problem != self.problem:
            self.problem = problem
            self.problem_changed.emit()

    def model_done(self, folder: Path, problem: str = "") -> None:
        """The copy of the model was made in a folder, or could not be."""
        if folder != self._folder:
            return
        self._model_kept = not problem
        self._tell(problem)
        if problem:
            self._timer.start(RETRY)
        else:
            self.write()

    def forget_model(self) -> None:
        """The copy of the model is incomplete: a guest was added."""
        self._model_kept = False

    def adopt_left(self, work: LeftWork) -> None:
        """Recovered work is stored in the new folder from now on. The old folder is removed once everything is
        there.
        """
        self._adopted.append(work)
        self.write()

    def note(self, project: Project | None) -> None:
        """The project has changed; None: it was saved, and there is nothing to lose."""
        self._project = project
        if self._open and not (self._timer.isActive() and self._timer.remainingTime() <= DELAY):
            self._timer.start(DELAY)

    def write(self) -> None:
        """Write the newest project."""
        self._timer.stop()
        if not self._open:
            return
        if self._folder is not None and not self._folder.exists():  # somebody tidied up
            self._folder, self._model_kept = None, False
        folder = self._folder or self._make_folder()
        if folder is None:
            return
        if not self._model_kept:
            self.model_wanted.emit()
        adopted = tuple(self._adopted) if self._model_kept or self._project is None else ()
        self._pending = self._thread.submit(self._write, folder, self._project, adopted)

    def _write(self, folder: Path, project: Project | None, adopted: tuple[LeftWork, ...]) -> None:
        """Write, on the thread."""
        problem = ""
        try:
            if project is None:
                (folder / _WORK).unlink(missing_ok=True)
            else:
                write_whole(folder / _WORK, project_text(project))
            for work in adopted:
                let_go(work)
        except (OSError, DeftError) as error:
            problem = error.what if isinstance(error, DeftError) else f"{folder}: {error.strerror or error}."
        self._written.emit(adopted, problem)

    def _on_written(self, adopted: tuple[LeftWork, ...], problem: str) -> None:
        if not problem:
            self._adopted = [work for work in self._adopted if work not in adopted]
        if problem or self._model_kept:  # until the model is there, it is not kept
            self._tell(problem)
        if problem and self._open:
            self._timer.start(RETRY)

    def end(self) -> None:
        """Remove the folder, because its content is saved or discarded. Recovered work that is not completely stored
        yet stays where it came from.
        """
        self._timer.stop()
        self._open = self._model_kept = False
        self._adopted = []
        if self._pending is not None:
            self._pending.result()
            self._pending = None
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
            self._folder = None
        self._tell("")

    def close(self) -> None:
        """Close properly: nothing is left behind."""
        self.end()
        self._thread.shutdown()
