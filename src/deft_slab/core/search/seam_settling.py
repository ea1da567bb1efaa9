"""Settles a seam: moves a cut to the nearby place where least of its seam is seen, with at most a given rise in
support.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from itertools import pairwise

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Bools, Floats
from ..cuts import BentCut, BlockCut, Cut, PatchCut, StraightCut, walls_as
from ..document.marks import Region
from ..errors import CutFailed
from ..figures.default_seats import SeatWishes, around, seats_of
from ..figures.marked_facets import facets_taken
from ..figures.plane_scoring import CutPlaces
from ..figures.seams import seam_of
from ..geometry.bodies import bodies_of
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job, Spread, for_each
from .borders import border_stroke, facets_of, resettled, seam_price
from .cut_map import CutSubject
from .results import CutWishes, Limits

_FINE = 41
"""Places that are tried along each normal."""
_NEIGHBOURS = 12
"""Corners of the surface around a point of a bent line that it may be moved to, spread over its reach."""
_ROUNDS = 2
_BEST_WALLS = 6
"""Places of a wall that are tried by making the cut."""
_LEAST_ROOM = 2.0
"""mm that walls keep from each other."""
_BANDS = (1.0, 0.5, 0.25)
"""Shares of how far a cut may move, in which the border of a patch is looked for."""
_BUSY = 20.0
"""Degrees between facets of the draft mesh from which detail counts fully."""


Both = tuple[float, float]
"""(mm of seam in sight, mm3 of support)"""


def settled(
    subject: CutSubject, cut: Cut, limits: Limits, job: Job = QUIET, spread: Spread = map
) -> tuple[Cut, Both, Both]:
    """The settled cut, or the cut itself if nothing near it is better. Figures are those of the draft mesh.

    Returns
    -------
    Cut, (float, float), (float, float)
        The cut, and the seam in sight (mm) and the support (mm3) before and after.

    Raises
    ------
    CutFailed
        The cut cannot be made, or cuts nothing.
    Cancelled
        The job is no longer wanted.
    """
    return SETTLERS[type(cut)](subject, cut, limits, job, spread)


def _straight(
    subject: CutSubject, cut: StraightCut, limits: Limits, job: Job, spread: Spread
) -> tuple[StraightCut, Both, Both]:
    normal = np.array(cut.normal)
    now = subject.places(normal, np.array([cut.offset]))
    before = (float(now.in_sight[0]), float(subject.support_at(now)[:, 0].sum()))
    if now.cut_area[0] <= 0:
        raise CutFailed(
            tr("“{name}” passes beside this piece.", name=cut.name), remedy=tr("Move it into the piece first.")
        )
    middle = subject.middle_of_section(normal, cut.offset)
    normals = [normal]
    for share in (0.25, 0.5, 1.0) if limits.turned > 0 else ():
        normals += list(around(normal, share * limits.turned))

    def look(other: Floats) -> CutPlaces:
        offset = float(other @ middle)
        return subject.places(other, np.linspace(offset - limits.moved, offset + limits.moved, _FINE))

    best, after = cut, before
    for found in for_each(look, normals, tr("Settling the seam"), job, spread):
        support, sight = subject.support_at(found).sum(axis=0), found.in_sight
        good = (support <= limits.most_support(before[1])) & (found.volume.min(axis=0) > 0)
        good &= np.isfinite(found.flat).all(axis=0) | ~np.isfinite(now.flat).all()
        if not good.any():
            continue
        k = int(np.argmin(np.where(good, sight, np.inf)))
        if sight[k] < 0.99 * after[0]:
            x, y, z = (float(value) for value in found.normal)
            best = cut.model_copy(update={"normal": (x, y, z), "offset": float(found.offsets[k])})
            after = (float(sight[k]), float(support[k]))
    return best, before, after


def _block(subject: CutSubject, cut: BlockCut, limits: Limits, job: Job, spread: Spread) -> tuple[BlockCut, Both, Both]:
    """Settle a block cut wall by wall, each at the place within reach where the least of its seam is seen, with
    detail counted more. The cells must fit the printer as far as they did, and their support may rise no more
    than allowed.
    """
    light = Solid(subject.light.vertices, subject.light.triangles)
    before = _made(subject, light, cut)
    if before is None:
        raise CutFailed(
            tr("“{name}” cuts nothing here.", name=cut.name), remedy=tr("Move its walls into the piece first.")
        )
    busy = replace(subject, exposed=subject.exposed * (1.0 + detail_of(light)))
    ends = np.stack([subject.extent(axis) for axis in cut.turn.rotation])
    most = np.maximum(_largest_cell(cut, ends), _room_along(_largest_cell(cut, ends), subject.printer.room))
    best, after = cut, before
    walls = [(axis, of, n) for axis in range(3) for of, own in enumerate(cut.walls(axis)) for n in range(len(own))]
    for number, (axis, of, n) in enumerate(walls):
        job.step(number / len(walls), tr("Settling the walls"))
        start = cut.walls(axis)[of][n]
        offsets = np.linspace(start - limits.moved, start + limits.moved, _FINE)
        found = busy.places(cut.turn.rotation[axis], offsets)
        for k in np.argsort(found.in_sight, kind="stable")[:_BEST_WALLS]:
            tried = _with_wall(best, axis, of, n, float(offsets[k]))
            if tried is None or np.any(_largest_cell(tried, ends) > most + 1e-6):
                continue
            made = _made(subject, light, tried)
            if made is not None and made[0] < 0.99 * after[0] and made[1] <= limits.most_support(before[1]):
                best, after = tried, made
                break
    return best, before, after


def _with_wall(cut: BlockCut, axis: int, of: int, n: int, place: float) -> BlockCut | None:
    """The cut with a wall at another place; None if that is not between its neighbours."""
    lists = list(cut.walls(axis))
    walls = (*lists[of][:n], round(place, 3), *lists[of][n + 1 :])
    if any(b - a < _LEAST_ROOM for a, b in pairwise(walls)):
        return None
    lists[of] = walls
    return cut.model_copy(update=walls_as(axis, tuple(lists)))


def _largest_cell(cut: BlockCut, ends: Floats) -> Floats:
    """The longest side of any cell along each axis.

    Parameters
    ----------
    ends : (3, 2) float64, mm
        Where the model ends along each axis.

    Returns
    -------
    (3,) float64, mm
    """
    return np.array([
        max(max(np.diff([ends[axis, 0], *walls, ends[axis, 1]])) for walls in cut.walls(axis)) for axis in range(3)
    ])


def _room_along(cell: Floats, room: tuple[float, float, float]) -> Floats:
    """How long a cell may be along each axis to fit the printer, lying as it does now: its longest side along the
    printer's longest.

    Returns
    -------
    (3,) float64, mm
    """
    may = np.empty(3)
    may[np.argsort(cell)] = np.sort(np.minimum(room, 1e6))
    return may


def detail_of(solid: Solid) -> Floats:
    """How detailed the surface is at each facet, 0 to 2, by the mean angle to its neighbours; 1 at 20 degrees.

    Returns
    -------
    (m,) float64
    """
    edges = np.sort(np.concatenate([solid.triangles[:, [k, (k + 1) % 3]] for k in range(3)]), axis=1).astype(np.int64)
    order = np.argsort(edges[:, 0] * len(solid.vertices) + edges[:, 1], kind="stable")
    a, b = order[::2] % len(solid.triangles), order[1::2] % len(solid.triangles)
    angle = np.degrees(np.arccos(np.clip(np.einsum("ij,ij->i", solid.normals[a], solid.normals[b]), -1.0, 1.0)))
    mean = (np.bincount(a, angle, len(solid.triangles)) + np.bincount(b, angle, len(solid.triangles))) / 3
    return np.asarray(np.minimum(mean / _BUSY, 2.0))


def _bent(subject: CutSubject, cut: BentCut, limits: Limits, job: Job, spread: Spread) -> tuple[BentCut, Both, Both]:
    """Settle a bent cut point by point, each at the vertex of the surface within reach that makes the seam least
    visible.
    """
    light = Solid(subject.light.vertices, subject.light.triangles)
    tree = cKDTree(light.vertices)
    before = _made(subject, light, cut)
    if before is None:
        raise CutFailed(
            tr("“{name}” cuts nothing here.", name=cut.name), remedy=tr("Move its line into the piece first.")
        )
    exposed = np.zeros(len(light.vertices))
    np.add.at(exposed, light.triangles, subject.exposed[:, None] / 3)
    count = np.maximum(np.bincount(light.triangles.ravel(), minlength=len(light.vertices)) / 3, 1)
    exposed /= count
    best, after = cut, before
    for number in range(_ROUNDS * len(cut.line)):
        job.step(number / (_ROUNDS * len(cut.line)), tr("Settling the seam"))
        n = number % len(cut.line)
        near = np.array(tree.query_ball_point(best.line[n], limits.moved), int)
        if not len(near):
            continue
        # the least seen corners first: creases and grooves
        for corner in near[np.argsort(exposed[near], kind="stable")][:: max(len(near) // _NEIGHBOURS, 1)][:_NEIGHBOURS]:
            x, y, z = (float(value) for value in light.vertices[corner])
            tried = best.model_copy(update={"line": (*best.line[:n], (x, y, z), *best.line[n + 1 :])})
            if np.linalg.norm(np.array(cut.line[n]) - [x, y, z]) > limits.moved:
                continue
            found = _made(subject, light, tried)
            if found is not None and found[0] < 0.99 * after[0] and found[1] <= limits.most_support(before[1]):
                best, after = tried, found
    return best, before, after


def _patch(subject: CutSubject, cut: PatchCut, limits: Limits, job: Job, spread: Spread) -> tuple[PatchCut, Both, Both]:
    """Settle the border of a patch, as a minimum cut in a band around it; in narrower bands if the support would
    rise too much.
    """
    light = Solid(subject.light.vertices, subject.light.triangles)
    before = _made(subject, light, cut)
    if before is None:
        raise CutFailed(
            tr("“{name}” cuts nothing here.", name=cut.name), remedy=tr("Mark a part of this piece first.")
        )
    price = seam_price(subject.exposed, subject.subject.light_marks, CutWishes())
    within = facets_of(cut.strokes, partial(_picked, subject, light))
    best, after = cut, before
    for number, share in enumerate(_BANDS):
        job.step(number / len(_BANDS), tr("Settling the border"))
        moved = resettled(light, price, within, share * limits.moved)
        if moved is None:
            continue
        tried = cut.model_copy(update={"strokes": (border_stroke(light, moved),)})
        found = _made(subject, light, tried)
        if found is not None and found[0] < 0.99 * after[0] and found[1] <= limits.most_support(before[1]):
            best, after = tried, found
    return best, before, after


def _picked(subject: CutSubject, light: Solid, region: Region) -> Bools:
    return facets_taken(light, region, lambda _: subject.exposed)


def _made(subject: CutSubject, light: Solid, cut: BentCut | BlockCut | PatchCut) -> Both | None:
    """The seam in sight and the support of a cut of the draft mesh; None if it cuts nothing or cannot be made."""
    try:
        sides = dict(cut.part(light, partial(_picked, subject, light)).sides)
    except CutFailed:
        return None
    if len(sides) < 2:
        return None
    bodies = [body for side in sides.values() for body in bodies_of(side)]
    wishes = SeatWishes(subject.subject.stood, subject.subject.threshold, cells=48)
    support = sum(seats_of(body, wishes, thorough=False).chosen(subject.leaning).support for body in bodies)
    one_side = bodies_of(sides[1]) if cut.two_sided else bodies
    return seam_of(one_side, cut.id, subject.exposed, 1.0 if cut.two_sided else 0.5).in_sight, support


SETTLERS: dict[type[Cut], Callable[..., tuple[Cut, Both, Both]]] = {
    StraightCut: _straight, BlockCut: _block, BentCut: _bent, PatchCut: _patch,
}
"""How each kind of cut that settles does it: the arguments of ``settled``."""
