"""The last safety net of the window: an unexpected exception in a slot or a thread is logged and reported, and the
window goes on.
"""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Callable
from types import TracebackType

from PySide6.QtCore import QObject, Signal

from .. import logbook
from ..core.errors import DeftError
from ..core.locale.translate import tr

_log = logging.getLogger(__name__)


def fault(error: BaseException) -> DeftError:
    """The message for an unexpected error."""
    return DeftError(
        tr("An internal error occurred ({name}: {error}).", name=type(error).__name__, error=error),
        kept=tr("Your plan is unchanged."),
        remedy=tr("If the last step caused it, undo it. {hint}", hint=logbook.hint()).strip(),
    )


class Faults(QObject):
    """Catches unexpected errors on any thread and reports them on the UI thread."""

    _raised = Signal(object)

    def __init__(self, tell: Callable[[DeftError], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._raised.connect(tell)

    def install(self) -> None:
        """Start catching. For the program only: tests must fail instead."""
        sys.excepthook = self._hook
        threading.excepthook = lambda raised: self._hook(raised.exc_type, raised.exc_value, raised.exc_traceback)

    def _hook(self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        if error is None or not issubclass(kind, Exception):
            sys.__excepthook__(kind, error or kind(), trace)
            return
        _log.error("unforeseen", exc_info=(kind, error, trace))
        self._raised.emit(error if isinstance(error, DeftError) else fault(error))
