"""Start of the worker process; light, because the window loads it too."""

from __future__ import annotations

import os
import signal
from typing import Any

from ... import logbook

_BEHIND = 4
"""By how much the priority is lowered (nice)."""


def run_behind(connection: Any, wanted: Any) -> None:
    """The same as ``run_process`` behind the window, which answers while all processors compute."""
    os.nice(_BEHIND)
    run_process(connection, wanted)


def run_process(connection: Any, wanted: Any) -> None:
    """Entry of the worker process. The heavy packages are loaded here and not in the window's process."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C in the terminal ends the window, which ends this
    logbook.begin()
    from .serve import serve

    serve(connection, wanted)
