"""Places for a straight cut, scored on the draft mesh without making it: the cut map, and the sweep of one
direction.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from ..arrays import Floats, Ints
from ..evaluate.evaluator import Evaluator
from ..evaluate.piece import SearchSubject
from ..figures.default_seats import LEANING, SeatWishes, candidates, worth_leaning
from ..figures.exposure import spread_directions
from ..figures.plane_scoring import CutPlaces, Poses, every_place, posed
from ..geometry.curves import frame_of
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread, for_each
from .results import LEAST_SHARE, SWEEP_PLACES, CutMap, Sweep, Turned

CELLS, _POSE_CELLS = 80, 48
CUT_TRIANGLES = 7_000
"""Size of the simplified mesh on which cuts are looked for. (12,000 take a third longer, and the ways that they lead to
are no better on the demo models.)"""
NORMALS, PLACES = 250, 64
_SEAT_CELLS = 64
_SPREAD_POSES = 48
TURNS, TURNS_MOST = 13, 30.0
"""Steps and degrees of ``turned``."""


@dataclass(frozen=True, eq=False)
class CutSubject:
    """A piece that is to be parted.

    Attributes
    ----------
    subject : SearchSubject
        The piece and its draft mesh.
    exposed : (m,) float64
        The exposure of the draft mesh, 0 for cut faces.
    printer : Printer
        The printer that its sides should fit.
    leaning : float
        See ``Plan``.
    """

    subject: SearchSubject
    exposed: Floats
    printer: Printer
    leaning: float = LEANING

    @property
    def light(self) -> Solid:
        """The draft mesh."""
        return self.subject.light

    def extent(self, normal: Floats) -> tuple[float, float]:
        """Where planes of a normal first and last touch the piece, mm.

        Parameters
        ----------
        normal : (3,) float64
        """
        along = self.light.vertices @ normal
        return float(along.min()), float(along.max())

    def between(self, normal: Floats, count: int) -> Floats:
        """Offsets (count,) that divide the piece evenly along a normal; none of them touches its ends."""
        return np.linspace(*self.extent(normal), count + 2)[1:-1]

    def middle_of_section(self, normal: Floats, offset: float) -> Floats:
        """A point about in the middle of where a plane meets the surface.

        Returns
        -------
        (3,) float64
        """
        solid = self.light
        along = solid.vertices[solid.triangles] @ normal - offset
        crossed = (along.min(axis=1) < 0) & (along.max(axis=1) > 0)
        middle = solid.centroids[crossed].mean(axis=0) if crossed.any() else solid.bounds.mean(axis=0)
        return np.asarray(middle + (offset - float(normal @ middle)) * normal)

    def places(self, normal: Floats, offsets: Floats) -> CutPlaces:
        """The figures of planes with one normal, with the sides in the best of all poses.

        Parameters
        ----------
        offsets : (k,) float64, mm
            Evenly spaced and rising.
        """
        return every_place(
            self.light, normal, offsets, self.subject.threshold, self.subject.light_marks, self.exposed, CELLS,
            self.printer, self.poses,
        )

    def along(self, normal: Floats) -> CutPlaces:
        """The figures of ``PLACES`` places that divide the piece evenly along a unit normal (3,). The result is
        cached.
        """
        key = normal.tobytes()
        if key not in self._along:
            self._along[key] = self.places(normal, self.between(normal, PLACES))
        return self._along[key]

    @property
    def looked(self) -> list[CutPlaces]:
        """Everything that ``along`` has given so far."""
        return list(self._along.values())

    @cached_property
    def _along(self) -> dict[bytes, CutPlaces]:
        return {}

    @cached_property
    def poses(self) -> Poses:
        """The piece rastered as the model stands, as the piece sits, and in directions spread over the sphere."""
        first = [-self.subject.stood[2], np.array(self.subject.now.down)]
        directions = first[:1] if float(first[0] @ first[1]) > 0.9999 else first
        downs = np.array([*directions, *spread_directions(_SPREAD_POSES)])
        return posed(self.light, downs, self.subject.threshold, self.subject.light_marks, _POSE_CELLS)

    def in_few_poses(self, numbers: Ints) -> CutSubject:
        """The same piece, considered in some of its poses only, given their numbers (k,)."""
        few = replace(self)
        few.__dict__["poses"] = self.poses.picked(numbers)
        return few

    @property
    def seat_wishes(self) -> SeatWishes:
        """What seats of its parts are searched for."""
        subject = self.subject
        return SeatWishes(subject.stood, subject.threshold, self.printer.room, subject.lift, _SEAT_CELLS)

    def support_at(self, places: CutPlaces) -> Floats:
        """The support of both sides in the seats that ``leaning`` chooses.

        Returns
        -------
        (2, k) float64, mm3
        """
        flat = np.where(np.isfinite(places.flat), places.flat, places.support)
        leans = worth_leaning(places.support, flat, places.volume, self.leaning)
        return np.where(leans, places.support, flat)


def cut_subject(evaluator: Evaluator, plan: Plan, number: int, printer: Printer, job: Job = QUIET) -> CutSubject:
    """A piece of a plan prepared for being parted. Raises as ``Evaluator.evaluate``.

    Parameters
    ----------
    number : int
        The number of the piece, from 0 on.
    """
    subject = evaluator.subject(plan, number, job.part(0.0, 0.5), CUT_TRIANGLES)
    return CutSubject(subject, evaluator.exposed_light(plan, subject, job.part(0.5, 1.0)), printer, plan.leaning)


def half_sphere(count: int) -> Floats:
    """Unit normals spread evenly over the upper half of the sphere; a plane has two normals.

    Returns
    -------
    (count, 3) float64
    """
    return np.asarray(spread_directions(2 * count)[:count])


def likely_normals(subject: CutSubject) -> Floats:
    """Normals along which models are often best parted: those of large flats and of the outline, and the axes of the
    file and of the standing model.

    Returns
    -------
    (n, 3) float64
    """
    offered = [one.down for one in candidates(subject.light, subject.subject.stood)]
    normals = np.concatenate([np.eye(3), subject.subject.stood, np.array(offered)])
    normals *= np.where(normals @ np.array([1e-6, 1e-3, 1.0]) < 0, -1.0, 1.0)[:, None]
    kept: list[Floats] = []
    for normal in normals:
        if all(float(abs(normal @ other)) < 0.9995 for other in kept):
            kept.append(normal)
    return np.array(kept)


def as_map(found: list[CutPlaces]) -> CutMap:
    """The figures of several normals, with equally many places each, as a map."""

    def rows(value: Callable[[CutPlaces], Any]) -> Floats:
        return np.stack([value(one) for one in found]).astype(float)

    return CutMap(
        np.stack([one.normal for one in found]),
        rows(lambda one: one.offsets),
        rows(lambda one: one.support.sum(axis=0)),
        rows(lambda one: one.flat.sum(axis=0)),
        rows(lambda one: one.in_sight),
        rows(lambda one: one.on_show),
        rows(lambda one: one.barred),
        rows(lambda one: one.welcome),
        rows(lambda one: one.cut_area),
        rows(lambda one: one.fits.all(axis=0)),
        rows(lambda one: one.volume.min(axis=0) / np.maximum(one.volume.sum(axis=0), 1e-300)),
    )


def looked_along(subject: CutSubject, normals: Floats, job: Job = QUIET, spread: Spread = map) -> list[CutPlaces]:
    """The figures of places spread evenly along each of some normals.

    Parameters
    ----------
    normals : (n, 3) float64

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    doing = tr("Trying {places:,} places to cut", places=PLACES * len(normals))
    return for_each(subject.along, list(normals), doing, job, spread)


def swept(subject: CutSubject, normal: Floats, job: Job = QUIET, places: int = SWEEP_PLACES) -> Sweep:
    """The figures of a cut moved along its own normal. Each side is in the best of its seats: the cut face down or
    up, as the model stands, or one of some directions spread over the sphere.

    Parameters
    ----------
    normal : (3,) float64

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    job.step(0.2, tr("Sweeping"))
    offsets = subject.between(normal, places)
    found = subject.places(normal, offsets)
    total = subject.support_at(found).sum(axis=0)
    real = found.volume.min(axis=0) >= LEAST_SHARE * found.volume.sum(axis=0)
    return Sweep(
        offsets, total, found.in_sight, found.on_show, found.cut_area, found.longest.max(axis=0),
        np.asarray(found.fits.all(axis=0)), _valleys(np.where(real, total, np.inf)),
    )


def turned(
    subject: CutSubject, normal: Floats, offset: float, job: Job = QUIET, spread: Spread = map,
    most: float = TURNS_MOST, steps: int = TURNS,
) -> Turned:
    """The figures of a cut rotated both ways about the middle of its section.

    Parameters
    ----------
    normal : (3,) float64
    offset : float, mm

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    frame = frame_of(normal)
    middle = subject.middle_of_section(normal, offset)
    degrees = np.linspace(-most, most, steps)
    a, b = (np.tan(np.radians(part)).ravel() for part in np.meshgrid(degrees, degrees, indexing="ij"))
    normals = normal + a[:, None] * frame[0] + b[:, None] * frame[1]
    normals /= np.linalg.norm(normals, axis=1)[:, None]

    def look(normal: Floats) -> CutPlaces:
        return subject.places(normal, np.array([float(normal @ middle)]))

    found = for_each(look, list(normals), tr("Turning the cut"), job, spread)
    shape = (steps, steps)

    def table(value: Callable[[CutPlaces], float]) -> Floats:
        return np.array([value(one) for one in found]).reshape(shape)

    return Turned(
        degrees, normals.reshape(*shape, 3), (normals @ middle).reshape(shape),
        table(lambda one: float(subject.support_at(one).sum())), table(lambda one: float(one.in_sight[0])),
    )


def _valleys(values: Floats, most: int = 5) -> tuple[int, ...]:
    """Places that are lower than all others within a twentieth of the range on either side, lowest first."""
    reach = max(len(values) // 20, 1)
    found = [
        k
        for k in range(1, len(values) - 1)
        if np.isfinite(values[k]) and values[k] == values[max(k - reach, 0) : k + reach + 1].min()
        and values[k] < values[k - 1]
    ]
    return tuple(sorted(found, key=lambda k: values[k])[:most])
