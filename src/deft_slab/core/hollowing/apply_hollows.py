"""Applies the hollows of a plan to its pieces."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import manifold3d
import numpy as np

from ..arrays import Bools, Floats
from ..cache import Cache
from ..cuts import Side
from ..errors import HollowFailed
from ..figures.wall_thickness import met_first, through
from ..geometry.bodies import united
from ..joins.reports import HollowReport, VentReport
from ..locale import text
from ..locale.translate import tr
from ..mesh.provenance import Face
from ..mesh.solid import Solid
from ..parting.bodies import Part
from ..plan.hollow import Hollow, Vent
from ..plan.piece_matching import nearest_alike
from ..progress import QUIET, Job
from .bodies import hole, plug
from .lattice import lattice
from .voids import least_wall, voids_of

VOID, VENT, PLUG = "void", "vent", "plug"
"""Roles of the faces that hollowing makes."""
_ON = 0.5
"""mm that a vent may lie off the surface and still be on it."""
_BACK = 1.0
"""mm outside from which it is looked where a vent meets the surface."""
_NEAR = 0.5
"""mm beyond its gap within which that of a plug is measured."""


@dataclass(frozen=True, eq=False)
class Hollowed:
    """The hollowed pieces.

    Attributes
    ----------
    parts : list[Part]
        The pieces, followed by the plugs.
    reports : dict[str, HollowReport]
        The report on each hollow, by its id.
    names, kinds : dict[int, str]
        Names and kinds of the plugs, by part number.
    """

    parts: list[Part]
    reports: dict[str, HollowReport] = field(default_factory=dict)
    names: dict[int, str] = field(default_factory=dict)
    kinds: dict[int, str] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Emptied:
    """A piece with its voids, before any vent.

    Attributes
    ----------
    solid : Solid
        In mm.
    voids : tuple[Solid, ...]
        Each void as a solid, with its lattice left out.
    volumes : tuple of float, mm3
        The volume of each, without the lattice.
    least_wall : float, mm
    """

    solid: Solid
    voids: tuple[Solid, ...]
    volumes: tuple[float, ...]
    least_wall: float


def hollow_all(parts: list[Part], hollows: Sequence[Hollow], kept: Cache, job: Job = QUIET) -> Hollowed:
    """Hollow all pieces as wanted. A hollow that cannot be made is left out, and its report says why.

    Parameters
    ----------
    kept : Cache
        Caches what was made, so that the void is not made again for another vent.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    after, taken = list(parts), set[int]()
    reports: dict[str, HollowReport] = {}
    plugs: list[tuple[Part, manifold3d.Manifold, Hollow, Vent]] = []
    wished = [hollow for hollow in hollows if hollow.on]
    for done, hollow in enumerate(wished):
        number = nearest_alike(hollow, parts)
        if number is None or number in taken:
            again = tr("This piece is hollow already.") if number in taken else ""
            reports[hollow.id] = HollowReport(None, again or tr("Its piece no longer exists."))
            continue
        part, step = parts[number], job.part(done / len(wished), (done + 1) / len(wished))
        try:
            made, closing = _hollowed(part, hollow, kept, step)
        except HollowFailed as error:
            reports[hollow.id] = HollowReport(number, " ".join(filter(None, (error.what, error.remedy))))
            continue
        taken.add(number)
        report, after[number] = made
        reports[hollow.id] = replace(report, piece=number)
        plugs += [(part, body, hollow, vent) for vent, body in closing]
    names: dict[int, str] = {}
    kinds: dict[int, str] = {}
    for n, (part, body, hollow, vent) in enumerate(plugs, 1):
        names[len(after)] = tr("Plug {n}", n=n) if len(plugs) > 1 else tr("Plug")
        kinds[len(after)] = "plug"
        runs = {int(run): Face(hollow.id, PLUG) for run in body.to_mesh64().run_original_id}
        after.append(Part(("plug", part.key, hollow, vent.id), Solid.from_manifold(body, runs),
                          (Side(cut=f"{hollow.id} {vent.id}", side=0),), part.group, down=vent.along))
    return Hollowed(after, reports, names, kinds)


def emptied(part: Part, hollow: Hollow, kept: Cache, job: Job = QUIET) -> Emptied:
    """A piece with the voids of a hollow, and without its vents. The result is cached.

    Raises
    ------
    HollowFailed
        The hollow cannot be made.
    Cancelled
        The job is no longer wanted.
    """
    bare = hollow.model_copy(update={"vents": (), "id": "", "gap": 0.0, "keyed": True, "anchor": (0.0, 0.0, 0.0)})
    made = partial(_emptied, part.solid, hollow, job)
    found: Emptied = kept.once(("emptied", part.key, bare), made, 2 * len(part.solid.triangles))
    return found


def _emptied(solid: Solid, hollow: Hollow, job: Job) -> Emptied:
    if not solid.closed or solid.inside_out:
        raise HollowFailed(tr("Its surface is not closed."), remedy=tr("Close it in Size."))
    one = united(solid)
    bodies = voids_of(one, hollow.wall, hollow.step, hollow.least, job.part(0.0, 0.8))
    up = -np.array(hollow.down)
    if hollow.solid_below > 0:
        level = float((solid.vertices @ up).min()) + hollow.solid_below
        cut = [body.trim_by_plane(tuple(up), level) for body in bodies]
        bodies = [part for body in cut for part in body.decompose() if part.volume() >= hollow.least]
    if not bodies:
        raise HollowFailed(tr("There is nothing to hollow, because the piece is thinner than two walls everywhere."))
    job.step(0.85, tr("Hollowing"))
    wall = least_wall(solid, bodies)
    volumes = tuple(float(body.volume()) for body in bodies)
    if hollow.spacing is not None:
        for n, body in enumerate(bodies):
            rods = lattice(body, up, hollow.spacing, hollow.radius)
            bodies[n] = body if rods is None else body - rods
    job.step(0.95, tr("Hollowing"))
    runs = dict(one.runs)
    for body in bodies:
        runs |= {int(run): Face(hollow.id, VOID) for run in body.to_mesh64().run_original_id}
    empty = manifold3d.Manifold.batch_boolean([one.manifold, *bodies], manifold3d.OpType.Subtract)
    if empty.status() != manifold3d.Error.NoError:
        raise HollowFailed(tr("The boolean library refuses this void ({name}).", name=empty.status().name))
    voids = tuple(Solid.from_manifold(body, {}) for body in bodies)
    return Emptied(Solid.from_manifold(empty, runs), voids, volumes, wall)


Closing = list[tuple[Vent, manifold3d.Manifold]]


def _hollowed(part: Part, hollow: Hollow, kept: Cache, job: Job) -> tuple[tuple[HollowReport, Part], Closing]:
    """The report on a hollow, the hollowed piece, and its plugs."""
    empty = emptied(part, hollow, kept, job.part(0.0, 0.9))
    key: Hashable = ("hollow", part.key, hollow)

    def make() -> tuple[HollowReport, Solid, Closing]:
        return _vented(part.solid, empty, hollow)

    report, solid, closing = kept.once(key, make, len(part.solid.triangles))
    return (report, Part(key, solid, part.sides, part.group, part.crumb, part.off, part.down)), closing


def _vented(before: Solid, empty: Emptied, hollow: Hollow) -> tuple[HollowReport, Solid, Closing]:
    """A piece with its vents.

    Parameters
    ----------
    before : Solid
        The piece without voids.
    """
    holes, reports, closing = list[manifold3d.Manifold](), list[VentReport](), Closing()
    for vent in hollow.vents:
        report = reach(empty, vent)
        if report.reaches:
            holes.append(hole(vent, report.length, hollow.gap, keyed=hollow.keyed))
            body = plug(vent, report.length, hollow.gap, keyed=hollow.keyed) if vent.plug else None
            if body is not None:
                closing.append((vent, body ^ before.manifold))
        reports.append(report)
    solid = empty.solid
    if holes:
        runs = dict(solid.runs)
        for body in holes:
            runs |= {int(run): Face(hollow.id, VENT) for run in body.to_mesh64().run_original_id}
        made = manifold3d.Manifold.batch_boolean([solid.manifold, *holes], manifold3d.OpType.Subtract)
        solid = Solid.from_manifold(made, runs)
    gaps = {vent.id: float(body.min_gap(solid.manifold, hollow.gap + _NEAR)) for vent, body in closing}
    reports = [replace(one, gap=gaps[one.id]) if one.id in gaps else one for one in reports]
    return (
        HollowReport(None, voids=empty.volumes, removed=before.volume - solid.volume,
                     added=sum(float(body.volume()) for _, body in closing), least_wall=empty.least_wall,
                     vents=tuple(reports)),
        solid, closing,
    )


def reach(empty: Emptied, vent: Vent) -> VentReport:
    """Whether a vent opens a void: its axis must lead from the surface through the wall into one."""
    solid = empty.solid
    place, along = np.array(vent.place), np.array(vent.along)
    off = float(met_first(solid, (place - _BACK * along)[None], along[None])[0][0]) - _BACK
    if abs(off) > _ON:
        return VentReport(vent.id, False, tr("It is no longer on the surface."))
    length, facet = through(solid, (place + off * along)[None], along[None])
    if not math.isfinite(length[0]):
        return VentReport(vent.id, False, tr("It does not go through the wall."))
    if not is_void(solid)[facet[0]]:
        return VentReport(
            vent.id,
            False,
            tr("It misses the void, and comes out again after {length}.", length=text.length(length[0], 1)),
        )
    return VentReport(
        vent.id, True, length=float(length[0]) + off, void=void_at(empty, place + (length[0] + off) * along)
    )


def is_void(solid: Solid) -> Bools:
    """The facets that are the walls of a void.

    Returns
    -------
    (m,) bool
    """
    numbers = [-1 - n for n, face in enumerate(solid.made) if face.role == VOID]
    return np.asarray(np.isin(solid.origin, numbers))


def void_at(empty: Emptied, place: Floats) -> int:
    """The number of the void on whose wall a place lies.

    Parameters
    ----------
    place : (3,) float64, mm
    """
    apart = [float(np.linalg.norm(void.vertices - place, axis=1).min()) for void in empty.voids]
    return int(np.argmin(apart))
