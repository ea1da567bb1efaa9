"""Searches for the place of a cut: the cut map, and the sweep and the rotations of the selected cut."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.cuts import PieceReach, Side, StraightCut
from ...core.document.base import Triple, triple
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.search.results import CutMap, CutWishes, Sweep, Turned
from ..messages.requests import LookForCuts, SweepCut, TurnCut
from .cuts import Cutting
from .desk import Desk
from .stale import being_made
from .ways import Ways

FROM_MAP = tr("take a cut from the cut map")
"""What is done by a click in the map."""


class CutSearch(QObject):
    """The search for the place of a cut.

    Attributes
    ----------
    map : CutMap or None
        Planes through the piece.
    sweep, turned
        Places and rotations of the selected cut.
    figure : str
        What colours the map: "support", "sight" or "both".
    """

    changed = Signal()

    def __init__(self, desk: Desk, cutting: Cutting, ways: Ways) -> None:
        super().__init__(desk)
        self._desk, self._cutting, self._ways = desk, cutting, ways
        self.map: CutMap | None = None
        self.sweep: Sweep | None = None
        self.turned: Turned | None = None
        self.figure = "support"
        self._key: object = None
        self._sweep_key: object = None
        for signal in (desk.outcome_changed, desk.selection_changed, desk.step_changed):
            signal.connect(self._look)
        desk.settings_changed.connect(self.changed)

    # what there is

    @property
    def wishes(self) -> CutWishes:
        return self._ways.wishes

    @property
    def busy(self) -> bool:
        return self._ways.busy

    def base(self) -> tuple[Plan, tuple[Side, ...]]:
        """The plan that the map is for, and the sides of the piece that it is for. If the selected cut is straight
        and the last one, it is left out, so that the map shows where else it could be; otherwise the map is for
        the selected piece.
        """
        desk, plan = self._desk, self._desk.plan
        cut = desk.cut
        if isinstance(cut, StraightCut) and plan.recipe[-1].id == cut.id and not cut.bounded:
            return self._cutting.before(cut)
        piece = desk.piece
        return plan, piece.sides if piece is not None and desk.up_to_date else ()

    @property
    def replaced(self) -> StraightCut | None:
        """The cut that moves when a place is taken; None if a cut would be added."""
        plan, _ = self.base()
        cut = self._desk.cut
        return cut if isinstance(cut, StraightCut) and plan != self._desk.plan else None

    # looking

    def _subject(self) -> object:
        plan, sides = self.base()
        return (
            plan.parting, plan.threshold, plan.marks, plan.audience, plan.tilt, plan.lift, plan.leaning, sides,
            self._desk.printer,
        )

    def _look(self) -> None:
        desk = self._desk
        if desk.step != "Cut":
            if self.map is None and desk.jobs.busy_with("places"):
                desk.jobs.cancel("places")
                self._key = None  # it is asked for again when Cut is open
            return
        if not desk.up_to_date:
            return
        if self._ways.problem:
            self.map = self.sweep = None
            self.changed.emit()
            return
        key = self._subject()
        if key != self._key:
            self._key, self._sweep_key = key, None
            self.map, self.sweep = None, None
            self._ask_map()
        self._ask_sweep()
        self.changed.emit()

    def look_again(self) -> None:
        """Continue after the search was stopped."""
        self._key = None
        self._look()

    def _ask_map(self) -> None:
        desk, key = self._desk, self._key
        plan, sides = self.base()

        def take_map(found: CutMap) -> None:
            self.map = found
            self.changed.emit()

        desk.ask("places", LookForCuts(plan, desk.printer, sides), done=take_map, failed=lambda _: None,
                  still=lambda: key == self._key, label=tr("Searching all directions of a cut"))

    def _ask_sweep(self) -> None:
        desk, cut = self._desk, self._desk.cut
        self.turned = None
        if not isinstance(cut, StraightCut):
            self.sweep, self._sweep_key = None, None
            return
        plan, sides = self._cutting.before(cut)
        key = (self._key, plan.recipe, cut.normal, sides)
        if key == self._sweep_key:
            return
        self._sweep_key, self.sweep = key, None

        def take_sweep(found: Sweep) -> None:
            self.sweep = found
            self.changed.emit()

        desk.ask("sweep", SweepCut(plan, desk.printer, sides, cut.normal), done=take_sweep, failed=lambda _: None,
                  still=lambda: key == self._sweep_key, label=tr("Sweeping the cut"))

    def ask_turned(self) -> None:
        """Ask for the figures of the selected cut rotated both ways."""
        desk, cut = self._desk, self._desk.cut
        if not isinstance(cut, StraightCut):
            return
        plan, sides = self._cutting.before(cut)

        def take_turned(found: Turned) -> None:
            self.turned = found
            self.changed.emit()

        desk.ask("ask:turned", TurnCut(plan, desk.printer, sides, cut.normal, cut.offset), done=take_turned,
                  label=tr("Turning the cut"))

    def take_turned(self, row: int, column: int) -> None:
        """Rotate the selected cut as a cell of its map of angles says."""
        found = self.turned
        if found is not None:
            normal, offset = found.normals[row, column], float(found.offsets[row, column])
            self._cutting.change(tr("turn a cut"), normal=triple(normal), offset=offset)

    # what the map shows

    def _figure(self, found: CutMap) -> Floats:
        """The figure that colours the map; inf where a place violates a condition.

        Returns
        -------
        (n, k) float64
        """
        wishes = self.wishes
        sight = found.hidden_sight(wishes)
        # support and seam together: each by what is usual among all places
        left = found.left(wishes)
        real = left[np.isfinite(left)]
        usual = max(float(np.median(real)) if len(real) else 0.0, 1e-9), max(float(np.median(sight)), 1e-9)
        figure = {"support": left, "sight": sight, "both": left / usual[0] + sight / usual[1]}[self.figure]
        return np.asarray(np.where(found.allowed(wishes), figure, np.inf))

    def values(self, found: CutMap) -> Floats:
        """For each normal, the best value of that figure at any place along it.

        Returns
        -------
        (n,) float64
        """
        best = self._figure(found).min(axis=1)
        worst = best[np.isfinite(best)].max(initial=0.0)
        return np.asarray(np.where(np.isfinite(best), best, worst))

    def best_place(self, found: CutMap, normal: Floats) -> tuple[int, int]:
        """The normal of the map nearest to a given one, and the best place along it."""
        n = int(np.argmax(np.abs(found.normals @ normal)))
        return n, int(np.argmin(self._figure(found)[n]))

    def show_figure(self, figure: str) -> None:
        self.figure = figure
        self.changed.emit()

    # taking a place

    def take(self, did: str, normal: Triple, offset: float) -> None:
        """Move the selected cut to a place that was found, or add a cut there."""
        if self._key != self._subject():  # it was found for another plan
            self._desk.failed.emit(being_made())
            return
        plan, sides = self.base()
        old = self.replaced
        reach = PieceReach(sides=sides) if sides else None
        number, name = (old.id, old.name) if old else plan.numbered
        cut = StraightCut(
            id=number, name=name, normal=normal, offset=offset, reach=reach, kerf=old.kerf if old else 0.0,
            crumbs=old.crumbs if old else "keep",
        )
        self._desk.selected_cut = cut.id
        self._desk.do_plan(did, self._desk.plan.with_cut(cut))

    def take_normal(self, normal: Floats) -> None:
        """Use the best place along the direction that was clicked on the map."""
        found = self.map
        if found is not None:
            n, k = self.best_place(found, normal)
            self.take(FROM_MAP, triple(found.normals[n]), float(found.offsets[n, k]))
