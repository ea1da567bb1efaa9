"""Searches for a seat: the tilt map of the selected piece, the seats worth trying, and the seats that were tried."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.document.marks import SHOW
from ...core.errors import DeftError
from ...core.geometry.orientation import Tilt
from ...core.geometry.place_on_bed import seated_on
from ...core.locale.translate import sentence, tr
from ...core.plan.plan import Plan
from ...core.search.results import MapFigures
from ...core.search.weighing import PRESETS, Weights, blend, parts_of
from ..messages.replies import MapRound, SeatsFound, SeatShown
from ..messages.requests import FindSeats, Lean, LookAround, Peek, SeatAll
from .choices import Choosing
from .desk import Desk
from .seats import Seats

_LONGEST_TRAIL = 40


class Seating(QObject):
    """The search for a seat of the selected piece.

    Attributes
    ----------
    figures : MapFigures or None
        The figures of all directions examined.
    flats : (k, 3) float64
        Directions of large flats and facets of the hull.
    seats : list of SeatShown
        Seats worth trying, best first.
    ways : tuple of SeatShown
        The present seat and a lean, on the bed and lifted.
    trail : list of Tilt
        The seats that were tried.
    figure : str
        What colours the map: a key of ``FIGURES`` in the tilt map.
    weights : Weights
        What matters here.
    """

    changed = Signal()
    peeked = Signal(object)

    def __init__(self, desk: Desk, seats: Seats, choosing: Choosing) -> None:
        super().__init__(desk)
        self._desk, self._seats, self._choosing = desk, seats, choosing
        self.figures: MapFigures | None = None
        self.flats: Floats = np.empty((0, 3))
        self.seats: tuple[SeatShown, ...] = ()
        self.ways: tuple[SeatShown, ...] = ()
        self.trail: list[Floats] = []
        self.figure = "support_volume_mm3"
        self._key: object = None
        desk.outcome_changed.connect(self._look)
        desk.selection_changed.connect(self._look)
        desk.step_changed.connect(self._look)

    # what there is

    @property
    def weights(self) -> Weights:
        """What matters here; the preset for the printer's kind until the user changes it."""
        return self._desk.settings.weights or PRESETS[self._desk.printer.kind]

    @property
    def busy(self) -> bool:
        return self._desk.jobs.busy_with("map")

    @property
    def now(self) -> Floats | None:
        """The downward direction of the selected piece's seat.

        Returns
        -------
        (3,) float64 or None
        """
        tilt = self._seats.tilt
        return None if tilt is None else np.array(tilt.down)

    @property
    def has_show_faces(self) -> bool:
        piece = self._desk.piece
        return piece is not None and bool((piece.marks & SHOW).any())

    def values(self, figures: MapFigures) -> Floats:
        """The figure that colours the map, for each direction examined.

        Returns
        -------
        (n,) float64
        """
        if self.figure == "blend":
            return blend(parts_of(figures, self.has_show_faces), self.weights)
        return np.asarray(getattr(figures, self.figure))

    def tilt_to(self, down: Floats) -> Tilt:
        """The rotation with a given direction down that is nearest to the present seat."""
        return seated_on(self._seats.tilt, down)

    # looking

    def _subject(self) -> object:
        """What the map depends on: the piece and what it is judged by, but not its seat."""
        desk, plan = self._desk, self._desk.plan
        wish = desk.piece.wished if desk.piece else None
        lift = wish.lift if wish and wish.lift is not None else plan.lift
        return (
            plan.parting, plan.threshold, plan.marks, lift, desk.selected_piece if len(desk.pieces) > 1 else 0,
            desk.printer,
        )

    def _look(self) -> None:
        desk = self._desk
        if desk.step != "Tilt" or not desk.up_to_date:
            return
        key = self._subject()
        if key != self._key:
            self._key = key
            self.figures, self.seats, self.ways, self.trail = None, (), (), []
            self._ask_round(0)
        now = self.now
        if now is not None and (not self.trail or float(self.trail[-1] @ now) < 1 - 1e-6):
            self.trail = [*self.trail, now][-_LONGEST_TRAIL:]
            self.ways = ()
        self.changed.emit()

    def look_again(self) -> None:
        """Continue after the search was stopped."""
        self._key = None
        self._look()

    def _ask_round(self, number: int) -> None:
        desk, key = self._desk, self._key

        def add_round(found: MapRound) -> None:
            self.figures = found.figures if self.figures is None else self.figures.and_also(found.figures)
            self.flats = found.flats
            self.changed.emit()
            if found.more:
                self._ask_round(number + 1)
            else:
                self._ask_seats()

        desk.ask(
            "map:round", LookAround(desk.plan, desk.printer, desk.selected_piece, number), done=add_round,
            failed=lambda _: None, still=lambda: key == self._key, label=tr("Searching all seats"),
        )

    def _ask_seats(self) -> None:
        desk, key, weights = self._desk, self._key, self.weights

        def take_seats(found: SeatsFound) -> None:
            self.figures, self.seats = found.figures, found.seats
            self.changed.emit()
            if weights != self.weights:
                self._ask_seats()

        desk.ask(
            "map:seats", FindSeats(desk.plan, desk.printer, desk.selected_piece, weights), done=take_seats,
            still=lambda: key == self._key, label=tr("Searching for seats worth trying"),
        )

    def peek(self, down: Floats) -> None:
        """Ask for a small picture of the piece in a seat; ``peeked`` delivers it."""
        desk = self._desk
        desk.ask(
            "peek", Peek(desk.plan, desk.printer, desk.selected_piece, self.tilt_to(down)), done=self.peeked.emit,
            failed=lambda _: None,
        )

    # choosing

    def show_figure(self, figure: str) -> None:
        self.figure = figure
        self.changed.emit()

    def weigh(self, weights: Weights) -> None:
        """Changes what matters here."""
        self._desk.change_settings(weights=weights)
        self.changed.emit()
        if self.figures is not None and not self.busy:
            self._ask_seats()

    def take(self, did: str, tilt: Tilt, lift: float | None = None) -> None:
        """Seats the selected piece."""
        self._seats.set(did, tilt, lift)

    def take_down(self, down: Floats) -> None:
        """Seat the selected piece on the direction that was clicked on the map."""
        self.take(tr("take a seat from the tilt map"), self.tilt_to(down))

    def keep(self, shown: SeatShown) -> None:
        """Keep a seat as a choice without using it."""
        try:
            plan = self._seats.plan_with(shown.seat.tilt, shown.seat.lift)
        except DeftError as error:
            self._desk.failed.emit(error)
            return
        self._choosing.keep_plan(plan, sentence(shown.seat.kind))

    def compare_ways(self, lift: float) -> None:
        """Ask what leaning and lifting would gain and cost."""
        desk, key, plan = self._desk, self._key, self._desk.plan

        def take_lean(found: tuple[SeatShown, ...]) -> None:
            self.ways = found
            self.changed.emit()

        desk.ask("ask:ways", Lean(plan, desk.printer, desk.selected_piece, self.weights, lift), done=take_lean,
                  still=lambda: key == self._key and desk.plan == plan, label=tr("Trying a lean"))

    def seat_all(self) -> None:
        """Seats every piece in the seat that is best by the weights."""
        desk = self._desk
        plan, pieces = desk.plan, desk.pieces

        def seat_pieces(tilts: list[Tilt]) -> None:
            changed: Plan = plan
            if len(pieces) == 1 and pieces[0].alone:
                changed = plan.changed(tilt=tilts[0])
            else:
                for piece, tilt in zip(pieces, tilts, strict=True):
                    changed = changed.with_wish(piece.wish(seat=tilt), piece.wished)
            desk.do_plan(tr("seat all pieces"), changed)

        desk.ask("ask:all", SeatAll(plan, desk.printer, len(pieces), self.weights), done=seat_pieces,
                  label=tr("Seating all pieces"))
