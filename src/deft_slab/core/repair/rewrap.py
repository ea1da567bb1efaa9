"""Rebuilds the surface around what the old one encloses, where nothing gentler closes it.

Signed distance on a grid. The sign comes from the generalized winding number (Jacobson, Kavan and Sorkine-Hornung
2013, Robust inside-outside segmentation using generalized winding numbers; fast form by Barill et al. 2018), and the
distance is exact in a narrow band. Over a hole there is no surface to measure from; there the winding number itself,
which passes smoothly through one half, takes the place of the distance.
"""

from __future__ import annotations

import igl
import numpy as np
from skimage.measure import marching_cubes

from ..arrays import Bools, Floats, Floats32, Ints
from ..errors import BadPlan, OpenSurface
from ..locale.translate import tr
from ..mesh.solid import Solid, finer
from ..progress import QUIET, Job

FINEST = 1 / 400
COARSEST = 1 / 20
"""Share of the longest side: the finest grid is 64 million points."""
_BLOCK = 4
"""Cells along the side of a block: only blocks near the surface or across a hole are looked at finely."""
_BAND = 2.5
"""Cells on each side of the surface where the distance is exact."""
_CHUNK = 600_000
"""Points asked at once: the winding library sorts the surface anew for each call."""
_NEAR = 1.1
"""Cells: a block is looked at finely if the surface comes so near."""


def rewrapped(solid: Solid, fineness: float, job: Job = QUIET) -> Solid:
    """A closed surface around what the old one encloses. The facets are renumbered.

    Parameters
    ----------
    fineness : float
        Side of a grid cell, in units of the solid. Walls thinner than two cells may be lost.

    Raises
    ------
    BadPlan
        The fineness is out of range for this size.
    OpenSurface
        The old surface encloses nothing.
    Cancelled
        The job is no longer wanted.
    """
    longest = float(solid.size.max())
    if not FINEST * 0.999 <= fineness / longest <= COARSEST * 1.001:
        raise BadPlan(
            tr(
                "A fineness of {fineness:.4g} is out of range for a model {longest:.4g} long: from {finest:.4g} to "
                "{coarsest:.4g}.",
                fineness=fineness,
                longest=longest,
                finest=FINEST * longest,
                coarsest=COARSEST * longest,
            )
        )
    pad = 4 * fineness
    low = solid.bounds[0] - pad
    blocks = np.ceil((solid.size + 2 * pad) / (fineness * _BLOCK)).astype(np.int64) + 1
    field, wanted = _coarse(solid, low, fineness, blocks, job.part(0.0, 0.25))
    _fine(solid, low, fineness, field, wanted, job.part(0.25, 0.85))
    job.step(0.86, tr("Drawing the new surface"))
    if field.min() >= 0 or field.max() <= 0:
        raise OpenSurface(
            tr("The surface encloses nothing, so it cannot be rewrapped."), kept=tr("Nothing was changed.")
        )
    # an exact zero would make facets without area
    field[np.abs(field) < 1e-3 * fineness] = 1e-3 * fineness
    vertices, triangles, _, _ = marching_cubes(field, 0.0, gradient_direction="descent")
    job.step(0.95, tr("Drawing the new surface"))
    return Solid(vertices.astype(float) * fineness + low, np.ascontiguousarray(triangles, np.int32))


def _winding(solid: Solid, points: Floats, job: Job) -> Floats:
    """The winding number of the surface around each point.

    Returns
    -------
    (n,) float64
    """
    vertices, faces = np.array(solid.vertices), np.ascontiguousarray(solid.triangles, np.int64)
    found = np.empty(len(points))
    for start in range(0, len(points), _CHUNK):
        job.step(start / max(len(points), 1), tr("Finding the inside"))
        found[start : start + _CHUNK] = igl.fast_winding_number(
            vertices, faces, np.ascontiguousarray(points[start : start + _CHUNK])
        )
    return found


def _coarse(solid: Solid, low: Floats, fineness: float, blocks: Ints, job: Job) -> tuple[Floats32, Bools]:
    """The sign at all points, two cells strong, from the corners of the blocks; and which blocks must be evaluated
    finely.
    """
    corners = blocks + 1
    at = np.stack(np.meshgrid(*(np.arange(n) for n in corners), indexing="ij"), axis=-1).reshape(-1, 3)
    winding = _winding(solid, low + at * (fineness * _BLOCK), job).reshape(corners)
    wanted = _touched(solid, low, fineness, blocks)
    lowest, highest = winding[:-1, :-1, :-1].copy(), winding[:-1, :-1, :-1].copy()
    for x, y, z in np.ndindex(2, 2, 2):
        part = winding[x : x + blocks[0], y : y + blocks[1], z : z + blocks[2]]
        np.minimum(lowest, part, out=lowest)
        np.maximum(highest, part, out=highest)
    wanted |= (lowest < 0.7) & (highest > 0.3)
    inside = winding[:-1, :-1, :-1] > 0.5
    filled = np.where(inside, np.float32(-_BAND * fineness), np.float32(_BAND * fineness))
    field = filled.repeat(_BLOCK, 0).repeat(_BLOCK, 1).repeat(_BLOCK, 2)
    return np.ascontiguousarray(field), wanted


def _touched(solid: Solid, low: Floats, fineness: float, blocks: Ints) -> Bools:
    """Which blocks the surface comes near. Facets are divided until their vertices and centres are less than a cell
    apart, and each of these points marks the blocks around it.
    """
    touched = np.zeros(blocks, np.bool_)
    for corners in finer(solid.vertices[solid.triangles], 2 * fineness):
        points = np.concatenate([corners.mean(axis=1), corners.reshape(-1, 3)])
        for shift in np.ndindex(2, 2, 2):
            near = points + _NEAR * fineness * (2 * np.array(shift) - 1)
            x, y, z = ((near - low) / (fineness * _BLOCK)).astype(np.int64).T
            touched[x, y, z] = True
    return touched


def _fine(solid: Solid, low: Floats, fineness: float, field: Floats32, wanted: Bools, job: Job) -> None:
    """Write the signed distance into the wanted blocks of the field, clamped to the width of the band."""
    tree = igl.AABB()
    vertices, faces = np.array(solid.vertices), np.ascontiguousarray(solid.triangles, np.int64)
    tree.init(vertices, faces)
    inner = np.stack(np.meshgrid(*(np.arange(_BLOCK),) * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    chosen = np.argwhere(wanted) * _BLOCK
    step = _CHUNK // len(inner)
    for start in range(0, len(chosen), step):
        job.step(start / len(chosen), tr("Measuring to the old surface"))
        at = (chosen[start : start + step, None] + inner).reshape(-1, 3)
        points = low + at * fineness
        distance = np.sqrt(np.maximum(tree.squared_distance(vertices, faces, points)[0], 0.0))
        winding = igl.fast_winding_number(vertices, faces, points) - 0.5
        # over a hole the winding number passes through a half where no surface is; on the surface it jumps by one
        reach = np.minimum(np.minimum(distance, _BAND * fineness), 4 * _BAND * fineness * np.abs(winding))
        field[tuple(at.T)] = np.where(winding > 0, -reach, reach)
