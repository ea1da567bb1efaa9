"""Checks all pieces of a plan, each in its seat, layer by layer."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache, partial

import manifold3d
import numpy as np

from ..document.base import triple
from ..evaluate.evaluator import Evaluator
from ..figures.support_scars import supported
from ..geometry.pose import BedPose
from ..layers.sections import Slicer
from ..plan.coupon import COUPON
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Outcome, Piece, Seam
from .accepted import with_left
from .filing_access import Shut, grooves
from .findings import Groove, Inspection, SectionFace
from .layer_findings import checked


def check(
    evaluator: Evaluator, plan: Plan, printer: Printer, layer: float | None = None, job: Job = QUIET
) -> tuple[Inspection, ...]:
    """Check the pieces of a plan, one after the other.

    Parameters
    ----------
    layer : float, mm
        The layer thickness; None: the usual one of each piece's printer.

    Raises
    ------
    OpenSurface, CutFailed, BadPlan, Cancelled
        As ``Evaluator.evaluate``.
    """
    bare = plan.changed(left=())
    outcome = evaluator.evaluate(bare, printer, job.part(0.0, 0.3), detail="figures")
    pieces = outcome.pieces
    tips = {one.piece: one.contact[one.made] for one in outcome.posts.values()}

    def one(piece: Piece, thickness: float, step: Job) -> Inspection:
        # what is printed by resin is held by posts alone; on a filament printer solid holds what leans out as far as
        # the threshold allows
        held, reach, on = np.zeros(len(piece.solid.triangles), np.bool_), 0.0, piece.on(printer)
        if on.kind == "filament":
            held, reach = supported(piece.solid, piece), thickness * math.tan(math.radians(plan.threshold))
        own = tips.get(piece.number - 1, np.empty((0, 3)))
        return checked(piece, on, thickness, held, reach, own, step)

    filed = _grooves(evaluator, bare, printer, outcome)
    found = []
    for number, piece in enumerate(pieces):
        step = job.part(0.3 + 0.7 * number / len(pieces), 0.3 + 0.7 * (number + 1) / len(pieces))
        thickness = piece.on(printer).layer_height if layer is None else layer
        key = ("checked", bare, printer, thickness, number)
        made = evaluator.kept.once(key, partial(one, piece, thickness, step), len(piece.solid.triangles) // 20)
        made = replace(made, grooves=filed.get(number, ()))
        if piece.extra == COUPON:  # its figures are thin on purpose
            made = replace(made, thin=(), necks=())
        found.append(with_left(made, plan.left, plan.factors))
    return tuple(found)


def _grooves(evaluator: Evaluator, plan: Plan, printer: Printer, outcome: Outcome) -> dict[int, tuple[Groove, ...]]:
    """Where no file reaches the seams, by the number of a piece that the place is on."""
    found: dict[int, tuple[Groove, ...]] = {}
    whole = cache(lambda: evaluator.mended(plan)[0])  # made once, and only if a seam is not known yet
    for cut, seam in outcome.seams.items():
        on = [n for n, piece in enumerate(outcome.pieces) if any(side.cut == cut for side in piece.sides)]
        if not on or not len(seam.segments):
            continue
        piece = outcome.pieces[on[0]]
        sits = BedPose(piece.solid, piece.seat.rotation, piece.lift)

        def shut(seam: Seam = seam) -> list[Shut]:
            return grooves(whole(), seam.segments, printer.file)

        key = ("grooves", plan.sized_model, seam.segments.tobytes(), printer.file)
        more = tuple(
            Groove(triple(sits.on_bed(one.place)), triple(one.place), one.length, cut)
            for one in evaluator.kept.once(key, shut)
        )
        found[on[0]] = found.get(on[0], ()) + more
    return found


def section_face(piece: Piece, z: float) -> SectionFace:
    """The exact section of a piece in its seat, as a filled face.

    Parameters
    ----------
    z : float
        Height over the bed, in mm.
    """
    sits = BedPose(piece.solid, piece.seat.rotation, piece.lift)
    nothing = SectionFace(piece.number - 1, z, 0.0, (), np.empty((0, 3)), np.empty((0, 3), np.int32))
    if not piece.figures.closed:
        return nothing
    sections = Slicer.of(piece.solid, sits.vertices).at(z)
    lines = tuple(line for line in sections.lines(0) if len(line) > 2)
    if not lines:
        return nothing
    region = manifold3d.CrossSection(list(lines), manifold3d.FillRule.Positive)
    polygons = region.to_polygons()
    triangles = np.asarray(manifold3d.triangulate(polygons), np.int32).reshape(-1, 3)
    flat = np.concatenate([np.asarray(polygon, float) for polygon in polygons] or [np.empty((0, 2))])
    corners = sits.on_model(np.column_stack([flat, np.full(len(flat), z)]))
    return SectionFace(piece.number - 1, z, float(region.area()), lines, corners, triangles)
