"""Checks a plan layer by layer, before it is printed."""

from __future__ import annotations

import argparse
import math

from ..core.errors import CutFailed
from ..core.evaluate.evaluator import Evaluator
from ..core.inspection.findings import Finding, Inspection, Island, Pocket
from ..core.inspection.inspect import check
from .arguments import opened_file, printer_of
from .recipes import with_recipe


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    plan = with_recipe(arguments, plan, evaluator, printer).changed(lift=arguments.lift)
    found = check(evaluator, plan, printer, arguments.layer, arguments.job)
    problem = next((one.problem for one in found if one.problem), "")
    if problem:
        raise CutFailed(problem)
    return {"layer_mm": found[0].thickness, "pieces": [piece_checked(one) for one in found]}


def piece_checked(found: Inspection) -> dict[str, object]:
    """The findings of one piece. ``begins`` lists where its surface begins with solid above; ``hangs_mm`` is how far
    that part hangs down, null where it never meets the rest.
    """
    steady = found.steadiness
    assert steady is not None
    return {
        "name": found.name,
        "layers": found.layers,
        "islands": [_island(one) for one in found.unheld],
        "held": [_island(one) | {"by": one.held} for one in found.islands if one.held],
        "small": [_island(one) for one in found.islands if one.small and not one.held],
        "pockets": [_pocket(one) for one in found.pockets],
        "voids": [_pocket(one) for one in found.pockets if one.trapped],
        "jumps": [_at(one) | {"growth_mm2": one.growth, "peel_mm2": one.peel} for one in found.jumps],
        "necks": [_at(one) | {"area_mm2": one.area, "above_mm2": one.above} for one in found.necks],
        "thin": [_at(one) | {"least_mm": one.least, "area_mm2": one.area, "supported": one.held} for one in found.thin],
        "grooves": [_at(one) | {"length_mm": one.length, "cut": one.cut} for one in found.grooves],
        "begins": [
            {"at": [float(x), float(y), float(z)], "hangs_mm": float(hangs) if math.isfinite(hangs) else None}
            for x, y, z, hangs in found.begins
        ],
        "largest_layer_mm2": float(found.areas.max()),
        "largest_peel_mm2": float(found.peel.max()),
        "tipping_deg": steady.tips,
        "slender": steady.slender if math.isfinite(steady.slender) else None,
        "push_n": steady.push,
        "foot_mm2": steady.foot,
    }


def _at(one: Finding) -> dict[str, object]:
    return {"z_mm": one.at[2], "at": list(one.at), "place": list(one.place)}


def _island(one: Island) -> dict[str, object]:
    return _at(one) | {"area_mm2": one.area, "grows_to_mm2": one.grows, "hangs_layers": one.hangs,
                        "meets": one.meets, "layer": one.layer}


def _pocket(one: Pocket) -> dict[str, object]:
    return _at(one) | {
        "area_mm2": one.area, "volume_mm3": one.volume, "trapped": one.trapped, "kind": one.becomes,
        "begins_mm": one.begins, "opens_mm": one.opens, "pull_n": one.pull,
    }
