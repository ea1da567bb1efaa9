"""Converts the words of a command line, and what --json prints."""

from __future__ import annotations

import math


def plain(word: str) -> str:
    """A negative number with an exponent, written without it: the argument parser would take "-1e-3" for an option."""
    if not word.startswith("-") or "e" not in word.lower():
        return word
    try:
        return f"{float(word):.17f}"
    except ValueError:
        return word


def plainly(value: object) -> object:
    """The value with None in place of nan and inf, which JSON cannot express."""
    if isinstance(value, dict):
        return {name: plainly(one) for name, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [plainly(one) for one in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
