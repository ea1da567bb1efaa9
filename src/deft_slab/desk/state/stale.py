"""The message for the case that something is asked of pieces that are no longer those of the plan."""

from __future__ import annotations

from ...core.errors import BadPlan
from ...core.locale.translate import tr


def being_made() -> BadPlan:
    return BadPlan(
        tr("The pieces are being recomputed."), kept=tr("Nothing was changed."), remedy=tr("Try again in a moment.")
    )
