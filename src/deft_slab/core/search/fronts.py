"""Which ways to part a model are not beaten by any other, and which drafts are essentially different."""

from __future__ import annotations

from typing import TypeVar

import numpy as np

from .drafts import Draft
from .results import CutWishes, Way

T = TypeVar("T")

_MUCH_LESS = 0.95
"""Times the support of others: a way that leaves no more than this is worth measuring, whatever its seam."""


def unbeaten(ways: list[Way], little: float, short: float) -> list[Way]:
    """The ways that no other beats in all of support, seam, pieces, sitting flat, fitting and having equal pieces;
    least support first.

    Cut and uncut ways do not beat each other, because users who ask for ways to cut may have reasons that no figure
    shows.

    Parameters
    ----------
    little, short : float
        By how much support (mm3) and seam (mm) a way may be worse and still count as equal.
    """
    kept: list[Way] = []
    for way in sorted(ways, key=lambda one: (one.support, one.hidden, one.pieces)):
        beaten = any(
            one.support <= way.support + little and one.hidden <= way.hidden + short and one.pieces <= way.pieces
            and one.all_flat >= way.all_flat and one.all_fit >= way.all_fit and one.alike >= way.alike
            and bool(one.cuts) == bool(way.cuts)
            for one in kept
        )
        if not beaten:
            kept.append(way)
    return kept


def unlike(drafts: list[Draft], wishes: CutWishes, little: float, short: float) -> list[Draft]:
    """Drafts without repetition: a cut across a neck is often found in more than one way.

    Parameters
    ----------
    little, short : float
        By how much support (mm3) and seam (mm) equal drafts may differ.
    """
    kept: list[Draft] = []
    for one in drafts:
        alike = any(
            abs(one.support - other.support) < little and abs(one.hidden(wishes) - other.hidden(wishes)) < short
            and (one.flat == other.flat or abs(one.flat - other.flat) < little)
            for other in kept
        )
        if not alike:
            kept.append(one)
    return kept


def spaced(things: list[T], most: int) -> list[T]:
    """At most so many things: the first, the last, and those evenly spaced between them."""
    if len(things) <= most:
        return things
    keep = np.unique(np.round(np.linspace(0, len(things) - 1, most)).astype(int))
    return [things[n] for n in keep]


def foremost(ways: list[Way], known: list[Way], most: int, whole: float, least_gain: float) -> list[Way]:
    """The ways that advance a front the most, one after the other, measured by the area behind it (in seam, and in
    the root of the support, because small amounts count too). A way that adds less than ``least_gain`` of the
    unit square is left out, unless it is better in another figure or leaves much less support.

    Parameters
    ----------
    ways : list[Way]
        The ways to choose from.
    known : list[Way]
        The ways that are on the front already.
    most : int
        How many to choose.
    whole : float, mm3
        The support at which the axis of the front ends.
    """
    far = 1.05 * max((way.hidden for way in (*ways, *known)), default=0.0) + 1e-9

    def point(way: Way) -> tuple[float, float]:
        return min(max(way.support, 0.0) / max(whole, 1e-300), 1.0) ** 0.5, way.hidden / far

    front = [point(way) for way in known]
    left = list(ways)
    chosen: list[Way] = []
    while left and len(chosen) < most:
        before = area_behind(front)
        gains = [area_behind([*front, point(way)]) - before for way in left]
        best = left.pop(int(np.argmax(gains)))
        there = [one for one in (*known, *chosen) if _no_worse(one, best)]
        least = min((one.support for one in there), default=np.inf)
        if max(gains) < least_gain and best.support > _MUCH_LESS * least:
            continue
        chosen.append(best)
        front.append(point(best))
    return chosen


def _no_worse(one: Way, other: Way) -> bool:
    """Whether a way is at least as good as another in everything but support and seam."""
    return bool(one.cuts) and one.pieces <= other.pieces and one.all_fit >= other.all_fit and one.alike >= other.alike


def area_behind(points: list[tuple[float, float]]) -> float:
    """The part of the unit square in which a point is no better in either coordinate than one of some points (x, y)."""
    total, height = 0.0, 1.0
    for x, y in sorted(points):
        if y < height:
            total += max(1.0 - x, 0.0) * (height - y)
            height = y
    return total
