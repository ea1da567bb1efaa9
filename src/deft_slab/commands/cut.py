"""Parting a model and writing its pieces."""

from __future__ import annotations

import argparse

from ..core.cuts import Cut, StraightCut
from ..core.errors import BadPlan, CutFailed
from ..core.handoff.equal import first_equals
from ..core.handoff.pieces import file_name, write_3mf, write_stls
from ..core.handoff.saving import refuse_existing
from ..core.judge.tilts import unit
from ..core.outcome import Outcome, Piece
from ..core.plan import MOST_CUTS, Recipe, read_recipe
from ..core.workshop import Workshop
from .arguments import opened_file, printer_of


def _recipe(arguments: argparse.Namespace) -> Recipe:
    cuts = tuple(
        StraightCut(id=f"s{n}", name=f"Cut {n}", normal=tuple(unit(values[:3], "cut normal")), offset=values[3])
        for n, values in enumerate(arguments.straight, 1)
    )
    if arguments.recipe is None:
        if not cuts:
            raise BadPlan("Say where to cut: --straight or --recipe.")
        return _recipe_of(Recipe(cuts=()), cuts)
    try:
        read = read_recipe(arguments.recipe.read_bytes())
    except OSError as error:
        raise BadPlan(f"The recipe {arguments.recipe} cannot be read ({error.strerror}).") from error
    return _recipe_of(read, cuts)


def _recipe_of(recipe: Recipe, more: tuple[Cut, ...]) -> Recipe:
    """A recipe with more cuts behind its own."""
    cuts = (*recipe.cuts, *more)
    if len(cuts) > MOST_CUTS:
        raise BadPlan(f"A recipe has at most {MOST_CUTS} cuts; this one has {len(cuts)}.")
    return recipe.model_copy(update={"cuts": cuts})


def run(arguments: argparse.Namespace) -> dict[str, object]:
    recipe = _recipe(arguments)
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    plan = plan.changed(threshold=arguments.theta, recipe=recipe.cuts, pieces=recipe.pieces, leaning=recipe.leaning)
    outcome = Workshop(opened.model, arguments.spread).evaluate(plan, printer)
    for cut in recipe.cuts:
        if cut.on and not outcome.cuts[cut.id].parts:
            raise CutFailed(
                f"“{cut.name}” {'parts nothing within its reach' if cut.reach else 'misses the model'}.",
                kept="Nothing was written.",
            )
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
        "cuts": [_cut_figures(cut, outcome) for cut in recipe.cuts if cut.on],
        "notes": list(outcome.notes),
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
    } | piece.figures.as_dict()  # fmt: skip


def _cut_figures(cut: Cut, outcome: Outcome) -> dict[str, object]:
    seam, report = outcome.seams[cut.id], outcome.cuts[cut.id]
    return {
        "name": cut.name, "kind": cut.kind, "seam_length_mm": seam.length, "seam_in_sight_mm": seam.in_sight,
        "seam_on_show_mm": seam.on_show, "cut_area_mm2": seam.cut_area, "kerf_volume_mm3": report.kerf,
        "set_aside_mm3": report.set_aside, "crumbs": len(report.crumbs),
    }  # fmt: skip
