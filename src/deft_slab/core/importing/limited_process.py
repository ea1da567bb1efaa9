"""Reads in a process of its own, with limits on work and memory, which can be ended at any time.

Foreign readers may run forever on a damaged file, fill the memory, or crash. A copy of this process (fork: nothing is
loaded again) does the reading. It may use a certain number of seconds of processor time, so that a busy machine
causes no refusals, and a certain amount of memory. Its result comes back through a file in memory.
"""

from __future__ import annotations

import contextlib
import ctypes
import faulthandler
import gc
import logging
import mmap
import os
import pickle
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NoReturn, TypeVar

from ..errors import DeftError, UnreadableFile
from ..locale.translate import tr
from ..progress import Job
from .surfaces import KEPT, shown

T = TypeVar("T")

_log = logging.getLogger(__name__)
_LEAST_MEMORY, _MEMORY_PER_BYTE = 2 * 2**30, 40
_SHARE_OF_MACHINE = 0.7
_DIES_WITH_PARENT = 1  # PR_SET_PDEATHSIG
_CLOCK = 4.0
"""Seconds on the clock for each second of work that is allowed: a reader that waits for something, and does no work,
ends as well."""
_LOOKS = 0.01
"""Seconds between looks at how far it is."""


def confined(read: Callable[[], T], path: Path, kind: str, seconds: float, job: Job) -> T:
    """The result of ``read``, computed in a process of its own.

    Parameters
    ----------
    read : Callable[[], T]
        What to call.
    path : Path
        The file that is read.
    kind : str
        What such a file is called.
    seconds : float
        Processor time that it may use. In wall-clock time it may take ``_CLOCK`` times as long, for a machine
        that is busy.

    Raises
    ------
    UnreadableFile
        Reading did not end within the limits, crashed, or raised this itself.
    Cancelled
        The job is no longer wanted.
    """
    handle = os.memfd_create("deft-slab-read")
    # readers write here what they need in between; a reader that is ended cannot tidy up itself
    aside = tempfile.mkdtemp(prefix="deft-slab-read-")
    try:
        with contextlib.suppress(ValueError, OSError):  # what waits in them would be written twice
            sys.stdout.flush()
            sys.stderr.flush()
        child = os.fork()
        if child == 0:
            _work(read, handle, seconds, _memory_for(path), aside)
        status = _waited(child, path, seconds, job)
        found: T = _answered(handle, status, path, kind, seconds)
        return found
    finally:
        os.close(handle)
        shutil.rmtree(aside, ignore_errors=True)


def _memory_for(path: Path) -> int:
    """How many bytes of memory reading a file may take in addition to what is in use."""
    machine = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return int(min(_LEAST_MEMORY + _MEMORY_PER_BYTE * path.stat().st_size, _SHARE_OF_MACHINE * machine))


def _work(read: Callable[[], Any], handle: int, seconds: float, memory: int, aside: str) -> NoReturn:
    """In the new process: read, write down the result, and end without cleaning up what is shared."""
    code = 1
    try:
        signal.signal(signal.SIGINT, signal.SIG_IGN)  # the parent decides
        faulthandler.disable()
        tempfile.tempdir = os.environ["TMPDIR"] = aside
        for stream in (1, 2):  # what readers print is for nobody
            os.dup2(os.open(os.devnull, os.O_WRONLY), stream)
        ctypes.CDLL(None).prctl(_DIES_WITH_PARENT, signal.SIGKILL)
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        resource.setrlimit(resource.RLIMIT_CPU, (int(seconds) + 1, int(seconds) + 2))
        used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (used + memory, resource.RLIM_INFINITY))
        gc.freeze()  # looking through what there was before would copy it
        with os.fdopen(handle, "wb", closefd=False) as out:
            pickle.dump(_result(read), out, protocol=5)
        code = 0
    finally:
        os._exit(code)


def _result(read: Callable[[], Any]) -> tuple[str, Any]:
    try:
        return "read", read()
    except DeftError as error:
        return "told", error
    except MemoryError:
        return "memory", None
    except Exception as error:  # noqa: BLE001 - the border of foreign readers, which raise anything on damaged files
        _log.warning("reading failed", exc_info=True)
        return "damaged", (str(error) or type(error).__name__)[:300]


def _waited(child: int, path: Path, seconds: float, job: Job) -> int:
    """The status of the process once it has ended; it is killed if nobody wants its result."""
    started = time.monotonic()
    try:
        while True:
            done, status = os.waitpid(child, os.WNOHANG)
            if done:
                child = 0
                return status
            if time.monotonic() - started > _CLOCK * seconds:
                os.kill(child, signal.SIGKILL)
                done, status = os.waitpid(child, 0)
                child = 0
                return status
            job.step(min(0.02 + (time.monotonic() - started) / seconds, 0.9), tr("Reading {file}", file=shown(path)))
            time.sleep(_LOOKS)
    finally:
        if child:
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)


def _answered(handle: int, status: int, path: Path, title: str, seconds: float) -> Any:
    if os.WIFSIGNALED(status):
        ended = os.WTERMSIG(status)
        _log.warning("reading %s was ended by signal %s", path, ended)
        if ended in (signal.SIGXCPU, signal.SIGKILL):
            raise UnreadableFile(
                tr(
                    "“{file}” could not be read within {seconds:.0f} seconds of computing. It is damaged, or made "
                    "to do harm.",
                    file=shown(path),
                    seconds=seconds,
                ),
                kept=KEPT,
                remedy=tr("Export it again."),
            )
        raise UnreadableFile(
            tr("“{file}” is a damaged {title} file: its reader failed.", file=shown(path), title=title),
            kept=KEPT,
            remedy=tr("Export it again."),
        )
    size = os.fstat(handle).st_size
    if os.WEXITSTATUS(status) != 0 or size == 0:
        raise UnreadableFile(
            tr("“{file}” takes too much memory to read.", file=shown(path)), kept=KEPT, remedy=tr("Reduce its "
                                                                                                  "triangles in "
                                                                                                  "another program.")
        )
    with mmap.mmap(handle, size, prot=mmap.PROT_READ) as content:
        kind, result = pickle.loads(content)
    if kind == "told":
        raise result
    if kind == "memory":
        raise UnreadableFile(
            tr("“{file}” takes too much memory to read.", file=shown(path)), kept=KEPT, remedy=tr("Reduce its "
                                                                                                  "triangles in "
                                                                                                  "another program.")
        )
    if kind == "damaged":
        raise UnreadableFile(
            tr("“{file}” is a damaged {title} file: {result}.", file=shown(path), title=title, result=result),
            kept=KEPT,
            remedy=tr("Export it again."),
        )
    return result
