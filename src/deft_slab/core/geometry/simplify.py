"""Simplifies surfaces."""

from __future__ import annotations

import numpy as np

from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job


def thinned(solid: Solid, triangles: int, job: Job = QUIET) -> Solid:
    """The surface simplified to about so many triangles. The facets are renumbered, and a closed surface stays
    closed.

    Method: quadric error metrics (Garland and Heckbert 1997), as implemented by the library.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    if len(solid.triangles) <= triangles:
        return solid
    import fast_simplification

    job.step(0.0, tr("Simplifying the surface"))
    vertices, faces = fast_simplification.simplify(
        solid.vertices.astype(np.float32), np.array(solid.triangles), target_count=triangles
    )
    light = Solid(np.asarray(vertices, float), faces)
    if not solid.defects.closed or not light.defects.sentence():
        return light
    # that simplifier may break a closed surface; the boolean library's own never does, but is slower to converge
    body, tolerance = solid.manifold, 1e-4 * solid.diagonal
    while body.num_tri() > 2 * triangles and tolerance < 0.02 * solid.diagonal:
        job.step(0.5, tr("Simplifying the surface"))
        body = solid.manifold.simplify(tolerance)
        tolerance *= 1.6
    light = Solid.from_manifold(body, solid.runs)
    return Solid(light.vertices, light.triangles)
