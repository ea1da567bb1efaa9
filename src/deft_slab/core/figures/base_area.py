"""Whether a piece sits flat (base area, steadiness, tipping angle), and whether it fits the bed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection

from ..arrays import Bools, Floats, Ints, Ints32, unwritable
from ..printers.profile import Printer
from ..results.outcome import Fit
from . import box_kernels

LEAST_BASE_AREA = 25.0
"""mm2; from memory, adjustable."""
LEAST_BASE_SHARE = 0.02
"""of the projected area; from memory, adjustable."""
LEAST_TIPPING = 10.0
"""degrees; from memory, adjustable."""


@dataclass(frozen=True)
class Base:
    """What a piece stands on.

    Attributes
    ----------
    area : float
        Area of the facets that rest on the bed and face down, in mm2.
    steadiness : float, mm
        Distance from the projected centre of mass to the edge of the base; negative if the piece falls over.
    tipping : float, degrees
        atan(steadiness / height of the centre of mass).
    """

    area: float
    steadiness: float
    tipping: float

    def sits_flat(self, projected_area: float) -> bool:
        """Whether the piece rests on enough area, and does not tip over easily.

        Parameters
        ----------
        projected_area : float, mm2
            The area of its shadow on the bed.
        """
        least = max(LEAST_BASE_AREA, LEAST_BASE_SHARE * projected_area)
        return self.area >= least and self.tipping >= LEAST_TIPPING


FLOATING = Base(0.0, 0.0, 0.0)
"""Of a piece that stands on its support only."""


def outline(points: Floats) -> Floats:
    """The convex hull of points in the plane, counter-clockwise; two points, or one, if it has no area.

    Returns
    -------
    (k, 2) float64
    """
    hull = CrossSection.hull_points(points).to_polygons()
    if hull and len(hull[0]) > 2:
        return np.asarray(hull[0])
    distinct = np.unique(points, axis=0)  # fewer than three, or all on a line
    along = distinct - distinct.mean(axis=0)
    at = along @ np.linalg.svd(along, full_matrices=False)[2][0]
    return np.asarray(distinct[np.unique([int(at.argmin()), int(at.argmax())])])


def steadiness(point: Floats, hull: Floats) -> float:
    """The distance from a point to the edge of an outline, negative outside; 0 or less for an outline without area.

    Parameters
    ----------
    point : (2,) float64
    hull : (k, 2) float64

    Returns
    -------
    float, mm
    """
    if len(hull) == 1:
        return -float(np.linalg.norm(point - hull[0]))
    start, end = hull, np.roll(hull, -1, axis=0)
    edge = end - start
    length = np.linalg.norm(edge, axis=1)
    relative = point - start
    along = np.clip(np.einsum("ij,ij->i", relative, edge) / length**2, 0.0, 1.0)
    nearest = float(np.linalg.norm(relative - along[:, None] * edge, axis=1).min())
    if len(hull) == 2:
        return -nearest
    inside = bool(np.all(edge[:, 0] * relative[:, 1] - edge[:, 1] * relative[:, 0] >= 0))
    return nearest if inside else -nearest


def base_of(vertices: Floats, triangles: Ints32, resting_down: Bools, area: float, centre: Floats) -> Base:
    """The base of a piece that was set down.

    Parameters
    ----------
    vertices : (n, 3) float64, mm, bed frame
    resting_down : (m,) bool
        Which facets rest on the bed and face down.
    area : float, mm2
        The area of those.
    centre : (3,) float64
        The centre of mass, bed frame.
    """
    touching = vertices[np.unique(triangles[resting_down])] if resting_down.any() else vertices[vertices[:, 2] <= 1e-6]
    reach = steadiness(centre[:2], outline(touching[:, :2]))
    return Base(area, reach, math.degrees(math.atan2(reach, max(float(centre[2]), 1e-9))))


def fit(vertices: Floats, printer: Printer) -> Fit:
    """Whether a piece fits the bed, minus its margin, and under the printer's height, at some rotation about the
    vertical. Rotations are tried every quarter of a degree.

    Parameters
    ----------
    vertices : (n, 3) float64, mm, bed frame
        The piece in its seat, set down or lifted.
    """
    room = np.array(printer.room[:2])
    corners = outline(vertices[:, :2])
    turns = np.radians(np.arange(0.0, 180.0, 0.25))
    turns = turns[np.argsort(np.minimum(turns, np.pi - turns), kind="stable")]
    cosine, sine = np.cos(turns), np.sin(turns)
    x = np.outer(cosine, corners[:, 0]) - np.outer(sine, corners[:, 1])
    y = np.outer(sine, corners[:, 0]) + np.outer(cosine, corners[:, 1])
    over = np.maximum(np.stack([np.ptp(x, axis=1), np.ptp(y, axis=1)], axis=1) - room, 0.0)
    over[over < 1e-6] = 0.0
    best = int(np.argmin(over.sum(axis=1)))
    over_z = max(float(vertices[:, 2].max()) - printer.height, 0.0)
    yaw = math.degrees(turns[best])
    out = (float(over[best, 0]), float(over[best, 1]), over_z)
    return Fit(not any(out), yaw if yaw <= 90 else yaw - 180.0, out)


def fits_turned(
    corners: Floats, rotations: Floats, room: tuple[float, float, float], lift: float = 0.0
) -> Bools:
    """Whether a piece fits a printer in each of some rotations, turned about the vertical by some multiple of 7.5
    degrees.

    Parameters
    ----------
    corners : (n, 3) float64, mm
        The vertices of its convex hull.
    rotations : (k, 3, 3) float64
    room : (x, y, z), mm
        The room of the printer.
    lift : float
        Height over the bed, in mm.

    Returns
    -------
    (k,) bool
    """
    turns = np.radians(np.arange(0.0, 180.0, 7.5))
    corners, rotations = unwritable(np.ascontiguousarray(corners, float)), np.ascontiguousarray(rotations, float)
    return np.asarray(
        box_kernels.fits_turned(corners, rotations, np.cos(turns), np.sin(turns), np.array(room, float), float(lift))
    )


def rooms_of_boxes(sizes: Floats, room: tuple[float, float, float]) -> Ints:
    """How many printer's rooms it takes to hold each of some boxes, cut into equal blocks that lie in the best way
    without being tilted.

    Parameters
    ----------
    sizes : (..., 3) float64, mm
    room : (x, y, z), mm

    Returns
    -------
    (...) int64
    """
    sizes = np.asarray(sizes, float)
    rooms = box_kernels.rooms_of_boxes(np.ascontiguousarray(sizes.reshape(-1, 3)), np.array(room, float))
    return np.asarray(rooms.reshape(sizes.shape[:-1]))


def least_rooms(points: Floats, room: tuple[float, float, float], volume: float) -> int:
    """A lower bound for the number of pieces into which a body must be cut to fit a printer: by its volume, and
    because no piece holds two points farther apart than the diagonal of the room.

    Parameters
    ----------
    points : (n, 3) float64, mm
        Points of the body.
    room : (x, y, z), mm
    volume : float, mm3
    """
    if not np.isfinite(room).all():
        return 1
    by_volume = math.ceil(volume / math.prod(room) - 1e-9)
    apart = math.dist((0.0, 0.0, 0.0), room)
    start = points[int(np.argmax(np.linalg.norm(points - points.mean(axis=0), axis=1)))]
    away = np.linalg.norm(points - start, axis=1)
    count = 1
    while away.max() > apart:
        # the nearest of those that are just too far, so that as many as may be follow each other
        next_ = points[int(np.argmin(np.where(away > apart, away, np.inf)))]
        away = np.minimum(away, np.linalg.norm(points - next_, axis=1))
        count += 1
    return max(by_volume, count)


def largest_scale(vertices: Floats, printer: Printer) -> float:
    """The largest factor by which a piece can be scaled so that it still fits the printer at some rotation about the
    vertical. Rotations are tried every quarter of a degree, as in ``fit``.

    Parameters
    ----------
    vertices : (n, 3) float64, mm, bed frame
        The piece in its seat.
    """
    corners = outline(vertices[:, :2])
    turns = np.radians(np.arange(0.0, 180.0, 0.25))
    cosine, sine = np.cos(turns), np.sin(turns)
    x = np.ptp(np.outer(cosine, corners[:, 0]) - np.outer(sine, corners[:, 1]), axis=1)
    y = np.ptp(np.outer(sine, corners[:, 0]) + np.outer(cosine, corners[:, 1]), axis=1)
    room_x, room_y, room_z = printer.room
    flat = np.minimum(room_x / np.maximum(x, 1e-9), room_y / np.maximum(y, 1e-9))
    return float(min(flat.max(), room_z / max(float(np.ptp(vertices[:, 2])), 1e-9)))
