"""Recognises supplied supports by their shape: many slender rods that end on one plane, with thinner tips.

Sections across an axis of the file give outlines. Small round outlines that continue from section to section are
rods. It is for the user to say what they are, because fence posts and candles look much the same but for their tips.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import chain

import numpy as np

from ..arrays import Bools, Floats, Ints
from ..mesh.components import Shells
from ..mesh.solid import Solid
from ..mesh.union_find import linked

LEAST_RODS = 6
_THICKEST = 0.04
"""Share of the diagonal that a rod is across at most."""
_ROUND = 0.6
"""Least of 4 pi A / P^2, which is 1 for a circle and 0.785 for a square (the isoperimetric quotient, any handbook)."""
_LOOKS = (0.03, 0.06, 0.12)
"""Shares of the height over a plane where rods are looked for first; two must show enough of them."""
_FOOT = 0.15
"""Share of the height under which a rod must begin: over its raft, or on the plane."""
_SECTIONS, _FINE = 80, 8
_GAP = 3
"""Sections in which a rod may be lost: where a brace meets it."""
_SLENDER = 3.0
_TIP = 0.75
"""Of its thickness that the tip of a rod has at most."""
_MOSTLY = 0.7
"""Share of the area of a shell that lies on rods or below them, where it is supports and nothing else."""


@dataclass(frozen=True, eq=False)
class Rods:
    """The rods that were found.

    Attributes
    ----------
    count : int
        How many.
    shells : (k,) bool
        Which shells consist only of rods and what they stand on.
    fused : int
        How many rods are part of a shell with something else.
    """

    count: int
    shells: Bools
    fused: int


@dataclass(eq=False)
class _Rod:
    """A rod that is followed from section to section. ``heights`` and ``middles`` (2,) are those of its sections.

    Attributes
    ----------
    across : list[float]
        The diameter of its sections, in mm.
    shell : int
        The shell that it is part of.
    lost : int
        How many sections ago it was last seen.
    """

    heights: list[float]
    middles: list[Floats]
    across: list[float]
    shell: int
    lost: int = 0

    @property
    def thick(self) -> float:
        return float(np.median(self.across))

    @property
    def long(self) -> float:
        return self.heights[-1] - self.heights[0]


@dataclass(frozen=True, eq=False)
class _Outlines:
    """The outlines of one section.

    Attributes
    ----------
    middles : (k, 2) float64
    across : (k,) float64, mm
        The diameter of a circle of the same area.
    facet : (k,) int64
        A facet that the outline passes.
    small : (k,) bool
        Whether it is small and round.
    """

    middles: Floats
    across: Floats
    facet: Ints
    small: Bools


@dataclass(frozen=True, eq=False)
class _Standing:
    """A surface standing on one end of an axis.

    Attributes
    ----------
    corners : (n, 3) float64
        The vertices with that axis last.
    sign : float
        1 if it stands on the lower end, -1 on the upper one.
    end : float
        The coordinate of the end.
    height : float, mm
        Its height.
    low, high : (m,) float64
        The extent of its facets along the axis.
    thickest : float, mm
        The largest diameter of a rod.
    """

    solid: Solid
    corners: Floats
    sign: float
    end: float
    height: float
    low: Floats
    high: Floats
    thickest: float

    @classmethod
    def on_both(cls, solid: Solid, axis: int) -> Iterator[_Standing]:
        """The surface on the lower end of an axis, and on the upper one."""
        corners = np.take(solid.vertices, [(axis + 1) % 3, (axis + 2) % 3, axis], axis=1)
        along = np.ascontiguousarray(corners[:, 2])
        # a corner at a time: the library is slow along an axis of three
        a, b, c = (along[solid.triangles[:, k]] for k in range(3))
        low, high = np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)
        ends = float(low.min()), float(high.max())
        for sign, end in zip((1.0, -1.0), ends, strict=True):
            yield cls(solid, corners, sign, end, ends[1] - ends[0], low, high, _THICKEST * solid.diagonal)

    def section(self, height: float) -> _Outlines:
        """The outlines at a height above the end."""
        t, height = self.solid.triangles, self.end + self.sign * height
        facets = np.flatnonzero((self.low < height) & (self.high > height))
        if not len(facets):
            return _Outlines(np.empty((0, 2)), np.empty(0), np.empty(0, np.int64), np.empty(0, np.bool_))
        corners = t[facets].astype(np.int64)
        above = self.corners[corners, 2] > height
        # of the three edges, the two that cross: on the way round a facet one goes down and one comes up
        after = np.roll(corners, -1, axis=1)
        down, up = above & ~np.roll(above, -1, axis=1), ~above & np.roll(above, -1, axis=1)
        places, names = [], []
        for crossing in (down, up):
            a, b = corners[crossing], after[crossing]
            share = (height - self.corners[a, 2]) / (self.corners[b, 2] - self.corners[a, 2])
            places.append(self.corners[a, :2] + share[:, None] * (self.corners[b, :2] - self.corners[a, :2]))
            names.append(np.minimum(a, b) * len(self.corners) + np.maximum(a, b))
        _, name = np.unique(np.concatenate(names), return_inverse=True)
        of = linked(name.reshape(2, -1).T, int(name.max()) + 1)[name[: len(facets)]]
        start, end = places
        count = int(of.max()) + 1
        number = np.bincount(of, minlength=count)
        middles = np.stack([np.bincount(of, start[:, k], count) / np.maximum(number, 1) for k in (0, 1)], axis=1)
        p, q = start - middles[of], end - middles[of]
        area = np.abs(np.bincount(of, p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0], count)) / 2
        around = np.bincount(of, np.linalg.norm(q - p, axis=1), count)
        across = np.sqrt(4 * area / np.pi)
        small = (4 * np.pi * area > _ROUND * around**2) & (across < self.thickest) & (area > 0)
        facet = np.zeros(count, np.int64)
        facet[of] = facets
        return _Outlines(middles, across, facet, small)

    def promises(self) -> bool:
        """Whether a few sections near this end show enough small round outlines to make a full search worthwhile."""
        counts = [int(self.section(share * self.height).small.sum()) for share in _LOOKS]
        return sum(count >= LEAST_RODS for count in counts) >= 2

    def rods(self, shells: Shells) -> list[_Rod]:
        """All rods that begin near the end, are slender and have a thinner tip.

        Parameters
        ----------
        shells : Shells
            Of the surface.
        """
        from scipy.spatial import cKDTree

        heights = (np.arange(_SECTIONS) + 0.5) / _SECTIONS * self.height
        step = float(heights[1] - heights[0])
        open_ones, ended = list[_Rod](), list[_Rod]()
        for height in heights:
            found = self.section(float(height))
            small = np.flatnonzero(found.small)
            tree = cKDTree(found.middles[small]) if len(small) else None
            free = set(range(len(small)))
            for rod in open_ones:
                near = -1
                if tree is not None:
                    off, near = tree.query(rod.middles[-1])
                    here = found.across[small[near]]
                    if near not in free or off > max(rod.thick, step) or not 0.4 < here / rod.thick < 2.5:
                        near = -1
                if near < 0:
                    rod.lost += 1
                    continue
                free.discard(int(near))
                one = small[near]
                rod.heights.append(float(height))
                rod.middles.append(found.middles[one])
                rod.across.append(float(found.across[one]))
                rod.lost = 0
            ended += [rod for rod in open_ones if rod.lost > _GAP]
            open_ones = [rod for rod in open_ones if rod.lost <= _GAP]
            if height < _FOOT * self.height:
                for n in free:
                    one = small[n]
                    shell = int(shells.of[found.facet[one]])
                    open_ones.append(_Rod([float(height)], [found.middles[one]], [float(found.across[one])], shell))
        slender = [rod for rod in (*ended, *open_ones) if rod.long > _SLENDER * rod.thick]
        return [rod for rod, tip in zip(slender, self._tips(slender, step), strict=True) if tip < _TIP * rod.thick]

    def _tips(self, rods: list[_Rod], step: float) -> list[float]:
        """The diameter of the thinnest outline near the upper end of each rod, in mm."""
        from scipy.spatial import cKDTree

        thin = [min(rod.across[-2:]) for rod in rods]
        wanted = np.array([rod.heights[-1] for rod in rods])
        for height in np.unique(wanted):
            for n in range(1, _FINE + 1):
                found = self.section(float(height + step * n / _FINE))
                if not len(found.middles):
                    continue
                tree = cKDTree(found.middles)
                for k in np.flatnonzero(wanted == height):
                    off, near = tree.query(rods[k].middles[-1])
                    if off < rods[k].thick + step:
                        thin[k] = min(thin[k], float(found.across[near]))
        return thin

    def shares(self, rods: list[_Rod], shells: Shells) -> Floats:
        """How much of the area of each shell lies on rods, or below where they begin, as a share.

        Returns
        -------
        (k,) float64
        """
        from scipy.spatial import cKDTree

        places = np.concatenate([np.c_[rod.middles, rod.heights] for rod in rods])
        reach = np.concatenate([np.full(len(rod.heights), rod.thick) for rod in rods])
        step = self.height / _SECTIONS
        middles = self.corners[self.solid.triangles].mean(axis=1)
        middles[:, 2] = self.sign * (middles[:, 2] - self.end)
        foot = float(np.median([rod.heights[0] for rod in rods])) + step
        below = middles[:, 2] < foot
        tree = cKDTree(places)
        off, near = tree.query(middles, distance_upper_bound=float(reach.max()) + 2 * step)
        close = np.zeros(len(middles), np.bool_)
        met = np.isfinite(off)
        close[met] = off[met] < reach[near[met]] + 1.5 * step
        areas = self.solid.areas
        count = len(shells.triangles)
        mine = np.bincount(shells.of, np.where(below | close, areas, 0.0), count)
        return np.asarray(mine / np.maximum(np.bincount(shells.of, areas, count), 1e-300))


def rods_of(solid: Solid, shells: Shells) -> Rods | None:
    """The rods of a surface that look like supplied supports; None if there are too few of them, or nothing else."""
    for standing in chain.from_iterable(_Standing.on_both(solid, axis) for axis in (2, 1, 0)):
        if not standing.promises():
            continue
        rods = standing.rods(shells)
        if len(rods) < LEAST_RODS:
            continue
        supports = standing.shares(rods, shells) >= _MOSTLY
        if supports.all():
            continue
        return Rods(len(rods), supports, sum(not supports[rod.shell] for rod in rods))
    return None
