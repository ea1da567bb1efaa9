"""Makes surfaces of fewer triangles, or of more."""

from __future__ import annotations

from threading import Lock

import numpy as np

from ..arrays import Ints32
from ..locale.translate import tr
from ..mesh.corners import in_use
from ..mesh.solid import Solid
from ..progress import QUIET, Job

_ONE_AT_A_TIME = Lock()
"""The library that is tried first keeps the surface in variables of the whole process, and lets other threads run
meanwhile: two at once take triangles from each other. (Of 240 surfaces in four threads, 154 came out as others.)"""
_LOST, _OUT, _STUCK = 0.05, 0.02, 1.5
"""What simplifying may take of the volume, by how much of the diagonal it may move the bounds, and how many times the
triangles that were asked for it may leave. (Demo models at 2,000 triangles: 0.03, 0.003 and 1. Two balls on a rod with
needles where they meet: 0.36, 0.04 and 8, from the library that is tried first.)"""


def thinned(solid: Solid, triangles: int, job: Job = QUIET) -> Solid:
    """The surface simplified to about so many triangles. The facets are renumbered, and a closed surface stays
    closed.

    Method: quadric error metrics (Garland and Heckbert 1997), as implemented by two libraries. The second is tried
    where the first, which is four times as fast, leaves another shape than it was given. Where both do, a closed
    surface is simplified by the boolean library, which merges short edges.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    if len(solid.triangles) <= triangles:
        return solid
    import fast_simplification

    job.step(0.0, tr("Simplifying the surface"))
    with _ONE_AT_A_TIME:
        vertices, faces = fast_simplification.simplify(
            solid.vertices.astype(np.float32), np.array(solid.triangles), target_count=triangles
        )
    light = Solid(np.asarray(vertices, float), faces)
    if _is_like(light, solid, triangles):
        return light
    import igl

    job.step(0.3, tr("Simplifying the surface"))
    vertices, faces, _, _ = igl.qslim(solid.vertices, np.array(solid.triangles), triangles)
    if len(faces):  # it gives nothing back where more than two facets meet at an edge
        light = Solid(np.asarray(vertices), faces.astype(np.int32))
        if _is_like(light, solid, triangles):
            return light
    if not solid.closed:
        return light
    # the boolean library's own never breaks a closed surface, but is slower to converge
    body = whole = solid.manifold.as_original()
    tolerance = 1e-4 * solid.diagonal
    while body.num_tri() > 2 * triangles and tolerance < 0.02 * solid.diagonal:
        job.step(0.5, tr("Simplifying the surface"))
        body = whole.simplify(tolerance)
        tolerance *= 1.6
    light = Solid.from_manifold(body, {})
    return Solid(light.vertices, light.triangles)


def _is_like(light: Solid, solid: Solid, triangles: int) -> bool:
    """Whether a simplified surface has the bounds of the whole and about so many triangles, and, where the whole is
    closed, is closed and has its volume.
    """
    if not 0 < len(light.triangles) <= _STUCK * triangles:
        return False
    before, after = (Solid(*in_use(one.vertices, one.triangles)) for one in (solid, light))
    if np.abs(after.bounds - before.bounds).max() > _OUT * before.diagonal:
        return False
    return not solid.closed or (light.closed and abs(light.volume - solid.volume) <= _LOST * abs(solid.volume))


def refined(solid: Solid, longest: float) -> tuple[Solid, Ints32]:
    """The same closed surface with every edge divided into parts of at most ``longest`` mm. Edges within a facet may
    get somewhat longer.

    Returns
    -------
    Solid, (m,) int32
        The finer surface, and of which facet of the coarser one each of its facets is a part.

    Raises
    ------
    OpenSurface
        The surface is not closed.
    """
    body = Solid(solid.vertices, solid.triangles).manifold.refine_to_length(longest)
    fine = Solid.from_manifold(body, {})
    return Solid(fine.vertices, fine.triangles), fine.origin
