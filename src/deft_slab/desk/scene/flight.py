"""Flying to a place: the view turns to an overhang spot, a seam, or something that the check found."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QEasingCurve, QObject, QVariantAnimation

from ...core.arrays import Floats
from ...core.inspection.findings import Finding, Jump, Neck, Pocket
from ...core.results.outcome import OverhangSpot, Place
from ..desk_state import DeskState
from .camera import Camera
from .scene_view import SceneView

_MOTION = 250
"""ms that a flight takes."""


class Flight(QObject):
    """Moves the camera of one view."""

    def __init__(self, view: SceneView, state: DeskState) -> None:
        super().__init__(view)
        self._view, self._state = view, state
        self._from = self._to = view.camera
        self._at: Camera | None = None
        self._motion = QVariantAnimation(self)
        self._motion.setDuration(_MOTION)
        self._motion.setEasingCurve(QEasingCurve.Type.InOutCubic)
        self._motion.setStartValue(0.0)
        self._motion.setEndValue(1.0)
        self._motion.valueChanged.connect(self._move)
        state.flown_to.connect(self._fly_to)
        state.seam_flown_to.connect(self._fly_to_seam)
        state.checking.flown_to.connect(self._fly_to_found)
        for part in (state.hollowing, state.posting):
            part.flown_to.connect(self._fly_to_place)

    def _fly_to(self, number: int, spot: OverhangSpot) -> None:
        """Look at an overhang spot from below and outside, and mark it."""
        scene = self._view.scene
        if scene is None or self._state.view.in_place:
            return
        self._state.select_piece(number)
        one = scene.placed[number]
        place = one.pose.of(np.array(spot.place))
        low, high = one.box
        out = place - (low + high) / 2
        azimuth = (
            float(np.degrees(np.arctan2(out[1], out[0]))) if np.hypot(*out[:2]) > 1.0 else self._view.camera.azimuth
        )
        distance = min(max(4.0 * spot.across, 80.0), 2.2 * float(np.linalg.norm(high - low)))
        down = one.pose.rotation.T @ np.array([0.0, 0.0, -1.0])
        self._view.mark(scene.marking(number, spot.facets, down))
        self._fly(place, distance, azimuth, -24.0)

    def _fly_to_seam(self, seen: Place) -> None:
        """Look at a place of a seam or of a cut from outside."""
        scene = self._view.scene
        if scene is None:
            return
        if not self._state.view.in_place and len(self._state.pieces) > 1:
            self._state.show(in_place=True)
        model = scene.model
        place, out = model.of(seen.place), model.rotation @ seen.outward
        level = float(np.hypot(out[0], out[1]))
        azimuth = float(np.degrees(np.arctan2(out[1], out[0]))) if level > 0.1 else self._view.camera.azimuth
        elevation = float(np.clip(np.degrees(np.arctan2(out[2], max(level, 1e-6))), -60, 75))
        low, high = scene.box
        self._fly(place, max(0.5 * float(np.linalg.norm(high - low)), 60.0), azimuth, elevation)

    def _fly_to_found(self, number: int, found: Finding) -> None:
        """Look at something that was found in the layers. An island is seen from below and outside with everything
        below it cut away, a pocket from above with everything above it cut away.
        """
        scene = self._view.scene
        if scene is None or number >= len(scene.placed):
            return
        if self._state.view.in_place:
            self._state.show(in_place=False)
        one = scene.placed[number]
        place = one.pose.of(np.array(found.place))
        low, high = one.box
        out = place - (low + high) / 2
        azimuth = (
            float(np.degrees(np.arctan2(out[1], out[0]))) if np.hypot(*out[:2]) > 1.0 else self._view.camera.azimuth
        )
        size = float(np.linalg.norm(high - low))
        checking = self._state.checking
        into = isinstance(found, Pocket | Jump | Neck)
        if into:
            checking.keep("below")
        checking.set_height(found.at[2] + 1e-6 if into else math.inf)
        across = max(2.5 * math.sqrt(found.area), 30.0) if isinstance(found, Pocket) else max(0.35 * size, 30.0)
        self._fly(place, min(across, 1.5 * size), azimuth, 38.0 if into else -14.0)

    def _fly_to_place(self, number: int, place: Floats, outward: Floats) -> None:
        """Look at a place of a piece from outside, against its outward direction."""
        scene = self._view.scene
        if scene is None or number >= len(scene.placed):
            return
        if self._state.view.in_place:
            self._state.show(in_place=False)
        self._state.checking.set_height(math.inf)
        one = scene.placed[number]
        at, out = one.pose.of(place), one.pose.rotation @ outward
        low, high = one.box
        elevation = float(np.clip(np.degrees(np.arcsin(np.clip(out[2], -1, 1))), -60, 75))
        azimuth = (
            float(np.degrees(np.arctan2(out[1], out[0]))) if np.hypot(*out[:2]) > 0.1 else self._view.camera.azimuth
        )
        self._fly(at, max(0.4 * float(np.linalg.norm(high - low)), 40.0), azimuth, elevation)

    def _outside(self, out: Floats) -> float:
        """The azimuth in degrees from which an outward direction (3,) is seen from outside. A vertical direction
        keeps the present azimuth.
        """
        level = np.hypot(out[0], out[1]) > 1.0
        return float(np.degrees(np.arctan2(out[1], out[0]))) if level else self._view.camera.azimuth

    def _fly(self, place: Floats, distance: float, azimuth: float, elevation: float) -> None:
        x, y, z = place.tolist()
        self._from = self._view.camera
        self._to = replace(self._from, focus=(x, y, z), distance=distance, azimuth=azimuth, elevation=elevation)
        self._motion.stop()
        self._at = None
        if self._state.settings.motion and not self._view.draws_slowly:
            self._motion.start()
        else:
            self._view.look(self._to)

    def _move(self, share: float) -> None:
        """Move the camera to a fraction of the path, turning through the smaller angle."""
        if self._at is not None and self._view.camera != self._at:
            self._motion.stop()  # somebody has turned the view meanwhile
            return
        self._view.look(self._to if share >= 1 else _between(self._from, self._to, share))
        self._at = self._view.camera  # a view from below stays below


def _between(start: Camera, end: Camera, share: float) -> Camera:
    """A camera between two others; 0 gives the first, 1 the second."""
    turn = (end.azimuth - start.azimuth + 180.0) % 360.0 - 180.0
    x, y, z = (a + share * (b - a) for a, b in zip(start.focus, end.focus, strict=True))
    return replace(
        start, focus=(x, y, z), azimuth=start.azimuth + share * turn,
        elevation=start.elevation + share * (end.elevation - start.elevation),
        distance=start.distance * (end.distance / start.distance) ** share,
    )
