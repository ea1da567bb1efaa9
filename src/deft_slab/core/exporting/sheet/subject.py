"""What a sheet shows: a plan that has been checked, put together, and compared with others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...errors import Cancelled, DeftError
from ...evaluate.evaluator import Evaluator
from ...inspection.findings import Inspection
from ...inspection.inspect import check
from ...joins.reports import DryFit
from ...locale.translate import tr
from ...plan.plan import Plan
from ...printers.profile import Printer
from ...progress import QUIET, Job
from ...results.outcome import Outcome, Totals
from ..beds import laid_with_job
from ..layout import Laid
from ..print_job import PrintJob

THIS = tr("This plan")
WHOLE = tr("As opened, uncut")


@dataclass(frozen=True)
class Compared:
    """A choice with its figures.

    Attributes
    ----------
    problem : str
        Why the figures are unknown; empty if they are known.
    """

    name: str
    totals: Totals | None
    work: PrintJob | None
    problem: str = ""


@dataclass(frozen=True, eq=False)
class SheetSubject:
    """Everything that a sheet shows.

    Attributes
    ----------
    laid : tuple[Laid, ...]
        See ``lay_out``.
    compared : tuple[Compared, ...]
        This plan comes first.
    """

    title: str
    outcome: Outcome
    laid: tuple[Laid, ...]
    work: PrintJob
    printer: Printer
    dry: DryFit
    checked: tuple[Inspection, ...]
    compared: tuple[Compared, ...]


def gathered(
    evaluator: Evaluator, outcome: Outcome, printer: Printer, title: str, laid: Sequence[Laid], work: PrintJob,
    others: Sequence[tuple[str, Plan]] = (), job: Job = QUIET,
) -> SheetSubject:
    """Check a plan, put its pieces together, and evaluate the uncut model and other choices to compare it with.

    Parameters
    ----------
    others : (name, plan)
        Name and plan of each choice. A choice equal to this plan or to the uncut model is not listed again.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    plan = outcome.plan
    checked = check(evaluator, plan, printer, job=job.part(0.0, 0.4))
    dry = evaluator.dry_fit(plan, printer, job.part(0.4, 0.5))
    compared = [Compared(THIS, outcome.totals, work)]
    told = {plan}
    wanted = [(WHOLE, plan.as_it_came.changed(copies=plan.copies)), *others]
    for done, (name, other) in enumerate(wanted):
        if other in told:
            continue
        told.add(other)
        part = job.part(0.5 + 0.5 * done / len(wanted), 0.5 + 0.5 * (done + 1) / len(wanted))
        compared.append(_compared(evaluator, name, other, printer, part))
    return SheetSubject(title, outcome, tuple(laid), work, printer, dry, checked, tuple(compared))


def _compared(evaluator: Evaluator, name: str, plan: Plan, printer: Printer, job: Job) -> Compared:
    try:
        found = evaluator.evaluate(plan, printer, job, detail="exact")
        _, work = laid_with_job(found, printer, job=job)
    except Cancelled:
        raise
    except DeftError as error:  # a choice that can no longer be carried out keeps no sheet from being written
        return Compared(name, None, None, str(error))
    return Compared(name, found.totals, work)
