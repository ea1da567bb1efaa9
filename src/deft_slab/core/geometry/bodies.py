"""Connected bodies in a solid, and merging bodies that overlap into one skin."""

from __future__ import annotations

import math
from collections.abc import Sequence

import manifold3d
import numpy as np

from ..arrays import Bools, Floats
from ..mesh.components import body_numbers, shells_of
from ..mesh.solid import Solid, side_by_side

_NOISE = 1e-9
"""Share of the volume of a solid under which a shell encloses nothing: left behind by rounding, where faces lie in each
other, or finer than any printer (of a prop of 100 cm³ a tenth of a thousandth of a mm³)."""
_ALIKE = 1e-6
"""Share of their volume by which bodies may differ and count as alike."""
_MOST_BODIES = 200
"""Above this many of them, which of them overlap is no longer asked pair by pair."""


def bodies_of(solid: Solid) -> list[Solid]:
    """The connected parts of a solid, largest first. A void belongs to the part around it."""
    shells = shells_of(solid)
    body = body_numbers(shells)
    if body.max(initial=0) == 0:
        return [solid]
    count = int(body.max()) + 1
    if not solid.made_closed:
        return solid.divided(body[shells.of], count)
    noise = _NOISE * abs(solid.volume)
    if solid.from_booleans and float(shells.volume.min()) >= -noise:
        # what the library knows of its own accuracy stays with the parts; built anew, they may lose volume when cut on
        parts = [part for part in reversed(fragments(solid.manifold)) if part.volume() > noise]
        return [Solid.from_manifold(part, solid.runs) for part in parts]
    return [one.marked_closed() for one in solid.divided(body[shells.of], count) if one.volume > noise]


def without_nothing(solid: Solid, whole: float) -> Solid | None:
    """A solid without those shells that enclose nothing; coinciding faces leave such shells behind. None if nothing
    else is left.

    Parameters
    ----------
    whole : float, mm3
        The volume of the solid that it is a part of.
    """
    shells = shells_of(solid)
    nothing = np.abs(shells.volume) <= _NOISE * abs(whole)
    if not nothing.any():
        return solid
    if nothing.all():
        return None
    if solid.from_booleans and float(shells.volume.min()) >= -_NOISE * abs(whole):
        parts = [part for part in fragments(solid.manifold) if part.volume() > _NOISE * abs(whole)]
        return Solid.from_manifold(manifold3d.Manifold.compose(parts), solid.runs)
    rest = solid.picked(~nothing[shells.of])
    return rest.marked_closed() if solid.made_closed else rest


def in_one(bodies: list[Solid]) -> Solid:
    """Bodies that do not touch, as one solid. What the boolean library knows about them is kept where possible; it
    cannot put a void back.
    """
    if len(bodies) == 1:
        return bodies[0]
    if all(body.from_booleans for body in bodies):
        runs = {run: kind for body in bodies for run, kind in body.runs.items()}
        return Solid.from_manifold(manifold3d.Manifold.compose([body.manifold for body in bodies]), runs)
    together = side_by_side(bodies)
    return together.marked_closed() if all(body.made_closed for body in bodies) else together


def joined_to(piece: Solid, crumbs: list[Solid]) -> tuple[Solid, list[bool]]:
    """Unite a piece with those crumbs that form exactly one body with it.

    Taking all other pieces away from the whole would not give the same: where those touch each other, rounding leaves
    films of no thickness, whose faces enclose nothing.

    Returns
    -------
    Solid, list of bool
        The united piece, and which crumbs were united with it.
    """
    everything = _united_exactly(piece, crumbs)
    if everything is not None:
        return everything, [True] * len(crumbs)
    given = []
    for crumb in crumbs:
        made = _united_exactly(piece, [crumb]) if len(crumbs) > 1 else None
        given.append(made is not None)
        piece = made or piece
    return piece, given


def _united_exactly(piece: Solid, crumbs: list[Solid]) -> Solid | None:
    """A piece united with what lies against it; None if that gives more than one body, or the wrong volume."""
    together = [piece, *crumbs]
    body = manifold3d.Manifold.batch_boolean([one.manifold for one in together], manifold3d.OpType.Add)
    runs = {run: kind for one in together for run, kind in one.runs.items()}
    made = without_nothing(Solid.from_manifold(body, runs), piece.volume)
    wanted = sum(one.volume for one in together)
    if made is None or abs(made.volume - wanted) > _NOISE * wanted or _bodies(made) > _bodies(piece):
        return None
    return made


def _bodies(solid: Solid) -> int:
    return int(body_numbers(shells_of(solid)).max(initial=0)) + 1


def fragments(body: manifold3d.Manifold) -> list[manifold3d.Manifold]:
    """The connected parts of a body, smallest first, with their voids filled: the library cannot put an inverted
    shell back into the body around it.
    """
    return sorted((part for part in body.decompose() if part.volume() > 0), key=lambda part: float(part.volume()))


def united(solid: Solid) -> Solid:
    """The same solid with one common skin where its bodies overlap; the solid itself if none do.

    A cut through skins that run through each other would lose the volume that both enclose.

    Raises
    ------
    OpenSurface
        The solid is not closed.
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
    return side_by_side(skins)


def _overlapping(bodies: list[Solid]) -> list[int]:
    """The group of each body. Bodies whose interiors overlap share a group, named by the number of one of them."""
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


def smaller(first: Sequence[Solid], second: Sequence[Solid]) -> bool:
    """Whether some bodies have less volume than others, by more than rounding."""
    one, other = (sum(body.volume for body in side) for side in (first, second))
    return one < other and not math.isclose(one, other, rel_tol=_ALIKE)


def within(solid: Solid, points: Floats) -> Bools:
    """Whether each point lies inside a solid, by the generalized winding number (Jacobson, Kavan and Sorkine-Hornung
    2013).

    Parameters
    ----------
    points : (n, 3) float64

    Returns
    -------
    (n,) bool
    """
    import igl

    faces = np.ascontiguousarray(solid.triangles, np.int64)
    return np.asarray(igl.fast_winding_number(np.array(solid.vertices), faces, np.ascontiguousarray(points)) > 0.5)
