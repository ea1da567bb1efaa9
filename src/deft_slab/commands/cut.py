"""Cuts a model and writes its pieces."""

from __future__ import annotations

import argparse

from ..core.cuts import Cut
from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.equal_pieces import first_equals
from ..core.exporting.piece_files import file_name, write_3mf, write_stls
from ..core.exporting.safe_writing import refuse_existing
from ..core.results.outcome import Outcome, Piece
from .arguments import opened_file, printer_of
from .recipes import carried_out, recipe_of, refuse_misses


def run(arguments: argparse.Namespace) -> dict[str, object]:
    recipe = recipe_of(arguments)
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    plan = carried_out(plan, recipe, arguments, evaluator)
    outcome = evaluator.evaluate(plan, printer, arguments.job)
    refuse_misses(recipe, outcome)
    pieces = outcome.pieces
    together = arguments.out / "pieces.3mf"
    refuse_existing([together], replace=arguments.replace)
    how = {"equal_once": arguments.equal_once, "replace": arguments.replace}
    write_stls(pieces, arguments.out, **how)
    write_3mf(pieces, printer, opened.model.name, together, **how)
    firsts = first_equals(pieces)

    def written(n: int) -> dict[str, object]:
        first = firsts[n]
        name = file_name(pieces[first], firsts.count(first)) if arguments.equal_once else file_name(pieces[n])
        return {"file": name, "same_as": pieces[first].name if first != n else None}

    return {
        "pieces": [written(n) | piece_figures(piece) for n, piece in enumerate(pieces)],
        "cuts": [cut_figures(cut, outcome) for cut in recipe.cuts if cut.on],
        "notes": [note.as_json() for note in outcome.notes],
        "volume_before_mm3": outcome.volume_before_mm3,
        "kerf_volume_mm3": outcome.kerf_mm3,
        "set_aside_mm3": outcome.set_aside_mm3,
        "support_volume_mm3": outcome.totals.support_volume_mm3,
        "seam_length_mm": outcome.totals.seam_length_mm,
        "seam_on_show_mm": outcome.totals.seam_on_show_mm,
        "cut_area_mm2": outcome.totals.cut_area_mm2,
    }


def piece_figures(piece: Piece) -> dict[str, object]:
    return {
        "name": piece.name, "down": piece.seat.down, "fits": piece.fit.fits, "seat": piece.seat_kind
    } | piece.figures.as_dict()


def cut_figures(cut: Cut, outcome: Outcome) -> dict[str, object]:
    seam, report = outcome.seams[cut.id], outcome.cuts[cut.id]
    return {
        "name": cut.name, "kind": cut.kind, "seam_length_mm": seam.length, "seam_in_sight_mm": seam.in_sight,
        "seam_on_show_mm": seam.on_show, "cut_area_mm2": seam.cut_area, "kerf_volume_mm3": report.kerf,
        "set_aside_mm3": report.set_aside, "crumbs": len(report.crumbs),
    }
