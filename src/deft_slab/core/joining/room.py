"""The room on a contact: how large a join may be at each place of it, so that enough wall is left on both sides."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import get_args

import manifold3d
import numpy as np
import shapely

from ..arrays import Bools, Floats, Ints
from ..figures.wall_thickness import through
from ..joins import Join, Which
from .contacts import Contact
from .room_kernels import free_around

_ACROSS = 90.0
"""Cells across a contact of square outline."""
_FINEST, _COARSEST = 0.12, 0.6
"""mm: limits of a cell."""
MOST_CELLS = 160_000
_LAYER = 0.6
"""mm between the depths that are looked at."""
UNDER_A_ROOT = 1.0
"""mm of its carrier that there must be under the whole foot of a key."""
_EXACT = 0.01
"""mm to which the least wall is found."""
SPACING = 0.3
"""mm: as near as that to each other lie the points of a join at which its walls are measured."""
_FAR = 12.0
"""mm: walls that are thicker are not measured on."""
_BESIDE = 0.05
"""mm over the face of a contact from which on a point of a join counts as within the piece."""


@dataclass(frozen=True, eq=False)
class ContactRoom:
    """What lies behind each place of a contact, in columns along its direction.

    Attributes
    ----------
    low : (2,) float64, mm
        The middle of the first cell, across the contact.
    step : float, mm
        The size of a cell.
    inside : (rows, columns) bool
        The cells on the contact.
    depths : dict[Which, Floats]
        For each piece, how far it is from the contact face to where the column leaves that piece, (rows, columns)
        float64, mm.
    """

    low: Floats
    step: float
    inside: Bools
    depths: dict[Which, Floats]
    _layers: dict[tuple[Which, int], Floats] = field(default_factory=dict)

    @classmethod
    def of(cls, contact: Contact) -> ContactRoom:
        """The room on a contact, before any join."""
        x0, y0, x1, y1 = contact.region.bounds
        step = float(np.clip(np.sqrt(contact.area) / _ACROSS, _FINEST, _COARSEST))
        step = max(step, float(np.sqrt((x1 - x0) * (y1 - y0) / MOST_CELLS)))
        columns, rows = (int(np.ceil(size / step)) + 3 for size in (x1 - x0, y1 - y0))
        low = np.array([x0 - step, y0 - step])
        x, y = np.meshgrid(low[0] + step * np.arange(columns), low[1] + step * np.arange(rows))
        inside = shapely.contains_xy(contact.region, x, y)
        at = contact.on_face(np.stack([x[inside], y[inside]], axis=1))
        depths: dict[Which, Floats] = {}
        for which in get_args(Which):
            way, kerf = (contact.way_in, 0.0) if which == "first" else (contact.out, contact.kerf)
            start = at + kerf * contact.out
            length, _ = through(contact.solid(which), start, np.broadcast_to(way, start.shape))
            depth = np.zeros(inside.shape)
            depth[inside] = np.where(np.isfinite(length), length, 0.0)
            depths[which] = depth
        return cls(low, step, inside, depths)

    def looked_into(self, depth: float) -> ContactRoom:
        """The same, with everything that it needs about all layers down to a depth computed ahead, without Python's
        lock.

        Parameters
        ----------
        depth : float, mm
        """
        for which in get_args(Which):
            for layer in range(math.ceil(depth / _LAYER) + 1):
                self._layer(which, layer)
        return self

    def places(self, cells: Bools) -> Floats:
        """The middles of some cells, across the contact.

        Returns
        -------
        (k, 2) float64, mm
        """
        rows, columns = np.nonzero(cells)
        return self.low + self.step * np.stack([columns, rows], axis=1)

    def near(self, across: Floats, reach: float) -> Bools:
        """The cells within reach of a place.

        Returns
        -------
        (rows, columns) bool
        """
        rows, columns = self.inside.shape
        x = self.low[0] + self.step * np.arange(columns) - across[0]
        y = self.low[1] + self.step * np.arange(rows) - across[1]
        return np.asarray(x[None] ** 2 + y[:, None] ** 2 < reach**2)

    def at(self, values: Floats, across: Floats) -> float:
        """The value of the cell at a place; beside the grid, that of the outermost cell.

        Parameters
        ----------
        values : (rows, columns)
        across : (2,) float64, mm
        """
        column, row = np.rint((across - self.low) / self.step).astype(int)
        return float(values[np.clip(row, 0, values.shape[0] - 1), np.clip(column, 0, values.shape[1] - 1)])

    @cached_property
    def width(self) -> float:
        """The diameter of the largest circle that fits on the contact, in mm."""
        return 2.0 * float(self._to_outline.max(initial=0.0))

    @cached_property
    def _to_outline(self) -> Floats:
        """The distance from each cell on the contact to its outline.

        Returns
        -------
        (k,) float64, mm
        """
        return self._free(self.inside)

    @cached_property
    def _over_root(self) -> dict[Which, Floats]:
        """For each piece, the distance from each cell on the contact to where the piece is too thin for the root of
        a key.

        Returns
        -------
        (k,) float64, mm
        """
        return {which: self._free(self.depths[which] > UNDER_A_ROOT) for which in get_args(Which)}

    def socket(self, which: Which, depth: float, draft: float, wall: float) -> Floats:
        """The largest radius, at the face, that a round tapered hole may have at each cell on the contact so that
        enough wall is left; negative if there is no room.

        Parameters
        ----------
        depth : float, mm
            The depth of the hole.
        draft : float, degrees
        wall : float, mm
            The least distance to the outside of the piece.

        Returns
        -------
        (k,) float64, mm
        """
        largest = np.full(int(self.inside.sum()), np.inf)
        lean = np.tan(np.radians(draft))
        for layer in range(math.ceil((depth + wall) / _LAYER) + 1):
            z = layer * _LAYER
            beside = np.sqrt(max(wall**2 - max(z - depth, 0.0) ** 2, 0.0))
            largest = np.minimum(largest, self._layer(which, layer) - beside + min(z, depth) * lean)
        return largest

    def _layer(self, which: Which, layer: int) -> Floats:
        """The distance from each cell on the contact to where the piece ends, at a depth.

        Returns
        -------
        (k,) float64, mm
        """
        if (which, layer) not in self._layers:
            self._layers[which, layer] = self._free(self.depths[which] > layer * _LAYER)
        return self._layers[which, layer]

    def foot(self, which: Which, wall: float) -> Floats:
        """The largest radius of the foot of a key at each cell on the contact, a wall away from the outline and over
        enough material of its carrier.

        Returns
        -------
        (k,) float64, mm
        """
        return np.asarray(np.minimum(self._to_outline - wall, self._over_root[which]))

    def around(self, join: Join, clearance: float, wall: float) -> Floats:
        """The largest radius, at the face, that a join of this depth and draft may have at each cell, so that enough
        wall is left in both pieces.

        Parameters
        ----------
        clearance : float, mm per side
        wall : float, mm

        Returns
        -------
        (rows, columns) float64, mm
        """
        free = np.full(int(self.inside.sum()), np.inf)
        for which, hole in join.holes(clearance).items():
            free = np.minimum(free, self.socket(which, hole.depth, hole.draft, wall))
            if hole.roof > 0:
                deep = self.depths[which][self.inside] > hole.depth + hole.roof + wall
                free = np.where(deep, free, -np.inf)
        if join.foot is not None:
            free = np.minimum(free, self.foot(join.foot, wall))
        found = np.full(self.inside.shape, -np.inf)
        found[self.inside] = free
        return found

    def _free(self, cells: Bools) -> Floats:
        """The distance from the middle of each cell on the contact to the nearest cell that is not one of these.

        Returns
        -------
        (k,) float64, mm
        """
        return np.asarray(free_around(cells)[self.inside] * self.step)


def least_wall(body: manifold3d.Manifold, contact: Contact, which: Which) -> float:
    """The least distance from a hole in a piece, or from the foot of a key on it, to the outside of that piece.
    Anything farther than 12 mm counts as 12 mm.

    Parameters
    ----------
    body : manifold3d.Manifold
        The hole or the key, in the model frame, where the piece is.

    Returns
    -------
    float, mm
    """
    sign, shift = (1.0, contact.kerf) if which == "second" else (-1.0, 0.0)

    def away(points: Floats) -> Floats:
        """Distances (k,) to the outside in mm; inf for points that are not beyond the contact."""
        over = points @ contact.out - contact.heights(points @ contact.frame[:2].T)
        beyond, found = sign * over - shift > _BESIDE, np.full(len(points), np.inf)
        if beyond.any():
            found[beyond] = contact.to_outside(which, points[beyond])
        return found

    return min(_least_over(*_facets_of(body), away), _FAR)


def _facets_of(body: manifold3d.Manifold) -> tuple[Floats, Ints]:
    """The surface of a small body, with no edge longer than a twelfth of it or SPACING mm.

    Returns
    -------
    (n, 3) float64, (m, 3) int64
    """
    low, high = np.array(body.bounding_box()).reshape(2, 3)
    fine = body.refine_to_length(max(SPACING, float((high - low).max()) / 12)).to_mesh64()
    return np.asarray(fine.vert_properties)[:, :3], np.asarray(fine.tri_verts).astype(np.int64)


def _in_four(a: Floats, b: Floats, c: Floats, ab: Floats, bc: Floats, ca: Floats) -> Floats:
    """The values at the corners of facets divided into four, from the values at their corners and edge midpoints.

    Returns
    -------
    (4 k, 3, …)
    """
    return np.concatenate([np.stack(one, axis=1) for one in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])


def _least_over(points: Floats, facets: Ints, away: Callable[[Floats], Floats]) -> float:
    """The least value of a distance over a surface, to within _EXACT and never above the true one.

    Facets that cannot contain the least are dropped, and the others divided into four. A point p of a facet with
    corners p_i is a mean of these with weights w_i. Whatever is nearest to it, s, is no nearer to a corner than that
    corner's distance d_i, and

        |s - p|^2 = sum of w_i |s - p_i|^2 - sum of w_i |p - p_i|^2 >= least d_i^2 - (longest edge)^2 / 3.

    (Along a wall of even thickness that leaves d - e^2 / 6 d for edges e, so few facets are divided, where that a
    distance changes by no more than the way travelled would only leave d - e / root of 3.)

    Parameters
    ----------
    points : (n, 3) float64, mm
    facets : (m, 3) int64
    away : Callable[[Floats], Floats]
        Gives the distances (k,) in mm of points (k, 3); inf where they do not count.

    Returns
    -------
    float, mm
    """
    corners, values = points[facets], away(points)[facets]
    least = float(values.min(initial=np.inf))
    while len(corners):
        longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
        counts, nearest = np.isfinite(values), values.min(axis=1)
        # where some corners do not count, the nearest one that does may be at the other end of an edge
        lowest = nearest - longest
        whole = counts.all(axis=1)
        lowest[whole] = np.sqrt(np.maximum(nearest[whole] ** 2 - longest[whole] ** 2 / 3.0, 0.0))
        open_still = counts.any(axis=1) & (lowest < least - _EXACT)
        corners, values = corners[open_still], values[open_still]
        if not len(corners):
            break
        middles = (corners + np.roll(corners, -1, axis=1)) / 2  # of the edges 01, 12, 20
        between = away(middles.reshape(-1, 3)).reshape(-1, 3)
        least = min(least, float(between.min()))
        (a, b, c), (ab, bc, ca) = corners.swapaxes(0, 1), middles.swapaxes(0, 1)
        corners = _in_four(a, b, c, ab, bc, ca)
        values = _in_four(*values.T, *between.T)
    return max(least - _EXACT, 0.0)
