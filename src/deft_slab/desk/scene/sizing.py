"""What the Size step shows on the bed: the size itself, guests, walls, the surface as it came, what was pointed at."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from ...core.outcome import Room
from ...core.plan import Guest
from ...core.solid import Solid
from ..look import palette
from ..look.palette import rgb
from ..pointing import Measured
from ..state import DeskState
from .canvas import Canvas
from .overlay import View, paint_flag, paint_lines

Floats = NDArray[np.float64]


class SizeLooks:
    """Draws into the canvas and over its picture. Places are given as (rotation, shift) from the model frame."""

    def __init__(self, state: DeskState, canvas: Canvas) -> None:
        self._state, self._canvas = state, canvas

    def clear(self) -> None:
        """Nothing of this on the bed."""
        for name in ("guest", "poking", "came"):
            self._canvas.remove(name)

    def draw(self, rotation: Floats, shift: Floats) -> list[tuple[Floats, Floats]]:
        """Draws the guests, and the surface as it came if that is looked at; gives the (low, high) of each."""
        self.clear()
        state = self._state
        boxes = []
        if state.as_it_came:
            solid = state.model.solid.resized(state.plan.factors)
            points = solid.vertices @ rotation.T + shift
            self._canvas.mesh("came", points, solid.triangles, tuple(rgb(palette.STONE)))
            boxes.append((points.min(axis=0), points.max(axis=0)))
        rooms = state.evaluated.outcome.guests
        for guest in state.evaluated.outcome.plan.guests:
            if guest.id in rooms:
                boxes.append(self._draw_guest(guest, rooms[guest.id].solid, rotation, shift))
        return boxes

    def _draw_guest(
        self, guest: Guest, solid: Solid, rotation: Floats, shift: Floats
    ) -> tuple[Floats, Floats]:  # fmt: skip
        factors = self._state.evaluated.outcome.plan.factors
        points = (solid.vertices + np.array(guest.place) * factors) @ rotation.T + shift
        colour = tuple(rgb(palette.TEAL))
        # a guest inside the prop would not be seen: it is drawn whole, and once more as a veil over what hides it
        self._canvas.mesh(f"guest {guest.id}", points, solid.triangles, colour)
        self._canvas.mesh(f"guest veil {guest.id}", points, solid.triangles, colour, veil=True, through=True)
        return points.min(axis=0), points.max(axis=0)

    def wall_colours(self, number: int, base: Floats) -> NDArray[np.float64] | None:
        """(m, 3) 0 to 255 for a piece: the ramp where its wall is thinner than the limit; None where walls are not
        shown."""
        pointing = self._state.pointing
        if pointing.walls is None or number >= len(pointing.walls.behind):
            return None
        walls = pointing.walls.behind[number]
        share = np.clip(1.0 - walls / max(pointing.wall_limit, 1e-9), 0.0, 1.0)
        stops = np.stack([rgb(colour) for colour in palette.RAMP])
        mixed = np.stack([np.interp(share, [0.0, 0.45, 1.0], stops[:, k]) for k in range(3)], axis=1)
        return np.where((walls < pointing.wall_limit)[:, None], mixed, base)

    def paint(self, painter: QPainter, view: View, rotation: Floats, shift: Floats) -> None:
        """Paints over the picture: places of mending, where guests poke through, what was pointed at."""
        state = self._state

        def placed(points: Floats) -> Floats:
            return np.asarray(points @ rotation.T + shift)

        if state.mend_places is not None and len(state.mend_places):
            amber = np.tile(rgb(palette.AMBER), (len(state.mend_places), 1))
            paint_lines(painter, view, placed(state.mend_places), amber, 3.0, through=True)
        rooms = state.evaluated.outcome.guests if state.evaluated and not state.as_it_came else {}
        for room in rooms.values():
            self._paint_room(painter, view, room, placed)
        if state.pointing.measured is not None:
            _paint_measured(painter, view, state.pointing.measured, placed(state.pointing.measured.points))

    def _paint_room(self, painter: QPainter, view: View, room: Room, placed) -> None:
        if len(room.poking):
            shown = placed(room.poking[:: max(1, len(room.poking) // 4000)])
            dots = view.camera.project(shown, *view.size)
            painter.setPen(QPen(QColor(palette.MADDER), 3.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawPoints([QPointF(*dot) for dot in dots.tolist()])
        if room.clearance is not None:
            at = QPointF(*view.camera.project(placed(room.at[None]), *view.size)[0].tolist())
            words = f"{room.clearance:.1f} mm of air" if room.clearance >= 0 else f"{-room.clearance:.1f} mm inside"
            paint_flag(painter, at, words, palette.TEAL if room.clearance >= 0 else palette.MADDER, view.size)


def _paint_measured(painter: QPainter, view: View, measured: Measured, points: Floats) -> None:
    seen = [QPointF(*point) for point in view.camera.project(points, *view.size).tolist()]
    painter.setPen(QPen(QColor(palette.MADDER), 2.0))
    if measured.kind == "edge":
        painter.drawPolygon(seen) if len(seen) > 2 else None
    elif len(seen) == 2:
        painter.drawLine(seen[0], seen[1])
    if measured.kind != "edge" or len(seen) == 1:
        painter.setBrush(QColor(palette.SHEET))
        for point in seen:
            painter.drawEllipse(point, 4.0, 4.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
    middle = QPointF(sum(p.x() for p in seen) / len(seen), sum(p.y() for p in seen) / len(seen))
    paint_flag(painter, middle, measured.words, palette.MADDER, view.size)


def paint_dimensions(painter: QPainter, view: View, low: Floats, high: Floats) -> None:
    """Width, depth and height of a box along its lower front edges and one upright one."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    off = 0.03 * float(np.linalg.norm(high - low))
    lines = (
        ((x0, y0 - off, z0), (x1, y0 - off, z0)), ((x1 + off, y0, z0), (x1 + off, y1, z0)),
        ((x0 - off, y0 - off, z0), (x0 - off, y0 - off, z1)),
    )  # fmt: skip
    for start, end in lines:
        ends = view.camera.project(np.array([start, end]), *view.size)
        a, b = QPointF(*ends[0].tolist()), QPointF(*ends[1].tolist())
        painter.setPen(QPen(QColor(palette.INK), 1.2))
        painter.drawLine(a, b)
        along = np.array([b.x() - a.x(), b.y() - a.y()])
        length = float(np.hypot(*along))
        if length < 1.0:
            continue
        across = np.array([-along[1], along[0]]) / length * 4
        for end_point in (a, b):
            painter.drawLine(end_point - QPointF(*across), end_point + QPointF(*across))
        words = f"{np.linalg.norm(np.subtract(end, start)):.1f} mm"
        metrics = QFontMetricsF(painter.font())
        width, height = metrics.horizontalAdvance(words) + 8, metrics.height() + 2
        middle = (a + b) / 2
        box = QRectF(middle.x() - width / 2, middle.y() - height / 2, width, height)
        painter.fillRect(box, QColor(palette.GROUND))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
