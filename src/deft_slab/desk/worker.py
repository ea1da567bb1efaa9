"""The process that does the long work.

A process of its own and not a thread: the boolean library keeps Python's lock while it cuts (measured: 0.1 s at
130,000 triangles), and the window would stand still as long. It keeps the workshops of the last models it was given.
"""

from __future__ import annotations

import contextlib
import logging
import time
from collections import OrderedDict
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from ..core.errors import DeftError
from ..core.handoff.beds import lay_out
from ..core.handoff.pieces import Written, write_3mf, write_project, write_stls
from ..core.intake.files import open_file
from ..core.judge.warm import warm
from ..core.outcome import Model, Piece
from ..core.plan import Plan, Project
from ..core.printer import Printer
from ..core.progress import Job
from ..core.solid import Solid
from ..core.workshop import Workshop
from .messages import Evaluated, Fetched
from .pictures import picture_of

_log = logging.getLogger(__name__)
_MODELS_KEPT = 2


class Bench:
    """What can be asked of the process; each public method takes the job last."""

    def __init__(self) -> None:
        self._workshops: OrderedDict[str, Workshop] = OrderedDict()

    def open(self, path: Path, job: Job) -> Fetched:
        """Raises UnreadableFile, Cancelled."""
        opened = open_file(path, job)
        surface = opened.surface
        name = opened.project.plan.model.name if opened.project else opened.name
        model = Model(name, Solid(surface.vertices, surface.triangles), surface.grid, surface.unit or "mm")
        self.adopt(model, job)
        return Fetched(path, model, opened.project)

    def adopt(self, model: Model, job: Job) -> None:
        """Makes a model known to this process."""
        self._workshops[model.sha256] = self._workshops.get(model.sha256) or Workshop(model)
        self._workshops.move_to_end(model.sha256)
        while len(self._workshops) > _MODELS_KEPT:
            self._workshops.popitem(last=False)

    def ready(self, sha: str, job: Job) -> int:
        """Makes the stand-in that answers while a handle is dragged; returns its number of triangles."""
        return len(self._workshops[sha].stand_in(job).model.solid.triangles)

    def evaluate(self, plan: Plan, printer: Printer, job: Job) -> Evaluated:
        """Raises OpenSurface, CutFailed, Cancelled."""
        outcome = self._workshops[plan.model.sha256].evaluate(plan, printer, job.part(0.0, 0.95))
        job.step(0.96, "Drawing")
        laid = tuple(lay_out(outcome.pieces, printer))
        return Evaluated(outcome, laid, picture_of(outcome.pieces, laid))

    def live(self, plan: Plan, printer: Printer, job: Job) -> Evaluated:
        """Approximate totals and seams, from the stand-in; its pieces stay here. Raises OpenSurface, CutFailed,
        Cancelled."""
        outcome = self._workshops[plan.model.sha256].stand_in().evaluate(plan, printer, job, quick=True)
        return Evaluated(replace(outcome, pieces=()), (), None)

    def _pieces(self, plan: Plan, printer: Printer, job: Job) -> tuple[Piece, ...]:
        return self._workshops[plan.model.sha256].evaluate(plan, printer, job).pieces

    def save(self, project: Project, printer: Printer, path: Path, job: Job) -> Written:
        """Raises SaveFailed, Cancelled."""
        model = self._workshops[project.plan.model.sha256].model
        pieces = self._pieces(project.plan, printer, job.part(0.0, 0.4))
        return write_project(project, model, pieces, printer, path, job.part(0.4, 1.0))

    def write_pieces(self, plan: Plan, printer: Printer, folder: Path, job: Job) -> list[Written]:
        """Raises SaveFailed, Cancelled."""
        return write_stls(self._pieces(plan, printer, job.part(0.0, 0.4)), folder, job.part(0.4, 1.0))

    def write_together(self, plan: Plan, printer: Printer, title: str, path: Path, job: Job) -> Written:
        """Raises SaveFailed, Cancelled."""
        return write_3mf(self._pieces(plan, printer, job.part(0.0, 0.4)), printer, title, path, job.part(0.4, 1.0))


def serve(connection: Connection, wanted: Any) -> None:
    """Runs requests until the other end is closed.

    Messages in: (number, method, arguments). Messages out: (number, "progress", (fraction, doing)) any number of
    times, then (number, "done", result) or (number, "failed", error).
    wanted : shared integer, the number of the request whose result is still wanted
    """
    bench = Bench()
    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        connection.send((0, "progress", (0.0, "Getting ready")))
        warm()
        while True:
            number, method, arguments = connection.recv()
            _answer(bench, connection, wanted, number, method, arguments)


def _answer(bench: Bench, connection: Connection, wanted: Any, number: int, method: str, arguments: tuple) -> None:
    told = 0.0

    def report(fraction: float, doing: str) -> None:
        nonlocal told
        now = time.monotonic()
        if now - told > 0.05:
            told = now
            connection.send((number, "progress", (fraction, doing)))

    job = Job(report, lambda: wanted.value != number)
    try:
        result = getattr(bench, method)(*arguments, job)
    except DeftError as error:
        connection.send((number, "failed", error))
    except Exception as error:  # noqa: BLE001 - the border of the worker: whatever it is, the window must hear of it
        _log.exception("%s failed", method)
        what = f"Something went wrong inside ({type(error).__name__}: {error})."
        remedy = "Undo the last step if it is still there, and try again."
        connection.send((number, "failed", DeftError(what, kept="Your plan is untouched.", remedy=remedy)))
    else:
        connection.send((number, "done", result))
