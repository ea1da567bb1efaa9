"""The way of a post from the surface down: straight where that is free, else around the piece, else on to it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..arrays import Bools, Floats, Ints
from ..figures.marked_facets import facets_at
from ..figures.wall_thickness import met_first, through
from ..geometry.curves import both_across
from ..geometry.pose import BedPose
from ..mesh.solid import Solid

Lands = Literal["bed", "piece", "nowhere"]

KEEP_OFF = 0.5
"""mm between a post and the piece, but for its tip and a foot that stands on it."""
STEEPEST = math.radians(45.0)
"""From the vertical: how far a tip or a leaning stem may lean."""
_AROUND = 8
_AZIMUTHS = 16
_TIP_SHARE = 0.4
"""Of the free way under a tip, that it takes at most: a longer one would run into the wall opposite (measured)."""
_FACES_UP = 0.35
"""z of the normal from which on a foot can stand on a surface."""
_LEANS = (1.5, 3.0, 5.0, 8.0, 12.0, 18.0, 27.0, 40.0, 60.0)
"""mm across that a leaning stem goes, the least first."""
_SHORTEST = 0.6
"""mm of a post between a surface and the one it would stand on."""
ON = 0.3
"""mm that a tip or a foot may lie off the surface and still be on it."""


@dataclass(frozen=True)
class Measures:
    """mm.

    Attributes
    ----------
    tip : float
        Diameter where it touches.
    stem, foot : float
        Diameters.
    tip_length : float
        From the surface to the full stem.
    depth : float
        That a tip goes into the surface, never more than half the wall there.
    foot_height : float
        Of the cone on the bed.
    """

    tip: float = 0.3
    stem: float = 0.8
    foot: float = 2.4
    tip_length: float = 2.0
    depth: float = 0.15
    foot_height: float = 1.2

    @property
    def contact(self) -> float:
        """mm2 that a tip touches: pi d^2 / 4."""
        return math.pi * self.tip**2 / 4


@dataclass(frozen=True, eq=False)
class Routes:
    """The ways of k posts, mm on the bed.

    Attributes
    ----------
    contact : (k, 3) float64
        On the surface.
    inside : (k, 3) float64
        Where the tip ends, in it.
    joint : (k, 3) float64
        Where the tip becomes the stem.
    bend : (k, 3) float64
        Where a leaning stem becomes upright, as ``joint`` where none leans.
    end : (k, 3) float64
    lands : (k,)
        On what.
    wall : (k,) float64
        mm of the piece behind the tip.
    as_asked : (k,) bool
        Whether it stands where it was asked to.
    """

    contact: Floats
    inside: Floats
    joint: Floats
    bend: Floats
    end: Floats
    lands: NDArray[np.str_]
    wall: Floats
    as_asked: Bools

    @property
    def leans(self) -> Bools:
        """(k,) which of them lean."""
        return np.asarray(np.linalg.norm(self.bend - self.joint, axis=1) > 1e-6)

    @property
    def lengths(self) -> Floats:
        """(k,) mm from the joint to the end, along the stem."""
        lean = np.linalg.norm(self.bend - self.joint, axis=1)
        return np.asarray(lean + np.linalg.norm(self.end - self.bend, axis=1))


class Obstacle(BedPose):
    """A piece in its seat that posts go around."""

    def first(self, start: Floats, way: Floats) -> tuple[Floats, Ints]:
        """((k,) mm to what a ray meets first, inf for nothing; (k,) the facet, -1).

        Parameters
        ----------
        start, way : (k, 3) float64, on the bed
        """
        return met_first(self.solid, self.on_model(start), way @ self.rotation)

    def free(self, start: Floats, end: Floats, radius: float) -> Bools:
        """(k,) whether a round rod from start to end (k, 3) meets nothing: by rays along it, around and in its
        middle.
        """
        way = end - start
        length = np.linalg.norm(way, axis=1)
        good = length > 1e-9
        way = way / np.maximum(length, 1e-9)[:, None]
        u, v = both_across(way)
        for n in range(_AROUND + 1):
            turn = 2 * np.pi * n / _AROUND
            off = 0.0 if n == _AROUND else radius
            met, _ = self.first(start + off * (np.cos(turn) * u + np.sin(turn) * v), way)
            good &= met > length
        return np.asarray(good)


def on_surface(solid: Solid, points: Floats) -> tuple[Ints, Bools]:
    """((k,) the facets that points (k, 3), mm, model frame, are at; (k,) whether they are on their planes)."""
    facets = facets_at(solid, points)
    off = np.einsum("ij,ij->i", points - solid.centroids[facets], solid.normals[facets])
    return facets, np.abs(off) <= ON


def routed(ground: Obstacle, contact: Floats, normal: Floats, measures: Measures, feet: Floats) -> Routes:
    """Ways for posts to points of the surface; "nowhere" where there is none.

    Parameters
    ----------
    contact : (k, 3) float64, mm, on the bed
    normal : (k, 3) float64
        Unit, out of the surface there.
    feet : (k, 3) float64, mm, on the bed
        Where they are asked to stand; not a number where they find their own way, as those do that cannot stand
        there.
    """
    tilt = np.arccos(np.clip(-normal[:, 2], -1.0, 1.0))
    level = np.column_stack([normal[:, :2], np.zeros(len(normal))])
    level /= np.maximum(np.linalg.norm(level, axis=1), 1e-9)[:, None]
    lean = np.minimum(tilt, STEEPEST)[:, None]
    way = np.sin(lean) * level - np.cos(lean) * np.array([0.0, 0.0, 1.0])
    gap, _ = ground.first(contact + 1e-3 * way, way)
    over = np.minimum(np.maximum(contact[:, 2] - 0.1, 0.05), np.maximum(contact[:, 2], 0.0))
    tip = np.minimum(measures.tip_length, np.minimum(_TIP_SHARE * gap, over / 2))
    joint = contact + tip[:, None] * way
    wall, _ = through(ground.solid, ground.on_model(contact), -normal @ ground.rotation)
    into = np.minimum(measures.depth, 0.5 * wall)
    radius = measures.stem / 2 + KEEP_OFF
    lands = np.full(len(contact), "nowhere", dtype="<U7")
    bend, end = joint.copy(), joint.copy()
    as_asked = _to_feet(ground, joint, feet, measures, lands, bend, end)
    _straight(ground, joint, radius, lands, end)
    for across in _LEANS:
        waiting = np.flatnonzero((lands == "nowhere") & (joint[:, 2] > across + 0.2))
        if len(waiting):
            _leaning(ground, joint, across, radius, waiting, lands, bend, end)
    _on_piece(ground, joint, measures, lands, end)
    return Routes(contact, contact - into[:, None] * way, joint, bend, end, lands, wall, as_asked)


def _to_feet(
    ground: Obstacle, joint: Floats, feet: Floats, measures: Measures, lands: NDArray[np.str_], bend: Floats,
    end: Floats,
) -> Bools:
    """Those that are asked to stand somewhere, leaning over to above it and then upright; (k,) which of them can.

    A foot that is not on what faces up of the piece is on the bed.
    """
    able = np.zeros(len(joint), np.bool_)
    asked = np.flatnonzero(np.isfinite(feet[:, 0]))
    if not len(asked):
        return able
    start, foot = joint[asked], feet[asked].copy()
    facets, on = on_surface(ground.solid, ground.on_model(foot))
    up = (ground.solid.normals @ ground.rotation[2])[facets] > _FACES_UP
    on_piece = on & up & (foot[:, 2] > ON)
    foot[~on_piece, 2] = 0.0
    across = np.linalg.norm(foot[:, :2] - start[:, :2], axis=1)
    knee = np.column_stack([foot[:, :2], start[:, 2] - across / math.tan(STEEPEST)])
    low = foot + np.where(on_piece, _SHORTEST, 0.0)[:, None] * np.array([0.0, 0.0, 1.0])
    good = knee[:, 2] > low[:, 2] + 0.1
    radius = measures.stem / 2 + KEEP_OFF
    good &= ground.free(start, knee, radius) | (across < 1e-6)
    good &= np.where(on_piece, ground.free(knee, low, measures.stem / 2), ground.free(knee, low, radius))
    able[asked[good]] = True
    lands[asked[good]] = np.where(on_piece[good], "piece", "bed")
    bend[asked[good]], end[asked[good]] = knee[good], foot[good]
    return able


def _straight(ground: Obstacle, joint: Floats, radius: float, lands: NDArray[np.str_], end: Floats) -> None:
    foot = np.column_stack([joint[:, :2], np.zeros(len(joint))])
    free = ground.free(joint, foot, radius) & (lands == "nowhere")
    lands[free] = "bed"
    end[free] = foot[free]


def _leaning(
    ground: Obstacle, joint: Floats, across: float, radius: float, waiting: Ints, lands: NDArray[np.str_],
    bend: Floats, end: Floats,
) -> None:
    """Those that wait, leaning by a way across in any direction and then upright."""
    turn = 2 * np.pi * np.arange(_AZIMUTHS) / _AZIMUTHS
    ways = np.column_stack([np.cos(turn), np.sin(turn), -np.full(_AZIMUTHS, 1.0 / math.tan(STEEPEST))])
    start = np.repeat(joint[waiting], _AZIMUTHS, axis=0)
    knee = start + across * np.tile(ways, (len(waiting), 1))
    foot = np.column_stack([knee[:, :2], np.zeros(len(knee))])
    good = ground.free(start, knee, radius)
    good[good] = ground.free(knee[good], foot[good], radius)
    good = good.reshape(len(waiting), _AZIMUTHS)
    found = np.flatnonzero(good.any(axis=1))
    chosen = found * _AZIMUTHS + good[found].argmax(axis=1)
    lands[waiting[found]] = "bed"
    bend[waiting[found]], end[waiting[found]] = knee[chosen], foot[chosen]


def _on_piece(ground: Obstacle, joint: Floats, measures: Measures, lands: NDArray[np.str_], end: Floats) -> None:
    """Those that are left, straight down on to what faces up."""
    waiting = np.flatnonzero(lands == "nowhere")
    if not len(waiting):
        return
    down = np.tile([0.0, 0.0, -1.0], (len(waiting), 1))
    gap, facets = ground.first(joint[waiting], down)
    up = (ground.solid.normals @ ground.rotation[2])[np.maximum(facets, 0)]
    stands = (facets >= 0) & (up > _FACES_UP) & (gap > _SHORTEST) & np.isfinite(gap)
    lands[waiting[stands]] = "piece"
    end[waiting[stands]] = joint[waiting[stands]] - np.column_stack([np.zeros((stands.sum(), 2)), gap[stands]])
