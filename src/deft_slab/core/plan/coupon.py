"""The test coupon that a plan prints along with its pieces."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ..document.base import Document
from ..joins import AnyJoin

COUPON = "coupon"
"""What a piece is that is one; see ``Piece.extra``."""
MOST_STEPS = 12


class CouponWish(Document):
    """One coupon, however many copies of the prop are printed.

    Attributes
    ----------
    join : AnyJoin
        The join to be tested.
    steps : tuple of float, mm per side
        The clearance of each hole.
    """

    join: AnyJoin
    steps: Annotated[tuple[Annotated[float, Field(ge=0, le=5)], ...], Field(min_length=1, max_length=MOST_STEPS)]
