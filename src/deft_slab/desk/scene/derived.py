"""Derived data that scenes share."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import numpy as np

from ...core.mesh.solid import Solid

T = TypeVar("T")
Made = dict[str, tuple[tuple[object, ...], object]]
"""By name: of what it was made, and what it is."""


class Making:
    """Derived data, computed once and passed from scene to scene as long as its inputs are the same."""

    def __init__(self, before: Made) -> None:
        self._before = before
        self.made: Made = {}

    def once(self, name: str, made_of: tuple[object, ...], make: Callable[[], T]) -> T:
        known = self._before.get(name)
        if known is not None and _same(known[0], made_of):
            self.made[name] = known
            return known[1]  # type: ignore[return-value]
        found = make()
        self.made[name] = (made_of, found)
        return found


def _same(one: tuple[object, ...], other: tuple[object, ...]) -> bool:
    """Whether two tuples of inputs are the same. Large inputs are compared by identity, others by value."""
    large = (np.ndarray, Solid)
    return len(one) == len(other) and all(
        a is b or (not isinstance(a, large) and not isinstance(b, large) and a == b)
        for a, b in zip(one, other, strict=True)
    )
