"""What is of a piece is found again by the sides of cuts that the piece is on, and a point near its middle."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Protocol

from ..cuts import Side
from ..document.base import Triple


class Anchored(Protocol):
    """What is a piece, or is of one: known by the sides of cuts that it is on, and a point near its middle."""

    @property
    def sides(self) -> tuple[Side, ...]:
        """Of the cuts that have made it."""

    @property
    def anchor(self) -> Triple:
        """(3,) mm, model frame."""


def nearest_alike(wished: Anchored, pieces: Sequence[Anchored]) -> int | None:
    """The number of the piece that something is of: of those on its sides the nearest one; None without any."""
    alike = [(math.dist(wished.anchor, one.anchor), n) for n, one in enumerate(pieces) if one.sides == wished.sides]
    return min(alike)[1] if alike else None
