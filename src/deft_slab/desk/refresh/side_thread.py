"""Background threads for what takes longer than a blink and needs no worker process."""

from __future__ import annotations

import importlib
import os
import threading
import weakref
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import TypeVar

from PySide6.QtCore import QObject, Signal
from shiboken6 import isValid

T = TypeVar("T")

_BEHIND = 10
"""By how much the priority of these threads is lowered (nice): the window comes first."""


def side_thread(name: str) -> ThreadPoolExecutor:
    """A thread that works through what it is given, one after the other."""
    return ThreadPoolExecutor(1, f"deft-{name}", _get_behind)


def _get_behind() -> None:
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _BEHIND)


_any = side_thread("aside")


def load_beside(module: str) -> None:
    """Import a module in the background that would otherwise be imported at its first use, while the window waits."""
    _any.submit(importlib.import_module, module)


class Aside(QObject):
    """Does work for one widget in the background. Of what is asked for while the thread is busy, only the last is
    done.
    """

    _heard = Signal(object, object)

    def __init__(self, parent: QObject, thread: ThreadPoolExecutor = _any) -> None:
        super().__init__(parent)
        self._thread = thread
        self._next: deque[tuple[object, Callable[[], Callable[[], None]]]] = deque(maxlen=1)
        self._last: object = None
        self._heard.connect(self._on_heard)
        _all.add(self)

    @property
    def busy(self) -> bool:
        """Whether the last result is still to come."""
        return self._last is not None

    def ask(self, work: Callable[[], T], then: Callable[[T], None]) -> None:
        """Do some work in the background, and then something with the result in the window. An error is raised in
        the window.
        """

        def worked() -> Callable[[], None]:
            return partial(then, work())

        self._last = object()
        self._next.append((self._last, worked))
        self._thread.submit(self._work)

    def close(self, last: Callable[[], None]) -> None:
        """Drop what was not begun, and wait until the thread has finished its work and one last thing."""
        self._next.clear()
        self._last = None
        self._thread.submit(last).result()

    def _on_heard(self, asked: object, finish: Callable[[], None]) -> None:
        if asked is self._last:
            self._last = None
        finish()

    def _work(self) -> None:
        if not self._next:
            return  # it was done with the one before
        asked, worked = self._next.pop()
        try:
            finish = worked()
        except Exception as error:  # noqa: BLE001 - it goes to the window, where faults are met
            finish = partial(_raise, error)
        self._heard.emit(asked, finish)


_all: weakref.WeakSet[Aside] = weakref.WeakSet()


def all_done() -> bool:
    """Whether no result is still to come."""
    return not any(one.busy for one in _all if isValid(one))


def _raise(error: Exception) -> None:
    raise error
