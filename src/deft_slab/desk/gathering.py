"""One action may change several things that the same widget shows: while it lasts, refreshes are gathered, and each is
done once when it is over."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PySide6.QtCore import QTimer

_waiting: dict[Callable[[], None], None] = {}
_depth = 0


@contextmanager
def gathered() -> Iterator[None]:
    """While this is entered, what ``when_over`` is given waits for its end; also a decorator. An action that asks the
    user something in between does not hold it up: it is done as soon as events are."""
    global _depth
    _depth += 1
    try:
        yield
    finally:
        if _depth == 1:
            _catch_up()
        _depth -= 1


def when_over(refresh: Callable[[], None]) -> None:
    """Calls it once what is being done is over, however often it was given; at once while nothing is."""
    if not _depth:
        refresh()
        return
    if not _waiting:
        QTimer.singleShot(0, _catch_up)
    _waiting.setdefault(refresh)


def _catch_up() -> None:
    while _waiting:
        refresh = next(iter(_waiting))
        del _waiting[refresh]
        try:
            refresh()
        except Exception:  # noqa: BLE001 - as Qt does with what it calls: the others go on
            sys.excepthook(*sys.exc_info())
