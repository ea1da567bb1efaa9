"""Simple bodies to cut with. Each can be made larger or smaller by a given amount."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..arrays import Bools, Floats, Ints
from ..document.base import Triple
from ..errors import CutFailed
from ..locale.translate import tr
from ..mesh.solid import Solid
from .curves import frame_of
from .orientation import Tilt

_ROUND = 96
"""Segments around a ball."""


def half_space(solid: Solid, normal: Floats, offset: float) -> manifold3d.Manifold:
    """The part of a solid's surroundings that lies beyond a plane, on the side that its normal points to.

    Parameters
    ----------
    normal : (3,) float64
    offset : float, mm
        The plane is normal . p = offset.
    """
    size = 4.0 * solid.diagonal + 4.0
    middle = solid.bounds.mean(axis=0)
    on_plane = middle + (offset - float(normal @ middle)) * normal
    frame = frame_of(normal)
    block = manifold3d.Manifold.cube((size, size, size + abs(offset - float(normal @ middle))), False)
    return placed(block.translate((-size / 2, -size / 2, 0.0)), frame.T, on_plane)


def placed(body: manifold3d.Manifold, rotation: Floats, shift: Floats) -> manifold3d.Manifold:
    """A body rotated and then moved to a place.

    Parameters
    ----------
    rotation : (3, 3) float64
    shift : (3,) float64, mm
    """
    return body.transform(np.c_[rotation, shift])


def _grown(half: Triple, grow: float, name: str) -> Floats:
    size = np.array(half) + grow
    if size.min() <= 0:
        raise CutFailed(tr("The kerf leaves nothing of {name}.", name=name), remedy=tr("Make the kerf smaller."))
    return size


def box_body(centre: Triple, half: Triple, turn: Tilt, grow: float) -> manifold3d.Manifold:
    """A box, given its centre, half sizes and orientation.

    Parameters
    ----------
    grow : float
        By how many mm it is larger on every side.

    Raises
    ------
    CutFailed
        It would have no size.
    """
    body = manifold3d.Manifold.cube(tuple(2 * _grown(half, grow, tr("the box"))), True)
    return placed(body, turn.rotation.T, np.array(centre))


def ball_body(centre: Triple, half: Triple, turn: Tilt, grow: float) -> manifold3d.Manifold:
    """An ellipsoid, given its centre, half sizes and orientation.

    Parameters
    ----------
    grow : float
        By how many mm it is larger on every side.

    Raises
    ------
    CutFailed
        It would have no size.
    """
    body = manifold3d.Manifold.sphere(1.0, _ROUND).scale(tuple(_grown(half, grow, tr("the scoop"))))
    return placed(body, turn.rotation.T, np.array(centre))


def round_ended_body(centre: Triple, half: Triple, turn: Tilt, grow: float) -> manifold3d.Manifold:
    """A cylinder along its third axis with a hemisphere on each end.

    Parameters
    ----------
    grow : float
        By how many mm it is larger on every side.

    Raises
    ------
    CutFailed
        It would have no size.
    """
    size = _grown(half, grow, tr("the scoop"))
    end = float(size.min())
    straight = float(size[2]) - end
    around = np.linspace(-np.pi / 2, np.pi / 2, _ROUND // 2 + 1)
    below, above = around[around <= 1e-9], around[around >= -1e-9]
    profile = np.concatenate([
        np.c_[np.cos(below), end * np.sin(below) - straight], np.c_[np.cos(above), end * np.sin(above) + straight]
    ])
    profile[[0, -1], 0] = 0.0
    body = manifold3d.CrossSection([profile]).revolve(_ROUND).scale((size[0], size[1], 1.0))
    return placed(body, turn.rotation.T, np.array(centre))


def chosen(facets: Bools, name: str) -> Ints:
    """The numbers of the facets in a region.

    Parameters
    ----------
    facets : (m,) bool
    name : str
        The name of the cut, for the error message.

    Returns
    -------
    (k,) int64

    Raises
    ------
    CutFailed
        The region is empty.
    """
    numbers = np.flatnonzero(facets)
    if not len(numbers):
        raise CutFailed(
            tr("The region of “{name}” is not on this piece.", name=name),
            remedy=tr("Pick it again, or switch the cut off."),
        )
    return numbers


def hull_around(solid: Solid, facets: Ints, margin: float) -> manifold3d.Manifold:
    """The convex hull of some facets, enlarged by a margin.

    Parameters
    ----------
    facets : (k,) int
        The numbers of the facets.
    margin : float, mm
    """
    corners = solid.vertices[np.unique(solid.triangles[facets])]
    ball = manifold3d.Manifold.sphere(max(margin, 1e-3), 16)
    offsets = np.asarray(ball.to_mesh64().vert_properties)[:, :3]
    hull = manifold3d.Manifold.hull_points(corners)
    few = np.asarray(hull.to_mesh64().vert_properties)[:, :3] if not hull.is_empty() else corners
    return manifold3d.Manifold.hull_points((few[:, None] + offsets[None]).reshape(-1, 3))
