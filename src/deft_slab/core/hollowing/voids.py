"""The voids of a solid: everything that lies deeper inside than the thickness of the wall."""

from __future__ import annotations

import itertools

import manifold3d
import numpy as np

from ..arrays import Floats, Floats32, Ints
from ..errors import HollowFailed
from ..figures import column_kernels
from ..locale import text
from ..locale.translate import tr
from ..mesh.components import body_numbers, shells_of
from ..mesh.solid import Solid
from ..progress import QUIET, Job
from . import depth_kernels

MOST_NODES = 120_000_000
"""Of the grid: 900 MB."""
_DEEPER = 0.1
"""Share of the fineness by which the level lies deeper: the surface drawn through a grid cuts corners."""
_SIMPLER = 0.1
"""Share of the fineness by which the walls of a void may be off when they are drawn with fewer triangles."""
_TIE = 1e-3
"""Share of the fineness by which a node on the level itself is moved off it: else the surface is not manifold."""
_NARROW = 1.0
"""mm: where a void is not twice as wide, there is none (from memory)."""
_SAMPLED = 20_000
"""Corners of the voids at which the wall is measured."""


def voids_of(solid: Solid, wall: float, fineness: float, least: float, job: Job = QUIET) -> list[manifold3d.Manifold]:
    """The voids, largest first: everything deeper than a wall inside a closed solid, with a given accuracy.

    Parameters
    ----------
    wall, fineness : float, mm
        The thickness of the wall, and the accuracy.
    least : float, mm3
        Smaller voids are dropped.

    Raises
    ------
    HollowFailed
        The grid would be too large, or the surface could not be drawn.
    Cancelled
        The job is no longer wanted.
    """
    from skimage.measure import marching_cubes

    step = fineness
    low = solid.bounds[0] - 1.5 * step
    shape = np.ceil((solid.size + 3.0 * step) / step).astype(np.int64) + 1
    if float(np.prod(shape.astype(float))) > MOST_NODES:
        finest = float((np.prod(solid.size + 3.0 * step) / MOST_NODES) ** (1 / 3))
        raise HollowFailed(tr("A fineness of {fineness} is too fine for a piece of this size.",
                              fineness=text.near(fineness, 2)),
                           remedy=tr("Take {least} or more.",
                                     least=text.given(np.ceil(finest * 100) / 100)))
    depth = depths(solid, low, shape, step, wall + max(2.0 * step, 1.5 * _NARROW), job.part(0.0, 0.7))
    job.step(0.7, tr("Drawing the voids"))
    level = wall + _DEEPER * step
    _drop_narrow(depth, level, wall + _NARROW, int(np.ceil(_NARROW / step)) + 1)
    field = level - depth
    field[~np.isfinite(field)] = -2.0 * step
    np.clip(field, -2.0 * step, 2.0 * step, out=field)
    if field.min() >= 0:
        return []
    field[np.abs(field) < _TIE * step] = _TIE * step
    vertices, triangles, _, _ = marching_cubes(field, 0.0, gradient_direction="descent")
    job.step(0.85, tr("Drawing the voids"))
    drawn = Solid(vertices.astype(np.float64) * step + low, np.ascontiguousarray(triangles, np.int32))
    return _worth_while(drawn, least, _SIMPLER * step)


def _drop_narrow(depth: Floats32, level: float, deep: float, steps: int) -> None:
    """Fill, in the field, those parts of voids that are too narrow: what is not within some steps, inside a void, of
    a place of a certain depth. A mere gap within a wall saves nothing and can never be emptied.

    Parameters
    ----------
    level, deep : float, mm
    """
    from scipy import ndimage

    void = depth > level
    wide = ndimage.binary_dilation(depth > deep, iterations=steps, mask=void)
    depth[void & ~wide] = 0.0


def _worth_while(drawn: Solid, least: float, simpler: float) -> list[manifold3d.Manifold]:
    """The connected parts that are large enough, largest first. They are separated here, because the boolean library
    goes through everything once for each of what may be thousands of scraps.

    Parameters
    ----------
    least : float, mm3
    simpler : float, mm
        How far their walls may be off.
    """
    shells = shells_of(drawn)
    body = body_numbers(shells)
    amount = np.bincount(body, shells.volume)
    found = []
    for number in np.flatnonzero(amount >= least):
        one = drawn.picked(body[shells.of] == number)
        made = manifold3d.Manifold(manifold3d.Mesh64(np.array(one.vertices), one.triangles.astype(np.uint64)))
        if made.status() != manifold3d.Error.NoError:
            raise HollowFailed(
                tr("The voids could not be drawn ({name}).", name=made.status().name),
                remedy=tr("Try another fineness."),
            )
        found.append(made.simplify(simpler))
    return sorted(found, key=lambda one: -float(one.volume()))


def depths(
    solid: Solid, low: Floats, shape: Ints, step: float, limit: float, job: Job = QUIET
) -> Floats32:
    """How deep the nodes of a grid lie inside a closed solid: 0 outside, inf where it is much deeper than a limit.

    Parameters
    ----------
    low : (3,) float64, mm
        The first node.
    shape : (3,) int64
        The number of nodes along each axis.
    step : float, mm
        The distance between nodes.

    Returns
    -------
    (nx, ny, nz) float32, mm

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    nx, ny, nz = (int(count) for count in shape)
    job.step(0.0, tr("Finding the inside"))
    # a hair off the nodes, so that the edges of a boxy solid do not lie on them
    x0, y0 = low[0] - 0.5 * step + 1e-5 * step, low[1] - 0.5 * step + 1.7e-5 * step
    placed = column_kernels.to_grid(np.array(solid.vertices), x0, y0, step)
    columns = column_kernels.into_columns(*column_kernels.scan(placed, solid.triangles, nx, ny), nx * ny)
    inside = np.zeros((nx, ny, nz), np.bool_)
    depth_kernels.fill_inside(*columns, inside, low[2], step)
    job.step(0.1, tr("Measuring how deep it is"))
    corners = np.ascontiguousarray(solid.vertices[solid.triangles])
    depth = np.where(inside, np.float32(np.inf), np.float32(0.0))
    nearest = np.full((nx, ny, nz), -1, np.int32)
    depth_kernels.seed(corners, inside, np.asarray(low, float), step, depth, nearest)
    for number, way in enumerate(itertools.product((1, -1), repeat=3)):
        job.step(0.2 + 0.1 * number, tr("Measuring how deep it is"))
        depth_kernels.sweep(corners, inside, np.asarray(low, float), step, depth, nearest, limit, *way)
    return np.asarray(depth)


def least_wall(solid: Solid, voids: list[manifold3d.Manifold]) -> float:
    """The least distance from the walls of voids to the surface of the solid that they are in; inf without voids.

    Returns
    -------
    float, mm
    """
    import igl

    corners = [np.asarray(void.to_mesh64().vert_properties)[:, :3] for void in voids]
    if not corners:
        return float("inf")
    points = np.concatenate(corners)
    points = points[:: max(1, len(points) // _SAMPLED)]
    faces = np.ascontiguousarray(solid.triangles, np.int64)
    squared = igl.point_mesh_squared_distance(np.ascontiguousarray(points), np.array(solid.vertices), faces)[0]
    return float(np.sqrt(squared.min()))
