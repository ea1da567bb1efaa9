"""Exact sections of a closed surface in the middle of its layers. They are cut a run of layers at a time, so that
memory use stays constant.
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
    """The layers of a piece in its seat.

    Attributes
    ----------
    base : float
        The height over the bed at which the first layer begins, in mm.
    thickness : float, mm
        The thickness of each layer.
    height : float
        The height of the highest point over the bed, in mm.
    """

    base: float
    thickness: float
    height: float

    @property
    def count(self) -> int:
        """The number of layers: the height divided by the layer height, rounded up."""
        return layers_of(self.height - self.base, self.thickness)

    @cached_property
    def resting(self) -> int:
        """How many of the lowest layers rest on the bed: those lower than its tolerance; none if the piece stands on
        support.
        """
        return 0 if self.base > 0 else max(1, int(np.searchsorted(self.middles, BED_TOLERANCE, side="right")))

    @property
    def middles(self) -> Floats:
        """The height at which each layer is cut: its middle; for the last one, the middle of what the piece has of
        it.

        Returns
        -------
        (count,) float64, mm, on the bed
        """
        found = self.base + (np.arange(self.count) + 0.5) * self.thickness
        found[-1] = (self.base + (self.count - 1) * self.thickness + self.height) / 2
        return np.asarray(found)

    def bottom(self, layer: int) -> float:
        """The height at which a layer begins, in mm over the bed, given its number from 0 on."""
        return self.base + layer * self.thickness


@dataclass(frozen=True, eq=False)
class Sections:
    """The sections of a run of layers.

    Attributes
    ----------
    first : int
        The number of the lowest layer.
    points : (k, 2) float64, mm, bed frame
    start : (lines + 1,) int64
        Where the points of each closed outline begin.
    of_level : (layers + 1,) int64
        Where the outlines of each layer begin. Solid is to the left of an outline.
    """

    first: int
    points: Floats
    start: Ints
    of_level: Ints

    def __len__(self) -> int:
        return len(self.of_level) - 1

    def line(self, number: int) -> Floats:
        """The points of a closed outline.

        Returns
        -------
        (k, 2) float64, mm
        """
        return self.points[self.start[number] : self.start[number + 1]]

    def lines(self, layer: int) -> list[Floats]:
        """The closed outlines of a layer, whose number is counted within the run.

        Returns
        -------
        list of (k, 2) float64, mm
        """
        return [self.line(number) for number in range(int(self.of_level[layer]), int(self.of_level[layer + 1]))]

    @property
    def areas(self) -> Floats:
        """The area that each outline encloses, negative around air.

        Returns
        -------
        (lines,) float64, mm2
        """
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
        """The slicer of a closed solid.

        Parameters
        ----------
        vertices : (n, 3) float64, mm, bed frame
        """
        if "across edges" not in solid.__dict__:
            solid.__dict__["across edges"] = walk_kernels.across_edges(solid.triangles, len(solid.vertices))
        placed = np.require(vertices, np.float64, ["C", "W"])  # the kernels are compiled for one kind of array only
        return cls(placed, solid.triangles, solid.__dict__["across edges"])

    def at(self, z: float) -> Sections:
        """The section at one height.

        Parameters
        ----------
        z : float, mm, on the bed
        """
        return next(self.runs(np.array([z])))

    def runs(self, levels: Floats) -> Iterator[Sections]:
        """The sections at rising heights, a run of them at a time.

        Parameters
        ----------
        levels : (k,) float64, mm, on the bed
        """
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
    """Where the surface begins with solid above it, lowest first. What is lower than any layer is included, because
    the layers decide.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
        The vertices of the solid in its seat.

    Returns
    -------
    (k, 3) float64, mm; (k,) float64, mm
        The places; and how much higher each meets what began lower, inf if it never does.
    """
    heights = np.ascontiguousarray(vertices[:, 2])
    order = np.argsort(heights, kind="stable")
    a, b, c = (vertices.take(solid.triangles[:, k], axis=0) for k in range(3))
    rises = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    hangs = walk_kernels.begun(heights, solid.triangles, rises, order)
    found = order[hangs[order] > 1e-9]
    return np.asarray(vertices[found]), np.asarray(hangs[found])
