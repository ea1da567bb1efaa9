"""Where vents go: as many as it takes until no large cup is left in a void, at hidden places that reach it."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np

from ..arrays import Bools, Floats, Ints
from ..document.base import triple
from ..figures.overhang import BED_TOLERANCE
from ..figures.wall_thickness import met_first, through
from ..geometry.bodies import within
from ..geometry.pose import BedPose
from ..layers.pockets import ClosedAir, closed_air
from ..layers.regions import regions_of
from ..layers.sections import Levels, Slicer
from ..locale.translate import tr
from ..mesh.solid import Solid, spread_points
from ..plan.hollow import MOST_ON_A_PIECE, Hollow, Vent
from ..printers.profile import Printer
from ..progress import QUIET, Job
from .apply_hollows import Emptied, is_void, reach, void_at
from .bodies import hole

FREE = 8.0
"""mm of free way outside a vent: exposure alone picks blind crevices (measured)."""
_POINTS = 8000
_ROW, _LAYER = 0.25, 0.2
"""mm between rows, and of the layers, by which cups are looked for: fine enough for walls of a millimetre."""
_REACHES = (20.0, 40.0, 80.0)
"""mm around the place that a vent is for, within which it opens into the void; the first where there is a place."""
_THROUGH = 4.0
"""Walls that a vent goes through at most."""
_APART = 1.6
"""Outer radii, both together, that the middles of two vents are apart at least."""
_LATE = (0.3, 1.0)
"""mm that a vent may come open later than its void begins, if there is such a place."""
_FAR = 0.02
"""Of exposure, that a place may cost more for each mm that it is nearer."""
_LIFT = 0.05


@dataclass(frozen=True, eq=False)
class VentPlaces:
    """Places where a vent could be.

    Attributes
    ----------
    place, along : (k, 3) float64
        The place in mm and the inward unit vector, model frame.
    end : (k, 3) float64, mm, on the bed
        Where the vent opens into the void.
    start : (k,) float64
        The height of the place over the bed, in mm.
    rise : (k,) float64
        The vertical component of the inward direction, -1 to 1.
    void : (k,) int64
        The number of the void.
    cost : (k,) float64
        How undesirable the place is.
    """

    place: Floats
    along: Floats
    end: Floats
    start: Floats
    rise: Floats
    void: Ints
    cost: Floats


def places_for(empty: Emptied, seat: BedPose, wall: float, exposed: Floats, show: Bools) -> VentPlaces:
    """Places on the surface from which a straight hole opens a void and air has a free way out. Show faces and what
    lies on the bed are excluded. Cut faces, which glue covers, cost nothing; elsewhere a place costs more the
    more it is seen.

    Parameters
    ----------
    wall : float, mm
    exposed, show : (m,) float64
        Exposure, and whether it is a show face, for each facet of the solid with its voids.
    """
    solid = empty.solid
    inner = is_void(solid)
    low = seat.on_bed(solid.vertices)[solid.triangles][:, :, 2].max(axis=1) <= BED_TOLERANCE
    allowed = ~inner & ~show & ~(low if seat.lift == 0 else np.zeros_like(low))
    nothing = np.empty((0, 3))
    if not allowed.any():
        none = np.empty(0)
        return VentPlaces(nothing, nothing, nothing, none, none, np.empty(0, np.int64), none)
    points, facets = spread_points(solid, _POINTS, allowed)
    along = -solid.normals[facets]
    length, met = through(solid, points, along)
    good = np.isfinite(length) & (length <= _THROUGH * wall) & inner[met]
    good &= met_first(solid, points - _LIFT * along, -along)[0] > FREE
    points, along, facets, length = points[good], along[good], facets[good], length[good]
    end = points + length[:, None] * along
    void = np.array([void_at(empty, one) for one in end], np.int64)
    cost = np.where(solid.origin[facets] < 0, 0.0, 1.0 + exposed[facets])
    start, rise = seat.on_bed(points)[:, 2], along @ seat.rotation[2]
    return VentPlaces(points, along, seat.on_bed(end), start, rise, void, cost)


def propose_vents(
    empty: Emptied, hollow: Hollow, seat: BedPose, exposed: Floats, show: Bools, printer: Printer,
    most: int, job: Job = QUIET,
) -> tuple[Vent, ...]:
    """Vents for a hollow that has none. Each void gets one where it begins in the order of printing and one at its
    other end, and then one wherever the largest cup begins that is still over the printer's limit.

    Parameters
    ----------
    exposed, show : (m,) float64
        As for ``places_for``.
    most : int
        The most vents for each void.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    places = places_for(empty, seat, hollow.wall, exposed, show)
    vents: list[Vent] = []
    counts: Counter[int] = Counter()

    def add(number: int, target: Floats, *, upper: bool) -> bool:
        vent = _best(places, number, target, vents, hollow, upper=upper)
        if vent is not None and counts[number] < most and len(vents) < MOST_ON_A_PIECE:
            vents.append(vent.model_copy(update={"id": f"v{len(vents) + 1}"}))
            counts[number] += 1
            return True
        return False

    for number, void in enumerate(empty.voids):
        corners = seat.on_bed(void.vertices)
        add(number, corners[int(np.argmin(corners[:, 2]))], upper=False)
        add(number, corners[int(np.argmax(corners[:, 2]))], upper=True)
    given_up: list[Floats] = []
    while any(counts[number] < most for number in range(len(empty.voids))):
        job.step(min(0.95, len(vents) / (most * len(empty.voids))), tr("Searching for remaining cups"))
        cups = [cup for cup in cups_in(empty, hollow, vents, seat, job) if cup.area > printer.most_cup]
        cups = [cup for cup in cups if all(np.linalg.norm(np.array(cup.begins) - one) > 1.0 for one in given_up)]
        if not cups:
            break
        target = np.array(cups[0].begins)
        number = void_at(empty, seat.on_model(target[None])[0])
        if not add(number, target, upper=False):
            given_up.append(target)
    return tuple(vents)


def _best(
    places: VentPlaces, number: int, target: Floats, vents: list[Vent], hollow: Hollow, *, upper: bool
) -> Vent | None:
    """The best place for a vent of a void near a point on the bed.

    Parameters
    ----------
    upper : bool
        Whether to search below the point; otherwise above it.
    """
    vent = Vent(id="v", place=(0.0, 0.0, 0.0), along=(0.0, 0.0, 1.0)) if not vents else vents[-1]
    near = np.linalg.norm(places.end - target, axis=1)
    if upper:
        off = np.abs(target[2] - places.end[:, 2])
    else:  # until this height of the print nothing gets out by it
        steep = np.sqrt(np.maximum(1.0 - places.rise**2, 0.0))
        opens = np.maximum(places.end[:, 2] - vent.inner * steep, places.start - vent.outer * steep)
        off = np.where(places.end[:, 2] < target[2] - vent.inner, np.inf, opens - target[2])
    good = places.void == number
    for one in vents:
        good &= np.linalg.norm(places.place - np.array(one.place), axis=1) > _APART * (one.outer + vent.outer)
    for late in (*_LATE, max(2.0 * vent.inner, hollow.wall)):
        for reached in _REACHES:
            chosen = np.flatnonzero(good & (near <= reached) & (off <= late))
            if len(chosen):
                best = chosen[int(np.argmin(places.cost[chosen] + _FAR * near[chosen]))]
                place, along = triple(places.place[best]), triple(places.along[best])
                return vent.model_copy(update={"place": place, "along": along})
    return None


def cups_in(empty: Emptied, hollow: Hollow, vents: list[Vent], seat: BedPose, job: Job = QUIET) -> list[ClosedAir]:
    """The cups that some vents leave in the voids, largest first.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    body = empty.solid.manifold
    for vent in vents:
        report = reach(empty, vent)
        if report.reaches:
            body = body - hole(vent, report.length, hollow.gap, keyed=False)
    solid = Solid.from_manifold(body, empty.solid.runs)
    vertices = seat.on_bed(solid.vertices)
    levels = Levels(seat.lift, _LAYER, float(vertices[:, 2].max()))
    regions = regions_of(Slicer.of(solid, vertices), levels, _ROW, job=job.silent)
    cups, _ = closed_air(regions, levels, levels.resting, 1.0)
    if not cups:
        return []
    at = seat.on_model(np.array([cup.widest for cup in cups]))
    inside = np.zeros(len(cups), np.bool_)
    for void in empty.voids:
        inside |= within(void, at)
    return [cup for cup, own in zip(cups, inside, strict=True) if own]
