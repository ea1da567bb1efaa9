"""What parting a piece at planes comes to, without making the cut: one raster along a normal scores every place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..printer import Printer, default_printer
from ..solid import Solid
from . import kernels, plane_kernels
from .base import LEAST_BASE_AREA, LEAST_BASE_SHARE
from .columns import Columns, column_field
from .marks import Marked
from .overhang import soft_rule
from .seats import seat_price
from .tilts import down_to_rotation

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Places:
    """(k,) figures of parting a piece at each of k places along one normal; mm, mm2, mm3, by the soft rule.

    The first row of what has two is the side that the normal points to. Seats: the better of the cut face down and up.
    normal : (3,) unit, model frame; offsets : of the planes
    support, overhang, volume : (2, k); flat : (2, k) bool, by the area of the base
    price : (2, k) see ``seat_price``; longest : (2, k) mm, longest side of the smallest box around it on its cut face
    cut_area, seam, in_sight, on_show : mm2 and mm, of the cut
    fits : (2, k) whether it fits the printer so, turned by some multiple of 15 degrees
    """

    normal: Floats
    offsets: Floats
    support: Floats
    overhang: Floats
    flat: NDArray[np.bool_]
    price: Floats
    volume: Floats
    longest: Floats
    cut_area: Floats
    seam: Floats
    in_sight: Floats
    on_show: Floats
    fits: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.offsets)


def flat_by_base(base: Floats, shadow: Floats) -> NDArray[np.bool_]:
    """Which sides sit flat, as far as the area of their base tells. base, shadow : mm2 that rest, that are covered

    All of one shape (...).
    """
    return np.asarray(base >= np.maximum(LEAST_BASE_AREA, LEAST_BASE_SHARE * shadow))


def soft_shares(normals_z: Floats, threshold: float, marks: Marked) -> Floats:
    """(m,) share of each facet that gets support, by the soft rule; hold and clear spots as the user wants them.

    normals_z : (m,) z of the unit normals, with the bed towards -z
    """
    low, high = soft_rule(threshold)
    share = np.clip((-normals_z - low) / (high - low), 0.0, 1.0)
    share[marks.hold & (normals_z < 0)] = 1.0
    share[marks.clear] = 0.0
    return np.asarray(share)


def every_place(
    solid: Solid, normal: Floats, offsets: Floats, threshold: float, marks: Marked, exposed: Floats, cells: int,
    printer: Printer | None = None,
) -> Places:  # fmt: skip
    """Parts a piece at each offset (k,), evenly spaced and rising, of planes with one unit normal.

    exposed : (m,) of the facets, 0 for what is no skin of the model
    """
    rotation = down_to_rotation(-normal)
    turned = solid.vertices @ rotation.T
    columns = column_field(turned, solid.triangles, cells)
    along = np.ascontiguousarray(turned[:, 2])
    cosine = solid.normals @ rotation[2]
    down, up = soft_shares(cosine, threshold, marks), soft_shares(-cosine, threshold, marks)
    count = len(offsets)
    first, step = float(offsets[0]), float(offsets[1] - offsets[0]) if count > 1 else 1.0
    low, high = float(along.min()), float(along.max())
    sums = plane_kernels.places_sums(
        columns.start, columns.heights, columns.facets, down, up, low, high, first, step, count
    )  # fmt: skip
    cell = columns.cell**2
    support, overhang, base, section, shadow, volume = (np.maximum(part, 0.0) * cell for part in sums)
    seam = plane_kernels.seam_sums(
        along, solid.vertices, solid.triangles, exposed, marks.show.astype(np.float64), cosine, first, step, count
    )  # fmt: skip
    flat = flat_by_base(base, np.repeat(shadow, 2, axis=0))
    price = seat_price(support, flat, np.repeat(volume, 2, axis=0))
    ways = price.reshape(2, 2, count)
    better = np.argmin(ways, axis=1)[:, None]

    def taken(values: NDArray[np.generic]) -> Floats:
        return np.take_along_axis(values.reshape(2, 2, count), better, axis=1)[:, 0]  # type: ignore[return-value]

    reach = np.stack([np.clip(high - offsets, 0, None), np.clip(offsets - low, 0, None)])
    longest, fits = _lying(turned, offsets, reach, printer or default_printer())
    return Places(
        normal, offsets, taken(support), taken(overhang), np.asarray(taken(flat), np.bool_), taken(price), volume,
        longest, section, seam[0], seam[1], seam[2], fits,
    )  # fmt: skip


def _lying(turned: Floats, offsets: Floats, reach: Floats, printer: Printer) -> tuple[Floats, NDArray[np.bool_]]:
    """(2, k) longest, fits: see ``Places``. turned : (n, 3) vertices, the normal up; reach : (2, k) mm along it"""
    yaw = np.radians(np.arange(0.0, 180.0, 15.0))
    step = float(offsets[1] - offsets[0]) if len(offsets) > 1 else 1.0
    widths = plane_kernels.side_widths(turned, np.cos(yaw), np.sin(yaw), float(offsets[0]), step, len(offsets))
    # a yaw and the one a quarter turn on are the sides of a box
    across = np.roll(widths, -len(yaw) // 2, axis=2)
    x, y, height = printer.room
    fits = ((widths <= x) & (across <= y)).any(axis=2) & (reach <= height)
    return np.maximum(np.maximum(widths, across).min(axis=2), reach), fits


@dataclass(frozen=True, eq=False)
class Posed:
    """A piece rastered with one direction down, to part it at any plane. rotation : (3, 3) to the frame of the
    columns; shares : (m,) see ``soft_shares``"""

    down: Floats
    rotation: Floats
    vertices: Floats
    columns: Columns
    shares: Floats


def posed(solid: Solid, down: Floats, threshold: float, marks: Marked, cells: int) -> Posed:
    """Rasters a piece with a direction (unit, model frame) down."""
    rotation = down_to_rotation(down)
    vertices = kernels.turn_and_set_down(solid.vertices, rotation, 0.0)
    shares = soft_shares(solid.normals @ rotation[2], threshold, marks)
    return Posed(down, rotation, vertices, column_field(vertices, solid.triangles, cells), shares)


def parted_figures(pose: Posed, solid: Solid, normal: Floats, offset: float, threshold: float) -> Floats:
    """(2, 4) mm3 and mm2: support, overhang, base and shadow of both sides of a plane in one pose.

    normal : (3,) unit, offset : mm, model frame; the first row is the side that the normal points to
    """
    plane = pose.rotation @ normal
    moved = float(plane @ (pose.vertices[0] - pose.rotation @ solid.vertices[0]))
    low, high = soft_rule(threshold)
    cut_share = min(max((abs(float(plane[2])) - low) / (high - low), 0.0), 1.0)
    columns = pose.columns
    result = np.empty((2, 4))
    plane_kernels.parted_sums(
        columns.start, columns.heights, columns.facets, columns.x0, columns.y0, columns.cell, columns.nx, pose.shares,
        pose.vertices, plane, offset + moved, cut_share, float(abs(plane[2]) > 0.9999), result,
    )  # fmt: skip
    return result * columns.cell**2
