"""The regions of all layers of a piece, solid and air, and which lie over which."""

from __future__ import annotations

import math
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..arrays import Bools, Floats, Ints
from ..locale.translate import tr
from ..progress import QUIET, Job
from . import region_kernels
from .region_kernels import OUTSIDE
from .sections import Levels, Sections, Slicer

_SHIFT = 0.381966
"""Share of a step by which rows lie off the box, so that they do not follow the edges of a boxy part."""
_LEAST_OVER = 1e-6
"""mm along a row that count as lying over."""
_LEAST_SHARED = 1e-7
"""mm2 that two regions share where one lies over the other: under that it is what is left of rounding."""
_NOTHING = np.empty((0, 2), np.int64)


@dataclass(frozen=True, eq=False)
class Kind:
    """The regions of one kind, solid or air, from the lowest layer up.

    Attributes
    ----------
    layer : (k,) int64
    area : (k,) float64, mm2
    place : (k, 2) float64, mm, bed frame
        A point inside each region, where it is widest along x.
    over : array of int64
        Where the regions below each one begin in ``below``. For air, -1 is the outside.
    """

    layer: Ints
    area: Floats
    place: Floats
    over: Ints
    below: Ints


@dataclass(frozen=True, eq=False)
class Regions:
    """The regions of a piece.

    Attributes
    ----------
    solid, air : Kind
        Its regions of each kind.
    areas : (layers,) float64, mm2
        The solid area of each layer.
    under_outside : (k,) bool
        Which regions of air have the outside over them in the next layer.
    """

    solid: Kind
    air: Kind
    areas: Floats
    under_outside: Bools


@dataclass(eq=False)
class _Level:
    """What is known about one layer while the next is processed."""

    sections: Sections
    low: int
    of_solid: Ints
    solids: int
    airs: int
    first_solid: int
    first_air: int
    spans: Ints
    xs: Floats
    right: Ints

    def polygons(self, region: int) -> list[Floats]:
        """The outlines around a solid region."""
        return [self.sections.line(self.low + int(line)) for line in np.flatnonzero(self.of_solid == region)]


class _Gathered:
    """Regions of one kind, collected layer by layer."""

    def __init__(self) -> None:
        self.layers: list[Ints] = []
        self.areas: list[Floats] = []
        self.places: list[Floats] = []
        self.pairs: list[Ints] = []
        self.count = 0

    def add(self, layer: int, areas: Floats, places: Floats) -> None:
        self.layers.append(np.full(len(areas), layer))
        self.areas.append(areas)
        self.places.append(places)
        self.count += len(areas)

    def kind(self) -> Kind:
        pairs = np.concatenate([_NOTHING, *self.pairs])
        pairs = pairs[np.argsort(pairs[:, 1], kind="stable")]
        layer, area, place = (
            np.concatenate([empty, *parts])
            for empty, parts in ((np.empty(0, np.int64), self.layers), (np.empty(0), self.areas),
                                 (np.empty((0, 2)), self.places))
        )
        start = np.searchsorted(pairs[:, 1], np.arange(self.count + 1))
        return Kind(layer, area, place, start.astype(np.int64), np.ascontiguousarray(pairs[:, 0]))


def regions_of(slicer: Slicer, levels: Levels, row: float, reach: float = 0.0, job: Job = QUIET) -> Regions:
    """The regions of all layers of a closed solid in its seat.

    Parameters
    ----------
    row : float, mm
        The distance between the rows along which layers are compared. A region that overlaps another one only
        between two rows is examined exactly if it would otherwise lie over nothing.
    reach : float, mm
        How far solid may lie beside what is below and still be held by it.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    y = slicer.vertices[:, 1]
    y0 = float(y.min()) - _SHIFT * row
    rows = math.ceil((float(y.max()) - y0) / row) + 1
    solid, air = _Gathered(), _Gathered()
    areas = np.zeros(levels.count)
    opened: list[Ints] = []
    before: _Level | None = None
    for sections in slicer.runs(levels.middles):
        lines = sections.areas
        for number in range(len(sections)):
            layer = sections.first + number
            if layer % 16 == 0:
                job.step(layer / levels.count, tr("Checking the layers"))
            low, high = int(sections.of_level[number]), int(sections.of_level[number + 1])
            passed = region_kernels.rows_of(sections.points, sections.start, low, high, y0, row, rows)
            of_solid, own, airs, at_solid, at_air, *rows_passed = region_kernels.regions_of(*passed, lines[low:high])
            here = _Level(sections, low, of_solid, len(own), len(airs), solid.count, air.count, *rows_passed)
            areas[layer] = own.sum()
            for gathered, sizes, at in ((solid, own, at_solid), (air, airs, at_air)):
                gathered.add(layer, sizes, np.stack([at[:, 0], y0 + at[:, 1] * row], axis=1))
            for region in np.flatnonzero(np.isnan(at_solid[:, 0])):  # no row passes it
                solid.places[-1][region] = here.polygons(int(region))[0].mean(axis=0)
            if before is not None:
                opened.append(_over(before, here, solid, air, reach))
            before = here
    under = np.zeros(air.count, np.bool_)
    if opened:
        under[np.concatenate(opened)] = True
    return Regions(solid.kind(), air.kind(), areas, under)


def _over(before: _Level, here: _Level, solid: _Gathered, air: _Gathered, reach: float) -> Ints:
    """Record what of a layer lies over what of the one below, and return the regions of air that the outside lies
    over.
    """
    solids, airs = region_kernels.laid_over(
        before.spans, before.xs, before.right, here.spans, here.xs, here.right, before.solids, before.airs,
        here.solids, here.airs, _LEAST_OVER,
    )
    alone = np.ones(here.solids, np.bool_)
    alone[solids[:, 1]] = False
    found = [solids]
    for region in np.flatnonzero(alone):
        under = _exactly_under(before, here.polygons(int(region)), reach)
        found.append(np.stack([under, np.full(len(under), region)], axis=1))
    pairs = np.concatenate(found)
    solid.pairs.append(pairs + [before.first_solid, here.first_solid])
    covered = airs[:, 1] == OUTSIDE
    inward = airs[~covered]
    below = np.where(inward[:, 0] == OUTSIDE, OUTSIDE, inward[:, 0] + before.first_air)
    air.pairs.append(np.stack([below, inward[:, 1] + here.first_air], axis=1))
    return np.asarray(airs[covered, 0] + before.first_air)


def _exactly_under(before: _Level, polygons: list[Floats], reach: float) -> Ints:
    """The numbers of the solid regions of a layer that lie under a region of the next, given its outlines."""
    whole = np.concatenate(polygons)
    low, high = whole.min(axis=0) - reach - _LEAST_OVER, whole.max(axis=0) + reach + _LEAST_OVER
    sections, nearby = before.sections, set()
    for line in np.flatnonzero(before.of_solid >= 0):
        points = sections.line(before.low + int(line))
        if (points.max(axis=0) >= low).all() and (points.min(axis=0) <= high).all():
            nearby.add(int(before.of_solid[line]))
    if not nearby:
        return np.empty(0, np.int64)
    region = manifold3d.CrossSection(polygons, manifold3d.FillRule.Positive)
    if reach > 0:
        region = region.offset(reach, manifold3d.JoinType.Round, 2.0, 24)
    found = [
        number
        for number in sorted(nearby)
        if (region ^ manifold3d.CrossSection(before.polygons(number), manifold3d.FillRule.Positive)).area()
        > _LEAST_SHARED
    ]
    return np.array(found, np.int64)
