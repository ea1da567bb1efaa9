"""Where settings, profiles, unsaved work and the log are stored, and writing the log. Quick to load, because every
program needs it.
"""

from __future__ import annotations

import logging
import logging.handlers
import os
from pathlib import Path

from platformdirs import user_config_path

_LARGEST = 1_000_000


def home() -> Path:
    """The folder of the user's settings, profiles, unsaved work and log."""
    folder = os.environ.get("DEFT_SLAB_HOME")
    return Path(folder) if folder else user_config_path("deft-slab")


class _Book(logging.handlers.RotatingFileHandler):
    """The handler of the log file.

    Attributes
    ----------
    written
        Whether this process has written to the file.
    """

    written = False

    def _open(self):  # type: ignore[no-untyped-def]
        home().mkdir(parents=True, exist_ok=True)  # only when there is something to write
        return super()._open()

    def emit(self, record: logging.LogRecord) -> None:
        self.written = True
        super().emit(record)

    def handleError(self, record: logging.LogRecord) -> None:
        """Ignore errors of the log itself: a missing folder or a full disk is no reason to stop, or to fill the
        terminal.
        """
        self.written = False


_book: _Book | None = None


def log_path() -> Path:
    return home() / "deft-slab.log"


def begin() -> None:
    """Write the log to its file only from now on. Users get sentences, not tracebacks."""
    global _book
    root = logging.getLogger()
    if _book is not None:
        root.removeHandler(_book)
        _book.close()
        _book = None
    _book = _Book(log_path(), maxBytes=_LARGEST, backupCount=1, encoding="utf-8", errors="replace", delay=True)
    _book.setFormatter(logging.Formatter("%(asctime)s %(process)d %(name)s %(levelname)s %(message)s"))
    root.addHandler(_book)


def hint() -> str:
    """A sentence that says where the details are; empty where nothing was written."""
    there = _book is not None and _book.written and log_path().exists()
    return f"Details are in {log_path()}." if there else ""
