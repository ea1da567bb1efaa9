"""Hours of printing, estimated from what is known before any path is planned. Every constant comes from the profile."""

from __future__ import annotations

import math

import numpy as np

from ..arrays import Floats
from ..printers.profile import Printer

_NO_LAYER = 1e-3
"""Share of a layer's thickness under which what is left on top is rounding of the file: 120.000003 mm are 600 layers of
0.2 mm, and not 601."""


def layers_of(height: float, thickness: float) -> int:
    """How many layers a height takes.

    Parameters
    ----------
    height, thickness : float, mm
    """
    return max(1, math.ceil(height / thickness - _NO_LAYER))


def layer_count(height: float, printer: Printer) -> int:
    """How many layers a height in mm takes at the usual layer height."""
    return layers_of(height, printer.layer_height)


def print_seconds(printer: Printer, height: float, volume: float, wall: float, support: float) -> float:
    """The time to print one piece alone on the bed, in seconds.

    Resin: bottom layers, and the others at exposure and lift. Filament: walls and infill laid at the speed of the
    path (docs/how-it-works.md: the sum over layers of (wall length x walls + fill area x ratio / line width) / speed),
    support as plastic at its density, and a fixed time for each layer.

    Parameters
    ----------
    height : float
        The height over the bed, in mm.
    volume : float
        The volume of the piece, in mm3.
    wall : float, mm2
        The length of the outlines times the layer height, summed over the layers. By the coarea formula that is
        the integral of sqrt(1 - n_z^2) over the surface, so no layer need be cut for it.
    support : float
        The volume of the support's envelope, in mm3.
    """
    layers = layer_count(height, printer)
    if printer.kind == "resin":
        bottom = min(layers, printer.bottom_layers)
        return bottom * printer.bottom_seconds + (layers - bottom) * (printer.exposure_seconds + printer.lift_seconds)
    thickness, line = printer.layer_height, printer.line_width
    laid = laid_volume(printer, volume, wall, support)
    return laid / (thickness * line) / printer.speed + layers * printer.layer_seconds


def along_layers(
    vertices: Floats, normals: Floats, areas: Floats, rotation: Floats, printer: Printer
) -> tuple[float, float]:
    """The extent of a body along the direction in which layers follow each other, and its wall (see
    ``print_seconds``), on a printer whose layers are slanted.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
    normals : (m, 3) float64
        Unit normals of its facets.
    areas : (m,) float64, mm2
        The areas of its facets.
    rotation : (3, 3) float64
        Its seat.

    Returns
    -------
    float, mm; float, mm2
    """
    way = rotation.T @ np.array(printer.upward)
    along = vertices @ way
    wall = np.sqrt(np.maximum(1.0 - (normals @ way) ** 2, 0.0)) @ areas
    return float(along.max() - along.min()), float(wall)


def laid_volume(printer: Printer, volume: float, wall: float, support: float) -> float:
    """The volume of material in one piece and its support: walls and infill on a filament printer, all of it on a
    resin printer.

    Parameters
    ----------
    volume, wall, support : float
        See ``print_seconds``.

    Returns
    -------
    float, mm3
    """
    whole = max(volume, 0.0)
    if printer.kind == "resin":
        return whole + printer.support_density * support
    shell = min(wall * printer.wall_lines * printer.line_width, whole)
    return shell + printer.infill * (whole - shell) + printer.support_density * support
