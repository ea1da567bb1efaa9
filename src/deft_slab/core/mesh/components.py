"""The connected components (shells) of a surface, and which of them make up one body. Works on open surfaces too."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Bools, Floats, Ints
from .solid import Solid
from .union_find import linked

CRUMB_SHARE = 0.01
CRUMB_SIZE = 20.0
"""mm across: a fragment under both limits is a crumb (or a speck, where no cut has made it)."""


@dataclass(frozen=True, eq=False)
class Shells:
    """The connected components of a surface.

    Attributes
    ----------
    of : (m,) int64
        The shell that each triangle belongs to, 0 to k - 1.
    volume : (k,) float64
        The signed volume of each, about its own middle, so that it is meaningful even for one that is not quite
        closed.
    low, high : (k, 3) float64
        The corners of the bounding box of each.
    triangles : (k,) int64
        How many triangles each has.
    """

    of: Ints
    volume: Floats
    low: Floats
    high: Floats
    triangles: Ints

    @property
    def across(self) -> Floats:
        """The longest side of the bounding box of each shell.

        Returns
        -------
        (k,) float64
        """
        return np.asarray((self.high - self.low).max(axis=1))


def shells_of(solid: Solid) -> Shells:
    """The connected components of a surface: facets connected by their vertices. The result is cached on the solid."""
    if "shells" not in solid.__dict__:
        solid.__dict__["shells"] = _shells(solid)
    found: Shells = solid.__dict__["shells"]
    return found


def _shells(solid: Solid) -> Shells:
    t = solid.triangles
    of_vertex = linked(np.concatenate([t[:, :2], t[:, 1:]]), len(solid.vertices))
    if len(of_vertex) and not of_vertex.any():
        one = np.zeros(len(t), np.int64)
        return Shells(one, np.array([solid.volume]), solid.bounds[:1], solid.bounds[1:], np.array([len(t)]))
    names, of = np.unique(of_vertex[t[:, 0]], return_inverse=True)
    count = len(names)
    order = np.argsort(of_vertex, kind="stable")
    order = order[np.isin(of_vertex[order], names)]  # without corners of no facet
    start = np.searchsorted(of_vertex[order], names)
    low, high = np.empty((count, 3)), np.empty((count, 3))
    for k in range(3 if count else 0):
        column = solid.vertices[order, k]
        low[:, k], high[:, k] = np.minimum.reduceat(column, start), np.maximum.reduceat(column, start)
    middle = (low + high) / 2
    height = np.einsum("ij,ij->i", solid.centroids - middle[of], solid.area_vectors)
    volume = np.bincount(of, height, minlength=count) / 3.0
    return Shells(of, volume, low, high, np.bincount(of, minlength=count))


def body_numbers(shells: Shells) -> Ints:
    """The body that each shell belongs to, numbered from the largest on. A void (a shell facing inward) belongs to
    the smallest body whose bounding box contains its own.

    Returns
    -------
    (k,) int64
    """
    outer = np.flatnonzero(shells.volume > 0)
    if len(outer) <= 1:
        return np.zeros(len(shells.volume), np.int64)
    outer = outer[np.argsort(-shells.volume[outer], kind="stable")]
    body = np.zeros(len(shells.volume), np.int64)
    body[outer] = np.arange(len(outer))
    for void in np.flatnonzero(shells.volume <= 0):
        slack = 1e-9 * float(np.linalg.norm(shells.high[void] - shells.low[void]))
        around = (shells.low[outer] <= shells.low[void] + slack).all(axis=1)
        around &= (shells.high[void] <= shells.high[outer] + slack).all(axis=1)
        holders = np.flatnonzero(around)
        body[void] = holders[-1] if len(holders) else 0
    return body


def loose_among(shells: Shells, factors: Floats) -> int:
    """How many bodies there are that do not touch each other, not counting stray specks.

    Parameters
    ----------
    factors : (3,) float64, mm
        Millimetres in one unit along each axis.
    """
    return len(np.unique(body_numbers(shells)[~specks_among(shells, factors)]))


def specks_among(shells: Shells, factors: Floats) -> Bools:
    """Which shells are stray specks: smaller than the limit for crumbs, compared with the largest.

    Parameters
    ----------
    factors : (3,) float64, mm
        Millimetres in one unit along each axis.

    Returns
    -------
    (k,) bool
    """
    size = ((shells.high - shells.low) * np.abs(factors)).max(axis=1)
    box = np.prod(np.maximum(shells.high - shells.low, 1e-12), axis=1)
    # an open fragment has no volume worth the name: its box stands in for it
    amount = np.where(np.abs(shells.volume) > 1e-9 * box, np.abs(shells.volume), 0.0)
    largest = int(np.argmax(box)) if len(box) else 0
    small = (amount < CRUMB_SHARE * max(float(amount.max(initial=0.0)), 1e-300)) & (size < CRUMB_SIZE)
    small &= (box < CRUMB_SHARE * box.max(initial=0.0)) & (shells.volume > -1e-3 * box)  # a void is no speck
    if len(small):
        small[largest] = False
    return np.asarray(small)
