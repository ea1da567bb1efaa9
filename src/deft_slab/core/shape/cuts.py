"""Cuts: parting solids in two.

``CUTTERS`` is the registry: for each kind of cut, what makes the two sides.
"""

from __future__ import annotations

from collections.abc import Callable

import manifold3d

from ..errors import CutFailed
from ..plan import Cut, StraightCut
from ..solid import Solid

_NOTHING = 1e-12
"""Share of the volume under which a side is rounding noise: a cut along a face leaves such a sheet behind."""


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
