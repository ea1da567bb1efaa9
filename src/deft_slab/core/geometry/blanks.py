"""Plain bodies to cut with, each a little larger or smaller at wish."""

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
    """All of the solid's surroundings that the normal points to, from a plane on.

    Parameters
    ----------
    normal : (3,) float64
    offset : float, mm
    """
    size = 4.0 * solid.diagonal + 4.0
    middle = solid.bounds.mean(axis=0)
    on_plane = middle + (offset - float(normal @ middle)) * normal
    frame = frame_of(normal)
    block = manifold3d.Manifold.cube((size, size, size + abs(offset - float(normal @ middle))), False)
    return placed(block.translate((-size / 2, -size / 2, 0.0)), frame.T, on_plane)


def placed(body: manifold3d.Manifold, rotation: Floats, shift: Floats) -> manifold3d.Manifold:
    """A body turned by (3, 3) and put at a place (3,) mm."""
    return body.transform(np.c_[rotation, shift])


def _grown(half: Triple, grow: float, name: str) -> Floats:
    size = np.array(half) + grow
    if size.min() <= 0:
        raise CutFailed(tr("The kerf leaves nothing of {name}.", name=name), remedy=tr("Make the kerf smaller."))
    return size


def box_body(centre: Triple, half: Triple, turn: Tilt, grow: float) -> manifold3d.Manifold:
    """A box. Raises CutFailed."""
    body = manifold3d.Manifold.cube(tuple(2 * _grown(half, grow, tr("the box"))), True)
    return placed(body, turn.rotation.T, np.array(centre))


def ball_body(centre: Triple, half: Triple, turn: Tilt, grow: float) -> manifold3d.Manifold:
    """An ellipsoid. Raises CutFailed."""
    body = manifold3d.Manifold.sphere(1.0, _ROUND).scale(tuple(_grown(half, grow, tr("the scoop"))))
    return placed(body, turn.rotation.T, np.array(centre))


def round_ended_body(centre: Triple, half: Triple, turn: Tilt, grow: float) -> manifold3d.Manifold:
    """A cylinder along the third axis with half balls on its ends. Raises CutFailed."""
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
    """(k,) numbers of the facets of a region. Raises CutFailed where there are none."""
    numbers = np.flatnonzero(facets)
    if not len(numbers):
        raise CutFailed(
            tr("The region of “{name}” is not on this piece.", name=name),
            remedy=tr("Pick it again, or switch the cut off."),
        )
    return numbers


def hull_around(solid: Solid, facets: Ints, margin: float) -> manifold3d.Manifold:
    """The hull of some facets, and a margin (mm) around it."""
    corners = solid.vertices[np.unique(solid.triangles[facets])]
    ball = manifold3d.Manifold.sphere(max(margin, 1e-3), 16)
    offsets = np.asarray(ball.to_mesh64().vert_properties)[:, :3]
    hull = manifold3d.Manifold.hull_points(corners)
    few = np.asarray(hull.to_mesh64().vert_properties)[:, :3] if not hull.is_empty() else corners
    return manifold3d.Manifold.hull_points((few[:, None] + offsets[None]).reshape(-1, 3))
