"""Surfaces as files store them: float32 vertices, which a reader merges where they are equal.

Vertices that rounding makes equal would close up thin places: facets collapse, edges get four facets, and the file no
longer reads as watertight. So a surface is first put on the grid of float32, what collapses there is dropped,
coinciding facets cancel, and vertices that would still be merged wrongly are moved apart by a step or two of the grid
(3e-5 mm on a prop of 200 mm).
"""

from __future__ import annotations

import math

import numpy as np

from ..arrays import AnyInts, Floats, Floats32, Ints
from ..mesh.corners import have_three
from ..mesh.edges import edge_numbers
from ..mesh.non_manifold import unpinched
from ..mesh.solid import Solid
from ..mesh.union_find import same_rows

_FINEST = 2.0**-20
"""mm: no finer grid is needed, however small a prop is."""
_ROUNDS = 40
_STEPS = np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if (x, y, z) != (0, 0, 0)])


def two_sided(solid: Solid) -> tuple[Floats, Ints]:
    """Make a closed solid have exactly two facets at each edge: where surfaces touch along an edge, each gets
    vertices of its own. An open solid is returned as it is.

    Returns
    -------
    (n, 3) float64 mm, (m, 3) int
        Vertices and triangles.
    """
    if solid.closed and solid.defects.pinched:
        vertices, triangles = unpinched(solid.vertices, solid.triangles)
        return vertices, triangles.astype(np.int64)
    return solid.vertices, solid.triangles.astype(np.int64)


def on_grid(vertices: Floats, triangles: AnyInts) -> tuple[Floats32, Ints]:
    """A surface as a file can store it. Where each edge has two facets, it also has two in the file, unless that
    cannot be achieved (see ``watertight``).

    Parameters
    ----------
    vertices : (n, 3) float64
    triangles : (m, 3) int
        Where each edge has two facets, each has two in the file too, unless that cannot be reached (see
        ``watertight``).

    Returns
    -------
    (n, 3) float32, (m, 3) int64
        Vertices, all different, and triangles.
    """
    largest = max(float(np.abs(vertices).max(initial=0.0)), _FINEST)
    step = max(math.ldexp(1.0, math.frexp(largest)[1] - 23), _FINEST)
    places = np.round(vertices / step).astype(np.int64)
    before = len(_uneven(triangles, len(vertices)))
    rng = np.random.default_rng(0)
    for turn in range(_ROUNDS):
        first, number = same_rows(places)
        corners = places[first]
        faces, kept = _without_films(number[triangles])
        bad = _uneven(faces, len(corners))
        if len(bad) <= before or turn == _ROUNDS - 1:
            break
        _move_apart(places, triangles[kept], number, bad, len(corners), 1 + turn // 8, rng)
    used, faces = np.unique(faces, return_inverse=True)
    return (corners[used] * step).astype(np.float32), faces.reshape(-1, 3)


def watertight(triangles: AnyInts, count: int) -> bool:
    """Whether each edge of a surface has one facet on either side.

    Parameters
    ----------
    triangles : (m, 3) int
    count : int
        The number of vertices.
    """
    return len(triangles) > 0 and not len(_uneven(triangles, count))


def _uneven(triangles: AnyInts, count: int) -> Ints:
    """The numbers of the edges that are not walked exactly once each way."""
    edge, rising = edge_numbers(triangles, count)
    found, index = np.unique(edge, return_inverse=True)
    up = np.bincount(index, rising, len(found))
    return np.asarray(found[(up != 1) | (np.bincount(index, minlength=len(found)) != 2)])


def _without_films(faces: Ints) -> tuple[Ints, Ints]:
    """Facets without those that have collapsed and without coinciding pairs, and their numbers."""
    kept = np.flatnonzero(have_three(faces))
    faces = faces[kept]
    _, group = same_rows(np.sort(faces, axis=1).astype(np.int64))
    size = np.bincount(group)
    if size.max(initial=1) == 1:
        return faces, kept
    # the way round: whether the corners, from the lowest on, rise
    first = np.argmin(faces, axis=1)
    rows = np.arange(len(faces))
    rising = faces[rows, (first + 1) % 3] < faces[rows, (first + 2) % 3]
    keep = np.ones(len(faces), np.bool_)
    for number in np.flatnonzero(size > 1):
        own = np.flatnonzero(group == number)
        up, down = own[rising[own]], own[~rising[own]]
        pairs = min(len(up), len(down))
        keep[up[:pairs]] = keep[down[:pairs]] = False
    return faces[keep], kept[keep]


def _move_apart(
    places: Ints, triangles: AnyInts, number: Ints, bad: Ints, count: int, reach: int,
    rng: np.random.Generator,
) -> None:
    """Move vertices apart by a step that were merged at uneven edges: all but the first at each place.

    Parameters
    ----------
    places : (n, 3) int64
        Changed in place.
    triangles : (m, 3) int
        The remaining facets, with unmerged vertices.
    number : (n,) int64
        The place of each vertex.
    bad : array of int64
        The uneven edges, in places.
    """
    edge, _ = edge_numbers(number[triangles], count)
    at = np.isin(edge, bad).reshape(-1, 3)
    corners = np.unique(triangles[at | np.roll(at, 1, axis=1)])
    order = corners[np.argsort(number[corners], kind="stable")]
    again = order[1:][number[order][1:] == number[order][:-1]]
    places[again] += _STEPS[rng.integers(len(_STEPS), size=len(again))] * rng.integers(1, reach + 1, (len(again), 1))
