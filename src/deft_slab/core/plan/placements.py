"""Where pieces lie on beds, as documents of the plan: put there by hand, or by a search that was kept."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ..cuts import Side
from ..document.base import Document, Triple

MOST_BEDS = 1000
BedsBy = Literal["fewest", "piece", "hours", "colour"]
"""As few beds as it takes; each bed of one piece alone, all copies of one after those of another; as few, and those
that take longest first; as few, and those of one material after each other."""


class Placement(Document):
    """One copy of a piece on a bed. The piece is found again by its sides and a point near its middle (model mm).

    Attributes
    ----------
    copy_number : int
        Which copy of the prop, from 0 on.
    bed : int
        Its number among those of its printer, from 0 on.
    x, y : float, mm, on the bed
        The low corner of its footprint.
    turn : float, degrees
        About the vertical, on top of its seat.
    by_hand : bool
        It stays when the others are laid anew.
    """

    sides: tuple[Side, ...]
    anchor: Triple
    copy_number: int = Field(default=0, ge=0, le=1000)
    bed: int = Field(ge=0, lt=MOST_BEDS)
    x: float = Field(ge=-1e5, le=1e5)
    y: float = Field(ge=-1e5, le=1e7)
    turn: float = Field(default=0.0, ge=-360, le=360)
    by_hand: bool = False
