"""Lays pieces on beds and writes them as files, with everything that printing them takes."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

from ..core.errors import BadPlan
from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.beds import ROUNDS, laid_with_job
from ..core.exporting.delivery import as_json, deliver
from ..core.exporting.equal_pieces import first_equals
from ..core.exporting.layout import collisions
from ..core.exporting.options import LAYERS, SHEET, Wished
from ..core.exporting.sheet.build import BenchSheet, sheet_for
from ..core.exporting.two_printers import shared_out
from ..core.joining.coupon import usual_steps
from ..core.locale import text
from ..core.locale.translate import tr
from ..core.plan.coupon import CouponWish
from ..core.plan.plan import Plan
from ..core.printers.profile import Printer
from ..core.progress import Job
from ..core.supports.piece_posts import in_bodies
from .arguments import BadArgument, opened_file, printer_of
from .recipes import with_recipe


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    plan = with_recipe(arguments, plan, evaluator, printer).changed(
        lift=arguments.lift, copies=arguments.copies, beds_by=arguments.beds_by
    )
    if arguments.coupon:
        tried = next((join for join in plan.joins if join.on and join.holes(0.0)), None)
        if tried is None:
            raise BadPlan(
                tr("No join of the recipe has a hole that a coupon could test."), remedy=tr("Leave --coupon out.")
            )
        plan = plan.changed(coupon=CouponWish(join=tried, steps=usual_steps(printer)))
    plan = _of_materials(arguments, evaluator, plan, printer)
    if arguments.second is not None:
        plan = shared_out(evaluator, plan.changed(second=printer_of(arguments.second)), printer, arguments.job)
    return handed_off(arguments, evaluator, plan, printer, opened.model.name)


def _of_materials(arguments: argparse.Namespace, evaluator: Evaluator, plan: Plan, printer: Printer) -> Plan:
    """The plan with the material of each piece.

    Raises
    ------
    BadArgument
        There is no such piece, or no printer has the material.
    """
    if not arguments.material:
        return plan
    second = () if arguments.second is None else printer_of(arguments.second).loads
    pieces = evaluator.evaluate(plan, printer, arguments.job, detail="figures").pieces
    for given, material in arguments.material:
        if not given.isdecimal() or not 1 <= int(given) <= len(pieces):
            raise BadArgument(
                tr("There is no piece “{given}”. Pieces are numbered from 1 to "
                   "{count}.", given=given, count=len(pieces))
            )
        if material not in (*printer.loads, *second):
            known = ", ".join(text.quoted(one) for one in (*printer.loads, *second))
            raise BadArgument(
                tr("No printer has a material “{material}”.", material=material),
                remedy=tr("Available materials: {known}.", known=known),
            )
        piece = pieces[int(given) - 1]
        plan = plan.with_wish(piece.wish(material=material), piece.wished)
    return plan


def handed_off(
    arguments: argparse.Namespace, evaluator: Evaluator, plan: Plan, printer: Printer, title: str,
    others: Sequence[tuple[str, Plan]] = (),
) -> dict[str, object]:
    """Lay the pieces of a plan on beds, write what the arguments ask for, and report it.

    Parameters
    ----------
    others : (name, plan)
        Choices, with their names, that the sheet compares with the plan.
    """
    outcome = evaluator.evaluate(plan, printer, arguments.job)
    rounds = 0 if arguments.quick or plan.lying else ROUNDS
    laid, work = laid_with_job(outcome, printer, rounds=rounds, job=arguments.job)
    wished = Wished(
        tuple(arguments.piece_files), tuple(arguments.bed_files), assembled=arguments.assembled,
        equal_once=arguments.equal_once, layers=arguments.layers, pattern=arguments.names,
    )
    printed = outcome.pieces if arguments.bare else in_bodies(plan.posts, outcome.pieces, arguments.job)

    def sheet(job: Job) -> BenchSheet:
        return sheet_for(evaluator, outcome, printer, title, laid, work, others, arguments.sheet, job)

    handed = deliver(printed, laid, printer, title, arguments.out, wished, work, arguments.job,
                     sheet=sheet if arguments.sheet else None, replace=arguments.replace)
    listed = as_json(outcome.pieces, laid, work)
    beds: list[dict[str, Any]] = listed["beds"]
    # what is equal to another piece is printed from the file of the first
    firsts = first_equals(printed) if arguments.equal_once else list(range(len(printed)))
    for bed in beds:
        own = [one.path.name for one in handed if one.bed == bed["bed"] - 1]
        bed["file"] = next((name for name in own if not name.endswith(LAYERS)), None)
        bed["layers"] = next((name for name in own if name.endswith(LAYERS[0])), None)
        for piece in bed["pieces"]:
            files = [one.path.name for one in handed if one.piece == firsts[piece["number"] - 1]]
            piece["file"] = files[0] if files else None
    too_large = [piece.name for piece in outcome.pieces if not piece.fit.fits]
    too_near = [[a + 1, b + 1] for a, b in collisions(laid, printer, outcome.pieces) if a != b]
    return {**listed, "files": [one.path.name for one in handed], "too_large": too_large, "too_near": too_near,
            "sheet": SHEET[0] if arguments.sheet else None, "notes": [note.as_json() for note in outcome.notes]}
