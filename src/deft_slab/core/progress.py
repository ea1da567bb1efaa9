"""How long work reports and stops."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from .errors import Cancelled

T = TypeVar("T")
R = TypeVar("R")


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


def in_batches(
    work: Callable[[T], R], things: Sequence[T], at_once: int, doing: str, job: Job = QUIET, spread: Spread = map
) -> list[R]:  # fmt: skip
    """What comes of each thing, in their order, so many between two looks at whether they are still wanted.

    doing : in words for a person. Raises Cancelled.
    """
    found: list[R] = []
    for first in range(0, len(things), at_once):
        job.step(first / len(things), doing)
        found += spread(work, things[first : first + at_once])
    return found
