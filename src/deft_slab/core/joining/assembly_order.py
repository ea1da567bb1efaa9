"""The dry fit: in which order pieces go together, each move along one line, and what stands in the way.

Cuts are closed in reverse order. Whatever a later cut has parted is whole again before an earlier one is closed, so
each move closes one cut, and all contacts that it closes share one direction.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from ..arrays import Floats
from ..cuts import BlockCut, Cut
from ..figures.wall_thickness import met_first
from ..geometry.bodies import smaller
from ..joins.reports import DryMove
from ..locale.translate import tr
from ..mesh.solid import Solid, side_by_side, spread_points
from ..progress import QUIET, Job
from .contacts import Contact

DEEP = 0.02
"""mm by which two pieces may run through each other on their way: rounding, and facets of round sides."""
_CATCHES = 1.0
"""mm2 of the surface that must be in the way for a move to be blocked; less is a sharp edge that touches."""
_POINTS = 30_000
"""Of each of the two sides of a move at which it is looked at whether something is in the way."""
_SAME_WAY = np.cos(np.radians(1.0))


def moves_of(
    solids: Sequence[Solid], contacts: Sequence[Contact], cuts: Sequence[Cut], job: Job = QUIET
) -> tuple[DryMove, ...]:
    """The moves that put the pieces together, first to last.

    Parameters
    ----------
    solids : Sequence[Solid]
        The pieces with their joins.
    cuts : Sequence[Cut]
        The cuts in the order in which they were made.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    group = list(range(len(solids)))
    found: list[DryMove] = []
    closings = [one for cut in reversed(cuts) for one in _closings(cut, contacts)]
    for done, closing in enumerate(closings):
        job.step(done / len(closings), tr("Putting it together"))
        for number in closing:
            first, second = (group[n] for n in contacts[number].parts)
            if first == second:
                continue
            own = tuple(n for n in closing if {group[k] for k in contacts[n].parts} == {first, second})
            found.append(_move(solids, contacts, group, number, own))
            group = [first if n == second else n for n in group]
    return tuple(found)


def _closings(cut: Cut, contacts: Sequence[Contact]) -> Iterator[list[int]]:
    """The contacts of a cut that close along one line; those of a block cut axis by axis, the last axis first."""
    own = [n for n, contact in enumerate(contacts) if contact.cut == cut.id]
    axes = cut.turn.rotation[::-1] if isinstance(cut, BlockCut) else ()
    for axis in axes:
        along = [n for n in own if abs(float(contacts[n].out @ axis)) > _SAME_WAY]
        yield sorted(along, key=lambda n: float(contacts[n].place @ axis))
        own = [n for n in own if n not in along]
    yield own


def _move(
    solids: Sequence[Solid], contacts: Sequence[Contact], group: Sequence[int], number: int, own: tuple[int, ...]
) -> DryMove:
    """One move: the smaller of two groups of pieces moves to the other; if they are equal, the second side of the
    contact moves.
    """
    contact = contacts[number]
    first, second = ([k for k, of in enumerate(group) if of == group[n]] for n in contact.parts)
    moving, staying, out = second, first, contact.out
    if smaller([solids[k] for k in first], [solids[k] for k in second]):
        moving, staying, out = first, second, contact.way_in
    free, meeting = _free_way(solids, moving, staying, out)
    x, y, z = (float(value) for value in -out)
    return DryMove(tuple(moving), tuple(staying), (x, y, z), own, free, meeting)


def _free_way(
    solids: Sequence[Solid], moving: Sequence[int], staying: Sequence[int], out: Floats
) -> tuple[float, tuple[int, int] | None]:
    """How far some pieces can be pulled out along a direction until they collide, and which pair collides.

    Two bodies separate along a direction without colliding exactly if no ray from one of them backward along it meets
    the other. This is tested from both bodies, slightly inside the surface.

    Returns
    -------
    float, mm, or inf; (int, int) or None
    """
    bodies = [side_by_side([solids[k] for k in own]) for own in (moving, staying)]
    nearest, pair = math.inf, None
    for start, end, way, own, others in (
        (bodies[0], bodies[1], out, moving, staying), (bodies[1], bodies[0], -out, staying, moving)
    ):
        # keys and sockets are a small part of a surface, and what is most often in the way
        for chosen in (None, start.origin < 0):
            if chosen is not None and not chosen.any():
                continue
            points, facets = spread_points(start, _POINTS, chosen)
            area = float(start.areas[chosen if chosen is not None else slice(None)].sum()) / len(points)
            distance, hit = met_first(end, points - DEEP * start.normals[facets], np.broadcast_to(way, points.shape))
            # a ray that leaves the other body first began in it, beyond a sharp rim of the contact
            met = np.flatnonzero((hit >= 0) & (end.normals[hit] @ way < 0))
            # as much of the surface as counts must be in the way by then
            order = met[np.argsort(distance[met])][max(math.ceil(_CATCHES / area), 2) - 1 :]
            if len(order) and distance[order[0]] < nearest:
                nearest = float(distance[order[0]])
                one = own[_which(solids, own, int(facets[order[0]]))]
                other = others[_which(solids, others, int(hit[order[0]]))]
                pair = (one, other) if own is moving else (other, one)
    return nearest, pair


def _which(solids: Sequence[Solid], own: Sequence[int], facet: int) -> int:
    """The piece that a facet belongs to, where pieces are stored side by side."""
    ends = np.cumsum([len(solids[k].triangles) for k in own])
    return int(np.searchsorted(ends, facet, side="right"))
