"""The recently opened files: which of them still exist, and small pictures of them."""

from __future__ import annotations

import hashlib
import logging
import os
import threading
from collections.abc import Collection, Iterable
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QPixmap

from ...core.arrays import Bytes
from ...logbook import home
from ..look.qt_pictures import image_of
from .desk import Desk

_log = logging.getLogger(__name__)


class Recents(QObject):
    """The recently opened files. Whether a file exists is checked in a separate thread that nobody waits for,
    because a network folder that does not answer may take minutes.
    """

    changed = Signal()
    _seen = Signal(object)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self._gone: frozenset[str] = frozenset()
        self._looking: threading.Thread | None = None
        self._seen.connect(self._on_seen)

    @property
    def files(self) -> tuple[Path, ...]:
        """Those that are not known to be gone, the latest first."""
        return tuple(Path(path) for path in self._desk.settings.recent if path not in self._gone)

    def look(self) -> None:
        """Check which are gone, unless that is under way; ``changed`` reports a different answer."""
        if self._looking is not None and self._looking.is_alive():
            return
        # no pool of threads: the end of the program would wait for it
        self._looking = threading.Thread(target=self._look, args=(self._desk.settings.recent,), daemon=True)
        self._looking.start()

    def _look(self, paths: Iterable[str]) -> None:
        """Check the files, in the other thread."""
        found = frozenset(path for path in paths if _is_gone(path))
        with suppress(RuntimeError):  # the window may be gone
            self._seen.emit(found)

    def _on_seen(self, gone: frozenset[str]) -> None:
        if gone != self._gone:
            self._gone = gone
            self.changed.emit()


def _is_gone(path: str) -> bool:
    """Whether a file certainly does not exist. One that cannot be checked may be there again later."""
    try:
        os.stat(path)
    except FileNotFoundError:
        return True
    except (OSError, ValueError):
        return False
    return False


def listed(path: Path) -> str:
    """A file as it is stored among the recent ones: its whole path, determined without touching the disk. Empty for
    a path that is not valid text and cannot be stored with the settings.
    """
    whole = os.path.abspath(path)
    try:
        whole.encode()
    except UnicodeEncodeError:
        return ""
    return whole


def _folder() -> Path:
    return home() / "recent"


def picture_file(path: str) -> Path:
    """Where the picture of a file is stored."""
    return _folder() / f"{hashlib.sha256(path.encode()).hexdigest()[:24]}.png"


def picture_of(path: str) -> QPixmap:
    """The stored picture of a file; empty if there is none."""
    return QPixmap(str(picture_file(path)))


def keep_picture(path: str, picture: Bytes, recent: Collection[str]) -> None:
    """Store the picture of a file, and remove those that are no longer recent.

    Parameters
    ----------
    picture : (height, width, 4) uint8
    """
    try:
        _folder().mkdir(parents=True, exist_ok=True)
        image_of(picture).save(str(picture_file(path)))
        wanted = {picture_file(one).name for one in recent}
        for found in _folder().glob("*.png"):
            if found.name not in wanted:
                found.unlink(missing_ok=True)
    except OSError:
        _log.warning("the picture of a recent file could not be kept", exc_info=True)
