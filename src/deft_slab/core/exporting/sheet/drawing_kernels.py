"""The compiled loop of line drawings."""

import numba
import numpy as np

HATCHED, DOTTED = 1, 2


@numba.njit(cache=True, nogil=True)
def painted(facet, depth, normals, shades, body, pattern, crease, jump, finer, hatch, dots):
    """Shade a line drawing.

    Parameters
    ----------
    facet : (ny, nx)
        The visible facet; -1: none.
    depth : (ny, nx), mm
        Towards the eye.
    normals : (m, 3)
    shades : (m,)
    body : (m,)
        The number of each facet's body.
    pattern : (m,)
        HATCHED, DOTTED, or 0.
    crease
        The cosine of the angle between two facets from which a line is drawn between them.
    jump : mm
        The step of the depth from which a line is drawn.
    finer
        Cells across a line.
    hatch, dots
        Cells between the lines or dots of a pattern.

    Returns
    -------
    (ny, nx) float32
        0 (black) to 255 (white).
    """
    ny, nx = facet.shape
    out = np.full((ny, nx), np.float32(255.0))
    for y in range(ny):
        for x in range(nx):
            here = facet[y, x]
            ink = False
            for side in range(2):
                v, u = y + (side == 0), x + (side == 1)
                if v >= ny or u >= nx:
                    continue
                there = facet[v, u]
                if (here >= 0) != (there >= 0):
                    ink = True
                elif here >= 0 and here != there:
                    dot = 0.0
                    for k in range(3):
                        dot += normals[here, k] * normals[there, k]
                    away = abs(depth[y, x] - depth[v, u])
                    if dot < crease or away > jump or body[here] != body[there]:
                        ink = True
            if here < 0:
                if ink:
                    out[y, x] = 20.0
                continue
            value = shades[here]
            if pattern[here] == HATCHED and (x + y) % hatch < finer:
                value = 120.0
            elif pattern[here] == DOTTED and x % dots < finer and y % dots < finer:
                value = 60.0
            if ink:
                value = 20.0
            out[y, x] = value
    return out
