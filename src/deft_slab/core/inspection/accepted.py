"""Findings that the user has accepted."""

from __future__ import annotations

from dataclasses import replace
from typing import TypeVar

from ..arrays import Floats
from ..document.marks import LeftAlone
from .findings import Finding, Inspection

F = TypeVar("F", bound=Finding)


def with_left(found: Inspection, left: tuple[LeftAlone, ...], factors: Floats) -> Inspection:
    """An inspection with exactly those findings marked as accepted that the user has accepted.

    Parameters
    ----------
    found : Inspection
        The inspection.
    left : tuple[LeftAlone, ...]
        What the user has accepted.
    factors : (3,) float64, mm
        Millimetres in one unit of the file along each axis.
    """

    def marked(things: tuple[F, ...]) -> tuple[F, ...]:
        return tuple(replace(one, left=any(one.is_left_by(alone, factors) for alone in left)) for one in things)

    if not left:
        return found
    return replace(
        found, islands=marked(found.islands), pockets=marked(found.pockets), jumps=marked(found.jumps),
        necks=marked(found.necks), thin=marked(found.thin), grooves=marked(found.grooves),
    )
