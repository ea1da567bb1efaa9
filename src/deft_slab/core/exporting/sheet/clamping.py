"""What holds two glued pieces while the glue sets: a clamp on opposite flat faces, or a band."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ...arrays import Floats
from ...figures.column_field import column_field
from ...geometry.curves import frame_of
from ...joins.reports import DryMove
from ...mesh.solid import Solid, side_by_side

CLAMPED = 100.0
"""mm2 of flat faces, opposite each other, on which a clamp stays (from memory)."""
_FLAT = math.cos(math.radians(8.0))
"""Facets that face the jaw to within so much are flat for it."""
_CELLS = 96


@dataclass(frozen=True)
class Holding:
    """How a glued joint can be held.

    Attributes
    ----------
    squeezed : float, mm2
        The area of opposite faces on both sides of the contact, each within 8 degrees of perpendicular to the way
        in.
    girth : float, mm
        The length of a band around both pieces at the contact, in the direction of the way in.
    """

    squeezed: float
    girth: float

    @property
    def by_clamp(self) -> bool:
        """Whether a clamp will stay; otherwise a band is better."""
        return self.squeezed >= CLAMPED


def holding(solids: Sequence[Solid], move: DryMove, place: Floats) -> Holding:
    """How the pieces of a move can be held.

    Parameters
    ----------
    solids : Sequence[Solid]
        All pieces, in mm of the model frame.
    place : (3,) float64, mm
        A point of the contact.
    """
    both = side_by_side([solids[n] for n in (*move.onto, *move.pieces)])
    first = sum(len(solids[n].triangles) for n in move.onto)
    out = -np.array(move.along)
    turn = frame_of(out)
    columns = column_field(np.ascontiguousarray(both.vertices @ turn.T), both.triangles, _CELLS)
    filled = np.flatnonzero(np.diff(columns.start) > 0)
    ends = columns.facets[columns.start[filled + 1] - 1], columns.facets[columns.start[filled]]
    top, bottom = (np.where(end >= 0, end, -1 - end) for end in ends)
    rise = both.normals @ out
    flat = (top >= first) & (rise[top] > _FLAT) & (bottom < first) & (rise[bottom] < -_FLAT)
    return Holding(float(flat.sum()) * columns.cell**2, min(_girth(both, place, turn[k]) for k in (0, 1)))


def _girth(solid: Solid, place: Floats, across: Floats) -> float:
    """The length in mm of a tight band around a solid, in the plane through a place.

    Parameters
    ----------
    across : (3,) float64
        The plane's unit normal.
    """
    height = (solid.vertices - place) @ across
    edges = solid.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    low, high = height[edges[:, 0]], height[edges[:, 1]]
    crossed = (low < 0) != (high < 0)
    if not crossed.any():
        return math.inf
    edges, low, high = edges[crossed], low[crossed], high[crossed]
    start, end = solid.vertices[edges[:, 0]], solid.vertices[edges[:, 1]]
    points = start + (low / (low - high))[:, None] * (end - start)
    return float(shapely.MultiPoint(points @ frame_of(across)[:2].T).convex_hull.length)
