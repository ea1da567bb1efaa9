"""Placing a cut: adding one of a kind, drawing its line on the model, and bounding it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from ..core.cuts import BentCut, BoxReach, Cut, OutlineReach, PieceReach, RegionReach, StraightCut
from ..core.documents import Triple, triple
from ..core.judge.edges import nearest_on
from ..core.marking import Region
from .cuts.kind import ON_DESK
from .requests import FindCreases
from .stale import being_made

if TYPE_CHECKING:
    from .state import DeskState

Floats = NDArray[np.float64]

_SNAP = 0.015
"""Share of the diagonal within which a point of a line goes to a crease, while nothing else is asked for."""


class Placing(QObject):
    """A part of the desk state.

    line : (k, 3) points of the line that is being drawn, mm, model frame; closes : it is a loop
    creases : (k, 2, 3) mm, model frame: the sharp edges that such a line is drawn to; none while they are not known
    """

    changed = Signal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self._state = state
        self.line: Floats = np.empty((0, 3))
        self.closes = False
        self.creases: Floats = np.empty((0, 2, 3))
        self._creases_for: object = None
        self._snap: float | None = None
        for signal in (state.selection_changed, state.outcome_changed, state.step_changed):
            signal.connect(self._look)

    def _look(self) -> None:
        """Has creases ready for the points of a bent cut that may be dragged."""
        state = self._state
        if state.step == "Cut" and state.up_to_date and isinstance(state.cut, BentCut):
            self.find_creases()

    def add(self, kind: str) -> None:
        """Adds a cut of a kind; one that needs a place on the model is placed by pointing."""
        state = self._state
        if state.plan is None or state.evaluated is None:
            return
        here = ON_DESK[kind]
        if here.pointed:
            self.line = np.empty((0, 3))
            state.pointing.begin(here.pointed)
            if here.pointed == "cut line":
                self.find_creases()
            return
        self.put(here.placed(self, None))

    def shared(self, word: str) -> dict[str, Any]:
        plan = self._state.plan
        number = 1 + sum(cut.name.startswith(word) for cut in plan.recipe)
        return {"id": plan.fresh_id(), "name": f"{word} {number}" if number > 1 else word}

    def put(self, cut: Cut) -> None:
        self._state.selected_cut = cut.id
        self._state.do_plan("add a cut", self._state.plan.with_cut(cut))

    @property
    def box(self) -> tuple[Floats, Floats]:
        """(low, high) of all pieces, mm, model frame; of the model while there are none yet."""
        if not self._state.pieces:
            corners = self._state.model.solid.bounds * self._state.plan.factors
            return corners.min(axis=0), corners.max(axis=0)
        solids = [piece.solid for piece in self._state.pieces]
        return np.min([s.bounds[0] for s in solids], axis=0), np.max([s.bounds[1] for s in solids], axis=0)

    @property
    def diagonal(self) -> float:
        """mm, of the box of all pieces."""
        low, high = self.box
        return float(np.linalg.norm(high - low))

    @property
    def room(self) -> tuple[float, float, float]:
        """mm that the printer has along each axis."""
        return self._state.printer.room

    @property
    def upward(self) -> Floats:
        """(3,) the way that is up while the model stands as it does, model frame."""
        return np.asarray(self._state.plan.tilt.rotation.T @ np.array([0.0, 0.0, 1.0]))

    @property
    def view(self) -> Triple:
        """The way from the eye to the model, model frame."""
        view = -self._state.plan.tilt.rotation.T @ np.array(self._state.line_of_sight)
        return triple(view / np.linalg.norm(view))

    def place_at(self, kind: str, place: Floats) -> None:
        """A place on the model was clicked (mm, model frame) to put a cut there."""
        state = self._state
        if kind in ("cut line", "cut outline"):
            point = self.snapped(place) if kind == "cut line" else place
            self.line = np.concatenate([self.line, point[None]])
            self.changed.emit()
            return
        state.pointing.begin("")
        pointed_at = next((here for here in ON_DESK.values() if here.pointed == kind), None)
        if pointed_at is not None:
            self.put(pointed_at.placed(self, place))
        elif kind == "cut reach" and state.cut is not None:
            margin = max(0.01 * self.diagonal, 0.5)
            reach = RegionReach(region=self.region_at(place), margin=margin)
            state.cutting.change("bound a cut by a region", reach=reach)

    @property
    def snap(self) -> float:
        """mm within which a point of a line goes to a crease; 0: never."""
        if self._snap is not None or not self._state.pieces:
            return self._snap or 0.0
        return round(_SNAP * self.diagonal, 1)

    def set_snap(self, reach: float) -> None:
        self._snap = reach
        self.changed.emit()

    def snapped(self, place: Floats) -> Floats:
        """The place (mm, model frame) on a crease that a point goes to; itself where none is near."""
        point, distance = nearest_on(self.creases, place)
        return point if distance <= self.snap else place

    def find_creases(self) -> None:
        """Looks for the sharp edges of the uncut model, once for each."""
        state = self._state
        plan = state.plan.changed(recipe=(), pieces=())
        key = (plan.model, tuple(plan.factors), plan.roles, plan.mending)
        if key == self._creases_for:
            return
        self._creases_for, self.creases = key, np.empty((0, 2, 3))

        def done(found: Floats) -> None:
            self.creases = found
            self.changed.emit()

        state.ask("ask:creases", FindCreases(plan), done=done, still=lambda: key == self._creases_for,
                  label="Looking for creases")  # fmt: skip

    def drop_line(self) -> None:
        """Lets go of the points that were clicked."""
        self.line = np.empty((0, 3))
        self.changed.emit()

    def drop_point(self) -> None:
        """Takes the last point of the line back."""
        self.line = self.line[:-1]
        self.changed.emit()

    def region_at(self, place: Floats) -> Region:
        """The smooth region around a place, up to the crease that Tilt's marks use, no farther than a quarter of it."""
        return Region(
            shape="grown", places=(triple(place),), limit=self._state.marker.crease, reach=0.25 * self.diagonal
        )  # fmt: skip

    def end_line(self, *, closed: bool) -> None:
        """Makes a bent cut of the points that were clicked."""
        state = self._state
        state.pointing.begin("")
        if len(self.line) >= (3 if closed else 2):
            self.closes = closed
            self.put(ON_DESK["bent"].placed(self, None))
        else:
            state.told.emit("A line needs two points, a loop three.\nClick more of them on the model.")
        self.line = np.empty((0, 3))

    # reach

    def bound(self, kind: str) -> None:
        """Bounds the selected cut: "all", "piece", "box", "region" (picked), "outline" (of the box, to be edited)."""
        state, cut = self._state, self._state.cut
        if cut is None:
            return
        low, high = self.box
        middle, half = (low + high) / 2, (high - low) / 2
        if isinstance(cut, StraightCut):
            normal = np.array(cut.normal)
            middle = middle + (cut.offset - float(normal @ middle)) * normal
        if kind == "all":
            state.cutting.change("let a cut go through everything", reach=None)
        elif kind == "piece" and state.piece is not None:
            if not state.pieces_up_to_date:
                state.failed.emit(being_made())
                return
            sides = tuple(side for side in state.piece.sides if side.cut != cut.id)
            state.cutting.change("bound a cut by a piece", reach=PieceReach(sides=sides) if sides else None)
        elif kind == "box":
            state.cutting.change("bound a cut by a box", reach=BoxReach(centre=triple(middle), half=triple(0.5 * half)))
        elif kind == "region":
            state.pointing.begin("cut reach")
        elif kind == "outline":
            self.line = np.empty((0, 3))
            state.pointing.begin("cut outline")

    def end_outline(self) -> None:
        """Bounds the selected cut by the outline that was clicked, as it is seen."""
        state, line = self._state, self.line
        state.pointing.begin("")
        self.line = np.empty((0, 3))
        if len(line) < 3:
            state.told.emit("An outline needs three points.\nClick more of them on the model.")
            return
        reach = OutlineReach(points=tuple(triple(one) for one in line), view=self.view)
        state.cutting.change("bound a cut by an outline", reach=reach)
