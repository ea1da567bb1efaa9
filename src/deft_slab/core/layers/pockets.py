"""Pockets of air that a piece closes in, considering only the layers printed so far."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Floats
from . import region_kernels
from .regions import Regions
from .sections import Levels


@dataclass(frozen=True)
class ClosedAir:
    """A pocket of air.

    Attributes
    ----------
    area : float, mm2
        The largest area that it has in a layer while it is closed.
    widest : (x, y, z), mm, on the bed
        A point in it there.
    begins : (x, y, z), mm, on the bed
        A point in its lowest layer.
    opens : float, mm
        The height at which it opens; None if it never does.
    volume : float, mm3
        Its volume while it is closed.
    first : int
        The number of its lowest layer.
    """

    area: float
    widest: tuple[float, float, float]
    begins: tuple[float, float, float]
    opens: float | None
    volume: float
    first: int


def closed_air(
    regions: Regions, levels: Levels, resting: int, least: float
) -> tuple[list[ClosedAir], Floats]:
    """Find the pockets of a piece.

    Parameters
    ----------
    resting : int
        How many of the lowest layers rest on the bed.
    least : float
        Smaller pockets are not listed, in mm2 and mm3.

    Returns
    -------
    list of ClosedAir, (layers,) float64, mm2
        The pockets, largest first, and the area of all closed air in each layer.
    """
    air = regions.air
    pocket, opened, largest, at, amount, closed = region_kernels.followed_air(
        air.layer, air.area, air.over, air.below, regions.under_outside, levels.count, resting
    )
    found = []
    for root in np.flatnonzero(largest > 0):
        volume = float(amount[root]) * levels.thickness
        if max(largest[root], volume) < least:
            continue
        own = np.flatnonzero(pocket == root)
        widest = own[int(np.argmax(np.where(air.layer[own] == at[root], air.area[own], -1.0)))]
        first = int(air.layer[own].min())
        lowest = own[int(np.argmax(np.where(air.layer[own] == first, air.area[own], -1.0)))]
        opens = None if opened[root] < 0 else min(levels.bottom(int(opened[root])), levels.height)
        (x, y), (u, v) = (tuple(map(float, air.place[region])) for region in (widest, lowest))
        found.append(ClosedAir(float(largest[root]), (x, y, float(levels.middles[at[root]])),
                               (u, v, float(levels.middles[first])), opens, volume, first))
    found.sort(key=lambda one: -one.area)
    return found, closed
