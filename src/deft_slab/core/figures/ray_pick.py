"""One ray against one surface, for picking. Plain NumPy: quick enough for a click, and nothing to compile first."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats, Ints32


def first_hit(vertices: Floats, triangles: Ints32, origin: Floats, towards: Floats) -> tuple[int, float] | None:
    """The nearest facet that a ray meets, and how far along the ray; None if it misses.

    Method: Moeller and Trumbore 1997, Fast, minimum storage ray/triangle intersection.

    Parameters
    ----------
    origin, towards : (3,) float64
        Start and direction of the ray, in the frame of the vertices. The distance is in lengths of ``towards``.
    """
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    ab, ac = b - a, c - a
    p = np.cross(towards, ac)
    det = np.einsum("ij,ij->i", ab, p)
    usable = np.abs(det) > 1e-300
    inverse = np.divide(1.0, det, out=np.zeros_like(det), where=usable)
    s = origin - a
    u = np.einsum("ij,ij->i", s, p) * inverse
    q = np.cross(s, ab)
    v = (q @ towards) * inverse
    t = np.einsum("ij,ij->i", q, ac) * inverse
    hit = np.flatnonzero(usable & (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 1e-12))
    if not len(hit):
        return None
    nearest = int(hit[np.argmin(t[hit])])
    return nearest, float(t[nearest])
