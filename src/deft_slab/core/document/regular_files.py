"""Reads files that the user names. Only regular files are read, because a pipe or a device may never end."""

from __future__ import annotations

import errno
import os
import stat
from io import BufferedReader
from pathlib import Path

from ..locale.translate import tr


def open_regular(path: Path) -> BufferedReader:
    """Open a regular file for reading; links are followed.

    Raises
    ------
    OSError
        It does not exist, may not be read, or is a folder, a pipe or a device.
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
    """All bytes of a regular file. Raises as ``open_regular``."""
    with open_regular(path) as file:
        return file.read()


def refuse_irregular(status: os.stat_result) -> None:
    """Refuse anything but a regular file.

    Raises
    ------
    OSError
        It is not one.
    """
    if not stat.S_ISREG(status.st_mode):
        raise OSError(errno.EINVAL, tr("it is not a regular file"))
