"""The smooth face under a patch of the surface: the zero level of a harmonic field.

On a grid, nodes near the patch are held at +1 and nodes near the rest of the surface at -1, with a ramp of one cell
on either side of the border. Between them Laplace's equation is solved (the Dirichlet problem; any textbook on
potential theory). What lies above the level is the body under the patch. This needs no loop to span and no sheet that
could run into another limb, and it works with any number of borders.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import manifold3d
import numpy as np
from scipy.ndimage import distance_transform_edt, label, maximum_filter
from scipy.spatial import cKDTree
from skimage.measure import marching_cubes

from ..arrays import Bools, Floats, Floats32, Ints
from ..document.marks import Stroke
from ..errors import CutFailed
from ..locale.translate import tr
from ..mesh.solid import Solid
from .bodies import within
from .smooth_sheets import closed_body

LEAST_NODES, NODES, NODES_EACH = 80_000, 700_000, 16
"""Of the grid, at least and at most, and for each triangle of the surface: a draft mesh needs none finer than
itself."""
_MARGIN = 0.8
"""Of the longest side of the patch: the room around it that is looked at; the face goes a third of that deep."""
_PAD = 3
"""Nodes beyond the surface, so that the body ends outside of it."""
_COARSEST = 12
"""Nodes along the longest side of the coarsest grid that it is first solved on."""
_OVER, _ROUNDS, _ENOUGH = 1.85, 80, 1e-3
_OFF = 1e-3
"""Values are kept so far off the level, or facets without area come out."""
_FULL, _NEARLY = 0.7, 0.95
"""Magnitudes of the field from which a flat middle bends it less, and not at all: there is the surface."""


@dataclass(frozen=True, eq=False)
class Harmonic:
    """A harmonic field around a patch.

    Attributes
    ----------
    field : (a, b, c) float32
        Its values at the nodes of a grid.
    low : (3,) float64, mm
        The first node.
    step : float, mm
        The distance between nodes.
    bordering : (a, b, c) bool
        Which nodes the border of the patch passes.
    """

    field: Floats32
    low: Floats
    step: float
    bordering: Bools

    def body(self, level: float, name: str) -> manifold3d.Manifold:
        """The body where the field is above a level.

        Parameters
        ----------
        name : str
            The name of the cut, for the error message.

        Raises
        ------
        CutFailed
            The body does not close.
        """
        return _drawn(self.field - np.float32(level), self.low, self.step, name)

    def flattened(self, solid: Solid, share: float, level: float) -> Harmonic:
        """The field with each of its faces at a level made flat in the middle, as far as they lie in the solid.

        Parameters
        ----------
        share : float
            How much of the way from the middle to the border becomes flat, 0 to 1.
        """
        field = self.field - np.float32(level)
        at = _face_nodes(field)
        at = at[within(solid, self.low + at * self.step)]
        on_face = np.zeros(field.shape, np.bool_)
        on_face[tuple(at.T)] = True
        numbers, count = label(on_face, np.ones((3, 3, 3)))
        away = distance_transform_edt(~self.bordering, sampling=self.step).astype(np.float32)
        nearest = distance_transform_edt(~on_face, return_distances=False, return_indices=True)
        of, flat = numbers[tuple(nearest)], field.copy()
        for number in range(1, count + 1):
            own = at[numbers[tuple(at.T)] == number]
            # the middle is judged by most of the face: one stray node is no middle
            most = float(np.quantile(away[tuple(own.T)], 0.98))
            if most > 2 * self.step:
                mine = of == number
                eased = _eased(away[mine] / max((1.0 - share) * most, 1e-9))
                eased *= 1.0 - _eased((np.abs(self.field[mine]) - _FULL) / (_NEARLY - _FULL))
                height = _height(field, own, away, (1.0 - share) * most, np.argwhere(mine))
                plane = np.clip(height * self.step / most, -1.0, 1.0)
                flat[mine] += (eased * (plane - field[mine])).astype(np.float32)
        return Harmonic(flat + np.float32(level), self.low, self.step, self.bordering)


def _height(field: Floats32, face: Ints, away: Floats32, inner: float, at: Ints) -> Floats:
    """How many nodes a place lies above the plane through the middle of a face, on the side where the field rises.

    Parameters
    ----------
    face : (k, 3) int64
        The nodes of the face.
    away : (k,) float32, mm
        The distance of each from the border.
    inner : float, mm
        The distance from the border from which on a node belongs to the middle.
    at : (n, 3) int64
        The nodes to measure.

    Returns
    -------
    (n,) float64
    """
    depth = away[tuple(face.T)]
    middle = depth >= min(inner, 0.95 * float(depth.max()))
    points, weight = face[middle].astype(float), depth[middle].astype(float)
    centre = np.average(points, axis=0, weights=weight)
    spread = (points - centre) * np.sqrt(weight)[:, None]
    normal = np.linalg.eigh(spread.T @ spread)[1][:, 0]
    ahead, behind = (field[tuple(np.clip(face + side, 0, np.array(field.shape) - 1).T)]
                     for side in (np.rint(2 * normal).astype(int), -np.rint(2 * normal).astype(int)))
    return np.asarray((at - centre) @ (normal if float((ahead - behind).sum()) >= 0 else -normal))


class MarkedPatch(Protocol):
    """A part of a surface that a harmonic face can be put under.

    Attributes
    ----------
    solid : Solid
        The solid whose surface it is.
    """

    @property
    def solid(self) -> Solid: ...

    def box(self) -> Floats:
        """A box that contains the patch; inverted if the patch is empty.

        Returns
        -------
        (2, 3) float64, mm
        """

    def samples(self, box: Floats, spacing: float) -> tuple[Floats, Floats, Bools]:
        """Points spread over the surface within a box.

        Parameters
        ----------
        spacing : float, mm
            The distance between points.

        Returns
        -------
        (n, 3) float64, (n,) float64, (n,) bool
            The points, the area around each in mm2, and whether it belongs to the patch.
        """


@dataclass(frozen=True, eq=False)
class StrokePatch:
    """The part of a surface that strokes mark.

    Attributes
    ----------
    taken : tuple[Bools, ...]
        For each stroke, the facets (m,) that it covers.
    """

    solid: Solid
    strokes: tuple[Stroke, ...]
    taken: tuple[Bools, ...]

    def box(self) -> Floats:
        """A box that contains the patch; inverted if the patch is empty.

        Returns
        -------
        (2, 3) float64, mm
        """
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for stroke, facets in zip(self.strokes, self.taken, strict=True):
            if stroke.erase:
                continue
            if stroke.shape in ("brush", "ball", "box"):
                reach = stroke.reach if stroke.shape == "brush" else np.array(stroke.half)
                places = np.array(stroke.places if stroke.shape == "brush" else stroke.places[:1])
                ends = [places.min(axis=0) - reach, places.max(axis=0) + reach]
            elif facets.any():
                corners = self.solid.vertices[self.solid.triangles[facets]].reshape(-1, 3)
                ends = [corners.min(axis=0), corners.max(axis=0)]
            else:
                continue
            low, high = np.minimum(low, ends[0]), np.maximum(high, ends[1])
        return np.stack([np.maximum(low, self.solid.bounds[0]), np.minimum(high, self.solid.bounds[1])])

    def samples(self, box: Floats, spacing: float) -> tuple[Floats, Floats, Bools]:
        """Points spread over the surface within a box. Large facets can be marked in part.

        Parameters
        ----------
        spacing : float, mm
            The distance between points.

        Returns
        -------
        (n, 3) float64, (n,) float64, (n,) bool
            The points, the area around each in mm2, and whether it belongs to the patch.
        """
        points, facet, area = spread_in(self.solid, box, spacing)
        marked = np.zeros(len(points), np.bool_)
        for stroke, taken in zip(self.strokes, self.taken, strict=True):
            marked[stroke.covers(points, self.solid.normals[facet], taken[facet])] = not stroke.erase
        return points, area, marked


def spread_in(solid: Solid, box: Floats, spacing: float) -> tuple[Floats, Ints, Floats]:
    """Points spread over the surface within a box.

    Parameters
    ----------
    spacing : float, mm
        The distance between points.

    Returns
    -------
    (n, 3) float64, (n,) int64, (n,) float64
        The points, their facets, and the area around each in mm2.
    """
    from .harmonic_kernels import spread_over

    corners = solid.vertices[solid.triangles]
    # a corner at a time: the library is slow along an axis of three
    lowest = np.minimum(np.minimum(corners[:, 0], corners[:, 1]), corners[:, 2])
    highest = np.maximum(np.maximum(corners[:, 0], corners[:, 1]), corners[:, 2])
    near = np.flatnonzero(((highest >= box[0]) & (lowest <= box[1])).all(axis=1))
    points, of, area = spread_over(np.ascontiguousarray(corners[near]), spacing)
    return points, near[of], area


def patch_body(patch: MarkedPatch, depth: float, flat: float, grow: float, name: str) -> manifold3d.Manifold | None:
    """The body under a patch of a surface, reaching out of the surface there. None if the patch is empty, or covers
    everything.

    Parameters
    ----------
    depth : float
        Where the face lies between the patch (-1) and the surface behind it (1).
    flat : float
        How much of the face is flat, 0 to 1.
    grow : float, mm
        By how much the face lies farther out.
    name : str
        The name of the cut, for the error message.

    Raises
    ------
    CutFailed
        The face cannot be drawn.
    """
    solid = patch.solid
    found = harmonic(patch, int(np.clip(NODES_EACH * len(solid.triangles), LEAST_NODES, NODES)))
    if found is None:
        return None
    if flat > 0:
        found = found.flattened(solid, flat, -depth)
    body = found.body(-depth, name)
    return body if grow == 0 else _grown(body, grow, found.step, name)


def harmonic(patch: MarkedPatch, nodes: int) -> Harmonic | None:
    """The field around a patch, on a grid of about so many nodes. None if the patch is empty, or covers everything."""
    solid = patch.solid
    low, high = patch.box()
    if np.any(high < low):
        return None
    margin = _MARGIN * float((high - low).max())
    low, high = np.maximum(low - margin, solid.bounds[0]), np.minimum(high + margin, solid.bounds[1])
    step = float(np.prod(np.maximum(high - low, 0.02 * solid.diagonal)) / nodes) ** (1 / 3)
    low = low - _PAD * step
    counts = np.ceil((high - low) / step).astype(int) + 1 + _PAD
    field, held, bordering = _held(patch, low, step, counts)
    if not (held & (field > 0)).any() or not (field < 0).any():
        return None
    _solve(field, held)
    return Harmonic(field, low, step, bordering)


def _held(patch: MarkedPatch, low: Floats, step: float, counts: Ints) -> tuple[Floats32, Bools, Bools]:
    """The boundary conditions, from the surface near each node.

    Returns
    -------
    float32, bool, bool arrays
        The values at the nodes, where they are held, and where the border passes.
    """
    box = np.stack([low - step, low + step * counts])
    points, area, marked = patch.samples(box, step / 2)
    node = np.rint((points - low) / step).astype(np.int64)
    inside = ((node >= 0) & (node < counts)).all(axis=1)
    points, area, marked = points[inside], area[inside], marked[inside]
    number = np.ravel_multi_index(tuple(node[inside].T), tuple(counts))
    size = int(counts.prod())
    either = [np.bincount(number[marked == side], minlength=size).reshape(counts) > 0 for side in (True, False)]
    held = either[0] | either[1]
    bordering = held & maximum_filter(either[0], 3) & maximum_filter(either[1], 3)
    value = np.ones(len(points))
    beside = bordering.ravel()[number]
    for side in (True, False):
        own, others = beside & (marked == side), points[beside & (marked != side)]
        if own.any() and len(others):
            # a point of the other side lies half a distance between points beyond the border
            away = cKDTree(others).query(points[own], distance_upper_bound=1.25 * step)[0]
            value[own] = np.clip(away / step - 0.25, 0.0, 1.0)
    # by area, or a border beside fine facets would be drawn to their side
    total = np.bincount(number, np.where(marked, value, -value) * area, size)
    amount = np.bincount(number, area, size)
    field = (total / np.maximum(amount, 1e-300)).reshape(counts)
    return field.astype(np.float32), held, bordering


def _solve(field: Floats32, held: Bools) -> None:
    """Fill in the values that are not held: first on coarse grids, each of which gives the start for the next finer
    one.
    """
    from .harmonic_kernels import relaxed

    if max(field.shape) > _COARSEST:
        coarse, coarse_held = _halved(field, held)
        _solve(coarse, coarse_held)
        finer_start = coarse.repeat(2, 0).repeat(2, 1).repeat(2, 2)[tuple(slice(n) for n in field.shape)]
        field[~held] = finer_start[~held]
    else:
        field[~held] = field[held].mean() if held.any() else 0.0
    relaxed(field, held, _ROUNDS, _OVER, _ENOUGH)


def _halved(field: Floats32, held: Bools) -> tuple[Floats32, Bools]:
    """A grid with half as many nodes along each axis. A node is held if any of its eight is, at their mean."""
    even = [(0, n % 2) for n in field.shape]
    shape = [value for n in field.shape for value in ((n + 1) // 2, 2)]
    total = np.pad(np.where(held, field, 0.0), even).reshape(shape).sum(axis=(1, 3, 5))
    count = np.pad(held, even).reshape(shape).sum(axis=(1, 3, 5))
    return (total / np.maximum(count, 1)).astype(np.float32), count > 0


def _face_nodes(field: Floats32) -> Ints:
    """The nodes that have a neighbour along some axis on the other side of zero.

    Returns
    -------
    (k, 3) int64
    """
    above = field > 0
    found = np.zeros(field.shape, np.bool_)
    for axis in range(3):
        ahead = [slice(None)] * 3
        behind = [slice(None)] * 3
        ahead[axis], behind[axis] = slice(1, None), slice(None, -1)
        found[tuple(behind)] |= above[tuple(ahead)] != above[tuple(behind)]
    # nodes on the surface itself are no face
    return np.argwhere(found & (np.abs(field) < _FULL))


def _eased(x: Floats) -> Floats:
    """A curve from 0 at 0 to 1 at 1 without a kink at either end."""
    x = np.clip(x, 0.0, 1.0)
    return np.asarray(x * x * (3.0 - 2.0 * x))


def _drawn(field: Floats32, low: Floats, step: float, name: str) -> manifold3d.Manifold:
    """The body where a field is above 0, closed at the borders of the grid."""
    closed = np.pad(np.where(np.abs(field) < _OFF, np.float32(_OFF), field), 1, constant_values=-1.0)
    if closed.max() <= 0:
        raise CutFailed(
            tr("“{name}” takes nothing.", name=name), remedy=tr("Mark more of the surface, or make its face deeper.")
        )
    vertices, triangles, _, _ = marching_cubes(closed, 0.0, gradient_direction="ascent")
    # not simplified: what is may fold into itself a little, and then volume is lost
    return closed_body(
        (vertices - 1.0) * step + low, triangles, tr("The face of “{name}” could not be made.", name=name)
    )


def _grown(body: manifold3d.Manifold, grow: float, step: float, name: str) -> manifold3d.Manifold:
    """A body with its face moved outward, by a signed distance on a grid."""
    import igl

    mesh = body.to_mesh64()
    vertices = np.ascontiguousarray(np.asarray(mesh.vert_properties)[:, :3])
    triangles = np.ascontiguousarray(mesh.tri_verts, np.int64)
    low = vertices.min(axis=0) - max(grow, 0.0) - 2 * step
    counts = np.ceil((vertices.max(axis=0) + max(grow, 0.0) + 2 * step - low) / step).astype(int) + 1
    at = np.stack(np.meshgrid(*(np.arange(n) for n in counts), indexing="ij"), axis=-1).reshape(-1, 3)
    squared = igl.point_mesh_squared_distance(low + at * step, vertices, triangles)[0]
    outside = igl.fast_winding_number(vertices, triangles, low + at * step) < 0.5
    away = np.sqrt(squared).reshape(counts) * np.where(outside, 1.0, -1.0).reshape(counts)
    return _drawn(((grow - away) / step).astype(np.float32), low, step, name)
