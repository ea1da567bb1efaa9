"""Rows of a list that remain as long as their keys do. New rows are made a few at a time, in successive turns of the
event loop.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Sequence
from typing import Generic, TypeVar

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from ..refresh.batching import in_turn
from .basics import ListColumn, taken_out

K = TypeVar("K", bound=Hashable)
W = TypeVar("W", bound=QWidget)

_AT_ONCE = 4
"""Rows that are made in one turn: a few take as long as all the rest of a panel."""


class KeptRows(QObject, Generic[K, W]):
    """The rows of a column. ``make`` makes the row of a key; ``placed`` is called for each row in its place with the
    number of the place, the key and the row.
    """

    def __init__(
        self, column: ListColumn, make: Callable[[K], W], placed: Callable[[int, K, W], None] = lambda *_: None
    ) -> None:
        super().__init__(column)
        self._column, self._make, self._placed = column, make, placed
        self._wanted: tuple[K, ...] = ()
        self._made: dict[K, W] = {}

    def __iter__(self) -> Iterator[tuple[K, W]]:
        """Yield the keys and rows that exist, in order."""
        return ((key, self._made[key]) for key in self._wanted if key in self._made)

    def show(self, wanted: Sequence[K]) -> None:
        """Show the rows of these keys in this order, each once."""
        self._wanted = tuple(wanted)
        for key in set(self._made) - set(wanted):
            taken_out(self._column, self._made.pop(key))
        self._fill_on()

    def _fill_on(self) -> None:
        made = 0
        for place, key in enumerate(self._wanted):
            if key not in self._made:
                if made == _AT_ONCE:
                    in_turn(self._fill_on)
                    return
                made += 1
                self._made[key] = self._make(key)
            row = self._made[key]
            if self._column.indexOf(row) != place:
                self._column.insertWidget(place, row)
            self._placed(place, key, row)
