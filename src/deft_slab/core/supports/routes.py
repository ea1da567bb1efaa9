"""The route of a post from the surface down: straight if that is free, else around the piece, else onto it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Bools, Floats, Ints
from ..figures.marked_facets import facets_at
from ..figures.wall_thickness import met_first, through
from ..geometry.curves import both_across
from ..geometry.pose import BedPose
from ..mesh.solid import Solid

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
    """The measures of a post, in mm.

    Attributes
    ----------
    tip : float
        Diameter where it touches the surface.
    stem, foot : float
        Diameters of the stem and of the foot.
    tip_length : float
        From the surface to the full stem.
    depth : float
        How far a tip goes into the surface; never more than half the wall there.
    foot_height : float
        The height of the cone on the bed.
    """

    tip: float = 0.3
    stem: float = 0.8
    foot: float = 2.4
    tip_length: float = 2.0
    depth: float = 0.15
    foot_height: float = 1.2

    @property
    def contact(self) -> float:
        """The area that a tip touches, pi d^2 / 4, in mm2."""
        return math.pi * self.tip**2 / 4


@dataclass(frozen=True, eq=False)
class Routes:
    """The routes of k posts, in mm on the bed.

    Attributes
    ----------
    contact : (k, 3) float64
        Where they touch the surface.
    inside : (k, 3) float64
        Where the tip ends, inside the piece.
    joint : (k, 3) float64
        Where the tip becomes the stem.
    bend : (k, 3) float64
        Where a leaning stem becomes upright; the same as ``joint`` if it does not lean.
    end : (k, 3) float64
        Where the post ends.
    lands : (k,) str
        What it ends on: "bed", "piece" or "nowhere".
    wall : (k,) float64
        The thickness of the piece behind the tip, in mm.
    as_asked : (k,) bool
        Whether it stands where the user put it.
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
        """Which of them lean.

        Returns
        -------
        (k,) bool
        """
        return np.asarray(np.linalg.norm(self.bend - self.joint, axis=1) > 1e-6)

    @property
    def lengths(self) -> Floats:
        """The length of each stem, from the joint to the end.

        Returns
        -------
        (k,) float64, mm
        """
        lean = np.linalg.norm(self.bend - self.joint, axis=1)
        return np.asarray(lean + np.linalg.norm(self.end - self.bend, axis=1))


class Obstacle(BedPose):
    """A piece in its seat, which posts must go around."""

    def first(self, start: Floats, way: Floats) -> tuple[Floats, Ints]:
        """What rays meet first.

        Parameters
        ----------
        start, way : (k, 3) float64, on the bed

        Returns
        -------
        (k,) float64, mm; (k,) int64
            The distance, inf if nothing is met; and the facet, -1.
        """
        return met_first(self.solid, self.on_model(start), way @ self.rotation)

    def free(self, start: Floats, end: Floats, radius: float) -> Bools:
        """Whether round rods collide with nothing, tested by rays along their surface and their axis.

        Parameters
        ----------
        start, end : (k, 3) float64, mm, on the bed

        Returns
        -------
        (k,) bool
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
    """The facets nearest to points, and whether the points lie on their planes.

    Parameters
    ----------
    points : (k, 3) float64, mm, model frame

    Returns
    -------
    (k,) int64, (k,) bool
    """
    facets = facets_at(solid, points)
    off = np.einsum("ij,ij->i", points - solid.centroids[facets], solid.normals[facets])
    return facets, np.abs(off) <= ON


def routed(ground: Obstacle, contact: Floats, normal: Floats, measures: Measures, feet: Floats) -> Routes:
    """Routes for posts to points of the surface; "nowhere" if there is none.

    Parameters
    ----------
    contact : (k, 3) float64, mm, on the bed
    normal : (k, 3) float64
        The outward unit normals there.
    feet : (k, 3) float64, mm, on the bed
        Where they should stand. NaN: wherever they find a way, which is also what happens if they cannot stand
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
    """Route the posts that should stand at a given foot: leaning to above it and then upright. Returns which of them
    can.

    A foot that is not on an upward-facing part of the piece is on the bed.
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
    """Route the waiting posts with a lean in any direction over a distance, and then upright."""
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
    """Route those that are left straight down onto what faces up on the piece."""
    waiting = np.flatnonzero(lands == "nowhere")
    if not len(waiting):
        return
    down = np.tile([0.0, 0.0, -1.0], (len(waiting), 1))
    gap, facets = ground.first(joint[waiting], down)
    up = (ground.solid.normals @ ground.rotation[2])[np.maximum(facets, 0)]
    stands = (facets >= 0) & (up > _FACES_UP) & (gap > _SHORTEST) & np.isfinite(gap)
    lands[waiting[stands]] = "piece"
    end[waiting[stands]] = joint[waiting[stands]] - np.column_stack([np.zeros((stands.sum(), 2)), gap[stands]])
