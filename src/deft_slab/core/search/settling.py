"""Settling a seam: the place near a cut's own where least of it is seen, at no more than a stated rise in support."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..cutting import BentCut, StraightCut
from ..errors import CutFailed
from ..judge.parting import Places
from ..judge.seam import seam_of
from ..judge.seats import around, best_seat
from ..progress import QUIET, Job, Spread
from ..shape.bodies import bodies_of
from ..shape.cuts import parted
from ..solid import Solid
from .found import Limits
from .places import CutSubject

Floats = NDArray[np.float64]

_FINE = 41
"""Places that are tried along each normal."""
_NEIGHBOURS = 12
"""Corners of the surface around a point of a bent line that it may be moved to, spread over its reach."""
_ROUNDS = 2


Both = tuple[float, float]
"""(mm of seam in sight, mm3 of support)"""


def settled(
    subject: CutSubject, cut: StraightCut | BentCut, limits: Limits, job: Job = QUIET, spread: Spread = map
) -> tuple[StraightCut | BentCut, Both, Both]:
    """(the settled cut, seam in sight and support before, the same after), all of the stand-in. The cut itself where
    nothing near it is better.

    Raises
    ------
    CutFailed : the cut cannot be made, or parts nothing.
    Cancelled : the job is no longer wanted.
    """
    if isinstance(cut, BentCut):
        return _bent(subject, cut, limits, job)
    return _straight(subject, cut, limits, job, spread)


def _straight(
    subject: CutSubject, cut: StraightCut, limits: Limits, job: Job, spread: Spread
) -> tuple[StraightCut, Both, Both]:
    normal = np.array(cut.normal)
    now = subject.places(normal, np.array([cut.offset]))
    before = (float(now.in_sight[0]), float(now.support[:, 0].sum()))
    if now.cut_area[0] <= 0:
        raise CutFailed(f"“{cut.name}” passes beside this piece.", remedy="Move it into the piece first.")
    middle = subject.middle_of_section(normal, cut.offset)
    normals = [normal]
    for share in (0.25, 0.5, 1.0) if limits.turned > 0 else ():
        normals += list(around(normal, share * limits.turned))

    def look(other: Floats) -> Places:
        offset = float(other @ middle)
        return subject.places(other, np.linspace(offset - limits.moved, offset + limits.moved, _FINE))

    best, after = cut, before
    for first in range(0, len(normals), 8):
        job.step(first / len(normals), "Settling the seam")
        for found in spread(look, normals[first : first + 8]):
            support, sight = found.support.sum(axis=0), found.in_sight
            good = (support <= (1 + limits.rise) * before[1] + 1.0) & (found.volume.min(axis=0) > 0)
            good &= found.flat.all(axis=0) | ~now.flat.all()
            if not good.any():
                continue
            k = int(np.argmin(np.where(good, sight, np.inf)))
            if sight[k] < 0.99 * after[0]:
                x, y, z = (float(value) for value in found.normal)
                best = cut.model_copy(update={"normal": (x, y, z), "offset": float(found.offsets[k])})
                after = (float(sight[k]), float(support[k]))
    return best, before, after


def _bent(subject: CutSubject, cut: BentCut, limits: Limits, job: Job) -> tuple[BentCut, Both, Both]:
    """Point by point, each to the corner of the surface within reach that makes the seam least seen."""
    light = Solid(subject.light.vertices, subject.light.triangles)
    tree = cKDTree(light.vertices)
    before = _made(subject, light, cut)
    if before is None:
        raise CutFailed(f"“{cut.name}” parts nothing here.", remedy="Move its line into the piece first.")
    exposed = np.zeros(len(light.vertices))
    np.add.at(exposed, light.triangles, subject.exposed[:, None] / 3)
    count = np.maximum(np.bincount(light.triangles.ravel(), minlength=len(light.vertices)) / 3, 1)
    exposed /= count
    best, after = cut, before
    for number in range(_ROUNDS * len(cut.line)):
        job.step(number / (_ROUNDS * len(cut.line)), "Settling the seam")
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
            if found is not None and found[0] < 0.99 * after[0] and found[1] <= (1 + limits.rise) * before[1] + 1.0:
                best, after = tried, found
    return best, before, after


def _made(subject: CutSubject, light: Solid, cut: BentCut) -> Both | None:
    """(seam in sight, support) of a bent cut of the stand-in; None where it parts nothing or cannot be made."""
    try:
        sides = dict(parted(light, cut, 0).sides)
    except CutFailed:
        return None
    if len(sides) < 2:
        return None
    support = sum(
        best_seat(body, subject.subject.stood, subject.subject.threshold, thorough=False, cells=48).support
        for side in sides.values()
        for body in bodies_of(side)
    )
    return seam_of(bodies_of(sides[1]), 0, subject.exposed).in_sight, support
