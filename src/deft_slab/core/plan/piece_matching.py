"""Recognises pieces across changes of the plan: by the sides of the cuts that they are on, and by a point near their
middle.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Protocol

from ..cuts import Side
from ..document.base import Triple


class Anchored(Protocol):
    """Something that is a piece, or belongs to one."""

    @property
    def sides(self) -> tuple[Side, ...]:
        """The sides of the cuts that made the piece."""

    @property
    def anchor(self) -> Triple:
        """A point near the middle of the piece, in mm, model frame."""


def nearest_alike(wished: Anchored, pieces: Sequence[Anchored]) -> int | None:
    """The number of the piece that something belongs to: the nearest of those on the same sides. None if there is
    none.
    """
    alike = [(math.dist(wished.anchor, one.anchor), n) for n, one in enumerate(pieces) if one.sides == wished.sides]
    return min(alike)[1] if alike else None
