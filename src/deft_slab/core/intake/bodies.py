"""Which bodies a file holds: its named objects, else what hangs together."""

from __future__ import annotations

import numpy as np

from ..plan import Body
from ..shells import body_numbers, shells_of, specks_among
from ..solid import Solid
from ..text import harmless
from ..words import tr
from .surfaces import Surface

MOST_BODIES = 40
"""More are taken together, the smallest ones first."""


def in_bodies(surface: Surface, name: str) -> tuple[Solid, tuple[Body, ...]]:
    """(solid, bodies): the triangles put in the order of the bodies, largest first where the file names none; stray
    fragments come last, as one. No bodies where all is one."""
    solid = Solid(surface.vertices, surface.triangles)
    if surface.parts:
        parts = surface.parts[:MOST_BODIES]
        rest = sum(count for _, count in surface.parts[MOST_BODIES:])
        bodies = [
            Body(name=(harmless(part).strip() or tr("Body {body}", body=number))[:120], triangles=count)
            for number, (part, count) in enumerate(parts, 1)
        ]
        return solid, (*bodies, *([Body(name=tr("The rest"), triangles=rest)] if rest else ()))
    shells = shells_of(solid)
    if len(shells.triangles) == 1:
        return solid, ()
    # no unit is known yet: what is a speck is told by its share of the model alone
    specks = specks_among(shells, np.full(3, 1e-9))
    number = body_numbers(shells)
    number[~specks] = np.unique(number[~specks], return_inverse=True)[1]
    count = int(number[~specks].max()) + 1
    number = np.where(specks, min(count, MOST_BODIES) + 1, np.minimum(number, MOST_BODIES))
    if len(np.unique(number)) == 1:
        return solid, ()
    of = number[shells.of]
    order = np.argsort(of, kind="stable")
    sizes = np.bincount(of)
    bodies = []
    for body, size in enumerate(sizes.tolist()):
        if size:
            stray = bool(specks.any()) and body == len(sizes) - 1
            title = (
                tr("Stray specks")
                if stray
                else tr("The rest")
                if body == MOST_BODIES
                else tr("Body {body}", body=body + 1)
            )
            bodies.append(Body(name=title, triangles=size, specks=stray))
    return Solid(solid.vertices, solid.triangles[order]), tuple(bodies)
