"""Cuts worth making."""

from __future__ import annotations

import argparse
import json

from ..core.plan import Recipe
from ..core.search.found import CutWishes
from ..core.search.proposals import proposed_plans
from ..core.workshop import Workshop
from .arguments import opened_file, printer_of
from .cut import piece_figures


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    plan = plan.changed(threshold=arguments.theta)
    workshop = Workshop(opened.model, arguments.spread)
    wishes = CutWishes(pieces=arguments.pieces, exactly=True, seam_limit=arguments.seam_limit)
    plans = proposed_plans(workshop, plan, printer, wishes, spread=arguments.spread)
    found = []
    for plan_ in plans[: arguments.top]:
        outcome = workshop.evaluate(plan_, printer)
        recipe = Recipe(cuts=plan_.recipe, pieces=plan_.pieces)
        pieces = [piece_figures(piece) for piece in outcome.pieces]
        totals = outcome.totals
        found.append({
            "recipe": json.loads(recipe.model_dump_json()), "support_volume_mm3": totals.support_volume_mm3,
            "overhang_area_mm2": totals.overhang_area_mm2, "seam_in_sight_mm": totals.seam_in_sight_mm,
            "seam_length_mm": totals.seam_length_mm, "cut_area_mm2": totals.cut_area_mm2, "pieces": pieces,
        })  # fmt: skip
    found.sort(key=lambda one: one["support_volume_mm3"])
    whole = workshop.evaluate(plan, printer)
    return {"support_volume_before_mm3": whole.totals.support_volume_mm3, "proposals": found}
