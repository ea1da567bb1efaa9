"""The bodies of pivots: loaded when one is made.

A knuckle in a section across its axis, b along the face and n away from the carrier: the other piece turns by an angle
t about the axis, and keeps a clearance c from the carrier's face at every t of its range where

    n cos t + b sin t >= c    at both ends of the range

(the room between two half planes that touch a circle of radius c about the axis; for ranges under 180 degrees the ends
of the range say it for all between).
"""

from __future__ import annotations

import math
from typing import get_args

import manifold3d
import numpy as np

from ..arrays import Floats
from ..errors import JoinFailed
from ..geometry.blanks import placed
from ..locale.translate import tr
from .contact_columns import column_of
from .key_bodies import hole_in
from .kind import OUTER, ContactGround, Made, PivotShape, Site, Which, other
from .reports import Turn

_INTO = 0.4
"""mm by which what is removed begins below the face."""
_BEYOND = 2.0
"""mm beyond the outline of a contact to which room is made."""
_FINE = 96
"""Facets around what turns."""


def swivel_of(join: PivotShape, site: Site) -> Made:
    """Holes for the pin in both pieces, and a clearance between the faces.

    Raises
    ------
    JoinFailed
        They cannot be made.
    """
    ground = _flat(site)
    off = other(join.carrier)
    holes: dict[Which, manifold3d.Manifold] = {
        of: hole_in(of, site, join.width, depth) for of, depth in zip(get_args(Which), join.depths, strict=True)
    }
    edges = {
        of: np.asarray(body.refine_to_length(1.0).to_mesh64().vert_properties)[:, :3] for of, body in holes.items()
    }
    # only what is within the piece is measured
    for of, points in edges.items():
        over = (points - site.place) @ site.frame[2] * (1.0 if of == "second" else -1.0)
        edges[of] = points[over > 0.05]
    between = column_of(ground.region.buffer(_BEYOND), ground, site, join.carrier, max(site.clearance, 1e-3), _INTO)
    holes[off] = holes[off] + between
    return Made({}, holes, edges=edges, opens=True, turn=_turn(join, site, site.frame[2]))


def knuckle_of(join: PivotShape, site: Site) -> Made:
    """Leaves on both pieces in turn, with the room that they and the faces need.

    Raises
    ------
    JoinFailed
        They cannot be made.
    """
    ground = _flat(site)
    carrier, off = join.carrier, other(join.carrier)
    away = site.frame[2] if carrier == "first" else -site.frame[2]
    axis = site.axes("first", join.along)[0]
    beside = np.cross(away, axis)
    axes = np.stack([axis, beside, away])
    clear = site.clearance
    slabs = _slabs(join, clear)
    corners = np.concatenate([np.asarray(one.exterior.coords) for one in ground.region.geoms]) @ site.frame[:2]
    across = (corners - site.place) @ axes[:2].T
    low, high = across[:, 0].min() - _BEYOND, across[:, 0].max() + _BEYOND
    wide = float(np.abs(across[:, 1]).max()) + _BEYOND
    # seen from the carrier the other piece turns the other way where it is the first one
    back, on = join.back, join.on
    if carrier == "second":
        back, on = on, back
    relief = _prism(_relief(back, on, clear, wide), low, high)
    hole = _round(join.width / 2 * OUTER, slabs[0][0] - 1.0, high)
    own, theirs = slabs[::2], slabs[1::2]
    radius = join.radius
    leaves = {carrier: _all(radius, own, 0.0), off: _all(radius, theirs, 0.0)}
    room = radius + clear
    gone = {
        carrier: _all(room, theirs, clear) + hole,
        off: ((relief + _all(room, own, clear)) - leaves[off]) + hole,
    }

    def there(bodies: dict[Which, manifold3d.Manifold]) -> dict[Which, manifold3d.Manifold]:
        return {which: placed(body, axes.T, site.place) for which, body in bodies.items()}

    wall = min(radius - join.width / 2, slabs[0][1] - slabs[0][0])
    return Made(there(leaves), there(gone), opens=True, wall=wall, turn=_turn(join, site, axis))


def _slabs(join: PivotShape, clear: float) -> list[tuple[float, float]]:
    """The range of each leaf along the axis in mm, the carrier's first."""
    thick = (join.span - (join.leaves - 1) * clear) / join.leaves
    if thick < 0.8:
        raise JoinFailed(
            tr("The leaves of this pivot would be too thin."), remedy=tr("Make its span larger, or take two.")
        )
    return [(-join.span / 2 + k * (thick + clear), -join.span / 2 + k * (thick + clear) + thick)
            for k in range(join.leaves)]


def _relief(back: float, on: float, clear: float, wide: float) -> Floats:
    """The polygon (k, 2) in mm (beside, away) that must be removed from the other piece so that it can turn."""
    b, a = math.radians(back), math.radians(on)

    def height(beside: float, angle: float) -> float:
        return (clear + abs(beside) * math.sin(angle)) / math.cos(angle)

    # where both bounds meet
    middle = (a - b) / 2
    apex = clear / math.cos((a + b) / 2) * np.array([math.sin(middle), math.cos(middle)])
    return np.array([[-wide, -_INTO], [wide, -_INTO], [wide, height(wide, b)], apex, [-wide, height(wide, a)]])


def _prism(outline: Floats, low: float, high: float) -> manifold3d.Manifold:
    """An outline (beside, away), extruded along the axis, which is the first coordinate."""
    section = manifold3d.CrossSection([np.ascontiguousarray(outline)])
    body = manifold3d.Manifold.extrude(section, high - low).translate((0.0, 0.0, low))
    return body.transform(np.array([[0.0, 0, 1, 0], [1, 0, 0, 0], [0, 1, 0, 0]]))


def _round(radius: float, low: float, high: float) -> manifold3d.Manifold:
    angles = 2 * np.pi * np.arange(_FINE) / _FINE
    return _prism(radius * np.stack([np.cos(angles), np.sin(angles)], axis=1), low, high)


def _all(radius: float, slabs: list[tuple[float, float]], more: float) -> manifold3d.Manifold:
    """Discs about the axis.

    Parameters
    ----------
    more : float, mm
        By how much each is longer at both ends.
    """
    return manifold3d.Manifold.batch_boolean(
        [_round(radius, low - more, high + more) for low, high in slabs], manifold3d.OpType.Add
    )


def _turn(join: PivotShape, site: Site, axis: Floats) -> Turn:
    x, y, z = (float(value) for value in axis)
    px, py, pz = (float(value) for value in site.place)
    return Turn((px, py, pz), (x, y, z), -join.back, join.on)


def _flat(site: Site) -> ContactGround:
    if site.ground is None or not site.ground.flat:
        raise JoinFailed(tr("A pivot needs a flat contact."))
    return site.ground
