"""Seats pieces: each gets the seat that the user chose, or the best one found, and is measured there."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..cache import Cache
from ..cuts import Side
from ..figures.base_area import fit
from ..figures.default_seats import SEARCH_CELLS, Seat, SeatWishes, seats_of
from ..figures.marked_facets import Marked
from ..geometry.orientation import Tilt
from ..geometry.place_on_bed import down_to_rotation, set_down
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..parting.bodies import Part, Uncut, as_opened
from ..plan.piece_settings import PieceSettings, made_on
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import Job, Spread
from ..results.outcome import Piece
from .exposure_cache import Exposures
from .piece import DRAG_CELLS, Detail, lift_of, measured


@dataclass(frozen=True, eq=False)
class Whole:
    """What all pieces of a plan have in common.

    Attributes
    ----------
    uncut : Uncut
        The bodies at their size.
    marks : Marked
        The marks on all of their triangles.
    parted : bool
        Whether any cut divides them.
    """

    plan: Plan
    printer: Printer
    uncut: Uncut
    marks: Marked
    parted: bool
    detail: Detail


@dataclass(frozen=True, eq=False)
class ToSeat:
    """A part that is to be seated.

    Attributes
    ----------
    draft, draft_marks : Solid
        The draft mesh on which seats are searched, and its marks.
    settings : PieceSettings | None
        The user's settings for this piece.
    extra : str
        What it is, if it is not a part of the model.
    """

    number: int
    name: str
    part: Part
    draft: Solid
    draft_marks: Marked
    settings: PieceSettings | None
    extra: str


@dataclass(frozen=True, eq=False)
class Seating:
    """Finds seats and measures pieces, and caches both.

    Attributes
    ----------
    cache : Cache
        The cache.
    spread : Spread
        See ``progress.Spread``.
    """

    cache: Cache
    spread: Spread
    _seated: dict[tuple[Side, ...], tuple[float, float, float]] = field(default_factory=dict)
    """How the piece on some sides sat when it was last measured whole: down directions, to try while dragging."""

    def piece(self, whole: Whole, one: ToSeat, job: Job) -> Piece:
        """A piece in its seat, measured.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        job.step(0.0, tr("Seating {name}", name=one.name))
        plan, part, settings = whole.plan, one.part, one.settings
        printer, second = made_on(settings, whole.printer, plan.second)
        marks = whole.marks.of(part.solid.origin)
        # what is printed apart, and is no part of the model, lies on the bed
        lift = lift_of(plan, settings) if part.down is None or settings is not None else 0.0
        tilt, kind = self._seat(whole, one, marks, printer, lift, job.part(0.0, 0.6))
        exact = whole.detail in ("exact", "whole")
        exposures = Exposures(self.cache, self.spread)
        exposed = exposures.of_piece(whole.uncut, part, one.draft, job.part(0.6, 1.0)) if exact else None
        figures = self.cache.once(
            ("figures", part.key, tilt, plan.threshold, lift, plan.marks, printer, whole.detail),
            lambda: measured(part.solid, tilt, plan.threshold, printer, marks, lift, exposed, whole.detail),
            len(part.solid.triangles) // 4,
        )
        within = self.cache.once(
            ("fit", part.key, tilt, lift, printer),
            lambda: fit(printer.growth * set_down(part.solid.vertices, tilt.rotation, lift), printer),
        )
        alone = len(whole.uncut.groups) == 1 and not whole.parted
        return Piece(
            one.number + 1, settings.name if settings and settings.name else one.name, part.solid, part.sides,
            part.anchor, tilt, kind, figures.figures, within, part.crumb, alone,
            as_opened(plan, whole.uncut) if alone else None, settings, figures.past, figures.skin, lift, marks.bits,
            figures.spots, figures.layers, extra=one.extra, made_on=printer if printer != whole.printer else None,
            second=second,
        )

    def _seat(
        self, whole: Whole, one: ToSeat, marks: Marked, printer: Printer, lift: float, job: Job
    ) -> tuple[Tilt, str]:
        """The seat of a piece, and the reason for it in words."""
        part, settings, plan = one.part, one.settings, whole.plan
        if settings is not None and settings.seat is not None:
            return settings.seat, tr("as you seated it")
        if part.down is not None:
            return Tilt.from_rotation(down_to_rotation(np.array(part.down))), tr("lying, for strength")
        if not whole.parted:
            return plan.tilt, tr("as the model stands")
        found = self._found_seat(whole, one, marks, printer, lift, job)
        tilt = Tilt.from_rotation(found.rotation)
        if whole.detail == "whole":
            self._seated[part.sides] = tilt.down
        return tilt, found.kind

    def _found_seat(
        self, whole: Whole, one: ToSeat, marks: Marked, printer: Printer, lift: float, job: Job
    ) -> Seat:
        """The best seat found by a search. While something is dragged only a few are tried, among them the last one."""
        part, plan, quick = one.part, whole.plan, whole.detail == "quick"
        before = self._seated.get(part.sides) if quick else None
        cells = DRAG_CELLS if quick else SEARCH_CELLS
        wishes = SeatWishes(plan.tilt.rotation, plan.threshold, printer.room, lift, cells)
        key = ("seats", part.key, plan.tilt, plan.threshold, plan.marks, quick, before, printer.room, lift)
        seats = self.cache.once(
            key,
            lambda: seats_of(
                one.draft, wishes, one.draft_marks,
                thorough=not quick,
                free=None if before is None else np.array([before]),
                whole=None if quick else (part.solid, marks),
                job=job,
                spread=map if quick else self.spread,
            ),
        )
        return seats.chosen(plan.leaning)
