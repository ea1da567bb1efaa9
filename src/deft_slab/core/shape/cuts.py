"""Cuts: parting solids in two, and telling the loose parts apart.

``CUTTERS`` is the registry: for each kind of cut, what makes the two sides.
"""

from __future__ import annotations

from collections.abc import Callable

import manifold3d
import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from ..errors import CutFailed
from ..plan import Cut, StraightCut
from ..solid import Solid

_NOTHING = 1e-12
"""Share of the volume under which a side is rounding noise: a cut along a face leaves such a sheet behind."""

_MOST_BODIES = 200
"""Above this many loose parts, which of them overlap is no longer asked pair by pair."""


def _straight(solid: Solid, cut: StraightCut) -> tuple[manifold3d.Manifold, manifold3d.Manifold]:
    return solid.manifold.split_by_plane(cut.normal, cut.offset)  # type: ignore[no-any-return]


CUTTERS: dict[str, Callable[[Solid, Cut], tuple[manifold3d.Manifold, manifold3d.Manifold]]] = {"straight": _straight}


def split(solid: Solid, cut: Cut, number: int) -> tuple[Solid | None, Solid | None]:
    """The side that the cut's normal points to, and the one behind it; None where nothing is.

    number : of the cut in its recipe; its faces get the origin -1 - number

    Raises
    ------
    OpenSurface : the solid is not closed.
    CutFailed : the boolean library could not make the cut.
    """
    known = solid.runs
    sides: list[Solid | None] = []
    for body in CUTTERS[cut.kind](solid, cut):
        if body.status() != manifold3d.Error.NoError:
            raise CutFailed(f"The cut “{cut.name}” could not be made ({body.status().name}).")
        if body.is_empty() or body.volume() <= _NOTHING * abs(solid.volume):
            sides.append(None)
            continue
        fresh = {int(run): -1 - number for run in body.to_mesh64().run_original_id if int(run) not in known}
        sides.append(Solid.from_manifold(body, known | fresh))
    return sides[0], sides[1]


def loose_parts(solid: Solid) -> list[Solid]:
    """The parts of a solid that do not hang together, largest first.

    A void belongs to the part around it. Bodies that overlap are one part, for they print as one.
    """
    labels = _shells(solid)
    count = int(labels.max()) + 1
    if count == 1:
        return [solid]
    bodies = solid.manifold.decompose()
    if len(bodies) == 1:
        return [solid]
    outer = sorted((body for body in bodies if body.volume() > 0), key=lambda body: -body.volume())
    voids = [body for body in bodies if body.volume() <= 0]
    groups = _overlapping(outer)
    members: list[list[manifold3d.Manifold]] = [[] for _ in range(max(groups) + 1)]
    for group, body in zip(groups, outer, strict=True):
        members[group].append(body)
    for void in voids:
        members[groups[_around(void, outer)]].append(void)
    parts = [
        Solid.from_manifold(part[0] if len(part) == 1 else manifold3d.Manifold.compose(part), solid.runs)
        for part in members
    ]
    return sorted(parts, key=lambda part: -part.volume)


def _shells(solid: Solid) -> np.ndarray[tuple[int], np.dtype[np.int32]]:
    """(n,) number of the connected shell of each vertex."""
    t = solid.triangles
    rows, columns = np.r_[t[:, 0], t[:, 1]], np.r_[t[:, 1], t[:, 2]]
    shape = (len(solid.vertices), len(solid.vertices))
    graph = coo_array((np.ones(len(rows), np.int8), (rows, columns)), shape=shape)
    return np.asarray(connected_components(graph, directed=False)[1])


def _boxes_meet(a: manifold3d.Manifold, b: manifold3d.Manifold) -> bool:
    p, q = a.bounding_box(), b.bounding_box()
    return all(p[k] < q[k + 3] and q[k] < p[k + 3] for k in range(3))


def _overlapping(bodies: list[manifold3d.Manifold]) -> list[int]:
    """Group number of each body; bodies whose interiors overlap share one."""
    group = list(range(len(bodies)))
    if len(bodies) <= _MOST_BODIES:
        for i, a in enumerate(bodies):
            for j in range(i):
                if group[i] == group[j] or not _boxes_meet(a, bodies[j]):
                    continue
                if (a ^ bodies[j]).volume() > 1e-9 * min(a.volume(), bodies[j].volume()):
                    group = [group[j] if number == group[i] else number for number in group]
    names = {number: place for place, number in enumerate(dict.fromkeys(group))}
    return [names[number] for number in group]


def _around(void: manifold3d.Manifold, outer: list[manifold3d.Manifold]) -> int:
    """Number of the smallest body whose box holds a void's box."""
    v = void.bounding_box()
    slack = 1e-9 * max(abs(value) for value in v)
    best = 0
    for number, body in enumerate(outer):
        b = body.bounding_box()
        if all(b[k] <= v[k] + slack and v[k + 3] <= b[k + 3] + slack for k in range(3)):
            best = number  # they come largest first, so the last one that holds it is the smallest
    return best
