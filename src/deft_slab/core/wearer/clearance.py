"""The room around a guest: where the prop comes too close, and the scale or place at which it does not."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache

import igl
import numpy as np
from scipy.ndimage import map_coordinates

from ..arrays import Bools, Floats
from ..errors import BadPlan
from ..locale import text
from ..locale.translate import tr
from ..mesh.solid import Solid, finer
from ..plan.plan import UNITS, Guest
from ..progress import QUIET, Job
from ..results.outcome import Room
from .forms import MAKERS

_FINE = 1 / 60
"""Share of the guest's diagonal: distance between the points of the prop that are looked at."""
_COARSE = 1 / 24
"""The same for what is inside it as a whole: so far apart are the places that are shown."""
_SEARCH_POINTS = 10_000
_SETTLE_POINTS = 6_000
_SCALES = (0.05, 20.0)
_WAYS = np.array([way for way in np.ndindex(3, 3, 3) if way != (1, 1, 1)], float) - 1.0
_GRID = 56
"""Cells along the longest side of the grid for quick answers."""


@lru_cache(maxsize=16)
def _form(name: str, measure: float) -> Solid:
    return MAKERS[name](measure)


def guest_solid(guest: Guest, model: Solid | None = None) -> Solid:
    """The guest at its true size in mm, rotated, with its origin at 0.

    Parameters
    ----------
    model : Solid | None
        The surface of a guest that is a model, in its own unit.

    Raises
    ------
    BadPlan
        The guest is a model whose surface is missing.
    """
    if guest.form == "model":
        if model is None:
            raise BadPlan(tr("The file of “{name}” is missing.", name=guest.name))
        solid = model.resized(np.full(3, UNITS[guest.unit]))
    else:
        solid = _form(guest.form, guest.measure)
    return Solid(solid.vertices @ guest.turn.rotation.T, solid.triangles)


def signed_distance(solid: Solid, points: Floats) -> Floats:
    """The distance from points to a closed solid, negative inside.

    Returns
    -------
    (n,) float64, mm
    """
    faces = np.ascontiguousarray(solid.triangles, np.int64)
    kind = igl.SignedDistanceType.SIGNED_DISTANCE_TYPE_FAST_WINDING_NUMBER
    return np.asarray(igl.signed_distance(np.ascontiguousarray(points), np.array(solid.vertices), faces, kind)[0])


def room_around(prop: Solid, guest: Guest, factors: Floats, model: Solid | None = None, job: Job = QUIET) -> Room:
    """The air between a guest and the surface of the prop.

    Parameters
    ----------
    prop : Solid
        The prop at its size, in mm, model frame.
    factors : (3,) float64, mm
        Millimetres in one unit of its file, for the place of the guest.

    Raises
    ------
    BadPlan
        The guest is a model and its surface is not there.
    Cancelled
        The job is no longer wanted.
    """
    job.step(0.9, tr("Measuring the room around {name}", name=guest.name))
    solid = guest_solid(guest, model)
    at = np.array(guest.place) * factors
    look = _Look(solid, at)
    reach = solid.diagonal
    low, high = solid.bounds[0] + at - reach, solid.bounds[1] + at + reach
    corners = prop.vertices[prop.triangles]
    corners = corners[_meets(corners, low, high)]
    for small in finer(corners[look.matter(corners)], reach * _FINE, look.matter):
        look.at_last(small)
    if look.nearest is None:
        return Room(solid, None, at, np.empty((0, 3)), 0.0)
    if look.clearance >= 0 and _in_material(prop, solid.vertices[0] + at):
        # the prop's surface does not touch it, for it lies inside the wall
        return Room(solid, -look.clearance, look.nearest, np.empty((0, 3)), 0.0)
    return Room(solid, look.clearance, look.nearest, np.concatenate([np.empty((0, 3)), *look.poking]), look.area)


@dataclass(eq=False)
class _Look:
    """What is known so far about the distance from a guest to the prop's facets, while these are being divided.

    Attributes
    ----------
    solid : Solid
        The guest, with its origin at 0.
    at : (3,) float64, mm
        The place of that origin.
    nearest : (3,) float64, mm
        The point of the prop at ``clearance``.
    poking : (k, 3), mm
        Points of the prop inside the guest.
    area : float, mm2
        The area that these stand for.
    """

    solid: Solid
    at: Floats
    clearance: float = np.inf
    nearest: Floats | None = None
    poking: list[Floats] = field(default_factory=list)
    area: float = 0.0

    def _distance(self, points: Floats) -> Floats:
        found = signed_distance(self.solid, points - self.at)
        least = int(np.argmin(found))
        if found[least] < self.clearance:
            self.clearance, self.nearest = float(found[least]), points[least]
        return found

    def matter(self, corners: Floats) -> Bools:
        """Which facets may come closer than what is known, or into the guest. Distances change no more than places
        do.

        Returns
        -------
        (n,) bool
        """
        if not len(corners):
            return np.zeros(0, np.bool_)
        middles = corners.mean(axis=1)
        across = np.linalg.norm(corners - middles[:, None], axis=2).max(axis=1)
        distance = self._distance(middles)
        # what lies inside as a whole, and is not where it is deepest, counts as it is
        whole = (distance + across < 0) & (across <= _COARSE * self.solid.diagonal)
        whole &= distance - across > self.clearance
        self._poke(corners[whole], middles[whole])
        return np.asarray((distance - across <= max(self.clearance, 0.0)) & ~whole)

    def at_last(self, corners: Floats) -> None:
        """Take account of facets that are small enough."""
        if not len(corners):
            return
        middles = corners.mean(axis=1)
        inside = self._distance(middles) < 0
        self._distance(corners.reshape(-1, 3))
        self._poke(corners[inside], middles[inside])

    def _poke(self, corners: Floats, middles: Floats) -> None:
        """Take account of facets, with their centres, that are inside the guest."""
        self.poking.append(middles)
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        self.area += 0.5 * float(np.linalg.norm(cross, axis=1).sum())


def _meets(corners: Floats, low: Floats, high: Floats) -> Bools:
    """Which facets have a bounding box that meets a box.

    Returns
    -------
    (n,) bool
    """
    return np.asarray((corners.max(axis=1) >= low).all(axis=1) & (corners.min(axis=1) <= high).all(axis=1))


def _in_material(prop: Solid, point: Floats) -> bool:
    """Whether a point lies in the material of the prop rather than in the air around or inside it."""
    faces = np.ascontiguousarray(prop.triangles, np.int64)
    return float(igl.winding_number(np.array(prop.vertices), faces, point[None])[0]) > 0.5


def _near_points(prop: Solid, guest: Guest, solid: Solid, factors: Floats, most: int) -> Floats:
    """Points of the prop that are seen from the place of the guest, spread out.

    Parameters
    ----------
    most : int
        How many at most.

    Returns
    -------
    (n, 3) float64
    """
    at = np.array(guest.place) * factors
    apart = max(solid.diagonal * _FINE, prop.diagonal / 300)
    middles = [small.mean(axis=1) for small in finer(prop.vertices[prop.triangles], apart)]
    points = np.unique(np.round(np.concatenate([prop.vertices, *middles]), 3), axis=0) - at
    if len(points) > most:  # by chance and not by every so many, which on a symmetric prop picks one side
        points = points[np.random.default_rng(1).choice(len(points), most, replace=False)]
    return points


def scale_with_clearance(
    prop: Solid, guest: Guest, factors: Floats, model: Solid | None = None, job: Job = QUIET
) -> float:
    """The smallest further scaling of the prop that keeps the wanted clearance all around the guest, which stays at
    its place on the prop.

    Parameters
    ----------
    factors : (3,) float64, mm
        Millimetres in one unit of the file.

    Raises
    ------
    BadPlan
        The guest stands in the wall, or no scale between one twentieth and twenty works.
    Cancelled
        The job is no longer wanted.
    """
    solid = guest_solid(guest, model)
    points = _near_points(prop, guest, solid, factors, _SEARCH_POINTS)
    if signed_distance(solid, np.zeros((1, 3)))[0] < 0 and _in_material(prop, np.array(guest.place) * factors):
        raise BadPlan(tr("At any scale, “{name}” is inside the wall of the prop.", name=guest.name),
                      kept=tr("The scale is unchanged."),
                      remedy=tr("Move it so that it stands free inside the prop."))

    def clearance(scale: float) -> float:
        return float(signed_distance(solid, points * scale).min())

    low, high = _SCALES
    # from where it is now, outward or inward, so that the scale found is the nearest one at which it fits
    if clearance(1.0) >= guest.clearance:
        high, low = 1.0, 1.0
        while low > _SCALES[0] and clearance(low) >= guest.clearance:
            high, low = low, low / 1.25
    else:
        low, high = 1.0, 1.0
        while high < _SCALES[1] and clearance(high) < guest.clearance:
            low, high = high, high * 1.25
    if clearance(high) < guest.clearance:
        raise BadPlan(
            tr("No scale up to {scales:g} gives “{name}” {clearance} of room all around.", scales=_SCALES[1],
               name=guest.name, clearance=text.given(guest.clearance)),
            kept=tr("The scale is unchanged."), remedy=tr("Move it so that it stands free inside the prop."),
        )
    for step in range(14):
        job.step(step / 14, tr("Finding the scale"))
        middle = (low + high) / 2
        low, high = (low, middle) if clearance(middle) >= guest.clearance else (middle, high)
    # the search looked at some of the points; the last tenths of a millimetre come from all of them
    for _ in range(4):
        found = room_around(prop.resized(np.full(3, high)), guest, factors * high, model, job).clearance
        if found is None or found >= guest.clearance - 0.02:
            break
        high *= 1.0 + (guest.clearance - found) / (0.3 * solid.diagonal)
    return high


def _quick_clearance(solid: Solid, points: Floats, job: Job) -> Callable[[Floats], float]:
    """A function that gives the approximate clearance for a shift of the guest, from distances on a grid around it."""
    job.step(0.0, tr("Measuring the guest"))
    pad = 0.3 * solid.diagonal
    low, size = solid.bounds[0] - pad, solid.size + 2 * pad
    cell = float(size.max()) / _GRID
    counts = np.ceil(size / cell).astype(int) + 1
    at = np.stack(np.meshgrid(*(np.arange(n) for n in counts), indexing="ij"), axis=-1).reshape(-1, 3)
    on_grid = signed_distance(solid, low + at * cell).reshape(counts)

    def clearance(shift: Floats) -> float:
        at = (points - shift - low) / cell
        within = np.clip(at, 0, counts - 1)
        beyond = np.linalg.norm(at - within, axis=1) * cell
        return float((map_coordinates(on_grid, within.T, order=1) + beyond).min())

    return clearance


def settled_place(
    prop: Solid, guest: Guest, factors: Floats, model: Solid | None = None, job: Job = QUIET
) -> tuple[float, float, float]:
    """The nearby place with the most air around the guest, in units of the file.

    A pattern search: steps along the axes and between them, halved when none helps. It starts with small steps, so
    that it does not leave the prop through its wall.

    Parameters
    ----------
    factors : (3,) float64, mm
        Millimetres in one unit of the file.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    solid = guest_solid(guest, model)
    points = _near_points(prop, guest, solid, factors, _SETTLE_POINTS)
    clearance = _quick_clearance(solid, points, job)
    moved, step = np.zeros(3), min(0.03 * prop.diagonal, 0.1 * solid.diagonal)
    best = clearance(moved)
    rounds = 0
    while step > 0.25 and rounds < 60:
        job.step(rounds / 60, tr("Moving {name} to where there is room", name=guest.name))
        rounds += 1
        tries = [moved + step * way for way in _WAYS]
        values = [clearance(shift) for shift in tries]
        if max(values) > best + 1e-6:
            best = max(values)
            moved = tries[int(np.argmax(values))]
        else:
            step /= 2
    x, y, z = ((np.array(guest.place) * factors + moved) / factors).tolist()
    return x, y, z
