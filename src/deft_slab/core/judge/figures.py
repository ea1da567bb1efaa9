"""All figures of one piece in one tilt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..outcome import Figures
from ..solid import Solid
from . import kernels
from .base import Base, base_of
from .columns import Columns, column_field
from .exposure import HIDDEN
from .overhang import BED_TOLERANCE, DEFAULT_THRESHOLD, RAMP, need, overhang_angles, ramp
from .tilts import set_down

Floats = NDArray[np.float64]

REPORT_CELLS = 256
"""Columns along the longer side of the shadow for figures that are shown."""


@dataclass(frozen=True, eq=False)
class Support:
    """Sums over the column field, mm2 and mm3; ``floors`` (hits,) is where the support under each hit ends, mm."""

    volume: float
    inside: float
    on_piece: float
    on_bed: float
    landing_area: float
    projected_area: float
    floors: Floats


@dataclass(frozen=True, eq=False)
class Seated:
    """A piece set down in a tilt.

    vertices : (n, 3) mm, bed frame
    normals_z : (m,); angles : (m,) degrees; rests : (m,) bool, within the bed tolerance; mid : (m,) mm, height
    centre : (3,) mm, centre of mass
    """

    vertices: Floats
    normals_z: Floats
    angles: Floats
    rests: NDArray[np.bool_]
    mid: Floats
    centre: Floats


def seat(solid: Solid, rotation: Floats, tolerance: float = BED_TOLERANCE) -> Seated:
    """Turns a piece and sets it down."""
    vertices = set_down(solid.vertices, rotation)
    normals_z = solid.normals @ rotation[2]
    lift = float((solid.vertices @ rotation[2]).min())
    centre = rotation @ solid.centre_of_mass - np.array([0.0, 0.0, lift])
    rests, mid = kernels.place_facets(np.ascontiguousarray(vertices[:, 2]), solid.triangles, tolerance)
    return Seated(vertices, normals_z, overhang_angles(normals_z), rests, mid, centre)


def support(
    solid: Solid, seated: Seated, weight: Floats, hidden: NDArray[np.bool_] | None, cells: int
) -> tuple[Support, Columns]:
    """Support volume and its parts, from the column field.

    V is the integral over the facets that need support of (z - landing height). The first part, the height itself,
    is summed exactly over the facets (area seen from above times the height of the centroid); only the landing
    heights are sampled, and scaled by the exact needing area over the sampled one. Where all support lands on the
    bed V is therefore exact.

    weight : (m,) 0 to 1, from ``need`` or ``ramp``; hidden : (m,) bool, facets that hardly a ray reaches
    """
    columns = column_field(seated.vertices, solid.triangles, cells)
    floors = np.empty(len(columns.heights))
    nobody = np.zeros(len(weight), np.bool_)
    area, landings, on_bed, on_piece, inside, landing, shadow = kernels.support_sums(
        columns.start, columns.heights, columns.facets, weight, nobody if hidden is None else hidden, floors
    )
    cell = columns.cell**2
    projected = weight * np.abs(seated.normals_z) * solid.areas
    exact_area = float(projected.sum())
    scale = exact_area / (area * cell) if area > 0 else 0.0
    volume = max(float(projected @ seated.mid) - landings * cell * scale, 0.0) if area > 0 else 0.0
    share = volume / (on_bed + on_piece) if on_bed + on_piece > 0 else 0.0
    return (
        Support(
            volume, inside * share, on_piece * share, on_bed * share, landing * cell * scale, shadow * cell, floors
        ),
        columns,
    )


@dataclass(frozen=True)
class Sketch:
    """The few figures that a search compares; support volume by the soft ramp."""

    support_volume_mm3: float
    sits_flat: bool


def sketch(solid: Solid, rotation: Floats, threshold: float, cells: int) -> Sketch:
    """What a search needs to know of one tilt."""
    seated = seat(solid, rotation)
    found, _ = support(solid, seated, ramp(seated.angles, seated.rests, threshold), None, cells)
    return Sketch(found.volume, _base(solid, seated).sits_flat(found.projected_area))


def _base(solid: Solid, seated: Seated) -> Base:
    return base_of(seated.vertices, solid.triangles, seated.rests & (seated.normals_z < 0), solid.areas, seated.centre)


@dataclass(frozen=True, eq=False)
class Measured:
    """Figures, and where they come from.

    past_threshold : (m,) float32, degrees past the threshold of facets that need support, else -1
    """

    figures: Figures
    seated: Seated
    columns: Columns
    floors: Floats
    past_threshold: NDArray[np.float32]


def measure(
    solid: Solid,
    rotation: Floats,
    *,
    threshold: float = DEFAULT_THRESHOLD,
    exposed: Floats | None = None,
    cells: int = REPORT_CELLS,
    tolerance: float = BED_TOLERANCE,
    trusted: bool = False,
) -> Measured:
    """All figures of a piece in a tilt, by the hard rule.

    exposed : (m,) exposure of each facet; without it, support inside is given as 0
    trusted : the solid is known to be closed, and is not looked at again
    """
    seated = seat(solid, rotation, tolerance)
    weight = need(seated.angles, seated.rests, threshold)
    hidden = None if exposed is None else exposed < HIDDEN
    found, columns = support(solid, seated, weight, hidden, cells)
    base = _base(solid, seated)
    near = (np.abs(seated.angles - threshold) < RAMP) & ~seated.rests
    closed = trusted or (solid.defects.closed and not solid.defects.inside_out)
    extent = np.ptp(seated.vertices, axis=0)
    figures = Figures(
        triangles=len(solid.triangles),
        closed=closed,
        size_mm=(float(extent[0]), float(extent[1]), float(extent[2])),
        volume_mm3=solid.volume if closed else None,
        height_mm=float(extent[2]),
        overhang_area_mm2=float(weight @ solid.areas),
        support_volume_mm3=found.volume,
        support_inside_mm3=found.inside,
        support_on_piece_mm3=found.on_piece,
        support_on_bed_mm3=found.on_bed,
        landing_area_mm2=found.landing_area,
        projected_area_mm2=found.projected_area,
        base_area_mm2=base.area,
        steadiness_mm=base.steadiness,
        tipping_deg=base.tipping,
        sits_flat=base.sits_flat(found.projected_area),
        near_threshold_share=float(solid.areas[near].sum() / max(solid.areas.sum(), 1e-300)),
    )
    past = np.where(weight > 0, seated.angles - threshold, -1.0).astype(np.float32)
    return Measured(figures, seated, columns, found.floors, past)
