"""Copies of what an older version of the program has kept, made before it is first written anew."""

from __future__ import annotations

import logging
from pathlib import Path

from ...core.document.migrations import Versions, as_object
from ...core.errors import SaveFailed
from ...core.exporting.safe_writing import write_whole
from ...logbook import home

_log = logging.getLogger(__name__)


def keep_if_older(path: Path, text: bytes, versions: Versions) -> Path | None:
    """Keeps a copy of a document that is of an older version than is written now; where it lies, or None where it is
    not older, or no document at all. What cannot be copied is logged: nothing of it is lost, for reading changes
    nothing.

    Parameters
    ----------
    path : Path
        Where it stands.
    text : bytes
        What stands there.
    """
    try:
        version = versions.of(as_object(text))
    except ValueError:
        return None
    if version >= versions.now:
        return None
    folder = home() / "older"
    copy = folder / f"{path.parent.name}-{path.stem}-version-{version}{path.suffix}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if not copy.exists():
            write_whole(copy, text)
    except (OSError, SaveFailed):
        _log.warning("the older %s could not be copied", path, exc_info=True)
        return None
    return copy
