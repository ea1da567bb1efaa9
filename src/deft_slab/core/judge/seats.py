"""Default seats: the directions a piece is tried on, and the best of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from ..progress import QUIET, Job
from ..solid import Solid
from .figures import sketch
from .marks import Marked
from .tilts import down_to_rotation

Floats = NDArray[np.float64]

SEARCH_CELLS = 96
_SAME = np.cos(np.radians(2.0))
"""Two directions closer than this are one candidate."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """down : unit vector, model frame; rotation : (3, 3); kind : why it was tried, in words for a person"""

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


def _hull_normals(solid: Solid, most: int) -> list[Floats]:
    """Normals of the largest facets of the convex hull: the ways a rigid body can lie on a table."""
    try:
        hull = ConvexHull(solid.vertices)
    except QhullError:
        return []
    corners = hull.points[hull.simplices]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    return _grouped_normals(hull.equations[:, :3], areas, most, 0.0)


def candidates(solid: Solid, stood: Floats, *, thorough: bool = True) -> list[Candidate]:
    """Directions worth trying for a piece, none twice.

    stood : (3, 3) rotation in which the whole model stands
    thorough : with large flat facets and hull facets; else only cut faces and as the model stood
    """
    found: list[Candidate] = []

    def offer(down: Floats, kind: str, rotation: Floats | None = None) -> None:
        if all(float(down @ other.down) < _SAME for other in found):
            found.append(Candidate(down, down_to_rotation(down) if rotation is None else rotation, kind))

    cut_faces = np.unique(solid.origin[solid.origin < 0])
    for number in cut_faces[::-1]:
        face = solid.area_vectors[solid.origin == number].sum(axis=0)
        length = float(np.linalg.norm(face))
        if length > 0:
            offer(face / length, "cut face down")
            offer(-face / length, "cut face up")
    offer(-stood[2], "as the model stood", stood)
    if thorough:
        for normal in _grouped_normals(solid.normals, solid.areas, 8, 0.02 * float(solid.areas.sum())):
            offer(normal, "on a large flat")
        for normal in _hull_normals(solid, 12):
            offer(normal, "on its outline")
    return found


def best_seat(
    solid: Solid,
    stood: Floats,
    threshold: float,
    marks: Marked | None = None,
    *,
    thorough: bool = True,
    cells: int = SEARCH_CELLS,
    job: Job = QUIET,
) -> Candidate:
    """The candidate with the least support volume, those that sit flat first.

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """
    tried = candidates(solid, stood, thorough=thorough)
    best, best_key = tried[0], (True, np.inf)
    for number, candidate in enumerate(tried):
        job.step(number / len(tried), "Trying seats")
        found = sketch(solid, candidate.rotation, threshold, cells, marks=marks)
        key = (not found.sits_flat, found.support_volume_mm3)
        if key < best_key:
            best, best_key = candidate, key
    return best
