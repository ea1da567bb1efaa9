"""Proposes ways to cut a model that no other beats in both support left and visible seam."""

from __future__ import annotations

import argparse
import json
import time

from ..core.document.marks import Mark, Meaning
from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.beds import lay_out
from ..core.locale.translate import tr
from ..core.plan.plan import Plan
from ..core.plan.recipe import Recipe
from ..core.printers.profile import Printer
from ..core.search.effort import THOROUGH, USUAL
from ..core.search.fronts import spaced
from ..core.search.results import CutWishes, Way
from ..core.search.ways import WaySearch
from .arguments import BadArgument, opened_file, printer_of
from .cut import piece_figures

_LATE = tr("The time ran out. These plans were found so far; with more time there will be more and better ones.")


def run(arguments: argparse.Namespace) -> dict[str, object]:
    begun = time.monotonic()
    printer = printer_of(arguments.fit or arguments.printer)
    opened, plan = opened_file(arguments)
    marks = (*_marks(plan, arguments.avoid, "never"), *_marks(plan, arguments.prefer, "prefer"))
    plan = plan.changed(threshold=arguments.theta, marks=marks)
    evaluator = Evaluator(opened.model, arguments.spread)
    wishes = CutWishes(
        pieces=arguments.pieces, seam_limit=arguments.seam_limit, flat=arguments.flat, must_fit=bool(arguments.fit),
        least_volume=1000 * arguments.least, open_shells=not arguments.keep_shells,
    )
    effort = THOROUGH if arguments.thorough else USUAL
    search = WaySearch(evaluator, plan, printer, wishes, spread=arguments.spread, effort=effort)
    while not search.advance(arguments.job).done:
        if arguments.time is not None and time.monotonic() - begun > arguments.time:
            search.cut_short(arguments.job)
            arguments.shows.say(tr("deft-slab: {said}", said=_LATE))
            break
    ways = [way for way in search.front.ways if way.measured]
    parted = [way for way in ways if way.cuts]
    chosen = spaced(parted, arguments.top) if arguments.top else parted
    return {
        "support_volume_before_mm3": search.front.whole,
        "whole": [_whole(way) for way in ways if not way.cuts],
        "front": [_figures(evaluator, printer, way) for way in chosen],
        "least_pieces_to_fit": search.front.least_pieces,
        "why_none": "" if parted else search.front.short_of if search.front.done else _LATE,
        "to_the_end": search.front.done,
    }


def _marks(plan: Plan, balls: list[list[float]], meaning: Meaning) -> list[Mark]:
    """The marks for balls given in mm."""
    found = []
    for *place, radius in balls:
        if radius <= 0:
            raise BadArgument(tr("The radius of a ball must be more than 0; got {radius:g}.", radius=radius))
        x, y, z = (float(value) for value in place / plan.factors)
        i, j, k = (float(value) for value in radius / abs(plan.factors))
        found.append(Mark(meaning=meaning, shape="ball", places=((x, y, z),), half=(i, j, k)))
    return found


def _whole(way: Way) -> dict[str, object]:
    """The uncut model in a seat."""
    return {
        "down": way.plan.tilt.down, "support_volume_mm3": way.support, "sit_flat": way.all_flat, "fit": way.all_fit
    }


def _figures(evaluator: Evaluator, printer: Printer, way: Way) -> dict[str, object]:
    outcome = evaluator.evaluate(way.plan, printer)
    totals = outcome.totals
    recipe = Recipe(cuts=way.plan.recipe, pieces=way.plan.pieces, leaning=way.plan.leaning)
    return {
        "recipe": json.loads(recipe.model_dump_json()),
        "support_volume_mm3": totals.support_volume_mm3,
        "overhang_area_mm2": totals.overhang_area_mm2,
        "seam_in_sight_mm": totals.seam_in_sight_mm,
        "seam_on_show_mm": totals.seam_on_show_mm,
        "seam_length_mm": totals.seam_length_mm,
        "cut_area_mm2": totals.cut_area_mm2,
        "sit_flat": totals.flat_pieces == totals.pieces,
        "flat_pieces": totals.flat_pieces,
        "fit": totals.fitting_pieces == totals.pieces,
        "fitting_pieces": totals.fitting_pieces,
        "equal_pieces": way.alike,
        "beds": 1 + max(place.bed for place in lay_out(outcome.pieces, printer)),
        "print_seconds": totals.print_seconds,
        "pieces": [piece_figures(piece) for piece in outcome.pieces],
    }
