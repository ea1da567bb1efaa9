"""Cutters: closed bodies that have the face of a cut on their surface, one function for each kind of cut.

What lies in the body is the side +1 of the cut. Each body can be made a little larger or smaller: that is how a kerf is
cut, and how the reach of a cut goes with it.
"""

from __future__ import annotations

from collections.abc import Callable

import igl
import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray
from skimage.measure import marching_cubes

from ..curves import frame_of
from ..cutting import (
    BentCut,
    BoxCut,
    BoxReach,
    Cut,
    LiftOffCut,
    OutlineReach,
    PieceReach,
    Reach,
    RegionReach,
    ScoopCut,
    StraightCut,
)
from ..errors import CutFailed
from ..marking import Region
from ..solid import Solid
from ..tilt import Tilt
from .bent import closed_body, sheet_body

Floats = NDArray[np.float64]
Picked = Callable[[Region], NDArray[np.bool_]]
"""Gives (m,) the facets of the solid that is cut which a region takes."""

_ROUND = 96
"""Segments around a ball."""
_CELLS_ACROSS = 3
"""Cells of the grid in the margin around a region."""
_MOST_CELLS = 96


def cutter(solid: Solid, cut: Cut, picked: Picked, grow: float) -> manifold3d.Manifold:
    """The body whose inside is the side +1 of a cut, ``grow`` mm larger all round.

    Raises
    ------
    CutFailed : it cannot be made.
    """
    match cut:
        case StraightCut():
            return half_space(solid, np.array(cut.normal), cut.offset - grow)
        case BoxCut():
            return _box(cut.centre, cut.half, cut.turn, grow)
        case BentCut():
            return sheet_body(cut, solid.vertices, grow)
        case ScoopCut():
            return _scoop(solid, cut, picked, grow)
        case LiftOffCut():
            return _lift_off(solid, cut, picked, grow)
    raise CutFailed(f"“{cut.name}” has no body.")


def half_space(solid: Solid, normal: Floats, offset: float) -> manifold3d.Manifold:
    """All of the solid's surroundings that the normal points to, from a plane on."""
    size = 4.0 * solid.diagonal + 4.0
    middle = solid.bounds.mean(axis=0)
    on_plane = middle + (offset - float(normal @ middle)) * normal
    frame = frame_of(normal)
    block = manifold3d.Manifold.cube((size, size, size + abs(offset - float(normal @ middle))), False)
    return _placed(block.translate((-size / 2, -size / 2, 0.0)), frame.T, on_plane)


def _placed(body: manifold3d.Manifold, rotation: Floats, shift: Floats) -> manifold3d.Manifold:
    return body.transform(np.c_[rotation, shift])


def _grown(half: tuple[float, float, float], grow: float, name: str) -> Floats:
    size = np.array(half) + grow
    if size.min() <= 0:
        raise CutFailed(f"The kerf leaves nothing of {name}.", remedy="Make the kerf smaller.")
    return size


def _box(
    centre: tuple[float, float, float], half: tuple[float, float, float], turn: Tilt, grow: float
) -> manifold3d.Manifold:
    body = manifold3d.Manifold.cube(tuple(2 * _grown(half, grow, "the box")), True)
    return _placed(body, turn.rotation.T, np.array(centre))


def _scoop(solid: Solid, cut: ScoopCut, picked: Picked, grow: float) -> manifold3d.Manifold:
    if cut.shape == "region":
        assert cut.region is not None
        return _around(solid, picked(cut.region), cut.margin + grow, cut.name)
    half = _grown(cut.half, grow, "the scoop")
    if cut.shape == "ball":
        body = manifold3d.Manifold.sphere(1.0, _ROUND).scale(tuple(half))
    else:
        end = float(min(half))
        straight = float(half[2]) - end
        turn = np.linspace(-np.pi / 2, np.pi / 2, _ROUND // 2 + 1)
        below, above = turn[turn <= 1e-9], turn[turn >= -1e-9]
        profile = np.concatenate([
            np.c_[np.cos(below), end * np.sin(below) - straight], np.c_[np.cos(above), end * np.sin(above) + straight]
        ])  # fmt: skip
        profile[[0, -1], 0] = 0.0
        body = manifold3d.CrossSection([profile]).revolve(_ROUND).scale((half[0], half[1], 1.0))
    return _placed(body, cut.turn.rotation.T, np.array(cut.centre))


def _chosen(facets: NDArray[np.bool_], name: str) -> NDArray[np.int64]:
    numbers = np.flatnonzero(facets)
    if not len(numbers):
        raise CutFailed(f"The region of “{name}” is not on this piece.", remedy="Pick it again, or switch the cut off.")
    return numbers


def _around(solid: Solid, facets: NDArray[np.bool_], margin: float, name: str) -> manifold3d.Manifold:
    """All that lies within a margin of some facets: the surface of equal distance, from a grid."""
    if margin <= 0:
        raise CutFailed(f"The kerf leaves nothing of “{name}”.", remedy="Make the kerf smaller.")
    part = solid.picked(np.isin(np.arange(len(solid.triangles)), _chosen(facets, name)))
    step = max(margin / _CELLS_ACROSS, float(part.size.max() + 2 * margin) / _MOST_CELLS)
    low = part.bounds[0] - margin - 2 * step
    counts = np.ceil((part.size + 2 * margin + 4 * step) / step).astype(int) + 1
    at = np.stack(np.meshgrid(*(np.arange(n) for n in counts), indexing="ij"), axis=-1).reshape(-1, 3)
    faces = np.ascontiguousarray(part.triangles, np.int64)
    squared = igl.point_mesh_squared_distance(low + at * step, np.array(part.vertices), faces)[0]
    field = np.sqrt(squared).reshape(counts)
    vertices, triangles, _, _ = marching_cubes(field, margin, gradient_direction="descent")
    return closed_body(vertices * step + low, triangles, f"The scoop of “{name}” could not be made.")


def _lift_off(solid: Solid, cut: LiftOffCut, picked: Picked, grow: float) -> manifold3d.Manifold:
    """Up from the foot of an ornament, within its outline seen along the way that it is lifted."""
    facets = _chosen(picked(cut.region), cut.name)
    facing = solid.area_vectors[facets].sum(axis=0) if cut.direction is None else np.array(cut.direction)
    length = float(np.linalg.norm(facing))
    if length < 1e-9:
        raise CutFailed(f"The region of “{cut.name}” faces no way on the whole.", remedy="Say which way it is lifted.")
    frame = frame_of(facing / length)
    corners = solid.vertices[solid.triangles[facets]] @ frame.T
    foot = (
        float(np.median(_rim(solid, facets) @ frame[2]))
        if len(facets) < len(solid.triangles)
        else corners[..., 2].min()
    )
    shadow = shapely.union_all(shapely.polygons(_counter_clockwise(corners[..., :2])))
    outline = shapely.Polygon(_largest(shadow).exterior).simplify(0.01).buffer(grow + 1e-3, join_style="mitre")
    if outline.is_empty:
        raise CutFailed(f"The kerf leaves nothing of “{cut.name}”.", remedy="Make the kerf smaller.")
    ring = np.asarray(shapely.geometry.polygon.orient(_largest(outline)).exterior.coords)[:-1]
    top = float((solid.vertices @ frame[2]).max()) + 1.0
    section = manifold3d.CrossSection([ring])
    bottom = foot - cut.pocket - grow
    return _placed(section.extrude(top - bottom), frame.T, frame[2] * bottom)


def _rim(solid: Solid, facets: NDArray[np.int64]) -> Floats:
    """(k, 3) corners where a region ends."""
    edges = np.sort(
        np.concatenate([solid.triangles[facets][:, [k, (k + 1) % 3]] for k in range(3)]).astype(np.int64), axis=1
    )
    key = edges[:, 0] * len(solid.vertices) + edges[:, 1]
    _, first, uses = np.unique(key, return_index=True, return_counts=True)
    ends = edges[first[uses == 1]]
    return solid.vertices[np.unique(ends)] if len(ends) else solid.vertices[np.unique(solid.triangles[facets])]


def _counter_clockwise(triangles: Floats) -> Floats:
    """(k, 3, 2) with no facet seen from behind or from its edge."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    turned = np.where((twice < 0)[:, None, None], triangles[:, ::-1], triangles)
    return np.asarray(turned[np.abs(twice) > 1e-12])


def _largest(shape: shapely.Geometry) -> shapely.Polygon:
    parts = [part for part in getattr(shape, "geoms", [shape]) if part.geom_type == "Polygon"]
    if not parts:
        raise CutFailed("The region has no outline as it is seen.", remedy="Pick a larger one.")
    return max(parts, key=lambda part: part.area)


def reach_body(solid: Solid, reach: Reach, picked: Picked, grow: float) -> manifold3d.Manifold | None:
    """What a cut may reach, ``grow`` mm larger all round; None where it is told by pieces and not by a place.

    Raises
    ------
    CutFailed : it cannot be made.
    """
    match reach:
        case BoxReach():
            return _box(reach.centre, reach.half, reach.turn, grow)
        case OutlineReach():
            return _outline(solid, reach, grow)
        case RegionReach():
            facets = _chosen(picked(reach.region), "this reach")
            corners = solid.vertices[np.unique(solid.triangles[facets])]
            ball = manifold3d.Manifold.sphere(max(reach.margin + grow, 1e-3), 16)
            offsets = np.asarray(ball.to_mesh64().vert_properties)[:, :3]
            hull = manifold3d.Manifold.hull_points(corners)
            few = np.asarray(hull.to_mesh64().vert_properties)[:, :3] if not hull.is_empty() else corners
            return manifold3d.Manifold.hull_points((few[:, None] + offsets[None]).reshape(-1, 3))
        case PieceReach():
            return None


def _outline(solid: Solid, reach: OutlineReach, grow: float) -> manifold3d.Manifold:
    frame = frame_of(np.array(reach.view))
    shape = shapely.Polygon(np.array(reach.points) @ frame.T[:, :2])
    if not shape.is_valid or shape.area < 1e-9:
        raise CutFailed("The outline of a cut's reach crosses itself.", remedy="Draw it again.")
    along = solid.vertices @ frame[2]
    low, high = float(along.min()) - 1.0, float(along.max()) + 1.0
    ring = np.asarray(_largest(shapely.geometry.polygon.orient(shape.buffer(grow, join_style="mitre"))).exterior.coords)
    body = manifold3d.CrossSection([ring[:-1]]).extrude(high - low)
    return _placed(body, frame.T, frame[2] * low)
