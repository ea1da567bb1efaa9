"""Scores planes without making the cut: rasters of the piece score every place of a plane, one raster along its
normal for the sides on their cut faces, and one for each other pose that the sides may lie in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Bools, Floats, Ints, Ints32
from ..geometry.place_on_bed import down_to_rotation, downs_to_rotations
from ..mesh.edges import edge_numbers
from ..mesh.solid import Solid
from ..printers.profile import Printer, default_printer
from . import plane_kernels, pose_kernels
from .base_area import LEAST_BASE_AREA, LEAST_BASE_SHARE, rooms_of_boxes
from .column_field import Columns, column_field
from .marked_facets import Marked
from .overhang import soft_rule


@dataclass(frozen=True, eq=False)
class CutPlaces:
    """Figures of parting a piece at each of k places along one normal, in mm, mm2 and mm3, by the soft rule. Where
    an array has two rows, the first is the side that the normal points to.

    Attributes
    ----------
    normal : (3,) float64
        The unit normal, model frame.
    offsets : (k,) float64, mm
        The places of the planes.
    support : (2, k) float64, mm3
        The support in the best seat that was tried.
    flat : (2, k) float64
        The support in the best seat that sits flat, as far as the area of its base tells; inf if none does.
    seat, flat_seat : (2, k) int64
        Which seat that is: the number of a pose, or ``FACE_DOWN`` or ``FACE_UP``.
    volume : (2, k) float64
    longest : (2, k) float64, mm
        The longest side of the smallest box around it on its cut face.
    cut_area, seam, in_sight, on_show : (k,) float64
        Figures of the cut, in mm2 and mm.
    barred : (k,) float64, mm
        The length of the seam where none may run.
    welcome : (k,) float64, mm
        The length in sight where a seam is welcome.
    rooms : (2, k) int64
        How many printer's rooms a box around it takes, cut into blocks; 1 means that it fits.
    """

    normal: Floats
    offsets: Floats
    support: Floats
    flat: Floats
    seat: Ints
    flat_seat: Ints
    volume: Floats
    longest: Floats
    cut_area: Floats
    seam: Floats
    in_sight: Floats
    on_show: Floats
    barred: Floats
    welcome: Floats
    rooms: Ints

    @property
    def fits(self) -> Bools:
        """Whether a box around each side fits the printer.

        Returns
        -------
        (2, k) bool
        """
        return np.asarray(self.rooms == 1)

    def __len__(self) -> int:
        return len(self.offsets)


FACE_DOWN, FACE_UP = -2, -1
"""Seats on the cut face, and on what lies furthest from it."""


def flat_by_base(base: Floats, shadow: Floats) -> Bools:
    """Which sides sit flat, as far as the area of their base tells. All arrays have the same shape (...).

    Parameters
    ----------
    base, shadow : (...) float64, mm2
        The area that rests on the bed, and the area of the shadow.
    """
    return np.asarray(base >= np.maximum(LEAST_BASE_AREA, LEAST_BASE_SHARE * shadow))


def soft_shares(normals_z: Floats, threshold: float, marks: Marked) -> Floats:
    """How much of each facet gets support, by the soft rule. Hold spots always get it, clear spots never.

    Parameters
    ----------
    normals_z : (m,) float64
        The z of the unit normals, with the bed towards -z.

    Returns
    -------
    (m,) float64
    """
    low, high = soft_rule(threshold)
    share = np.clip((-normals_z - low) / (high - low), 0.0, 1.0)
    share[marks.hold & (normals_z < 0)] = 1.0
    share[marks.clear] = 0.0
    return np.asarray(share)


@dataclass(frozen=True, eq=False)
class Poses:
    """A piece rastered with each of p directions down, so that it can be parted at any plane: see
    ``pose_kernels.pose_places``.

    Attributes
    ----------
    downs : (p, 3) float64
        Unit vectors, model frame.
    edges : (e, 2) int32
        The edges of the piece, each once.
    """

    downs: Floats
    rotations: Floats
    lifts: Floats
    grids: Floats
    nx: Ints
    starts: Ints
    start: Ints
    hits: Ints
    heights: Floats
    shares: Floats
    edges: Ints32

    def picked(self, numbers: Ints) -> Poses:
        """Some of the poses, given their numbers (k,)."""
        starts = [self.start[self.starts[n] : self.starts[n + 1]] for n in numbers]
        parts = [slice(self.hits[n], self.hits[n + 1]) for n in numbers]
        ends, hits = (np.cumsum([0, *sizes]) for sizes in (map(len, starts), (p.stop - p.start for p in parts)))
        return Poses(
            self.downs[numbers], self.rotations[numbers], self.lifts[numbers], self.grids[numbers], self.nx[numbers],
            ends, np.concatenate(starts), hits, np.concatenate([self.heights[p] for p in parts]),
            np.concatenate([self.shares[p] for p in parts]), self.edges,
        )


def posed(solid: Solid, downs: Floats, threshold: float, marks: Marked, cells: int) -> Poses:
    """Raster a piece with each of some directions down.

    Parameters
    ----------
    downs : (k, 3) float64
        Unit vectors of the model frame.
    """
    rotations = downs_to_rotations(downs)

    def raster(rotation: Floats) -> tuple[float, Columns, Floats]:
        turned = solid.vertices @ rotation.T
        lift = -float(turned[:, 2].min())
        turned[:, 2] += lift
        columns = column_field(turned, solid.triangles, cells)
        needy = soft_shares(solid.normals @ rotation[2], threshold, marks)
        facets = columns.facets
        return lift, columns, np.where(facets >= 0, -1.0, needy[np.where(facets >= 0, 0, -1 - facets)])

    lifts, columns, shares = zip(*map(raster, rotations), strict=True)
    starts, hits = (np.cumsum([0, *map(len, parts)]) for parts in ([c.start for c in columns], shares))
    count = len(solid.vertices)
    edges = np.unique(edge_numbers(solid.triangles, count)[0])
    return Poses(
        np.asarray(downs), rotations, np.array(lifts), np.array([(c.x0, c.y0, c.cell) for c in columns]),
        np.array([c.nx for c in columns]), starts, np.concatenate([c.start for c in columns]), hits,
        np.concatenate([c.heights for c in columns]), np.concatenate(shares),
        np.stack([edges // count, edges % count], axis=1).astype(np.int32),
    )


def in_poses(poses: Poses, solid: Solid, normal: Floats, offsets: Floats, threshold: float) -> Floats:
    """Support, base and shadow of both sides of each plane, in each pose.

    Parameters
    ----------
    normal : (3,) float64
        The unit normal, model frame.
    offsets : (k,) float64, mm
        The places of the planes, evenly spaced and rising.

    Returns
    -------
    (p, 3, 2, k) float64
        In mm3, mm2 and mm2.
    """
    first, step, count = _steps(offsets)
    along = solid.vertices @ normal
    return np.asarray(pose_kernels.pose_places(
        poses.starts, poses.start, poses.hits, poses.heights, poses.shares, poses.grids, poses.nx, poses.rotations,
        poses.lifts, np.ascontiguousarray(normal), *soft_rule(threshold),
        *pose_kernels.by_place(along, solid.vertices, first, step, count),
        *pose_kernels.crossings(along, solid.vertices, poses.edges, first, step, count), first, step, count,
    ))


def _steps(offsets: Floats) -> tuple[float, float, int]:
    """The first place, the step to the next, and how many there are."""
    return float(offsets[0]), float(offsets[1] - offsets[0]) if len(offsets) > 1 else 1.0, len(offsets)


def every_place(
    solid: Solid, normal: Floats, offsets: Floats, threshold: float, marks: Marked, exposed: Floats, cells: int,
    printer: Printer | None = None, poses: Poses | None = None,
) -> CutPlaces:
    """Part a piece at each of some parallel planes. Both sides are tried on their cut faces and on their far ends,
    and in the given poses.

    Parameters
    ----------
    normal : (3,) float64
        Unit, model frame.
    offsets : (k,) float64, mm
        The places of the planes, evenly spaced and rising.
    exposed : (m,) float64
        The exposure of the facets, 0 for what is not the skin of the model.
    """
    rotation = down_to_rotation(-normal)
    turned = solid.vertices @ rotation.T
    columns = column_field(turned, solid.triangles, cells)
    along = np.ascontiguousarray(turned[:, 2])
    cosine = solid.normals @ rotation[2]
    down, up = soft_shares(cosine, threshold, marks), soft_shares(-cosine, threshold, marks)
    first, step, count = _steps(offsets)
    low, high = float(along.min()), float(along.max())
    sums = plane_kernels.places_sums(
        columns.start, columns.heights, columns.facets, down, up, low, high, first, step, count
    )
    cell = columns.cell**2
    support, base, section, shadow, volume = (np.maximum(part, 0.0) * cell for part in sums)
    seam = plane_kernels.seam_sums(
        along, solid.vertices, solid.triangles, seam_weights(exposed, marks), cosine, first, step, count
    )
    # (side, way, place) to (way, side, place), the way with the cut face down first
    ways, bases = (part.reshape(2, 2, count).swapaxes(0, 1) for part in (support, base))
    shadows = np.broadcast_to(shadow, (2, 2, count))
    if poses is not None:
        other = in_poses(poses, solid, normal, offsets, threshold)
        ways, bases, shadows = (
            np.concatenate([own, other[:, n]]) for n, own in enumerate((ways, bases, shadows))
        )
    flats = np.where(flat_by_base(bases, shadows), ways, np.inf)
    best, best_flat = ways.argmin(axis=0), flats.argmin(axis=0)
    reach = np.stack([np.clip(high - offsets, 0, None), np.clip(offsets - low, 0, None)])
    longest, rooms = _lying(turned, offsets, reach, printer or default_printer())
    return CutPlaces(
        normal, offsets, ways.min(axis=0), flats.min(axis=0), best + FACE_DOWN, best_flat + FACE_DOWN, volume, longest,
        section, seam[0], seam[1], seam[2], seam[3], seam[4], rooms,
    )


def seam_weights(exposed: Floats, marks: Marked) -> Floats:
    """What a mm of seam on each facet counts in length, in sight, across show faces, where none may run, and in
    sight where one is welcome.

    Parameters
    ----------
    exposed : (m,) float64
        The exposure of the facets.

    Returns
    -------
    (m, 5) float64
    """
    return np.stack([np.ones(len(exposed)), exposed, marks.show, marks.never, marks.prefer * exposed], axis=1)


def _lying(turned: Floats, offsets: Floats, reach: Floats, printer: Printer) -> tuple[Floats, Ints]:
    """``longest`` and ``rooms`` of ``CutPlaces``.

    Parameters
    ----------
    turned : (n, 3) float64
        The vertices with the normal up.
    reach : (2, k) float64, mm
        The extent of both sides along the normal.
    """
    yaw = np.radians(np.arange(0.0, 180.0, 15.0))
    widths = plane_kernels.side_widths(turned, np.cos(yaw), np.sin(yaw), *_steps(offsets))
    # a yaw and the one a quarter turn on are the sides of a box
    across = np.roll(widths, -len(yaw) // 2, axis=2)
    boxes = np.stack([widths, across, np.broadcast_to(reach[:, :, None], widths.shape)], axis=-1)
    rooms = rooms_of_boxes(boxes, printer.room).min(axis=2)
    return np.maximum(np.maximum(widths, across).min(axis=2), reach), rooms
