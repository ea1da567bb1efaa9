"""A stand-in printer that watches a folder: beds that are put into it are printed one after another.

Beside each file NAME it writes NAME.status.json, in the form of ``core.printing.messages.Status``. It takes a file once
the file has stopped growing. A file that it cannot take stays where it is, and its status says why, until another
file takes its place. To stop a job, remove its file.
"""

from __future__ import annotations

import hashlib
import logging
import os
import shutil
import stat
import threading
from pathlib import Path

from ..core.errors import DeftError
from ..core.exporting.naming import slug
from ..core.exporting.safe_writing import make_folder, write_whole
from ..core.importing.surfaces import shown
from ..core.printing.messages import KINDS, OVER, Status, digest_of
from ..core.printing.outbox import job_id
from .machine import Machine, file_beside, sentence_of

_EVERY = 0.25
"""Seconds between looks."""
STATUS = ".status.json"
_LONGEST_NAME = 255
"""Bytes of a file's name, on nearly all file systems."""
_log = logging.getLogger(__name__)


class Watch:
    """Watches ``folder``. Files that the machine accepts pass through ``keeps``.

    Raises
    ------
    SaveFailed
        The folder cannot be created.
    """

    def __init__(self, machine: Machine, folder: Path, keeps: Path) -> None:
        self._machine, self._folder, self._keeps = machine, folder, keeps
        self._seen: dict[str, tuple[int, int]] = {}
        self._jobs: dict[str, str] = {}
        self._said: dict[str, str] = {}
        self._refused: dict[str, tuple[int, int]] = {}
        self._over = threading.Event()
        make_folder(folder)

    def run(self) -> None:
        """Look again and again until ``stop`` is called."""
        while not self._over.wait(_EVERY):
            try:
                self.look()
            except DeftError as error:  # a full disk, a folder without rights: that may change
                _log.warning("watching %s: %s", self._folder, error)

    def stop(self) -> None:
        """End ``run``."""
        self._over.set()

    def look(self) -> None:
        """Take new files, start a waiting job, and write the status of every job.

        Raises
        ------
        SaveFailed
            A status cannot be written.
        """
        try:
            now = dict(filter(None, map(_told, sorted(self._folder.iterdir()))))
        except OSError:
            return  # gone for now; it may come back
        for name, state in now.items():
            settled = self._seen.get(name) == state
            # what was refused is looked at again where another file has come in its place
            if settled and (name not in self._jobs or self._refused.get(name, state) != state):
                self._take(self._folder / name, state)
        for name in [name for name in self._jobs if name not in now]:
            self._drop(name)
        self._seen = now
        self._go_on()
        for name, job in self._jobs.items():
            self._say(name, self._status(job))

    def _take(self, file: Path, state: tuple[int, int]) -> None:
        body = file_beside(self._keeps, file.suffix)
        self._refused.pop(file.name, None)
        try:
            job = job_id(file)
            shutil.copyfile(file, body)
            self._machine.take(job, shown(Path(file.stem))[:200], digest_of(body), file.suffix, body)
            self._jobs[file.name] = job
        except FileNotFoundError:
            return  # it went away meanwhile
        except (DeftError, OSError) as error:
            self._jobs[file.name], self._refused[file.name] = "", state
            said = sentence_of(error) if isinstance(error, DeftError) else f"It cannot be read: {error.strerror}."
            self._say(file.name, Status(id="refused", name=shown(Path(file.stem))[:200], state="failed", layer=0,
                                        layers=0, seconds_left=0, grams=0, problem=said))
        finally:
            body.unlink(missing_ok=True)

    def _drop(self, name: str) -> None:
        """Cancel the job of a file that was removed."""
        job = self._jobs.pop(name)
        self._said.pop(name, None)
        self._refused.pop(name, None)
        status = self._status(job)
        if status is not None and status.state not in OVER:
            self._machine.order(job, "cancel")
        (self._folder / status_name(name)).unlink(missing_ok=True)

    def _go_on(self) -> None:
        jobs = [status for job in self._jobs.values() if (status := self._status(job)) is not None]
        if any(job.state in ("printing", "paused") for job in jobs):
            return
        waiting = next((job for job in jobs if job.state == "waiting"), None)
        if waiting is not None and self._machine.about().loaded > 0:
            self._machine.order(waiting.id, "start")

    def _status(self, job: str) -> Status | None:
        """The status of a job; None for a bed that was refused, or one that ended so long ago that nothing is known
        of it.
        """
        try:
            return self._machine.status(job) if job else None
        except KeyError:
            return None

    def _say(self, name: str, status: Status | None) -> None:
        """Write the status of a file if it has changed."""
        if status is None:
            return
        said = status.model_dump_json()
        if self._said.get(name) != said:
            write_whole(self._folder / status_name(name), said.encode())
            self._said[name] = said


def _told(file: Path) -> tuple[str, tuple[int, int]] | None:
    """The name of a bed in the folder, and a stamp that differs when the file changes; None for anything else."""
    try:
        known = file.lstat()
    except OSError:
        return None
    if file.suffix not in KINDS or not stat.S_ISREG(known.st_mode):
        return None
    return file.name, (known.st_size, known.st_mtime_ns)


def status_name(name: str) -> str:
    """The name of the status file for a file, shortened where the file system would refuse it."""
    if len(os.fsencode(name + STATUS)) <= _LONGEST_NAME:
        return name + STATUS
    digest = hashlib.sha256(os.fsencode(name)).hexdigest()
    return f"{slug(name)[:80]}-{digest[:12]}{STATUS}"
