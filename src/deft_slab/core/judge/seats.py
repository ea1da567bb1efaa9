"""Default seats: the directions a piece is tried on, and the best of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial import ConvexHull, QhullError

from ..progress import QUIET, Job, Spread
from ..solid import Solid
from .exposure import spread_directions
from .figures import sketch
from .marks import Marked
from .tilts import down_to_rotation

Floats = NDArray[np.float64]

SEARCH_CELLS = 72
SPREAD_SEATS = 60
AROUND = 8
_AT_ONCE = 16
_REACHES = (9.0, 4.5, 2.2)
"""Degrees around the best seat that are tried in turn, where it does not sit flat anyway."""
_GOOD = 0.02
"""Share of the volume: a seat on a flat that needs no more support than this is taken without looking on."""
FREELY = "leaning freely"
UNFLAT_FACTOR, UNFLAT_SHARE = 2.0, 0.05
"""A seat that does not sit flat is worth it only where it saves more than half of the support and a twentieth of the
volume of the piece."""
_SAME = np.cos(np.radians(2.0))
"""Two directions closer than this are one candidate."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """down : unit vector, model frame; rotation : (3, 3); kind : why it was tried, in words for a person"""

    down: Floats
    rotation: Floats
    kind: str


def seat_price(support: ArrayLike, flat: ArrayLike, volume: ArrayLike) -> Floats:
    """What seats are sorted by, mm3: the support volume, dearer where it does not sit flat. Of one or of many."""
    dearer = UNFLAT_FACTOR * np.asarray(support) + UNFLAT_SHARE * np.asarray(volume)
    return np.asarray(np.where(flat, support, dearer))


def _grouped_normals(normals: Floats, areas: Floats, most: int, least: float) -> list[Floats]:
    """Unit normals of the largest groups of facets that face the same way (within about 2 degrees)."""
    keys = np.round(normals * 30).astype(np.int64) @ [1, 64, 4096]
    _, group = np.unique(keys, return_inverse=True)
    total = np.bincount(group, areas)
    mean = np.stack([np.bincount(group, areas * normals[:, k]) for k in range(3)], axis=1)
    order = np.argsort(-total, kind="stable")[:most]
    return [mean[n] / np.linalg.norm(mean[n]) for n in order if total[n] >= least and np.linalg.norm(mean[n]) > 0]


def _hull_normals(solid: Solid, most: int) -> list[Floats]:
    """Normals of the largest facets of the convex hull: the ways a rigid body can lie on a table."""
    try:
        hull = ConvexHull(solid.vertices)
    except QhullError:
        return []
    corners = hull.points[hull.simplices]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    return _grouped_normals(hull.equations[:, :3], areas, most, 0.0)


def candidates(solid: Solid, stood: Floats, *, thorough: bool = True) -> list[Candidate]:
    """Directions worth trying for a piece, none twice.

    stood : (3, 3) rotation in which the whole model stands
    thorough : with large flat facets and hull facets; else only cut faces and as the model stood
    """
    found: list[Candidate] = []

    def offer(down: Floats, kind: str, rotation: Floats | None = None) -> None:
        if all(float(down @ other.down) < _SAME for other in found):
            found.append(Candidate(down, down_to_rotation(down) if rotation is None else rotation, kind))

    cut_faces = np.unique(solid.origin[solid.origin < 0])
    for number in cut_faces[::-1]:
        face = solid.area_vectors[solid.origin == number].sum(axis=0)
        length = float(np.linalg.norm(face))
        if length > 0:
            offer(face / length, "cut face down")
            offer(-face / length, "cut face up")
    offer(-stood[2], "as the model stood", stood)
    if thorough:
        for normal in _grouped_normals(solid.normals, solid.areas, 8, 0.02 * float(solid.areas.sum())):
            offer(normal, "on a large flat")
        for normal in _hull_normals(solid, 12):
            offer(normal, "on its outline")
    return found


def around(centre: Floats, degrees: float) -> Floats:
    """(8, 3) unit vectors on a circle about a direction."""
    helper = np.eye(3)[int(np.argmin(np.abs(centre)))]
    right = np.cross(centre, helper)
    right /= np.linalg.norm(right)
    up = np.cross(right, centre)
    turn = np.arange(AROUND) * 2 * np.pi / AROUND
    sine, cosine = np.sin(np.radians(degrees)), np.cos(np.radians(degrees))
    return np.asarray(cosine * centre + sine * (np.outer(np.cos(turn), right) + np.outer(np.sin(turn), up)))


@dataclass(frozen=True, eq=False)
class Seat:
    """A seat that was tried. rotation : (3, 3); kind : why it was tried; support : mm3, by the soft rule
    price : see ``seat_price``"""

    down: Floats
    rotation: Floats
    kind: str
    support: float
    price: float
    flat: bool


def best_seat(
    solid: Solid,
    stood: Floats,
    threshold: float,
    marks: Marked | None = None,
    *,
    thorough: bool = True,
    free: Floats | None = None,
    cells: int = SEARCH_CELLS,
    job: Job = QUIET,
    spread: Spread = map,
) -> Seat:
    """The seat with the least support volume, one that does not sit flat only where it saves much (``seat_price``).

    thorough : also on flats, on the outline, in spread directions, and in what lies around the best of them
    free : (n, 3) unit, model frame, tried instead of spread directions, or besides if not thorough

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """

    def look(candidate: Candidate) -> Seat:
        found = sketch(solid, candidate.rotation, threshold, cells, marks=marks)
        price = float(seat_price(found.support_volume_mm3, found.sits_flat, abs(solid.volume)))
        return Seat(
            candidate.down, candidate.rotation, candidate.kind, found.support_volume_mm3, price, found.sits_flat
        )

    def looked(offered: list[Candidate]) -> list[Seat]:
        found: list[Seat] = []
        for first in range(0, len(offered), _AT_ONCE):
            job.step(first / len(offered), "Trying seats")
            found += spread(look, offered[first : first + _AT_ONCE])
        return found

    best = min(looked(candidates(solid, stood, thorough=thorough)), key=lambda one: one.price)
    if best.price <= _GOOD * abs(solid.volume):
        return best
    everywhere = spread_directions(SPREAD_SEATS) if thorough else np.empty((0, 3))
    downs = everywhere if free is None else free
    further = looked([Candidate(down, down_to_rotation(down), FREELY) for down in downs])
    best = min([best, *further], key=lambda one: one.price)
    for degrees in () if best.flat or not thorough else _REACHES:
        ring = [Candidate(down, down_to_rotation(down), FREELY) for down in around(best.down, degrees)]
        best = min([best, *spread(look, ring)], key=lambda one: one.price)
    return best
