"""How long work reports and stops."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from .errors import Cancelled


def _silent(fraction: float, doing: str) -> None:
    """Reports to nobody."""


def _never() -> bool:
    return False


@dataclass(frozen=True)
class Job:
    """What a long function gets as its last argument.

    report : called with a fraction (0 to 1) and what is being done, in words for a person.
    unwanted : answers whether the result is no longer wanted; asked at each step.
    """

    report: Callable[[float, str], None] = _silent
    unwanted: Callable[[], bool] = _never

    def step(self, fraction: float, doing: str) -> None:
        """Reports a step and stops here if nobody wants the result.

        Raises
        ------
        Cancelled : the result is no longer wanted.
        """
        if self.unwanted():
            raise Cancelled()
        self.report(fraction, doing)

    def part(self, start: float, end: float) -> Job:
        """The same job, with its 0 to 1 mapped to start to end."""
        return Job(lambda fraction, doing: self.report(start + (end - start) * fraction, doing), self.unwanted)


QUIET = Job()


Spread = Callable[[Callable[[Any], Any], Iterable[Any]], Iterator[Any]]
"""How many things are done: ``map``, or that of a pool of threads. The kernels let go of Python's lock."""
