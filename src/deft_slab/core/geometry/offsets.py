"""The body of everything that lies near some facets."""

from __future__ import annotations

import manifold3d
import numpy as np
from skimage.measure import marching_cubes

from ..arrays import Ints
from ..errors import CutFailed
from ..locale.translate import tr
from ..mesh.solid import Solid
from .smooth_sheets import closed_body

_CELLS_ACROSS = 3
"""Cells of the grid in the margin around a region."""
_MOST_CELLS = 96


def around(solid: Solid, facets: Ints, margin: float, name: str) -> manifold3d.Manifold:
    """Everything within a margin of some facets: the surface of equal distance, computed on a grid.

    Parameters
    ----------
    facets : (k,) int64
        The numbers of the facets.
    margin : float, mm
    name : str
        The name of the cut, for the error message.

    Raises
    ------
    CutFailed
    """
    import igl

    if margin <= 0:
        raise CutFailed(tr("The kerf leaves nothing of “{name}”.", name=name), remedy=tr("Make the kerf smaller."))
    part = solid.picked(np.isin(np.arange(len(solid.triangles)), facets))
    step = max(margin / _CELLS_ACROSS, float(part.size.max() + 2 * margin) / _MOST_CELLS)
    low = part.bounds[0] - margin - 2 * step
    counts = np.ceil((part.size + 2 * margin + 4 * step) / step).astype(int) + 1
    at = np.stack(np.meshgrid(*(np.arange(n) for n in counts), indexing="ij"), axis=-1).reshape(-1, 3)
    faces = np.ascontiguousarray(part.triangles, np.int64)
    squared = igl.point_mesh_squared_distance(low + at * step, np.array(part.vertices), faces)[0]
    field = np.sqrt(squared).reshape(counts)
    vertices, triangles, _, _ = marching_cubes(field, margin, gradient_direction="descent")
    return closed_body(vertices * step + low, triangles, tr("The scoop of “{name}” could not be made.", name=name))
