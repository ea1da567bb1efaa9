"""Where no way to part a model is as wished: which condition to loosen, and by how much."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..outcome import NOT_BARRED
from .drafts import Ground
from .found import LEAST_SHARE, Way


def why_none(ground: Ground, refused: list[Way], measured: Callable[[Way], Way]) -> str:
    """One sentence. refused : ways that are not as wished; measured : gives one on the full mesh"""
    wishes = ground.wishes
    looked = [one for cell in ground.start.cells for one in cell.subject.looked]
    real = [(one, one.volume.min(axis=0) >= LEAST_SHARE * one.volume.sum(axis=0)) for one in looked]
    if not any(parts.any() for _, parts in real):
        return "No straight cut parts it."
    barred = min(float(one.barred[parts].min(initial=np.inf)) for one, parts in real)
    if barred >= NOT_BARRED:
        return f"Every cut crosses a place where none may run, by {barred:.0f} mm at least. Take marks away there."
    sight = min(float(one.in_sight[parts & (one.barred < NOT_BARRED)].min(initial=np.inf)) for one, parts in real)
    if wishes.seam_limit is not None and sight > wishes.seam_limit:
        return f"Every cut shows {sight:.0f} mm of seam or more. Allow {sight - wishes.seam_limit:.0f} mm more."
    parted = [way for way in refused if way.cuts]
    if not parted:
        return "No cut was found that leaves pieces as large, or as few, as wished."
    said = []
    if wishes.must_fit:
        best = measured(min(parted, key=lambda one: one.pieces - one.fitting))
        said.append(f"{best.fitting} of {best.pieces} pieces fit at best, one {best.over:.0f} mm too large: allow more")
    if wishes.flat:
        best = min(parted, key=lambda one: one.pieces - one.flat)
        said.append(f"{best.flat} of {best.pieces} pieces sit flat at best: let some lean, or allow more pieces")
    few = min(one.pieces for one in parted)
    if few > wishes.pieces:
        said.append(f"the fewest pieces found are {few}")
    return f"No way is as wished: {'; '.join(said)}."
