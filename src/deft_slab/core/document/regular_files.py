"""Reading files that a person names: only plain files, for a pipe or a device may never come to an end."""

from __future__ import annotations

import errno
import os
import stat
from io import BufferedReader
from pathlib import Path

from ..locale.translate import tr


def open_regular(path: Path) -> BufferedReader:
    """A plain file, open for reading; a link is followed.

    Raises
    ------
    OSError
        It is not there, may not be read, or is a folder, a pipe or a device, which is not waited for.
    ValueError
        No file can have that name.
    """
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    try:
        refuse_irregular(os.fstat(handle))
        return os.fdopen(handle, "rb")
    except OSError:
        os.close(handle)
        raise


def read_regular(path: Path) -> bytes:
    """All bytes of a plain file. Raises OSError, ValueError, see ``open_regular``."""
    with open_regular(path) as file:
        return file.read()


def refuse_irregular(status: os.stat_result) -> None:
    """Raises OSError where something is no plain file."""
    if not stat.S_ISREG(status.st_mode):
        raise OSError(errno.EINVAL, tr("it is no plain file"))
