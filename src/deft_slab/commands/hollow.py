"""Hollows the pieces of a plan, with lattice, vents and plugs, and writes them."""

from __future__ import annotations

import argparse
import math
import sys
from collections.abc import Mapping

import numpy as np

from ..core.errors import HollowFailed
from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.piece_files import file_name, write_3mf, write_stls
from ..core.exporting.safe_writing import refuse_existing
from ..core.figures.marked_facets import facets_at
from ..core.joins.reports import HollowReport
from ..core.locale.translate import tr, tr_many
from ..core.plan.hollow import Hollow
from ..core.plan.plan import Plan
from ..core.printers.profile import Printer
from ..core.search.vents import proposed_vents
from .arguments import opened_file, printer_of
from .cut import piece_figures
from .recipes import with_recipe


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    plan = with_recipe(arguments, plan, evaluator, printer).changed(lift=arguments.lift)
    together = arguments.out / "pieces.3mf"
    refuse_existing([together], replace=arguments.replace)
    plan = _hollowed(arguments, plan, evaluator, printer)
    outcome = evaluator.evaluate(plan, printer, arguments.job)
    made = [one for one in outcome.hollows.values() if not one.problem]
    if not made:
        raise HollowFailed(next(iter(outcome.hollows.values())).problem, kept=tr("Nothing was written."))
    write_stls(outcome.pieces, arguments.out, replace=arguments.replace)
    write_3mf(outcome.pieces, printer, opened.model.name, together, replace=arguments.replace)
    own = [piece for piece in outcome.pieces if not piece.extra]
    closed = sum(one.unvented for one in made)
    # resin that nothing lets out stays there; whoever asks for no vents wants it so
    if closed and arguments.vents > 0 and any(piece.on(printer).kind == "resin" for piece in own):
        arguments.failed = True
        said = tr_many("A void has no vent, so uncured resin stays inside.",
                       "{n} voids have no vent, so uncured resin stays inside.", closed)
        print(tr("deft-slab: {said}", said=said), file=sys.stderr)
    wall = min(one.least_wall for one in made)
    return {
        "saved_mm3": outcome.hollows_mm3,
        "least_wall_mm": wall if math.isfinite(wall) else None,
        "voids": [
            void for hollow in plan.hollows for void in _voids(plan, hollow, evaluator, printer, outcome.hollows)
        ],
        "pieces": [
            {"file": file_name(piece), "hollow": _problem(plan, number, outcome.hollows)} | piece_figures(piece)
            for number, piece in enumerate(own)
        ],
        "extras": [
            {"kind": piece.extra, "name": piece.name, "file": file_name(piece), "volume_mm3": piece.solid.volume}
            for piece in outcome.pieces if piece.extra
        ],
        "notes": [note.as_json() for note in outcome.notes],
        "volume_before_mm3": outcome.volume_before_mm3,
    }


def _hollowed(arguments: argparse.Namespace, plan: Plan, evaluator: Evaluator, printer: Printer) -> Plan:
    """The plan with all pieces hollow and vented."""
    if plan.hollows:
        return plan  # as the recipe says
    spacing, radius = arguments.lattice if arguments.lattice is not None else (None, 1.0)
    for piece in evaluator.evaluate(plan, printer, arguments.job, detail="figures").pieces:
        if not piece.extra:
            hollow = Hollow(
                id=plan.fresh_hollow_id(), sides=piece.sides, anchor=piece.anchor, wall=arguments.wall,
                fineness=arguments.hollow_fineness, down=piece.seat.down, solid_below=arguments.solid_below,
                spacing=spacing, radius=radius,
            )
            plan = plan.with_hollow(hollow)
    for hollow in plan.hollows:
        try:
            vents = proposed_vents(evaluator, plan, hollow.id, printer, arguments.vents, arguments.job)
        except HollowFailed:
            continue  # it is told of below
        vents = tuple(vent.model_copy(update={"plug": arguments.plugs}) for vent in vents)
        plan = plan.with_hollow(hollow.model_copy(update={"vents": vents}))
    return plan


def _problem(plan: Plan, number: int, reports: Mapping[str, HollowReport]) -> str:
    """"no" if a piece is not to be hollow, "yes" if it is hollow, or why it could not be hollowed."""
    problems = [reports[hollow.id].problem for hollow in plan.hollows if reports[hollow.id].piece == number]
    return (problems[0] or "yes") if problems else "no"


def _voids(
    plan: Plan, hollow: Hollow, evaluator: Evaluator, printer: Printer, reports: Mapping[str, HollowReport]
) -> list[dict[str, object]]:
    """The voids of a hollow, each with its vents."""
    report = reports[hollow.id]
    if report.problem or report.piece is None:
        return []
    bare = plan.changed(hollows=())
    part = evaluator.part_of(bare, report.piece, printer=printer)[1]
    exposed = evaluator.exposed_piece(bare, report.piece, printer=printer)
    found = []
    for number, volume in enumerate(report.voids):
        vents = []
        for vent, one in zip(hollow.vents, report.vents, strict=True):
            if one.void == number or (one.void < 0 and number == 0):
                facet = int(facets_at(part.solid, np.array([vent.place]))[0])
                vents.append({"at": list(vent.place), "radius_mm": vent.outer, "inner_radius_mm": vent.inner,
                              "reaches": one.reaches, "problem": one.problem, "wall_mm": one.length,
                              "exposure": float(exposed[facet]),
                              "plug_gap_mm": one.gap if math.isfinite(one.gap) else None})
        found.append({"piece": report.piece + 1, "volume_mm3": volume, "vents": vents})
    return found
