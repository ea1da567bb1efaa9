"""Proposes vents for a hollowed piece of a plan in its seat."""

from __future__ import annotations

import numpy as np

from ..document.marks import SHOW
from ..evaluate.evaluator import Evaluator
from ..figures.marked_facets import facets_at
from ..geometry.pose import BedPose
from ..hollowing.apply_hollows import emptied
from ..hollowing.vents import propose_vents
from ..plan.hollow import MOST_VENTS, Hollow, Vent
from ..plan.piece_matching import nearest_alike
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job


def proposed_vents(
    evaluator: Evaluator, plan: Plan, hollow_id: str, printer: Printer, most: int = MOST_VENTS, job: Job = QUIET
) -> tuple[Vent, ...]:
    """Vents for a hollow of a plan, in place of those that it has; see ``propose_vents``.

    Parameters
    ----------
    hollow_id : str
        The id of the hollow.
    most : int
        The most vents for each void.

    Raises
    ------
    BadPlan
        There is no such hollow.
    HollowFailed
        There is nothing to hollow.
    OpenSurface, CutFailed, Cancelled
        As ``Evaluator.evaluate``.
    """
    hollow: Hollow = plan.hollow(hollow_id)
    bare = plan.changed(hollows=())
    pieces = evaluator.evaluate(bare, printer, job.part(0.0, 0.2), detail="figures").pieces
    parts = [evaluator.part_of(bare, n, job, printer)[1] for n in range(len(pieces))]
    number = nearest_alike(hollow, parts)
    if number is None:
        return ()
    piece, part = pieces[number], parts[number]
    empty = emptied(part, hollow, evaluator.kept, job.part(0.2, 0.5))
    seat = BedPose(part.solid, piece.seat.rotation, piece.lift)
    exposed = evaluator.exposed_piece(bare, number, job.part(0.5, 0.6), printer)
    same = facets_at(part.solid, empty.solid.centroids)
    show = (piece.marks[same] & SHOW) > 0
    return propose_vents(empty, hollow, seat, np.asarray(exposed[same]), show, printer, most, job.part(0.6, 1.0))
