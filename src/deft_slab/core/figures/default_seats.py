"""Default seats: the directions a piece is tried on, and the best of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import chain
from typing import TYPE_CHECKING

import numpy as np

from ..arrays import Bools, Floats
from ..geometry.place_on_bed import down_to_rotation, downs_to_rotations
from ..geometry.simplify import thinned
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job, Spread, for_each
from .base_area import LEAST_BASE_AREA, fits_turned
from .batch_figures import sketches
from .exposure import spread_directions
from .marked_facets import Marked

if TYPE_CHECKING:
    from scipy.spatial import ConvexHull

SEARCH_CELLS = 72
SPREAD_SEATS = 160
_STARTS = 4
"""Of how many that lie apart the neighbourhoods are looked at. (Of 48 cells of the demo models one in ten was then 5 %
or more over the best of 400 directions and six neighbourhoods, where 60 and one left it 22 % over, and one cell with
four times the support.)"""
_ROUGH_TRIANGLES, _ROUGH_CELLS = 2_000, 48
"""Of the rough mesh on which free directions are looked at first, and the columns across it."""
_KEPT_OF_ROUGH = 16
"""Directions found on it that are measured on the draft mesh."""
_FEW_CORNERS = 2_000
"""Of so many at most all are asked whether a piece fits, and not only those of its hull."""
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
    """A direction that is tried as a seat.

    Attributes
    ----------
    down : (3,) float64
        Unit vector of the model frame that points to the bed.
    rotation : (3, 3) float64
    kind : str
        Why it is tried, worded for a person.
    """

    down: Floats
    rotation: Floats
    kind: str


def _grouped_normals(normals: Floats, areas: Floats, most: int, least: float) -> list[Floats]:
    """The unit normals of the largest groups of facets that face the same way, within about 2 degrees."""
    keys = np.round(normals * 30).astype(np.int64) @ [1, 64, 4096]
    _, group = np.unique(keys, return_inverse=True)
    total = np.bincount(group, areas)
    mean = np.stack([np.bincount(group, areas * normals[:, k]) for k in range(3)], axis=1)
    order = np.argsort(-total, kind="stable")[:most]
    return [mean[n] / np.linalg.norm(mean[n]) for n in order if total[n] >= least and np.linalg.norm(mean[n]) > 0]


def _in_plane(solid: Solid, down: Floats) -> Floats:
    """The normal of the largest flat that faces nearly the same way as a direction; the direction itself if there is
    none.

    The mean of a group differs from the flat in it by what is nearly as flat around it, and the flat of a draft mesh
    by what simplifying changed.

    Returns
    -------
    (3,) float64
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
    """The convex hull; None if the points have none."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        return ConvexHull(solid.vertices)
    except QhullError:
        return None


def hull_corners(solid: Solid, hull: ConvexHull | None) -> Floats:
    """The vertices of the convex hull of a body; all its vertices if it has no hull.

    Returns
    -------
    (n, 3) float64, mm
    """
    return np.asarray(solid.vertices if hull is None else solid.vertices[hull.vertices])


def _hull_normals(hull: ConvexHull, most: int) -> list[Floats]:
    """The normals of the largest facets of a convex hull: the ways in which a rigid body can lie on a table."""
    corners = hull.points[hull.simplices]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    return _grouped_normals(hull.equations[:, :3], areas, most, 0.0)


def candidates(
    solid: Solid, stood: Floats, *, thorough: bool = True, hull: ConvexHull | None = None
) -> list[Candidate]:
    """Directions worth trying for a piece, without repetition.

    Parameters
    ----------
    stood : (3, 3) float64
        The rotation in which the whole model stands.
    thorough : bool
        Whether to include large flat facets and facets of the hull; otherwise only cut faces and the standing
        direction.
    hull : ConvexHull | None
        The convex hull of the piece, if it is known already.
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
    """Unit vectors on a circle around a direction.

    Returns
    -------
    (8, 3) float64
    """
    helper = np.eye(3)[int(np.argmin(np.abs(centre)))]
    right = np.cross(centre, helper)
    right /= np.linalg.norm(right)
    up = np.cross(right, centre)
    turn = np.arange(AROUND) * 2 * np.pi / AROUND
    sine, cosine = np.sin(np.radians(degrees)), np.cos(np.radians(degrees))
    return np.asarray(cosine * centre + sine * (np.outer(np.cos(turn), right) + np.outer(np.sin(turn), up)))


def near_to(down: Floats, one: int, others: list[int], apart: float = _APART) -> list[int]:
    """Which of some directions count as the same seat as a given one, because they lie so near to it.

    Parameters
    ----------
    down : (k, 3) float64
    one : int
        The number of the given direction.
    others : list[int]
        The numbers of those to compare with it.
    apart : float
        The cosine of the angle from which on two are different seats; of 18 degrees by default.

    Returns
    -------
    list of int
        Places in ``others``.
    """
    return [place for place, other in enumerate(others) if float(down[one] @ down[other]) >= apart]


def bests_apart(
    down: Floats, values: Floats, count: int, among: Bools | None = None, apart: float = _APART
) -> list[int]:
    """The numbers of the best directions that lie apart from each other.

    Parameters
    ----------
    down : (n, 3) float64
    values : (n,) float64
        The value of each; smaller is better.
    count : int
        How many to choose.
    among : (n,) bool
        Which may be chosen; all by default.
    apart : float
        The cosine of the angle from which on two lie apart.
    """
    chosen: list[int] = []
    for n in np.argsort(values, kind="stable"):
        if among is not None and not among[n]:
            continue
        if not near_to(down, int(n), chosen, apart):
            chosen.append(int(n))
        if len(chosen) == count:
            break
    return chosen


def _leaning(downs: Floats) -> list[Candidate]:
    """Free directions as candidates."""
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
        Its support volume, by the soft rule.
    fits : bool
        Whether the piece fits the printer, turned by some multiple of 7.5 degrees.
    """

    down: Floats
    rotation: Floats
    kind: str
    support: float
    flat: bool
    fits: bool = True


@dataclass(frozen=True, eq=False)
class SeatChoice:
    """The two best seats of a piece: the one with the least support, and among those in which it sits flat the one
    with the least support (None if it can sit flat nowhere). Only seats that fit the printer count, if any does.

    Attributes
    ----------
    volume : float
        The volume of the piece, in mm3.
    """

    least: Seat
    flat: Seat | None
    volume: float

    def chosen(self, leaning: float = LEANING) -> Seat:
        """The seat to take: the flat one, unless the other saves as much support as ``leaning`` requires, or there
        is no flat one.
        """
        if self.flat is None:
            return self.least
        leans = worth_leaning(self.least.support, self.flat.support, self.volume, leaning)
        return self.least if leans else self.flat


def worth_leaning(least: Floats | float, flat: Floats | float, volume: Floats | float, leaning: float) -> Bools:
    """Whether pieces should lean; see ``Plan.leaning``. All arguments have the same shape (...).

    Parameters
    ----------
    least, flat : (...) float64, mm3
        The support of the best seat, and of the best flat one.
    volume : (...) float64, mm3
        The volume of the pieces.
    """
    saves, volume = np.asarray(flat) - least, np.asarray(volume)
    asked = leaning * (flat + _LITTLE * volume)
    return np.asarray((saves > _NOTHING * volume) & (saves >= asked) & (leaning < 1.0))


@dataclass(frozen=True, eq=False)
class SeatWishes:
    """What seats are searched for.

    Attributes
    ----------
    stood : (3, 3) float64
        The rotation in which the whole model stands.
    threshold : float, degrees
    room : (x, y, z), mm, or None
        The room of the printer; None if it does not matter.
    lift : float
        Height over the bed, in mm.
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
    """Search for the seats with the least support volume: of all seats, and of those in which the piece sits flat.

    Parameters
    ----------
    thorough : bool
        Whether to try flats, the outline, directions spread over the sphere, and the surroundings of the best
        that lie apart.
    free : (n, 3) float64
        Unit vectors in the model frame, tried instead of the spread directions, or in addition if not thorough.
    whole : tuple[Solid, Marked] | None
        The solid that ``solid`` is the draft mesh of, with its marks. The best seats are checked on it, because a
        draft mesh may rest on more than the piece does.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    # whether a piece fits is told by its corners; of few of them, the hull takes longer than it saves
    many = len(solid.vertices) > _FEW_CORNERS
    hull = hull_of(solid) if thorough or (many and wishes.room is not None) else None
    corners = hull_corners(solid, hull)
    volume = abs(solid.volume)

    def look(
        offered: Sequence[Candidate | Seat], on: Solid = solid, marked: Marked | None = marks, cells: int = wishes.cells
    ) -> list[Seat]:
        rotations = np.array([one.rotation for one in offered])
        found = sketches(on, rotations, wishes.threshold, cells, marks=marked, layered=False)
        fits = np.ones(len(offered), np.bool_)
        if wishes.room is not None:
            fits = fits_turned(corners, rotations, wishes.room, wishes.lift)
        figures = zip(found.support_volume_mm3.tolist(), (found.sits_flat > 0).tolist(), fits.tolist(), strict=True)
        return [Seat(one.down, one.rotation, one.kind, *of) for one, of in zip(offered, figures, strict=True)]

    def looked(offered: Sequence[Candidate | Seat], measuring: Callable[..., list[Seat]] = look) -> list[Seat]:
        some = [offered[n : n + _TOGETHER] for n in range(0, len(offered), _TOGETHER)]
        return list(chain(*for_each(measuring, some, tr("Trying seats"), job, spread)))

    def chosen(seats: list[Seat]) -> SeatChoice:
        """The best of some, of the few best of each sort on the whole."""
        if whole is None or whole[0] is solid:
            return _best(seats, volume)
        finalists: list[Seat] = []
        for sort in (_fitting(seats), _fitting([one for one in seats if one.flat])):
            finalists += _bests(sort, _FINALISTS)
        again: list[list[Seat]] = list(spread(lambda one: look([_set_down(one, whole[0])], *whole), finalists))
        return _best([one for (one,) in again], volume)

    def freely(known: list[Seat], downs: Floats, starts: int) -> list[Seat]:
        """Free directions and the surroundings of the best that lie apart, with those that are known already."""
        rough = _rough(solid) if marks is None or not marks.anything else solid
        measuring = look if rough is solid else partial(look, on=rough, marked=None, cells=_ROUGH_CELLS)
        tried = looked(_leaning(downs), measuring)
        best = _bests(_fitting([*known, *tried]), starts)
        tried += _followed(best, lambda offered: looked(offered, measuring))
        return tried if rough is solid else looked(_bests(_fitting(tried), _KEPT_OF_ROUGH, _SAME))

    tried = looked(candidates(solid, wishes.stood, thorough=thorough, hull=hull))
    flat = [one for one in _fitting(tried) if one.flat]
    if flat and min(one.support for one in flat) <= _NOTHING * volume:
        best = chosen(tried)
        if best.flat is not None and best.flat.support <= _NOTHING * volume and best.flat.fits:
            return best  # nothing is better than that by more than nothing
    if not thorough:
        return chosen([*tried, *looked(_leaning(np.empty((0, 3)) if free is None else free))])
    downs, starts = (spread_directions(SPREAD_SEATS), _STARTS) if free is None else (free, 1)
    return chosen([*tried, *freely(tried, downs, starts)])


def _rough(solid: Solid) -> Solid:
    """A mesh of few triangles, good enough to tell which directions are worth a closer look; the solid itself where
    it has few.
    """
    return thinned(solid, _ROUGH_TRIANGLES) if len(solid.triangles) > 2 * _ROUGH_TRIANGLES else solid


def _bests(seats: list[Seat], count: int, apart: float = _APART) -> list[Seat]:
    """The seats with the least support among those that lie apart; see ``bests_apart``."""
    downs = np.array([one.down for one in seats]).reshape(-1, 3)
    return [seats[n] for n in bests_apart(downs, np.array([one.support for one in seats]), count, apart=apart)]


def _set_down(seat: Seat, solid: Solid) -> Seat:
    """A seat found on a draft mesh, moved to the flat that the solid itself has there."""
    down = _in_plane(solid, seat.down) if seat.flat else seat.down
    if float(down @ seat.down) >= _EXACTLY:
        return seat
    return replace(seat, down=down, rotation=down_to_rotation(down))


def _followed(centres: list[Seat], looked: Callable[[list[Candidate]], list[Seat]]) -> list[Seat]:
    """The best seats around some others, each continued from the best of its own ring."""
    for degrees in _REACHES:
        rings = looked(_leaning(np.array([around(centre.down, degrees) for centre in centres]).reshape(-1, 3)))
        centres = [
            min(_fitting([centre, *rings[AROUND * n : AROUND * (n + 1)]]), key=lambda one: one.support)
            for n, centre in enumerate(centres)
        ]
    return centres


def _fitting(seats: list[Seat]) -> list[Seat]:
    """The seats that fit, if any does; else all."""
    return [one for one in seats if one.fits] or seats


def _best(seats: list[Seat], volume: float) -> SeatChoice:
    """The best of some seats."""
    flat = [one for one in seats if one.flat]
    least = min(_fitting(seats), key=lambda one: one.support)
    best = min(_fitting(flat), key=lambda one: one.support) if flat else None
    # a flat seat that does not fit is none while another fits
    return SeatChoice(least, best if best is None or best.fits or not least.fits else None, volume)
