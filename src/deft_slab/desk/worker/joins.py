"""Answers what Join asks for: room, proposals, the dry fit."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.errors import BadPlan
from ...core.exporting.piece_files import write_solid
from ...core.joining.coupon import coupon
from ...core.joins import Join
from ...core.joins.reports import DryFit
from ...core.locale.translate import tr
from ...core.progress import Job
from ..messages.replies import RoomShown
from ..messages.requests import FitDry, LetterAll, LookAtRoom, ProposeJoins, WriteCoupon
from .shop import Shop


class JoinAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop

    def room(self, asked: LookAtRoom, job: Job) -> RoomShown:
        """Room for a join. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        found = self._shop.evaluator(asked.plan).room_of(asked.plan, asked.join, job)
        if found is None:
            raise BadPlan(tr("The pieces of this join do not meet."))
        number, room = found
        join, printer = asked.join, asked.printer
        clearance = join.per_side(printer.clearance)
        enough, bare = (room.around(join, clearance, wall) for wall in (printer.least_wall, 0.0))
        return RoomShown(join.id, number, room.low, room.step, join.radius(clearance, printer.hole_allowance),
                         enough.astype(np.float32), bare.astype(np.float32))

    def propose(self, asked: ProposeJoins, job: Job) -> list[Join]:
        """Joins for contacts that have none. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        return self._shop.evaluator(asked.plan).proposed_joins(asked.plan, asked.printer, job, asked.only,
                                                              asked.stock)

    def letter(self, asked: LetterAll, job: Job) -> list[Join]:
        """Letters for contacts that have none. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        return self._shop.evaluator(asked.plan).lettered(asked.plan, asked.printer, job)

    def write_coupon(self, asked: WriteCoupon, job: Job) -> Path:
        """Raises SaveFailed, WouldReplace, BadPlan, JoinFailed."""
        made = coupon(asked.join, asked.printer, asked.steps)
        write_solid(made, "Coupon", asked.path, replace=asked.replace)
        return asked.path

    def dry_fit(self, asked: FitDry, job: Job) -> DryFit:
        """How the pieces go together. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        return self._shop.evaluator(asked.plan).dry_fit(asked.plan, asked.printer, job)
