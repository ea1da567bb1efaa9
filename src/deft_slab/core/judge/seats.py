"""Default seats: the directions a piece is tried on, and the best of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial import ConvexHull, QhullError

from ..progress import QUIET, Job, Spread
from ..solid import Solid
from .exposure import spread_directions
from .marks import Marked
from .sketches import sketches
from .tilts import down_to_rotation, downs_to_rotations

Floats = NDArray[np.float64]

SEARCH_CELLS = 72
SPREAD_SEATS = 160
_STARTS = 4
"""Of how many that lie apart the neighbourhoods are looked at. (Of 48 cells of the demo models one in ten was then 5 %
or more over the best of 400 directions and six neighbourhoods, where 60 and one left it 22 % over, and one cell with
four times the support.)"""
AROUND = 8
_AT_ONCE, _TOGETHER = 64, 8
"""Seats between two looks at whether they are still wanted; those that one call measures."""
_REACHES = (7.0, 3.0, 1.3)
"""Degrees around a start that are tried in turn."""
_FINALISTS = 4
_APART = np.cos(np.radians(18.0))
"""Two seats nearer to each other than this are one."""
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
    """What seats are sorted by, mm3: the support volume, dearer where it does not sit flat. Of one or of many.

    All of one shape (...).
    """
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


def near_to(down: Floats, n: int, others: list[int]) -> list[int]:
    """Which of some directions (their places in the list) are one seat with direction number n of down (k, 3)."""
    return [place for place, other in enumerate(others) if float(down[n] @ down[other]) >= _APART]


def bests_apart(down: Floats, values: Floats, count: int, among: NDArray[np.bool_] | None = None) -> list[int]:
    """Numbers of the best directions that lie apart, of those among which to choose.

    down : (n, 3); values : (n,), less is better; count : how many; among : (n,) bool, all by default.
    """
    chosen: list[int] = []
    for n in np.argsort(values, kind="stable"):
        if among is not None and not among[n]:
            continue
        if not near_to(down, int(n), chosen):
            chosen.append(int(n))
        if len(chosen) == count:
            break
    return chosen


def _leaning(downs: Floats) -> list[Candidate]:
    """(k, 3) free directions as candidates."""
    return [Candidate(*one, FREELY) for one in zip(downs, downs_to_rotations(downs), strict=True)]


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
    whole: tuple[Solid, Marked] | None = None,
    cells: int = SEARCH_CELLS,
    job: Job = QUIET,
    spread: Spread = map,
) -> Seat:
    """The seat with the least support volume, one that does not sit flat only where it saves much (``seat_price``).

    thorough : also on flats, on the outline, in spread directions, and in what lies around the best that are apart
    free : (n, 3) unit, model frame, tried instead of spread directions, or besides if not thorough
    whole : what ``solid`` stands in for, and its marks: the best are looked at again on it, for what a stand-in rests
        on may be more than what the piece does

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """

    def look(offered: Sequence[Candidate | Seat], solid: Solid = solid, marks: Marked | None = marks) -> list[Seat]:
        rotations = np.array([one.rotation for one in offered])
        found = sketches(solid, rotations, threshold, cells, marks=marks, layered=False)
        price = seat_price(found.support_volume_mm3, found.sits_flat > 0, abs(solid.volume))
        return [
            Seat(one.down, one.rotation, one.kind, *figures)
            for one, *figures in zip(
                offered, found.support_volume_mm3.tolist(), price.tolist(), (found.sits_flat > 0).tolist(), strict=True
            )
        ]

    def looked(offered: list[Candidate]) -> list[Seat]:
        found: list[Seat] = []
        for first in range(0, len(offered), _AT_ONCE):
            job.step(first / len(offered), "Trying seats")
            now = offered[first : first + _AT_ONCE]
            for some in spread(look, [now[n : n + _TOGETHER] for n in range(0, len(now), _TOGETHER)]):
                found += some
        return found

    def chosen(seats: list[Seat]) -> Seat:
        """The best of some, of the few best of them and the best flat one on the whole."""
        if whole is None or whole[0] is solid:
            return min(seats, key=lambda one: one.price)
        downs, prices = np.array([one.down for one in seats]), np.array([one.price for one in seats])
        flat = np.array([one.flat for one in seats])
        numbers = {*bests_apart(downs, prices, _FINALISTS), *bests_apart(downs, prices, 1, flat)}
        finalists: list[list[Seat]] = list(spread(lambda n: look([seats[n]], *whole), sorted(numbers)))
        return min((one for (one,) in finalists), key=lambda one: one.price)

    tried = looked(candidates(solid, stood, thorough=thorough))
    if min(one.price for one in tried) <= _GOOD * abs(solid.volume):
        best = chosen(tried)
        if best.price <= _GOOD * abs(solid.volume):
            return best
    everywhere = spread_directions(SPREAD_SEATS) if thorough else np.empty((0, 3))
    downs = everywhere if free is None else free
    tried += looked(_leaning(downs))
    if not thorough:
        return chosen(tried)
    starts = bests_apart(np.array([one.down for one in tried]), np.array([one.price for one in tried]), _STARTS)
    if free is not None:  # who names directions has looked all over already
        starts = [] if tried[starts[0]].flat else starts[:1]
    centres = [tried[n] for n in starts]
    for degrees in _REACHES:
        rings = looked(_leaning(np.array([around(centre.down, degrees) for centre in centres]).reshape(-1, 3)))
        # each start goes on from the best of its own ring
        centres = [
            min([centre, *rings[AROUND * n : AROUND * (n + 1)]], key=lambda one: one.price)
            for n, centre in enumerate(centres)
        ]
    return chosen([*tried, *centres])
