"""Small pictures of what was opened lately, kept beside the settings."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Collection
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QPixmap

from ..logbook import home
from .widgets.picture import image_of

_log = logging.getLogger(__name__)


def _folder() -> Path:
    return home() / "recent"


def picture_file(path: str) -> Path:
    """Where the picture of a file is kept."""
    return _folder() / f"{hashlib.sha256(path.encode()).hexdigest()[:24]}.png"


def picture_of(path: str) -> QPixmap:
    """The kept picture of a file; empty where there is none."""
    return QPixmap(str(picture_file(path)))


def keep_picture(path: str, picture: NDArray[np.uint8], recent: Collection[str]) -> None:
    """Keeps the picture of a file, and lets go of those that are not recent any more. picture : (height, width, 4)
    uint8"""
    try:
        _folder().mkdir(parents=True, exist_ok=True)
        image_of(picture).save(str(picture_file(path)))
        wanted = {picture_file(one).name for one in recent}
        for found in _folder().glob("*.png"):
            if found.name not in wanted:
                found.unlink(missing_ok=True)
    except OSError:
        _log.warning("the picture of a recent file could not be kept", exc_info=True)
