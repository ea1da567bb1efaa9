"""Marks on the surface: show faces, hold spots and clear spots; by brush, region, box, ball, or what the audience
sees.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Literal, get_args

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.document.base import triple
from ...core.document.marks import MOST_PLACES, Audience, Mark, Meaning, Stroke
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from .desk import Desk
from .pointing import Pointing

MEANINGS: dict[Meaning, tuple[str, str, str]] = {
    "show": (tr("show faces"), tr("mark a show face"), tr("unmark a show face")),
    "hold": (tr("hold spots"), tr("mark a hold spot"), tr("unmark a hold spot")),
    "clear": (tr("clear spots"), tr("mark a clear spot"), tr("unmark a clear spot")),
    "never": (tr("places for no cut"), tr("mark a place for no cut"), tr("unmark a place for no cut")),
    "prefer": (tr("places for seams"), tr("mark a place for seams"), tr("unmark a place for seams")),
}
"""What they are called, and what is done by marking one and by taking it away."""
Shape = Literal["grown", "ball", "box"]
SHAPES: tuple[Shape, ...] = get_args(Shape)
"""What one click marks."""
_CLOSER = 0.25
"""Of the brush's reach: places of a stroke nearer to each other than this add nothing."""


BRUSHES = ("brush", "cut brush")
"""What is pointed for while a stroke can be drawn: for a mark, for a patch."""


class Marker(QObject):
    """The marks on the surface.

    Attributes
    ----------
    brushed : signal
        A stroke was drawn for a patch, in mm, model frame.
    meaning : str
        What is marked.
    erase : bool
        Whether marks are erased instead.
    reach : float, mm
        The size of the brush, the ball and the box.
    crease : float, degrees
        The bend at which a grown region ends.
    stroke : (k, 3) float64, mm, model frame
        The stroke that is being drawn.
    """

    changed = Signal()
    brushed = Signal(object)

    def __init__(self, desk: Desk, pointing: Pointing) -> None:
        super().__init__(desk)
        self._desk, self._pointing = desk, pointing
        for shape in SHAPES:
            pointing.answer(shape, partial(self._on_clicked, shape))
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
        return MEANINGS[self.meaning][2 if self.erase else 1]

    def _unit(self) -> Floats:
        """Millimetres in one unit of the file along each axis."""
        return np.asarray(self._desk.plan.factors)

    # by brush

    def draw(self, place: Floats, normal: Floats) -> None:
        """Move the brush to a place (mm, model frame) where the surface has a given normal."""
        if self._places and float(np.linalg.norm(self._places[-1] - place)) < _CLOSER * self.reach:
            return
        if len(self._places) < MOST_PLACES:
            self._places.append(np.asarray(place))
            self._facing.append(np.asarray(normal))
        self.changed.emit()

    def end_stroke(self) -> None:
        """Turn the stroke into a mark, or a part of a patch."""
        places, facing = self.stroke, np.array(self._facing)
        self._places, self._facing = [], []
        if len(places) and self._pointing.kind == "cut brush":
            self.brushed.emit(Stroke(
                shape="brush", places=_triples(places), facing=_triples(facing), reach=self.reach, erase=self.erase,
            ))
        elif len(places):
            unit = self._unit()
            turned = facing * unit
            turned /= np.maximum(np.linalg.norm(turned, axis=1), 1e-12)[:, None]
            self._add(Mark(
                meaning=self.meaning, shape="brush", places=_triples(places / unit), facing=_triples(turned),
                reach=self.reach / float(np.abs(unit).max()), erase=self.erase,
            ))
        self.changed.emit()

    def drop_stroke(self) -> None:
        self._places, self._facing = [], []
        self.changed.emit()

    # by one click

    def at(self, shape: Shape, place: Floats) -> None:
        """Marks around a place (mm, model frame)."""
        places = _triples((place / self._unit())[None])
        if shape == "grown":
            mark = Mark(meaning=self.meaning, shape="grown", places=places, limit=self.crease, erase=self.erase)
        else:
            half = triple(self.reach / np.abs(self._unit()))
            mark = Mark(meaning=self.meaning, shape=shape, places=places, half=half, erase=self.erase)
        self._add(mark)

    def what_is_seen(self, share: float = 0.25) -> None:
        """Mark everything that the audience sees more of than a share."""
        audience = self._desk.plan.audience
        self._add(Mark(meaning=self.meaning, shape="seen", limit=share, audience=audience, erase=self.erase))

    def most_detailed(self, share: float = 0.15) -> None:
        """Marks the most detailed share of the surface."""
        self._add(Mark(meaning=self.meaning, shape="detail", limit=share, erase=self.erase))

    def _on_clicked(self, shape: Shape, number: int, facet: int, place: Floats) -> None:
        self.at(shape, place)

    def _add(self, mark: Mark) -> None:
        """Add a mark. Show faces belong to the prop, so all choices get them."""
        self._change(self._did, lambda plan: plan.changed(marks=(*plan.marks, mark)), mark.meaning)

    def unmark_all(self, meaning: str) -> None:
        """Takes all marks of a meaning away."""

        def without(plan: Plan) -> Plan:
            return plan.changed(marks=tuple(mark for mark in plan.marks if mark.meaning != meaning))

        self._change(tr("remove marks"), without, meaning)

    def _change(self, did: str, change: Callable[[Plan], Plan], meaning: str) -> None:
        if meaning == "show":
            self._desk.change_everywhere(did, change)
        else:
            self._desk.change(did, lambda: change(self._desk.plan))

    def set_audience(self, audience: Audience) -> None:
        """Set the audience. It belongs to the prop, so all choices get it."""
        self._desk.change_everywhere(tr("change the audience"), lambda plan: plan.changed(audience=audience))


def _triples(points: Floats) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(x), float(y), float(z)) for x, y, z in np.round(points, 9))
