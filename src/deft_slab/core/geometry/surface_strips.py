"""Strips that lie on a surface along a line: everything between two distances from the surface, near the line.

A level set: distances on a grid in a narrow band along the line, then marching cubes, and then every vertex is moved
to its exact distance.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d
import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra
from scipy.spatial import cKDTree
from skimage.measure import marching_cubes

from ..arrays import AnyInts, Bools, Floats, Floats32, Ints
from ..errors import CutFailed, JoinFailed
from ..locale.translate import tr
from ..mesh.adjacency import shared_edges
from ..mesh.solid import Solid
from .smooth_sheets import closed_body

_CELLS = 3.0
"""Cells of the grid over the thickness of a strip."""
_MOST_CELLS = 24_000_000
_ALIKE = 1e-4
"""mm: corners of two pieces that are this near to each other are one, so that walls go on across a seam."""
_ON_LINE = 0.12
"""mm from a line within which a facet begins at it."""
_FRAGMENT = 0.04
"""Share of a strip that a part of it may have and still be dropped."""
_PLAIN = 0.004
"""mm by which a strip may be made plainer."""
_NEAR_GAP = 0.01
"""mm by which a strip may be nearer to the surface than it is to be."""
_FLAT = 1e-6
"""mm by which a line may be off its plane and still lie in it."""
_ROUNDS = 2


@dataclass(frozen=True, eq=False)
class Band:
    """The measures of a strip, in mm, in a frame whose third axis goes across it.

    Attributes
    ----------
    lines : list of (k, 3) float64
        The middle lines of the strip, on the surface.
    others : list[Floats]
        Lines where the other side of the wall begins.
    ends : (k, 3) float64
        Places that the strip keeps a distance ``end`` from.
    gap, thickness : float
        The distance from the surface to the strip, and the thickness of the strip.
    width : float
        Its width along the third axis.
    parts : int
        How many parts each line is divided into, ``between`` apart.
    round : bool
        Whether it is everything within half its width of the lines, in all directions.
    """

    lines: list[Floats]
    others: list[Floats]
    ends: Floats
    gap: float
    thickness: float
    width: float
    end: float = 0.0
    parts: int = 1
    between: float = 0.0
    round: bool = False


def strip_on(skin: Solid, frame: Floats, band: Band) -> list[manifold3d.Manifold]:
    """The parts of a strip in the model's frame, largest first.

    Parameters
    ----------
    skin : Solid
        The surface that it lies on, open where that is cut.
    frame : (3, 3) float64
        Rows of the frame of ``band``.

    Raises
    ------
    JoinFailed
        Nothing of the strip is left.
    """
    turned = Solid(skin.vertices @ frame.T, skin.triangles)
    step = band.thickness / _CELLS
    level = _level(band.lines)
    if level is not None and not band.round:
        # its edges are cut flat afterwards
        wider = _body(turned, replace(band, width=band.width + 4 * step), step)
        return _placed(_trimmed(wider, level, band.width), frame, band.parts)
    return _placed(_body(turned, band, step), frame, band.parts)


def _level(lines: list[Floats]) -> float | None:
    """The level, in mm along the third axis, at which flat lines lie; None if they are not flat."""
    heights = np.concatenate(lines)[:, 2]
    return float(heights.mean()) if np.ptp(heights) < _FLAT else None


def _trimmed(body: manifold3d.Manifold, level: float, width: float) -> manifold3d.Manifold:
    """A body trimmed to half a width above and below a level."""
    return body.trim_by_plane((0, 0, 1), level - width / 2).trim_by_plane((0, 0, -1), -level - width / 2)


def _placed(body: manifold3d.Manifold, frame: Floats, parts: int) -> list[manifold3d.Manifold]:
    """The parts of a body in the model's frame, largest first, without fragments.

    Raises
    ------
    JoinFailed
        Nothing is left.
    """
    pieces = sorted(body.simplify(_PLAIN).decompose(), key=lambda one: -one.volume())
    whole = sum(one.volume() for one in pieces)
    if whole <= 0:
        raise JoinFailed(tr("Nothing of this strip is left."))
    back = np.hstack([frame.T, np.zeros((3, 1))])
    return [one.transform(back) for one in pieces if one.volume() > _FRAGMENT * whole / parts]


def _body(turned: Solid, band: Band, step: float) -> manifold3d.Manifold:
    """A strip in the frame of its band, made on a grid with so many mm between nodes.

    Raises
    ------
    JoinFailed
        It does not close.
    """
    reach = band.width / 2 if band.round else 1.25 * float(np.hypot(band.width / 2, band.gap + band.thickness))
    lines = [evenly(line, 0.5 * step) for line in band.lines]
    surface = _NearFacets.near(turned, np.concatenate(lines), band.others, reach + 2 * step)
    grid = _Grid.around(np.concatenate(lines), reach + 2 * step, step)
    field = _field(surface, grid, lines, band, reach)
    if not (field < 0).any():
        raise JoinFailed(tr("Nothing of this strip is left, because there is no surface for it to lie on."))
    vertices, triangles, _, _ = marching_cubes(field, 0.0, gradient_direction="descent")
    vertices = grid.low + grid.step * vertices.astype(np.float64)
    body = _closed(surface.settled(vertices, band, step), triangles)
    for _ in range(_ROUNDS):
        if surface.nearest_to(body) > band.gap - _NEAR_GAP:
            break
        # facets across a sharp ridge of the surface cut it short: their middles get corners of their own
        mesh = body.refine(2).to_mesh64()
        corners = surface.settled(np.asarray(mesh.vert_properties)[:, :3], band, step)
        body = _closed(corners, np.array(mesh.tri_verts))
    return body


@dataclass(frozen=True, eq=False)
class _NearFacets:
    """The facets near a line, in the frame of the band.

    Attributes
    ----------
    wanted : (m,) bool
        Which of them lie on the wanted side of the wall.
    """

    vertices: Floats
    triangles: Ints
    wanted: Bools

    @classmethod
    def near(cls, skin: Solid, line: Floats, others: list[Floats], reach: float) -> _NearFacets:
        """The facets of a whole surface that lie near a line. A facet is on the side whose line is nearer to it
        along the surface.
        """
        import igl

        corners = skin.vertices[skin.triangles]
        middles = corners.mean(axis=1)
        size = np.linalg.norm(corners - middles[:, None], axis=2).max(axis=1)
        tree = cKDTree(line)
        close = tree.query(middles)[0] < reach + size
        used, triangles = np.unique(skin.triangles[close], return_inverse=True)
        welded, alike = np.unique(np.round(skin.vertices[used] / _ALIKE), axis=0, return_inverse=True)
        triangles = alike.reshape(-1)[triangles.reshape(-1, 3)].astype(np.int64)
        proper = (triangles[:, 0] != triangles[:, 1]) & (triangles[:, 1] != triangles[:, 2])
        proper &= triangles[:, 2] != triangles[:, 0]
        triangles, vertices = triangles[proper], welded * _ALIKE
        if not len(triangles):
            raise JoinFailed(tr("There is no surface along this contact."))
        part = Solid(vertices, triangles)
        far = [cKDTree(evenly(one, _ON_LINE)) for one in others if len(one) > 1]
        there = np.any([_begins(one, part) for one in far], axis=0) if far else np.zeros(len(triangles), bool)
        here = _begins(tree, part) & ~there
        _, under, _ = igl.point_mesh_squared_distance(np.ascontiguousarray(line), vertices, triangles)
        here[under] = True
        there &= ~here
        pairs, _ = shared_edges(part)
        lengths = np.linalg.norm(part.centroids[pairs[:, 0]] - part.centroids[pairs[:, 1]], axis=1) + 1e-9
        ways = csr_matrix((lengths, (pairs[:, 0], pairs[:, 1])), shape=(len(triangles),) * 2)
        starts = np.flatnonzero(here | there)
        _, _, source = dijkstra(ways, directed=False, indices=starts, min_only=True, return_predecessors=True)
        return cls(vertices, triangles, np.where(source >= 0, here[np.maximum(source, 0)], False))

    def signed(self, points: Floats) -> tuple[Floats, Bools, Floats]:
        """The distance of points from the surface.

        Returns
        -------
        (k,) float64, (k,) bool, (k, 3) float64
            mm outside the surface, negative inside; whether the wanted side is nearest; and the nearest point, in
            mm.
        """
        import igl

        kind = igl.SignedDistanceType.SIGNED_DISTANCE_TYPE_PSEUDONORMAL
        away, facet, nearest, _ = igl.signed_distance(points, self.vertices, self.triangles, kind)
        return away, self.wanted[facet], nearest

    def settled(self, corners: Floats, band: Band, step: float) -> Floats:
        """The vertices of a strip, with those of its inner and outer face moved to their exact distances."""
        away, _, nearest = self.signed(np.ascontiguousarray(corners))
        inner, outer = (np.abs(away - at) < 0.6 * step for at in (band.gap, band.gap + band.thickness))
        wish = np.where(inner, band.gap, np.where(outer, band.gap + band.thickness, away))
        scale = np.where((inner | outer) & (away > 0.2 * band.gap), wish / np.maximum(away, 1e-9), 1.0)
        return np.asarray(nearest + (corners - nearest) * scale[:, None])

    def nearest_to(self, body: manifold3d.Manifold) -> float:
        """The distance from the surface to the nearest facet centre of a body, in mm."""
        import igl

        mesh = body.to_mesh64()
        corners = np.asarray(mesh.vert_properties)[:, :3][np.asarray(mesh.tri_verts).astype(np.int64)]
        squared, _, _ = igl.point_mesh_squared_distance(
            np.ascontiguousarray(corners.mean(axis=1)), self.vertices, self.triangles
        )
        return float(np.sqrt(squared.min()))


@dataclass(frozen=True, eq=False)
class _Grid:
    """A grid near a line, of which only some nodes are evaluated.

    Attributes
    ----------
    low : (3,) float64, mm
        Its first node.
    step : float, mm
        The distance between nodes.
    nodes : (k,) int64
        The numbers of the nodes that are evaluated.
    """

    low: Floats
    step: float
    shape: tuple[int, int, int]
    nodes: Ints

    @classmethod
    def around(cls, line: Floats, reach: float, step: float) -> _Grid:
        """A grid with the nodes within reach of a line, and a few more."""
        low = line.min(axis=0) - reach - 2 * step
        x, y, z = (int(n) for n in np.ceil((line.max(axis=0) + reach + 2 * step - low) / step).astype(int) + 1)
        if x * y * z > _MOST_CELLS:
            raise JoinFailed(tr("This strip is too long for its thickness."), remedy=tr("Make it thicker."))
        wanted = np.zeros((x, y, z), bool)
        # in cubes around the line, then by what is left of it
        half = int(np.ceil(reach / step)) + 1
        apart = max(half // 3, 1)
        for place in np.unique(np.rint((line - low) / step).astype(int) // apart, axis=0) * apart:
            i, j, k = np.maximum(place - half, 0)
            wanted[i : place[0] + half + apart, j : place[1] + half + apart, k : place[2] + half + apart] = True
        return cls(low, step, (x, y, z), np.flatnonzero(wanted))

    def places(self, nodes: Ints) -> Floats:
        """The places of nodes.

        Returns
        -------
        (k, 3) float64, mm
        """
        return self.low + self.step * np.stack(np.unravel_index(nodes, self.shape), axis=1)


def _field(
    surface: _NearFacets, grid: _Grid, lines: list[Floats], band: Band, reach: float
) -> Floats32:
    """The distance of each node from the strip, negative inside.

    Returns
    -------
    (x, y, z) float32, mm
    """
    places = grid.places(grid.nodes)
    line = np.concatenate(lines)
    off, near = cKDTree(line).query(places, distance_upper_bound=reach + grid.step)
    some = np.isfinite(off)
    nodes, places, off, near = grid.nodes[some], places[some], off[some], near[some]
    outside = off - reach
    if not band.round:
        outside = np.maximum(outside, np.abs(places[:, 2] - line[near, 2]) - band.width / 2)
    if band.end > 0 and len(band.ends):
        outside = np.maximum(outside, band.end - cKDTree(band.ends).query(places)[0])
    if band.parts > 1:
        along, breaks = _breaks(lines, band.parts)
        outside = np.maximum(outside, band.between / 2 - np.abs(along[near][:, None] - breaks[None]).min(axis=1))
    inside = outside < grid.step
    away, wanted, _ = surface.signed(np.ascontiguousarray(places[inside]))
    layer = np.maximum(band.gap - away, away - band.gap - band.thickness)
    outside[inside] = np.maximum(outside[inside], np.where(wanted, layer, np.maximum(layer, grid.step)))
    field = np.full(int(np.prod(grid.shape)), grid.step, np.float32)
    field[nodes] = outside
    return field.reshape(grid.shape)


def _breaks(lines: list[Floats], parts: int) -> tuple[Floats, Floats]:
    """Where along the lines each of their points lies, and where the lines are divided, in mm, one line after the
    other.
    """
    along, breaks, start = [], list[float](), 0.0
    for line in lines:
        lengths = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))]
        along.append(start + lengths)
        closed = bool(np.allclose(line[0], line[-1], atol=1.0))
        breaks += [start + lengths[-1] * n / parts for n in range(0 if closed else 1, parts + (1 if closed else 0))]
        start += float(lengths[-1]) + 1e3
    return np.concatenate(along), np.array(breaks)


def _begins(line: cKDTree, part: Solid) -> Bools:
    """Which facets begin at a line.

    Returns
    -------
    (m,) bool
    """
    return np.asarray((line.query(part.vertices)[0] < _ON_LINE)[part.triangles].any(axis=1))


def evenly(line: Floats, step: float) -> Floats:
    """Points along a line, no farther apart than a step.

    Returns
    -------
    (k, 3) float64
    """
    lengths = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))]
    at = np.union1d(lengths, np.linspace(0.0, lengths[-1], max(int(np.ceil(lengths[-1] / step)), 1) + 1))
    return np.stack([np.interp(at, lengths, line[:, k]) for k in range(3)], axis=1)


def _closed(vertices: Floats, triangles: AnyInts) -> manifold3d.Manifold:
    """A body of the boolean library.

    Raises
    ------
    JoinFailed
        The surface is not closed.
    """
    try:
        return closed_body(vertices, np.array(triangles), tr("This strip could not be made, because its surface "
                                                             "does not close."))
    except CutFailed as error:
        raise JoinFailed(error.what, remedy=tr("Make it thicker or narrower.")) from error
