"""Default seats: the directions a piece is tried on, and the best of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import chain

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from ..arrays import Bools, Floats
from ..geometry.place_on_bed import down_to_rotation, downs_to_rotations
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job, Spread, for_each
from .base_area import LEAST_BASE_AREA, fits_turned
from .batch_figures import sketches
from .exposure import spread_directions
from .marked_facets import Marked

SEARCH_CELLS = 72
SPREAD_SEATS = 160
_STARTS = 4
"""Of how many that lie apart the neighbourhoods are looked at. (Of 48 cells of the demo models one in ten was then 5 %
or more over the best of 400 directions and six neighbourhoods, where 60 and one left it 22 % over, and one cell with
four times the support.)"""
AROUND = 8
_TOGETHER = 8
"""Seats that one call measures."""
_REACHES = (7.0, 3.0, 1.3)
"""Degrees around a start that are tried in turn."""
_FINALISTS = 4
_APART = np.cos(np.radians(18.0))
"""Two seats nearer to each other than this are one."""
_NOTHING = 0.002
"""Share of the volume of a piece: support that differs by no more than this is the same."""
_LITTLE = 0.05
"""Share of the volume of a piece: less support than this is little to save of."""
FREELY = tr("leaning freely")
LEANING = 0.5
"""What ``Plan.leaning`` is unless a plan says otherwise."""
_MUCH = 0.2
"""Share of a cut face that faces one way, for that to be tried beside the way it faces on the whole."""
_SAME = np.cos(np.radians(2.0))
"""Two directions closer than this are one candidate."""
_EXACTLY = 1.0 - 1e-12
_COPLANAR, _FINE = np.cos(np.radians(0.1)), 1500.0
"""Facets that differ by less lie in one plane; steps of a normal's parts by which such are found."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """Attributes
    ----------
    down : array of float64
        Unit vector, model frame.
    rotation : (3, 3) float64
    kind : str
        Why it was tried, in words for a person.
    """

    down: Floats
    rotation: Floats
    kind: str


def _grouped_normals(normals: Floats, areas: Floats, most: int, least: float) -> list[Floats]:
    """Unit normals of the largest groups of facets that face the same way (within about 2 degrees)."""
    keys = np.round(normals * 30).astype(np.int64) @ [1, 64, 4096]
    _, group = np.unique(keys, return_inverse=True)
    total = np.bincount(group, areas)
    mean = np.stack([np.bincount(group, areas * normals[:, k]) for k in range(3)], axis=1)
    order = np.argsort(-total, kind="stable")[:most]
    return [mean[n] / np.linalg.norm(mean[n]) for n in order if total[n] >= least and np.linalg.norm(mean[n]) > 0]


def _in_plane(solid: Solid, down: Floats) -> Floats:
    """(3,) the normal of the largest flat that faces nearly as (3,) down does; that itself where there is none.

    A group's mean is off its flat by what is nearly as flat around it, and a draft mesh's flat by what it is
    simplified.
    """
    near = np.flatnonzero(solid.normals @ down >= _SAME)
    if not len(near):
        return down
    normals, areas = solid.normals[near], solid.areas[near]
    keys = np.round(normals * _FINE).astype(np.int64) @ [1, 1 << 20, 1 << 40]
    _, first, group = np.unique(keys, return_index=True, return_inverse=True)
    about = normals[first[np.argmax(np.bincount(group, areas))]]
    flat = normals @ about >= _COPLANAR
    mean = areas[flat] @ normals[flat]
    length = float(np.linalg.norm(mean))
    return np.asarray(mean / length) if length >= LEAST_BASE_AREA else down


def hull_of(solid: Solid) -> ConvexHull | None:
    """The convex hull; None of what has none."""
    try:
        return ConvexHull(solid.vertices)
    except QhullError:
        return None


def hull_corners(solid: Solid, hull: ConvexHull | None) -> Floats:
    """(n, 3) mm of the convex hull of a body; all its corners where it has none."""
    return np.asarray(solid.vertices if hull is None else solid.vertices[hull.vertices])


def _hull_normals(hull: ConvexHull, most: int) -> list[Floats]:
    """Normals of the largest facets of a convex hull: the ways a rigid body can lie on a table."""
    corners = hull.points[hull.simplices]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    return _grouped_normals(hull.equations[:, :3], areas, most, 0.0)


def candidates(
    solid: Solid, stood: Floats, *, thorough: bool = True, hull: ConvexHull | None = None
) -> list[Candidate]:
    """Directions worth trying for a piece, none twice.

    Parameters
    ----------
    stood : (3, 3) float64
        Rotation in which the whole model stands.
    thorough : bool
        With large flat facets and hull facets; else only cut faces and as the model stood.
    hull : ConvexHull | None
        Of the piece, if it is there already.
    """
    found: list[Candidate] = []

    def offer(down: Floats, kind: str, rotation: Floats | None = None) -> None:
        if all(float(down @ other.down) < _SAME for other in found):
            found.append(Candidate(down, down_to_rotation(down) if rotation is None else rotation, kind))

    cut_faces = np.unique(solid.origin[solid.origin < 0])
    for number in cut_faces[::-1]:
        own = solid.origin == number
        face = solid.area_vectors[own].sum(axis=0)
        length = float(np.linalg.norm(face))
        largest = _grouped_normals(solid.normals[own], solid.areas[own], 1, _MUCH * float(solid.areas[own].sum()))
        for down in [*largest, *([face / length] if length > 0 else [])]:
            down = _in_plane(solid, down)
            offer(down, tr("cut face down"))
            offer(-down, tr("cut face up"))
    offer(-stood[2], tr("as the model stood"), stood)
    if thorough:
        for normal in _grouped_normals(solid.normals, solid.areas, 8, 0.02 * float(solid.areas.sum())):
            offer(_in_plane(solid, normal), tr("on a large flat"))
        hull = hull or hull_of(solid)
        for normal in _hull_normals(hull, 12) if hull is not None else []:
            offer(normal, tr("on its outline"))
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


def bests_apart(down: Floats, values: Floats, count: int, among: Bools | None = None) -> list[int]:
    """Numbers of the best directions that lie apart, of those among which to choose.

    Parameters
    ----------
    down : (n, 3) float64
    values : (n,) float64
        Less is better.
    count : int
        How many.
    among : (n,) bool
        All by default.
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
    """A seat that was tried.

    Attributes
    ----------
    rotation : (3, 3) float64
    kind : str
        Why it was tried.
    support : float, mm3
        By the soft rule.
    fits : bool
        Whether it fits the printer, turned by some multiple of 7.5 degrees.
    """

    down: Floats
    rotation: Floats
    kind: str
    support: float
    flat: bool
    fits: bool = True


@dataclass(frozen=True, eq=False)
class SeatChoice:
    """The seat of a piece with the least support, and the one with the least of those that sit flat, None where it can
    sit flat on nothing. Of seats that fit the printer, where any does.

    Attributes
    ----------
    volume : float
        mm3 of the piece.
    """

    least: Seat
    flat: Seat | None
    volume: float

    def chosen(self, leaning: float = LEANING) -> Seat:
        """The flat one, unless the other saves as much as a plan's ``leaning`` asks. Without a flat one the other."""
        if self.flat is None:
            return self.least
        leans = worth_leaning(self.least.support, self.flat.support, self.volume, leaning)
        return self.least if leans else self.flat


def worth_leaning(least: Floats | float, flat: Floats | float, volume: Floats | float, leaning: float) -> Bools:
    """Whether pieces lean; see ``Plan.leaning``.

    Parameters
    ----------
    least, flat : mm3
        Of support, of the best seat and of the best flat one.
    volume : Floats | float
        mm3 of the pieces; all of one shape (...).
    """
    saves, volume = np.asarray(flat) - least, np.asarray(volume)
    asked = leaning * (flat + _LITTLE * volume)
    return np.asarray((saves > _NOTHING * volume) & (saves >= asked) & (leaning < 1.0))


@dataclass(frozen=True, eq=False)
class SeatWishes:
    """What seats of a piece are tried for.

    Attributes
    ----------
    stood : (3, 3) float64
        Rotation in which the whole model stands.
    threshold : float, degrees
    room : (3,)
        mm of the printer, None where it does not matter.
    lift : float
        mm over the bed.
    cells : int
        Columns across the longer side.
    """

    stood: Floats
    threshold: float
    room: tuple[float, float, float] | None = None
    lift: float = 0.0
    cells: int = SEARCH_CELLS


def seats_of(
    solid: Solid,
    wishes: SeatWishes,
    marks: Marked | None = None,
    *,
    thorough: bool = True,
    free: Floats | None = None,
    whole: tuple[Solid, Marked] | None = None,
    job: Job = QUIET,
    spread: Spread = map,
) -> SeatChoice:
    """The seats with the least support volume, of all and of those that sit flat.

    Parameters
    ----------
    thorough : bool
        Also on flats, on the outline, in spread directions, and in what lies around the best that are apart.
    free : (n, 3) float64
        Unit, model frame, tried instead of spread directions, or besides if not thorough.
    whole : tuple[Solid, Marked] | None
        What ``solid`` stands in for, and its marks: the best are looked at again on it, for what a draft mesh
        rests on may be more than what the piece does.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    hull = hull_of(solid) if thorough or wishes.room is not None else None
    corners = hull_corners(solid, hull)
    volume = abs(solid.volume)

    def look(
        offered: Sequence[Candidate | Seat], solid: Solid = solid, marks: Marked | None = marks
    ) -> list[Seat]:
        rotations = np.array([one.rotation for one in offered])
        found = sketches(solid, rotations, wishes.threshold, wishes.cells, marks=marks, layered=False)
        fits = np.ones(len(offered), np.bool_)
        if wishes.room is not None:
            fits = fits_turned(corners, rotations, wishes.room, wishes.lift)
        figures = zip(found.support_volume_mm3.tolist(), (found.sits_flat > 0).tolist(), fits.tolist(), strict=True)
        return [Seat(one.down, one.rotation, one.kind, *of) for one, of in zip(offered, figures, strict=True)]

    def looked(offered: list[Candidate]) -> list[Seat]:
        some = [offered[n : n + _TOGETHER] for n in range(0, len(offered), _TOGETHER)]
        return list(chain(*for_each(look, some, tr("Trying seats"), job, spread)))

    def chosen(seats: list[Seat]) -> SeatChoice:
        """The best of some, of the few best of each sort on the whole."""
        if whole is None or whole[0] is solid:
            return _best(seats, volume)
        finalists: list[Seat] = []
        for sort in (_fitting(seats), _fitting([one for one in seats if one.flat])):
            downs = np.array([one.down for one in sort]).reshape(-1, 3)
            finalists += [sort[n] for n in bests_apart(downs, np.array([one.support for one in sort]), _FINALISTS)]
        again: list[list[Seat]] = list(spread(lambda one: look([_set_down(one, whole[0])], *whole), finalists))
        return _best([one for (one,) in again], volume)

    tried = looked(candidates(solid, wishes.stood, thorough=thorough, hull=hull))
    flat = [one for one in _fitting(tried) if one.flat]
    if flat and min(one.support for one in flat) <= _NOTHING * volume:
        best = chosen(tried)
        if best.flat is not None and best.flat.support <= _NOTHING * volume and best.flat.fits:
            return best  # nothing is better than that by more than nothing
    everywhere = spread_directions(SPREAD_SEATS) if thorough else np.empty((0, 3))
    tried += looked(_leaning(everywhere if free is None else free))
    if not thorough:
        return chosen(tried)
    pool = _fitting(tried)
    downs, supports = np.array([one.down for one in pool]), np.array([one.support for one in pool])
    starts = bests_apart(downs, supports, _STARTS if free is None else 1)
    return chosen([*tried, *_followed([pool[n] for n in starts], looked)])


def _set_down(seat: Seat, solid: Solid) -> Seat:
    """A seat that was found on a draft mesh, on the flat that the solid itself has there."""
    down = _in_plane(solid, seat.down) if seat.flat else seat.down
    if float(down @ seat.down) >= _EXACTLY:
        return seat
    return replace(seat, down=down, rotation=down_to_rotation(down))


def _followed(centres: list[Seat], looked: Callable[[list[Candidate]], list[Seat]]) -> list[Seat]:
    """The best around some seats, each start going on from the best of its own ring."""
    for degrees in _REACHES:
        rings = looked(_leaning(np.array([around(centre.down, degrees) for centre in centres]).reshape(-1, 3)))
        centres = [
            min(_fitting([centre, *rings[AROUND * n : AROUND * (n + 1)]]), key=lambda one: one.support)
            for n, centre in enumerate(centres)
        ]
    return centres


def _fitting(seats: list[Seat]) -> list[Seat]:
    """Those that fit, where any does."""
    return [one for one in seats if one.fits] or seats


def _best(seats: list[Seat], volume: float) -> SeatChoice:
    """The best ones of some."""
    flat = [one for one in seats if one.flat]
    least = min(_fitting(seats), key=lambda one: one.support)
    best = min(_fitting(flat), key=lambda one: one.support) if flat else None
    # a flat seat that does not fit is none while another fits
    return SeatChoice(least, best if best is None or best.fits or not least.fits else None, volume)
