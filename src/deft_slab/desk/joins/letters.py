"""Letters in the window."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ...core.joins import LettersJoin
from ...core.locale.translate import tr
from ..fields import Field
from .kind import JoinOnDesk, Where


class LettersOnDesk(JoinOnDesk[LettersJoin]):
    kind = "letters"
    place = 8
    word = tr("Letter")
    adds = tr("Engraves a letter in both faces, so that pieces are not mixed up.")

    def new_join(self, where: Where) -> LettersJoin:
        return LettersJoin(**where.place, text_first="A", text_second="A", height=max(min(where.width, 6.0), 3.2))

    def fields(self, join: LettersJoin) -> list[Field]:
        return [
            Field(tr("Height"), tr("The height of a capital "
                                   "letter."), "mm", lambda one: one.height, lambda one, value: {"height": value},
                  1, 100, 0.5),
            Field(tr("Depth"), tr("How deep the letter is engraved."), "mm", lambda one: one.depth, lambda one,
                  value: {"depth": value},
                  0.2, 10, 0.1),
        ]

    def sized(self, join: LettersJoin, factor: float, stock: Sequence[float]) -> Mapping[str, Any]:
        return {"height": max(round(factor * join.height, 2), 1.0)}

    def turns(self, join: LettersJoin) -> bool:
        return True
