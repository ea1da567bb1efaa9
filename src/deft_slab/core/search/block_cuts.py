"""Block cuts that make pieces fit the printer: a freely rotated box around the body, divided into equal cells, with
its walls kept off detail.
"""

from __future__ import annotations

import math
from itertools import permutations

import numpy as np

from ..cuts import BlockCut, Cut, PieceReach
from ..errors import CutFailed
from ..figures.base_area import rooms_of_boxes
from ..geometry.orientation import Tilt
from ..locale.translate import tr
from ..parting.bodies import Part
from ..progress import QUIET, Job, Spread
from .cut_map import CutSubject
from .drafts import boxes_around
from .results import Limits
from .seam_settling import settled

_TRIED = 4
"""Turns of the box that are made, of those that take the fewest cells."""
_MOST_CELLS = 60


def blocks_for(part: Part, room: tuple[float, float, float], number: int) -> list[BlockCut]:
    """Block cuts of a body whose cells fit a printer's room, those with the fewest cells first.

    Parameters
    ----------
    part : Part
        In mm, model frame.
    room : (x, y, z), mm
    number : int
        The number of the cut, for its id and its name.
    """
    rotations, sizes = boxes_around(part.solid)
    rooms = rooms_of_boxes(sizes, room)
    found = []
    for n in np.lexsort((np.prod(sizes, axis=1), rooms))[:_TRIED]:
        if not 1 < rooms[n] <= _MOST_CELLS:
            continue
        counts = min(
            (tuple(_cells(size, side) for size, side in zip(sizes[n], order, strict=True))
             for order in permutations(room)), key=math.prod,
        )
        low, high = part.solid.turned_bounds(rotations[n])
        walls = [tuple(np.linspace(low[k], high[k], counts[k] + 1)[1:-1].round(3).tolist()) for k in range(3)]
        found.append(BlockCut(
            id=f"c{number}", name=tr("Cut {number}", number=number), turn=Tilt.from_rotation(rotations[n]), x=walls[0],
            y=(walls[1],),
            z=(walls[2],), reach=PieceReach(sides=part.sides) if part.sides else None,
        ))
    return found


def off_detail(
    subject: CutSubject, cuts: list[BlockCut], moved: float, job: Job = QUIET, spread: Spread = map
) -> list[Cut]:
    """Those block cuts whose walls show less seam a little way off, moved there, whatever that does to the support.
    Their cells fit as before.

    Parameters
    ----------
    moved : float, mm
        How far a wall may move.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    found: list[Cut] = []
    for n, cut in enumerate(cuts):
        try:
            better, _, _ = settled(
                subject, cut, Limits(moved=moved, rise=None), job.part(n / len(cuts), (n + 1) / len(cuts)), spread
            )
        except CutFailed:  # a wall beside the body: the cut is tried as it is
            continue
        if better != cut:
            found.append(better)
    return found


def _cells(size: float, room: float) -> int:
    return 1 if math.isinf(room) else max(1, math.ceil(size / room - 1e-6))
