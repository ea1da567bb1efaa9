"""Pointing at the model: what for, who is told, and what was read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.locale.translate import tr
from .desk import Desk

Answer = Callable[[int, int, Floats], None]
"""Hears of a place that was clicked: the piece, the facet, (3,) mm in the model frame."""
FOOT = "post foot"
"""What is pointed at for the place where a post stands."""
ON_BED = (FOOT,)
"""What may be pointed at beside a piece too, on the bed under it; the facet is -1 there."""

GOES_ON = ("brush", "grown", "ball", "box", "turn", "cut line", "cut outline", "cut brush", "cut region",
           "post", "post away", "post pick", "posts around", "posts away around")
"""What is pointed at again and again, until it is ended."""
ON_ONE_LINE = tr("These points lie on one line, so they do not define a plane.\nClick three others.")


@dataclass(frozen=True, eq=False)
class Reading:
    """What was read off the model by pointing at it, and the points that are being collected.

    Attributes
    ----------
    kind : str
        What the user points for.
    points : (k, 3) float64, mm, model frame
    words : str
        The answer in words.
    value : float, mm
        The answer; None while there is none.
    """

    kind: str
    points: Floats
    words: str
    value: float | None = None


class Pointing(QObject):
    """Pointing at the model.

    Attributes
    ----------
    kind : str
        What the user points for; empty: nothing. To measure: "distance", "wall", "edge", "scale". To seat a
        piece: "facet", "three" points, "region", "up" (two points, the lower one first), "turn" by dragging. To
        mark the surface: "brush", "grown", "ball", "box". To cut: "cut three" points, "cut facet", "cut edge", a
        "cut line" or "cut outline", a patch by "cut brush" or "cut region", the region of a "cut reach", and
        whatever the kinds of cut ask for.
    reading : Reading or None
        What was read last.
    """

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.kind = ""
        self.reading: Reading | None = None
        self._answers: dict[str, Answer] = {}
        desk.opened.connect(self._forget)
        desk.project_changed.connect(self._forget)
        desk.step_changed.connect(self.end)

    def answer(self, kind: str, heard: Answer) -> None:
        """Register who is told about clicks while the user points for something."""
        self._answers[kind] = heard

    def begin(self, kind: str) -> None:
        """Begin pointing at the model."""
        self.kind = kind
        if kind:
            self.reading = None
        self.changed.emit()
        self._desk.view_changed.emit()

    def end(self) -> None:
        """End pointing. What was read stays."""
        if self.kind:
            self.begin("")

    def at(self, number: int, facet: int, place: Floats) -> None:
        """Take a click on a piece while pointing."""
        if self.kind in self._answers:
            self._answers[self.kind](number, facet, place)

    def show(self, reading: Reading, *, more: bool = False) -> None:
        """Show what was read.

        Parameters
        ----------
        more : bool
            Whether pointing continues.
        """
        self.reading = reading
        if not more:
            self.kind = ""
        self.changed.emit()
        self._desk.view_changed.emit()

    def collect(self, place: Floats, wanted: int) -> Floats | None:
        """Collect a point. Once all are there, returns them, (wanted, 3) float64 in mm, and ends pointing."""
        known = self.reading.points if self.reading and self.reading.kind == self.kind else np.empty((0, 3))
        points = np.concatenate([known, place[None]])
        if len(points) < wanted:
            self.show(
                Reading(self.kind, points, tr("point {count} of {wanted}", count=len(points), wanted=wanted)), more=True
            )
            return None
        self.end()
        self.reading = None
        return points

    def _forget(self) -> None:
        """Drop everything, because the model or its size has changed."""
        if self.kind not in GOES_ON:
            self.kind = ""
        self.reading = None
        self.changed.emit()


def plane_through(points: Floats) -> Floats | None:
    """The unit normal of the plane through three points; None if they lie on one line."""
    normal = np.cross(points[1] - points[0], points[2] - points[0])
    length = float(np.linalg.norm(normal))
    return normal / length if length > 1e-9 else None
