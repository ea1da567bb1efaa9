"""Exact sections of a closed surface in the middle of its layers, a run of layers at a time so that memory stays
flat.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arrays import Floats, Ints, Ints32
from ..figures.overhang import BED_TOLERANCE
from ..figures.print_time import layers_of
from ..mesh.solid import Solid
from . import walk_kernels

_MOST_CROSSINGS = 3_000_000
"""In a run of layers; each takes 24 bytes, and about as much again where it is worked on."""


@dataclass(frozen=True)
class Levels:
    """Layers of a piece in its seat.

    Attributes
    ----------
    base : float
        mm over the bed, where the first begins.
    thickness : float, mm
        Of each.
    height : float
        mm over the bed, of the highest point.
    """

    base: float
    thickness: float
    height: float

    @property
    def count(self) -> int:
        """How many there are (the height over the layer height, rounded up)."""
        return layers_of(self.height - self.base, self.thickness)

    @cached_property
    def resting(self) -> int:
        """So many of the lowest layers rest on the bed: what is lower than its tolerance; none where support is."""
        return 0 if self.base > 0 else max(1, int(np.searchsorted(self.middles, BED_TOLERANCE, side="right")))

    @property
    def middles(self) -> Floats:
        """(count,) mm over the bed: the middle of each layer; of the last, of what the piece has of it."""
        found = self.base + (np.arange(self.count) + 0.5) * self.thickness
        found[-1] = (self.base + (self.count - 1) * self.thickness + self.height) / 2
        return np.asarray(found)

    def bottom(self, layer: int) -> float:
        """mm over the bed, where a layer begins, by its number from 0 on."""
        return self.base + layer * self.thickness


@dataclass(frozen=True, eq=False)
class Sections:
    """Of a run of layers.

    Attributes
    ----------
    first : int
        The number of the lowest of them.
    points : (k, 2) float64, mm, bed frame
    start : (lines + 1,) int64
        Where the points of each closed line begin.
    of_level : (layers + 1,) int64
        Where the lines of each layer begin. Solid is on the left of a line.
    """

    first: int
    points: Floats
    start: Ints
    of_level: Ints

    def __len__(self) -> int:
        return len(self.of_level) - 1

    def line(self, number: int) -> Floats:
        """(k, 2) mm: the points of a closed line."""
        return self.points[self.start[number] : self.start[number + 1]]

    def lines(self, layer: int) -> list[Floats]:
        """(k, 2) mm each: the closed lines of a layer, counted within the run."""
        return [self.line(number) for number in range(int(self.of_level[layer]), int(self.of_level[layer + 1]))]

    @property
    def areas(self) -> Floats:
        """(lines,) mm2 that each encloses, below 0 around air."""
        return np.asarray(walk_kernels.loop_areas(self.points, self.start))


@dataclass(frozen=True, eq=False)
class Slicer:
    """Cuts sections through a closed solid in its seat.

    Attributes
    ----------
    vertices : (n, 3) float64, mm, bed frame
    across : array of int32
        See ``walk_kernels.across_edges``.
    """

    vertices: Floats
    triangles: Ints32
    across: Ints32

    @classmethod
    def of(cls, solid: Solid, vertices: Floats) -> Slicer:
        """Of a solid, closed, whose corners (n, 3) lie in the bed frame."""
        if "across edges" not in solid.__dict__:
            solid.__dict__["across edges"] = walk_kernels.across_edges(solid.triangles, len(solid.vertices))
        return cls(np.ascontiguousarray(vertices, np.float64), solid.triangles, solid.__dict__["across edges"])

    def at(self, z: float) -> Sections:
        """The section at one height, mm over the bed."""
        return next(self.runs(np.array([z])))

    def runs(self, levels: Floats) -> Iterator[Sections]:
        """The sections at rising heights (k,), mm over the bed, a run of them at a time."""
        heights = np.ascontiguousarray(self.vertices[:, 2])
        first, last = walk_kernels.levels_passed(heights, self.triangles, levels)
        many = np.cumsum(walk_kernels.crossings(first, last, len(levels)))
        low = 0
        while low < len(levels):
            done = many[low - 1] if low else 0
            high = max(int(np.searchsorted(many, done + _MOST_CROSSINGS, side="right")), low + 1)
            yield Sections(low, *walk_kernels.walked(self.vertices, self.triangles, self.across, first, last, levels,
                                                     low, high))
            low = high


def beginnings(solid: Solid, vertices: Floats) -> tuple[Floats, Floats]:
    """((k, 3) mm, where the surface begins with solid above it, lowest first; (k,) mm, how much higher each meets what
    began lower, inf where it never does). What is lower than any layer is among them: layers are the verdict.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
        The corners of the solid in its seat.
    """
    heights = np.ascontiguousarray(vertices[:, 2])
    order = np.argsort(heights, kind="stable")
    a, b, c = (vertices.take(solid.triangles[:, k], axis=0) for k in range(3))
    rises = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    hangs = walk_kernels.begun(heights, solid.triangles, rises, order)
    found = order[hangs[order] > 1e-9]
    return np.asarray(vertices[found]), np.asarray(hangs[found])
