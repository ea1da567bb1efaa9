"""Which of some ways to part a model no other beats."""

from __future__ import annotations

import numpy as np

from .found import Way


def unbeaten(ways: list[Way], little: float, short: float) -> list[Way]:
    """Those that no other beats in all of support, seam, pieces, sitting flat and fitting; least support first. Uncut
    and parted ones do not beat each other: whoever asks for ways to part it may have reasons of which no figure tells.

    little : mm3, short : mm, by which a way may be worse and is still as good
    """
    kept: list[Way] = []
    for way in sorted(ways, key=lambda one: (one.support, one.hidden, one.pieces)):
        beaten = any(
            one.support <= way.support + little and one.hidden <= way.hidden + short and one.pieces <= way.pieces
            and one.all_flat >= way.all_flat and one.all_fit >= way.all_fit and bool(one.cuts) == bool(way.cuts)
            for one in kept
        )  # fmt: skip
        if not beaten:
            kept.append(way)
    return kept


def spaced(ways: list[Way], most: int) -> list[Way]:
    """So many of some, at most: the ends and what lies evenly between them."""
    if len(ways) <= most:
        return ways
    keep = np.unique(np.round(np.linspace(0, len(ways) - 1, most)).astype(int))
    return [ways[n] for n in keep]
