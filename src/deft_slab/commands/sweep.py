"""Evaluates a straight cut at every place along its normal."""

from __future__ import annotations

import argparse

from ..core.evaluate.evaluator import Evaluator
from ..core.locale.translate import tr
from ..core.search.cut_map import cut_subject, swept
from .arguments import direction_of, opened_file, printer_of


def run(arguments: argparse.Namespace) -> dict[str, object]:
    normal = direction_of(arguments.normal, tr("cut normal"))
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    subject = cut_subject(evaluator, plan.changed(threshold=arguments.theta), 0, printer, arguments.job)
    found = swept(subject, normal, arguments.job, arguments.places)
    places = [
        {"offset": float(found.offsets[k]), "support_volume_mm3": float(found.support[k]),
         "seam_in_sight_mm": float(found.sight[k]), "cut_area_mm2": float(found.area[k]),
         "longest_side_mm": float(found.largest[k]), "fits": bool(found.fits[k])}
        for k in range(len(found.offsets))
    ]
    return {"normal": normal.tolist(), "valleys": [float(found.offsets[k]) for k in found.valleys], "places": places}
