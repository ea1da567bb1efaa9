"""The bed: shows the pieces, their overhang and support, and the cuts; lets the user turn, pick and drag."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from ...core.judge.tilts import seated_on
from ...core.outcome import OverhangSpot, Place
from ..cuts import on_desk
from ..look import palette
from ..look.palette import rgb
from ..state import DeskState
from .camera import VIEWS, Camera
from .hand import STEP, Hand
from .handles import REACH, CutFrame, angle_about, leaned, moved_along
from .hints import HINTS
from .overlay import View
from .pole import Pole

if TYPE_CHECKING:
    from .canvas import Canvas
    from .stage import Stage

_CLICK = 4.0
"""Pixels that a press may wander and still be a click."""
_HOVER_AFTER = 40
"""ms."""
_BELOW = -6.0
"""Degrees: a view that stays below the bed does not rise over this."""
_SLOW = 0.1
"""Seconds for one picture."""


class BedView(QWidget):
    """Left drag turns, middle drag moves, the wheel comes nearer (a setting swaps the first two)."""

    hovered = Signal(str)

    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = state
        self._canvas: Canvas | None = None
        self._stage: Stage | None = None
        self._camera = Camera()
        self._view: View | None = None
        self._slow = False
        self._pressed: QPointF | None = None
        self._last: QPointF | None = None
        self._button = Qt.MouseButton.NoButton
        self._grabbed = ""
        self._grab_start = 0.0
        self._grab_frame: CutFrame | None = None
        self._framed_for: tuple[object, ...] | None = None
        self.hand = Hand(self, state)
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The bed")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._draw)
        self._hover_at = QPointF()
        self._hover_timer = QTimer(self)
        self._hover_timer.setSingleShot(True)
        self._hover_timer.setInterval(_HOVER_AFTER)
        self._hover_timer.timeout.connect(self._mark_facet)
        state.outcome_changed.connect(self.rebuild)
        state.view_changed.connect(self.rebuild)
        state.selection_changed.connect(self.rebuild)
        state.project_changed.connect(self.update)
        state.flown_to.connect(self._fly_to)
        state.seam_flown_to.connect(self._fly_to_seam)
        state.cutting.changed.connect(self.update)
        state.placing.changed.connect(self.update)
        state.marker.changed.connect(self.update)
        state.live_changed.connect(self.update)
        state.opened.connect(self._on_opened)

    # loading and drawing

    def wake(self) -> None:
        """Loads VTK and draws; called once the window shows, for VTK takes half a second to load."""
        if self._canvas is None:
            from .canvas import Canvas  # slow to load: kept out of start-up
            from .stage import Stage

            self._canvas = Canvas(tuple(rgb(palette.GROUND)))
            self._stage = Stage(self._state, self._canvas)
            self._camera = Camera().framing(*self._stage.box, max(self.width(), 1), max(self.height(), 1))
            self.rebuild()

    @property
    def awake(self) -> bool:
        """Whether VTK is loaded."""
        return self._canvas is not None

    @property
    def marked(self) -> bool:
        """Whether a facet is marked that a click would seat the piece on."""
        return self._canvas is not None and self._canvas.has("marked")

    def _on_opened(self) -> None:
        self._framed_for = None
        if self._stage is not None:
            self._stage.forget()
            self.rebuild()

    def look(self, camera: Camera) -> None:
        if self._state.from_below and self._state.step == "Tilt" and camera.elevation > _BELOW:
            camera = replace(camera, elevation=_BELOW)
        self._camera = camera
        x, y, z = (-camera.frame[2]).tolist()
        self._state.line_of_sight = (x, y, z)
        self.draw_soon()

    def hide_below(self) -> None:
        """Another part of the pieces next to the bed is hidden."""
        if self._stage is not None:
            self._stage.hide_below()
            self.draw_soon()

    def _fly_to(self, number: int, spot: OverhangSpot) -> None:
        """Looks at an overhang spot from below and outside, and marks it."""
        if self._stage is None or self._state.in_place:
            return
        self._state.select_piece(number)
        place = self._stage.placed(number, np.array(spot.place))
        low, high = self._stage.chosen_box
        out = place - (low + high) / 2
        azimuth = float(np.degrees(np.arctan2(out[1], out[0]))) if np.hypot(*out[:2]) > 1.0 else self._camera.azimuth
        distance = min(max(4.0 * spot.across, 80.0), 2.2 * float(np.linalg.norm(high - low)))
        self._stage.mark_facets(number, spot.facets)
        focus = (float(place[0]), float(place[1]), float(place[2]))
        self.look(replace(self._camera, focus=focus, distance=distance, azimuth=azimuth, elevation=-24.0))

    @property
    def pole(self) -> Pole | None:
        """What is shown to lean and turn the selected piece by pulling."""
        return self.hand.pole

    @property
    def stage(self) -> Stage | None:
        """What stands on the bed; None while VTK is not loaded."""
        return self._stage

    @property
    def view(self) -> View | None:
        """The picture of the bed as it was drawn last."""
        return self._view

    @property
    def camera(self) -> Camera:
        return self._camera

    def look_from(self, view: str) -> None:
        """One of the ready views, framed on the pieces."""
        if self._stage is None:
            return
        azimuth, elevation = VIEWS[view]
        turned = replace(self._camera, azimuth=azimuth, elevation=elevation)
        self.look(turned.framing(*self._stage.box, self.width(), self.height()))

    def draw_soon(self) -> None:
        """Draws once what is happening now is over."""
        if self._canvas is not None and not self._timer.isActive():
            self._timer.start()

    def _draw(self) -> None:
        if self._canvas is None or self.width() < 2 or self.height() < 2:
            return
        # where drawing is slow, the support is left out while the view turns, so that it turns smoothly
        turning_view = self._last is not None and not self._grabbed
        started = time.monotonic()
        whole = not (turning_view and self._slow)
        self._view = self._stage.view(self._camera, self.width(), self.height(), veils=whole)
        if whole:
            self._slow = time.monotonic() - started > _SLOW
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(palette.GROUND))
        if self._view is not None:
            painter.drawImage(0, 0, self._view.image)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if self._stage is not None:
                self._stage.paint(painter, self._view, self._grabbed)
                self.hand.paint(painter)
        elif self._state.model is None:
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Getting the bed ready …")
        painter.end()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.draw_soon()

    def sleep(self) -> None:
        """Lets go of VTK."""
        self._timer.stop()
        self.hand.rest()
        self._hover_timer.stop()
        if self._canvas is not None:
            self._canvas.close()
            self._canvas = self._stage = None

    def rebuild(self) -> None:
        """Draws the pieces anew, and frames them when they are new or stand elsewhere."""
        if self._stage is None:
            return
        self._stage.rebuild()
        self._stage.highlight(None)
        framed_for = self._stage.arrangement
        if self._state.evaluated is not None and self._framed_for != framed_for:
            self._framed_for = framed_for
            self._camera = self._camera.framing(*self._stage.box, self.width(), self.height())
        self.draw_soon()

    # mouse and keys

    def _turns(self) -> Qt.MouseButton:
        return Qt.MouseButton.MiddleButton if self._state.settings.swap_drag else Qt.MouseButton.LeftButton

    def _cut_frame(self) -> CutFrame | None:
        return self._stage.frame_of_cut() if self._stage is not None else None

    def _handle_at(self, at: QPointF) -> str:
        frame = self._cut_frame()
        handles = {} if self._stage is None or self._state.evaluated is None else self._stage.grips()
        if frame is not None:
            handles = self._stage.handles(frame, self._camera, self.height())
        if not handles:
            return ""
        seen = self._camera.project(np.array(list(handles.values())), self.width(), self.height())
        distance = np.linalg.norm(seen - [at.x(), at.y()], axis=1)
        nearest = int(np.argmin(distance))
        return list(handles)[nearest] if distance[nearest] <= REACH else ""

    def handle_place(self, name: str) -> QPointF | None:
        """Where a handle of the selected cut is, in pixels of this widget."""
        frame = self._cut_frame()
        grips = self._stage.grips() if self._stage is not None else {}
        if frame is None and name not in grips:
            return None
        place = grips[name] if frame is None else self._stage.handles(frame, self._camera, self.height())[name]
        seen = self._camera.project(place, self.width(), self.height())[0]
        return QPointF(float(seen[0]), float(seen[1]))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self._pressed = self._last = event.position()
        self._button = event.button()
        if event.button() == Qt.MouseButton.LeftButton and self.hand.press(event.position()):
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = self._handle_at(event.position())
            if self._grabbed:
                self._grab_frame = self._cut_frame()
                self._grab_start = self._grab_value(event.position()) or 0.0

    def _grab_value(self, at: QPointF) -> float | None:
        """What the grabbed handle's drag measures: mm along the normal, or degrees about an axis of the sheet."""
        frame = self._grab_frame
        if frame is None:
            return None
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
        if self.hand.move(at, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)):
            pass
        elif self._grabbed:
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

    def _drag_grip(self, at: QPointF) -> None:
        """A grip of a cut that is not flat follows the pointer: a point of a line over the surface, else in the plane
        that faces the eye."""
        cut, stage = self._state.cut, self._stage
        grips = stage.grips() if stage is not None else {}
        if cut is None or self._grabbed not in grips:
            return
        origin, towards = self._camera.ray(at.x(), at.y(), self.width(), self.height())
        place = None
        if self._grabbed.startswith("point") and len(self._state.pieces) == 1:
            hit = self.hit(at)
            place = None if hit is None else self._state.placing.snapped(hit[2])
        way = on_desk(cut).way_of(cut, self._grabbed)
        if way is not None:
            axis, grip = stage.turn @ way, grips[self._grabbed]
            place = stage.unstood(grip + moved_along(origin, towards, grip, axis) * axis)
        elif place is None:
            forward = self._camera.frame[2]
            share = float((grips[self._grabbed] - origin) @ forward) / float(towards @ forward)
            place = stage.unstood(origin + share * towards)
        self._state.try_cut(cut.id, **on_desk(cut).pulled(cut, self._grabbed, place))

    def _drag_handle(self, at: QPointF, stepped: bool) -> None:
        if self._grab_frame is None:
            self._drag_grip(at)
            return
        value = self._grab_value(at)
        cut, frame = self._state.cut, self._grab_frame
        if value is None or cut is None:
            return
        change = value - self._grab_start
        if self._grabbed == "move":
            change = round(change) if stepped else change
            start = float(frame.normal @ (frame.centre - self._stage.shift))
            self._state.try_cut(cut.id, offset=round(start + change, 2))
            return
        change = round(change / STEP) * STEP if stepped else change
        axis = frame.across if self._grabbed == "lean" else frame.along
        normal = leaned(frame.normal, axis, change)
        offset = float(normal @ (frame.centre - self._stage.shift))
        model_normal = self._stage.turn.T @ normal
        self._state.try_cut(cut.id, normal=tuple(model_normal.tolist()), offset=offset)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, grabbed = self._pressed, self._grabbed
        self._pressed = self._last = self._grab_frame = None
        self._grabbed = ""
        self.draw_soon()
        if self.hand.release():
            return
        if grabbed:
            if self._state.draft is not None:
                self._state.settle("turn a cut" if grabbed in ("lean", "swing") else "move a cut")
            return
        if pressed is not None and (event.position() - pressed).manhattanLength() <= _CLICK:
            self._click(event)

    def _click(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self._state.evaluated is None:
            return
        hit = self.hit(event.position())
        if hit is None:
            return
        number, facet, place = hit
        if self._state.pointing.kind == "facet":
            self.seat_on(number, facet)
        elif self._state.pointing.kind:
            if self._state.up_to_date:
                self._state.pointing.at(number, facet, place)
        elif len(self._state.pieces) > 1:
            self._state.select_piece(number)

    def seat_on(self, number: int, facet: int) -> None:
        """Seats a piece on one of its facets."""
        piece = self._state.pieces[number]
        if not self._state.up_to_date:
            return
        self._state.select_piece(number)
        self._state.pointing.begin("")
        self.hovered.emit("")
        self._state.set_tilt("seat on a facet", seated_on(self._state.tilt, piece.solid.normals[facet]))

    def hit(self, at: QPointF) -> tuple[int, int, np.ndarray] | None:
        """(piece, facet, place in mm of the model frame) under a pixel."""
        return self._stage.hit(*self._camera.ray(at.x(), at.y(), self.width(), self.height()))

    def _hover(self, at: QPointF) -> None:
        name = self._handle_at(at)
        if self.hand.hover(at) or name:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif self._state.pointing.kind:
            self.setCursor(Qt.CursorShape.CrossCursor)
        else:
            self.unsetCursor()
        if self._state.pointing.kind == "facet":
            self._hover_at = at
            self._hover_timer.start()
        self.hovered.emit(HINTS.get(name.split(" ")[0] or self._state.pointing.kind, ""))

    def _mark_facet(self) -> None:
        """Marks what a click would seat the piece on. (Finding it takes some 30 ms at 200,000 triangles, so it waits
        for the pointer to rest.)"""
        if self._stage is not None and self._state.pointing.kind == "facet" and self._state.up_to_date:
            self._stage.highlight(self.hit(self._hover_at))
            self.draw_soon()

    def _ends_line(self, event: QKeyEvent) -> bool:
        """Whether a key ends the line that is being drawn."""
        placing = self._state.placing
        if event.key() == Qt.Key.Key_Backspace:
            placing.drop_point()
        elif self._state.pointing.kind == "cut outline" and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            placing.end_outline()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            placing.end_line(closed=False)
        elif event.key() == Qt.Key.Key_L:
            placing.end_line(closed=True)
        else:
            return False
        return True

    def _fly_to_seam(self, seen: Place) -> None:
        """Looks at a place of a seam or of a cut from outside."""
        if self._stage is None:
            return
        if not self._state.in_place and len(self._state.pieces) > 1:
            self._state.show(in_place=True)
        place, out = self._stage.stood(seen.place), self._stage.turn @ seen.outward
        level = float(np.hypot(out[0], out[1]))
        azimuth = float(np.degrees(np.arctan2(out[1], out[0]))) if level > 0.1 else self._camera.azimuth
        elevation = float(np.clip(np.degrees(np.arctan2(out[2], max(level, 1e-6))), -60, 75))
        low, high = self._stage.box
        distance = max(0.5 * float(np.linalg.norm(high - low)), 60.0)
        focus = (float(place[0]), float(place[1]), float(place[2]))
        self.look(replace(self._camera, focus=focus, distance=distance, azimuth=azimuth, elevation=elevation))

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit("")

    def wheelEvent(self, event: QWheelEvent) -> None:
        at = event.position()
        factor = 1.0015 ** event.angleDelta().y()
        self.look(self._camera.nearer(factor, at.x(), at.y(), self.width(), self.height()))
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._stage is not None:
            self.look(self._camera.framing(*self._stage.box, self.width(), self.height()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        arrows = {
            Qt.Key.Key_Left: (-20, 0),
            Qt.Key.Key_Right: (20, 0),
            Qt.Key.Key_Up: (0, 20),
            Qt.Key.Key_Down: (0, -20),
        }
        turns = {"[": ((1, 0, 0), -5.0), "]": ((1, 0, 0), 5.0), "{": ((0, 1, 0), -5.0), "}": ((0, 1, 0), 5.0)}
        escape = event.key() == Qt.Key.Key_Escape
        if escape and self.hand.drop():
            self.update()
        elif escape and (self._grabbed or self._state.draft is not None):
            self._grabbed = ""
            self._state.drop_draft()
            self.rebuild()
        elif event.text() in turns and self._state.step == "Tilt" and self._state.plan is not None:
            self._state.turn(*turns[event.text()])
        elif self._state.pointing.kind in ("cut line", "cut outline") and not escape and self._ends_line(event):
            pass
        elif escape and self._state.pointing.kind:
            self._state.placing.drop_line()
            self._state.pointing.begin("")
            self.hovered.emit("")
        elif event.key() in arrows:
            dx, dy = arrows[event.key()]
            self.look(self._camera.turned(dx, dy))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = 1 / 1.15 if event.key() == Qt.Key.Key_Minus else 1.15
            self.look(self._camera.nearer(factor, self.width() / 2, self.height() / 2, self.width(), self.height()))
        else:
            super().keyPressEvent(event)
