"""One action may change several things that the same widget shows: while it lasts, refreshes are gathered, and each is
done once when it is over.

What takes longer than a blink is spread over turns of the window's loop, so that it answers in between; but what a
person does then finds everything as it is now.
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
    """Has the loop of the windows do the rest, and sees first what comes to them while there is one: nothing is to be
    clicked on that is no longer so.
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
        """Refreshes after all but what was just painted: both in one turn of the loop would keep it twice as long from
        what a person does.
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
    """While this is entered, what ``when_over`` is given waits for its end; also a decorator. An action that asks the
    user something in between does not hold it up: it is done as soon as events are.

    Parameters
    ----------
    later : bool
        Nobody waits for it, so the loop has its turn first.
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
    """Calls it once what is being done is over, however often it was given; at once while nothing is."""
    if not _depth:
        refresh()
        return
    in_turn(refresh)


def in_turn(refresh: Callable[[], None]) -> None:
    """Has the loop call it when what waits already is done: for one part after the other of what takes long."""
    _waiting.setdefault(refresh)
    _have_done()


def all_caught_up() -> bool:
    """Whether no refresh waits."""
    return not _waiting


def _catch_up(seconds: float) -> None:
    """Does what waits, for so long; the loop does the rest."""
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
    """Has the loop go on while anything waits."""
    global _loop
    application = QCoreApplication.instance()
    if application is None:
        return
    if _loop is None or not isValid(_loop):
        _loop = _Loop(application)
    _loop.go_on(bool(_waiting))
