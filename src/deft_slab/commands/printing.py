"""Words of a command line, and what --json prints, as both can hold them."""

from __future__ import annotations

import math


def plain(word: str) -> str:
    """A negative number with an exponent written out: the argument parser would take "-1e-3" for an option."""
    if not word.startswith("-") or "e" not in word.lower():
        return word
    try:
        return f"{float(word):.17f}"
    except ValueError:
        return word


def plainly(value: object) -> object:
    """The same with None in place of numbers that are none: JSON has no word for them."""
    if isinstance(value, dict):
        return {name: plainly(one) for name, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [plainly(one) for one in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
