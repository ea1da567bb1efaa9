"""Surfaces as the bytes of a file in the open formats, and read back by readers that are not ours."""

from __future__ import annotations

import io
from typing import Any

import lib3mf
import numpy as np

from ..arrays import AnyInts, Floats, Floats32, Ints
from ..errors import SaveFailed
from ..importing.threemf import items_in, strict_reader
from ..locale.translate import tr
from ..mesh.stl import FACET
from .file_grid import on_grid, watertight

_GLB = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]]) / 1000.0
"""To metres, and +Y up (glTF 2.0 specification, section 3.4)."""


def in_file(vertices: Floats, triangles: AnyInts, *, closed: bool) -> tuple[Floats32, Ints]:
    """A surface as a file will store it, checked the way it will be read.

    Returns
    -------
    (n, 3) float32, mm; (m, 3) int64

    Raises
    ------
    SaveFailed
        It is closed, but would not be in the file.
    """
    corners, triangles = on_grid(vertices, triangles)
    if closed and not watertight(triangles, len(corners)):
        raise SaveFailed(
            tr("This piece would not be closed in a file, because parts of it are thinner than the precision of "
               "the file."),
            kept=tr("It was not written."), remedy=tr("Move the cut a little."),
        )
    return corners, triangles


def surface_bytes(vertices: Floats, triangles: AnyInts, ending: str, title: str, *, closed: bool) -> bytes:
    """A surface in one of the plain formats. Raises as ``in_file``.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
    triangles : (m, 3) int
    """
    corners, triangles = in_file(vertices, triangles, closed=closed)
    if ending == "stl":
        return _stl(corners, triangles, title)
    import trimesh  # slow to load, and seldom needed

    points = corners.astype(np.float64) @ _GLB.T if ending == "glb" else corners
    content = trimesh.Trimesh(points, triangles, process=False).export(file_type=ending)
    return content.encode() if isinstance(content, str) else bytes(content)


def _stl(corners: Floats32, triangles: Ints, title: str) -> bytes:
    facets = np.zeros(len(triangles), FACET)
    facets["corners"] = corners[triangles]
    a, b, c = (corners[triangles[:, k]].astype(np.float64) for k in range(3))
    across = np.cross(b - a, c - a)
    facets["normal"] = across / np.maximum(np.linalg.norm(across, axis=1), 1e-300)[:, None]
    return title.encode().ljust(80, b"\0") + len(facets).to_bytes(4, "little") + facets.tobytes()


def read_again(content: bytes, ending: str) -> list[tuple[Floats, Ints]]:
    """The surfaces in a file, read by lib3mf in its strict mode, or by trimesh.

    Returns
    -------
    list of ((n, 3) float64, (m, 3) int64)
        Vertices in mm where they are printed, and triangles.

    Raises
    ------
    SaveFailed
        It cannot be read.
    """
    try:
        found = _read_3mf(content) if ending == "3mf" else [_read_plain(content, ending)]
    except (lib3mf.ELib3MFException, ValueError, KeyError, IndexError, AttributeError) as error:
        raise SaveFailed(
            tr("The contents of the file cannot be read back ({error}).", error=error), kept=tr("It was not saved.")
        ) from error
    if not all(len(faces) for _, faces in found):
        raise SaveFailed(tr("The contents of the file cannot be read back: they are "
                            "empty."), kept=tr("It was not saved."))
    return found


def _read_3mf(content: bytes) -> list[tuple[Floats, Ints]]:
    model, reader = strict_reader()
    reader.ReadFromBuffer(content)
    if reader.GetWarningCount():
        raise ValueError(tr("it is not a clean 3MF: ") + str(reader.GetWarning(0)))
    return [(points, faces.astype(np.int64)) for _, points, faces in items_in(model)]


def _read_plain(content: bytes, ending: str) -> tuple[Floats, Ints]:
    import trimesh  # slow to load, and seldom needed

    read: Any = trimesh.load(io.BytesIO(content), file_type=ending, force="mesh")
    corners = np.asarray(read.vertices, float)
    if ending == "glb":
        corners = corners @ np.linalg.inv(_GLB).T
    return corners, np.asarray(read.faces, np.int64)
