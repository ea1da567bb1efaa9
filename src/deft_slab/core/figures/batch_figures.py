"""The figures that a search compares, for many seats of a piece at once, by the soft rule."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Floats
from ..mesh.solid import Solid
from ..printers.profile import Printer, default_printer
from . import batch_kernels, column_kernels
from .base_area import FLOATING, LEAST_BASE_AREA, Base, base_of
from .marked_facets import Marked, unmarked
from .overhang import BED_TOLERANCE, LEVEL, soft_rule
from .print_time import along_layers, print_seconds

_LAYERS = 128
"""Layers whose area a search looks at."""


@dataclass(frozen=True, eq=False)
class Sketches:
    """Figures of k seats, one array (k,) each. The names state the units, as in ``Figures``; ``sits_flat`` is 1 or
    0.

    Attributes
    ----------
    steady : degrees
        By how many degrees it can be tipped; 0 if it does not sit flat.
    """

    support_volume_mm3: Floats
    overhang_area_mm2: Floats
    touched_area_mm2: Floats
    show_scar_mm2: Floats
    height_mm: Floats
    largest_layer_mm2: Floats
    level_underside_mm2: Floats
    print_seconds: Floats
    sits_flat: Floats
    steady: Floats


def sketches(
    solid: Solid, rotations: Floats, threshold: float, cells: int, *, printer: Printer | None = None,
    marks: Marked | None = None, lift: float = 0.0, layered: bool = True,
) -> Sketches:
    """The figures of some seats that a search needs.

    Parameters
    ----------
    rotations : (k, 3, 3) float64
        The seats.
    threshold : float, degrees
    cells : int
        Columns across the longer side of the shadow.
    lift : float
        Height over the bed, in mm.
    layered : bool
        Whether to compute the largest layer; otherwise that is 0, which is quicker.
    """
    printer = printer or default_printer()
    marks = marks or unmarked(len(solid.triangles))
    rotations = np.ascontiguousarray(rotations)
    volume, landing, on_show, shadow, height, largest, need, supported, scar, underside, resting, wall = (
        batch_kernels.sketch_sums(
            solid.vertices, solid.triangles, solid.normals, solid.areas, rotations, lift, *soft_rule(threshold),
            BED_TOLERANCE, LEVEL, marks.hold, marks.clear, marks.show, cells, _LAYERS if layered else 0,
            solid.closed and not solid.inside_out,
        ).T
    )
    flat, steady = np.zeros(len(rotations)), np.zeros(len(rotations))
    # the outline is only asked for where enough rests: it costs as much as the columns
    for way in np.flatnonzero(resting >= LEAST_BASE_AREA):
        base = FLOATING if lift > 0 else _base(solid, rotations[way], float(resting[way]))
        if base.sits_flat(float(shadow[way])):
            flat[way], steady[way] = 1.0, base.tipping
    if printer.slope:
        aslant = [along_layers(solid.vertices, solid.normals, solid.areas, one, printer) for one in rotations]
        height_along, wall = np.array(aslant).T
    else:
        height_along = height
    seconds = np.array([
        print_seconds(printer, float(one), solid.volume, float(upright), float(support))
        for one, upright, support in zip(height_along, wall, volume, strict=True)
    ])
    return Sketches(
        volume, need, supported + landing, scar + on_show, height, largest, underside, seconds, flat, steady
    )


def _base(solid: Solid, rotation: Floats, area: float) -> Base:
    """What a piece that is set down stands on.

    Parameters
    ----------
    area : float, mm2
        The area that rests on the bed.
    """
    vertices = column_kernels.turn_and_set_down(solid.vertices, rotation, 0.0)
    low = vertices[:, 2] <= BED_TOLERANCE
    resting = low[solid.triangles].all(axis=1) & (solid.normals @ rotation[2] < 0)
    # all of it moves alike, so one vertex tells how far it was set down
    centre = vertices[0] + rotation @ (solid.centre_of_mass - solid.vertices[0])
    return base_of(vertices, solid.triangles, resting, area, centre)
