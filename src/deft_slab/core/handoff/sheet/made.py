"""The sheet of a plan, as files."""

from __future__ import annotations

from dataclasses import dataclass

from ...progress import QUIET, Job
from .content import blocks_of
from .html import as_html
from .pdf import Paper, as_pdf
from .subject import Subject


@dataclass(frozen=True, eq=False)
class Sheet:
    """The contents of the two files: pages to be printed, and the same for the screen."""

    pdf: bytes
    html: bytes


def sheet_of(subject: Subject, paper: Paper = "a4", job: Job = QUIET) -> Sheet:
    """Draws and writes all of it. Raises Cancelled."""
    blocks = blocks_of(subject, job.part(0.0, 0.8))
    title = f"{subject.title}: sheet"
    job.step(0.8, "Laying out the pages")
    pdf = as_pdf(blocks, title, paper)
    job.step(0.95, "Writing it for the screen")
    return Sheet(pdf, as_html(blocks, title))
