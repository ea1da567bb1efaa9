"""Repairs a surface."""

from __future__ import annotations

import argparse

import numpy as np

from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.piece_files import write_solid
from ..core.locale.translate import tr
from ..core.plan.model import MendReport
from ..core.plan.plan import Mending
from .arguments import BadArgument, opened_file


def _report(report: MendReport) -> dict[str, object]:
    return {
        "triangles_before": report.triangles_before, "triangles_after": report.triangles_after,
        "volume_before_mm3": report.volume_before, "volume_after_mm3": report.volume_after,
        "largest_distance_mm": report.deviation, "specks": report.specks, "largest_speck_mm": report.speck_size,
        "tangled_share": report.tangled, "steps": [step.sentence() for step in report.steps],
    }


def run(arguments: argparse.Namespace) -> dict[str, object]:
    opened, plan = opened_file(arguments)
    fineness = None if arguments.rewrap is None else arguments.rewrap / float(np.abs(plan.factors).max())
    if arguments.thin is not None and arguments.thin < 100:
        raise BadArgument(tr("--thin must leave at least 100 triangles; got {count}.", count=arguments.thin))
    mending = Mending(
        clean=True, orient=True, close=arguments.rewrap is None, drop_specks=arguments.drop_specks, rewrap=fineness,
        thin_to=arguments.thin,
    )
    solid, report = Evaluator(opened.model, arguments.spread).mended(plan.changed(mending=mending), arguments.job)
    write_solid(solid, opened.model.name, arguments.out, replace=arguments.replace)
    problem = solid.defects.sentence()
    return _report(report) | {"closed": not problem} | ({"problem": problem} if problem else {})
