"""Progress of a command, on stderr: a single line that is overwritten on a terminal, a line for each step if
requested, nothing otherwise.
"""

from __future__ import annotations

import os
import threading
import time
from typing import TextIO

from ..core.locale import text
from ..core.locale.translate import tr
from ..core.progress import Job

_EVERY = 0.1
"""Seconds between two states of the line."""
_CLEAR = "\r\x1b[K"


class ProgressLine:
    """Prints the progress that ``job`` reports to a stream. ``quiet`` prints none of it; ``detailed`` prints a line
    for each step with the seconds since the start, also where the stream is no terminal.
    """

    def __init__(self, stream: TextIO, *, quiet: bool, detailed: bool) -> None:
        self._stream, self._detailed = stream, detailed and not quiet
        self._over = not quiet and not detailed and stream.isatty() and os.environ.get("TERM") != "dumb"
        self._begun, self._last, self._doing = time.monotonic(), 0.0, ""
        self._shown = False
        self._lock = threading.Lock()  # what runs in threads may report at once

    @property
    def job(self) -> Job:
        """The job that reports here."""
        return Job(self._report) if self._over or self._detailed else Job()

    def say(self, line: str) -> None:
        """Print a line that remains."""
        with self._lock:
            self._clear()
            print(line, file=self._stream, flush=True)

    def end(self) -> None:
        """Remove the progress line."""
        with self._lock:
            self._clear()
            self._stream.flush()

    def _clear(self) -> None:
        if self._shown:
            self._stream.write(_CLEAR)
            self._shown = False

    def _report(self, fraction: float, doing: str) -> None:
        now = time.monotonic()
        with self._lock:
            if self._detailed:
                if doing != self._doing:
                    took = text.number(now - self._begun, 1)
                    print(tr("deft-slab: {took} s: {doing}", took=took, doing=doing), file=self._stream, flush=True)
            elif doing != self._doing or now - self._last > _EVERY:
                line = tr("{doing} … {share}", doing=doing, share=text.percent(min(max(fraction, 0.0), 1.0)))
                self._stream.write(_CLEAR + text.shortened(line, _columns(self._stream) - 1))
                self._stream.flush()
                self._shown, self._last = True, now
            self._doing = doing


def _columns(stream: TextIO) -> int:
    try:
        return max(os.get_terminal_size(stream.fileno()).columns or 80, 20)
    except (OSError, ValueError):
        return 80
