"""Where pieces lie on the beds: placed by hand, or by a search whose result was kept."""

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
    """The place of one copy of a piece on a bed. The piece is recognised by its sides and by a point near its middle
    (mm, model frame).

    Attributes
    ----------
    copy_number : int
        Which copy of the prop it belongs to, counted from 0.
    bed : int
        Which bed of its printer it lies on, counted from 0.
    x, y : float, mm, on the bed
        The low corner of its footprint.
    turn : float, degrees
        Rotation about the vertical, on top of its seat.
    by_hand : bool
        Whether it stays where it is when the others are laid out anew.
    """

    sides: tuple[Side, ...]
    anchor: Triple
    copy_number: int = Field(default=0, ge=0, le=1000)
    bed: int = Field(ge=0, lt=MOST_BEDS)
    x: float = Field(ge=-1e5, le=1e5)
    y: float = Field(ge=-1e5, le=1e7)
    turn: float = Field(default=0.0, ge=-360, le=360)
    by_hand: bool = False
