"""Answers what Tilt asks for: the tilt map, seats, leaning."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...core.arrays import Bytes, Floats
from ...core.document.marks import Mark
from ...core.evaluate.piece import SearchSubject
from ...core.figures.default_seats import candidates
from ...core.figures.exposure import spread_directions
from ...core.figures.marked_facets import facets_taken
from ...core.figures.overhang import overhang_angles
from ...core.geometry.orientation import Tilt
from ...core.printers.profile import Printer
from ...core.progress import Job
from ...core.search.direction_figures import sweep
from ...core.search.results import MapFigures, WorthTrying
from ...core.search.seats import leaning, seats_worth_trying
from ..messages.replies import MapRound, SeatsFound, SeatShown
from ..messages.requests import FaceRegion, FindSeats, Lean, LookAround, Peek, SeatAll
from ..pictures import picture_of_seat
from .shop import Shop, judged

_MAP_ROUNDS = (60, 240, 800)
"""Directions of each round of the tilt map; together about 1,000 with those of the search for seats."""


class TiltAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._looked: tuple[object, MapFigures] | None = None

    def map_round(self, asked: LookAround, job: Job) -> MapRound:
        """Figures of some directions of a piece, more in each round. Raises Cancelled, OpenSurface, CutFailed."""
        subject = self._shop.evaluator(asked.plan).subject(
            asked.plan, asked.number, job.part(0.0, 0.3), printer=asked.printer
        )
        flats = np.array([one.down for one in candidates(subject.light, subject.stood)])
        spread = spread_directions(_MAP_ROUNDS[asked.round_number])
        directions = (
            np.concatenate([np.array([subject.now.down]), flats, spread]) if asked.round_number == 0 else spread
        )
        printer = self._shop.judging(asked.plan, asked.number, asked.printer)
        figures = sweep(subject, directions, printer, job.part(0.3, 1.0), self._shop.spread)
        known = self._known(subject, printer) if asked.round_number else None
        self._looked = (judged(subject, printer), known.and_also(figures) if known else figures)
        return MapRound(figures, flats, asked.round_number + 1 < len(_MAP_ROUNDS))

    def seats(self, asked: FindSeats, job: Job) -> SeatsFound:
        """Seats worth trying of a piece. Raises Cancelled, OpenSurface, CutFailed."""
        evaluator = self._shop.evaluator(asked.plan)
        subject = evaluator.subject(asked.plan, asked.number, job.part(0.0, 0.1), printer=asked.printer)
        exposed = evaluator.exposed_piece(asked.plan, asked.number, job.part(0.1, 0.3), asked.printer)
        printer = self._shop.judging(asked.plan, asked.number, asked.printer)
        known = self._known(subject, printer)
        found, figures = seats_worth_trying(
            subject, printer, asked.weights, exposed, job.part(0.3, 0.9), self._shop.spread, known
        )
        return SeatsFound(_with_pictures(subject, found), figures)

    def _known(self, subject: SearchSubject, printer: Printer) -> MapFigures | None:
        """What the map has examined so far, if it was for the same subject and printer."""
        return self._looked[1] if self._looked and self._looked[0] == judged(subject, printer) else None

    def best_seats(self, asked: SeatAll, job: Job) -> list[Tilt]:
        """For each piece the best seat by the weights, among those in which it fits, if there are any. Raises
        Cancelled, OpenSurface, CutFailed.
        """
        best = []
        for number in range(asked.pieces):
            step = job.part(number / asked.pieces, (number + 1) / asked.pieces)
            subject = self._shop.evaluator(asked.plan).subject(asked.plan, number, step, printer=asked.printer)
            printer = self._shop.judging(asked.plan, number, asked.printer)
            found, _ = seats_worth_trying(subject, printer, asked.weights, None, step, self._shop.spread)
            best.append(next((one for one in found if one.fit.fits), found[0]).tilt)
        return best

    def leanings(self, asked: Lean, job: Job) -> tuple[SeatShown, ...]:
        """The present seat and a lean off it, on the bed and lifted. Raises Cancelled, OpenSurface, CutFailed."""
        evaluator = self._shop.evaluator(asked.plan)
        subject = evaluator.subject(asked.plan, asked.number, job.part(0.0, 0.2), printer=asked.printer)
        exposed = evaluator.exposed_piece(asked.plan, asked.number, job.part(0.2, 0.4), asked.printer)
        step, spread = job.part(0.4, 1.0), self._shop.spread
        printer = self._shop.judging(asked.plan, asked.number, asked.printer)
        found = leaning(subject, printer, asked.weights, exposed, asked.lift, step, spread)
        return _with_pictures(subject, found)

    def region_normal(self, asked: FaceRegion, job: Job) -> Floats:
        """The mean direction of the smooth region around a place (mm, model frame). Raises Cancelled.

        Returns
        -------
        (3,) float64
        """
        solid = self._shop.evaluator(asked.plan).subject(asked.plan, asked.number, job).solid
        mark = Mark(meaning="show", shape="grown", places=(tuple(asked.place.tolist()),), limit=asked.crease)
        facets = facets_taken(solid, mark, lambda _: np.zeros(len(solid.triangles)))
        return np.asarray(solid.area_vectors[facets].sum(axis=0))

    def peek(self, asked: Peek, job: Job) -> Bytes:
        """A small picture of a piece in a seat. Raises Cancelled, OpenSurface, CutFailed."""
        subject = self._shop.evaluator(asked.plan).subject(asked.plan, asked.number, job)
        angles = overhang_angles(subject.light.normals @ asked.tilt.rotation[2])
        past = np.where(angles > subject.threshold, angles - subject.threshold, -1.0).astype(np.float32)
        return picture_of_seat(subject.light, asked.tilt.rotation, past)


def _with_pictures(subject: SearchSubject, seats: list[WorthTrying]) -> tuple[SeatShown, ...]:
    """Seats with their pictures. What was only needed to draw them stays here."""
    nothing = np.empty(0, np.float32)
    return tuple(
        SeatShown(
            replace(seat, past_threshold=nothing),
            picture_of_seat(subject.solid, seat.tilt.rotation, seat.past_threshold),
        )
        for seat in seats
    )
