"""The bed: shows the pieces, their overhang and support, and the cuts; lets the user turn, pick and drag."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from ...core.judge.rays import first_hit
from ...core.judge.tilts import turning
from ...core.outcome import Piece
from ...core.plan import Tilt
from ..look import palette
from ..look.palette import ramp_colours, rgb
from ..messages import skin_placed
from ..state import DeskState
from .camera import VIEWS, Camera
from .handles import REACH, CutFrame, angle_about, cut_frame, leaned, moved_along

Floats = NDArray[np.float64]

_CLICK = 4.0
"""Pixels that a press may wander and still be a click."""
_SLOW = 0.1
"""Seconds for one picture."""
_SNAP = 5.0
"""Degrees."""
_HINTS = {
    "": "",
    "facet": "Click the facet that should lie on the bed.",
    "move": "Drag to move the cut. Shift: whole millimetres.",
    "lean": "Drag to turn the cut. Shift: steps of 5°.",
    "swing": "Drag to turn the cut. Shift: steps of 5°.",
}
_SHEET = np.array([[0, 1, 2], [0, 2, 3]], np.int32)


class BedView(QWidget):
    """Left drag turns, middle drag moves, the wheel comes nearer (a setting swaps the first two)."""

    hovered = Signal(str)

    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = state
        self._canvas = None
        self._camera = Camera()
        self._image: QImage | None = None
        self._slow = False
        self._pressed: QPointF | None = None
        self._last: QPointF | None = None
        self._button = Qt.MouseButton.NoButton
        self._grabbed = ""
        self._grab_start = 0.0
        self._grab_frame: CutFrame | None = None
        self._rotation, self._shift = np.eye(3), np.zeros(3)
        self._places: list[tuple[Floats, Floats]] = []
        self._beds_drawn: list[float] = []
        self._box = self._model_box = (np.zeros(3), np.array([220.0, 220.0, 120.0]))
        self._framed_for: tuple[object, bool] | None = None
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The bed")
        self.setToolTip("")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._draw)
        state.outcome_changed.connect(self.rebuild)
        state.view_changed.connect(self.rebuild)
        state.selection_changed.connect(self.rebuild)
        state.project_changed.connect(self._draw_cut)
        state.live_changed.connect(self._draw_cut)
        state.opened.connect(self._on_opened)

    # loading and drawing

    def wake(self) -> None:
        """Loads VTK and draws; called once the window shows, for VTK takes half a second to load."""
        if self._canvas is None:
            from .canvas import Canvas  # slow to load: kept out of start-up

            self._canvas = Canvas(tuple(rgb(palette.GROUND)))
            self.look(Camera().framing(*self._box, max(self.width(), 1), max(self.height(), 1)))
            self.rebuild()

    def _on_opened(self) -> None:
        self._framed_for = None
        self._places = []

    def look(self, camera: Camera) -> None:
        self._camera = camera
        self._draw_cut()

    @property
    def camera(self) -> Camera:
        return self._camera

    def look_from(self, view: str) -> None:
        """One of the ready views, framed on the pieces."""
        azimuth, elevation = VIEWS[view]
        turned = replace(self._camera, azimuth=azimuth, elevation=elevation)
        self.look(turned.framing(*self._box, self.width(), self.height()))

    def _later(self) -> None:
        if self._canvas is not None and not self._timer.isActive():
            self._timer.start()

    def _draw(self) -> None:
        if self._canvas is None or self.width() < 2 or self.height() < 2:
            return
        for name in ("bed sheet", "bed fine"):
            self._canvas.visible(name, self._camera.elevation >= 0)  # from below one looks through the bed
        # where drawing is slow, the support is left out while the view turns, so that it turns smoothly
        turning_view = self._last is not None and not self._grabbed
        started = time.monotonic()
        whole = not (turning_view and self._slow)
        pixels = self._canvas.picture(self._camera, self.width(), self.height(), veils=whole)
        if whole:
            self._slow = time.monotonic() - started > _SLOW
        self._image = QImage(
            pixels.data, self.width(), self.height(), 3 * self.width(), QImage.Format.Format_RGB888
        ).copy()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(palette.GROUND))
        if self._image is not None:
            painter.drawImage(0, 0, self._image)
        elif self._state.model is None:
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Getting the bed ready …")
        painter.end()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._later()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.sleep()
        super().closeEvent(event)

    def sleep(self) -> None:
        """Lets go of VTK."""
        self._timer.stop()
        if self._canvas is not None:
            self._canvas.close()
            self._canvas = None

    # what is on the bed

    def _draw_beds(self) -> None:
        """Ruled sheets with mm numbers along two edges, one for each bed that the pieces take."""
        laid = self._state.evaluated.laid if self._state.evaluated and not self._state.in_place else ()
        starts = sorted({place.bed_x for place in laid} | {0.0})
        if starts == self._beds_drawn:
            return
        self._beds_drawn = starts
        x, y = self._state.printer.bed_x, self._state.printer.bed_y
        sheets, fine, coarse, numbers = [], [], [], []
        for number, start in enumerate(starts):
            sheets += [[start, 0, -0.15], [start + x, 0, -0.15], [start + x, y, -0.15], [start, y, -0.15]]
            for at in np.arange(0.0, x + 0.1, 10.0):
                (coarse if at % 50 == 0 else fine).append([[start + at, 0, 0], [start + at, y, 0]])
            for at in np.arange(0.0, y + 0.1, 10.0):
                (coarse if at % 50 == 0 else fine).append([[start, at, 0], [start + x, at, 0]])
            numbers += [(np.array([start + at, -8.0, 0.0]), f"{at:.0f}") for at in np.arange(0, x + 1, 50)]
            numbers += [(np.array([start + x + 9.0, at, 0.0]), f"{at:.0f}") for at in np.arange(50, y + 1, 50)]
            named = "mm" if len(starts) == 1 else f"mm · bed {number + 1}"
            numbers.append((np.array([start + x / 2, -24.0, 0.0]), named))
        faces = np.concatenate([_SHEET + 4 * number for number in range(len(starts))])
        self._canvas.mesh("bed sheet", np.array(sheets), faces, tuple(rgb("#FFFFFF")), lit=False)
        self._canvas.lines("bed fine", np.array(fine), tuple(rgb("#E6E2D8")))
        self._canvas.lines("bed coarse", np.array(coarse), tuple(rgb("#CFC8B8")))
        self._canvas.labels("bed numbers", numbers, tuple(rgb(palette.FAINT)))

    def _draw_room(self) -> None:
        """The room that the printer has, drawn only where a piece does not fit into it."""
        self._canvas.remove("room")
        if self._state.in_place or all(piece.fit.fits for piece in self._state.pieces):
            return
        x, y, z = self._state.printer.bed_x, self._state.printer.bed_y, self._state.printer.height
        floor = np.array([[0, 0, 0], [x, 0, 0], [x, y, 0], [0, y, 0]], float)
        top = floor + [0, 0, z]
        edges = [*zip(floor, top, strict=True), *zip(top, np.roll(top, -1, axis=0), strict=True)]
        self._canvas.lines("room", np.array(edges), tuple(rgb(palette.AMBER)), width=1.5)

    def rebuild(self) -> None:
        """Draws the pieces anew."""
        if self._canvas is None:
            return
        for name in ("piece", "support", "problem"):
            self._canvas.remove(name)
        self._draw_room()
        self._draw_beds()
        if self._state.evaluated is not None:
            self._place_pieces()
            self._draw_pieces()
            framed_for = (self._state.model, self._state.in_place)
            if self._framed_for != framed_for:
                self._framed_for = framed_for
                self._camera = self._camera.framing(*self._box, self.width(), self.height())
        self._draw_cut()

    @property
    def _standing(self) -> bool:
        """Whether the pieces are shown where they belong on the standing model, and not each in its own seat."""
        return self._state.in_place or (self._state.step == "Cut" and len(self._state.pieces) == 1)

    def _place_pieces(self) -> None:
        """Where each piece is drawn: rotation and shift from the model frame; and where the standing model is."""
        state = self._state
        rotation = state.evaluated.outcome.plan.tilt.rotation
        boxes = [_turned_box(piece.solid.vertices, rotation) for piece in state.pieces]
        low, high = np.min([box[0] for box in boxes], axis=0), np.max([box[1] for box in boxes], axis=0)
        pulls = [self._pull(piece, rotation) for piece in state.pieces]
        floor = min(float(box[0][2] + pull[2]) for box, pull in zip(boxes, pulls, strict=True))
        middle = (low + high) / 2
        self._rotation = rotation
        self._shift = np.array([state.printer.bed_x / 2 - middle[0], state.printer.bed_y / 2 - middle[1], -floor])
        self._model_box = (low + self._shift, high + self._shift)
        if self._standing:
            self._places = [(rotation, self._shift + pull) for pull in pulls]
        else:
            self._places = [(laid.rotation, laid.shift) for laid in state.evaluated.laid]

    def _pull(self, piece: Piece, rotation: Floats) -> Floats:
        """How far a piece is pulled away along the normals of its cuts, bed frame; none while it is whole."""
        plan = self._state.evaluated.outcome.plan
        normals = [side.side * np.array(plan.cut(side.cut).normal) for side in piece.sides]
        reach = 0.5 * self._state.apart * max(float(np.max(other.solid.size)) for other in self._state.pieces)
        return rotation @ (reach * sum(normals, np.zeros(3)))

    def _draw_pieces(self) -> None:
        state = self._state
        lows, highs = [], []
        several = len(state.pieces) > 1
        for number, (piece, (turn, move)) in enumerate(zip(state.pieces, self._places, strict=True)):
            points = piece.solid.vertices @ turn.T + move
            self._canvas.mesh(f"piece {number}", points, piece.solid.triangles, self._colours(piece, several))
            lows.append(points.min(axis=0))
            highs.append(points.max(axis=0))
            if self._standing:
                continue
            if several and number == state.selected_piece:
                self._outline_selected(lows[-1], highs[-1])
            if state.show_support:
                self._canvas.mesh(
                    f"support {number}", skin_placed(piece, state.evaluated.laid[number]), piece.skin[1],
                    tuple(rgb(palette.SUPPORT)), veil=True,
                )  # fmt: skip
        open_edges = state.evaluated.outcome.defects.segments
        if len(open_edges) and not several:
            turn, move = self._places[0]
            self._canvas.lines("problem", open_edges @ turn.T + move, tuple(rgb(palette.AMBER)), width=3, front=True)
        self._box = (np.min(lows, axis=0), np.max(highs, axis=0))

    def _outline_selected(self, low: Floats, high: Floats) -> None:
        """A thin frame on the bed around the selected piece."""
        (x0, y0, _), (x1, y1, _) = low - 2, high + 2
        ring = np.array([[x0, y0, 0.3], [x1, y0, 0.3], [x1, y1, 0.3], [x0, y1, 0.3]])
        self._canvas.lines(
            "piece frame", np.stack([ring, np.roll(ring, -1, axis=0)], axis=1), tuple(rgb(palette.MADDER)), width=1.5
        )

    def _colours(self, piece: Piece, several: bool) -> NDArray[np.uint8]:
        base = rgb(palette.PIECES[(piece.number - 1) % len(palette.PIECES)] if several else palette.STONE)
        past = piece.past_threshold if self._state.show_overhang and not self._state.in_place else None
        if past is None:
            colours = np.broadcast_to(base, (len(piece.solid.triangles), 3)).copy()
        else:
            colours = ramp_colours(past, base, palette.RAMP)
        cut_face = piece.solid.origin < 0
        colours[cut_face] = 0.55 * colours[cut_face] + 0.45 * rgb(palette.SHEET)
        return np.round(colours).astype(np.uint8)

    # the cut

    def _frame_of_cut(self) -> CutFrame | None:
        cut = self._state.cut
        if cut is None or not cut.on or self._state.step != "Cut" or not self._standing or not self._places:
            return None
        normal = self._rotation @ np.array(cut.normal)
        return cut_frame(normal, cut.offset + float(normal @ self._shift), *self._model_box)

    def _arm(self) -> float:
        return 70.0 * self._camera.pixel(max(self.height(), 1))

    def _draw_cut(self) -> None:
        if self._canvas is None:
            return
        self._canvas.remove("cut")
        frame = self._frame_of_cut()
        if frame is not None:
            self._draw_sheet(frame)
        self._draw_seams()
        self._later()

    def _draw_sheet(self, frame: CutFrame) -> None:
        madder = tuple(rgb(palette.MADDER))
        corners = frame.corners
        self._canvas.mesh("cut sheet", corners, _SHEET, madder, opacity=0.14, lit=False)
        self._canvas.lines("cut edge", np.stack([corners, np.roll(corners, -1, axis=0)], axis=1), madder, width=1.2)
        handles = frame.handles(self._arm())
        size = 6.0 * self._camera.pixel(max(self.height(), 1))
        self._canvas.lines("cut arm", np.array([[frame.centre, handles["move"]]]), madder, width=2.5, front=True)
        for name, place in handles.items():
            points, faces = _bead(place, size, pointed=name == "move", along=frame.normal)
            colour = madder if name == self._grabbed or name == "move" else tuple(rgb(palette.SHEET))
            self._canvas.mesh(f"cut handle {name}", points, faces, colour, front=True)
            if colour != madder:
                self._canvas.lines(
                    f"cut handle ring {name}", _ring(place, size, self._camera), madder, width=2, front=True
                )

    def _draw_seams(self) -> None:
        """Seams in grey where hidden, madder where in sight; while dragging, the seams of the stand-in."""
        self._canvas.remove("seam")
        state = self._state
        if state.step not in ("Cut", "Join") or state.evaluated is None:
            return
        if not self._standing or not self._places:
            return
        shown = state.live if state.draft is not None and state.live is not None else state.evaluated
        if state.draft is not None and shown is not state.live:
            return
        for cut_id, seam in shown.outcome.seams.items():
            points = seam.segments @ self._rotation.T + self._shift
            seen = seam.exposed[:, None]
            colours = (1 - seen) * rgb(palette.HIDDEN_SEAM) + seen * rgb(palette.MADDER)
            if state.draft is not None:
                colours = np.broadcast_to(rgb(palette.MADDER), colours.shape)
            self._canvas.lines(
                f"seam {cut_id}", points, colours.astype(np.uint8), width=3.0, front=state.draft is not None
            )

    # mouse and keys

    def _turns(self) -> Qt.MouseButton:
        return Qt.MouseButton.MiddleButton if self._state.settings.swap_drag else Qt.MouseButton.LeftButton

    def _handle_at(self, at: QPointF) -> str:
        frame = self._frame_of_cut()
        if frame is None:
            return ""
        handles = frame.handles(self._arm())
        seen = self._camera.project(np.array(list(handles.values())), self.width(), self.height())
        distance = np.linalg.norm(seen - [at.x(), at.y()], axis=1)
        nearest = int(np.argmin(distance))
        return list(handles)[nearest] if distance[nearest] <= REACH else ""

    def handle_place(self, name: str) -> QPointF | None:
        """Where a handle of the selected cut is, in pixels of this widget."""
        frame = self._frame_of_cut()
        if frame is None:
            return None
        seen = self._camera.project(frame.handles(self._arm())[name], self.width(), self.height())[0]
        return QPointF(float(seen[0]), float(seen[1]))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self._pressed = self._last = event.position()
        self._button = event.button()
        if event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = self._handle_at(event.position())
            if self._grabbed:
                self._grab_frame = self._frame_of_cut()
                self._grab_start = self._grab_value(event.position()) or 0.0

    def _grab_value(self, at: QPointF) -> float | None:
        """What the grabbed handle's drag measures: mm along the normal, or degrees about an axis of the sheet."""
        frame = self._grab_frame
        origin, towards = self._camera.ray(at.x(), at.y(), self.width(), self.height())
        if self._grabbed == "move":
            return moved_along(origin, towards, frame.centre, frame.normal)
        axis, zero = (frame.across, frame.along) if self._grabbed == "lean" else (frame.along, frame.across)
        angle = angle_about(origin, towards, frame.centre, axis, zero)
        if angle is not None:
            return angle
        # the plane of turning is seen edge-on: the height of the pointer over the handle decides
        tip = frame.centre + zero * (frame.half_along if self._grabbed == "lean" else frame.half_across)
        lift = moved_along(origin, towards, tip, frame.normal)
        sign = 1.0 if float(np.cross(axis, zero) @ frame.normal) > 0 else -1.0
        return sign * float(np.degrees(np.arctan2(lift, np.linalg.norm(tip - frame.centre))))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._last is None:
            self._hover(at)
            return
        dx, dy = at.x() - self._last.x(), at.y() - self._last.y()
        if self._grabbed:
            self._drag_handle(at, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif (at - self._pressed).manhattanLength() > _CLICK:
            if self._button == self._turns():
                self.look(self._camera.turned(dx, dy))
            elif self._button in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
                self.look(self._camera.moved(dx, dy, self.height()))
            elif self._button == Qt.MouseButton.RightButton:
                self.look(
                    self._camera.nearer(1.01**-dy, self.width() / 2, self.height() / 2, self.width(), self.height())
                )
        else:
            return
        self._last = at

    def _drag_handle(self, at: QPointF, stepped: bool) -> None:
        value = self._grab_value(at)
        cut, frame = self._state.cut, self._grab_frame
        if value is None or cut is None:
            return
        change = value - self._grab_start
        if self._grabbed == "move":
            change = round(change) if stepped else change
            start = float(frame.normal @ (frame.centre - self._shift))
            self._state.try_cut(cut.id, offset=round(start + change, 2))
            return
        change = round(change / _SNAP) * _SNAP if stepped else change
        axis = frame.across if self._grabbed == "lean" else frame.along
        normal = leaned(frame.normal, axis, change)
        offset = float(normal @ (frame.centre - self._shift))
        model_normal = self._rotation.T @ normal
        self._state.try_cut(cut.id, normal=tuple(model_normal.tolist()), offset=offset)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, grabbed = self._pressed, self._grabbed
        self._pressed = self._last = self._grab_frame = None
        self._grabbed = ""
        self._later()
        if grabbed:
            if self._state.draft is not None:
                self._state.settle("move a cut" if grabbed == "move" else "turn a cut")
            return
        if pressed is not None and (event.position() - pressed).manhattanLength() <= _CLICK:
            self._click(event)

    def _click(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self._state.evaluated is None:
            return
        hit = self.hit(event.position())
        if hit is None:
            return
        number, facet = hit
        if self._state.picking_facet:
            self.seat_on(number, facet)
        elif len(self._state.pieces) > 1:
            self._state.select_piece(number)

    def seat_on(self, number: int, facet: int) -> None:
        """Seats a piece on one of its facets."""
        piece = self._state.pieces[number]
        if not self._state.up_to_date:
            return
        self._state.select_piece(number)
        tilt = self._state.tilt
        down_now = tilt.rotation @ piece.solid.normals[facet]
        turn = Tilt.from_rotation(turning(down_now / np.linalg.norm(down_now), np.array([0.0, 0.0, -1.0])))
        self._state.show(picking_facet=False)
        self._state.set_tilt("seat on a facet", turn.after(tilt))

    def hit(self, at: QPointF) -> tuple[int, int] | None:
        """(piece, facet) under a pixel."""
        origin, towards = self._camera.ray(at.x(), at.y(), self.width(), self.height())
        best: tuple[float, int, int] | None = None
        for number, (piece, (turn, move)) in enumerate(zip(self._state.pieces, self._places, strict=True)):
            found = first_hit(piece.solid.vertices, piece.solid.triangles, turn.T @ (origin - move), turn.T @ towards)
            if found is not None and (best is None or found[1] < best[0]):
                best = (found[1], number, found[0])
        return (best[1], best[2]) if best else None

    def _hover(self, at: QPointF) -> None:
        name = self._handle_at(at)
        if name:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif self._state.picking_facet:
            self.setCursor(Qt.CursorShape.CrossCursor)
        else:
            self.unsetCursor()
        self.hovered.emit(_HINTS[name or ("facet" if self._state.picking_facet else "")])

    def wheelEvent(self, event: QWheelEvent) -> None:
        at = event.position()
        factor = 1.0015 ** event.angleDelta().y()
        self.look(self._camera.nearer(factor, at.x(), at.y(), self.width(), self.height()))
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.look(self._camera.framing(*self._box, self.width(), self.height()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        arrows = {
            Qt.Key.Key_Left: (-20, 0),
            Qt.Key.Key_Right: (20, 0),
            Qt.Key.Key_Up: (0, 20),
            Qt.Key.Key_Down: (0, -20),
        }
        if event.key() == Qt.Key.Key_Escape and (self._grabbed or self._state.draft is not None):
            self._grabbed = ""
            self._state.drop_draft()
        elif event.key() == Qt.Key.Key_Escape and self._state.picking_facet:
            self._state.show(picking_facet=False)
        elif event.key() in arrows:
            dx, dy = arrows[event.key()]
            self.look(self._camera.turned(dx, dy))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = 1 / 1.15 if event.key() == Qt.Key.Key_Minus else 1.15
            self.look(self._camera.nearer(factor, self.width() / 2, self.height() / 2, self.width(), self.height()))
        else:
            super().keyPressEvent(event)


def _turned_box(vertices: Floats, rotation: Floats) -> tuple[Floats, Floats]:
    turned = vertices @ rotation.T
    return turned.min(axis=0), turned.max(axis=0)


def _bead(centre: Floats, size: float, *, pointed: bool, along: Floats) -> tuple[Floats, NDArray[np.int32]]:
    """A small octahedron; pointed: stretched along a direction."""
    helper = np.eye(3)[int(np.argmin(np.abs(along)))]
    u = np.cross(along, helper)
    u /= np.linalg.norm(u)
    v = np.cross(along, u)
    long = 1.9 if pointed else 1.0
    points = centre + size * np.array([u, v, -u, -v, long * along, -(0.4 if pointed else 1.0) * along])
    faces = [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4], [1, 0, 5], [2, 1, 5], [3, 2, 5], [0, 3, 5]]
    return points, np.array(faces, np.int32)


def _ring(centre: Floats, size: float, camera: Camera) -> Floats:
    right, up, _ = camera.frame
    turn = np.linspace(0, 2 * np.pi, 17)
    points = centre + 1.25 * size * (np.cos(turn)[:, None] * right + np.sin(turn)[:, None] * up)
    return np.stack([points[:-1], points[1:]], axis=1)
