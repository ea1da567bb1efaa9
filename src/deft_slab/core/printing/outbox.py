"""The outbox: beds that were handed to a printer, stored until they are printed. Whatever crashes in between, none
is lost and none is printed twice.
"""

from __future__ import annotations

import contextlib
import hashlib
import shutil
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Annotated, Literal
from weakref import WeakSet

from pydantic import Field, StringConstraints, ValidationError

from ..document.base import Document, Name
from ..document.regular_files import open_regular
from ..errors import BadPlan, SaveFailed
from ..exporting.naming import slug
from ..exporting.safe_writing import make_folder, write_whole
from ..locale.translate import tr
from .link import Link, NotThere, PrinterTrouble, UnknownJob, put_into, status_in
from .messages import OVER, About, JobId, Sentence, Status

_BOOK = "outbox.json"
_LONGEST_WAIT = 30.0
"""Seconds after which a printer that is not there is asked again, at most."""
_TOLD = {"pause": tr("pause"), "resume": tr("continue"), "cancel": tr("stop")}
"""What a printer is told, in words."""


class Device(Document):
    """A printer that beds can be handed to.

    Attributes
    ----------
    url, token : str
        Where it listens, and its access token.
    folder : str
        The folder that it watches. Either this or ``url`` is set.
    """

    name: Name
    url: Annotated[str, StringConstraints(max_length=500)] = ""
    token: Annotated[str, StringConstraints(max_length=500)] = ""
    folder: Annotated[str, StringConstraints(max_length=2000)] = ""


class Sent(Document):
    """A bed that was handed over.

    Attributes
    ----------
    device : Name
        The name of its printer.
    file : str
        Its file in the outbox.
    state : str
        Whether it has arrived; or "forgotten", if the printer no longer knows it.
    status : Status | None
        What the printer said last.
    problem : Sentence
        Why it has not arrived, or why nothing is known; empty if all is well.
    """

    id: JobId
    name: Sentence
    device: Name
    file: Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]+\.(3mf|zip)$")]
    state: Literal["to send", "sent", "refused", "forgotten"] = "to send"
    status: Status | None = None
    problem: Sentence = ""

    @property
    def over(self) -> bool:
        """Whether nothing more will happen to it by itself."""
        if self.state in ("refused", "forgotten"):
            return True
        return self.status is not None and self.status.state in OVER


class OutboxContents(Document):
    """What is stored."""

    version: Literal[1] = 1
    devices: Annotated[tuple[Device, ...], Field(max_length=50)] = ()
    jobs: tuple[Sent, ...] = ()


class Outbox:
    """Beds on their way to printers. It may be used from any number of threads, but each printer is visited by one
    at a time.

    Attributes
    ----------
    folder
        Where everything is stored.
    now
        A monotonic clock, in seconds.

    Raises
    ------
    SaveFailed
        The folder cannot be created.
    """

    def __init__(self, folder: Path, now: Callable[[], float] = time.monotonic) -> None:
        self._folder, self._now = folder, now
        self._guard = threading.RLock()
        self._due: dict[str, float] = {}
        self._waits: dict[str, float] = {}
        self._about: dict[str, About] = {}
        self._troubles: dict[str, str] = {}
        self._links: WeakSet[Link] = WeakSet()
        make_folder(folder)
        with contextlib.suppress(OSError):  # tokens lie in it
            folder.chmod(0o700)
        self.problem = ""
        self._book = self._read()

    def _read(self) -> OutboxContents:
        path = self._folder / _BOOK
        try:
            return OutboxContents.model_validate_json(path.read_bytes())
        except FileNotFoundError:
            return OutboxContents()
        except (OSError, ValidationError):
            with contextlib.suppress(OSError):
                path.replace(path.with_name("outbox-unreadable.json"))
            self.problem = tr(
                "The list of beds sent to printers could not be read. It is in {folder}.", folder=self._folder
            )
            return OutboxContents()

    def _keep(self, **update: object) -> None:
        """Store changes.

        Raises
        ------
        SaveFailed
            They cannot be stored.
        """
        book = self._book.model_copy(update=update)
        write_whole(self._folder / _BOOK, book.model_dump_json().encode())
        self._book = book

    @property
    def devices(self) -> tuple[Device, ...]:
        """All printers, in the order in which they were added."""
        return self._book.devices

    @property
    def jobs(self) -> tuple[Sent, ...]:
        """All beds that were handed over and not removed from the list, oldest first."""
        return self._book.jobs

    def about(self, device: str) -> About | None:
        """What a printer said last about itself; None if nothing is known."""
        return self._about.get(device)

    def trouble(self, device: str) -> str:
        """Why nothing is known about a printer at the moment; empty if something is."""
        return self._troubles.get(device, "")

    @property
    def active(self) -> bool:
        """Whether something is being sent or printed."""
        return any(not job.over for job in self._book.jobs)

    def add(self, device: Device) -> None:
        """Add a printer, or change the one with the same name.

        Raises
        ------
        PrinterTrouble
            Its address is invalid.
        SaveFailed
            It cannot be stored.
        """
        if bool(device.url) == bool(device.folder):
            raise PrinterTrouble(tr("A printer needs an address, or a folder that it watches."))
        if device.url:
            Link(device.url, device.token)
        elif not Path(device.folder).is_dir():
            raise PrinterTrouble(tr("There is no folder {folder}.", folder=device.folder))
        with self._guard:
            self._forget_waits(device.name)
            others = tuple(one for one in self._book.devices if one.name != device.name)
            self._keep(devices=(*others, device))

    def remove(self, name: str) -> None:
        """Remove a printer.

        Raises
        ------
        BadPlan
            Something on it is not finished.
        SaveFailed
            The change cannot be stored.
        """
        with self._guard:
            if any(job.device == name and not job.over for job in self._book.jobs):
                raise BadPlan(tr("“{name}” still has something to print.", name=name), remedy=tr("Cancel it first."))
            self._keep(devices=tuple(one for one in self._book.devices if one.name != name))

    def put(self, path: Path, name: str, device: str, job: str = "") -> Sent:
        """Hand over a bed: it is copied, and sent by ``go``.

        Parameters
        ----------
        job : str
            Its id; empty makes a new one each time.

        Raises
        ------
        SaveFailed
            It cannot be stored.
        """
        made = job or f"{job_id(path)}-{time.time_ns() % 36**4:x}"
        sent = Sent(id=made, name=name[:200], device=device, file=f"{made}{path.suffix}")
        with self._guard:
            try:
                shutil.copyfile(path, self._folder / sent.file)
            except OSError as error:
                raise SaveFailed(
                    tr("“{name}” could not be stored for sending: "
                       "{value}.", name=path.name, value=error.strerror or error)
                ) from error
            self._keep(jobs=(*self._book.jobs, sent))
            self._forget_waits(device)
        return sent

    def forget(self, job: str) -> None:
        """Remove a finished job from the list.

        Raises
        ------
        SaveFailed
            The change cannot be stored.
        """
        with self._guard:
            gone = [one for one in self._book.jobs if one.id == job and one.over]
            self._keep(jobs=tuple(one for one in self._book.jobs if one not in gone))
        for one in gone:
            (self._folder / one.file).unlink(missing_ok=True)

    def order(self, job: str, what: str) -> None:
        """Control a job: "pause", "resume" or "cancel". One that was not sent yet is cancelled here.

        Raises
        ------
        PrinterTrouble
            The printer refuses, or cannot be asked.
        SaveFailed
            The change cannot be stored.
        """
        found = self._job(job)
        if found is None:
            return
        device = self._device(found.device)
        if what == "cancel" and found.state == "to send":
            self._change(found, state="refused", problem=tr("Cancelled before it was sent."))
        elif device.folder and what == "cancel":
            (Path(device.folder) / found.file).unlink(missing_ok=True)
            status = found.status.model_copy(update={"state": "cancelled"}) if found.status else None
            self._change(found, status=status, state="sent" if status else "refused", problem=tr("Cancelled."))
        elif device.folder:
            raise PrinterTrouble(
                tr(
                    "“{name}” only watches a folder, so it cannot be told to {what}.",
                    name=device.name,
                    what=_TOLD.get(what, what),
                )
            )
        else:
            self._change(found, status=self.link(device).order(found.id, what), problem="")

    def send_again(self, job: str) -> None:
        """Send a bed again that the printer has forgotten. The user must have confirmed that it was not printed.

        The bed gets a new id, because a printer prints no id twice.

        Raises
        ------
        SaveFailed
            The change cannot be stored.
        """
        with self._guard:
            found = self._job(job)
            if found is None or found.state != "forgotten":
                return
            self.put(self._folder / found.file, found.name, found.device)
            self.forget(job)

    def link(self, device: Device) -> Link:
        """The connection to a printer that listens.

        Raises
        ------
        PrinterTrouble
            Its address is invalid.
        """
        link = Link(device.url, device.token)
        self._links.add(link)
        return link

    def drop_links(self) -> None:
        """Abort all questions to printers in other threads, so that nobody waits for an answer any more."""
        for link in tuple(self._links):
            link.drop()

    def go(self) -> bool:
        """One round over all printers in parallel, so that none waits for another. Returns whether anything changed.

        Raises
        ------
        SaveFailed
            A change cannot be stored.
        """
        devices = self.devices
        if not devices:
            return False
        with ThreadPoolExecutor(len(devices), thread_name_prefix="deft-printer") as pool:
            return any(list(pool.map(self.visit, devices)))

    def visit(self, device: Device) -> bool:
        """Send what is waiting for a printer, start what waits there, and ask for the status of the rest. Returns
        whether anything changed.

        A printer that cannot be reached is asked again later, each time after twice as long.

        Raises
        ------
        SaveFailed
            A change cannot be stored.
        """
        before = self._known(device)
        if self._due.get(device.name, 0.0) > self._now():
            return False
        try:
            self._visit(device)
            self._forget_waits(device.name)
            self._troubles.pop(device.name, None)
        except NotThere as error:
            wait = min(2 * self._waits.get(device.name, 0.5), _LONGEST_WAIT)
            self._waits[device.name] = wait
            self._due[device.name] = self._now() + wait
            self._troubles[device.name] = str(error)
            self._about.pop(device.name, None)
        except PrinterTrouble as error:
            self._troubles[device.name] = str(error)
            self._due[device.name] = self._now() + _LONGEST_WAIT
        return before != self._known(device)

    def _known(self, device: Device) -> tuple[object, ...]:
        """Everything that is known about a printer and what it was given."""
        name = device.name
        jobs = [one for one in self._book.jobs if one.device == name]
        return jobs, self._about.get(name), self._troubles.get(name)

    def try_again(self, device: str) -> None:
        """Ask a printer that could not be reached again in the next round."""
        self._forget_waits(device)

    def _visit(self, device: Device) -> None:
        link = self.link(device) if device.url else None
        about = link.about() if link is not None else None
        known = {}
        if about is not None:
            self._about[device.name] = about
            known = {one.id: one for one in about.jobs}
        for job in [one for one in self.jobs if one.device == device.name]:
            if job.state == "forgotten" and job.id in known:
                self._change(job, state="sent", status=known[job.id], problem="")
            elif job.over:
                continue
            elif job.state == "to send":
                self._send(job, device, link)
            elif link is None:
                status = status_in(Path(device.folder), job.file)
                self._change(job, status=status or job.status, problem="")
            else:
                status = known.get(job.id) or self._asked_for(job, link)
                if status is None:
                    continue
                busy = any(one.state in ("printing", "paused") for one in known.values())
                if status.state == "waiting" and not busy:
                    with contextlib.suppress(PrinterTrouble):  # it says why in its status, as when nothing is loaded
                        status = link.order(job.id, "start")
                        known[job.id] = status
                self._change(job, status=status, problem="")

    def _asked_for(self, job: Sent, link: Link) -> Status | None:
        """The status of a bed that a printer accepted and no longer lists. If the printer has forgotten it, nobody
        can say whether it was printed, so it is not sent again automatically: it might be printed twice.
        """
        try:
            return link.status(job.id)
        except UnknownJob:
            said = tr("The printer no longer knows this bed, so it is unknown whether it was printed. Look at the "
                      "printer, and send the bed again only if it was not.")
            self._change(job, state="forgotten", problem=said)
            return None

    def _send(self, job: Sent, device: Device, link: Link | None) -> None:
        path = self._folder / job.file
        try:
            if link is None:
                put_into(Path(device.folder), job.id, path)
                self._change(job, state="sent", problem="")
            else:
                self._change(job, state="sent", status=link.send(job.id, job.name, path), problem="")
        except NotThere as error:
            self._change(job, problem=str(error)[:500])
            raise
        except PrinterTrouble as error:
            self._change(job, state="refused", problem=str(error)[:500])

    def _change(self, job: Sent, **update: object) -> None:
        with self._guard:
            changed = job.model_copy(update=update)
            if changed != job:
                self._keep(jobs=tuple(changed if one.id == job.id else one for one in self._book.jobs))

    def _job(self, job: str) -> Sent | None:
        return next((one for one in self._book.jobs if one.id == job), None)

    def _device(self, name: str) -> Device:
        found = next((one for one in self._book.devices if one.name == name), None)
        if found is None:
            raise PrinterTrouble(tr("There is no printer “{name}” any more.", name=name))
        return found

    def _forget_waits(self, device: str) -> None:
        self._due.pop(device, None)
        self._waits.pop(device, None)


def job_id(path: Path) -> str:
    """An id for a bed, made from its name and its contents.

    Raises
    ------
    SaveFailed
        It cannot be read.
    """
    try:
        with open_regular(path) as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
    except OSError as error:
        raise SaveFailed(
            tr("“{name}” cannot be read: {value}.", name=path.name, value=error.strerror or error)
        ) from error
    return f"{slug(path.stem)[:32].strip('-')}-{digest[:10]}"
