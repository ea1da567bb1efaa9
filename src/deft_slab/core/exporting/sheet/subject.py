"""What a sheet is of: a plan, checked, put together, and compared with others."""

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
WHOLE = tr("As it came, whole")


@dataclass(frozen=True)
class Compared:
    """A choice, with what it comes to.

    Attributes
    ----------
    problem : str
        Why that is not known, in place of the others.
    """

    name: str
    totals: Totals | None
    work: PrintJob | None
    problem: str = ""


@dataclass(frozen=True, eq=False)
class SheetSubject:
    """Attributes
    ----------
    laid : tuple[Laid, ...]
        See ``lay_out``.
    compared : tuple[Compared, ...]
        This plan first.
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
    """Checks a plan, puts its pieces together, and evaluates the model whole and other choices to compare it with.

    Parameters
    ----------
    others : (name, plan)
        Of the choices; one that is this plan, or the whole model, is not told twice.

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
