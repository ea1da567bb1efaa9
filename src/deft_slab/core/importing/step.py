"""STEP: solids with exact surfaces, converted to triangles with a chosen accuracy."""

from __future__ import annotations

import tempfile
from pathlib import Path

from ..errors import UnreadableFile
from ..locale.translate import tr
from .meshes import read_gltf
from .surfaces import KEPT, Surface, shown

_TURN = 0.35
"""Radians between neighbouring facets at most, so that small curves are not drawn as corners."""


def read_step(path: Path, fineness: float) -> Surface:
    """The solids of a STEP file in mm, with +Z up. The modelling kernel behind it may crash or run forever, so this
    must be called in a process that may be lost (``limited_process``).

    Parameters
    ----------
    fineness : float, mm
        How far the triangles may be off the exact surfaces.

    Raises
    ------
    UnreadableFile
        It is not a STEP file, is damaged, or contains no surfaces.
    """
    import cascadio  # slow to load, and seldom needed

    with tempfile.TemporaryDirectory(prefix="deft-step-") as folder:
        out = Path(folder) / "faces.glb"
        status = cascadio.step_to_glb(str(path.resolve()), str(out), fineness, _TURN, use_parallel=False)
        if status != 0 or not out.exists():
            raise UnreadableFile(
                tr("“{file}” is a STEP file without surfaces, or a damaged one.", file=shown(path)), kept=KEPT,
                remedy=tr("Export it again, as a solid."),
            )
        surface = read_gltf(out)
    # the kernel hands its millimetres over as metres, and leaves +Z up
    vertices = surface.vertices * 1000.0
    return Surface(vertices, surface.triangles, "mm", parts=surface.parts)
