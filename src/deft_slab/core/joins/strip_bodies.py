"""Where the seam of a contact is, outside and inside, and the strips that lie along it. Imported only when a strip
is made.
"""

from __future__ import annotations

from dataclasses import replace
from typing import get_args

import manifold3d
import numpy as np
import shapely

from ..arrays import Floats
from ..errors import JoinFailed
from ..geometry.surface_strips import Band, evenly, strip_on
from ..locale.translate import tr
from .kind import ContactGround, Made, Site, Which
from .lap_bodies import strip_sides, wall_of

_LEAST_WALL = 0.3
"""mm: what is thinner has no two sides."""
_FROM_ENDS = 1.5
"""mm beyond half its width that a strip stays away from where another cut ends its contact."""
_FINE = 0.8


def seams(ground: ContactGround, *, inner: bool) -> tuple[list[Floats], list[Floats], Floats]:
    """The seam on the wanted side, the seam on the other side, and where other cuts end it.

    Returns
    -------
    list of (k, 3), list of (k, 3), (k, 3) float64, mm

    Raises
    ------
    JoinFailed
        Nothing of the contact is seen from that side.
    """
    wished, others, ends = list[shapely.LineString](), list[shapely.LineString](), list[shapely.Geometry]()
    for part in ground.region.geoms:
        wall = wall_of(part, ground.ends, ground.centre, inner, _LEAST_WALL)
        rings = [shapely.LineString(ring.coords) for ring in (part.exterior, *part.interiors)]
        if wall is not None:
            wished.append(_closed(wall.side, rings))
            others.append(_closed(wall.far, rings))
            ends.append(wall.ends)
        elif part.interiors:
            wished += rings[1:] if inner else rings[:1]
            others += rings[:1] if inner else rings[1:]
        elif not inner:
            sides, cuts = strip_sides(part.exterior, ground.ends)
            wished += sides
            ends.append(cuts)
    if not wished:
        raise JoinFailed(tr("This contact has no inside. Splints are for shells.") if inner
                         else tr("No part of this contact is visible."))
    places = [_points(one) for one in ends if not one.is_empty]
    stops = np.concatenate(places) if places else np.empty((0, 2))
    return [_on(ground, one) for one in wished], [_on(ground, one) for one in others], ground.on_face(stops)


def strip_along(
    site: Site, *, inner: bool, width: float, thickness: float, parts: int, name: str
) -> Made:
    """A strip on the surface along the whole seam of a contact, a clearance away from it.

    Raises
    ------
    JoinFailed
        It cannot be made.
    """
    ground = _needed(site)
    lines, others, ends = seams(ground, inner=inner)
    frame = site.frame
    band = Band(
        [line @ frame.T for line in lines], [line @ frame.T for line in others], ends @ frame.T, site.clearance,
        thickness, width, width / 2 + _FROM_ENDS, parts, max(2 * site.clearance, 0.4),
    )
    return _loose(strip_on(ground.skin, frame, band), name)


def patch_over(site: Site, *, width: float, thickness: float, name: str) -> Made:
    """A round patch on the outside, about the point of the seam that is nearest to a place.

    Raises
    ------
    JoinFailed
        It cannot be made.
    """
    ground = _needed(site)
    lines, others, _ = seams(ground, inner=False)
    along = np.concatenate([evenly(line, _FINE) for line in lines])
    middle = along[int(np.argmin(np.linalg.norm(along - site.place, axis=1)))]
    frame = site.frame
    spot = np.stack([middle - 1e-3 * frame[0], middle + 1e-3 * frame[0]])
    band = Band([spot @ frame.T], [line @ frame.T for line in others], np.empty((0, 3)), site.clearance, thickness,
                width, round=True)
    return _loose(strip_on(ground.skin, frame, band)[:1], name)


def ring_around(site: Site, *, width: float, thickness: float, name: str) -> Made:
    """A ring about the direction of a contact, wide enough for all of its pieces within its width.

    Raises
    ------
    JoinFailed
        It cannot be made.
    """
    ground = _needed(site)
    lines, _, _ = seams(ground, inner=False)
    frame = site.frame
    across = np.concatenate(lines) @ frame.T
    circle = shapely.minimum_bounding_circle(shapely.MultiPoint(across[:, :2]))
    middle = np.array([circle.centroid.x, circle.centroid.y])
    level = float(across[:, 2].mean())
    seam = float(np.linalg.norm(across[:, :2] - middle, axis=1).max())
    corners = [np.empty((0, 3))]
    for which in get_args(Which):
        within = ground.body(which)
        for sign in (1.0, -1.0):
            within = within.trim_by_plane(tuple(sign * frame[2]), sign * level - width / 2 - site.clearance)
        corners.append(np.asarray(within.to_mesh64().vert_properties)[:, :3] @ frame.T)
    apart = np.linalg.norm(np.concatenate(corners)[:, :2] - middle, axis=1)
    inside = max(seam, float(apart[apart < seam + width].max(initial=0.0))) + site.clearance
    facets = max(96, int(np.ceil(2 * np.pi * inside)))
    # its facets lie around the circle, so that none comes nearer
    low, high = (radius / np.cos(np.pi / facets) for radius in (inside, inside + thickness))
    half = width / 2
    section = np.array([[low, -half], [high, -half], [high, half], [low, half]])
    ring = manifold3d.Manifold.revolve(manifold3d.CrossSection([section]), facets)
    at = np.hstack([frame.T, (frame.T @ np.array([*middle, level]))[:, None]])
    return _loose([ring.transform(at)], name)


def resized_to(made: Made, site: Site, girth: float) -> Made:
    """A band for parts whose girth differs from the nominal one: scaled across in proportion.

    Parameters
    ----------
    girth : float, mm
        Measured around the printed parts.

    Raises
    ------
    JoinFailed
        It differs too much.
    """
    ground = _needed(site)
    frame, factor = site.frame, girth / tape_around(ground)
    lines, _, _ = seams(ground, inner=False)
    middle = shapely.MultiPoint(np.concatenate(lines) @ frame[:2].T).convex_hull.centroid
    fixed = np.array([middle.x, middle.y, 0.0]) @ frame
    scale = frame.T @ np.diag([factor, factor, 1.0]) @ frame
    at = np.hstack([scale, (fixed - scale @ fixed)[:, None]])
    return replace(made, loose=tuple((name, body.transform(at), down) for name, body, down in made.loose))


def tape_around(ground: ContactGround) -> float:
    """The girth that a tape measures around the outside of a contact, spanning its hollows.

    Returns
    -------
    float, mm
    """
    lines, _, _ = seams(ground, inner=False)
    return float(shapely.MultiPoint(np.concatenate(lines) @ ground.frame[:2].T).convex_hull.length)


def _needed(site: Site) -> ContactGround:
    if site.ground is None:
        raise JoinFailed(tr("A strip needs a contact."))
    return site.ground


def _loose(bodies: list[manifold3d.Manifold], name: str) -> Made:
    return Made({}, {}, tuple((name, body, None) for body in bodies), beside=True)


def _closed(line: shapely.LineString, rings: list[shapely.LineString]) -> shapely.LineString:
    """A side of a wall, closed if it is one of the rings of its contact."""
    return next((ring for ring in rings if ring.equals(line)), line)


def _points(shape: shapely.Geometry) -> Floats:
    """Points along a shape, close to each other.

    Returns
    -------
    (k, 2) float64, mm
    """
    return np.asarray(shapely.get_coordinates(shapely.segmentize(shape, _FINE)))


def _on(ground: ContactGround, line: shapely.LineString) -> Floats:
    """A line across the contact, on its face.

    Returns
    -------
    (k, 3) float64, mm
    """
    return ground.on_face(_points(line))
