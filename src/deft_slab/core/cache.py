"""A cache for everything that the pipeline computes, shared by all threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")

FEW_TRIANGLES, MANY_TRIANGLES = 3_000_000, 6_000_000
"""Between these lies the limit for one cache; a triangle with everything derived from it takes about 250 bytes."""
KEPT_THINGS = 2_000


class Cache:
    """Keeps results by their keys, and drops the oldest when together they have too many triangles or become too
    many.

    It may be used from any number of threads: a thread that asks for something another thread is computing waits for
    it.

    Attributes
    ----------
    most : int
        How many triangles are kept.
    """

    def __init__(self) -> None:
        self.most = MANY_TRIANGLES
        self._things: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._triangles = 0
        self._guard = threading.Lock()
        self._making: dict[Hashable, threading.Lock] = {}

    def once(self, key: Hashable, make: Callable[[], T], triangles: int = 0) -> T:
        """Return the cached result for a key, computing it first if it is not there.

        Parameters
        ----------
        key : Hashable
            The key; it must name everything that the result depends on.
        make : Callable[[], T]
            Computes the result.
        triangles : int
            How much memory the result takes, counted in triangles.
        """
        with self._guard:
            mine = self._making.setdefault(key, threading.Lock())
        # what is made asks for other things on its way, but never, by way of them, for itself
        with mine:
            try:
                with self._guard:
                    if key in self._things:
                        self._things.move_to_end(key)
                        return self._things[key][0]  # type: ignore[return-value]
                made = make()
                with self._guard:
                    self._put(key, made, triangles)
                return made
            finally:
                with self._guard:
                    self._making.pop(key, None)

    def suit(self, triangles: int) -> None:
        """Set the limit for a model of so many triangles, of which some eight plans are to be kept."""
        self.most = min(max(8 * triangles, FEW_TRIANGLES), MANY_TRIANGLES)

    def _put(self, key: Hashable, made: object, triangles: int) -> None:
        self._things[key] = (made, triangles)
        self._triangles += triangles
        while len(self._things) > 2 and (self._triangles > self.most or len(self._things) > KEPT_THINGS):
            _, (_, freed) = self._things.popitem(last=False)
            self._triangles -= freed
