"""Builds the sheet of a plan as files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...arrays import Bytes
from ...evaluate.evaluator import Evaluator
from ...locale.translate import tr
from ...plan.plan import Plan
from ...printers.profile import Printer
from ...progress import QUIET, Job
from ...results.outcome import Outcome
from ..layout import Laid
from ..paper_sizes import Paper
from ..print_job import PrintJob
from .content import blocks_of
from .html import as_html
from .pdf import as_pdf
from .subject import SheetSubject, gathered

_SHOWN = 120
"""Pixels to the inch of a page on the screen."""


@dataclass(frozen=True, eq=False)
class BenchSheet:
    """The contents of the two files: pages for printing, and the same for the screen."""

    pdf: bytes
    html: bytes


def sheet_of(subject: SheetSubject, paper: Paper = "a4", job: Job = QUIET) -> BenchSheet:
    """Draw and write a whole sheet.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    blocks = blocks_of(subject, job.part(0.0, 0.8))
    title = tr("{title}: sheet", title=subject.title)
    job.step(0.8, tr("Laying out the pages"))
    pdf = as_pdf(blocks, title, paper)
    job.step(0.95, tr("Writing the version for the screen"))
    return BenchSheet(pdf, as_html(blocks, title))


def sheet_for(
    evaluator: Evaluator, outcome: Outcome, printer: Printer, title: str, laid: Sequence[Laid], work: PrintJob,
    others: Sequence[tuple[str, Plan]], paper: Paper, job: Job = QUIET,
) -> BenchSheet:
    """The sheet of an evaluated plan; see ``gathered`` and ``sheet_of``.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    subject = gathered(evaluator, outcome, printer, title, laid, work, others, job.part(0.0, 0.5))
    return sheet_of(subject, paper, job.part(0.5, 1.0))


def pages_of(pdf: bytes) -> tuple[Bytes, ...]:
    """The pages as they are printed in black and white, (height, width) uint8 each, at _SHOWN pixels per inch."""
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        return tuple(_shown(document[number]) for number in range(len(document)))
    finally:
        document.close()


def _shown(page: Any) -> Bytes:
    try:
        return np.asarray(page.render(scale=_SHOWN / 72, grayscale=True).to_pil().convert("L"))
    finally:
        page.close()
