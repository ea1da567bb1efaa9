"""The room around all guests of a plan."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from functools import partial

from ..cache import Cache
from ..mesh.solid import Solid, side_by_side
from ..plan.plan import Plan
from ..progress import Job
from ..results.outcome import Room
from .clearance import room_around


def rooms_around(
    plan: Plan, solids: Sequence[Solid], key: Hashable, guests: Mapping[str, Solid], kept: Cache, job: Job
) -> dict[str, Room]:
    """The room around each guest that is shown, by its id. A guest whose surface is missing has none.

    Parameters
    ----------
    solids : Sequence[Solid]
        The bodies of the prop, in mm.
    key : Hashable
        Names their content.
    guests : Mapping[str, Solid]
        Surfaces of guests that are models, in their own units, by content hash.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    prop = side_by_side(solids)
    found = {}
    for guest in plan.guests:
        model = guests.get(guest.model.sha256) if guest.model else None
        if not guest.shown or (guest.model is not None and model is None):
            continue
        of = ("room", key, guest.model_copy(update={"name": "", "clearance": 0.0}))
        found[guest.id] = kept.once(of, partial(room_around, prop, guest, plan.factors, model, job))
    return found
