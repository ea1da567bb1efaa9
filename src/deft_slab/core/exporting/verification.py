"""Reads files again before they are saved, and compares them with what they should contain."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..arrays import Floats
from ..errors import SaveFailed
from ..locale import text
from ..locale.translate import tr
from ..mesh.solid import Solid
from .surface_files import read_again

_VOLUME, _PLACE = 1e-5, 2e-3
"""Share of a volume, and mm, by which a file may differ from what it is of: float32 corners."""
_ROUNDING = 2e-4
"""mm by which all of a surface may lie beside where it was meant: of a crumb that is much of its volume."""


def verified(
    content: bytes, ending: str, wanted: Sequence[tuple[Floats, float | None]], name: str
) -> tuple[int, float, tuple[float, float, float]]:
    """The triangles, the volume in mm3 and the size in mm of a file as it reads back.

    Parameters
    ----------
    wanted : Sequence[tuple[Floats, float | None]]
        For each surface its vertices (n, 3) in mm, and its volume in mm3, None if it is open.

    Raises
    ------
    SaveFailed
        It is not closed, not in its place, or has another volume.
    """
    read = read_again(content, ending)
    if len(read) != len(wanted):
        raise SaveFailed(
            tr(
                "“{name}” reads back as {count} surfaces instead of {count2}.",
                name=name,
                count=len(read),
                count2=len(wanted),
            ),
            kept=tr("It was not saved."),
        )
    low, high, total, triangles = np.full(3, np.inf), np.full(3, -np.inf), 0.0, 0
    for (corners, faces), (meant, volume) in zip(read, wanted, strict=True):
        used = corners[np.unique(faces)]
        far = max(
            np.abs(used.min(axis=0) - meant.min(axis=0)).max(), np.abs(used.max(axis=0) - meant.max(axis=0)).max()
        )
        if far > _PLACE:
            raise SaveFailed(
                tr("“{name}” reads back {far} away from its place.", name=name, far=text.length(far, 3)),
                kept=tr("It was not saved."),
            )
        solid = Solid(corners, faces.astype(np.int32))
        found, rounding = solid.volume, _ROUNDING * float(solid.areas.sum())
        if volume is not None and abs(found - volume) > _VOLUME * abs(volume) + rounding:
            raise SaveFailed(
                tr("“{name}” reads back with {found:.1f} mm³ instead of "
                   "{volume:.1f}.", name=name, found=found, volume=volume),
                kept=tr("It was not saved."),
            )
        if volume is not None and not solid.closed:
            raise SaveFailed(tr("“{name}” reads back as an open surface.", name=name), kept=tr("It was not saved."))
        total, triangles = total + found, triangles + len(faces)
        low, high = np.minimum(low, used.min(axis=0)), np.maximum(high, used.max(axis=0))
    x, y, z = (float(value) for value in high - low)
    return triangles, total, (x, y, z)
