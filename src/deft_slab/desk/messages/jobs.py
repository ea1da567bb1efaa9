"""Requests to the worker process: progress, cancelling, and only the latest of a kind.

All methods belong to the UI thread. A lane is a queue for requests of one kind; a new request replaces the one that
waits in its lane. The process runs one request at a time, the most urgent lane first. A less urgent request that can
be run again is stopped when a more urgent one arrives, and returns to its queue. If the process crashes it is started
again, and its requests stay queued, except one over which it has crashed too often: that fails with a message.
"""

from __future__ import annotations

import logging
import multiprocessing
import queue
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.reduction import ForkingPickler
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal

from ...core.errors import Cancelled, DeftError, WorkerEnded
from ...core.locale.translate import tr
from ..refresh.batching import gathered
from .parcels import Receiver
from .requests import Request

_log = logging.getLogger(__name__)

URGENCY = {
    "open": 0, "adopt": 0, "handoff": 1, "ask": 1, "keep": 1, "live": 2, "peek": 2, "section": 2, "evaluate": 3,
    "sweep": 4, "ready": 4, "check": 4, "map": 5, "choice": 6, "checks": 6, "ways": 7, "places": 7,
}
"""By the part of a lane's name before a colon."""

_STOPPABLE = frozenset({"evaluate", "choice", "ready", "map", "check", "checks", "sweep", "ways", "places"})
"""What may be stopped for something more urgent, and is then done again."""


_SILENT = frozenset({"live", "peek", "section"})
"""What follows the hand: it shows no progress, and one that runs is not dropped for the next."""

_HELD = frozenset({"keep", "adopt"})
"""What keeps the work safe, and what the process cannot do without: Stop leaves it alone."""

_MOST_DEATHS = 3
"""A request over which the process has ended so often is not tried again; nor is the process started again when it has
ended so often over nothing at all."""

R = TypeVar("R")
_TURN = 0.0005
"""Seconds after which a thread that works in Python gives way to the window, which waits for it after every call of
Qt's that lets others go first; Python's own 5 ms add up to a wait that is seen."""
_Message = tuple[int, Request[Any]]


@dataclass(eq=False)
class _Asked:
    """A request in its lane.

    Attributes
    ----------
    done, failed : Callable[[Any], None]
        Called on the UI thread with the result or the error.
    """

    lane: str
    request: Request[Any]
    done: Callable[[Any], None]
    failed: Callable[[DeftError], None]
    label: str
    number: int = 0
    dropped: bool = field(default=False)
    deaths: int = 0
    """How often the process has ended over it."""

    @property
    def kind(self) -> str:
        return self.lane.split(":")[0]


class Jobs(QObject):
    """The desk's side of the worker process."""

    progressed = Signal(float, str)
    """Share done (0 to 1) and what is being done; (1, "") when nothing is."""
    restarted = Signal()
    """The process had ended by itself and was started anew: it knows no model."""

    _heard = Signal(int, int, str, object)

    def __init__(self, run: Callable[[Connection, Any], None], parent: QObject | None = None) -> None:
        """Parameters
        ----------
        run : Callable[[Connection, Any], None]
            The main function of the process; see ``worker.process``.
        """
        super().__init__(parent)
        sys.setswitchinterval(_TURN)
        self._run = run
        self._waiting: dict[str, _Asked] = {}
        self._running: _Asked | None = None
        self._count = 0
        self._generation = 0
        self._closed = False
        self._idle_deaths = 0
        self._down = False
        self._heard.connect(self._on_heard)
        self._start()

    def _start(self) -> None:
        self._generation += 1
        context = multiprocessing.get_context("spawn")
        self._wanted = context.Value("q", 0, lock=False)
        self._connection, theirs = context.Pipe()
        self._process = context.Process(target=self._run, args=(theirs, self._wanted), daemon=True)
        self._process.start()
        theirs.close()
        self._spoke = False
        self._outgoing: queue.SimpleQueue[_Message | None] = queue.SimpleQueue()
        for work, name, given in (
            (self._listen, "deft-listen", (self._connection, self._generation)),
            (self._send, "deft-send", (self._connection, self._generation, self._outgoing)),
        ):
            threading.Thread(target=work, args=given, daemon=True, name=name).start()

    def _listen(self, connection: Connection, generation: int) -> None:
        """On a thread of its own: passes what the process says to the UI thread."""
        receiver = Receiver()
        try:
            while True:
                number, kind, content = receiver.unpacked(connection.recv_bytes())
                self._say(generation, number, kind, content)
        except (EOFError, OSError, TypeError):  # the last one when it is closed while it is being listened to
            self._say(generation, 0, "ended", None)

    def _send(self, connection: Connection, generation: int, outgoing: queue.SimpleQueue[_Message | None]) -> None:
        """On a thread of its own: sends requests. A model with many triangles takes long to send, particularly to a
        process that is still starting.
        """
        while (message := outgoing.get()) is not None:
            try:
                packed = ForkingPickler.dumps(message)
            except Exception as error:  # noqa: BLE001 - what cannot be packed is the fault of that request alone
                _log.exception("%s could not be packed", type(message[1]).__name__)
                problem = DeftError(
                    tr("An internal error occurred ({name}: {error}).", name=type(error).__name__, error=error)
                )
                self._say(generation, message[0], "failed", problem)
                continue
            try:
                connection.send_bytes(packed)
            except (OSError, TypeError):
                return  # the listener reports the end of the process

    def _say(self, generation: int, number: int, kind: str, content: object) -> None:
        try:
            self._heard.emit(generation, number, kind, content)
        except RuntimeError:
            return  # the window is gone

    def submit(
        self, lane: str, request: Request[R], *, done: Callable[[R], None], failed: Callable[[DeftError], None],
        label: str = "",
    ) -> None:
        """Ask the process for something. Unless the request is dropped, ``done`` or ``failed`` is called on the UI
        thread.
        """
        asked = _Asked(lane, request, done, failed, label)
        if self._running is not None and self._running.lane == lane and asked.kind not in _SILENT:
            # a running silent request is let finish, or fast dragging would never show a figure
            self._drop(self._running)
        self._waiting[lane] = asked
        if self._down:  # it was given up; whoever asks again gets one more try
            self._start_again()
        self._next()

    def _start_again(self) -> None:
        self._down = False
        self._start()
        self.restarted.emit()

    def stop(self) -> None:
        """Drop what the user is waiting for; what keeps the work safe continues."""
        self.cancel(*(set(URGENCY) - _HELD))

    def cancel(self, *kinds: str) -> None:
        """Drop what waits and what runs, in some kinds of lane or in all."""
        for lane in [lane for lane, request in self._waiting.items() if not kinds or request.kind in kinds]:
            del self._waiting[lane]
        if self._running is not None and (not kinds or self._running.kind in kinds):
            self._drop(self._running)
        self._tell()

    @property
    def _wanted_kinds(self) -> set[str]:
        """The kinds of lane in which something waits or runs that is still wanted."""
        running = {self._running.kind} if self._running is not None and not self._running.dropped else set()
        return running | {request.kind for request in self._waiting.values()}

    @property
    def busy(self) -> bool:
        return bool(self._wanted_kinds)

    def busy_with(self, kind: str) -> bool:
        """Whether something of a kind waits or runs."""
        return kind in self._wanted_kinds

    def busy_beside(self, *kinds: str) -> bool:
        """Whether something waits or runs that is of none of the given kinds."""
        return bool(self._wanted_kinds - set(kinds))

    @property
    def process_id(self) -> int:
        return int(self._process.pid or 0)

    def close(self) -> None:
        """End the process at once, because it holds nothing that would be lost. Wait before that for what writes the
        user's files; see ``busy_with``.
        """
        self._closed = True
        self._wanted.value = 0
        self._waiting.clear()
        self._outgoing.put(None)
        self._process.kill()
        self._process.join()
        self._connection.close()

    def _drop(self, running: _Asked) -> None:
        running.dropped = True
        self._wanted.value = 0

    def _next(self) -> None:
        if not self._waiting:
            return
        lane = min(self._waiting, key=lambda name: URGENCY[self._waiting[name].kind])
        asked = self._waiting[lane]
        running = self._running
        if running is not None:
            if not running.dropped and running.kind in _STOPPABLE and URGENCY[asked.kind] < URGENCY[running.kind]:
                self._waiting.setdefault(running.lane, running)
                self._wanted.value = 0
            return
        del self._waiting[lane]
        self._count += 1
        asked.number, asked.dropped = self._count, False
        self._running = asked
        self._wanted.value = asked.number
        self._outgoing.put((asked.number, asked.request))
        self._tell()

    def _tell(self) -> None:
        if self._running is None or self._running.dropped or self._running.kind in _SILENT:
            self.progressed.emit(1.0, "")
        else:
            self.progressed.emit(0.0, self._running.label)

    def _on_heard(self, generation: int, number: int, kind: str, content: Any) -> None:
        if generation != self._generation or self._closed:
            return
        if kind == "ended":
            self._on_ended()
            return
        self._spoke = True
        asked = self._running
        if asked is None or asked.number != number:
            return
        if kind == "progress":
            if not asked.dropped and asked.kind not in _SILENT:
                self.progressed.emit(*content)
            return
        self._running, self._idle_deaths = None, 0
        again = self._waiting.get(asked.lane) is asked
        if kind == "done" and again:
            del self._waiting[asked.lane]  # it was finished before it heard that it should stop
        try:  # whatever who asked does with it, the row goes on
            # a result that came although it was to stop is still good, unless it was dropped
            if not asked.dropped:
                with gathered(later=True):
                    if kind == "done":
                        asked.done(content)
                    elif not isinstance(content, Cancelled):
                        asked.failed(content)
        finally:
            self._next()
            self._tell()

    def _on_ended(self) -> None:
        running, self._running = self._running, None
        self._outgoing.put(None)
        given_up: list[_Asked] = []
        if running is None or running.dropped or not self._spoke:
            # no request is to blame; one that waits for a process that never got ready waits on
            self._idle_deaths += 1
            if running is not None and not running.dropped:
                self._waiting.setdefault(running.lane, running)
        else:
            running.deaths += 1
            if running.deaths < _MOST_DEATHS:
                self._waiting.setdefault(running.lane, running)
            else:
                given_up.append(running)
                if self._waiting.get(running.lane) is running:
                    del self._waiting[running.lane]
        again = self._idle_deaths < _MOST_DEATHS
        if again:
            self._start_again()
        else:
            self._down, self._idle_deaths = True, _MOST_DEATHS - 1
            given_up += self._waiting.values()
            self._waiting.clear()
        try:
            self._give_back(given_up, again)
        finally:
            self._next()
            self._tell()

    def _give_back(self, requests: list[_Asked], again: bool) -> None:
        """Tell everybody who asked for something that it was not done, even if one of them raises."""
        if not requests:
            return
        first, *others = requests
        times = (
            tr("{deaths} times", deaths=first.deaths) if first.deaths else tr("repeatedly, before it was ready")
        )
        remedy = tr("Close other programs and try again.") if again else tr("Restart Deft Slab. Your work is kept.")
        doing = tr(" during “{label}”", label=first.label) if first.label and first.deaths else ""
        try:
            first.failed(
                WorkerEnded(tr("The worker process crashed {times}{doing}, perhaps because there was not enough "
                               "memory.",
                               times=times, doing=doing),
                            kept=tr("Your plan is unchanged."), remedy=remedy)
            )
        finally:
            self._give_back(others, again)
