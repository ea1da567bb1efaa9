"""Core calls on the worker process: progress, cancel, latest wins.

All methods are for the UI thread. A lane is a row of requests of one kind; a new one replaces what waits in its lane.
The process runs one request at a time, the most urgent lane first; a less urgent one that can be made again is
stopped when a more urgent one comes, and goes back into the row.
"""

from __future__ import annotations

import multiprocessing
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from typing import Any

from PySide6.QtCore import QObject, Signal

from ..core.errors import Cancelled, DeftError
from .process import run_process

URGENCY = {
    "open": 0, "adopt": 0, "handoff": 1, "ask": 1, "keep": 1, "live": 2, "peek": 2, "evaluate": 3, "sweep": 4,
    "ready": 4, "map": 5, "choice": 6,
}  # fmt: skip
"""By the part of a lane's name before a colon."""

_STOPPABLE = frozenset({"evaluate", "choice", "ready", "map", "sweep"})
"""What may be stopped for something more urgent, and is then done again."""


_SILENT = frozenset({"live", "peek"})
"""What follows the hand: it shows no progress, and one that runs is not dropped for the next."""

_MOST_SILENT_STARTS = 3
"""A process that ends this often before it says anything is not started again."""


@dataclass(eq=False)
class Request:
    lane: str
    method: str
    arguments: tuple[Any, ...]
    done: Callable[[Any], None]
    failed: Callable[[DeftError], None]
    label: str
    number: int = 0
    dropped: bool = field(default=False)

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

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: dict[str, Request] = {}
        self._running: Request | None = None
        self._count = 0
        self._generation = 0
        self._closed = False
        self._silent_starts = 0
        self._heard.connect(self._on_heard)
        self._start()

    def _start(self) -> None:
        self._generation += 1
        context = multiprocessing.get_context("spawn")
        self._wanted = context.Value("q", 0, lock=False)
        self._connection, theirs = context.Pipe()
        self._process = context.Process(target=run_process, args=(theirs, self._wanted), daemon=True)
        self._process.start()
        theirs.close()
        threading.Thread(
            target=self._listen, args=(self._connection, self._generation), daemon=True, name="deft-listen"
        ).start()

    def _listen(self, connection: Connection, generation: int) -> None:
        """On a thread of its own: hands what the process says to the UI thread."""
        try:
            while True:
                number, kind, content = connection.recv()
                self._heard.emit(generation, number, kind, content)
        except (EOFError, OSError, TypeError):  # the last one when it is closed while it is being listened to
            try:
                self._heard.emit(generation, 0, "ended", None)
            except RuntimeError:
                return  # the window is gone

    def submit(
        self, lane: str, method: str, *arguments: Any, done: Callable[[Any], None],
        failed: Callable[[DeftError], None], label: str = "",
    ) -> None:  # fmt: skip
        """Asks the process for something. ``done`` or ``failed`` is called on the UI thread, unless it is dropped."""
        request = Request(lane, method, arguments, done, failed, label)
        if self._running is not None and self._running.lane == lane and request.kind not in _SILENT:
            # a running silent request is let finish, or fast dragging would never show a figure
            self._drop(self._running)
        self._waiting[lane] = request
        self._next()

    def cancel(self, *kinds: str) -> None:
        """Drops what waits and what runs, of some kinds of lane or of all."""
        for lane in [lane for lane, request in self._waiting.items() if not kinds or request.kind in kinds]:
            del self._waiting[lane]
        if self._running is not None and (not kinds or self._running.kind in kinds):
            self._drop(self._running)
        self._tell()

    @property
    def _wanted_kinds(self) -> set[str]:
        """The kinds of what waits or runs and is still wanted."""
        running = {self._running.kind} if self._running is not None and not self._running.dropped else set()
        return running | {request.kind for request in self._waiting.values()}

    @property
    def busy(self) -> bool:
        return bool(self._wanted_kinds)

    def busy_with(self, kind: str) -> bool:
        """Whether something of a kind waits or runs."""
        return kind in self._wanted_kinds

    def busy_beside(self, kind: str) -> bool:
        """Whether something waits or runs that is not of a kind."""
        return bool(self._wanted_kinds - {kind})

    @property
    def process_id(self) -> int:
        return int(self._process.pid or 0)

    def close(self) -> None:
        """Ends the process."""
        self._closed = True
        self._wanted.value = 0
        self._waiting.clear()
        self._connection.close()
        self._process.join(0.5)
        if self._process.is_alive():
            self._process.terminate()
            self._process.join(2.0)

    def _drop(self, running: Request) -> None:
        running.dropped = True
        self._wanted.value = 0

    def _next(self) -> None:
        if not self._waiting:
            return
        lane = min(self._waiting, key=lambda name: URGENCY[self._waiting[name].kind])
        request = self._waiting[lane]
        running = self._running
        if running is not None:
            if not running.dropped and running.kind in _STOPPABLE and URGENCY[request.kind] < URGENCY[running.kind]:
                self._waiting.setdefault(running.lane, running)
                self._wanted.value = 0
            return
        del self._waiting[lane]
        self._count += 1
        request.number, request.dropped = self._count, False
        self._running = request
        self._wanted.value = request.number
        try:
            self._connection.send((request.number, request.method, request.arguments))
        except OSError:
            return  # the listener reports the end of the process
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
        self._silent_starts = 0
        request = self._running
        if request is None or request.number != number:
            return
        if kind == "progress":
            if not request.dropped and request.kind not in _SILENT:
                self.progressed.emit(*content)
            return
        self._running = None
        again = self._waiting.get(request.lane) is request
        if kind == "done" and again:
            del self._waiting[request.lane]  # it was finished before it heard that it should stop
        # a result that came although it was to stop is still good, unless it was dropped
        if not request.dropped:
            if kind == "done":
                request.done(content)
            elif not isinstance(content, Cancelled):
                request.failed(content)
        self._next()
        self._tell()

    def _on_ended(self) -> None:
        lost = [self._running] if self._running is not None and not self._running.dropped else []
        lost += [request for request in self._waiting.values() if request not in lost]
        self._running = None
        self._waiting.clear()
        self._silent_starts += 1
        again = self._silent_starts < _MOST_SILENT_STARTS
        if again:
            self._start()
            self.restarted.emit()
        remedy = (
            "Close other programs and try again." if again else "Save nothing over your files; start Deft Slab anew."
        )
        for request in lost[:1]:
            request.failed(
                DeftError("The working process ended by itself, perhaps for want of memory.",
                          kept="Your plan is untouched.", remedy=remedy)
            )  # fmt: skip
        self._tell()
