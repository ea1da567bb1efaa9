"""Proposes seats."""

from __future__ import annotations

import argparse
from dataclasses import fields

import numpy as np

from ..core.evaluate.evaluator import Evaluator
from ..core.figures.exposure import spread_directions
from ..core.search.direction_figures import sweep
from ..core.search.results import MapFigures
from ..core.search.seats import seats_worth_trying
from ..core.search.weighing import PRESETS
from .arguments import opened_file, printer_of


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    plan = plan.changed(threshold=arguments.theta, lift=arguments.lift)
    evaluator = Evaluator(opened.model, arguments.spread)
    subject = evaluator.subject(plan, 0, arguments.job)
    exposed = evaluator.exposed_piece(plan, 0, arguments.job)
    seats, _ = seats_worth_trying(subject, printer, PRESETS[printer.kind], exposed, arguments.job, arguments.spread)
    spread = spread_directions(arguments.map) if arguments.map else np.empty((0, 3))
    directions = sweep(subject, spread, printer, arguments.job, arguments.spread)
    result: dict[str, object] = {
        "seats": [
            {"down": seat.tilt.down, "kind": seat.kind, "fits": seat.fit.fits, "too_large_mm": seat.fit.over}
            | seat.figures.as_dict()
            for seat in seats[: arguments.top]
        ]
    }
    if arguments.map:
        names = [field.name for field in fields(MapFigures)]
        result["map"] = [
            {name: np.asarray(getattr(directions, name)[n]).tolist() for name in names} for n in range(len(directions))
        ]
    problem = subject.solid.defects.sentence()
    return result | ({"problem": problem} if problem else {})
