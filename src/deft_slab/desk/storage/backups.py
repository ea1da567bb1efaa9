"""Backups of documents of an older version, made before they are first rewritten."""

from __future__ import annotations

import logging
from pathlib import Path

from ...core.document.migrations import Versions, as_object
from ...core.errors import SaveFailed
from ...core.exporting.safe_writing import write_whole
from ...logbook import home

_log = logging.getLogger(__name__)


def keep_if_older(path: Path, text: bytes, versions: Versions) -> Path | None:
    """Keep a copy of a document that has an older version than is written now. Returns its path; None if the
    document is not older, or not a document. A failure to copy is only logged, because reading changes nothing
    and nothing is lost.

    Parameters
    ----------
    path : Path
        Where the document is.
    text : bytes
        Its content.
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
