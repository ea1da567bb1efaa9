"""Placing a cut: adding one of a kind, drawing its line on the model, and bounding it."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.cuts import BoxReach, OutlineReach, PatchCut, PieceReach, RegionReach, RestReach, StraightCut
from ...core.document.base import Triple, triple
from ...core.document.marks import Stroke
from ...core.locale.translate import tr
from ..state.cuts import Cutting
from ..state.desk import Desk
from ..state.marks import Marker
from ..state.pointing import Pointing
from ..state.snap_edges import Snapping
from ..state.stale import being_made
from .context import CutContext
from .kind import ON_DESK, OnDesk


class Placing(QObject):
    """A part of the desk's state.

    Attributes
    ----------
    line : (k, 3)
        Points (k, 3) of the line that is being drawn, in mm of the model frame.
    """

    changed = Signal()

    def __init__(self, desk: Desk, pointing: Pointing, cutting: Cutting, snapping: Snapping, marker: Marker) -> None:
        super().__init__(desk)
        self._desk, self._pointing, self._cutting = desk, pointing, cutting
        self._snapping, self._marker = snapping, marker
        self.line: Floats = np.empty((0, 3))
        for kind, heard in (("cut line", self._add_snapped), ("cut outline", self._add_point),
                            ("cut reach", self._bound_by_region), ("cut region", self._mark_region)):
            pointing.answer(kind, heard)
        marker.brushed.connect(self._mark)

    def add(self, kind: str) -> None:
        """Add a cut of a kind. If it needs a place on the model, the user points at one."""
        if self._desk.evaluated is None:
            return
        here = ON_DESK[kind]
        if here.pointed == "cut line":
            self._draw("cut line")
            self._snapping.find_creases()
        elif here.pointed:
            self._pointing.answer(here.pointed, partial(self._put_at, here))
            self._pointing.begin(here.pointed)
        else:
            self._put(here, None)

    def _put_at(self, here: OnDesk[Any], number: int, facet: int, place: Floats) -> None:
        self._pointing.end()
        self._put(here, place)

    def _put(self, here: OnDesk[Any], at: Floats | None, *, closes: bool = False) -> None:
        self._cutting.put(here.placed(self.ground(closes=closes), at))

    def ground(self, *, closes: bool = False) -> CutContext:
        """The plan, the view and the drawn line, from which a kind of cut makes a new one.

        Parameters
        ----------
        closes : bool
            Whether the line that was drawn is a loop.
        """
        desk = self._desk
        low, high = desk.box
        upward = np.asarray(desk.plan.tilt.rotation.T @ np.array([0.0, 0.0, 1.0]))
        return CutContext(
            desk.plan, low, high, upward, self.view, desk.printer.room, self._marker.crease, self.line, closes
        )

    @property
    def view(self) -> Triple:
        """The direction from the eye to the model, in the model frame."""
        view = -self._desk.plan.tilt.rotation.T @ np.array(self._desk.line_of_sight)
        return triple(view / np.linalg.norm(view))

    # a line

    def _draw(self, kind: str) -> None:
        """Start a line."""
        self.line = np.empty((0, 3))
        self._pointing.begin(kind)

    def _add_snapped(self, number: int, facet: int, place: Floats) -> None:
        self._add_point(number, facet, self._snapping.snapped(place))

    def _add_point(self, number: int, facet: int, place: Floats) -> None:
        self.line = np.concatenate([self.line, place[None]])
        self.changed.emit()

    def drop_line(self) -> None:
        """Discard the points that were clicked."""
        self.line = np.empty((0, 3))
        self.changed.emit()

    def drop_point(self) -> None:
        """Remove the last point of the line."""
        self.line = self.line[:-1]
        self.changed.emit()

    def end_line(self, *, closed: bool) -> None:
        """Make a bent cut from the points that were clicked."""
        self._pointing.end()
        if len(self.line) >= (3 if closed else 2):
            self._put(ON_DESK["bent"], None, closes=closed)
        else:
            self._desk.told.emit(tr("A line needs two points, and a loop needs three.\nClick more points on the "
                                    "model."))
        self.line = np.empty((0, 3))

    # a patch

    def _mark(self, stroke: Stroke) -> None:
        """Add a stroke to the selected patch."""
        cut = self._desk.cut
        if isinstance(cut, PatchCut):
            did = tr("mark less of a patch") if stroke.erase else tr("mark more of a patch")
            self._cutting.change(did, strokes=(*cut.strokes, stroke))

    def _mark_region(self, number: int, facet: int, place: Floats) -> None:
        self._mark(Stroke.of(self.ground().region_at(place), erase=self._marker.erase))

    # reach

    def bound(self, kind: str) -> None:
        """Set the reach of the selected cut.

        Parameters
        ----------
        kind : str
            "all", "rest", "piece", "box", "region" (picked), or "outline" (drawn).
        """
        desk, cut = self._desk, self._desk.cut
        if cut is None:
            return
        low, high = desk.box
        middle, half = (low + high) / 2, (high - low) / 2
        if isinstance(cut, StraightCut):
            normal = np.array(cut.normal)
            middle = middle + (cut.offset - float(normal @ middle)) * normal
        if kind == "all":
            self._cutting.change(tr("let a cut go through everything"), reach=None)
        elif kind == "rest":
            self._cutting.change(tr("leave out what other cuts take off"), reach=RestReach())
        elif kind == "piece" and desk.piece is not None:
            if not desk.pieces_up_to_date:
                desk.failed.emit(being_made())
                return
            sides = tuple(side for side in desk.piece.sides if side.cut != cut.id)
            self._cutting.change(tr("bound a cut by a piece"), reach=PieceReach(sides=sides) if sides else None)
        elif kind == "box":
            box = BoxReach(centre=triple(middle), half=triple(0.5 * half))
            self._cutting.change(tr("bound a cut by a box"), reach=box)
        elif kind == "region":
            self._pointing.begin("cut reach")
        elif kind == "outline":
            self._draw("cut outline")

    def _bound_by_region(self, number: int, facet: int, place: Floats) -> None:
        """Bound the selected cut by the smooth region around a place. The region ends at the same crease angle as
        the marks of the Tilt step.
        """
        self._pointing.end()
        ground = self.ground()
        reach = RegionReach(region=ground.region_at(place), margin=max(0.01 * ground.diagonal, 0.5))
        self._cutting.change(tr("bound a cut by a region"), reach=reach)

    def end_outline(self) -> None:
        """Bound the selected cut by the outline that was clicked, in the direction in which it was seen."""
        line = self.line
        self._pointing.end()
        self.line = np.empty((0, 3))
        if len(line) < 3:
            self._desk.told.emit(tr("An outline needs three points.\nClick more points on the model."))
            return
        reach = OutlineReach(points=tuple(triple(one) for one in line), view=self.view)
        self._cutting.change(tr("bound a cut by an outline"), reach=reach)
