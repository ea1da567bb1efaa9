"""The bodies of laps. Imported only when one is made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from ..arrays import Bools, Floats
from ..errors import JoinFailed
from ..locale import text
from ..locale.translate import tr
from .contact_columns import column_of
from .kind import Made, Site, Which, other

LEAST_RING = 2.4
"""mm that a wall must be thick for both its halves to print (common practice: four lines of 0.4 and a clearance)."""
_FINE = 0.8
"""mm between the places at which the middle of a wall is looked for."""
_INTO = 0.01
"""mm that what stands over reaches into its carrier, so that both become one."""
_BESIDE = 1.5
"""mm inward of a wall to which the other piece is left out too, where its wall leans inward."""
_SLIVER = 0.25
"""mm: half of what is too narrow to stand over."""
_WINDOW = 3.0
"""mm on either side over which the turn of an outline is looked at."""
_SLENDER = 0.22
"""Share of its length that a wall may be thick and still be one."""
_SHORT = 0.2
"""Share of the longest run of an outline that is still a side of a strip."""
_HEIGHTS = (0.1, 0.5, 0.95)
"""Shares of the height at which walls are measured."""


@dataclass(frozen=True, eq=False)
class Wall:
    """A part of a contact as a wall with two sides, in mm across.

    Attributes
    ----------
    half : shapely.Geometry
        The half on the requested side. ``middle``, ``side`` and ``far`` are lines along the middle of the wall,
        along that side, and along the other side.
    ends : shapely.Geometry
        Where other cuts end the wall.
    """

    half: shapely.Geometry
    middle: shapely.LineString
    side: shapely.LineString
    far: shapely.LineString
    ends: shapely.Geometry


def lap_of(site: Site, carrier: Which, height: float, *, inner: bool) -> Made:
    """Half of a wall, extended from a carrier, with the same half removed from the other piece, wider by a
    clearance.

    Raises
    ------
    JoinFailed
        No part of the contact is a wall that is thick enough.
    """
    ground = site.ground
    if ground is None or not ground.flat:
        raise JoinFailed(tr("A lap needs a flat contact."))
    centre = ground.centre
    walls = [
        wall for part in shapely.get_parts(ground.region)
        if (wall := wall_of(part, ground.ends, centre, inner)) is not None
    ]
    if not walls:
        raise JoinFailed(
            tr(
                "No part of this contact is a wall of {least_ring} or more, with two sides.",
                least_ring=text.given(LEAST_RING),
            )
        )
    out = site.frame[2] if carrier == "first" else -site.frame[2]
    stands = shapely.union_all([
        wall.half.difference(wall.middle.buffer(site.clearance)).difference(wall.ends.buffer(site.clearance))
        for wall in walls
    ])
    stands = stands.buffer(-_SLIVER).buffer(_SLIVER)
    left_out = shapely.union_all([
        wall.half.union(wall.side.buffer(_BESIDE, cap_style="flat").difference(ground.region)) for wall in walls
    ])
    into = ground.body(other(carrier))
    if stands.is_empty:
        raise JoinFailed(tr("Nothing is left of this lap: its wall is too thin for the clearance."))
    tongue = (column_of(stands, ground, site, carrier, height) ^ into).translate(tuple(-_INTO * out))
    groove = column_of(left_out, ground, site, carrier, height + site.clearance)
    if tongue.is_empty():
        raise JoinFailed(tr("No part of this wall continues along the way in."))
    along = np.concatenate([_away(wall) for wall in walls])
    if not len(along):
        raise JoinFailed(tr("The walls of this contact are too short for a lap."))
    edges = np.concatenate([
        along @ site.frame[:2] + ground.level * site.frame[2] + share * height * out for share in _HEIGHTS
    ])
    return Made({carrier: tongue}, {other(carrier): groove}, edges={other(carrier): edges}, opens=True)


def wall_of(
    part: shapely.Polygon, ends: Callable[[Floats], Bools], centre: Floats, inner: bool, least: float = LEAST_RING
) -> Wall | None:
    """A part of a contact as a wall: a ring, or a strip between two other cuts. None for other shapes, and for what
    is too thin.

    Parameters
    ----------
    ends : Callable[[Floats], Bools]
        Whether another cut ends the contact at places (k, 2) of its outline.
    centre : (2,) float64, mm
        The centre of the prop. What faces away from it is outside.
    least : float, mm
        The least thickness.
    """
    if part.interiors:
        sides = [shapely.LineString(ring.coords) for ring in (part.exterior, part.interiors[0])]
        if len(part.interiors) > 1 or ends(_dense(sides[0])).mean() > 0.02:
            return None
        near, cuts = sides[1] if inner else sides[0], shapely.LineString()
        far = sides[0] if inner else sides[1]
    else:
        chains, cuts = strip_sides(part.exterior, ends)
        if len(chains) != 2 or min(chain.length for chain in chains) < 2 * LEAST_RING:
            return None
        by_distance = sorted(chains, key=lambda one: float(np.linalg.norm(_dense(one) - centre, axis=1).mean()))
        near, far = by_distance if inner else by_distance[::-1]
    places = _dense(far)
    across = np.array([near.interpolate(near.project(shapely.Point(one))).coords[0] for one in places])
    thick = np.linalg.norm(across - places, axis=1)
    # towards its ends it is narrower
    if np.percentile(thick, 25) < least or np.percentile(thick, 90) > _SLENDER * min(near.length, far.length):
        return None
    middle = shapely.LineString((places + across) / 2)
    if part.interiors:
        disc = shapely.Polygon(middle.coords).buffer(0)
        half = part.intersection(disc) if inner else part.difference(disc)
        middle = shapely.LineString([*middle.coords, middle.coords[0]])
    else:
        half = _between(near, middle, part)
    return Wall(half, middle, near, far, cuts)


def strip_sides(
    ring: shapely.LinearRing, ends: Callable[[Floats], Bools]
) -> tuple[list[shapely.LineString], shapely.Geometry]:
    """The sides of a strip, and where it ends: at other cuts, or else at its tips. A shape that is not a strip does
    not have exactly two sides.

    Parameters
    ----------
    ends : Callable
        Whether another cut ends the strip at places (k, 2) of its outline.
    """
    points = _dense(shapely.LineString(ring.coords))[:-1]
    following = np.roll(points, -1, axis=0)
    ended = ends((points + following) / 2)
    if ended.all():
        return [], shapely.LineString()
    if not ended.any():
        one, other_end = _tips(points)
        if one == other_end:  # a sliver of no size, which has no sides
            return [], shapely.LineString()
        loop = np.concatenate([points, points])
        sides = [loop[one : other_end + 1], loop[other_end : one + len(points) + 1]]
        return [shapely.LineString(side) for side in sides], shapely.MultiPoint(points[[one, other_end]])
    start = int(np.flatnonzero(ended & ~np.roll(ended, -1))[0]) + 1
    order = np.roll(np.arange(len(points)), -start)
    runs: list[list[int]] = [[]]
    for n in order.tolist():
        if ended[n]:
            runs.append([])
        else:
            runs[-1].append(n)
    lines = [shapely.LineString(np.concatenate([points[run], following[run[-1:]]])) for run in runs if len(run) > 1]
    longest = max((line.length for line in lines), default=0.0)
    lines = [line for line in lines if line.length > _SHORT * longest]
    cuts = shapely.MultiLineString([np.stack([points[n], following[n]]) for n in np.flatnonzero(ended)])
    if len(lines) == 1:
        along = _dense(lines[0])
        tip = _tip(along)
        if not 0 < tip < len(along) - 1:
            return [], cuts
        lines = [shapely.LineString(along[: tip + 1]), shapely.LineString(along[tip:])]
        cuts = shapely.union_all([cuts, shapely.Point(along[tip])])
    return lines, cuts


def _turns(points: Floats, *, closed: bool) -> Floats:
    """The angle (k,) in rad by which a line turns at each of its points, taken over a few mm on either side; 0 near
    open ends.
    """
    reach = max(int(_WINDOW / _FINE), 1)
    if len(points) <= 2 * reach:
        return np.zeros(len(points))
    before, after = points - np.roll(points, reach, axis=0), np.roll(points, -reach, axis=0) - points
    lengths = np.maximum(np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1), 1e-12)
    turns = np.arccos(np.clip(np.einsum("ij,ij->i", before, after) / lengths, -1.0, 1.0))
    if not closed:
        turns[:reach] = turns[-reach:] = 0.0
    return np.asarray(turns)


def _tip(points: Floats) -> int:
    """The index at which an open line along both sides of a strip turns back: the sharpest turn near half its
    length.
    """
    turns = _turns(points, closed=False)
    low, high = int(0.35 * len(points)), int(0.65 * len(points))
    return low + int(np.argmax(turns[low : high + 1]))


def _tips(points: Floats) -> tuple[int, int]:
    """The two tips of a closed outline: sharp turns about half its length apart."""
    turns, count = _turns(points, closed=True), len(points)
    apart = np.abs(np.arange(count)[:, None] - np.arange(count)[None])
    far = (apart > 0.35 * count) & (apart < 0.65 * count)
    one, other_end = np.unravel_index(int(np.argmax(np.where(far, turns[:, None] + turns[None], -1.0))), far.shape)
    return (int(one), int(other_end)) if one < other_end else (int(other_end), int(one))


def _between(side: shapely.LineString, middle: shapely.LineString, part: shapely.Polygon) -> shapely.Geometry:
    """The part of a strip between one of its sides and its middle."""
    one, other_line = np.asarray(side.coords), np.asarray(middle.coords)
    if np.linalg.norm(one[-1] - other_line[0]) > np.linalg.norm(one[-1] - other_line[-1]):
        other_line = other_line[::-1]
    return shapely.make_valid(shapely.Polygon(np.concatenate([one, other_line]))).intersection(part)


def _away(wall: Wall) -> Floats:
    """Places (k, 2) along the middle of a wall, away from its ends. Beside an end there is nothing that could be
    thin.
    """
    places = _dense(wall.middle)
    far = shapely.distance(shapely.points(places), wall.ends) > 2 * LEAST_RING if not wall.ends.is_empty else True
    return np.asarray(places[np.broadcast_to(far, len(places))])


def _dense(line: shapely.LineString) -> Floats:
    """Places (k, 2) along a line, close to each other."""
    return np.asarray(shapely.segmentize(line, _FINE).coords)
