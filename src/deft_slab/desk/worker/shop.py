"""What the worker process keeps: the evaluators of the latest models, and the surfaces of guests."""

from __future__ import annotations

import os
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor

from ...core.errors import BadPlan
from ...core.evaluate.evaluator import Evaluator
from ...core.evaluate.piece import SUBJECT_TRIANGLES, SearchSubject
from ...core.geometry.simplify import thinned
from ...core.locale.translate import tr
from ...core.mesh.solid import Solid
from ...core.plan.model import Model
from ...core.plan.piece_settings import made_on
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ...core.progress import Job
from ...core.results.outcome import Outcome, Piece

_MODELS_KEPT = 2


class Shop:
    """What the worker process keeps.

    Attributes
    ----------
    evaluators : dict
        By the content hash of the model.
    guests : dict
        Surfaces, by content hash.
    spread
        See ``core.progress``.
    """

    def __init__(self) -> None:
        self.evaluators: OrderedDict[str, Evaluator] = OrderedDict()
        self.guests: dict[str, Solid] = {}
        self._pool = ThreadPoolExecutor(os.cpu_count() or 1)
        self.spread = self._pool.map

    def close(self) -> None:
        """Ends its threads."""
        self._pool.shutdown()

    def offer(self, model: Model, guests: dict[str, Solid]) -> None:
        """Keep an opened model beside the one in use. Whether it is used is for the window to say."""
        self.guests |= guests
        offered = self.evaluators.pop(model.sha256, None)
        if offered is None or offered.model.ref != model.ref:  # the same surface may have another name
            offered = Evaluator(model, self.spread)
        while len(self.evaluators) >= _MODELS_KEPT:
            self.evaluators.popitem(last=False)
        self.evaluators[model.sha256] = offered
        self.evaluators.move_to_end(model.sha256, last=False)

    def evaluator(self, plan: Plan) -> Evaluator:
        """The evaluator of a plan's model, which is the one in use from now on.

        Raises
        ------
        BadPlan
            The model is not known here.
        """
        if plan.model.sha256 not in self.evaluators:
            raise BadPlan(
                tr("The worker process no longer has the model “{name}”.", name=plan.model.name),
                remedy=tr("Open it again."),
            )
        self.evaluators.move_to_end(plan.model.sha256)
        return self.evaluators[plan.model.sha256]

    def pieces(self, plan: Plan, printer: Printer, job: Job) -> tuple[Piece, ...]:
        """All pieces of a plan. Raises OpenSurface, CutFailed, BadPlan, Cancelled."""
        return self.outcome(plan, printer, job).pieces

    def outcome(self, plan: Plan, printer: Printer, job: Job) -> Outcome:
        """The outcome of a plan, without the room around guests. Raises OpenSurface, CutFailed, BadPlan, Cancelled."""
        return self.evaluator(plan).evaluate(plan, printer, job)

    def judging(self, plan: Plan, number: int, printer: Printer) -> Printer:
        """The printer of a piece, by which its seats are judged. Raises OpenSurface, CutFailed, BadPlan, Cancelled."""
        return made_on(self.evaluator(plan).part_of(plan, number, printer=printer)[2], printer, plan.second)[0]

    def few(self, plan: Plan, job: Job) -> Solid:
        """A draft mesh of the uncut model."""
        solid, _ = self.evaluator(plan).mended(plan, job.part(0.0, 0.3))
        return thinned(solid, SUBJECT_TRIANGLES, job.part(0.3, 1.0))


def judged(subject: SearchSubject, printer: Printer) -> tuple[object, ...]:
    """What the figures of directions depend on."""
    return subject.light, subject.marks.bits.tobytes(), subject.threshold, subject.lift, printer
