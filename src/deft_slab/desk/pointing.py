"""Pointing at the model: where a click on the bed goes, and what was measured there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from ..core.judge.tilts import seated_on
from .replies import Walls
from .requests import FaceRegion, FollowEdge, MeasureEdge, MeasureWall, MeasureWalls

if TYPE_CHECKING:
    from .state import DeskState


@dataclass(frozen=True, eq=False)
class Measured:
    """What was measured on the model by pointing at it.

    kind : "distance", "wall", "edge" or "scale"; points : (k, 3) mm, model frame; words : the answer; value : mm, None
    while it is not there yet
    """

    kind: str
    points: NDArray[np.float64]
    words: str
    value: float | None = None


GOES_ON = ("brush", "grown", "ball", "box", "turn", "cut line", "cut outline")
"""What is pointed at again and again, until it is ended."""


class Pointing(QObject):
    """A part of the desk state. kind : what is pointed at for, "" while nothing is. To measure: "distance", "wall",
    "edge", "scale"; to seat a piece: "facet", "three" points, "region", "up" (two points, the lower one first), "turn"
    by dragging; to mark the surface: "brush", "grown", "ball", "box"; to cut: "cut three" points, "cut facet", "cut
    edge", a "cut line" or "cut outline", a place for a "cut scoop", "cut lift-off" or the region of a "cut reach"

    walls : of the pieces, where they are shown; wall_limit : mm, what counts as thin
    """

    changed = Signal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self._state = state
        self.kind = ""
        self.measured: Measured | None = None
        self.walls: Walls | None = None
        self.wall_limit = 0.0

    def forget(self) -> None:
        """The model is another one, or at another size."""
        if self.kind not in GOES_ON:
            self.kind = ""
        self.measured = self.walls = None
        self.changed.emit()

    def begin(self, what: str) -> None:
        """Begins to point at the model, or ends it ("")."""
        self.kind = what
        if what:
            self.measured = None
        self.changed.emit()
        self._state.view_changed.emit()

    def at(self, number: int, facet: int, place: NDArray[np.float64]) -> None:
        """A place on a piece was clicked (mm, model frame) while pointing."""
        kind, state = self.kind, self._state
        if kind in ("distance", "scale"):
            before = self.measured.points if self.measured and len(self.measured.points) == 1 else np.empty((0, 3))
            points = np.concatenate([before, place[None]])
            length = float(np.linalg.norm(points[1] - points[0])) if len(points) == 2 else None
            words = "Click the second point." if length is None else f"{length:.2f} mm"
            self._show(Measured(kind, points, words, length), more=length is None)
        elif kind == "wall":
            self._show(Measured(kind, place[None], "Measuring …"))
            state.ask("ask:measure", MeasureWall(state.plan, state.printer, number, facet), label="Measuring the wall",
                      done=lambda mm: self._on_wall(place, number, facet, mm))  # fmt: skip
        elif kind == "edge":
            self._show(Measured(kind, place[None], "Measuring …"))
            state.ask("ask:measure", MeasureEdge(state.plan, state.printer, number, place), label="Measuring the edge",
                      done=self._on_edge)  # fmt: skip
        elif kind in ("three", "up"):
            self._collect(kind, number, place)
        elif kind == "region":
            state.select_piece(number)
            state.ask("ask:measure", FaceRegion(state.plan, state.printer, number, place, state.marker.crease),
                      done=lambda normal: self._seat_down(normal, "seat on a region"),
                      label="Fitting a plane")  # fmt: skip
            self.begin("")
        elif kind in ("grown", "ball", "box"):
            state.marker.at(kind, place)
        elif kind == "cut edge":
            self.begin("")
            state.ask("ask:measure", FollowEdge(state.plan, state.printer, number, place), label="Following the edge",
                      done=self._cut_along)  # fmt: skip
        elif kind in ("cut three", "cut facet"):
            self._cut_through(kind, number, facet, place)
        elif kind.startswith("cut "):
            state.placing.place_at(kind, place)

    def _collect(self, kind: str, number: int, place: NDArray[np.float64]) -> None:
        """Points for a seat, until there are enough."""
        wanted = 3 if kind == "three" else 2
        before = self.measured.points if self.measured and self.measured.kind == kind else np.empty((0, 3))
        points = np.concatenate([before, place[None]])
        if len(points) < wanted:
            words = f"point {len(points)} of {wanted}"
            self._show(Measured(kind, points, words), more=True)
            return
        self._state.select_piece(number)
        self.begin("")
        self.measured = None
        if kind == "up":
            self._seat_down(points[0] - points[1], "turn a direction up")
            return
        normal = np.cross(points[1] - points[0], points[2] - points[0])
        solid = self._state.pieces[number].solid
        inward = solid.bounds.mean(axis=0) - points[0]
        self._seat_down(-normal if float(normal @ inward) > 0 else normal, "seat on three points")

    def _cut_through(self, kind: str, number: int, facet: int, place: NDArray[np.float64]) -> None:
        """Adds a straight cut through three points, or in the plane of a facet."""
        if kind == "cut facet":
            self.begin("")
            normal = self._state.pieces[number].solid.normals[facet]
        else:
            before = self.measured.points if self.measured and self.measured.kind == kind else np.empty((0, 3))
            points = np.concatenate([before, place[None]])
            if len(points) < 3:
                self._show(Measured(kind, points, f"point {len(points)} of 3"), more=True)
                return
            self.begin("")
            self.measured = None
            normal = np.cross(points[1] - points[0], points[2] - points[0])
        length = float(np.linalg.norm(normal))
        if length < 1e-9:
            self._state.told.emit("Those points lie on one line: no plane goes through them.\nClick three others.")
            return
        x, y, z = (float(value) for value in normal / length)
        self._state.add_cut((x, y, z), float(normal @ place) / length)

    def _cut_along(self, found: Any) -> None:
        """Adds a straight cut along an edge that was followed."""
        self._state.add_cut(*found)

    def _seat_down(self, down: NDArray[np.float64], did: str) -> None:
        """Turns the selected piece so that a direction of the model frame points down."""
        if float(np.linalg.norm(down)) < 1e-9:
            self._state.told.emit("Those points lie on one line: no plane goes through them.\nClick three others.")
            return
        self._state.set_tilt(did, seated_on(self._state.tilt, down))

    def _show(self, measured: Measured, *, more: bool = False) -> None:
        self.measured = measured
        if not more:
            self.kind = ""
        self.changed.emit()
        self._state.view_changed.emit()

    def _on_wall(self, place: NDArray[np.float64], number: int, facet: int, mm: float) -> None:
        if not np.isfinite(mm):
            self._show(Measured("wall", place[None], "There is no other side here: the surface is open."))
            return
        inward = -self._state.pieces[number].solid.normals[facet]
        self._show(Measured("wall", np.stack([place, place + mm * inward]), f"{mm:.2f} mm of wall", mm))

    def _on_edge(self, edge: Any) -> None:
        words = f"{edge.diameter:.2f} mm across (round to within {edge.off:.2f} mm)"
        self._show(Measured("edge", edge.corners, words, edge.diameter))

    def scale_by_points(self, wanted: float) -> None:
        """Scales so that the two points that were clicked are so many mm apart."""
        measured = self.measured
        if measured is not None and measured.kind == "scale" and measured.value:
            plan = self._state.plan
            self._state.change("scale by two points", lambda: plan.sized(scale=plan.scale * wanted / measured.value))

    def show_walls(self, limit: float | None) -> None:
        """Colours the model where its wall is thinner than a limit, mm; None ends it."""
        if limit is None:
            self.walls = None
            self._state.view_changed.emit()
            return
        state = self._state
        plan = state.plan

        def done(walls: Walls) -> None:
            self.walls, self.wall_limit = walls, limit
            self.changed.emit()
            self._state.view_changed.emit()

        if self.walls is not None:
            done(self.walls)
        else:
            # they may come before the pieces of this plan do, and are no use on those that are still shown
            state.ask("ask:measure", MeasureWalls(plan, state.printer), done=done, label="Measuring the walls",
                      still=lambda: state.plan == plan and state.up_to_date)  # fmt: skip
