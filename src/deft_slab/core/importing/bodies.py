"""Which bodies a file contains: its named objects, or else its connected parts."""

from __future__ import annotations

import numpy as np

from ..arrays import Bools
from ..locale.text import harmless
from ..locale.translate import tr, tr_many
from ..mesh.components import body_numbers, shells_of, specks_among
from ..mesh.solid import Solid
from ..plan.plan import Body
from .support_rods import rods_of
from .surfaces import Surface

MOST_BODIES = 40
"""More are taken together, the smallest ones first."""
_MOSTLY = 0.5
"""Share of the area of a named body that is supports where it is taken for such."""


def in_bodies(surface: Surface, name: str) -> tuple[Solid, tuple[Body, ...], tuple[str, ...]]:
    """The solid with its triangles sorted by body, largest first if the file names none. What looks like supplied
    supports follows as one body, and stray fragments come last. There are no bodies if everything is one.

    Returns
    -------
    Solid, tuple of Body, tuple of str
        The solid, its bodies, and what the user should know.
    """
    solid = Solid(surface.vertices, surface.triangles)
    shells = shells_of(solid)
    rods = rods_of(solid, shells)
    said: tuple[str, ...] = ()
    if rods is not None and rods.fused:
        said = (tr_many(
            "One slender rod ends on one plane and runs into the model. It may be a support that came with the "
            "file. If there is a file without it, use that one; otherwise the rod is treated as a part of the prop.",
            "{n} slender rods end on one plane and run into the model. They may be supports that came with the "
            "file. If there is a file without them, use that one; otherwise the rods are treated as parts of the "
            "prop.",
            rods.fused,
        ),)
    supports = rods.shells if rods is not None else np.zeros(len(shells.triangles), np.bool_)
    count = 0 if rods is None else rods.count - rods.fused
    if surface.parts:
        return solid, _named(surface, solid, supports[shells.of], count), said
    if len(shells.triangles) == 1:
        return solid, (), said
    # no unit is known yet: what is a speck is told by its share of the model alone
    specks = specks_among(shells, np.full(3, 1e-9)) & ~supports
    prop = ~specks & ~supports
    number = body_numbers(shells)
    number[prop] = np.unique(number[prop], return_inverse=True)[1]
    last = min(int(number[prop].max()) + 1, MOST_BODIES)
    number = np.where(specks, last + 2, np.where(supports, last + 1, np.minimum(number, MOST_BODIES)))
    if len(np.unique(number)) == 1:
        return solid, (), said
    of = number[shells.of]
    order = np.argsort(of, kind="stable")
    bodies = []
    for body, size in enumerate(np.bincount(of).tolist()):
        if not size:
            continue
        if body == last + 2:
            bodies.append(Body(name=tr("Stray specks"), triangles=size, specks=True))
        elif body == last + 1:
            bodies.append(Body(name=tr("Likely supports"), triangles=size, rods=count))
        else:
            title = tr("The rest") if body == MOST_BODIES else tr("Body {body}", body=body + 1)
            bodies.append(Body(name=title, triangles=size))
    return Solid(solid.vertices, solid.triangles[order]), tuple(bodies), said


def _named(surface: Surface, solid: Solid, supports: Bools, rods: int) -> tuple[Body, ...]:
    """The named objects of a file.

    Parameters
    ----------
    supports : (m,) bool
        Facets of what looks like supplied supports.
    rods : int
        How many rods those have.
    """
    parts = surface.parts[:MOST_BODIES]
    rest = sum(count for _, count in surface.parts[MOST_BODIES:])
    counts = [*(count for _, count in parts), *([rest] if rest else [])]
    number = np.repeat(np.arange(len(counts)), counts)
    areas = solid.areas
    mine = np.bincount(number, np.where(supports, areas, 0.0), len(counts))
    like = mine > _MOSTLY * np.bincount(number, areas, len(counts))
    titles = [harmless(part).strip() or tr("Body {body}", body=n) for n, (part, _) in enumerate(parts, 1)]
    return tuple(
        Body(name=title[:120], triangles=size, rods=rods if one else 0)
        for title, size, one in zip([*titles, tr("The rest")], counts, like.tolist(), strict=False)
    )
