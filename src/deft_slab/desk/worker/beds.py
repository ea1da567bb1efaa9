"""Answers what Hand off asks for: layouts of beds, and files."""

from __future__ import annotations

from pathlib import Path

from ...core.exporting.beds import ROUNDS, BedSearch, laid_with_job
from ...core.exporting.delivery import deliver, write_bed
from ...core.exporting.layout import Laid, by_hand_of, kept_as
from ...core.exporting.options import Handed
from ...core.exporting.paper_sizes import PAPERS, Paper
from ...core.exporting.print_job import PrintJob
from ...core.exporting.sheet.build import BenchSheet, pages_of, sheet_for
from ...core.exporting.two_printers import shared_out
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ...core.progress import Job
from ...core.results.outcome import Outcome
from ...core.supports.piece_posts import in_bodies
from ..messages.hand_off import BedsFound, Deliver, DrawSheet, MakeBed, NestBeds, ShareOut, SheetPages
from .shop import Shop

_ROUNDS_EACH = 6
"""Orders that are tried before it is told what there is."""


class BedAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._search: tuple[Plan, Printer, BedSearch, int] | None = None

    def nest(self, asked: NestBeds, job: Job) -> BedsFound:
        """Where all pieces lie. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        plan, printer = asked.plan, asked.printer
        outcome = self._shop.outcome(plan, printer, job.part(0.0, 0.2))
        own = tuple(one for one in plan.lying if one.by_hand)
        if asked.anew or self._search is None or self._search[:2] != (plan, printer):
            search = BedSearch(outcome.pieces, printer, plan.copies, lying=own, posts=outcome.posts,
                               beds_by=plan.beds_by)
            self._search = plan, printer, search, 0
        *_, search, tried = self._search
        laid = search.go_on(_ROUNDS_EACH, job.part(0.2, 1.0))
        tried += _ROUNDS_EACH
        self._search = plan, printer, search, tried
        lying = kept_as(outcome.pieces, laid, by_hand_of(outcome.pieces, laid, own))
        done = 1.0 if search.done else min(tried / ROUNDS, 1.0)
        return BedsFound(lying, 1 + max(one.bed for one in laid), search.least, done)

    def share_out(self, asked: ShareOut, job: Job) -> Plan:
        """Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        return shared_out(self._shop.evaluator(asked.plan), asked.plan, asked.printer, job)

    def deliver(self, asked: Deliver, job: Job) -> list[Handed]:
        """Raises SaveFailed, WouldReplace, BadPlan, Cancelled, OpenSurface, CutFailed."""
        plan, printer = asked.plan, asked.printer
        outcome = self._shop.outcome(plan, printer, job.part(0.0, 0.3))
        laid, work = laid_with_job(outcome, printer)
        pieces = in_bodies(plan.posts if asked.with_posts else (), outcome.pieces, job.part(0.3, 0.5))

        def sheet(job: Job) -> BenchSheet:
            return self._sheet(outcome, laid, work, asked, asked.paper or PAPERS[0], job)

        return deliver(pieces, laid, printer, asked.title, asked.folder, asked.wished, work, job.part(0.5, 1.0),
                       sheet=sheet if asked.paper else None, replace=asked.replace)

    def make_bed(self, asked: MakeBed, job: Job) -> Path:
        """Raises SaveFailed, BadPlan, Cancelled, OpenSurface, CutFailed."""
        outcome = self._shop.outcome(asked.plan, asked.printer, job.part(0.0, 0.3))
        laid, _ = laid_with_job(outcome, asked.printer)
        pieces = in_bodies(asked.plan.posts if asked.with_posts else (), outcome.pieces, job.part(0.3, 0.5))
        write_bed(pieces, laid, asked.bed, asked.printer, asked.title, asked.path, job.part(0.5, 1.0),
                  layers=asked.layers)
        return asked.path

    def draw_sheet(self, asked: DrawSheet, job: Job) -> SheetPages:
        """Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        outcome = self._shop.outcome(asked.plan, asked.printer, job.part(0.0, 0.3))
        laid, work = laid_with_job(outcome, asked.printer)
        return SheetPages(pages_of(self._sheet(outcome, laid, work, asked, asked.paper, job.part(0.3, 1.0)).pdf))

    def _sheet(
        self, outcome: Outcome, laid: list[Laid], work: PrintJob, asked: Deliver | DrawSheet, paper: Paper, job: Job
    ) -> BenchSheet:
        evaluator = self._shop.evaluator(asked.plan)
        return sheet_for(evaluator, outcome, asked.printer, asked.title, laid, work, asked.others, paper, job)
