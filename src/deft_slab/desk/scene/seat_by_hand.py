"""What the hand does on the bed in the Tilt step: pulling a piece into another seat, or painting with the brush."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter

from ...core.geometry.orientation import Tilt, between
from ...core.locale.translate import tr
from ..desk_state import DeskState
from ..look import palette
from ..state.marks import BRUSHES
from .drawables import Pose
from .handles import STEP
from .ink import pole_of
from .picture import Picture
from .scene import Placed
from .scene_view import SceneView
from .turning_pole import Pole, PoleTurn, paint_pole

_FRAME = 40
"""ms between the pictures of a piece that swings to another seat."""


class Hand(QObject):
    """The pole that is pulled, the stroke that is painted, and a piece whose new seat is being measured."""

    def __init__(self, bed: SceneView, state: DeskState) -> None:
        super().__init__(bed)
        self._bed, self._state = bed, state
        self.pull = PoleTurn()
        self._knob = self._knob_under = ""
        self._pulled_from, self._pressed = Tilt(), (0.0, 0.0)
        self._brushed: int | None = None
        self._shown: tuple[int, Tilt | None] | None = None
        self._swing: list[Tilt] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME)
        self._timer.timeout.connect(self._swing_on)
        state.project_changed.connect(self._swing_to_seat)

    @property
    def pole(self) -> Pole | None:
        """The pole that leans and turns the selected piece when it is pulled."""
        scene = self._bed.scene
        return pole_of(self._state, scene) if scene is not None else None

    # the mouse

    def press(self, at: QPointF) -> bool:
        """Whether a press takes hold of a knob of the pole, or starts a stroke of the brush."""
        bed, state = self._bed, self._state
        if bed.scene is None or not state.up_to_date:
            return False
        self._knob = self._knob_at(at)
        if self._knob:
            self._pulled_from, self._pressed, self.pull = state.seats.tilt, (at.x(), at.y()), PoleTurn()
            return True
        hit = bed.hit(at) if state.pointing.kind in BRUSHES else None
        if hit is not None:
            self._brushed = hit[0]
            self._brush(at)
        return hit is not None

    def move(self, at: QPointF, stepped: bool) -> bool:
        """Whether the hand holds something, which then follows the pointer."""
        if self._knob:
            self._try_pull(at, stepped)
        elif self._brushed is not None:
            self._brush(at)
        else:
            return False
        return True

    def release(self) -> bool:
        """End a pull or a stroke. Returns whether there was one."""
        if self._knob:
            self._knob = ""
            if self._state.draft is not None:
                self._state.settle(tr("turn by {value:g}°", value=self.pull.around or self.pull.lean))
            return True
        if self._brushed is not None:
            self._brushed = None
            self._state.marker.end_stroke()
            return True
        return False

    def drop(self) -> bool:
        """Discard a stroke. Returns whether there was one. (A pull is a draft, which the bed view discards.)"""
        self._knob = ""
        if self._brushed is None:
            return False
        self._brushed = None
        self._state.marker.drop_stroke()
        return True

    def hover(self, at: QPointF) -> bool:
        """Whether a knob is under the pointer; if so it is highlighted."""
        under = self._knob_at(at)
        if under != self._knob_under:
            self._knob_under = under
            self._bed.update()
        return bool(under)

    def _knob_at(self, at: QPointF) -> str:
        pole, bed = self.pole, self._bed
        return pole.at(bed.camera, at.x(), at.y(), bed.width(), bed.height()) if pole is not None else ""

    def _try_pull(self, at: QPointF, stepped: bool) -> None:
        pole, bed = self.pole, self._bed
        if pole is None:
            return
        size, step = (bed.width(), bed.height()), STEP if stepped else None
        self.pull = pole.pulled(self._knob, bed.camera, self._pressed, (at.x(), at.y()), size, step)
        tilt = self.pull.turn.after(self._pulled_from)
        self._turn_piece(tilt)
        self._state.try_plan(self._state.seats.plan_with(tilt))

    def _brush(self, at: QPointF) -> None:
        """Paint on the piece on which the stroke began."""
        bed = self._bed
        found = bed.picture.place_at(at.x(), at.y()) if bed.picture is not None else None
        if found is not None and self._brushed is not None and bed.scene is not None:
            pose = bed.scene.placed[self._brushed].pose
            self._state.marker.draw(pose.back(found[0]), pose.rotation.T @ found[1])

    def _turn_piece(self, tilt: Tilt) -> None:
        """Draw the selected piece in another seat until the pieces are drawn anew."""
        scene = self._bed.scene
        if scene is not None and scene.placed:
            number = min(self._state.selected_piece, len(scene.placed) - 1)
            self._bed.move_piece(number, seated(scene.placed[number], tilt))

    # a piece swings to its new seat while that is being measured

    def _swing_to_seat(self) -> None:
        state = self._state
        number = min(state.selected_piece, max(len(state.pieces) - 1, 0))
        before, self._shown = self._shown, (number, state.seats.wanted)
        on_bed = self._bed.scene is not None and state.evaluated is not None and not state.view.in_place
        if not on_bed or state.step != "Tilt" or state.up_to_date or before is None or before[0] != number:
            return
        wanted = self._shown[1]
        if before[1] is None or wanted is None or before[1] == wanted:
            return
        start = state.pieces[number].seat
        self._swing = [between(start, wanted, share) for share in (0.25, 0.5, 0.75, 1.0)]
        self._timer.start()

    def _swing_on(self) -> None:
        if not self._swing or self._bed.scene is None or self._state.up_to_date:
            self._swing = []
            self._timer.stop()
            return
        self._turn_piece(self._swing.pop(0))

    def rest(self) -> None:
        self._timer.stop()

    # drawing

    def paint(self, painter: QPainter, picture: Picture) -> None:
        """Paint the pole and the present stroke."""
        bed, marker = self._bed, self._state.marker
        if self.pole is not None:
            pull = self.pull if self._knob else None
            paint_pole(painter, picture, self.pole, self._knob or self._knob_under, pull)
        stroke = marker.stroke
        if self._brushed is not None and len(stroke) and bed.scene is not None:
            places = bed.scene.placed[self._brushed].pose.of(stroke)
            reach = marker.reach / bed.camera.pixel(bed.height())
            wash = QColor(palette.AMBER if marker.erase else palette.TEAL)
            wash.setAlpha(60)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(wash)
            for at in picture.seen(places):
                painter.drawEllipse(at, reach, reach)
            painter.setBrush(Qt.BrushStyle.NoBrush)


def seated(one: Placed, tilt: Tilt) -> Pose:
    """The pose of a piece in another seat: rotated about its own middle, and placed on the bed or above it."""
    low, high = one.box
    centre = (low + high) / 2
    rotation = one.pose.rotation @ one.piece.seat.rotation.T @ tilt.rotation
    turned = rotation @ one.pose.rotation.T
    shift = centre + turned @ (one.pose.shift - centre)
    shift[2] = one.piece.lift - float((one.piece.solid.vertices @ rotation[2]).min())
    return Pose(rotation, shift)
