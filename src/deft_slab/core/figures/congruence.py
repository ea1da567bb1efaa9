"""Congruence: pieces of the same shape, and planes at which a model is mirror-symmetric."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from ..arrays import Floats, Ints
from ..mesh.solid import Solid, spread_points

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

TOLERANCE = 1e-3
"""Share of the diagonal by which the surfaces of two pieces of the same shape may differ anywhere: 0.1 mm of 100."""
_SIGNATURE = 0.01
"""Share by which the volume, area and moments of two such pieces may differ."""
_POINTS = 400
_SPREAD = 4_000
"""Points, spread by area, in which two surfaces are compared besides all their corners: whatever one has and the other
lacks has corners, but for the way that flat parts are folded."""
_AT_ONCE = 5_000
_TURNS = 24
"""Turns that are tried about an axis, where a piece has two or three equal moments."""
_MOST_MOTIONS = 16
"""Of one piece onto another, that are looked at on their whole surfaces."""
_SAME_PLANE = np.cos(np.radians(5.0))
_SYMMETRIC = 0.006
"""Share of the diagonal: a model whose mirror image is this near to it, in the root mean square, is symmetric."""


class _SurfaceDistances:
    """Exact distances to a surface."""

    def __init__(self, solid: Solid) -> None:
        import igl

        self._vertices, self._faces = np.array(solid.vertices), np.ascontiguousarray(solid.triangles, np.int64)
        self._tree = igl.AABB()
        self._tree.init(self._vertices, self._faces)

    def nearest(self, points: Floats) -> tuple[Floats, Floats, Ints]:
        """The nearest point of the surface to each of some points.

        Returns
        -------
        (n,) float64, (n, 3) float64, (n,) int64
            The distance in mm, the point, and the facet that it lies on.
        """
        squared, facets, places = self._tree.squared_distance(self._vertices, self._faces, np.ascontiguousarray(points))
        return np.sqrt(np.maximum(squared, 0.0)), places, np.asarray(facets, np.int64)

    def within(self, points: Floats, limit: float) -> bool:
        """Whether all points are within a limit of the surface. Points near a vertex are decided quickly."""
        points = points[self._corners.query(points, distance_upper_bound=limit)[0] > limit]
        return all(
            float(self.nearest(points[first : first + _AT_ONCE])[0].max()) <= limit
            for first in range(0, len(points), _AT_ONCE)
        )

    @cached_property
    def _corners(self) -> cKDTree:
        from scipy.spatial import cKDTree

        return cKDTree(self._vertices)


def surface_moments(solid: Solid) -> tuple[Floats, Floats]:
    """The centre and the covariance of a surface, weighted by area.

    Over a triangle with corners v_i and area A, the integral of x x^T is A / 12 (sum of v_i v_i^T + s s^T), where s
    is the sum of the v_i.

    Returns
    -------
    (3,) float64, (3, 3) float64, mm2
    """
    corners = solid.vertices[solid.triangles] - solid.bounds[0]
    total = corners.sum(axis=1)
    weight = solid.areas / solid.areas.sum()
    centre = weight @ total / 3
    second = np.einsum("f,fki,fkj->ij", weight, corners, corners) + np.einsum("f,fi,fj->ij", weight, total, total)
    return solid.bounds[0] + centre, second / 12 - np.outer(centre, centre)


@dataclass(frozen=True, eq=False)
class _Shape:
    solid: Solid
    signature: Floats
    axes: Floats
    moments: Floats
    centre: Floats

    @cached_property
    def points(self) -> Floats:
        return spread_points(self.solid, _POINTS)[0]

    @cached_property
    def all_over(self) -> Floats:
        """The vertices of the shape, and points spread over its surface.

        Returns
        -------
        (n, 3) float64
        """
        return np.concatenate([spread_points(self.solid, _SPREAD)[0], self.solid.vertices])

    @cached_property
    def surface(self) -> _SurfaceDistances:
        return _SurfaceDistances(self.solid)


def _shape(solid: Solid) -> _Shape:
    centre, covariance = surface_moments(solid)
    moments, axes = np.linalg.eigh(covariance)
    signature = np.concatenate([[solid.volume ** (1 / 3), np.sqrt(solid.areas.sum())], np.sqrt(np.maximum(moments, 0))])
    return _Shape(solid, np.maximum(signature, 1e-9), axes, moments, centre)


def same_shapes(solids: Sequence[Solid]) -> list[tuple[int, bool]]:
    """For each piece, the first piece of the same shape: equal under rotations and translations, or under those and
    a mirror, within ``TOLERANCE``.

    Returns
    -------
    list of (int, bool)
        The number of that piece, and whether the two are mirror images.
    """
    shapes = [_shape(solid) for solid in solids]
    found: list[tuple[int, bool]] = []
    for number, shape in enumerate(shapes):
        match = (number, False)
        for first in sorted({first for first, _ in found}):
            if np.abs(shape.signature / shapes[first].signature - 1.0).max() > _SIGNATURE:
                continue
            mirror = _congruent(shapes[first], shape)
            if mirror is not None:
                match = (first, mirror)
                break
        found.append(match)
    return found


def motions(
    a: Solid, b: Solid, asked: Callable[[Floats, Floats], tuple[float, ...] | None]
) -> Iterator[tuple[Floats, Floats]]:
    """The rigid motions, without a mirror, that take one piece to another of the same shape. There are several if
    the piece is symmetric.

    Parameters
    ----------
    asked
        Ranks a motion that is known only as far as the principal axes tell: smaller values come first, None
        rejects it.

    Yields
    ------
    (3, 3) float64, (3,) float64, mm
        Rotation and shift.
    """
    one, other = _shape(a), _shape(b)
    limit = TOLERANCE * a.diagonal
    brought = [(asked(turn, other.centre - turn @ one.centre), turn) for turn in _rotations(one, other, False)]
    wanted = [(key, _off(one, other, turn), turn) for key, turn in brought if key is not None]
    for _, _, start in sorted(wanted, key=lambda each: each[:2])[:_MOST_MOTIONS]:
        turn, shift = _fitted(one, other, start)
        if _near(one, other, turn, shift, limit):
            yield turn, shift


def _off(a: _Shape, b: _Shape, turn: Floats) -> float:
    """The mean distance between two surfaces once the first is rotated, in mm."""
    return float(b.surface.nearest((a.points - a.centre) @ turn.T + b.centre)[0].mean())


def _congruent(a: _Shape, b: _Shape) -> bool | None:
    """Whether the second shape is a mirror image of the first; None if they differ."""
    size, limit = float(np.sqrt(a.moments.sum())), TOLERANCE * a.solid.diagonal
    for mirror in (False, True):
        brought = [(rotation, (a.points - a.centre) @ rotation.T + b.centre) for rotation in _rotations(a, b, mirror)]
        likely = sorted(brought, key=lambda one: float(b.surface.nearest(one[1][:60])[0].mean()))[:4]
        for rotation, points in likely:
            if float(b.surface.nearest(points)[0].mean()) < 0.1 * size and _same_everywhere(a, b, rotation, limit):
                return mirror
    return None


def _same_everywhere(a: _Shape, b: _Shape, rotation: Floats, limit: float) -> bool:
    """Whether each shape is within a limit of the other everywhere, once the first is rotated and fitted to the
    second.

    Parameters
    ----------
    limit : float, mm
    """
    return _near(a, b, *_fitted(a, b, rotation), limit)


def _near(a: _Shape, b: _Shape, turn: Floats, shift: Floats, limit: float) -> bool:
    """Whether each shape is within a limit of the other everywhere, once the first is rotated and shifted.

    Parameters
    ----------
    limit : float, mm
    """
    if not b.surface.within(a.points @ turn.T + shift, limit):
        return False  # most that differ do so in some of the first few points
    there, back = a.all_over @ turn.T + shift, (b.all_over - shift) @ turn
    return b.surface.within(there, limit) and a.surface.within(back, limit)


def _rotations(a: _Shape, b: _Shape, mirror: bool) -> list[Floats]:
    """Rotations, with or without a mirror, that take the principal axes of one shape to those of the other."""
    wanted = -1.0 if mirror else 1.0
    found = []
    spread = np.sqrt(np.maximum(a.moments, 1e-12))
    turns = [np.eye(3)]
    for k in range(3):
        i, j = (n for n in range(3) if n != k)
        if abs(spread[i] / spread[j] - 1.0) < 0.03:
            for angle in np.arange(1, _TURNS) * 2 * np.pi / _TURNS:
                turn = np.eye(3)
                turn[[i, i, j, j], [i, j, i, j]] = np.cos(angle), -np.sin(angle), np.sin(angle), np.cos(angle)
                turns.append(turn)
    for signs in product((1.0, -1.0), repeat=3):
        for turn in turns:
            rotation = b.axes @ (np.diag(signs) @ turn) @ a.axes.T
            if np.sign(np.linalg.det(rotation)) == wanted:
                found.append(rotation)
    return found


def _fitted(a: _Shape, b: _Shape, rotation: Floats, rounds: int = 12) -> tuple[Floats, Floats]:
    """The rotation (possibly mirrored) and the shift that fit the first shape to the second.

    Iterated closest points by the distance to the planes of the nearest facets (Chen and Medioni 1992). This is exact
    to rounding within a few rounds; with the distance to points (Besl and McKay 1992) flat parts slide for hundreds
    of rounds.

    Returns
    -------
    (3, 3) float64, (3,) float64, mm
    """
    from scipy.spatial.transform import Rotation

    turn, shift = rotation, b.centre - rotation @ a.centre
    for _ in range(rounds):
        points = a.points @ turn.T + shift
        _, targets, facets = b.surface.nearest(points)
        normals = b.solid.normals[facets]
        off = np.einsum("ij,ij->i", targets - points, normals)
        about = points - b.centre
        small, *_ = np.linalg.lstsq(np.c_[np.cross(about, normals), normals], off, rcond=1e-6)
        step = Rotation.from_rotvec(small[:3]).as_matrix()
        turn, shift = step @ turn, step @ (shift - b.centre) + b.centre + small[3:]
        if np.abs(off).max() < 1e-9 * a.solid.diagonal:
            break
    return turn, shift


def symmetry_planes(solid: Solid) -> list[tuple[Floats, float]]:
    """Planes at which a model is mirror-symmetric, the best first; empty if there are none. Of a body that is round
    about an axis, some of its many planes.

    Returns
    -------
    list of ((3,) float64, float)
        The unit normal and the offset in mm.
    """
    from scipy.optimize import minimize

    points, _ = spread_points(solid, 2 * _POINTS)
    surface = _SurfaceDistances(solid)
    middle, covariance = surface_moments(solid)
    _, axes = np.linalg.eigh(covariance)

    def off(values: Floats) -> float:
        normal = _facing(values)
        along = (points - middle) @ normal - values[2]
        distance, *_ = surface.nearest(points - 2 * along[:, None] * normal)
        return float(np.sqrt(np.mean(distance**2)))

    limit = _SYMMETRIC * solid.diagonal
    found: list[tuple[float, Floats, float]] = []
    scale = np.array([0.03, 0.03, 0.01 * solid.diagonal])
    for start in (*axes.T, *np.eye(3)):
        best = np.array([np.arccos(np.clip(start[2], -1, 1)), np.arctan2(start[1], start[0]), 0.0])
        known = any(abs(float(normal @ start)) > _SAME_PLANE for _, normal, _ in found)
        if known or off(best) > 4 * limit:
            continue
        fitted = minimize(lambda v, best=best: off(best + v * scale), np.zeros(3), method="Nelder-Mead",
                          options={"maxiter": 200, "xatol": 1e-4, "fatol": 1e-5})
        values = best + fitted.x * scale
        normal = _facing(values)
        if off(values) <= limit and all(abs(float(normal @ other)) <= _SAME_PLANE for _, other, _ in found):
            if normal[int(np.argmax(np.abs(normal)))] < 0:
                normal, values[2] = -normal, -values[2]
            found.append((off(values), normal, float(normal @ middle + values[2])))
    return [(normal, offset) for _, normal, offset in sorted(found, key=lambda one: one[0])]


def _facing(values: Floats) -> Floats:
    """The unit vector (3,) at one angle from +Z and another about it."""
    sine = np.sin(values[0])
    return np.array([sine * np.cos(values[1]), sine * np.sin(values[1]), np.cos(values[0])])
