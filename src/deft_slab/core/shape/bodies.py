"""Bodies: what hangs together in a solid, and making one skin of bodies that overlap."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from ..solid import Solid

_MOST_BODIES = 200
"""Above this many of them, which of them overlap is no longer asked pair by pair."""


def bodies_of(solid: Solid) -> list[Solid]:
    """The parts of a solid that do not hang together, largest first. A void belongs to the part around it."""
    shell_of = _shells(solid)[solid.triangles[:, 0]]
    count = int(shell_of.max()) + 1
    if count == 1:
        return [solid]
    shells = [_picked(solid, shell_of == number) for number in range(count)]
    outer = sorted((n for n in range(count) if shells[n].volume > 0), key=lambda n: -shells[n].volume)
    if len(outer) <= 1:
        return [solid]
    part_of = np.zeros(count, np.int64)
    part_of[outer] = np.arange(len(outer))
    for number in set(range(count)) - set(outer):
        part_of[number] = _around(shells[number], [shells[n] for n in outer])
    return [_picked(solid, part_of[shell_of] == part) for part in range(len(outer))]


def united(solid: Solid) -> Solid:
    """The same solid with one skin where its bodies overlap; itself where none do.

    A cut through skins that run through each other would lose what lies in both.

    Raises
    ------
    OpenSurface : the solid is not closed.
    """
    parts = bodies_of(solid)
    groups = _overlapping(parts)
    if len(set(groups)) == len(parts):
        return solid
    skins = []
    for group in sorted(set(groups)):
        members = [part for part, of in zip(parts, groups, strict=True) if of == group]
        if len(members) == 1:
            skins.append(members[0])
            continue
        runs = {run: kind for member in members for run, kind in member.runs.items()}
        body = manifold3d.Manifold.batch_boolean([member.manifold for member in members], manifold3d.OpType.Add)
        skins.append(Solid.from_manifold(body, runs))
    return _side_by_side(skins)


def _side_by_side(solids: Sequence[Solid]) -> Solid:
    starts = np.cumsum([0] + [len(solid.vertices) for solid in solids[:-1]])
    triangles = [solid.triangles + np.int32(start) for solid, start in zip(solids, starts, strict=True)]
    return Solid(
        np.concatenate([solid.vertices for solid in solids]),
        np.concatenate(triangles),
        np.concatenate([solid.origin for solid in solids]),
    )


def _picked(solid: Solid, chosen: NDArray[np.bool_]) -> Solid:
    """The chosen triangles as a solid of their own."""
    used, corners = np.unique(solid.triangles[chosen], return_inverse=True)
    return Solid(solid.vertices[used], corners.reshape(-1, 3).astype(np.int32), solid.origin[chosen])


def _shells(solid: Solid) -> NDArray[np.int32]:
    """(n,) number of the connected shell of each vertex."""
    t = solid.triangles
    rows, columns = np.r_[t[:, 0], t[:, 1]], np.r_[t[:, 1], t[:, 2]]
    shape = (len(solid.vertices), len(solid.vertices))
    graph = coo_array((np.ones(len(rows), np.int8), (rows, columns)), shape=shape)
    return np.asarray(connected_components(graph, directed=False)[1])


def _overlapping(bodies: list[Solid]) -> list[int]:
    """Group of each body: the number of a body; bodies whose interiors overlap share one."""
    group = list(range(len(bodies)))
    if len(bodies) <= _MOST_BODIES:
        for i, a in enumerate(bodies):
            for j in range(i):
                if group[i] == group[j] or not _boxes_meet(a, bodies[j]):
                    continue
                if (a.manifold ^ bodies[j].manifold).volume() > 1e-9 * min(a.volume, bodies[j].volume):
                    group = [group[j] if number == group[i] else number for number in group]
    return group


def _boxes_meet(a: Solid, b: Solid) -> bool:
    return bool((a.bounds[0] < b.bounds[1]).all() and (b.bounds[0] < a.bounds[1]).all())


def _around(void: Solid, outer: list[Solid]) -> int:
    """Number of the smallest body whose box holds a void's box."""
    slack = 1e-9 * void.diagonal
    best = 0
    for number, body in enumerate(outer):
        if (body.bounds[0] <= void.bounds[0] + slack).all() and (void.bounds[1] <= body.bounds[1] + slack).all():
            best = number  # they come largest first, so the last one that holds it is the smallest
    return best
