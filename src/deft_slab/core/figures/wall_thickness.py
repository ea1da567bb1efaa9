"""Wall thickness, as a caliper would read it."""

from __future__ import annotations

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ..arrays import Floats, Ints
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job

_LIFT = 2e-5
"""Share of the diagonal by which a ray starts under the surface, so that it does not meet its own facet."""
_TRIES = 6
"""How often a ray that met the surface from outside (its own facet, or a neighbour in a crease) goes on."""
_CHUNK = 200_000


def thickness(solid: Solid, facets: Ints | None = None, job: Job = QUIET) -> Floats:
    """The distance straight through the solid from the middle of each facet, against its normal; inf if there is no
    other side, as on an open surface.

    Parameters
    ----------
    facets : array of int64
        Which facets; all by default.

    Returns
    -------
    (k,) float64, mm

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    chosen = np.arange(len(solid.triangles)) if facets is None else facets
    length, _ = through(solid, solid.centroids[chosen], -solid.normals[chosen], job)
    return length


def through(
    solid: Solid, points: Floats, inward: Floats, job: Job = QUIET
) -> tuple[Floats, Ints]:
    """How far it is from points on a surface to where a ray leaves the solid.

    Parameters
    ----------
    points : (k, 3) float64
    inward : (k, 3) float64
        Unit directions; zero where none is asked for.

    Returns
    -------
    (k,) float64, mm; (k,) int64
        The distance and the facet there; inf and -1 if the ray never leaves.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    scene, _mesh, middle = _scene_of(solid)
    lift = _LIFT * solid.diagonal
    length, facets = np.empty(len(points)), np.empty(len(points), np.int64)
    for start in range(0, len(points), _CHUNK):
        job.step(start / max(len(points), 1), tr("Measuring the walls"))
        part = slice(start, start + _CHUNK)
        length[part], facets[part] = _leaving(scene, solid, points[part] - middle, inward[part], lift)
    return length, facets


def met_first(solid: Solid, points: Floats, ways: Floats) -> tuple[Floats, Ints]:
    """How far it is to what a ray meets first.

    Parameters
    ----------
    points, ways : (k, 3) float64
        Points in mm, and unit directions.

    Returns
    -------
    (k,) float64, mm; (k,) int64
        The distance and the facet there; inf and -1 if the ray meets nothing.
    """
    scene, _mesh, middle = _scene_of(solid)
    origin = np.ascontiguousarray(points - middle, np.float32)
    met = scene.run(origin, np.ascontiguousarray(ways, np.float32), output=True)
    facets = met["primID"].astype(np.int64)
    return np.where(facets >= 0, met["tfar"], np.inf).astype(float), facets


def _scene_of(solid: Solid) -> tuple[rtcore_scene.EmbreeScene, TriangleMesh, Floats]:
    """A surface that rays can be shot at, moved to its middle. The result is cached on the solid.

    Returns
    -------
    scene, mesh, (3,) float64
        The scene; what the scene does not keep alive by itself and must be kept by a name; and the middle, in mm.
    """
    if "scene" not in solid.__dict__:
        middle = solid.bounds.mean(axis=0)
        scene = rtcore_scene.EmbreeScene()
        mesh = TriangleMesh(scene, (solid.vertices - middle)[solid.triangles].astype(np.float32))
        solid.__dict__["scene"] = scene, mesh, middle
    found: tuple[rtcore_scene.EmbreeScene, TriangleMesh, Floats] = solid.__dict__["scene"]
    return found


def _leaving(
    scene: rtcore_scene.EmbreeScene, solid: Solid, points: Floats, inward: Floats, lift: float
) -> tuple[Floats, Ints]:
    """``through`` for points relative to the middle of the solid."""
    length = np.full(len(points), lift)
    out, facets = np.full(len(points), np.inf), np.full(len(points), -1, np.int64)
    going = np.flatnonzero(np.abs(inward).max(axis=1, initial=0.0) > 0)
    for _ in range(_TRIES):
        if not len(going):
            break
        origin = points[going] + length[going, None] * inward[going]
        met = scene.run(origin.astype(np.float32), inward[going].astype(np.float32), output=True)
        hit = met["primID"] >= 0
        going, facet = going[hit], met["primID"][hit]
        length[going] += met["tfar"][hit]
        leaves = np.einsum("ij,ij->i", solid.normals[facet], inward[going]) > 0
        out[going[leaves]], facets[going[leaves]] = length[going[leaves]], facet[leaves]
        going = going[~leaves]
        length[going] += lift
    return out, facets


def thinnest(walls: NDArray[np.floating], areas: Floats, least: float = 1.0) -> float:
    """The thickness of the wall that only ``least`` mm2 of the surface fall short of. A single small facet on a
    sharp edge has next to nothing behind it, and says nothing about the wall.

    Parameters
    ----------
    walls, areas : (m,)
        The thickness behind each facet, and its area.

    Returns
    -------
    float, mm
    """
    order = np.argsort(walls)
    at = int(np.searchsorted(np.cumsum(areas[order]), min(least, 0.5 * float(areas.sum()))))
    return float(walls[order[min(at, len(order) - 1)]])
