"""Options: places for the next cut of some drafts, scored by rasters and not yet made; the best for each amount of
visible seam, and better ones around them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np

from ..arrays import Floats, Ints
from ..figures.default_seats import around
from ..figures.plane_scoring import CutPlaces
from ..locale.translate import tr
from ..progress import QUIET, Job, Spread, for_each
from ..results.outcome import NOT_BARRED
from .drafts import LEAST_OF_ALL, Cell, Draft, SearchPieces

BINS = (0.0, 0.15, 0.25, 0.35, 0.5, 0.625, 0.75, 1.0, 1.5, 2.5, np.inf)
"""Of the seam, as shares of the diagonal. (Ranked in one list, the winners with a small seam stood behind thousands of
others.)"""
_ANGLE, _SHARE = np.cos(np.radians(8.0)), 0.04
"""Two planes nearer to each other than this, the second as a share of the diagonal, are one."""
_REACHES = (5.0, 2.5, 1.2)
"""Degrees around a normal that are tried in turn."""
_FINE_PLACES, _FINE_REACH = 17, 0.06
"""Places around an offset that are tried, and how far from it, as a share of the diagonal."""
_SLACK = 1.01
"""Times the seam of an option that what is tried around it may have."""


@dataclass(frozen=True, eq=False)
class Option:
    """A plane through a body of a draft.

    Attributes
    ----------
    left : float, mm3
        The support of the whole, all flat or not.
    hidden : float, mm
        The visible seam; see ``CutWishes.hidden``.
    rooms : int
        How many printer's rooms everything takes.
    """

    draft: Draft
    cell: Cell
    normal: Floats
    offset: float
    flat: bool
    left: float
    hidden: float
    rooms: int


@dataclass(frozen=True, eq=False)
class Scored:
    """Figures (n, k) of the whole draft with one more cut through a body, for k places along each of n normals.

    Attributes
    ----------
    free, flat : (n, k) float64, mm3
        The support, free or with all pieces flat; inf where a condition is not met.
    hidden : (n, k) float64, mm
        The visible seam.
    rooms : array of int64
        How many printer's rooms all bodies then take.
    """

    draft: Draft
    cell: Cell
    normals: Floats
    offsets: Floats
    free: Floats
    flat: Floats
    hidden: Floats
    rooms: Ints


def scored(ground: SearchPieces, draft: Draft, cell: Cell, found: list[CutPlaces]) -> Scored:
    """What places through a body of a draft come to for the whole draft, with the other bodies unchanged."""
    wishes = ground.wishes
    others = [one for one in draft.cells if one is not cell]

    def rows(name: str) -> Floats:
        return np.stack([getattr(one, name) for one in found])

    volume = rows("volume")
    sight = draft.sight + rows("in_sight")
    good = volume.min(axis=1) >= max(LEAST_OF_ALL * ground.volume, wishes.least_volume)
    good &= rows("barred") < NOT_BARRED
    if wishes.seam_limit is not None:
        good &= sight <= wishes.seam_limit
    free = sum(one.support for one in others) + rows("support").sum(axis=1)
    flat = sum(one.flat for one in others) + rows("flat").sum(axis=1)
    rooms = rows("rooms").sum(axis=1) + sum(one.rooms(False) for one in others)
    hidden = wishes.hidden(sight, draft.show + rows("on_show"), draft.welcome + rows("welcome"))
    return Scored(
        draft, cell, np.stack([one.normal for one in found]), rows("offsets"), np.where(good, free, np.inf),
        np.where(good, flat, np.inf), hidden, rooms,
    )


def best_options(
    ground: SearchPieces, tables: list[Scored], most: int, *, flat: bool, fitting: bool
) -> list[list[Option]]:
    """The best options of each bin of visible seam, those with the least support first, without repetition.

    Parameters
    ----------
    most : int
        How many for each bin.
    flat : bool
        Whether to compare the support with all pieces flat.
    fitting : bool
        Whether options that take fewer printer's rooms come first.
    """
    if not tables:
        return []
    table = np.concatenate([np.full(one.free.size, number) for number, one in enumerate(tables)])
    place = np.concatenate([np.arange(one.free.size) for one in tables])
    hidden, rooms = (np.concatenate([getattr(one, name).ravel() for one in tables]) for name in ("hidden", "rooms"))
    left = np.concatenate([(one.flat if flat else one.free).ravel() for one in tables])
    value = np.where(np.isfinite(left), rooms, np.inf) if fitting else left
    bins = []
    for low, high in pairwise(np.array(BINS) * ground.diagonal):
        inside = np.flatnonzero((hidden >= low) & (hidden < high) & np.isfinite(value))
        mine: list[Option] = []
        for i in inside[np.lexsort((left[inside], value[inside]))]:
            one = tables[table[i]]
            n, k = divmod(int(place[i]), one.offsets.shape[1])
            option = Option(one.draft, one.cell, one.normals[n], float(one.offsets[n, k]), flat, float(left[i]),
                            float(hidden[i]), int(rooms[i]))
            if not any(same(option, other, ground.diagonal) for other in mine):
                mine.append(option)
            if len(mine) == most:
                break
        bins.append(mine)
    return bins


def same(a: Option, b: Option, diagonal: float) -> bool:
    """Whether two options are about the same plane through the same body.

    Parameters
    ----------
    diagonal : float, mm
        The diagonal of the model.
    """
    if a.cell is not b.cell or a.draft is not b.draft:
        return False
    cosine = float(a.normal @ b.normal)
    return abs(cosine) >= _ANGLE and bool(abs(a.offset - np.sign(cosine) * b.offset) < _SHARE * diagonal)


def followed(ground: SearchPieces, options: list[Option], job: Job = QUIET, spread: Spread = map) -> list[Option]:
    """The best option around each one that shows hardly more seam; the option itself if nothing is better.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    return for_each(partial(_followed, ground), options, tr("Following the best places"), job, spread)


def _followed(ground: SearchPieces, start: Option) -> Option:
    subject, diagonal = start.cell.subject, ground.diagonal
    ahead, behind = ground.likely(subject, start.normal, start.offset)
    subject = subject.in_few_poses(np.union1d(ahead, behind))
    best = start
    for degrees in _REACHES:
        centre = best
        middle = subject.middle_of_section(centre.normal, centre.offset)
        for normal in [centre.normal, *around(centre.normal, degrees)]:
            reach = _FINE_REACH * diagonal * degrees / _REACHES[0]
            low, high = subject.extent(normal)
            offset = float(normal @ middle)
            offsets = np.linspace(max(offset - reach, low), min(offset + reach, high), _FINE_PLACES)
            if offsets[-1] - offsets[0] < 1e-6:
                continue
            table = scored(ground, start.draft, start.cell, [subject.places(normal, offsets)])
            left = (table.flat if start.flat else table.free)[0]
            alike = (table.hidden[0] <= _SLACK * start.hidden) & (table.rooms[0] <= start.rooms)
            left = np.where(alike, left, np.inf)
            k = int(np.argmin(left))
            if left[k] < best.left:
                best = Option(start.draft, start.cell, normal, float(offsets[k]), start.flat, float(left[k]),
                              float(table.hidden[0, k]), int(table.rooms[0, k]))
    return best


def dearest(draft: Draft, most: int) -> list[Cell]:
    """The bodies of a draft that are worth parting: first those that do not fit or do not sit flat, then those with
    the most support. Before the first cut, at least some.
    """
    order = sorted(
        draft.cells,
        key=lambda one: (-one.rooms(False), np.isfinite(one.flat), -max(one.support, one.flat)),
    )
    nothing = 0.002 * sum(abs(one.part.solid.volume) for one in draft.cells)
    worth = [one for one in order if not one.fits(False) or not np.isfinite(one.flat) or one.flat > nothing]
    return worth[:most] if draft.cuts else (worth or order)[:most]
