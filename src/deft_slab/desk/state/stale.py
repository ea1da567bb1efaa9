"""What is said where something is asked of pieces that are not those of the plan any more."""

from __future__ import annotations

from ...core.errors import BadPlan


def being_made() -> BadPlan:
    return BadPlan("The pieces are being made anew.", kept="Nothing was changed.", remedy="Try again in a moment.")
