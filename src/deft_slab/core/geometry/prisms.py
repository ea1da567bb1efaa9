"""Bodies that stand on an outline."""

from __future__ import annotations

import manifold3d
import numpy as np
import shapely

from ..arrays import Floats, Ints
from ..errors import CutFailed
from ..locale.translate import tr
from ..mesh.solid import Solid
from .blanks import placed
from .curves import frame_of


def lifted_off(
    solid: Solid, facets: Ints, direction: Floats | None, pocket: float, grow: float, name: str
) -> manifold3d.Manifold:
    """The body above the foot of some facets, within their outline as seen along a direction.

    Parameters
    ----------
    direction : (3,) float64
        The direction; None takes the one that the facets face as a whole.
    pocket : float, mm
        How far it continues below their foot.
    grow : float, mm
        By how much it is larger all round.
    name : str
        The name of the cut, for the error message.

    Raises
    ------
    CutFailed
        It cannot be made.
    """
    facing = solid.area_vectors[facets].sum(axis=0) if direction is None else direction
    length = float(np.linalg.norm(facing))
    if length < 1e-9:
        raise CutFailed(
            tr("The region of “{name}” has no main direction.", name=name), remedy=tr("Say in which direction "
                                                                                          "it is lifted.")
        )
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
        raise CutFailed(tr("The kerf leaves nothing of “{name}”.", name=name), remedy=tr("Make the kerf smaller."))
    ring = np.asarray(shapely.geometry.polygon.orient(_largest(outline)).exterior.coords)[:-1]
    top = float((solid.vertices @ frame[2]).max()) + 1.0
    section = manifold3d.CrossSection([ring])
    bottom = foot - pocket - grow
    return placed(section.extrude(top - bottom), frame.T, frame[2] * bottom)


def _edges(solid: Solid, facets: Ints) -> tuple[Ints, Ints]:
    """The edges of some facets.

    Returns
    -------
    (3 k, 2) int64, (3 k,) int64
        The vertices of each edge, the lower one first, and a number for each edge.
    """
    found = np.concatenate([solid.triangles[facets][:, [k, (k + 1) % 3]] for k in range(3)])
    edges = np.sort(found.astype(np.int64), axis=1)
    return edges, edges[:, 0] * len(solid.vertices) + edges[:, 1]


def _rim(solid: Solid, facets: Ints) -> Floats:
    """The vertices where a region ends on the surface. It does not end where an earlier cut has parted it.

    Returns
    -------
    (k, 3) float64
    """
    edges, key = _edges(solid, facets)
    _, first, uses = np.unique(key, return_index=True, return_counts=True)
    by_cuts = np.isin(key[first], _edges(solid, np.flatnonzero(solid.origin < 0))[1])
    ends = edges[first[(uses == 1) & ~by_cuts]]
    return solid.vertices[np.unique(ends)] if len(ends) else solid.vertices[np.unique(solid.triangles[facets])]


def _counter_clockwise(triangles: Floats) -> Floats:
    """Plane triangles turned counter-clockwise, without those seen from their edge.

    Returns
    -------
    (k, 3, 2) float64
    """
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    turned = np.where((twice < 0)[:, None, None], triangles[:, ::-1], triangles)
    return np.asarray(turned[np.abs(twice) > 1e-12])


def _largest(shape: shapely.Geometry) -> shapely.Polygon:
    parts = [part for part in getattr(shape, "geoms", [shape]) if part.geom_type == "Polygon"]
    if not parts:
        raise CutFailed(tr("The region has no outline in this view."), remedy=tr("Pick a larger one."))
    return max(parts, key=lambda part: part.area)


def column_within(solid: Solid, points: Floats, frame: Floats, grow: float) -> manifold3d.Manifold:
    """Everything around a solid that lies within an outline.

    Parameters
    ----------
    points : (k, 3) float64
        The outline.
    frame : (3, 3) float64
        Rows of a frame; the outline is seen along the last one.
    grow : float, mm
        By how much the column is larger all round.

    Raises
    ------
    CutFailed
        The outline crosses itself.
    """
    shape = shapely.Polygon(points @ frame.T[:, :2])
    if not shape.is_valid or shape.area < 1e-9:
        raise CutFailed(tr("The outline of a cut's reach crosses itself."), remedy=tr("Draw it again."))
    along = solid.vertices @ frame[2]
    low, high = float(along.min()) - 1.0, float(along.max()) + 1.0
    ring = np.asarray(_largest(shapely.geometry.polygon.orient(shape.buffer(grow, join_style="mitre"))).exterior.coords)
    body = manifold3d.CrossSection([ring[:-1]]).extrude(high - low)
    return placed(body, frame.T, frame[2] * low)
