"""A stand-in printer that watches a folder: beds that are put into it are printed one after the other.

Beside each file NAME it keeps NAME.status.json, as ``core.sending.words.Status`` has it. A file is taken once it has
not grown for a moment; what it cannot take stays where it is, and the status says why. To stop a job, remove its file.
"""

from __future__ import annotations

import shutil
import threading
from pathlib import Path

from ..core.errors import DeftError
from ..core.handoff.saving import make_folder, write_whole
from ..core.sending.outbox import job_id
from ..core.sending.words import KINDS, OVER, Status, digest_of
from .machine import Machine, file_beside, sentence_of

_EVERY = 0.25
"""Seconds between looks."""
STATUS = ".status.json"


class Watch:
    """folder : that is watched; keeps : where bodies are put on their way into the machine

    Raises
    ------
    SaveFailed : the folder cannot be made.
    """

    def __init__(self, machine: Machine, folder: Path, keeps: Path) -> None:
        self._machine, self._folder, self._keeps = machine, folder, keeps
        self._seen: dict[str, tuple[int, int]] = {}
        self._jobs: dict[str, str] = {}
        self._said: dict[str, str] = {}
        self._over = threading.Event()
        make_folder(folder)

    def run(self) -> None:
        """Looks again and again until ``stop``."""
        while not self._over.wait(_EVERY):
            self.look()

    def stop(self) -> None:
        """Ends ``run``."""
        self._over.set()

    def look(self) -> None:
        """Takes in what is new, starts what waits, writes down how all of it stands."""
        try:
            files = sorted(one for one in self._folder.iterdir() if one.suffix in KINDS and not one.is_symlink())
            now = {one.name: (one.stat().st_size, one.stat().st_mtime_ns) for one in files}
        except OSError:
            return  # gone for now; it may come back
        for file in files:
            if self._seen.get(file.name) == now[file.name] and file.name not in self._jobs:
                self._take(file)
        for name in [name for name in self._jobs if name not in now]:
            self._drop(name)
        self._seen = now
        self._go_on()
        for name, job in self._jobs.items():
            self._say(name, self._machine.status(job) if job else None)

    def _take(self, file: Path) -> None:
        body = file_beside(self._keeps, file.suffix)
        try:
            job = job_id(file)
            shutil.copyfile(file, body)
            self._machine.take(job, file.stem[:200], digest_of(body), file.suffix, body)
            self._jobs[file.name] = job
        except DeftError as error:
            self._jobs[file.name] = ""
            self._say(file.name, Status(id="refused", name=file.stem[:200], state="failed", layer=0, layers=0,
                                        seconds_left=0, grams=0, problem=sentence_of(error)))  # fmt: skip
        except OSError:
            return  # it went away, or cannot be read yet
        finally:
            body.unlink(missing_ok=True)

    def _drop(self, name: str) -> None:
        """A file that was taken away is not printed any more."""
        job = self._jobs.pop(name)
        self._said.pop(name, None)
        if job and self._machine.status(job).state not in OVER:
            self._machine.order(job, "cancel")
        (self._folder / f"{name}{STATUS}").unlink(missing_ok=True)

    def _go_on(self) -> None:
        jobs = [self._machine.status(job) for job in self._jobs.values() if job]
        if any(job.state in ("printing", "paused") for job in jobs):
            return
        waiting = next((job for job in jobs if job.state == "waiting"), None)
        if waiting is not None and self._machine.about().loaded > 0:
            self._machine.order(waiting.id, "start")

    def _say(self, name: str, status: Status | None) -> None:
        """Writes down how a file stands, where that has changed."""
        if status is None:
            return
        said = status.model_dump_json()
        if self._said.get(name) != said:
            self._said[name] = said
            write_whole(self._folder / f"{name}{STATUS}", said.encode())
