"""Compile all kernels ahead of use (``python -m deft_slab.core.warm``). The compiled code is cached on disk.

Measured (65 to 75 s of processor for all, one specialisation of each kernel): two processes take half as long, if what
both need is compiled by one of them before the other comes to it. Inlining, ``fastmath`` and the error model change
nothing; ``NUMBA_OPT=1`` saves a tenth, 0 makes the kernels ten times slower; explicit signatures cost 1.3 s at every
import. A C++ extension gave bit-equal results at the same speed and would start 0.6 s sooner, but needs a compiler, a
wheel for each Python and a second language.
"""

from __future__ import annotations

import subprocess
import sys

import numpy as np

from .document.marks import Stroke
from .exporting.sheet.drawing import DrawnBody, drawn, view_from
from .exporting.slices.image_kernels import filled
from .figures.base_area import fits_turned
from .figures.batch_figures import sketches
from .figures.exposure import exposure
from .figures.marked_facets import unmarked
from .figures.piece_figures import measure
from .figures.plane_scoring import every_place, posed
from .figures.support_skin import support_skin
from .geometry.harmonic_face import StrokePatch, harmonic
from .hollowing.voids import voids_of
from .joining.room_kernels import free_around
from .layers.pockets import closed_air
from .layers.region_kernels import followed_solid
from .layers.regions import regions_of
from .layers.sections import Levels, Slicer, beginnings
from .mesh.solid import Solid
from .mesh.union_find import linked, same_rows
from .packing.footprint import footprint
from .packing.nest import nested
from .packing.shapes import Shape, Sheet
from .repair.kernels import least_area
from .repair.mend import tangled_share


def _body() -> Solid:
    corners = np.array([[10, 0, 0], [-10, 0, 0], [0, 10, 0], [0, -10, 0], [0, 0, 5], [0, 0, -5]], float)
    upper = [[0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4]]
    lower = [[2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5]]
    return Solid(corners, np.array(upper + lower, np.int32))


def _figures() -> None:
    """The figures of a piece, of many seats at once, and of what lies inside and on a bed: half of the work."""
    solid = _body()
    corners = solid.vertices
    linked(np.zeros((1, 2), np.int64), 1)
    same_rows(corners)
    tangled_share(solid)
    least_area(np.zeros((3, 3)), np.zeros((3, 3), np.int64), np.zeros((3, 3)))
    seen = exposure(solid, directions=2, cells=8)
    sketches(solid, np.eye(3)[None], 45.0, 8)
    fits_turned(corners, np.eye(3)[None], (10.0, 10.0, 10.0))
    measured = measure(solid, np.eye(3), exposed=seen, cells=8)
    support_skin(measured.columns, measured.floors)
    voids_of(solid, 1.0, 0.25, 1.0)
    drawn([DrawnBody(corners, solid.triangles)], view_from(35.0, 22.0), 20, 20)
    nested([Shape(footprint(solid, np.eye(3)))] * 2, Sheet(60.0, 60.0), 4.0)


def _layers_and_places() -> None:
    """Layers, fields and rooms, which need nothing of the other half; then the places of a cut, which do."""
    solid = _body()
    seated, levels = solid.vertices + [0.0, 0.0, 5.0], Levels(0.0, 1.0, 10.0)
    beginnings(solid, seated)
    regions = regions_of(Slicer.of(solid, seated), levels, 0.5)
    followed_solid(regions.solid.layer, regions.solid.area, regions.solid.over, regions.solid.below, 1)
    closed_air(regions, levels, 1, 1.0)
    filled(solid.vertices[:4, :2].copy(), np.array([0, 4]), 1.0, 8, 8)
    free_around(np.zeros((3, 3), np.bool_))
    patch = Stroke(shape="box", places=((0.0, 0.0, 5.0),), half=(9.0, 9.0, 5.0))
    harmonic(StrokePatch(solid, (patch,), (solid.normals[:, 2] > 0,)), 1000)
    up = np.array([0.0, 0.0, 1.0])
    seen = exposure(solid, directions=2, cells=8)
    poses = posed(solid, -up[None], 45.0, unmarked(len(solid.triangles)), 8)
    every_place(solid, up, np.array([-1.0, 1.0]), 45.0, unmarked(len(solid.triangles)), seen, 8, poses=poses)


def warm() -> None:
    """Run every kernel once on a small body, so that it is compiled, or loaded if it was compiled before."""
    _figures()
    _layers_and_places()


def _in_two_processes() -> int:
    beside = subprocess.Popen([sys.executable, "-m", __spec__.name, "--beside"])
    _figures()
    return beside.wait()


if __name__ == "__main__":
    if "--beside" in sys.argv:
        _layers_and_places()
    else:
        sys.exit(_in_two_processes())
