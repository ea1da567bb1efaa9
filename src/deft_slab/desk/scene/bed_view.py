"""The bed view: shows the pieces with their overhang, supports and cuts, and lets the user turn, pick and drag."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent

from ...core.arrays import Floats
from ...core.locale.translate import tr
from ..desk_state import DeskState
from ..refresh.binding import follow
from ..state.pointing import ON_BED
from .camera import VIEWS, Camera
from .cut_dragging import Grab
from .flight import Flight
from .hints import HINTS
from .ink import Ink, ink_of
from .overlay import SWITCHES
from .painting import paint_ink
from .picture import Picture
from .scene import Scene
from .scene_view import SceneView
from .seat_by_hand import Hand
from .subject import SceneSubject

_CLICK = 4.0
"""Pixels that a press may wander and still be a click."""
_HOVER_AFTER = 40
"""ms."""
_BELOW = -6.0
"""Degrees: a view that stays below the bed does not rise over this."""
_FLAT, _LEVEL = float(np.cos(np.radians(2.0))), 0.3
"""What counts as one flat place: the same direction, and no more than so many mm above or below."""
_ARROWS = {
    Qt.Key.Key_Left: (-20, 0), Qt.Key.Key_Right: (20, 0), Qt.Key.Key_Up: (0, 20), Qt.Key.Key_Down: (0, -20),
}
_TURNS = {
    "[": ((1.0, 0.0, 0.0), -5.0), "]": ((1.0, 0.0, 0.0), 5.0), "{": ((0.0, 1.0, 0.0), -5.0),
    "}": ((0.0, 1.0, 0.0), 5.0),
}
_NEARER = {Qt.Key.Key_Plus: 1.15, Qt.Key.Key_Equal: 1.15, Qt.Key.Key_Minus: 1 / 1.15}


class BedView(SceneView):
    """The main 3D view. A left drag turns the view, a middle drag moves it and the wheel zooms; a setting swaps the
    two drags.
    """

    hovered = Signal(str)
    above = SWITCHES

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._pressed: QPointF | None = None
        self._last: QPointF | None = None
        self._button = Qt.MouseButton.NoButton
        self._framed_for: tuple[object, ...] | None = None
        self.hand = Hand(self, state)
        self.grab_of_cut = Grab(self, state)
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The bed"))
        self._hover_at = QPointF()
        self._hover_timer = QTimer(self)
        self._hover_timer.setSingleShot(True)
        self._hover_timer.setInterval(_HOVER_AFTER)
        self._hover_timer.timeout.connect(self._mark_facet)
        self._ink = Ink()
        self._following = follow(
            self, self.rebuild, state.outcome_changed, state.view_changed, state.selection_changed
        )
        for signal in (
            state.project_changed, state.draft_changed, state.live_changed, state.cutting.changed,
            state.placing.changed, state.snapping.changed, state.marker.changed, state.joining.changed,
            state.checking.changed, state.hollowing.changed, state.posting.changed,
        ):
            signal.connect(self.update)
        state.pointing.changed.connect(self._say_hint)
        self.flight = Flight(self, state)
        state.opened.connect(self._on_opened)

    # loading and drawing

    def wake(self) -> None:
        """Start drawing. Called once the window is shown, because loading VTK takes half a second."""
        if not self.awake:
            super().wake()
            self.rebuild()
            self.frame_all()

    def sleep(self) -> None:
        """Release VTK."""
        self.hand.rest()
        self._hover_timer.stop()
        super().sleep()

    def redress(self) -> None:
        super().redress()
        self.rebuild()

    def _on_opened(self) -> None:
        self._framed_for = self.scene = None
        self.rebuild()

    @property
    def showing(self) -> SceneSubject:
        """What of the desk is shown."""
        state = self._state
        measuring = state.measuring
        return SceneSubject(
            state.printer, state.evaluated, state.model if state.is_open else None,
            state.plan if state.is_open else None, state.step, state.view, state.selected_piece, measuring.walls,
            measuring.wall_limit,
        )

    def rebuild(self) -> None:
        """Show the pieces as they are now, and frame them if they are new or have moved as a whole."""
        scene = self.put_on(self.showing)
        if scene is not None and self._state.is_open and self._framed_for != scene.arrangement:
            self._framed_for = scene.arrangement
            self.frame_all()

    def look(self, camera: Camera) -> None:
        if self._state.view.from_below and self._state.step == "Tilt" and camera.elevation > _BELOW:
            camera = replace(camera, elevation=_BELOW)
        super().look(camera)
        x, y, z = (-camera.frame[2]).tolist()
        self._state.line_of_sight = (x, y, z)

    def look_from(self, view: str) -> None:
        """Look from one of the named sides, with all pieces framed."""
        azimuth, elevation = VIEWS[view]
        self.camera = replace(self.camera, azimuth=azimuth, elevation=elevation)
        self.frame_all()

    @property
    def turns_smoothly(self) -> bool:
        return self.coarse or (self._last is not None and not self.grab_of_cut.held)

    @property
    def coarse(self) -> bool:
        return self._state.checking.scrubs

    @property
    def waiting_words(self) -> str:
        return "" if self.picture is not None or self._state.is_open else tr("Preparing the view …")

    def paint_over(self, painter: QPainter, picture: Picture, scene: Scene) -> None:
        # ink of what is now does not go with a scene of what was
        if not self._following.waits:
            self._ink = ink_of(self._state, self.showing, scene)
        paint_ink(painter, picture, self._ink, self.grab_of_cut.held)
        self.hand.paint(painter, picture)

    # the mouse

    def _turning(self) -> Qt.MouseButton:
        return Qt.MouseButton.MiddleButton if self._state.settings.swap_drag else Qt.MouseButton.LeftButton

    def handle_place(self, name: str) -> QPointF | None:
        """The position of a handle of the selected cut, in pixels of this widget."""
        return self.grab_of_cut.place(name)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self._pressed = self._last = event.position()
        self._button = event.button()
        if event.button() == Qt.MouseButton.LeftButton and not self.hand.press(event.position()):
            self.grab_of_cut.press(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._following.make_up()
        at, pressed, last = event.position(), self._pressed, self._last
        if last is None or pressed is None:
            self._hover(at)
            return
        dx, dy = at.x() - last.x(), at.y() - last.y()
        stepped = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self.hand.move(at, stepped):
            pass
        elif self.grab_of_cut.held:
            self.grab_of_cut.drag(at, stepped)
        elif (at - pressed).manhattanLength() > _CLICK:
            if self._button == self._turning():
                self.look(self.camera.turned(dx, dy))
            elif self._button in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
                self.look(self.camera.moved(dx, dy, self.height()))
            elif self._button == Qt.MouseButton.RightButton:
                self._come_nearer(1.01**-dy)
        else:
            return
        self._last = at

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed = self._pressed
        self._pressed = self._last = None
        self.draw_soon()
        if self.hand.release() or self.grab_of_cut.release():
            return
        if pressed is not None and (event.position() - pressed).manhattanLength() <= _CLICK:
            self._click(event)

    def _click(self, event: QMouseEvent) -> None:
        state = self._state
        if event.button() != Qt.MouseButton.LeftButton or state.evaluated is None:
            return
        hit = self.hit(event.position())
        if hit is None and state.pointing.kind in ON_BED:
            hit = self._on_bed(event.position())
        if hit is None:
            return
        if state.pointing.kind:
            if state.up_to_date:
                state.pointing.at(*hit)
        elif len(state.pieces) > 1:
            state.select_piece(hit[0])

    def _on_bed(self, at: QPointF) -> tuple[int, int, Floats] | None:
        """What a click on the bed selects: the selected piece, no facet, and the place under a pixel in mm of the
        model frame.
        """
        if self.scene is None or not self.scene.placed:
            return None
        origin, way = self.camera.ray(at.x(), at.y(), self.width(), self.height())
        if way[2] > -1e-6:  # looking from under the bed, or along it
            return None
        number = min(self._state.selected_piece, len(self.scene.placed) - 1)
        place = origin - origin[2] / way[2] * way
        return number, -1, self.scene.placed[number].pose.back(place)

    def _hover(self, at: QPointF) -> None:
        name = self.grab_of_cut.under(at)
        pointing = self._state.pointing.kind
        if self.hand.hover(at) or name:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif pointing:
            self.setCursor(Qt.CursorShape.CrossCursor)
        else:
            self.unsetCursor()
        if pointing == "facet":
            self._hover_at = at
            self._hover_timer.start()
        self.hovered.emit(HINTS.get(name.split(" ")[0] or pointing, ""))

    def _mark_facet(self) -> None:
        """Mark the flat face that would lie on the bed after a click. Finding it takes about 30 ms at 200,000
        triangles, so it waits until the pointer rests.
        """
        self._following.make_up()
        if self.scene is None or self._state.pointing.kind != "facet" or not self._state.up_to_date:
            return
        hit = self.hit(self._hover_at)
        if hit is None:
            self.mark(None)
            return
        solid = self._state.pieces[hit[0]].solid
        normal = solid.normals[hit[1]]
        height = solid.centroids @ normal
        flat = (solid.normals @ normal > _FLAT) & (np.abs(height - height[hit[1]]) < _LEVEL)
        self.mark(self.scene.marking(hit[0], flat, normal))

    def _say_hint(self) -> None:
        """Say what a click does now, as soon as the desk waits for the user to point at something."""
        self.hovered.emit(HINTS.get(self._state.pointing.kind, ""))

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit("")

    def wheelEvent(self, event: QWheelEvent) -> None:
        at = event.position()
        factor = 1.0015 ** event.angleDelta().y()
        self.look(self.camera.nearer(factor, at.x(), at.y(), self.width(), self.height()))
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.frame_all()

    # keys

    def _come_nearer(self, factor: float) -> None:
        width, height = self.width(), self.height()
        self.look(self.camera.nearer(factor, width / 2, height / 2, width, height))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, state = Qt.Key(event.key()), self._state
        if key == Qt.Key.Key_Escape:
            taken = self._escape()
        else:
            taken = state.pointing.kind in ("cut line", "cut outline") and self._ends_line(key)
        if taken:
            return
        if event.text() in _TURNS and state.step == "Tilt" and state.is_open:
            state.seats.turn(*_TURNS[event.text()])
        elif key in _ARROWS:
            self.look(self.camera.turned(*_ARROWS[key]))
        elif key in _NEARER:
            self._come_nearer(_NEARER[key])
        else:
            super().keyPressEvent(event)

    def _escape(self) -> bool:
        """Let go of what is held, dragged or pointed at. Returns whether there was anything."""
        state = self._state
        if self.hand.drop():
            self.update()
        elif self.grab_of_cut.held or state.draft is not None:
            self.grab_of_cut.drop()
            state.drop_draft()
            self.rebuild()
        elif state.pointing.kind:
            state.placing.drop_line()
            state.pointing.end()
        else:
            return False
        return True

    def _ends_line(self, key: Qt.Key) -> bool:
        """Whether a key ended the line that is being drawn, or removed its last point."""
        placing, ends = self._state.placing, key in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if key == Qt.Key.Key_Backspace:
            placing.drop_point()
        elif self._state.pointing.kind == "cut outline" and ends:
            placing.end_outline()
        elif ends:
            placing.end_line(closed=False)
        elif key == Qt.Key.Key_L:
            placing.end_line(closed=True)
        else:
            return False
        return True
