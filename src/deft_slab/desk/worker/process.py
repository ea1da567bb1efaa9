"""Starts the worker process. Quick to import, because the window imports it too."""

from __future__ import annotations

import os
import signal
from typing import Any

from ... import logbook

_BEHIND = 4
"""By how much the priority is lowered (nice)."""


def run_behind(connection: Any, wanted: Any) -> None:
    """``run_process`` with a lower priority than the window, which keeps responding while all processors compute."""
    os.nice(_BEHIND)
    run_process(connection, wanted)


def run_process(connection: Any, wanted: Any) -> None:
    """The main function of the worker process. The slow packages are imported here and not in the window's process."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C in the terminal ends the window, which ends this
    logbook.begin()
    from .serve import serve

    serve(connection, wanted)
