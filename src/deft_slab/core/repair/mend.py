"""Runs the steps of mending one after the other, and reports what each found and did."""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats
from ..figures.column_field import column_field
from ..geometry.bodies import bodies_of, united
from ..geometry.simplify import thinned
from ..importing.support_rods import rods_of
from ..locale import text
from ..locale.translate import sentence, tr, tr_many
from ..mesh.components import Shells, loose_among, shells_of, specks_among
from ..mesh.edges import edge_numbers
from ..mesh.solid import Solid, spread_points
from ..plan.model import MendReport, MendStep, StepKind
from ..plan.plan import Mending
from ..progress import QUIET, Job
from .clean import clean, open_edges
from .kernels import winding_sums
from .orientation import oriented

_MOST_PLACES = 20_000
_SAMPLES = 60_000
"""Points of each surface from which the distance to the other is measured, where all of it is new."""
_TANGLE_SAMPLES, _TANGLE_CELLS = 1_500, 96
_NOWHERE = np.empty((0, 2, 3))


def advised(solid: Solid) -> Mending:
    """The gentlest mending that a surface needs; none if it is sound."""
    return Mending(clean=True, orient=True, close=True) if solid.defects.sentence() else Mending()


class _Record:
    """The steps so far."""

    def __init__(self) -> None:
        self.steps: list[MendStep] = []
        self.moved_by = self.bridged = 0.0

    def add(
        self, kind: StepKind, said: str, changed: bool, lengths: tuple[float, ...] = (), places: Floats = _NOWHERE
    ) -> None:
        self.steps.append(MendStep(kind, said, changed, lengths, np.asarray(places[:_MOST_PLACES], float)))

    def moved(self, distance: float) -> None:
        self.moved_by = max(self.moved_by, distance)

    def closed_over(self, distance: float) -> None:
        self.bridged = max(self.bridged, distance)


def mended(
    solid: Solid, mending: Mending, factors: Floats, job: Job = QUIET, *, rods: bool = False
) -> tuple[Solid, MendReport]:
    """Run the wanted steps on a surface. Bodies that overlap always get one common skin once they are closed.

    Parameters
    ----------
    factors : (3,) float64, mm
        Millimetres in one unit of the solid along each axis, which decide what counts as a speck.
    rods : bool
        Whether some bodies look like supplied supports; these do not count as specks.

    Returns
    -------
    Solid, MendReport
        The surface and the report, whose lengths and places are in units of the solid.

    Raises
    ------
    BadPlan
        The fineness of rewrapping is out of range.
    OpenSurface
        The surface encloses nothing.
    Cancelled
        The job is no longer wanted.
    """
    before, record = solid, _Record()
    if mending.clean:
        job.step(0.0, tr("Merging and cleaning"))
        solid = _cleaned(solid, record)
    if mending.orient:
        job.step(0.1, tr("Turning facets outward"))
        solid = _oriented(solid, record)
    shells = shells_of(solid)
    specks = _specks(solid, factors, rods=rods)
    if mending.drop_specks and specks.any():
        solid = _without_specks(solid, shells, specks, record)
        shells = shells_of(solid)
        specks = _specks(solid, factors, rods=rods)
    if mending.close:
        solid = _closed(solid, record, job.part(0.2, 0.5))
        if mending.orient and solid.defects.inside_out:  # which side was outside could not be seen through the holes
            solid = _oriented(solid, record)
    if mending.rewrap is not None:
        solid = _rewrapped(solid, mending.rewrap, record, job.part(0.5, 0.8))
    if not solid.defects.sentence():
        job.step(0.8, tr("Searching for overlapping bodies"))
        solid = _joined(solid, record)
    if mending.thin_to is not None:
        solid = _thinned(solid, mending.thin_to, record, job.part(0.85, 0.95))
    job.step(0.95, tr("Checking the surface"))
    report = MendReport(
        tuple(record.steps), len(before.triangles), len(solid.triangles), _volume(before), _volume(solid),
        record.moved_by, record.bridged, int(specks.sum()), float(shells.across[specks].max(initial=0.0)),
        _boxes(shells, specks), tangled_share(solid), loose_among(shells_of(solid), factors),
    )
    return solid, report


def _specks(solid: Solid, factors: Floats, *, rods: bool) -> Bools:
    """Which shells are stray specks.

    Parameters
    ----------
    rods : bool
        Whether shells that look like supplied supports are excepted.

    Returns
    -------
    (k,) bool
    """
    shells = shells_of(solid)
    specks = specks_among(shells, factors)
    found = rods_of(solid, shells) if rods and specks.any() else None
    return specks if found is None else specks & ~found.shells


def _volume(solid: Solid) -> float | None:
    return solid.volume if solid.defects.closed else None


def _cleaned(solid: Solid, record: _Record) -> Solid:
    found = clean(solid)
    parts = []
    if found.doubled:
        parts.append(tr_many("{n:,} doubled facet dropped", "{n:,} doubled facets dropped", found.doubled))
    if found.flat:
        parts.append(tr_many("{n:,} stray facet without area dropped", "{n:,} stray facets without area dropped",
                             found.flat))
    if found.cracks:
        parts.append(tr("{count:,} corners joined across cracks up to {size} wide", count=found.cracks, size="{}"))
    said = ", ".join(parts) if parts else tr("nothing doubled, no cracks")
    record.add("clean", sentence(said) + ".", bool(parts), (found.widest,) if found.cracks else (),
               found.places)
    record.moved(found.widest)
    return found.solid


def _oriented(solid: Solid, record: _Record) -> Solid:
    found, turned = oriented(solid)
    count = int(turned.sum())
    said = (
        tr_many("{n:,} facet turned outward.", "{n:,} facets turned outward.", count)
        if count
        else tr("All facets face outward.")
    )
    corners = solid.vertices[solid.triangles[turned][:_MOST_PLACES]]
    record.add(
        "orient", said, count > 0, (), np.stack([corners, np.roll(corners, -1, axis=1)], axis=2).reshape(-1, 2, 3)
    )
    return found


def _boxes(shells: Shells, chosen: Bools) -> Floats:
    """The diagonals of the bounding boxes of some shells.

    Returns
    -------
    (k, 2, 3) float64
    """
    return np.stack([shells.low[chosen], shells.high[chosen]], axis=1)[:_MOST_PLACES]


def _without_specks(solid: Solid, shells: Shells, specks: Bools, record: _Record) -> Solid:
    count, size = int(specks.sum()), float(shells.across[specks].max())
    said = tr_many("{n:,} stray speck, {size} across, left out.", "{n:,} stray specks up to {size} across left out.",
                   count, size="{}")
    record.add("specks", said, True, (size,), _boxes(shells, specks))
    return solid.picked(~specks[shells.of])


def _closed(solid: Solid, record: _Record, job: Job) -> Solid:
    from .holes import close_holes  # slow to load, and most surfaces are closed

    closed, holes = close_holes(solid, job)
    if not holes:
        record.add("close", tr("No holes."), False)
        return solid
    ways = []
    for how, word in (
        (tr("flat"), tr(tr("flat"))),
        ("least area", tr("with the least area")),
        (tr("smooth"), tr(tr("smooth"))),
    ):
        count = sum(hole.how == how for hole in holes)
        if count:
            ways.append(f"{text.count(count)} {word}")
    rims = np.concatenate([np.stack([hole.rim, np.roll(hole.rim, -1, axis=0)], axis=1) for hole in holes])
    said = tr_many("One hole closed ({ways}); it is {size} across.",
                   "{n:,} holes closed ({ways}); the largest is {size} across.", len(holes), ways=", ".join(ways),
                   size="{}")
    record.add("close", said, True, (holes[0].width,), rims)
    patch = np.asarray(closed.origin >= len(solid.triangles))
    on_rim = np.zeros(len(solid.vertices), np.bool_)
    on_rim[open_edges(solid.triangles)] = True
    around = np.asarray(on_rim[solid.triangles].any(axis=1))
    record.closed_over(_distance(closed.picked(patch), solid.picked(around)))
    return closed


def _rewrapped(solid: Solid, fineness: float, record: _Record, job: Job) -> Solid:
    from .rewrap import rewrapped  # slow to load, and seldom needed

    found = rewrapped(solid, fineness, job)
    record.moved(_distance(solid, found))
    # where the old surface was open, the new one goes over its holes
    (record.moved if solid.defects.closed else record.closed_over)(_distance(found, solid))
    record.add("rewrap", tr("Surface rewrapped with a fineness of {}; walls thinner than {} may be lost."), True,
               (fineness, 2 * fineness))
    return found


def _joined(solid: Solid, record: _Record) -> Solid:
    found = united(Solid(solid.vertices, solid.triangles))
    if len(found.triangles) == len(solid.triangles) and np.array_equal(found.origin, np.arange(len(found.triangles))):
        return solid
    bodies = len(bodies_of(solid)), len(bodies_of(found))
    said = tr(
        "Overlapping bodies were merged ({bodies} became {bodies2}).",
        bodies=bodies[0],
        bodies2=bodies[1],
    )
    record.add("join", said, True, (), _joins(solid, found))
    return found


def _joins(before: Solid, after: Solid) -> Floats:
    """The edges of the joined surface where the skins of different bodies meet.

    Returns
    -------
    (k, 2, 3) float64
    """
    shell = shells_of(before).of[after.origin]
    count = np.int64(len(after.vertices))
    key, _ = edge_numbers(after.triangles, len(after.vertices))
    order = np.argsort(key, kind="stable")
    meets = (key[order][1:] == key[order][:-1]) & (shell[order[1:] // 3] != shell[order[:-1] // 3])
    edges = key[order[1:][meets]]
    return np.asarray(after.vertices[np.stack([edges // count, edges % count], axis=1)])


def _thinned(solid: Solid, triangles: int, record: _Record, job: Job) -> Solid:
    found = thinned(solid, triangles, job)
    if found is solid:
        record.add("thin", tr("Already at {count:,} triangles.", count=len(solid.triangles)), False)
        return solid
    far = _two_way(found, solid)
    record.moved(far)
    said = tr("Simplified from {before:,} to {after:,} triangles; the surface moved by up to {size}.",
              before=len(solid.triangles), after=len(found.triangles), size="{}")
    record.add("thin", said, True, (far,))
    return found


def _distance(new: Solid, old: Solid) -> float:
    """The largest distance from the vertices and facet centres of one surface to another."""
    import igl

    if not len(new.triangles):
        return 0.0
    points = np.concatenate([new.vertices, new.centroids])
    if len(points) > _SAMPLES:
        points = points[:: len(points) // _SAMPLES + 1]
    faces = np.ascontiguousarray(old.triangles, np.int64)
    squared = igl.point_mesh_squared_distance(np.ascontiguousarray(points), np.array(old.vertices), faces)[0]
    return float(np.sqrt(max(float(squared.max()), 0.0)))


def _two_way(new: Solid, old: Solid) -> float:
    return max(_distance(new, old), _distance(old, new))


def tangled_share(solid: Solid) -> float:
    """The share of the surface that is not a border between the outside and the inside of the solid.

    A sound surface has a winding number of 0 just outside and 1 just inside of each facet. A closed surface is tested
    where the columns of three grids along the axes meet it: because n_x^2 + n_y^2 + n_z^2 = 1, hits weighted with |n
    . axis| stand for equal areas. A surface with holes, where the count along a column cannot be trusted, is tested
    at some 1,500 places spread by area, with the generalized winding number (Jacobson et al. 2013).
    """
    if float(solid.areas.sum()) <= 0:
        return 0.0
    if not solid.defects.closed:
        return _tangled_places(solid)
    tangled = whole = 0.0
    for axis in range(3):
        across = [(axis + 1) % 3, (axis + 2) % 3, axis]
        columns = column_field(np.ascontiguousarray(solid.vertices[:, across]), solid.triangles, _TANGLE_CELLS)
        weight = np.abs(solid.normals[:, axis])
        bad, seen = winding_sums(columns.start, columns.facets, weight)
        tangled, whole = tangled + bad * columns.cell**2, whole + seen * columns.cell**2
    return tangled / whole if whole > 0 else 0.0


def _tangled_places(solid: Solid) -> float:
    import igl

    points, facets = spread_points(solid, _TANGLE_SAMPLES)
    step = 1e-4 * solid.diagonal * solid.normals[facets]
    faces = np.ascontiguousarray(solid.triangles, np.int64)
    around = igl.fast_winding_number(np.array(solid.vertices), faces, np.concatenate([points + step, points - step]))
    outside, inside = np.split(around, 2)
    return float(np.mean((np.abs(outside) > 0.5) | (np.abs(inside - 1.0) > 0.5)))
