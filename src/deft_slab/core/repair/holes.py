"""Closes holes: flat ones flat, small ones with the least area, large ones smoothly."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Literal

import manifold3d
import numpy as np
from scipy.sparse import coo_array, csc_array
from scipy.sparse.linalg import splu
from scipy.spatial import Delaunay

from ..arrays import Floats, Ints, Ints32
from ..errors import OpenSurface
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..progress import QUIET, Job
from . import kernels
from .clean import not_doubled, open_edges

FLAT = 0.01
"""Share of a loop's width by which its corners may leave their plane."""
SMALL = 40
"""Corners up to which a loop that is not flat is closed with the least area and not smooth."""
_CONVERGING = np.cos(np.radians(70.0))
"""How much of the way that the surface goes on beyond the rim must lead into the hole, for it to be closed smooth."""
_HIGHEST = 0.6
"""Share of a loop's width that a smooth patch may rise over the plane of the loop."""
_MOST_EXACT = 700
"""Corners up to which the least area is searched; its cost grows with their cube."""
_MOST_INSIDE = 20_000
"""New corners inside one smooth patch."""


@dataclass(frozen=True, eq=False)
class Hole:
    """A hole that was closed.

    Attributes
    ----------
    rim : (n, 3) float64
        Its vertices in order.
    width : float
        Its largest distance across.
    how : Literal[flat, least area, smooth]
        How it was closed.
    """

    rim: Floats
    width: float
    how: Literal["flat", "least area", "smooth"]


@dataclass(frozen=True, eq=False)
class HolePatch:
    """A patch over a hole with n vertices around it.

    Attributes
    ----------
    points : (p, 3) float64
        The new vertices.
    triangles : (q, 3) int64
        Indices: below n a vertex of the rim, from n on a new one.
    """

    points: Floats
    triangles: Ints
    how: Literal["flat", "least area", "smooth"]


def loops_of(triangles: Ints32) -> list[Ints]:
    """The rims of the holes, as vertex numbers in the order in which a patch must walk them. No vertex occurs twice
    in one rim.

    Each facet walks a closed way, so as many open edges begin at a vertex as end there. The open edges therefore
    always form loops, and closing every loop closes the surface, whatever it looks like.

    Parameters
    ----------
    triangles : (m, 3) int32
        Indices of vertices.

    Returns
    -------
    list of (n,) int64
    """
    following: dict[int, list[int]] = {}
    for start, end in open_edges(triangles)[:, ::-1].tolist():
        following.setdefault(start, []).append(end)
    loops = []
    for start in sorted(following):
        while following[start]:
            way, place = [start], {start: 0}
            while len(way) > 1 or following[start]:
                corner = following[way[-1]].pop()
                if corner not in place:
                    place[corner] = len(way)
                    way.append(corner)
                    continue
                # the way has come back to itself: that much of it is a loop, and the walk goes on from there
                first = place[corner]
                loops.append(np.array(way[first:], np.int64))
                for passed in way[first + 1 :]:
                    del place[passed]
                del way[first + 1 :]
    return [loop for loop in loops if len(loop) > 2]


def close_holes(solid: Solid, job: Job = QUIET) -> tuple[Solid, list[Hole]]:
    """Put a patch over every hole. The facets are renumbered, and flakes that enclose nothing are removed.

    Returns
    -------
    Solid, list of Hole
        The closed surface, and the holes, widest first.

    Raises
    ------
    OpenSurface
        Nothing would be left.
    Cancelled
        The job is no longer wanted.
    """
    loops = loops_of(solid.triangles)
    if not loops:
        return solid, []
    rings = _ring_finder(solid, loops)
    rims = [solid.vertices[loop] for loop in loops]
    patches = []
    for number, (loop, rim) in enumerate(zip(loops, rims, strict=True)):
        if number % 16 == 0 or len(loop) > SMALL:
            job.step(
                number / len(loops), tr("Closing hole {number:,} of {count:,}", number=number + 1, count=len(loops))
            )
        patches.append(patch_for(rim, partial(rings, loop)))
    closed, patch_of = _patched(solid, loops, patches)
    # a patch over a lone facet lies back to back on it; the two enclose nothing
    keep, membrane = not_doubled(closed.triangles)
    twice = np.unique(patch_of[~keep & ~membrane])
    if len(twice):  # it would lie on a facet that faces alike; with a corner of its own it does not
        for number in twice[twice >= 0].tolist():
            patches[number] = _fan(rims[number])
        closed, _ = _patched(solid, loops, patches)
        keep, _ = not_doubled(closed.triangles)
    if not keep.any():
        raise OpenSurface(
            tr("The surface encloses nothing, so its holes cannot be closed."), kept=tr("It is unchanged.")
        )
    holes = [Hole(rim, _width(rim), patch.how) for rim, patch in zip(rims, patches, strict=True)]
    return closed if keep.all() else closed.picked(keep), sorted(holes, key=lambda hole: -hole.width)


def _patched(solid: Solid, loops: list[Ints], patches: list[HolePatch]) -> tuple[Solid, Ints]:
    """The surface with its patches, and for each facet the number of its patch, -1 for none."""
    points, triangles = [solid.vertices], [solid.triangles.astype(np.int64)]
    patch_of = [np.full(len(solid.triangles), -1, np.int64)]
    count = len(solid.vertices)
    for number, (loop, patch) in enumerate(zip(loops, patches, strict=True)):
        names = np.r_[loop, count + np.arange(len(patch.points))]
        triangles.append(names[patch.triangles])
        points.append(patch.points)
        patch_of.append(np.full(len(patch.triangles), number, np.int64))
        count += len(patch.points)
    whole = Solid(np.concatenate(points), np.concatenate(triangles).astype(np.int32))
    return whole, np.concatenate(patch_of)


def _width(rim: Floats) -> float:
    if len(rim) > 400:
        return float(np.linalg.norm(np.ptp(rim, axis=0)))
    return float(np.linalg.norm(rim[:, None] - rim[None], axis=2).max())


def patch_for(rim: Floats, ring) -> HolePatch:  # type: ignore[no-untyped-def]
    """A patch over a loop.

    The cases, in this order: three vertices; flat with few vertices; many vertices where the surrounding surface
    leads into the hole (smooth); flat; all others. If a patch cannot be made well in one way, a simpler way is taken.

    Parameters
    ----------
    rim : (n, 3) float64
        The vertices in the order that the patch walks.
    ring
        Called without arguments, gives what a smooth patch needs to know of the surroundings (see
        ``_ring_finder``).
    """
    n = len(rim)
    if n == 3:
        return HolePatch(np.empty((0, 3)), np.array([[0, 1, 2]]), "flat")
    flat = _flat_patch(rim)
    if flat is not None and n <= SMALL:
        return flat
    if n > SMALL:
        around, links = ring()
        if _leads_inward(rim, around, links):
            smooth = _smooth_patch(rim, around, links)
            if _rises(rim, smooth) < _HIGHEST * _width(rim):
                return smooth
    return flat or _least_area_patch(rim)


def _rises(rim: Floats, patch: HolePatch) -> float:
    """How far a patch extends beyond the plane of its loop, and beyond the loop itself."""
    middle = rim.mean(axis=0)
    _, _, axes = np.linalg.svd(rim - middle, full_matrices=False)
    height = np.abs((patch.points - middle) @ axes[2]).max(initial=0.0)
    return float(height - np.abs((rim - middle) @ axes[2]).max())


def _leads_inward(rim: Floats, around: Floats, links: Ints) -> bool:
    """Whether the surface, continued beyond the rim, would close over the hole: as over a missing piece of a
    shoulder, but not at the end of a tube or under a flaring foot.
    """
    leaving = links[(links[:, 0] < len(rim)) & (links[:, 1] >= len(rim))]
    if not len(leaving):
        return False
    _, _, axes = np.linalg.svd(rim - rim.mean(axis=0), full_matrices=False)
    beyond = rim[leaving[:, 0]] - around[leaving[:, 1] - len(rim)]
    inward = rim.mean(axis=0) - rim[leaving[:, 0]]
    inward -= np.outer(inward @ axes[2], axes[2])
    length = np.linalg.norm(beyond, axis=1) * np.linalg.norm(inward, axis=1)
    share = np.einsum("ij,ij->i", beyond, inward) / np.maximum(length, 1e-300)
    # of the edges that leave a corner the one that leads most across the rim tells; the others run along it
    most = np.full(len(rim), -np.inf)
    across = np.full(len(rim), -1.0)
    along = np.roll(rim, -1, axis=0) - np.roll(rim, 1, axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1), 1e-300)[:, None]
    sideways = np.linalg.norm(np.cross(beyond, along[leaving[:, 0]]), axis=1)
    sideways /= np.maximum(np.linalg.norm(beyond, axis=1), 1e-300)
    for corner, value, side in zip(leaving[:, 0].tolist(), share.tolist(), sideways.tolist(), strict=True):
        if side > across[corner]:
            across[corner], most[corner] = side, value
    return bool(np.median(most[np.isfinite(most)]) > _CONVERGING)


def _flat_patch(rim: Floats) -> HolePatch | None:
    """A patch by ear clipping in the plane of the loop; None if the loop is not flat, or crosses itself."""
    middle = rim.mean(axis=0)
    _, spread, axes = np.linalg.svd(rim - middle, full_matrices=False)
    if np.abs((rim - middle) @ axes[2]).max() > FLAT * _width(rim) or spread[1] < 1e-9 * max(spread[0], 1e-300):
        return None
    seen = (rim - middle) @ axes[:2].T
    x, y = seen.T
    twice = float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    if twice < 0:
        seen = seen * [1, -1]
    triangles = np.asarray(manifold3d.triangulate([np.ascontiguousarray(seen)]), np.int64)
    if len(triangles) != len(rim) - 2:
        return None
    a, b, c = (seen[triangles[:, k]] for k in range(3))
    areas = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    if abs(np.abs(areas).sum() - abs(twice)) > 1e-6 * abs(twice):
        return None
    return HolePatch(np.empty((0, 3)), triangles, "flat")


def _least_area_patch(rim: Floats) -> HolePatch:
    """A patch of least area without new vertices; for a very long loop, a fan."""
    n = len(rim)
    if n > _MOST_EXACT:
        return _fan(rim)
    choice, cost = np.zeros((n, n), np.int64), np.zeros((n, n))
    kernels.least_area(np.ascontiguousarray(rim), choice, cost)
    triangles, spans = [], [(0, n - 1)]
    while spans:
        i, j = spans.pop()
        if j - i > 1:
            k = int(choice[i, j])
            triangles.append((i, k, j))
            spans += [(i, k), (k, j)]
    return HolePatch(np.empty((0, 3)), np.array(triangles, np.int64), "least area")


def _smooth_patch(rim: Floats, around: Floats, links: Ints) -> HolePatch:
    """A patch that continues the surface around it.

    Its mesh is the Delaunay triangulation of a disc whose edge is the loop. Its shape minimises the squared umbrella
    (the thin-plate energy of Kobbelt et al. 1998, Interactive multi-resolution modeling on arbitrary meshes) over the
    new vertices and the rim, while the rim and its surroundings stay in place.

    Parameters
    ----------
    around : (r, 3) float64
        The vertices of the facets next to the rim.
    links : (l, 2) int64
        Edges between these and the rim: 0 to n - 1 is a vertex of the rim, from n on one of ``around``.
    """
    n = len(rim)
    steps = np.linalg.norm(np.roll(rim, -1, axis=0) - rim, axis=1)
    length = float(steps.sum())
    turn = 2 * np.pi * np.r_[0.0, np.cumsum(steps)[:-1]] / max(length, 1e-300)
    edge = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    spacing = max(2 * np.pi / n, np.sqrt(2 * np.pi / np.sqrt(3) / _MOST_INSIDE))
    inside = _hexagonal(1.0 - 0.7 * spacing, spacing)
    net = Delaunay(np.concatenate([edge, inside])).simplices.astype(np.int64)
    net = _counter_clockwise(np.concatenate([edge, inside]), net)
    m = len(inside)
    pairs = np.concatenate([net[:, [0, 1]], net[:, [1, 2]], net[:, [2, 0]]])
    shifted = np.where(links >= n, links + m, links)
    pairs = np.unique(np.sort(np.concatenate([pairs, shifted]), axis=1), axis=0)
    known = np.concatenate([rim, np.zeros((m, 3)), around])
    free = np.arange(n, n + m)
    places = _membrane(known, pairs, free)
    for _ in range(2):
        places = _thin_plate(places, pairs, free, n)
    return HolePatch(places[n : n + m], net, "smooth")


def _fan(rim: Floats) -> HolePatch:
    """Triangles from every edge of the loop to its middle."""
    n = len(rim)
    corners = np.stack([np.arange(n), (np.arange(n) + 1) % n, np.full(n, n)], axis=1)
    return HolePatch(rim.mean(axis=0)[None], corners, "least area")


def _hexagonal(radius: float, spacing: float) -> Floats:
    rows = int(radius / (spacing * np.sqrt(3) / 2)) + 1
    y = np.arange(-rows, rows + 1) * spacing * np.sqrt(3) / 2
    x = np.arange(-int(radius / spacing) - 2, int(radius / spacing) + 3) * spacing
    grid = np.stack([x[None, :] + 0.5 * spacing * (np.arange(len(y)) % 2)[:, None],
                     np.broadcast_to(y[:, None], (len(y), len(x)))], axis=-1).reshape(-1, 2)
    return np.asarray(grid[np.hypot(*grid.T) < radius])


def _counter_clockwise(points: Floats, net: Ints) -> Ints:
    a, b, c = (points[net[:, k]] for k in range(3))
    back = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]) < 0
    return np.where(back[:, None], net[:, ::-1], net)


def _umbrella(count: int, pairs: Ints, weight: Floats) -> csc_array:
    """The umbrella operator: each point minus the weighted mean of its neighbours.

    Returns
    -------
    (count, count) sparse array
    """
    i, j = np.r_[pairs[:, 0], pairs[:, 1]], np.r_[pairs[:, 1], pairs[:, 0]]
    w = np.r_[weight, weight]
    total = np.bincount(i, w, minlength=count)
    own = np.arange(count)
    values = np.r_[-w / total[i], np.where(total > 0, 1.0, 0.0)]
    return csc_array(coo_array((values, (np.r_[i, own], np.r_[j, own])), shape=(count, count)))


def _membrane(places: Floats, pairs: Ints, free: Ints) -> Floats:
    """Free points moved to the mean of their neighbours."""
    matrix = _umbrella(len(places), pairs, np.ones(len(pairs)))[free]
    fixed = np.setdiff1d(np.arange(len(places)), free)
    solved = splu(csc_array(matrix[:, free])).solve(-(matrix[:, fixed] @ places[fixed]))
    found = places.copy()
    found[free] = solved
    return found


def _thin_plate(places: Floats, pairs: Ints, free: Ints, rim: int) -> Floats:
    """Free points placed so that the squared umbrella of the free points and the rim is least. Near neighbours weigh
    more.
    """
    length = np.linalg.norm(places[pairs[:, 0]] - places[pairs[:, 1]], axis=1)
    weight = 1.0 / np.maximum(length, 0.1 * max(float(np.median(length)), 1e-300))
    rows = np.r_[np.arange(rim), free]
    matrix = _umbrella(len(places), pairs, weight)[rows]
    fixed = np.setdiff1d(np.arange(len(places)), free)
    part = csc_array(matrix[:, free])
    target = -(matrix[:, fixed] @ places[fixed])
    normal = csc_array(part.T @ part)
    found = places.copy()
    found[free] = splu(normal).solve(np.asarray(part.T @ target))
    return found


def _ring_finder(solid: Solid, loops: list[Ints]):  # type: ignore[no-untyped-def]
    """A function that gives, for a loop, ``around`` and ``links`` of ``_smooth_patch``: the vertices of the facets
    that touch the rim, and the edges of those facets.
    """
    on_rim = np.zeros(len(solid.vertices), np.bool_)
    for loop in loops:
        on_rim[loop] = True
    near = solid.triangles[on_rim[solid.triangles].any(axis=1)].astype(np.int64)

    def ring(loop: Ints) -> tuple[Floats, Ints]:
        number = np.full(len(solid.vertices), -1, np.int64)
        number[loop] = np.arange(len(loop))
        touching = near[(number[near] >= 0).any(axis=1)]
        others = np.setdiff1d(np.unique(touching), loop)
        number[others] = len(loop) + np.arange(len(others))
        faces = number[touching]
        return solid.vertices[others], np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])

    return ring
