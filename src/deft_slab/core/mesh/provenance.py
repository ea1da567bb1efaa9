"""Records who made a facet that was not on the opened model."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

CUT = "cut"
"""Role of the faces that a cut makes."""


class Face(NamedTuple):
    """Who made a facet.

    Attributes
    ----------
    owner : str
        Id of the cut, or of whatever else made it.
    role : str
        What the face is to its owner, such as ``CUT``.
    """

    owner: str
    role: str = CUT


def table(faces: Iterable[Face | None]) -> tuple[Face, ...]:
    """Each face once, in an order that depends on nothing else. None, which stands for the opened model, is left
    out.
    """
    return tuple(sorted({face for face in faces if face is not None}))
