"""Measures a model in one seat."""

from __future__ import annotations

import argparse

from ..core.evaluate.evaluator import Evaluator
from ..core.figures.base_area import largest_scale
from ..core.figures.wall_thickness import thickness, thinnest
from ..core.geometry.orientation import Tilt
from ..core.geometry.place_on_bed import down_to_rotation, set_down
from ..core.importing.units import likely_unit
from ..core.locale.translate import tr
from ..core.mesh.solid import Solid
from ..core.plan.plan import Guest, Plan
from ..core.wearer.measures import FORMS
from .arguments import BadArgument, direction_of, opened_file, printer_of


def run(arguments: argparse.Namespace) -> dict[str, object]:
    tilt = Tilt.from_rotation(down_to_rotation(direction_of(arguments.down, tr("down direction"))))
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    plan = plan.changed(tilt=tilt, threshold=arguments.theta)
    outcome = Evaluator(opened.model, arguments.spread).evaluate(plan, printer, arguments.job, detail="exact")
    (piece,), report = outcome.pieces, outcome.report
    solid = piece.solid
    result = piece.figures.as_dict() | {
        "unit": plan.unit, "fits": piece.fit.fits, "too_large_mm": piece.fit.over,
        "largest_scale": plan.scale * largest_scale(set_down(solid.vertices, tilt.rotation), printer),
    }
    if report is not None:
        result["triangles"] = report.triangles_after if arguments.mend else report.triangles_before
    if opened.model.unit is None and arguments.unit is None:
        result["likely_unit"] = likely_unit(float(opened.model.solid.size.max()))
    if opened.model.bodies:
        result["bodies"] = [body.name for body in opened.model.bodies]
    if arguments.wall is not None:
        walls = thickness(solid)
        result |= {"thinnest_wall_mm": thinnest(walls, solid.areas),
                   "thin_wall_area_mm2": float(solid.areas[walls < arguments.wall].sum())}
    if arguments.wearer is not None:
        result |= _wearer(arguments, solid, plan)
    if arguments.mend and report is not None:
        result["mending"] = [step.sentence() for step in report.steps]
    problem = solid.defects.sentence()
    return result | ({"problem": problem} if problem else {})


def _wearer(arguments: argparse.Namespace, solid: Solid, plan: Plan) -> dict[str, object]:
    """The room around a wearer's form, placed where there is most of it."""
    from ..core.wearer.clearance import room_around, scale_with_clearance, settled_place  # slow to load

    name, measure_mm = arguments.wearer
    if name not in FORMS:
        raise BadArgument(tr("There is no form {name!r}. Available forms: {list}.", name=name, list=", ".join(FORMS)))
    form = FORMS[name]
    try:
        value = float(measure_mm)
    except ValueError as error:
        raise BadArgument(tr("--wearer needs a measure in mm; got {given!r}.", given=measure_mm)) from error
    if not form.least <= value <= form.most:
        raise BadArgument(
            tr(
                "The {measure} must be between {least:g} and {most:g} mm; got {value:g}.",
                measure=form.measure,
                least=form.least,
                most=form.most,
                value=value,
            )
        )
    middle = tuple((solid.bounds.mean(axis=0) / plan.factors).tolist())
    guest = Guest(id="g1", name=form.title, form=name, measure=value, place=middle, clearance=arguments.clearance)
    guest = guest.model_copy(update={"place": settled_place(solid, guest, plan.factors)})
    room = room_around(solid, guest, plan.factors)
    further = scale_with_clearance(solid, guest, plan.factors)
    return {
        "wearer": tr("{title}, {measure} {value:g} mm", title=form.title, measure=form.measure, value=value),
        "wearer_clearance_mm": room.clearance,
        "wearer_poking_area_mm2": room.poking_area, "scale_with_clearance": plan.scale * further,
    }
