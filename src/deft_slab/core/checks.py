"""Checks a plan: all of its pieces, each in its seat, layer by layer."""

from __future__ import annotations

import math
from functools import partial

import numpy as np

from .checked import Checked
from .layers.checking import checked, supported, with_left
from .outcome import Piece
from .plan import Plan
from .printer import Printer
from .progress import QUIET, Job
from .workshop import Workshop


def check(
    workshop: Workshop, plan: Plan, printer: Printer, layer: float | None = None, job: Job = QUIET
) -> tuple[Checked, ...]:  # fmt: skip
    """What there is to find of the pieces of a plan, one after the other.

    layer : mm, of what thickness its layers are; None: the printer's usual one

    Raises
    ------
    OpenSurface, CutFailed, BadPlan, Cancelled : as ``Workshop.evaluate``.
    """
    thickness = printer.layer_height if layer is None else layer
    bare = plan.changed(left=())
    pieces = workshop.evaluate(bare, printer, job.part(0.0, 0.3), detail="figures").pieces
    # what is printed by resin is held by posts alone; on a filament printer solid holds what leans out as far as the
    # threshold allows
    reach = thickness * math.tan(math.radians(plan.threshold)) if printer.kind == "filament" else 0.0

    def one(piece: Piece, step: Job) -> Checked:
        held = np.zeros(len(piece.solid.triangles), np.bool_)
        if printer.kind == "filament":
            held = supported(piece.solid, piece, (piece.marks & 2) > 0, (piece.marks & 4) > 0)
        return checked(piece, printer, thickness, held, (), plan.factors, reach, step)

    found = []
    for number, piece in enumerate(pieces):
        step = job.part(0.3 + 0.7 * number / len(pieces), 0.3 + 0.7 * (number + 1) / len(pieces))
        key = ("checked", bare, printer, thickness, number)
        made = workshop.kept.once(key, partial(one, piece, step), len(piece.solid.triangles) // 20)
        found.append(with_left(made, plan.left, plan.factors))
    return tuple(found)
