"""Writes files so that the old one stays intact until the new one is complete, and replaces nothing without being
asked.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import socket
import stat
import uuid
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import IO

from ..errors import SaveFailed, WouldReplace
from ..locale import text
from ..locale.translate import tr, tr_many

_ASIDE = ".deft-"
_NAMED = 4
"""Names that a question or an error says; of more, how many."""


def write_whole(path: Path, content: bytes | IO[bytes], *, replace: bool = True) -> None:
    """Write to the side, make sure the data is on disk, and then move it into place.

    An existing file keeps its mode; for a symbolic link, its target is written. A process that is killed meanwhile
    leaves nothing behind if the file system supports files without a name (``O_TMPFILE``); elsewhere its leftovers
    are removed when the next file is written into the same folder.

    Parameters
    ----------
    content : bytes | IO[bytes]
        All of it, or a file that is read from its beginning.
    replace : bool
        Whether an existing file may be replaced.

    Raises
    ------
    WouldReplace
        The file exists and may not be replaced.
    SaveFailed
        The folder is missing or unwritable, the disk is full, or the name does not belong to a regular file. An
        existing file is untouched.
    """
    aside: Path | None = None
    try:
        target = Path(os.path.realpath(path))
        before = _status(target)
        if before is not None and not stat.S_ISREG(before.st_mode):
            raise OSError(tr("it is not a regular file"))
        refuse_existing([path], replace=replace)
        sweep(target.parent)
        handle, aside = _opened_aside(target)
        with os.fdopen(handle, "wb") as file:
            if isinstance(content, bytes):
                file.write(content)
            else:
                content.seek(0)
                shutil.copyfileobj(content, file)
            file.flush()
            _keep_owner_and_mode(handle, before)
            os.fsync(handle)
            if aside is None:
                aside = _aside(target)
                # with a folder's handle, which an absolute path has no use for, Python follows the link (linkat)
                os.link(f"/proc/self/fd/{handle}", aside, src_dir_fd=handle)
        refuse_existing([path], replace=replace)  # it may have come meanwhile
        os.replace(aside, target)
        _on_the_disk(target.parent)
    except (OSError, ValueError) as error:
        kept = (
            tr("The earlier “{name}” is unchanged.", name=path.name)
            if os.path.lexists(path)
            else tr("No part of it was written.")
        )
        reason = (error.strerror if isinstance(error, OSError) else "") or error
        raise SaveFailed(
            tr("“{name}” could not be saved in {parent}: {reason}.", name=path.name, parent=path.parent,
               reason=reason), kept=kept,
            remedy=tr("Free some space or choose another folder."),
        ) from error
    finally:
        if aside is not None:
            with contextlib.suppress(OSError):  # it is in its place, or the folder itself is gone
                os.unlink(aside)


def write_each(files: Iterable[tuple[Path, bytes | IO[bytes]]], *, replace: bool = True) -> None:
    """Write several files, each like ``write_whole``.

    Raises
    ------
    WouldReplace
        A file exists and may not be replaced.
    SaveFailed
        A file could not be written. The error names those that were; they stay.
    """
    written: list[str] = []
    for path, content in files:
        try:
            write_whole(path, content, replace=replace)
        except SaveFailed as error:
            if not written:
                raise
            before = tr_many("{listed} was already written, and stays.", "{listed} were already written, and "
                                                                           "stay.",
                             len(written), listed=_listed(written))
            raise type(error)(error.what, kept=f"{error.kept} {before}", remedy=error.remedy) from error
        written.append(path.name)


def make_folder(folder: Path) -> None:
    """Make a folder if it does not exist.

    Raises
    ------
    SaveFailed
        It cannot be made.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveFailed(
            tr("The folder {folder} cannot be created: {value}.", folder=folder, value=error.strerror or error)
        ) from error


def keep_beside(path: Path, word: str) -> Path:
    """Copy a file to "name-word.ending" in its folder, unless the same copy exists; with a number if another file is
    there. Returns its path.

    Raises
    ------
    SaveFailed
        It cannot be read or written.
    """
    try:
        content = path.read_bytes()
        number, copy = 2, path.with_name(f"{path.stem}-{word}{path.suffix}")
        while os.path.lexists(copy) and copy.read_bytes() != content:
            copy = path.with_name(f"{path.stem}-{word}-{number}{path.suffix}")
            number += 1
        if not os.path.lexists(copy):
            write_whole(copy, content, replace=False)
    except OSError as error:
        raise SaveFailed(
            tr("“{name}” could not be backed up before being replaced: {value}.", name=path.name,
               value=error.strerror or error),
            kept=tr("It is unchanged, and nothing was written."), remedy=tr("Save under another name."),
        ) from error
    return copy


def refuse_existing(paths: Iterable[Path], *, replace: bool) -> None:
    """Do nothing if files may be replaced, or none exists.

    Raises
    ------
    WouldReplace
        Some files exist; the error names them.
    """
    there = [] if replace else [path for path in paths if os.path.lexists(path)]
    if there:
        listed, parent = _listed([path.name for path in there]), there[0].parent
        raise WouldReplace(
            tr_many("{listed} already exists in {parent}.", "{listed} already exist in "
                                                            "{parent}.", len(there), listed=listed,
                    parent=parent),
            kept=tr("Nothing was written."),
            remedy=tr_many("Allow it to be replaced, or choose another folder.",
                           "Allow them to be replaced, or choose another folder.", len(there)),
        )


def _listed(names: Sequence[str]) -> str:
    said = ", ".join(text.quoted(name) for name in names[:_NAMED])
    return said if len(names) <= _NAMED else tr("{said} and {count} more", said=said, count=len(names) - _NAMED)


def sweep(folder: Path) -> None:
    """Remove what processes of this machine that no longer run have left half-written in a folder."""
    for left in folder.glob(f"{_ASIDE}{_host()}-*"):
        number = left.name.removeprefix(f"{_ASIDE}{_host()}-").split("-")[0]
        if number.isdigit() and not Path(f"/proc/{number}").exists():
            with contextlib.suppress(OSError):  # another one sweeps too, or may do it
                left.unlink()


def _host() -> str:
    return socket.gethostname().split(".")[0] or "here"


def _aside(target: Path) -> Path:
    return target.with_name(f"{_ASIDE}{_host()}-{os.getpid()}-{uuid.uuid4().hex[:12]}")


def _status(path: Path) -> os.stat_result | None:
    try:
        return path.stat()
    except FileNotFoundError:
        return None


def _opened_aside(target: Path) -> tuple[int, Path | None]:
    """A file open for writing in the folder of the target, and its name; None if it has none yet."""
    with contextlib.suppress(OSError):  # not every file system knows them
        return os.open(target.parent, os.O_TMPFILE | os.O_WRONLY | os.O_CLOEXEC, 0o666), None
    aside = _aside(target)
    return os.open(aside, os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC, 0o666), aside


def _keep_owner_and_mode(handle: int, before: os.stat_result | None) -> None:
    if before is None:
        return
    with contextlib.suppress(PermissionError):  # who may not give files away keeps what it writes
        os.fchown(handle, before.st_uid, before.st_gid)
    os.fchmod(handle, stat.S_IMODE(before.st_mode))


def _on_the_disk(folder: Path) -> None:
    """Make sure that the new name is on disk too, where the file system allows that."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
