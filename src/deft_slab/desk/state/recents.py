"""The files that were opened lately: which of them are still there, and small pictures of them."""

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
    """A part of the desk state. Whether a file is there is looked at in a thread of its own, which nobody waits for: a
    network folder that does not answer may take minutes.
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
        """Those that are not known to be gone, the last one first."""
        return tuple(Path(path) for path in self._desk.settings.recent if path not in self._gone)

    def look(self) -> None:
        """Finds out which are gone, unless that is being done; ``changed`` says that the answer is another one."""
        if self._looking is not None and self._looking.is_alive():
            return
        # no pool of threads: the end of the program would wait for it
        self._looking = threading.Thread(target=self._look, args=(self._desk.settings.recent,), daemon=True)
        self._looking.start()

    def _look(self, paths: Iterable[str]) -> None:
        """In the other thread."""
        found = frozenset(path for path in paths if _is_gone(path))
        with suppress(RuntimeError):  # the window may be gone
            self._seen.emit(found)

    def _on_seen(self, gone: frozenset[str]) -> None:
        if gone != self._gone:
            self._gone = gone
            self.changed.emit()


def _is_gone(path: str) -> bool:
    """Whether a file is surely not there; one that cannot be looked at may be there again later."""
    try:
        os.stat(path)
    except FileNotFoundError:
        return True
    except (OSError, ValueError):
        return False
    return False


def listed(path: Path) -> str:
    """A file as it stands among the recent ones: its whole path, found without looking at the disk. Empty for a path
    that is no text, and cannot be kept with the settings.
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
    """Where the picture of a file is kept."""
    return _folder() / f"{hashlib.sha256(path.encode()).hexdigest()[:24]}.png"


def picture_of(path: str) -> QPixmap:
    """The kept picture of a file; empty where there is none."""
    return QPixmap(str(picture_file(path)))


def keep_picture(path: str, picture: Bytes, recent: Collection[str]) -> None:
    """Keeps the picture of a file, and lets go of those that are not recent any more.

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
