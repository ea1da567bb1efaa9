"""Measures the model as a caliper would: distances, walls, round edges."""

from __future__ import annotations

from functools import partial

import numpy as np

from ...core.arrays import Floats
from ...core.joins.reports import RoundEdge
from ...core.locale import text
from ...core.locale.translate import tr
from ..messages.replies import Walls
from ..messages.requests import MeasureEdge, MeasureWall, MeasureWalls
from .desk import Desk
from .pointing import Pointing, Reading


class Measuring:
    """Measurements on the model.

    Attributes
    ----------
    walls : Walls or None
        The walls of the pieces, if they are shown.
    wall_limit : float, mm
        What counts as thin.
    """

    def __init__(self, desk: Desk, pointing: Pointing) -> None:
        self._desk, self._pointing = desk, pointing
        self.walls: Walls | None = None
        self.wall_limit = 0.0
        pointing.answer("distance", partial(self._on_point, "distance"))
        pointing.answer("scale", partial(self._on_point, "scale"))
        pointing.answer("wall", self._ask_wall)
        pointing.answer("edge", self._ask_edge)
        desk.opened.connect(self._forget)
        desk.project_changed.connect(self._forget)

    def _forget(self) -> None:
        """Drop everything, because the model or its size has changed."""
        self.walls = None

    def _on_point(self, kind: str, number: int, facet: int, place: Floats) -> None:
        """Take one of the two ends of a distance."""
        before = self._pointing.reading
        known = before.points if before is not None and len(before.points) == 1 else np.empty((0, 3))
        points = np.concatenate([known, place[None]])
        length = float(np.linalg.norm(points[1] - points[0])) if len(points) == 2 else None
        words = tr("Click the second point.") if length is None else text.length(length, 2)
        self._pointing.show(Reading(kind, points, words, length), more=length is None)

    def _ask_wall(self, number: int, facet: int, place: Floats) -> None:
        desk = self._desk
        self._pointing.show(Reading("wall", place[None], tr("Measuring …")))
        desk.ask("ask:measure", MeasureWall(desk.plan, desk.printer, number, facet), label=tr("Measuring the wall"),
                 done=partial(self._on_wall, place, number, facet))

    def _on_wall(self, place: Floats, number: int, facet: int, mm: float) -> None:
        if not np.isfinite(mm):
            words = tr("There is no opposite side here, because the surface is open.")
            self._pointing.show(Reading("wall", place[None], words))
            return
        inward = -self._desk.pieces[number].solid.normals[facet]
        self._pointing.show(
            Reading("wall", np.stack([place, place + mm * inward]), tr("{wall} of wall", wall=text.length(mm, 2)), mm)
        )

    def _ask_edge(self, number: int, facet: int, place: Floats) -> None:
        desk = self._desk
        self._pointing.show(Reading("edge", place[None], tr("Measuring …")))
        desk.ask("ask:measure", MeasureEdge(desk.plan, desk.printer, number, place), label=tr("Measuring the edge"),
                 done=self._on_edge)

    def _on_edge(self, edge: RoundEdge) -> None:
        words = tr(
            "{diameter} across (round within {off})",
            diameter=text.length(edge.diameter, 2),
            off=text.length(edge.off, 2),
        )
        self._pointing.show(Reading("edge", edge.corners, words, edge.diameter))

    def scale_by_points(self, wanted: float) -> None:
        """Scale the model so that the two clicked points are a given distance apart, in mm."""
        desk, reading = self._desk, self._pointing.reading
        if reading is not None and reading.kind == "scale" and reading.value:
            scale = desk.plan.scale * wanted / reading.value
            desk.change(tr("scale by two points"), lambda: desk.plan.sized(scale=scale))

    def show_walls(self, limit: float | None) -> None:
        """Colour the model where its wall is thinner than a limit in mm; None ends it."""
        desk = self._desk
        if limit is None:
            self.walls = None
            desk.view_changed.emit()
            return
        plan = desk.plan

        def show_walls(walls: Walls) -> None:
            self.walls, self.wall_limit = walls, limit
            desk.view_changed.emit()

        if self.walls is not None:
            show_walls(self.walls)
        else:
            # they may come before the pieces of this plan do, and are no use on those that are still shown
            desk.ask("ask:measure", MeasureWalls(plan, desk.printer), done=show_walls, label=tr("Measuring the walls"),
                     still=lambda: desk.plan == plan and desk.up_to_date)
