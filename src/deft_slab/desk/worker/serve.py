"""The loop of the worker process: takes requests and sends replies until the other end is closed.

It is a process and not a thread because the boolean library holds Python's lock while it cuts (measured: 0.1 s at
130,000 triangles), during which the window would freeze.
"""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Callable
from importlib import import_module
from multiprocessing.connection import Connection
from typing import Any

from ... import logbook
from ...core.errors import DeftError
from ...core.locale.translate import tr
from ...core.progress import Job
from ...core.warm import warm
from ..messages.parcels import Sender
from ..messages.requests import Request
from .bench import Bench

_log = logging.getLogger(__name__)


def serve(connection: Connection, wanted: Any) -> None:
    """Serve requests until the other end is closed.

    Messages in: (number, request). Messages out: any number of (number, "progress", (fraction, doing)), then (number,
    "done", result) or (number, "failed", error).

    Parameters
    ----------
    wanted : Any
        A shared integer: the number of the request whose result is still wanted.
    """
    bench, sender = Bench(), Sender()

    def send(number: int, kind: str, content: object) -> None:
        connection.send_bytes(sender.packed((number, kind, content)))

    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        send(0, "progress", (0.0, tr("Getting ready")))
        warm()
        import_module("trimesh")  # readers run in copies of this process, which would each have to load it
        while True:
            number, asked = connection.recv()
            _answer(bench, send, wanted, number, asked)


def _answer(
    bench: Bench, send: Callable[[int, str, object], None], wanted: Any, number: int, asked: Request[Any]
) -> None:
    told = 0.0

    def report(fraction: float, doing: str) -> None:
        nonlocal told
        now = time.monotonic()
        if now - told > 0.05:
            told = now
            send(number, "progress", (fraction, doing))

    job = Job(report, lambda: wanted.value != number)
    try:
        send(number, "done", bench.answer(asked, job))
    except DeftError as error:
        send(number, "failed", error)
    except Exception as error:  # noqa: BLE001 - the border of the worker: whatever it is, the window must hear of it
        _log.exception("%s failed", type(asked).__name__)
        what = tr("An internal error occurred ({name}: {error}).", name=type(error).__name__, error=error)
        remedy = tr("If the last step still stands, undo it and try again. {hint}", hint=logbook.hint()).strip()
        send(number, "failed", DeftError(what, kept=tr("Your plan is unchanged."), remedy=remedy))
