"""Dragging the handles and grips of the selected cut."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF

from ...core.arrays import Floats
from ...core.locale.translate import tr
from ..cuts import GripDrag, on_desk
from ..desk_state import DeskState
from .handles import REACH, STEP, CutFrame, angle_about, handles, leaned, moved_along
from .ink import frame_of_cut, grips
from .scene_view import SceneView


class Grab:
    """What the mouse does to the selected cut.

    Attributes
    ----------
    held
        The name of the handle or grip that is dragged; empty: none.
    """

    def __init__(self, view: SceneView, state: DeskState) -> None:
        self._view, self._state = view, state
        self.held = ""
        self._start = 0.0
        self._frame: CutFrame | None = None

    def _places(self) -> dict[str, Floats]:
        """The places (3,) in the bed frame of everything that can be dragged now."""
        view, state = self._view, self._state
        if view.scene is None or state.evaluated is None:
            return {}
        frame = frame_of_cut(state, view.scene)
        return grips(state, view.scene) if frame is None else handles(frame, view.camera, view.height())

    def under(self, at: QPointF) -> str:
        """The name of the handle or grip under a pixel; empty: none."""
        places = self._places()
        if not places:
            return ""
        view = self._view
        seen = view.camera.project(np.array(list(places.values())), view.width(), view.height())
        distance = np.linalg.norm(seen - [at.x(), at.y()], axis=1)
        nearest = int(np.argmin(distance))
        return list(places)[nearest] if distance[nearest] <= REACH else ""

    def place(self, name: str) -> QPointF | None:
        """The position of a handle or grip in pixels of the view; None where there is none of that name."""
        places, view = self._places(), self._view
        if name not in places:
            return None
        x, y = view.camera.project(places[name], view.width(), view.height())[0].tolist()
        return QPointF(x, y)

    def press(self, at: QPointF) -> bool:
        """Take hold of what is under a pixel. Returns whether there is anything."""
        self.held = self.under(at)
        if self.held and self._view.scene is not None:
            self._frame = frame_of_cut(self._state, self._view.scene)
            self._start = (self._value(at) if self._frame is not None else None) or 0.0
        return bool(self.held)

    def drag(self, at: QPointF, stepped: bool) -> None:
        """Let what is held follow the pointer.

        Parameters
        ----------
        stepped : bool
            Whether it moves in whole mm, or turns in steps of 5 degrees.
        """
        if self._frame is None:
            self._drag_grip(at)
        else:
            self._drag_handle(self._frame, at, stepped)

    def release(self) -> bool:
        """End a drag and record it as a step. Returns whether there was one."""
        held = self.drop()
        if held and self._state.draft is not None:
            self._state.settle(tr("turn a cut") if held in ("lean", "swing") else tr("move a cut"))
        return bool(held)

    def drop(self) -> str:
        """Let go. Returns the name of what was held."""
        held, self.held, self._frame = self.held, "", None
        return held

    def _ray(self, at: QPointF) -> tuple[Floats, Floats]:
        view = self._view
        return view.camera.ray(at.x(), at.y(), view.width(), view.height())

    def _value(self, at: QPointF) -> float | None:
        """What dragging the handle to a pixel gives: mm along the normal, or degrees about an axis of the sheet."""
        frame = self._frame
        assert frame is not None
        origin, towards = self._ray(at)
        if self.held == "move":
            return moved_along(origin, towards, frame.centre, frame.normal)
        axis, zero = (frame.across, frame.along) if self.held == "lean" else (frame.along, frame.across)
        angle = angle_about(origin, towards, frame.centre, axis, zero)
        if angle is not None:
            return angle
        # the plane of turning is seen edge-on: the height of the pointer over the handle decides
        tip = frame.centre + zero * (frame.half_along if self.held == "lean" else frame.half_across)
        lift = moved_along(origin, towards, tip, frame.normal)
        sign = 1.0 if float(np.cross(axis, zero) @ frame.normal) > 0 else -1.0
        return sign * float(np.degrees(np.arctan2(lift, np.linalg.norm(tip - frame.centre))))

    def _drag_handle(self, frame: CutFrame, at: QPointF, stepped: bool) -> None:
        value, scene = self._value(at), self._view.scene
        if value is None or scene is None:
            return
        change = value - self._start
        if self.held == "move":
            change = round(change) if stepped else change
            start = float(frame.normal @ (frame.centre - scene.model.shift))
            self._state.cutting.try_change(offset=round(start + change, 2))
            return
        change = round(change / STEP) * STEP if stepped else change
        normal = leaned(frame.normal, frame.across if self.held == "lean" else frame.along, change)
        offset = float(normal @ (frame.centre - scene.model.shift))
        model_normal = scene.model.rotation.T @ normal
        self._state.cutting.try_change(normal=tuple(model_normal.tolist()), offset=offset)

    def _drag_grip(self, at: QPointF) -> None:
        """Let a grip of a cut that is not flat follow the pointer: over the surface for a point of a line, otherwise
        in the plane that faces the eye.
        """
        state, view = self._state, self._view
        cut, scene = state.cut, view.scene
        known = self._places()
        if cut is None or scene is None or self.held not in known:
            return
        origin, towards = self._ray(at)
        place = None
        if self.held.startswith("border"):
            self._drag_border(at, scene.model.back(known[self.held]))
            return
        if self.held.startswith("point") and len(state.pieces) == 1:
            hit = view.hit(at)
            place = None if hit is None else state.snapping.snapped(hit[2])
        way, grip = on_desk(cut).way_of(cut, self.held), known[self.held]
        if way is not None:
            axis = scene.model.rotation @ way
            place = scene.model.back(grip + moved_along(origin, towards, grip, axis) * axis)
        elif place is None:
            forward = view.camera.frame[2]
            share = float((grip - origin) @ forward) / float(towards @ forward)
            place = scene.model.back(origin + share * towards)
        pull = GripDrag(self.held, scene.model.back(grip), place)
        state.cutting.try_change(**on_desk(cut).pulled(cut, pull))

    def _drag_border(self, at: QPointF, start: Floats) -> None:
        """Let a place of a border follow the pointer over the surface of the model."""
        state, hit = self._state, self._view.hit(at, assembled=True)
        if state.cut is None or hit is None or state.pieces[hit[0]].solid.origin[hit[1]] < 0:
            return
        piece = state.pieces[hit[0]]
        pull = GripDrag(self.held, start, hit[2], piece.solid.normals[hit[1]], piece.sides)
        state.cutting.try_change(**on_desk(state.cut).pulled(state.cut, pull))
