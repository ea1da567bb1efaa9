"""Batches refreshes: one action may change several things that the same widget shows, so refreshes are collected
while it lasts, and each is done once afterwards.

Refreshes that take long are spread over several turns of the event loop, so that the window responds in between.
Whatever the user does then finds everything up to date.
"""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PySide6.QtCore import QCoreApplication, QEvent, QObject, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication
from shiboken6 import isValid

TURN = 0.002
"""Seconds of refreshing after which the loop has its turn; at least one refresh is done in each. Without end, all is
done at once."""

_INPUT = {
    QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease, QEvent.Type.MouseButtonDblClick, QEvent.Type.Wheel,
    QEvent.Type.KeyPress, QEvent.Type.Drop,
}

_waiting: dict[Callable[[], None], None] = {}
_depth = 0


class _Loop(QObject):
    """Lets the event loop do the rest. It filters events while there is one, so that nothing outdated can be
    clicked.
    """

    def __init__(self, application: QCoreApplication) -> None:
        super().__init__(application)
        self._watched: list[QObject] = []
        self._painted = False
        # not a single shot of no time: that comes before what waits to be painted and before any input
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._turn)

    def _turn(self) -> None:
        """Refresh after everything that was just painted. Both in one turn would keep the loop from the user's input
        twice as long.
        """
        if not self._painted:
            _catch_up(TURN)
        self._painted = False

    def go_on(self, wanted: bool) -> None:
        if wanted == self._timer.isActive():
            return
        if wanted:
            self._timer.start()
            # input comes to Qt's windows before it comes to the widgets on them; painting is asked of these
            shown = [widget for widget in QApplication.topLevelWidgets() if widget.isVisible()]
            self._watched = [*QGuiApplication.topLevelWindows(), *shown]
            for window in self._watched:
                window.installEventFilter(self)
        else:
            self._timer.stop()
            for window in filter(isValid, self._watched):
                window.removeEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in _INPUT:
            _catch_up(math.inf)
        elif event.type() == QEvent.Type.UpdateRequest:
            self._painted = True
        return False


_loop: _Loop | None = None


@contextmanager
def gathered(*, later: bool = False) -> Iterator[None]:
    """While this is entered, refreshes given to ``when_over`` wait for its end. It also works as a decorator. If the
    action asks the user something meanwhile, they are done as soon as events are processed.

    Parameters
    ----------
    later : bool
        Whether nobody waits for the refresh, so that the event loop may run first.
    """
    global _depth
    _depth += 1
    try:
        yield
    finally:
        _depth -= 1
        if not _depth and not (later and math.isfinite(TURN)):
            _catch_up(TURN)


def when_over(refresh: Callable[[], None]) -> None:
    """Call a refresh once the current action is over, however often it was given; at once if there is none."""
    if not _depth:
        refresh()
        return
    in_turn(refresh)


def in_turn(refresh: Callable[[], None]) -> None:
    """Let the event loop call a refresh after what is already waiting, for the next part of something long."""
    _waiting.setdefault(refresh)
    _have_done()


def all_caught_up() -> bool:
    """Whether no refresh is waiting."""
    return not _waiting


def _catch_up(seconds: float) -> None:
    """Do what is waiting for a certain time; the event loop does the rest."""
    global _depth
    end = time.monotonic() + seconds
    _depth += 1  # what a refresh sets off is gathered too
    while _waiting:
        refresh = next(iter(_waiting))
        del _waiting[refresh]
        owner = getattr(refresh, "__self__", None)
        if isinstance(owner, QObject) and not isValid(owner):
            continue  # it is gone
        try:
            refresh()
        except Exception:  # noqa: BLE001 - as Qt does with what it calls: the others go on
            sys.excepthook(*sys.exc_info())
        if time.monotonic() >= end:
            break
    _depth -= 1
    _have_done()


def _have_done() -> None:
    """Let the event loop continue while anything is waiting."""
    global _loop
    application = QCoreApplication.instance()
    if application is None:
        return
    if _loop is None or not isValid(_loop):
        _loop = _Loop(application)
    _loop.go_on(bool(_waiting))
