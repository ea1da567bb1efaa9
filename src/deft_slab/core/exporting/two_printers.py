"""Decides which piece is printed on which of two printers, so that all are done soonest."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import BadPlan
from ..evaluate.evaluator import Evaluator
from ..locale.translate import tr
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Piece

_FILLED = 0.6
"""Share of a bed that pieces cover when it is full (between 0.55 and 0.75 on the demo models, nested)."""


def shared_out(evaluator: Evaluator, plan: Plan, printer: Printer, job: Job = QUIET) -> Plan:
    """The plan with each piece assigned to the first or the second printer. A piece that fits only one of them, or
    whose material only one has, is printed there.

    The piece that takes longest is assigned first, to the printer on which it finishes sooner (Graham 1969). Then
    pieces are moved and exchanged as long as everything finishes sooner. The hours of a bed are estimated from those
    of its pieces.

    Raises
    ------
    BadPlan
        The plan has no second printer. Otherwise raises as ``Evaluator.evaluate``.
    """
    if plan.second is None:
        raise BadPlan(tr("There is no second printer."), remedy=tr("Choose one first."))
    first = evaluator.evaluate(plan, printer, job.part(0.0, 0.4), detail="figures").pieces
    wishes = [piece.wish(second=False) for piece in first]
    everything = plan
    for piece, wish in zip(first, wishes, strict=True):
        everything = everything.with_wish(wish, piece.wished)
    here = evaluator.evaluate(everything, printer, job.part(0.4, 0.7), detail="figures").pieces
    there_plan = everything.changed(pieces=tuple(
        wish.model_copy(update={"second": True}) if wish in wishes else wish for wish in everything.pieces
    ))
    there = evaluator.evaluate(there_plan, printer, job.part(0.7, 1.0), detail="figures").pieces
    tasks = [_Task.of(a, b, printer, plan.second, plan.copies) for a, b in zip(here, there, strict=True)]
    second = _shared(tasks, printer, plan.second)
    shared = plan
    for piece, goes in zip(first, second, strict=True):
        if piece.second != goes or (piece.wished is not None and piece.wished.second != goes):
            shared = shared.with_wish(piece.wish(second=goes), piece.wished)
    return shared.changed(lying=())


@dataclass(frozen=True)
class _Task:
    """A piece with its copies.

    Attributes
    ----------
    seconds, areas : tuple[float, float]
        The time (s) and the area (mm2) of one copy, on the first and on the second printer.
    may : tuple[bool, bool]
        Whether it can be printed on each.
    """

    seconds: tuple[float, float]
    areas: tuple[float, float]
    may: tuple[bool, bool]
    copies: int

    @classmethod
    def of(cls, here: Piece, there: Piece, printer: Printer, second: Printer, copies: int) -> _Task:
        wished = here.wished.material if here.wished is not None else ""
        has = [wished in ("", *one.loads) for one in (printer, second)]
        may = (here.fit.fits and has[0], there.fit.fits and has[1])
        # what goes nowhere stays on the first, where its problem is told
        may = may if any(may) else (True, False)
        return cls(
            (here.figures.print_seconds, there.figures.print_seconds),
            (here.figures.projected_area_mm2, there.figures.projected_area_mm2), may, copies,
        )


def _shared(tasks: Sequence[_Task], printer: Printer, second: Printer) -> list[bool]:
    """Whether each piece goes to the second printer."""
    both = (printer, second)
    goes = [not task.may[0] for task in tasks]
    free = [n for n, task in enumerate(tasks) if all(task.may)]

    def ends(goes: Sequence[bool], of: Sequence[int]) -> tuple[float, float]:
        """Seconds until everything is done, and the sum over all beds, for some of the tasks."""
        hours = [_estimated([tasks[n] for n in of if goes[n] == side], side, both[side]) for side in (False, True)]
        return max(hours), math.fsum(hours)

    placed = [n for n in range(len(tasks)) if n not in free]
    for n in sorted(free, key=lambda n: (-max(tasks[n].seconds) * tasks[n].copies, n)):
        placed.append(n)
        trials = [(goes[:n] + [side] + goes[n + 1 :], side) for side in (False, True)]
        goes[n] = min((ends(trial, placed), side) for trial, side in trials)[1]
    best, better = ends(goes, placed), True
    while better:
        better = False
        pairs = [(a, b) for a in free for b in free if a < b and goes[a] != goes[b]]
        for change in [*((n,) for n in free), *pairs]:
            trial = [there != (n in change) for n, there in enumerate(goes)]
            if (found := ends(trial, placed)) < best:
                goes, best, better = trial, found, True
                break
    return goes


def _estimated(tasks: Sequence[_Task], side: bool, printer: Printer) -> float:
    """The time of all beds in seconds. Filament: the sum. Resin: the tallest piece on each bed, with the tallest
    together.
    """
    copies = [(task.seconds[side], task.areas[side]) for task in tasks for _ in range(task.copies)]
    if printer.kind == "filament":
        return math.fsum(seconds for seconds, _ in copies)
    room, filled, whole = printer.bed_x * printer.bed_y * _FILLED, math.inf, 0.0
    for seconds, area in sorted(copies, reverse=True):
        if filled + area > room:
            whole, filled = whole + seconds, 0.0
        filled += area
    return whole
