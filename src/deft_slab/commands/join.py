"""Cuts a model, joins its pieces, and writes them."""

from __future__ import annotations

import argparse
import math

from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.piece_files import file_name, write_3mf, write_stls
from ..core.exporting.safe_writing import refuse_existing
from ..core.joins import DowelJoin, Join, KeyJoin, LapJoin, Peg, PivotJoin
from ..core.joins.reports import ContactFound, DryMove, JoinReport, TurnChecked
from ..core.results.outcome import Outcome
from .arguments import opened_file, printer_of
from .cut import cut_figures, piece_figures
from .recipes import carried_out, recipe_of, refuse_misses


def run(arguments: argparse.Namespace) -> dict[str, object]:
    recipe = recipe_of(arguments)
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    plan = carried_out(plan, recipe, arguments, evaluator)
    bare = evaluator.evaluate(plan.changed(joins=()), printer, arguments.job, detail="figures")
    refuse_misses(recipe, bare)
    if arguments.auto:
        found = evaluator.proposed_joins(plan, printer, arguments.job, stock=arguments.rods)
        plan = plan.changed(joins=(*plan.joins, *found))
    if arguments.letters:
        plan = plan.changed(joins=(*plan.joins, *evaluator.lettered(plan, printer, arguments.job)))
    outcome = evaluator.evaluate(plan, printer, arguments.job)
    fit = evaluator.dry_fit(plan, printer, arguments.job)
    together = arguments.out / "pieces.3mf"
    if not arguments.assembled:
        refuse_existing([together], replace=arguments.replace)
    write_stls(outcome.pieces, arguments.out, replace=arguments.replace, assembled=arguments.assembled)
    if not arguments.assembled:
        write_3mf(outcome.pieces, printer, opened.model.name, together, replace=arguments.replace)
    own = [piece for piece in outcome.pieces if not piece.extra]
    return {
        "contacts": [_contact(number, contact, outcome) for number, contact in enumerate(outcome.contacts)],
        "pieces": [
            {"file": file_name(piece), **piece_figures(piece),
             "base_kept": _kept(piece.figures.base_area_mm2, before.figures.base_area_mm2)}
            for piece, before in zip(own, bare.pieces, strict=True)
        ],
        "extras": [
            {"kind": piece.extra, "name": piece.name, "file": file_name(piece), "volume_mm3": piece.solid.volume}
            for piece in outcome.pieces if piece.extra
        ],
        "dry_fit": [_move(move) for move in fit.moves],
        "blocked": [
            {"pieces": [number + 1 for number in move.meets], "along": list(move.along), "free_mm": move.free}
            for move in fit.moves if move.meets is not None
        ],
        "turns": [_turn(one) for one in fit.turns],
        "meeting_points": [
            {"place": list(one.place), "contacts": [number + 1 for number in one.contacts], "likely_mm": one.likely,
             "worst_mm": one.worst}
            for one in fit.meetings
        ],
        "cuts": [cut_figures(cut, outcome) for cut in recipe.cuts if cut.on],
        "notes": [note.as_json() for note in outcome.notes],
        "volume_before_mm3": outcome.volume_before_mm3,
        "kerf_volume_mm3": outcome.kerf_mm3,
        "set_aside_mm3": outcome.set_aside_mm3,
        "joins_volume_mm3": outcome.joins_mm3,
        "support_volume_mm3": outcome.totals.support_volume_mm3,
    }


def _kept(after: float, before: float) -> float | None:
    """The share of its base area that a piece still has; None where it had none."""
    return after / before if before > 0 else None


def _contact(number: int, contact: ContactFound, outcome: Outcome) -> dict[str, object]:
    """A contact with its joins."""
    joins = [
        _join(join, outcome.joins[join.id], contact)
        for join in outcome.plan.joins if join.id in outcome.joins and outcome.joins[join.id].contact == number
    ]
    walls = [one["least_wall_mm"] for one in joins if isinstance(one["least_wall_mm"], float)]
    return {
        "pieces": [piece + 1 for piece in contact.pieces], "cut": contact.cut, "area_mm2": contact.area,
        "flat": contact.flat, "way_in": list(contact.way_in), "least_wall_mm": min(walls, default=None),
        "joins": joins,
    }


def _join(join: Join, report: JoinReport, contact: ContactFound) -> dict[str, object]:
    carrier = (
        contact.pieces[0 if join.carrier == "first" else 1] + 1
        if isinstance(join, KeyJoin | LapJoin | PivotJoin)
        else None
    )
    return {
        "id": join.id, "kind": join.kind, "carrier": carrier, "place": list(report.place),
        "clearance_mm": report.clearance if join.holds else None,
        "draft_deg": join.draft if isinstance(join, Peg) else 0.0 if isinstance(join, DowelJoin) else None,
        "least_wall_mm": report.least_wall if math.isfinite(report.least_wall) else None,
        "made": not report.problem, "problem": report.problem, "why": join.why, "measures": join.sentence(),
        "added_mm3": report.added, "removed_mm3": report.removed, "moved_mm": report.moved,
    }


def _turn(one: TurnChecked) -> dict[str, object]:
    """A joint that moves. ``free_deg`` is the widest range around 0 without contact; ``held_by`` is the number of
    the contact that holds it, from 1 on.
    """
    return {
        "join": one.join, "pieces": [number + 1 for number in one.pieces], "range_deg": [one.turn.low, one.turn.high],
        "free_deg": list(one.free), "held_by": None if one.held_by is None else one.held_by + 1,
        "overlap_mm3": max(
            (overlap for angle, overlap in zip(one.angles, one.overlaps, strict=True)
             if one.turn.low <= angle <= one.turn.high), default=None,
        ),
    }


def _move(move: DryMove) -> dict[str, object]:
    """A step of the dry fit. ``free_mm`` is None where the whole path is free."""
    return {
        "piece": move.pieces[0] + 1, "pieces": [number + 1 for number in move.pieces],
        "onto": [number + 1 for number in move.onto], "along": list(move.along), "free_mm": move.free,
    }
