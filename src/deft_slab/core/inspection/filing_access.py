"""Where a file cannot reach a seam: the seam lies in a groove, and keeps its step when it is sanded elsewhere."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Bools, Floats
from ..figures.marked_facets import facets_at
from ..figures.wall_thickness import met_first
from ..geometry.curves import frame_of
from ..mesh.solid import Solid
from ..mesh.union_find import linked

LENGTH = 60.0
"""mm of a file on either side of where it touches, that must be free on one side at least (from memory)."""
_EVERY = 2.0
"""mm between the places of a seam that are looked at."""
_WAYS = 16
_OFF = 0.15
"""mm that a file is held off the surface, so that it may be slightly hollow."""
_RISE = np.radians((0.0, 10.0, 25.0))
"""How far a file may be tipped up from the surface."""
_AROUND = 6


@dataclass(frozen=True, eq=False)
class Shut:
    """A part of a seam that no file reaches.

    Attributes
    ----------
    place : (3,) float64, mm, model frame
    length : float, mm
    """

    place: Floats
    length: float


def grooves(solid: Solid, segments: Floats, file: float) -> list[Shut]:
    """The parts of a seam that a round file cannot touch, longest first.

    Parameters
    ----------
    solid : Solid
        The prop before any cut, in mm, model frame.
    segments : (k, 2, 3) float64, mm
        The seam.
    file : float, mm
        The diameter of the file.
    """
    lengths = np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1) if len(segments) else np.empty(0)
    if not len(lengths) or lengths.sum() <= 0:
        return []
    # one place for each cell that it passes: segments may be far shorter, and come in any order
    middles = segments.mean(axis=1)
    cells = np.floor(middles / _EVERY).astype(np.int64)
    _, first, of = np.unique(cells, axis=0, return_index=True, return_inverse=True)
    places, share = middles[first], np.bincount(of.ravel(), lengths)
    outward = solid.normals[facets_at(solid, places)]
    shut = np.flatnonzero(~_reached(solid, places, outward, file / 2))
    if not len(shut):
        return []
    pairs = cKDTree(places[shut]).query_pairs(3 * _EVERY, output_type="ndarray")
    group = linked(pairs, len(shut))
    found = []
    for number in range(int(group.max()) + 1):
        own = shut[group == number]
        centre = places[own].mean(axis=0)
        middle = own[int(np.argmin(np.linalg.norm(places[own] - centre, axis=1)))]
        found.append(Shut(places[middle], float(share[own].sum())))
    return sorted(found, key=lambda one: -one.length)


def _reached(solid: Solid, places: Floats, outward: Floats, radius: float) -> Bools:
    """Whether a rod that lies on the surface, or is tipped up slightly, reaches each place from outside.

    Returns
    -------
    (n,) bool
    """
    good = np.zeros(len(places), np.bool_)
    for n, (place, out) in enumerate(zip(places, outward, strict=True)):
        u, v, _ = frame_of(out)
        turn = 2 * np.pi * np.arange(_WAYS) / _WAYS
        level = np.outer(np.cos(turn), u) + np.outer(np.sin(turn), v)
        ways = np.concatenate([np.cos(rise) * level + np.sin(rise) * out for rise in _RISE])
        start = place + (radius + _OFF) * out
        free = np.ones(len(ways), np.bool_)
        for k in range(_AROUND):
            angle = 2 * np.pi * k / _AROUND
            across = np.cross(ways, out)
            across /= np.maximum(np.linalg.norm(across, axis=1), 1e-9)[:, None]
            off = 0.95 * radius * (np.cos(angle) * out + np.sin(angle) * across)
            free &= met_first(solid, start + off, ways)[0] > LENGTH
        good[n] = bool(free.any())
    return good
