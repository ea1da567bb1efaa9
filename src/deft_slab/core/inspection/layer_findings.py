"""Checks one piece in its seat, layer by layer: what begins in the air, what is closed in, what grows suddenly."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Bools, Floats
from ..document.base import Triple, triple
from ..figures.base_area import outline
from ..figures.overhang import BED_TOLERANCE
from ..figures.wall_thickness import met_first, thinnest, through
from ..geometry.pose import BedPose
from ..layers import region_kernels
from ..layers.pockets import ClosedAir, closed_air
from ..layers.regions import Kind, Regions, regions_of
from ..layers.sections import Levels, Slicer, beginnings
from ..locale.translate import tr
from ..mesh.union_find import linked
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Piece
from .findings import Inspection, Island, Jump, Neck, Pocket, PocketKind, Steadiness, ThinWall

_ROWS = {"resin": 0.1, "filament": 0.2}
"""mm between the rows by which layers are laid over each other."""
MOST_LAYERS = 200_000
_GRAVITY = 9.81e-3
"""N for a gram."""
_WORTH_A_POCKET = 1.0
"""mm2 (or mm3 of a trapped one): what is smaller is not listed."""
_OPPOSITE = math.cos(math.radians(45.0))
"""A wall has two sides that face about opposite ways; an edge has not."""
_WORTH_A_WALL = 4.0
"""mm2 of surface on a thin wall: what is smaller is not listed."""
_MOST_FOUND = 200
_RAYS = 16
_BY_A_TIP = 0.5
"""mm, besides the size of an island where it begins, within which the tip of a post holds it."""


@dataclass(frozen=True, eq=False)
class _Layered:
    """A piece in its seat, divided into layers."""

    piece: Piece
    sits: BedPose
    layers: Levels

    @classmethod
    def by(cls, piece: Piece, layer: float) -> _Layered:
        """A piece divided into layers.

        Parameters
        ----------
        layer : float, mm
            The layer thickness; layers are thicker if there would be far too many.
        """
        sits = BedPose(piece.solid, piece.seat.rotation, piece.lift)
        height = float(sits.vertices[:, 2].max())
        layers = Levels(piece.lift, max(layer, (height - piece.lift) / MOST_LAYERS), height)
        return cls(piece, sits, layers)

    def spot(self, x: float, y: float, z: float) -> tuple[Triple, Triple]:
        """A place on the bed, and the same place on the model, in mm."""
        at = np.array([x, y, z])
        return triple(at), triple(self.sits.on_model(at))


def checked(
    piece: Piece, printer: Printer, layer: float, held: Bools, reach: float, tips: Floats,
    job: Job = QUIET,
) -> Inspection:
    """Check a piece in its seat.

    Parameters
    ----------
    layer : float, mm
        The layer thickness.
    held : (m,) bool
        The facets that get support.
    reach : float, mm
        How far solid may lie beside what is below and still be held by it.
    tips : (k, 3) float64, mm, model frame
        Where posts touch the piece.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    seated = _Layered.by(piece, layer)
    levels, nothing = seated.layers, np.zeros(0)
    empty = Inspection(piece.number - 1, piece.name, levels.thickness, levels.base, levels.height, nothing, nothing,
                    np.empty((0, 4)))
    if not piece.figures.closed:
        return replace(empty, problem=tr("Its surface is not closed, so its layers are unknown. Close it in Size."))
    slicer = Slicer.of(piece.solid, seated.sits.vertices)
    regions = regions_of(slicer, levels, _ROWS[printer.kind], reach, job.part(0.0, 0.7))
    islands = _islands(seated, regions.solid, held, tips, printer.least_island)
    pockets, closed = _pockets(seated, regions)
    peel = regions.areas + (closed if printer.kind == "resin" else 0.0)
    where, hangs = beginnings(piece.solid, seated.sits.vertices)
    return replace(
        empty, areas=regions.areas, peel=peel, begins=np.column_stack([where, hangs]), islands=islands, pockets=pockets,
        jumps=_jumps(seated, regions, peel, printer.most_jump), necks=_necks(seated, regions),
        thin=_thin(seated, printer.thinnest_wall, held, tips, job.part(0.7, 1.0)),
        steadiness=steadiness_of(piece, printer, seated.sits.vertices),
    )


def _islands(
    seated: _Layered, solid: Kind, held: Bools, tips: Floats, least: float
) -> tuple[Island, ...]:
    """The islands, those that hang longest first."""
    levels = seated.layers
    island, met, most = region_kernels.followed_solid(
        solid.layer, solid.area, solid.over, solid.below, seated.layers.resting
    )
    begun = np.flatnonzero(island == np.arange(len(island)))
    if not len(begun):
        return ()
    layer = solid.layer[begun]
    inside = np.column_stack([solid.place[begun], levels.middles[layer]])
    down = np.broadcast_to(-seated.piece.seat.rotation[2], (len(begun), 3))
    _, under = through(seated.piece.solid, seated.sits.on_model(inside), np.ascontiguousarray(down))
    hangs = np.where(met[begun] >= 0, met[begun], levels.count) - layer
    found = []
    for n, region in enumerate(begun):
        x, y = (float(value) for value in solid.place[region])
        at, place = seated.spot(x, y, levels.bottom(int(layer[n])))
        area = float(solid.area[region])
        by = "support" if under[n] >= 0 and held[under[n]] else ""
        if len(tips) and np.linalg.norm(tips - np.array(place), axis=1).min() <= _BY_A_TIP + math.sqrt(area):
            by = "a post"
        found.append(Island(at, place, int(layer[n]), at[2], area, float(most[region]), int(hangs[n]),
                            bool(met[region] >= 0), by, bool(most[region] < least)))
    found.sort(key=lambda one: (bool(one.held), one.small, -one.hangs, -one.grows))
    return tuple(found[:_MOST_FOUND])


def _pockets(seated: _Layered, regions: Regions) -> tuple[tuple[Pocket, ...], Floats]:
    """The pockets of some size, largest first, and the area of all that is closed in each layer."""
    cups, closed = closed_air(regions, seated.layers, seated.layers.resting, _WORTH_A_POCKET)
    found = []
    for cup in cups[:_MOST_FOUND]:
        at, place = seated.spot(*cup.widest)
        begins = seated.layers.bottom(cup.first)
        kind = _kind(seated, cup)
        found.append(Pocket(at, place, kind, begins, cup.opens, cup.widest[2], cup.area, cup.volume))
    return tuple(found), closed


def _kind(seated: _Layered, cup: ClosedAir) -> PocketKind:
    """What becomes of a pocket."""
    if cup.opens is None:
        return "sealed by the plate" if cup.first < seated.layers.resting else "trapped"
    at = cup.widest
    turn = np.linspace(0.0, 2.0 * np.pi, _RAYS, endpoint=False)
    above = cup.opens + 0.5 * seated.layers.thickness
    towards = np.vstack([[0.0, 0.0, 1.0], np.column_stack([np.cos(turn), np.sin(turn), np.zeros(_RAYS)])])
    start = np.array([[*at[:2], at[2]]] + [[*at[:2], above]] * _RAYS)
    solid, way = seated.piece.solid, towards @ seated.piece.seat.rotation
    hit = met_first(solid, seated.sits.on_model(start), way)[1] >= 0
    return "opens" if hit[0] or np.count_nonzero(hit[1:]) > _RAYS // 2 else "open at its top"


def _jumps(seated: _Layered, regions: Regions, peel: Floats, most: float) -> tuple[Jump, ...]:
    """Layers that grow by more than a limit, the largest growth first.

    Parameters
    ----------
    most : float, mm2
        The limit.
    """
    grown = np.diff(peel, prepend=peel[:1])
    levels = seated.layers
    found = []
    for layer in np.flatnonzero(grown > most):
        x, y = _largest_place(regions, int(layer))
        at, place = seated.spot(x, y, levels.bottom(int(layer)))
        found.append(Jump(at, place, at[2], float(grown[layer]), float(peel[layer])))
    found.sort(key=lambda one: -one.growth)
    return tuple(found[:_MOST_FOUND])


def _largest_place(regions: Regions, layer: int) -> tuple[float, float]:
    """A point in the largest solid region of a layer.

    Returns
    -------
    (float, float), mm
    """
    solid = regions.solid
    own = np.arange(*np.searchsorted(solid.layer, [layer, layer + 1]))
    x, y = solid.place[own[int(np.argmax(solid.area[own]))]] if len(own) else (0.0, 0.0)
    return float(x), float(y)


def _necks(seated: _Layered, regions: Regions) -> tuple[Neck, ...]:
    """The smallest layer under the largest one, if there is one."""
    areas = regions.areas
    widest = int(np.argmax(areas))
    if widest == 0 or seated.piece.lift > 0:  # what stands on support hangs by that, and not by its lowest layer
        return ()
    layer = int(np.argmin(areas[:widest]))
    x, y = _largest_place(regions, layer)
    at, place = seated.spot(x, y, float(seated.layers.middles[layer]))
    return (Neck(at, place, at[2], float(areas[layer]), float(areas[widest])),)


def _thin(
    seated: _Layered, limit: float, held: Bools, tips: Floats, job: Job
) -> tuple[ThinWall, ...]:
    """Walls thinner than a limit, the largest first.

    Parameters
    ----------
    limit : float, mm
    """
    solid = seated.piece.solid
    wall, met = through(solid, solid.centroids, -solid.normals, job)
    thin = np.flatnonzero(wall < limit)
    facing = np.einsum("ij,ij->i", solid.normals[thin], -solid.normals[met[thin]])
    thin = thin[facing > _OPPOSITE]
    if not len(thin):
        return ()
    corners = solid.triangles[thin]
    # both sides of a wall are one
    across = np.column_stack([corners[:, 0], solid.triangles[met[thin], 0]])
    of_corner = linked(np.concatenate([corners[:, :2], corners[:, 1:], across]), len(solid.vertices))
    of = np.unique(of_corner[corners[:, 0]], return_inverse=True)[1].ravel()
    area = np.bincount(of, solid.areas[thin])
    found = []
    for number in np.argsort(-area, kind="stable")[:_MOST_FOUND]:
        if area[number] < _WORTH_A_WALL:
            break
        own = thin[of == number]
        least = own[int(np.argmin(wall[own]))]
        touched = bool(held[own].any())
        if len(tips) and not touched:
            touched = bool(cKDTree(tips).query(solid.centroids[own])[0].min() < _BY_A_TIP)
        place = solid.centroids[least]
        at = seated.sits.on_bed(place)
        found.append(ThinWall(triple(at), triple(place), thinnest(wall[own], solid.areas[own]), float(area[number]),
                              float(at[2]), touched))
    return tuple(found)


def steadiness_of(piece: Piece, printer: Printer, vertices: Floats) -> Steadiness:
    """How steadily a piece stands.

    Parameters
    ----------
    vertices : (n, 3) float64, mm, bed frame
    """
    f = piece.figures
    low = vertices[:, 2] <= (BED_TOLERANCE if piece.lift == 0 else piece.lift + BED_TOLERANCE)
    foot = outline(vertices[low][:, :2])
    width = _narrowest(foot)
    grams = (f.volume_mm3 or 0.0) / 1000.0 * printer.material_density
    push = grams * _GRAVITY * max(f.steadiness_mm, 0.0) / max(f.height_mm, 1e-9)
    return Steadiness(f.tipping_deg, f.height_mm / width if width > 0 else math.inf, push, f.base_area_mm2)


def _narrowest(corners: Floats) -> float:
    """The least distance between two parallel lines that a convex outline fits between; one of them lies along an
    edge (rotating calipers).

    Returns
    -------
    float, mm
    """
    if len(corners) < 3:
        return 0.0
    edges = np.roll(corners, -1, axis=0) - corners
    normals = np.column_stack([-edges[:, 1], edges[:, 0]]) / np.linalg.norm(edges, axis=1)[:, None]
    across = corners @ normals.T
    return float((across.max(axis=0) - across.min(axis=0)).min())
