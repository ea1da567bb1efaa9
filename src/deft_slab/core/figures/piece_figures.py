"""All figures of one piece in one tilt."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..arrays import Bools, Floats, Floats32
from ..defaults import THRESHOLD
from ..mesh.solid import Solid
from ..printers.profile import Printer, default_printer
from ..results.outcome import Figures
from . import column_kernels, section_kernels
from .base_area import FLOATING, Base, base_of
from .column_field import Columns, column_field
from .exposure import HIDDEN
from .marked_facets import Marked, unmarked
from .overhang import BED_TOLERANCE, LEVEL, RAMP, hard_rule, overhang_angles
from .print_time import along_layers, laid_volume, layer_count, print_seconds

REPORT_CELLS = 256
"""Columns along the longer side of the shadow for figures that are shown."""
_DOUBLED = 1e-4
"""Share of a solid that may lie in two skins at once: counted twice, it changes no area by more than that."""
_SHADOW_ROWS = 512
MOST_LAYERS = 100_000
"""Of how many layers areas are kept; of a prop with more (20 m at 0.2 mm), as many thicker ones."""


@dataclass(frozen=True, eq=False)
class Support:
    """Sums over the column field, in mm2 and mm3. ``floors`` (hits,) is where the support under each hit ends, in
    mm.
    """

    volume: float
    inside: float
    on_piece: float
    on_bed: float
    landing_area: float
    landing_on_show: float
    projected_area: float
    floors: Floats


@dataclass(frozen=True, eq=False)
class Seated:
    """A piece set down in a tilt, and what each of its facets means there. Areas are in mm2.

    Attributes
    ----------
    vertices : (n, 3) float64, mm, bed frame
    normals_z : (m,) float64
    weight : (m,) float64
        How much of each facet gets support, 0 to 1.
    centre : (3,) float64, mm
        The centre of mass.
    lift : float
        Height over the bed, in mm.
    tolerance : float, mm
        What lies this low rests on the bed.
    height : float, mm
        The height of its highest point over the bed.
    need : float
        The area that needs support.
    supported : float
        The area that gets support.
    scar : float
        The part of that on show faces.
    unheld : float
        The area that needs support but is refused.
    shadow : float
        The supported area seen from above.
    shadow_height : float, mm3
        The same times its height.
    underside : float
        The nearly level area that faces down.
    resting : float
        The area on the bed.
    wall : float
        See ``print_time.print_seconds``.
    """

    vertices: Floats
    normals_z: Floats
    weight: Floats
    centre: Floats
    lift: float
    tolerance: float
    height: float
    need: float
    supported: float
    scar: float
    unheld: float
    shadow: float
    shadow_height: float
    underside: float
    resting: float
    wall: float


def seat(
    solid: Solid, rotation: Floats, rule: tuple[float, float], marks: Marked | None = None, lift: float = 0.0,
    tolerance: float = BED_TOLERANCE,
) -> Seated:
    """Rotate a piece, set it down or lift it, and weigh its facets.

    Parameters
    ----------
    rotation : (3, 3) float64
        From the model frame to the bed.
    rule : tuple[float, float]
        From ``hard_rule`` or ``soft_rule``.
    lift : float, mm
        Height over the bed.
    """
    vertices = column_kernels.turn_and_set_down(solid.vertices, np.ascontiguousarray(rotation), lift)
    normals_z = solid.normals @ rotation[2]
    moved = vertices[0, 2] - float(rotation[2] @ solid.vertices[0])
    centre = rotation @ solid.centre_of_mass + np.array([0.0, 0.0, moved])
    marks = marks or unmarked(len(solid.triangles))
    weight = np.empty(len(solid.triangles))
    heights = np.ascontiguousarray(vertices[:, 2])
    sums = column_kernels.weigh_facets(
        heights, solid.triangles, normals_z, solid.areas, *rule, tolerance, lift > 0, LEVEL, marks.hold, marks.clear,
        marks.show, weight,
    )
    return Seated(vertices, normals_z, weight, centre, lift, tolerance, float(heights.max()), *sums)


def support(
    solid: Solid, seated: Seated, hidden: Bools | None, show: Bools | None, cells: int
) -> tuple[Support, Columns]:
    """Support volume and its parts, from the column field.

    The volume V is the integral of (z - landing height) over the facets that get support. Its first part, the height
    itself, is summed exactly over the facets (area seen from above times the height of the centroid). Only the
    landing heights are sampled, and scaled by the exact area over the sampled one. If all support lands on the bed, V
    is therefore exact.

    Parameters
    ----------
    hidden : (m,) bool
        Facets that hardly a ray reaches.
    show : (m,) bool
        Facets that must come out clean.
    """
    columns = column_field(seated.vertices, solid.triangles, cells)
    floors = np.empty(len(columns.heights))
    nobody = np.zeros(len(seated.weight), np.bool_)
    area, landings, on_bed, on_piece, inside, landing, on_show, shadow = column_kernels.support_sums(
        columns.start, columns.heights, columns.facets, seated.weight, nobody if hidden is None else hidden,
        nobody if show is None else show, floors,
    )
    cell = columns.cell**2
    scale = seated.shadow / (area * cell) if area > 0 else 0.0
    volume = max(seated.shadow_height - landings * cell * scale, 0.0) if area > 0 else 0.0
    share = volume / (on_bed + on_piece) if on_bed + on_piece > 0 else 0.0
    return (
        Support(volume, inside * share, on_piece * share, on_bed * share, landing * cell * scale,
                on_show * cell * scale, shadow * cell, floors),
        columns,
    )


def layer_areas(solid: Solid, seated: Seated, thickness: float, count: int) -> Floats:
    """The exact area of the section in the middle of each layer of a closed solid; in the last layer, in the middle
    of what the solid has of it.

    Parameters
    ----------
    thickness : float, mm
        The thickness of a layer.
    count : int
        The number of layers.

    Returns
    -------
    (count,) float64, mm2
    """
    last = (seated.lift + (count - 1) * thickness + seated.height) / 2
    heights = np.ascontiguousarray(seated.vertices[:, 2])
    upward = seated.normals_z * solid.areas
    return np.asarray(
        section_kernels.section_areas(heights, solid.triangles, upward, seated.lift, thickness, count, last)
    )


def _layers(
    solid: Solid, seated: Seated, columns: Columns, thickness: float, count: int
) -> Floats:
    """``layer_areas``, or counted in the cells of the column field if the surface is open or encloses much twice."""
    hits = columns.start, columns.heights, columns.facets
    closed = solid.closed and not solid.inside_out
    if closed and (solid.made_closed or section_kernels.doubled_share(*hits) < _DOUBLED):
        return layer_areas(solid, seated, thickness, count)
    return np.asarray(column_kernels.section_cells(*hits, seated.lift, thickness, count) * columns.cell**2)


def shadow(solid: Solid, vertices: Floats) -> float:
    """The area of a solid seen from above, exact across in each of many rows.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
        The solid in its seat.

    Returns
    -------
    float, mm2
    """
    chosen = np.ones(len(solid.triangles), np.bool_)
    if solid.closed:  # what faces up covers as much as all does
        x, y = (vertices.take(solid.triangles, axis=0)[..., k] for k in (0, 1))
        chosen = (x[:, 1] - x[:, 0]) * (y[:, 2] - y[:, 0]) > (x[:, 2] - x[:, 0]) * (y[:, 1] - y[:, 0])
    low, high = float(vertices[:, 1].min()), float(vertices[:, 1].max())
    if high <= low:
        return 0.0
    step = (high - low) / _SHADOW_ROWS
    return float(section_kernels.shadow_area(vertices, solid.triangles, chosen, low, step, _SHADOW_ROWS))


def _rests(solid: Solid, seated: Seated) -> Bools:
    """Which facets lie within the tolerance of the bed; none of a lifted piece.

    Returns
    -------
    (m,) bool
    """
    if seated.lift > 0:
        return np.zeros(len(solid.triangles), np.bool_)
    low = seated.vertices[:, 2] <= seated.tolerance
    return np.asarray(low[solid.triangles].all(axis=1))


def _base(solid: Solid, seated: Seated, rests: Bools) -> Base:
    """What the piece stands on."""
    if seated.lift > 0:
        return FLOATING
    resting = rests & (seated.normals_z < 0)
    return base_of(seated.vertices, solid.triangles, resting, seated.resting, seated.centre)


@dataclass(frozen=True, eq=False)
class Measured:
    """The figures of a piece, and where they come from.

    Attributes
    ----------
    past_threshold : (m,) float32, degrees
        How far past the threshold each facet is that needs support; -1 for the others.
    layers : (k,) float64, mm2
        The area of each layer.
    """

    figures: Figures
    seated: Seated
    columns: Columns
    floors: Floats
    past_threshold: Floats32
    layers: Floats


Exposing = Callable[[Bools], Floats]
"""Gives (m,) exposure of facets; only that of the (m,) chosen ones counts."""


def measure(
    solid: Solid,
    rotation: Floats,
    *,
    threshold: float = THRESHOLD,
    printer: Printer | None = None,
    marks: Marked | None = None,
    lift: float = 0.0,
    exposed: Floats | Exposing | None = None,
    cells: int = REPORT_CELLS,
    tolerance: float = BED_TOLERANCE,
    trusted: bool = False,
) -> Measured:
    """All figures of a piece in a tilt, by the hard rule.

    Parameters
    ----------
    marks : Marked | None
        Show faces, hold spots and clear spots.
    lift : float, mm
        Height over the bed.
    exposed : (m,)
        The exposure of each facet, or a function that gives it. Without it, support inside is reported as 0.
    trusted : bool
        Whether the solid is known to be closed, and need not be examined again.
    """
    printer = printer or default_printer()
    rule = hard_rule(threshold)
    seated = seat(solid, rotation, rule, marks, lift, tolerance)
    if callable(exposed):
        exposed = exposed(seated.weight > 0)
    hidden = None if exposed is None else exposed < HIDDEN
    found, columns = support(solid, seated, hidden, marks.show if marks else None, cells)
    rests = _rests(solid, seated)
    base = _base(solid, seated, rests)
    angles = overhang_angles(seated.normals_z)
    near = (np.abs(angles - threshold) < RAMP) & ~rests
    closed = trusted or (solid.defects.closed and not solid.defects.inside_out)
    extent = np.ptp(seated.vertices, axis=0)
    count = layer_count(seated.height - lift, printer)
    thickness = printer.layer_height if count <= MOST_LAYERS else (seated.height - lift) / MOST_LAYERS
    areas = _layers(solid, seated, columns, thickness, min(count, MOST_LAYERS))
    projected = shadow(solid, seated.vertices)
    tall, wall = seated.height, seated.wall
    if printer.slope:
        tall, wall = along_layers(solid.vertices, solid.normals, solid.areas, rotation, printer)
    figures = Figures(
        triangles=len(solid.triangles),
        closed=closed,
        size_mm=(float(extent[0]), float(extent[1]), float(extent[2])),
        volume_mm3=solid.volume if closed else None,
        height_mm=seated.height,
        overhang_area_mm2=seated.need,
        support_volume_mm3=found.volume,
        support_inside_mm3=found.inside,
        support_on_piece_mm3=found.on_piece,
        support_on_bed_mm3=found.on_bed,
        landing_area_mm2=found.landing_area,
        touched_area_mm2=seated.supported + found.landing_area,
        show_scar_mm2=seated.scar + found.landing_on_show,
        unheld_area_mm2=seated.unheld,
        projected_area_mm2=projected,
        base_area_mm2=base.area,
        steadiness_mm=base.steadiness,
        tipping_deg=base.tipping,
        sits_flat=base.sits_flat(projected),
        near_threshold_share=float(solid.areas[near].sum() / max(solid.areas.sum(), 1e-300)),
        layers=layer_count(tall, printer),
        largest_layer_mm2=float(areas.max()),
        layer_growth_mm2=float(max(np.diff(areas).max(initial=0.0), 0.0)),
        level_underside_mm2=seated.underside,
        print_seconds=print_seconds(printer, tall, solid.volume, wall, found.volume),
        material_g=laid_volume(printer, solid.volume, wall, found.volume) * printer.material_density / 1000,
    )
    needs = (-seated.normals_z > rule[0]) & ~rests
    past = np.where(needs, angles - threshold, -1.0).astype(np.float32)
    return Measured(figures, seated, columns, found.floors, past, areas)
