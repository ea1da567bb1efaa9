"""Turning a piece by hand: a pole above it leans it, and a mark on the bed turns it around.

Plain geometry in mm of the bed frame, and how it is painted.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QLineF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from ...core.arrays import Floats
from ...core.geometry.orientation import Tilt
from ...core.locale.translate import tr, tr_in
from ..look import palette
from .camera import Camera
from .handles import angle_about
from .overlay import paint_flag
from .picture import Picture

REACH = 14.0
"""Pixels around a knob within which a press takes it."""
_KNOB = 7.0
_PER_PIXEL = 0.4
"""Degrees of lean a pixel that the pole is pulled."""
_TICKS = 24
_TURN_STEP = 15.0
"""Degrees: the direction of a stepped lean."""
_START = -60.0
"""Degrees on the bed of the mark that turns it around."""
_X, _Z = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])
_SIDES = (
    tr("right"), tr("back right"), tr("back"), tr("back left"), tr_in("a side", "left"), tr("front left"), tr("front"),
    tr("front right"),
)


@dataclass(frozen=True)
class PoleTurn:
    """How far a piece is turned from its original seat.

    Attributes
    ----------
    lean : float, degrees
        Degrees off the vertical, towards the direction ``side``, in degrees on the bed (0 is right, 90 back).
    around : float, degrees
        Degrees about the vertical.
    """

    lean: float = 0.0
    side: float = 0.0
    around: float = 0.0

    @property
    def top(self) -> Floats:
        """The unit vector (3,) that the vertical becomes."""
        lean, side = math.radians(self.lean), math.radians(self.side)
        return np.array([math.sin(lean) * math.cos(side), math.sin(lean) * math.sin(side), math.cos(lean)])

    @property
    def turn(self) -> Tilt:
        if self.around:
            return Tilt.turn((0.0, 0.0, 1.0), self.around)
        side = math.radians(self.side)
        return Tilt.turn((-math.sin(side), math.cos(side), 0.0), self.lean)

    @property
    def words(self) -> str:
        if self.around:
            return tr("around {around:+.1f}°", around=self.around).replace("-", "−")
        return tr("leaning {lean:.1f}° to the {sides}", lean=self.lean, sides=_SIDES[round(self.side / 45.0) % 8])


@dataclass(frozen=True, eq=False)
class Pole:
    """The pole around the selected piece.

    Attributes
    ----------
    centre : (3,) float64
    length, radius : float, mm
        The length of the pole and the radius of the circle on the bed, in mm.
    """

    centre: Floats
    length: float
    radius: float

    def knobs(self, pull: PoleTurn) -> dict[str, Floats]:
        angle = math.radians(_START + pull.around)
        level = self.radius * np.array([math.cos(angle), math.sin(angle), 0.0])
        return {
            "lean": self.centre + self.length * pull.top,
            "around": np.array([self.centre[0], self.centre[1], 0.2]) + level,
        }

    def at(self, camera: Camera, x: float, y: float, width: int, height: int) -> str:
        """The name of the knob under a pixel; empty: none."""
        knobs = self.knobs(PoleTurn())
        seen = camera.project(np.array(list(knobs.values())), width, height)
        distance = np.hypot(*(seen - [x, y]).T)
        nearest = int(np.argmin(distance))
        return list(knobs)[nearest] if distance[nearest] <= REACH else ""

    def pulled(
        self, knob: str, camera: Camera, start: tuple[float, float], end: tuple[float, float],
        size: tuple[int, int], step: float | None,
    ) -> PoleTurn:
        """The turn that results from pulling a knob from one pixel to another.

        The pole follows the hand: pulled to the right of the view it leans right, pulled up the screen it leans away.

        Parameters
        ----------
        step : float
            The steps of the angle in degrees; None: any angle.
        """
        if knob == "around":
            floor = np.array([self.centre[0], self.centre[1], 0.2])
            angles = [angle_about(*camera.ray(*at, *size), floor, _Z, _X) for at in (start, end)]
            before, after = angles
            turned = (end[0] - start[0]) * _PER_PIXEL if before is None or after is None else after - before
            turned = (turned + 180.0) % 360.0 - 180.0
            return PoleTurn(around=round(turned / step) * step if step else round(turned, 1))
        right, _, ahead = camera.frame
        away = np.array([ahead[0], ahead[1]]) / max(float(np.hypot(ahead[0], ahead[1])), 1e-9)
        way = (end[0] - start[0]) * right[:2] + (start[1] - end[1]) * away
        lean = min(_PER_PIXEL * float(np.hypot(*way)), 180.0)
        side = math.degrees(math.atan2(way[1], way[0])) % 360.0
        if step:
            return PoleTurn(round(lean / step) * step, round(side / _TURN_STEP) * _TURN_STEP % 360.0)
        return PoleTurn(round(lean, 1), side)


def paint_pole(painter: QPainter, picture: Picture, pole: Pole, grabbed: str, pull: PoleTurn | None) -> None:
    """Paint the pole with its knob, and the circle on the bed with its mark. What is held is painted bold, with its
    angle.
    """
    now = pull or PoleTurn()
    places = {name: picture.seen_at(place) for name, place in pole.knobs(now).items()}
    ink, madder = QColor(palette.INK), QColor(palette.MADDER)
    floor = np.array([pole.centre[0], pole.centre[1], 0.2])
    turn = np.linspace(0.0, 2 * math.pi, 73)[:, None]
    level = np.cos(turn) * _X + np.sin(turn) * np.array([0.0, 1.0, 0.0])
    painter.setPen(QPen(madder if grabbed == "around" else ink, 1.2))
    painter.drawPolyline(QPolygonF(picture.seen(floor + pole.radius * level)))
    ticks = level[: -1 : 72 // _TICKS]
    ends = zip(picture.seen(floor + pole.radius * ticks), picture.seen(floor + 1.05 * pole.radius * ticks), strict=True)
    painter.drawLines([QLineF(start, end) for start, end in ends])
    middle, upright = picture.seen(np.array([pole.centre, pole.centre + pole.length * _Z]))
    if now.lean:
        painter.setPen(QPen(ink, 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(middle, upright)
        shares = np.linspace(0.0, now.lean, 25)
        arc = [pole.centre + 0.6 * pole.length * PoleTurn(share, now.side).top for share in shares]
        painter.drawPolyline(QPolygonF(picture.seen(np.array(arc))))
    painter.setPen(QPen(madder if grabbed == "lean" else ink, 2.2))
    painter.drawLine(middle, places["lean"])
    for name, place in places.items():
        painter.setPen(QPen(madder, 2.0))
        painter.setBrush(madder if name == grabbed else QColor(palette.SHEET))
        painter.drawEllipse(place, _KNOB, _KNOB)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if grabbed:
        rest = tr("drag to lean it") if grabbed == "lean" else tr("drag to turn it around")
        paint_flag(painter, places[grabbed], pull.words if pull else rest, palette.MADDER, picture.size)
