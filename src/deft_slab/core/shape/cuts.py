"""Cuts: parting solids. Nothing is lost: the sides, the kerf between them and what is set aside are the solid."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..cutting import BentCut, BlockCut, BodiesCut, Cut, StraightCut
from ..errors import CutFailed
from ..faces import Face
from ..marking import Region
from ..progress import QUIET, Job
from ..solid import Solid
from .bodies import bodies_of, without_nothing
from .cutters import Picked, cutter, half_space, reach_body
from .loops import around_limb, bridge

Floats = NDArray[np.float64]

@dataclass(frozen=True, eq=False)
class Parted:
    """What a cut makes of one solid. sides : (side, solid), see ``cutting.Side``; kerf : mm3 that it removed
    bridge : (k, 2, 3): places (mm) where a loop that parts nothing has material around it, and the ways outward"""

    sides: list[tuple[int, Solid]]
    kerf: float
    bridge: Floats = field(default_factory=lambda: np.empty((0, 2, 3)))


def no_region(region: Region) -> NDArray[np.bool_]:
    """For cuts that have none."""
    raise CutFailed("There is no surface to pick a region on.")


def parted(solid: Solid, cut: Cut, picked: Picked = no_region, job: Job = QUIET) -> Parted:
    """The sides of a cut, whose id its faces bear. A side that hangs together in several places is one solid here.

    picked : gives the facets of this solid that a region takes

    Raises
    ------
    OpenSurface : the solid is not closed.
    CutFailed : the cut cannot be made.
    Cancelled : the job is no longer wanted.
    """
    if isinstance(cut, BodiesCut):
        bodies = bodies_of(solid)
        return Parted(list(enumerate(bodies)) if len(bodies) > 1 else [(0, solid)], 0.0)
    if isinstance(cut, BentCut) and cut.closed:
        limbs, kerf = around_limb(solid, cut)
        return Parted(limbs, kerf) if len(limbs) > 1 else Parted(limbs, kerf, bridge(solid, cut))
    made, kerf = _made(solid, cut, picked, job)
    sides = []
    for side, body in made:
        taken = _taken(solid, cut, body)
        if taken is not None:
            sides.append((side, taken))
    return Parted(sides, kerf)


def _taken(solid: Solid, cut: Cut, body: manifold3d.Manifold) -> Solid | None:
    if body.status() != manifold3d.Error.NoError:
        raise CutFailed(f"The cut “{cut.name}” could not be made ({body.status().name}).")
    if body.is_empty():
        return None
    known = solid.runs
    fresh = {int(run): Face(cut.id) for run in body.to_mesh64().run_original_id if int(run) not in known}
    return without_nothing(Solid.from_manifold(body, known | fresh), solid.volume)


def _made(
    solid: Solid, cut: Cut, picked: Picked, job: Job
) -> tuple[list[tuple[int, manifold3d.Manifold]], float]:  # fmt: skip
    """The sides of a cut, and mm3 of its kerf."""
    if isinstance(cut, BlockCut):
        return _cells(solid, cut, picked, job)
    whole, half = solid.manifold, cut.kerf / 2
    if isinstance(cut, StraightCut) and not cut.bounded:
        ahead, behind, kerf = _at_plane(whole, np.array(cut.normal), cut.offset, half)
        return [(1, ahead), (-1, behind)], kerf
    side = 1
    if isinstance(cut, StraightCut):
        side = _side_with_less_wall(solid, cut, _reached(solid, cut, picked, 0.0))

    def body(grow: float) -> manifold3d.Manifold:
        if isinstance(cut, StraightCut):
            made = half_space(solid, side * np.array(cut.normal), side * cut.offset - grow)
        else:
            made = cutter(solid, cut, picked, grow)
        return made ^ _reached(solid, cut, picked, grow) if cut.bounded else made

    inside, outside, kerf = _at_bodies(whole, body, half)
    return [(side, inside), (-side, outside)], kerf


def _reached(solid: Solid, cut: Cut, picked: Picked, grow: float) -> manifold3d.Manifold:
    assert cut.reach is not None
    return reach_body(solid, cut.reach, picked, grow)


def _at_bodies(
    whole: manifold3d.Manifold, body: Callable[[float], manifold3d.Manifold], half: float
) -> tuple[manifold3d.Manifold, manifold3d.Manifold, float]:
    """(inside a body, outside it, mm3 of the kerf of twice ``half`` between them). body : gives it so much larger"""
    inside, outside = whole.split(body(half))
    if half == 0:
        return inside, outside, 0.0
    inside, between = inside.split(body(-half))
    return inside, outside, float(between.volume())


def _at_plane(
    whole: manifold3d.Manifold, normal: Floats, offset: float, half: float
) -> tuple[manifold3d.Manifold, manifold3d.Manifold, float]:
    """(ahead of a plane, behind it, mm3 of the kerf of twice ``half`` between them)."""
    direction = tuple(float(value) for value in normal)
    ahead, rest = whole.split_by_plane(direction, offset + half)
    if half == 0:
        return ahead, rest, 0.0
    # one after the other, and not each from the whole: what is ahead of a wall and what is behind it come from one cut
    between, behind = rest.split_by_plane(direction, offset - half)
    return ahead, behind, float(between.volume())


def _side_with_less_wall(solid: Solid, cut: StraightCut, reach: manifold3d.Manifold) -> int:
    """Which side of a bounded straight cut comes off: the one for which less of the reach's own boundary runs through
    the solid (the jaw, and not half of the head)."""
    walls = {}
    for side in (1, -1):
        normal = side * np.array(cut.normal)
        piece = solid.manifold ^ reach ^ half_space(solid, normal, side * cut.offset)
        if piece.is_empty():
            walls[side] = np.inf
            continue
        mesh = piece.to_mesh64()
        ends = np.asarray(mesh.run_index).astype(np.int64) // 3
        own = np.zeros(len(mesh.tri_verts), np.bool_)
        for number, run in enumerate(mesh.run_original_id):
            if int(run) not in solid.runs:
                own[ends[number] : ends[number + 1]] = True
        corners = np.asarray(mesh.vert_properties)[:, :3][np.asarray(mesh.tri_verts).astype(np.int64)[own]]
        vectors = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) / 2
        lengths = np.linalg.norm(vectors, axis=1)
        flat = np.abs(vectors @ normal) > 0.999999 * lengths
        at_plane = np.abs(corners.mean(axis=1) @ normal - side * cut.offset) < 1e-6 * solid.diagonal
        walls[side] = float(lengths[~(flat & at_plane)].sum())
    return 1 if walls[1] <= walls[-1] else -1


def _cells(
    solid: Solid, cut: BlockCut, picked: Picked, job: Job
) -> tuple[list[tuple[int, manifold3d.Manifold]], float]:  # fmt: skip
    """The cells of a block cut, numbered along x, then y, then z; what is out of reach is the side -1."""
    inside, rest = solid.manifold, None
    half = cut.kerf / 2
    kerf: list[float] = []
    if cut.bounded:
        inside, rest, lost = _at_bodies(solid.manifold, partial(_reached, solid, cut, picked), half)
        kerf.append(lost)
    axes = cut.turn.rotation
    found: list[tuple[int, manifold3d.Manifold]] = []
    number = column = 0
    for slab, slice_ in enumerate(_slices(inside, axes[0], cut.x, half, kerf)):
        for row in _slices(slice_, axes[1], cut.y_of(slab), half, kerf):
            job.step(number / cut.cells, f"Cutting: {cut.name}")
            for cell in _slices(row, axes[2], cut.z_of(column), half, kerf):
                found.append((number, cell))
                number += 1
            column += 1
    return found if rest is None else [*found, (-1, rest)], math.fsum(kerf)


def _slices(
    body: manifold3d.Manifold, normal: Floats, walls: tuple[float, ...], half: float, kerf: list[float]
) -> list[manifold3d.Manifold]:
    """A body between parallel walls, rising; adds the volume of each kerf to ``kerf``."""
    found = []
    for wall in walls:
        if body.is_empty():
            found.append(body)
            continue
        ahead, behind, lost = _at_plane(body, normal, wall, half)
        kerf.append(lost)
        found.append(behind)
        body = ahead
    return [*found, body]


def given_to(whole: Solid, others: list[Solid], crumb: Solid) -> Solid:
    """What is left of a solid without some of its pieces: a piece with the crumbs that were given to it.

    Of a solid in several bodies only that which the crumb was a part of counts.
    """
    bodies = bodies_of(whole)
    own = bodies[0] if len(bodies) == 1 else max(bodies, key=lambda one: (one.manifold ^ crumb.manifold).volume())
    body = own.manifold
    runs = dict(own.runs)
    for other in others:
        if len(bodies) > 1 and (own.manifold ^ other.manifold).volume() < 0.5 * other.volume:
            continue
        body = body - other.manifold
        runs |= other.runs
    return without_nothing(Solid.from_manifold(body, runs), whole.volume) or crumb
