"""A stand-in printer: its jobs, its clock, and its faults."""

from __future__ import annotations

import os
import shutil
import threading
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated, Literal, TypeVar

from pydantic import Field, StringConstraints, ValidationError

from ..core.document.base import Document
from ..core.errors import BadPlan, DeftError
from ..core.exporting.safe_writing import make_folder, write_whole
from ..core.importing.limited_process import confined
from ..core.printers.profile import Printer
from ..core.printing.messages import OVER, SPEAKS, About, JobId, Sentence, State, Status
from ..core.progress import QUIET
from .loads import Load, load_of, picture

Trouble = Literal["out of material", "lost connection", "island dropped", "film torn", "wrong unit"]
_SAYS = {
    "island dropped": "A part of layer {layer} that nothing held fell off; it lies on the film.",
    "film torn": "The film tore at layer {layer}: a cup pulled at it.",
    "out of material": "The material ran out at layer {layer}.",
}
_BECOMES: dict[str, State] = {"start": "printing", "resume": "printing", "pause": "paused", "cancel": "cancelled"}
_FROM: dict[str, tuple[State, ...]] = {
    "start": ("waiting",), "resume": ("paused",), "pause": ("printing",), "cancel": ("waiting", "printing", "paused"),
}
_FOR_GOOD = ("island dropped", "film torn")
_STATE = "printer.json"
_MOST_OVER = 20
"""Jobs that are over and still listed, with their files."""
_MOST_PAST = 5_000
"""Jobs of which no more is remembered than how they ended, so that none is printed twice. (As JSON some 2 MB.)"""
_PAST = "past.json"
_READING = 120.0
"""Seconds of work that reading a bed may take: a plate full of scans takes twenty (measured)."""
_KEPT_EVERY = 2.0
"""Seconds of the real clock after which what is done is kept, for when the power is lost."""


class Awaited(Document):
    """A fault that was requested.

    Attributes
    ----------
    layer : int
        The layer of the job in progress at which it occurs.
    seconds : float
        How long a lost connection stays lost.
    """

    kind: Trouble
    layer: int = Field(default=1, ge=0)
    seconds: float = Field(default=5.0, ge=0, le=3600)


class KeptJob(Document):
    """A job, as it is stored.

    Attributes
    ----------
    done : float, seconds
        Printing time that is done.
    since : float
        When printing last resumed; None while it is not printing.
    """

    id: JobId
    name: Sentence
    file: Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]+\.(3mf|zip)$")]
    digest: Annotated[str, StringConstraints(max_length=100)]
    layers: int
    bottoms: int
    first: float
    rest: float
    grams: float
    state: State = "waiting"
    done: float = 0.0
    since: float | None = None
    problem: Sentence = ""

    @property
    def load(self) -> Load:
        """What it takes to print the job."""
        return Load(self.layers, self.bottoms, self.first, self.rest, self.grams)

    @property
    def status(self) -> Status:
        """The status that is reported."""
        load = self.load
        return Status(
            id=self.id, name=self.name, state=self.state, layer=load.layer_at(self.done), layers=self.layers,
            seconds_left=max(load.seconds - self.done, 0.0) if self.state not in OVER else 0.0, grams=self.grams,
            problem=self.problem, resumable=self.state == "paused",
        )


class PrinterMemory(Document):
    """What a printer stores across restarts."""

    version: Literal[1] = 1
    loaded: float = 1000.0
    jobs: tuple[KeptJob, ...] = ()
    awaited: tuple[Awaited, ...] = ()


class Past(Document):
    """What is remembered of jobs that are no longer listed."""

    version: Literal[1] = 1
    jobs: tuple[KeptJob, ...] = ()


D = TypeVar("D", bound=Document)


class Machine:
    """A printer, for any number of threads. Its jobs are stored in ``folder``; ``now`` gives the seconds of the real
    clock.

    Attributes
    ----------
    speed
        Clock speed, as a multiple of real time.

    Raises
    ------
    SaveFailed
        The folder cannot be written.
    BadPlan
        What is stored there is not its own.
    """

    def __init__(
        self, printer: Printer, folder: Path, *, speed: float = 1.0, loaded: float | None = None,
        now: Callable[[], float] = time.time,
    ) -> None:
        self.printer, self.speed, self._folder, self._now = printer, speed, folder, now
        self._guard = threading.RLock()
        self._silent_until = self._kept_at = 0.0
        make_folder(folder)
        self._standing = self._read(PrinterMemory, _STATE)
        self._past = {job.id: job for job in self._read(Past, _PAST).jobs}
        if loaded is not None:
            self._standing = self._standing.model_copy(update={"loaded": loaded})
        # what was printing when the process ended lost its power then
        for job in self._standing.jobs:
            if job.state == "printing":
                at = job.load.layer_at(job.done)
                self._put(job, state="paused", since=None, problem=f"The power was lost at layer {at}.")
        self._keep()

    def _read(self, kind: type[D], name: str) -> D:
        """A stored document, or a new one where there is none.

        Raises
        ------
        BadPlan
            The document is not its own.
        """
        try:
            return kind.model_validate_json((self._folder / name).read_bytes())
        except FileNotFoundError:
            return kind()
        except (OSError, ValidationError) as error:
            problem = f"{self._folder / name} is not what a printer keeps."
            raise BadPlan(problem, remedy="Use another folder.") from error

    def _keep(self) -> None:
        self._kept_at = self._now()
        write_whole(self._folder / _STATE, self._standing.model_dump_json().encode())

    def _put(self, job: KeptJob, **update: object) -> KeptJob:
        changed = job.model_copy(update=update)
        jobs = tuple(changed if one.id == job.id else one for one in self._standing.jobs)
        self._standing = self._standing.model_copy(update={"jobs": jobs})
        return changed

    def _job(self, job_id: str) -> KeptJob:
        found = self._found(job_id)
        if found is None:
            raise KeyError(job_id)
        return found

    def _found(self, job_id: str) -> KeptJob | None:
        """A job, including one that is no longer listed."""
        return next((job for job in self._standing.jobs if job.id == job_id), self._past.get(job_id))

    @property
    def silent(self) -> bool:
        """Whether its connection is lost at present."""
        return self._now() < self._silent_until

    def about(self) -> About:
        """Everything that it reports about itself."""
        with self._guard:
            self._catch_up()
            printer = self.printer
            return About(
                speaks=SPEAKS, name=printer.name, kind=printer.kind,
                bed=(printer.bed_x, printer.bed_y, printer.height),
                pixel=printer.line_width if printer.kind == "resin" else 0.0,
                material="resin" if printer.kind == "resin" else "filament", loaded=self._standing.loaded,
                speed=self.speed, jobs=tuple(job.status for job in self._standing.jobs),
            )

    def status(self, job_id: str) -> Status:
        """The status of a job.

        Raises
        ------
        KeyError
            There is no such job.
        """
        with self._guard:
            self._catch_up()
            return self._job(job_id).status

    def take(self, job_id: str, name: str, digest: str, ending: str, body: Path) -> tuple[Status, bool]:
        """Accept a file. The same file under the same id is accepted once, however long ago it was printed.

        Returns
        -------
        tuple of (Status, bool)
            The status of the job, and whether it is new.

        Raises
        ------
        BadPlan
            Another file has that id.
        UnreadableFile
            It is not a bed that this printer takes.
        """
        with self._guard:
            self._catch_up()
            before = self._before(job_id, digest)
            if before is not None:
                return before, False
            if self._awaits("wrong unit"):
                raise BadPlan("It was made for inches: its unit must be wrong.", kept="Nothing is printed.")
        load = self._load_of(body)  # it may take seconds, and others ask meanwhile
        with self._guard:
            before = self._before(job_id, digest)  # it may have come twice at once
            if before is not None:
                return before, False
            kept = KeptJob(id=job_id, name=name, file=f"{job_id}{ending}", digest=digest, layers=load.layers,
                        bottoms=load.bottoms, first=load.first, rest=load.rest, grams=load.grams)
            shutil.move(body, self._folder / kept.file)
            self._standing = self._standing.model_copy(update={"jobs": (*self._standing.jobs, kept)})
            self._drop_oldest()
            self._keep()
            return kept.status, True

    def _load_of(self, body: Path) -> Load:
        """What it takes to print a foreign file, found within limits of time and memory.

        Raises
        ------
        UnreadableFile
            The file cannot be read within the limits.
        """
        return confined(partial(load_of, body, self.printer), body, body.suffix[1:].upper(), _READING, QUIET)

    def _drop_oldest(self) -> None:
        """Remove finished jobs and their files from the list where there are many."""
        over = [job for job in self._standing.jobs if job.state in OVER]
        gone = over[: max(len(over) - _MOST_OVER, 0)]
        jobs = tuple(job for job in self._standing.jobs if job not in gone)
        self._standing = self._standing.model_copy(update={"jobs": jobs})
        if not gone:
            return
        self._past |= {job.id: job for job in gone}
        kept = tuple(self._past.values())[-_MOST_PAST:]
        self._past = {job.id: job for job in kept}
        write_whole(self._folder / _PAST, Past(jobs=kept).model_dump_json().encode())
        for job in gone:
            (self._folder / job.file).unlink(missing_ok=True)

    def _before(self, job_id: str, digest: str) -> Status | None:
        """The status of a job that exists already; None: there is none.

        Raises
        ------
        BadPlan
            The job belongs to another file.
        """
        found = self._found(job_id)
        if found is not None and found.digest != digest:
            raise BadPlan(f"There is another job {job_id} already.", remedy="Send it under another id.")
        return None if found is None else found.status

    def order(self, job_id: str, what: str) -> Status:
        """Change a job: "start", "pause", "resume" or "cancel".

        Raises
        ------
        KeyError
            There is no such job.
        BadPlan
            The job is not in a state for this.
        """
        with self._guard:
            self._catch_up()
            job = self._job(job_id)
            if what not in _BECOMES:
                raise BadPlan(f"A job cannot {what}.")
            # asked again, as after an answer that got lost, it is as it should be
            if job.state != _BECOMES[what]:
                job = self._ordered(job, what)
                self._keep()
            return job.status

    def _ordered(self, job: KeptJob, what: str) -> KeptJob:
        """The job after an order.

        Raises
        ------
        BadPlan
            The job is not in a state for this.
        """
        cannot = f"“{job.name}” cannot {what}"
        if job.state not in _FROM[what]:
            raise BadPlan(f"{cannot}: it is {job.state}.")
        if _BECOMES[what] != "printing":
            return self._put(job, state=_BECOMES[what], since=None)
        other = next((one for one in self._standing.jobs if one.state == "printing"), None)
        if other is not None:
            raise BadPlan(f"{cannot}: “{other.name}” is printing.")
        if self._standing.loaded <= 0:
            raise BadPlan(f"{cannot}: no material is loaded.", remedy="Load some.")
        return self._put(job, state="printing", since=self._now(), problem="")

    def load(self, grams: float) -> None:
        """Add material.

        Parameters
        ----------
        grams : float
            The amount, in addition to what is there.
        """
        with self._guard:
            self._catch_up()
            self._standing = self._standing.model_copy(update={"loaded": self._standing.loaded + grams})
            self._keep()

    def await_trouble(self, awaited: Awaited) -> None:
        """Request a fault."""
        with self._guard:
            self._catch_up()
            if awaited.kind == "lost connection":
                self._silent_until = self._now() + awaited.seconds
                return
            self._standing = self._standing.model_copy(update={"awaited": (*self._standing.awaited, awaited)})
            self._keep()

    def picture(self, job_id: str, number: int) -> bytes:
        """A layer of a job as a PNG.

        Raises
        ------
        KeyError
            There is no such job.
        UnreadableFile
            The layer cannot be drawn.
        """
        with self._guard:
            job = self._job(job_id)
        if not 0 <= number < job.layers:
            raise KeyError(number)
        return picture(self._folder / job.file, self.printer, number)

    def _awaits(self, kind: Trouble) -> bool:
        """Whether a fault of this kind is due. Each occurs once."""
        for awaited in self._standing.awaited:
            if awaited.kind == kind:
                self._forget(awaited)
                return True
        return False

    def _forget(self, awaited: Awaited) -> None:
        rest = list(self._standing.awaited)
        rest.remove(awaited)
        self._standing = self._standing.model_copy(update={"awaited": tuple(rest)})

    def _catch_up(self) -> None:
        """Print what is due by the clock, up to the next fault or end."""
        job = next((one for one in self._standing.jobs if one.state == "printing"), None)
        if job is None or job.since is None:
            return
        now, load = self._now(), job.load
        done = min(job.done + max(now - job.since, 0.0) * self.speed, load.seconds)
        stops: list[tuple[float, str, Awaited | None]] = [(load.seconds, "", None)]
        for awaited in self._standing.awaited:
            if awaited.kind in _SAYS and load.until(awaited.layer) >= job.done:
                stops.append((load.until(min(awaited.layer, load.layers)), awaited.kind, awaited))
        per_second = job.grams / load.seconds if load.seconds > 0 else 0.0
        if per_second > 0:
            stops.append((job.done + self._standing.loaded / per_second, "out of material", None))
        at, why, cause = min(stops, key=lambda stop: stop[0])
        reached = done >= at
        done = min(done, at)
        took = (done - job.done) * per_second
        loaded = max(self._standing.loaded - took, 0.0)
        if reached and why == "out of material":
            loaded = 0.0
        self._standing = self._standing.model_copy(update={"loaded": loaded})
        update: dict[str, object] = {"done": done, "since": now}
        if reached:
            update["since"] = None
            if why:
                update["state"] = "failed" if why in _FOR_GOOD else "paused"
                update["problem"] = _SAYS[why].format(layer=load.layer_at(done))
            else:
                update["state"] = "done"
            if cause is not None:
                self._forget(cause)
        self._put(job, **update)
        if reached or now - self._kept_at > _KEPT_EVERY:
            self._keep()


def file_beside(folder: Path, ending: str) -> Path:
    """The path of a body while it is received.

    Parameters
    ----------
    ending : str
        Of its name.
    """
    return folder / f".coming-{os.getpid()}-{threading.get_ident()}-{time.monotonic_ns()}{ending}"


def sentence_of(error: DeftError) -> str:
    """What went wrong, shortened to what a status can contain."""
    return str(error)[:500]
