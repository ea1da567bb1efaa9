"""Numbers and letters engraved in both faces of a contact, so that pieces are not mixed up."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, StringConstraints, field_validator

from ..arrays import Floats
from ..cuts import Move
from ..document.base import Triple, of_length_one
from ..locale import text
from ..locale.translate import tr
from .kind import Join, JoinHole, Made, Site, Which

Text = Annotated[str, StringConstraints(min_length=1, max_length=12)]

_OVER = 0.2
"""mm that letters go on over the face, so that they open."""
_HEAD = 1.15
"""Heights of a capital that an arrowhead takes beside the text."""
_WIDE = 0.75
"""Width of a letter in heights of a capital, on the whole: for the room that a text takes."""


class LettersJoin(Join):
    """Engraved letters.

    Attributes
    ----------
    text_first, text_second : Text
        The text on the face of each piece, read from outside it.
    height : float, mm
        The height of a capital letter.
    depth : float, mm
    along : Triple | None
        The direction of the model in which the text runs.
    pointer : Triple | None
        The direction of the model in which an arrowhead beside the text points; None: no arrowhead.
    """

    kind: Literal["letters"] = "letters"
    text_first: Text
    text_second: Text
    height: float = Field(default=4.0, ge=1, le=100)
    depth: float = Field(default=0.6, gt=0.1, le=10)
    along: Triple | None = None
    pointer: Triple | None = None

    word = tr("letters")
    holds = False
    answers = False

    @field_validator("along", "pointer")
    @classmethod
    def _of_unit_length(cls, along: Triple | None) -> Triple | None:
        return None if along is None else of_length_one(along, tr("the direction of letters"))

    def build(self, site: Site) -> Made:
        from ..geometry.blanks import placed
        from ..geometry.lettering import arrowhead, letters

        removed = {}
        texts: tuple[tuple[Which, str], ...] = (("first", self.text_first), ("second", self.text_second))
        for which, said in texts:
            # a frame whose third axis points away from the piece: its text is read from there
            axes = site.axes(which, self.along)
            low, high = site.span(which)
            deep = self.depth + high - low + _OVER
            body, width = letters(said, self.height, deep)
            across = body.translate((-(width + self._beside) / 2, -self.height / 2, 0.0))
            if self.pointer is not None:
                head = arrowhead(axes[:2] @ np.array(self.pointer), self.height, deep)
                across += head.translate(((width + self._beside - self.height) / 2, 0.0, 0.0))
            across = across.translate((0.0, 0.0, low - self.depth))
            removed[which] = placed(across, axes.T, site.place)
        return Made({}, removed)

    def rim(self, site: Site) -> Floats:
        axes = site.axes("first", self.along)
        x, y = self._half
        return np.array([[-x, -y], [x, -y], [x, y], [-x, y]]) @ axes[:2] + site.place

    def holes(self, clearance: float) -> Mapping[Which, JoinHole]:
        return {"first": JoinHole(self.depth), "second": JoinHole(self.depth)}

    @property
    def _beside(self) -> float:
        """The width in mm that an arrowhead takes beside the text."""
        return 0.0 if self.pointer is None else _HEAD * self.height

    @property
    def _half(self) -> tuple[float, float]:
        longest = max(len(self.text_first), len(self.text_second))
        return 0.5 * (_WIDE * self.height * longest + self._beside), 0.5 * self.height

    def reach(self, clearance: float, allowance: float) -> float:
        return math.hypot(*self._half)

    def radius(self, clearance: float, allowance: float) -> float:
        return self.reach(clearance, allowance)

    def sentence(self) -> str:
        points = "" if self.pointer is None else tr(", with an arrowhead")
        return tr(
            "letters “{text_first}” and “{text_second}”, {height} high{points}",
            text_first=self.text_first,
            text_second=self.text_second,
            height=text.length(self.height, 1),
            points=points,
        )

    def moved(self, move: Move) -> dict[str, Any]:
        return {
            name: None if given is None else move.direction(given)
            for name, given in (("along", self.along), ("pointer", self.pointer))
        }

    def turned_round(self) -> dict[str, Any]:
        return {"text_first": self.text_second, "text_second": self.text_first}
