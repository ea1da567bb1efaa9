"""Marking the surface: show faces, hold and clear spots; by brush, region, box, ball, or what the audience sees."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from ..core.marking import MOST_PLACES, Mark, Meaning

if TYPE_CHECKING:
    from .state import DeskState

Floats = NDArray[np.float64]

MEANINGS: dict[Meaning, str] = {"show": "show face", "hold": "hold spot", "clear": "clear spot"}
_CLOSER = 0.25
"""Of the brush's reach: places of a stroke nearer to each other than this add nothing."""


class Marker(QObject):
    """A part of the desk state.

    meaning : what is marked; erase : it is taken away instead; reach : mm, of the brush, the ball and the box
    crease : degrees of bend at which a grown region ends; stroke : (k, 3) mm, model frame, of the stroke being drawn
    """

    changed = Signal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self._state = state
        self.meaning: Meaning = "show"
        self.erase = False
        self.reach = 6.0
        self.crease = 30.0
        self._places: list[Floats] = []
        self._facing: list[Floats] = []

    @property
    def stroke(self) -> Floats:
        return np.array(self._places).reshape(-1, 3)

    def set(self, **what: object) -> None:
        """Changes meaning, erase, reach or crease."""
        for name, value in what.items():
            setattr(self, name, value)
        self.changed.emit()

    @property
    def _did(self) -> str:
        return f"{'unmark' if self.erase else 'mark'} a {MEANINGS[self.meaning]}"

    def _unit(self) -> Floats:
        """(3,) mm in one unit of the file along its axes."""
        return np.asarray(self._state.plan.factors)

    # by brush

    def draw(self, place: Floats, normal: Floats) -> None:
        """The brush is at a place (mm, model frame) where the surface faces along a normal."""
        if self._places and float(np.linalg.norm(self._places[-1] - place)) < _CLOSER * self.reach:
            return
        if len(self._places) < MOST_PLACES:
            self._places.append(np.asarray(place))
            self._facing.append(np.asarray(normal))
        self.changed.emit()

    def end_stroke(self) -> None:
        """Makes the stroke a mark."""
        places, facing = self.stroke, np.array(self._facing)
        self._places, self._facing = [], []
        if len(places):
            unit = self._unit()
            turned = facing * unit
            turned /= np.maximum(np.linalg.norm(turned, axis=1), 1e-12)[:, None]
            self._add(Mark(
                meaning=self.meaning, shape="brush", places=_triples(places / unit), facing=_triples(turned),
                reach=self.reach / float(np.abs(unit).max()), erase=self.erase,
            ))  # fmt: skip
        self.changed.emit()

    def drop_stroke(self) -> None:
        self._places, self._facing = [], []
        self.changed.emit()

    # by one click

    def at(self, shape: Literal["grown", "ball", "box"], place: Floats) -> None:
        """Marks around a place (mm, model frame)."""
        places = _triples((place / self._unit())[None])
        if shape == "grown":
            mark = Mark(meaning=self.meaning, shape="grown", places=places, limit=self.crease, erase=self.erase)
        else:
            half = tuple(float(value) for value in self.reach / np.abs(self._unit()))
            mark = Mark(meaning=self.meaning, shape=shape, places=places, half=half, erase=self.erase)
        self._add(mark)

    def what_is_seen(self, share: float = 0.25) -> None:
        """Marks everything of which the audience sees more than a share."""
        audience = self._state.plan.audience
        self._add(Mark(meaning=self.meaning, shape="seen", limit=share, audience=audience, erase=self.erase))

    def most_detailed(self, share: float = 0.15) -> None:
        """Marks the most detailed share of the surface."""
        self._add(Mark(meaning=self.meaning, shape="detail", limit=share, erase=self.erase))

    def _add(self, mark: Mark) -> None:
        self._state.mark(self._did, mark)


def _triples(points: Floats) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(x), float(y), float(z)) for x, y, z in np.round(points, 9))
