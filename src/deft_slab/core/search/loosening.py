"""Which condition to relax, and by how much, if no way to part a model meets all conditions."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..geometry.bodies import bodies_of
from ..locale import text
from ..locale.translate import tr
from ..results.outcome import NOT_BARRED
from .drafts import SearchPieces
from .results import LEAST_SHARE, Way


def why_none(ground: SearchPieces, refused: list[Way], measured: Callable[[Way], Way]) -> str:
    """What to relax, in one sentence.

    Parameters
    ----------
    refused : list[Way]
        Ways that violate a condition.
    measured : Callable[[Way], Way]
        Measures a way on the full mesh.
    """
    wishes = ground.wishes
    looked = [one for cell in ground.start.cells for one in cell.subject.looked]
    real = [(one, one.volume.min(axis=0) >= LEAST_SHARE * one.volume.sum(axis=0)) for one in looked]
    if not any(parts.any() for _, parts in real):
        return tr("No straight cut divides the model.")
    barred = min(float(one.barred[parts].min(initial=np.inf)) for one, parts in real)
    if barred >= NOT_BARRED:
        return tr(
            "Every cut crosses a place where none may run, by at least {barred}. Remove marks there.",
            barred=text.length(barred, 0),
        )
    sight = min(float(one.in_sight[parts & (one.barred < NOT_BARRED)].min(initial=np.inf)) for one, parts in real)
    if wishes.seam_limit is not None and sight > wishes.seam_limit:
        return tr(
            "Every cut shows at least {sight} of seam. Allow {sight2} more.",
            sight=text.length(sight, 0),
            sight2=text.length(sight - wishes.seam_limit, 0),
        )
    parted = [way for way in refused if way.cuts]
    said = []
    if wishes.must_fit and parted:
        best = measured(min(parted, key=lambda one: one.pieces - one.fitting))
        said.append(
            tr(
                "at best {fitting} of {pieces} pieces fit, and one is {over} too large: allow more pieces",
                fitting=best.fitting,
                pieces=best.pieces,
                over=text.length(best.over, 0),
            )
        )
    if wishes.flat and parted:
        best = min(parted, key=lambda one: one.pieces - one.flat)
        said.append(
            tr(
                "at best {flat} of {pieces} pieces sit flat: let some lean, or allow more pieces",
                flat=best.flat,
                pieces=best.pieces,
            )
        )
    few = min((*(one.pieces for one in parted), *ground.too_many), default=0)
    if few > ground.most_pieces + len(ground.besides):
        said.append(tr("the fewest pieces found are {few}", few=few))
    loose = sum(len(bodies_of(part.solid)) for part in ground.parts)
    if loose > len(ground.parts):
        said.append(tr("the model has {count} bodies that do not touch, and each counts as a piece: in Size, leave "
                       "out stray specks, or make bodies separate pieces", count=loose))
    if not said:
        return tr("No cut was found that leaves pieces as large, or as few, as your limits ask for.")
    return tr("Nothing meets your limits: {list}.", list="; ".join(said))


def in_vain_of(best: Way, stands: Way) -> str:
    """One sentence for the case that every way that meets the conditions needs more support than the model as it
    stands.

    Parameters
    ----------
    best : Way
        The way that needs least.
    stands : Way
        The model as it stands.
    """
    return tr(
        "No plan is better than leaving the model uncut: the best needs {support} of support instead of {now}, and "
        "none sits flatter or fits better.",
        support=text.volume(best.support),
        now=text.volume(stands.support),
    )
