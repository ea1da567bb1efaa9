"""Writing a file so that the old one stays whole until the new one is."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from ..errors import SaveFailed


def write_whole(path: Path, content: bytes) -> None:
    """Writes aside, makes sure it is on the disk, then renames.

    Raises
    ------
    SaveFailed : the folder is missing or unwritable, or the disk is full; a file of that name is as it was.
    """
    kept = f"The “{path.name}” from before is whole." if path.exists() else "Nothing was written."
    aside: str | None = None
    try:
        handle, aside = tempfile.mkstemp(prefix=".deft-", suffix=path.suffix, dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(aside, 0o666 & ~_umask())
        os.replace(aside, path)
    except OSError as error:
        if aside is not None and os.path.exists(aside):
            os.unlink(aside)
        raise SaveFailed(
            f"“{path.name}” could not be saved in {path.parent}: {error.strerror or error}.", kept=kept,
            remedy="Free some space or choose another folder.",
        ) from error  # fmt: skip


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
