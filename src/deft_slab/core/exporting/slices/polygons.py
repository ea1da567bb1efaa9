"""The layers of a bed as polygons in a 3MF (3MF Slice Extension 1.0.2), beside the surfaces they come from."""

from __future__ import annotations

import ctypes
import math
from collections.abc import Iterator
from typing import Any

import lib3mf
import numpy as np

from ...errors import SaveFailed
from ...importing.threemf import strict_reader, wrapper
from ...locale.translate import tr
from ...mesh.solid import Solid
from ...progress import QUIET, Job
from ..file_grid import two_sided
from ..piece_files import add_mesh, new_model, packed_model
from ..surface_files import in_file
from .layers import Layer, Stack

_DIGITS = 6
"""With which the library writes the corners of slices: to half a micrometre from 100 mm on, five from 1,000 mm on."""


def sliced_bytes(stack: Stack, names: list[str], title: str, about: str, job: Job = QUIET) -> bytes:
    """A 3MF of everything on a bed, each body in its place with its slices. It is read back before it is returned.

    Parameters
    ----------
    names : list[str]
        Of the bodies of the stack.
    about : str
        Its description.

    Raises
    ------
    SaveFailed
        A body would not be closed in the file, or its slices do not read as its layers.
    Cancelled
        The job is no longer wanted.
    """
    model = new_model(title)
    model.GetMetaDataGroup().AddMetaData("", "Description", about, "xs:string", True)
    areas = []
    for number, (slicer, name) in enumerate(zip(stack.slicers, names, strict=True)):
        step = job.part(0.7 * number / len(names), 0.7 * (number + 1) / len(names))
        solid = Solid(slicer.vertices, slicer.triangles)
        corners, triangles = in_file(*two_sided(solid), closed=True)
        mesh = add_mesh(model, corners, triangles, name)
        own, alone = model.AddSliceStack(0.0), Stack((slicer,), stack.thickness)
        areas.append(_add_layers(own, alone, name, step))
        mesh.AssignSliceStack(own)
        mesh.SetSlicesMeshResolution(lib3mf.SlicesMeshResolution.Fullres)
        model.AddBuildItem(mesh, wrapper().GetIdentityTransform())
    content = packed_model(model, [np.eye(4, 3)] * len(names))
    job.step(0.8, tr("Reading the slices back"))
    read = list(slices_in(content))
    if len(read) != len(areas):
        raise SaveFailed(
            tr("{count} bodies read back with slices instead of {count2}.", count=len(read), count2=len(areas)),
            kept=tr("Nothing was saved."),
        )
    farthest = max(float(np.abs(slicer.vertices[:, :2]).max()) for slicer in stack.slicers)
    off = 0.5 * 10.0 ** (math.floor(math.log10(max(farthest, 1.0))) + 1 - _DIGITS)
    for name, found, wanted in zip(names, read, areas, strict=True):
        _compare(name, found, wanted, off)
    return content


def _add_layers(own: Any, stack: Stack, name: str, job: Job) -> list[tuple[float, float]]:
    """Add the layers of a body. Returns the area (mm²) and the outline length (mm) of each."""
    found, count = [], stack.levels.count
    for layer in stack.layers():
        job.step(layer.number / count, tr("Slicing {name}", name=name))
        _add_slice(own.AddSlice(layer.top), layer)
        found.append((layer.area, layer.around))
    return found


def _add_slice(one: Any, layer: Layer) -> None:
    """Add a slice without the library's own setters, which make a Python object of each corner."""
    library, points = one._wrapper.lib, layer.points.astype("<f4")
    if not len(points):
        return
    positions = (lib3mf.Position2D * len(points)).from_buffer(points.data)
    status = library.lib3mf_slice_setvertices(one._handle, ctypes.c_uint64(len(points)), positions)
    one._wrapper.checkError(one, status)
    for start, end in zip(layer.start[:-1], layer.start[1:], strict=True):
        ring = np.append(np.arange(start, end, dtype="<u4"), np.uint32(start))
        status = library.lib3mf_slice_addpolygon(
            one._handle, ctypes.c_uint64(len(ring)), (ctypes.c_uint32 * len(ring)).from_buffer(ring.data),
            ctypes.byref(ctypes.c_uint64()),
        )
        one._wrapper.checkError(one, status)


def slices_in(content: bytes) -> Iterator[list[tuple[float, float]]]:
    """For each body of a 3MF, its slices from the bottom up: the height in mm where each ends, and its area in mm².
    The library reads them in its strict mode.

    Raises
    ------
    SaveFailed
        The library refuses them.
    """
    model, reader = strict_reader()
    try:
        reader.ReadFromBuffer(content)
    except lib3mf.ELib3MFException as error:
        raise SaveFailed(
            tr("The contents of the file cannot be read back ({error}).", error=error), kept=tr("Nothing was saved.")
        ) from error
    items = model.GetBuildItems()
    while items.MoveNext():
        resource = items.GetCurrent().GetObjectResource()
        if not resource.HasSlices(False):
            continue
        own = resource.GetSliceStack()
        yield [_slice(own.GetSlice(number)) for number in range(own.GetSliceCount())]


def _slice(one: Any) -> tuple[float, float]:
    corners = np.array([list(corner.Coordinates) for corner in one.GetVertices()]).reshape(-1, 2)
    area = 0.0
    for number in range(one.GetPolygonCount()):
        ring = corners[one.GetPolygonIndices(number)]
        area += 0.5 * float((ring[:-1, 0] * ring[1:, 1] - ring[:-1, 1] * ring[1:, 0]).sum())
    return float(one.GetZTop()), area


def _compare(name: str, found: list[tuple[float, float]], wanted: list[tuple[float, float]], off: float) -> None:
    """Compare the slices of a body that were read back with those that were written.

    Parameters
    ----------
    off : float, mm
        By how much each coordinate may differ.

    Raises
    ------
    SaveFailed
        A slice differs.
    """
    if len(found) != len(wanted):
        raise SaveFailed(
            tr("{name} reads back with {count} slices instead of "
               "{count2}.", name=name, count=len(found), count2=len(wanted)),
            kept=tr("Nothing was saved."),
        )
    for number, ((_, area), (meant, around)) in enumerate(zip(found, wanted, strict=True)):
        if abs(area - meant) > 1.5 * off * around + 1e-6 * abs(meant) + 1e-9:
            raise SaveFailed(tr("Slice {number} of {name} reads back as {area:.3f} mm² instead of {meant:.3f}.",
                                number=number + 1, name=name, area=area, meant=meant),
                             kept=tr("Nothing was saved."))
