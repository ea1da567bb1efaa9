"""The planes of a draft moved and turned together: each in turn, with all cuts made anew, so that what one of them
gives up another may gain."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from ..curves import frame_of
from ..cuts import Cut, StraightCut
from ..documents import triple
from ..progress import QUIET, Job, Spread
from .drafts import Draft, Ground

Floats = NDArray[np.float64]

_STEPS = ((0.03, 5.0), (0.015, 2.5), (0.007, 1.2))
"""How far planes are moved, as a share of the diagonal, and turned, in degrees, one after the other."""
_SLACK = 1.02
"""Times the seam of the draft that one that is better may have."""


def moved_together(
    ground: Ground, draft: Draft, flat: bool, job: Job = QUIET, spread: Spread = map
) -> list[Draft]:  # fmt: skip
    """All drafts that were made around one, better or not: those with less seam are worth looking at too.

    flat : whether the support with all pieces flat is to be less. Raises Cancelled.
    """
    best, made = draft, []
    most = _SLACK * draft.hidden(ground.wishes)
    tries = len(_STEPS) * len(draft.cuts)
    for number in range(tries):
        job.step(number / tries, "Moving all cuts together")
        share, degrees = _STEPS[number // len(draft.cuts)]
        which = number % len(draft.cuts)
        others = _around(best, which, share * ground.diagonal, degrees)
        found = [one for one in spread(partial(_made, ground, best), others) if one is not None]
        made += found
        for one in found:
            if one.hidden(ground.wishes) <= most and one.left(flat) < best.left(flat):
                best = one
    return made


def _around(draft: Draft, which: int, shift: float, degrees: float) -> list[tuple[Cut, ...]]:
    """The cuts of a draft with one of them moved by mm either way, and turned about the middle of its seam."""
    cut, segments = draft.cuts[which], draft.seams[which].segments
    if not isinstance(cut, StraightCut) or not len(segments):
        return []
    middle, normal = segments.reshape(-1, 3).mean(axis=0), np.array(cut.normal)
    frame = frame_of(normal)
    lean = float(np.tan(np.radians(degrees)))
    planes = [(normal, cut.offset + sign * shift) for sign in (-1.0, 1.0)]
    for axis in (0, 1):
        for sign in (-1.0, 1.0):
            turned = normal + sign * lean * frame[axis]
            turned = turned / np.linalg.norm(turned)
            planes.append((turned, cut.offset + float((turned - normal) @ middle)))
    cuts = []
    for turned, offset in planes:
        other = cut.model_copy(update={"normal": triple(turned), "offset": offset})
        cuts.append((*draft.cuts[:which], other, *draft.cuts[which + 1 :]))
    return cuts


def _made(ground: Ground, like: Draft, cuts: tuple[Cut, ...]) -> Draft | None:
    """Cuts made one after the other; seats are looked for around those of a draft that is like it."""
    seats = [seat for cell in like.cells for seat in (cell.seats.least, cell.seats.flat) if seat is not None]
    downs = np.unique(np.round([seat.down for seat in seats], 6), axis=0)
    downs /= np.linalg.norm(downs, axis=1)[:, None]
    draft: Draft | None = ground.start
    for cut in cuts:
        draft = ground.with_cut(draft, cut, (downs, downs)) if draft is not None else None
    return draft
