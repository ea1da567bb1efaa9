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

    Attributes
    ----------
    report : Callable[[float, str], None]
        Called with a fraction (0 to 1) and what is being done, in words for a person.
    unwanted : Callable[[], bool]
        Answers whether the result is no longer wanted; asked at each step.
    """

    report: Callable[[float, str], None] = _silent
    unwanted: Callable[[], bool] = _never

    def step(self, fraction: float, doing: str) -> None:
        """Reports a step and stops here if nobody wants the result.

        Raises
        ------
        Cancelled
            The result is no longer wanted.
        """
        if self.unwanted():
            raise Cancelled()
        self.report(fraction, doing)

    def part(self, start: float, end: float) -> Job:
        """The same job, with its 0 to 1 mapped to start to end."""
        return Job(lambda fraction, doing: self.report(start + (end - start) * fraction, doing), self.unwanted)

    @property
    def silent(self) -> Job:
        """The same job, of which nobody hears: for threads, that would talk at once."""
        return Job(unwanted=self.unwanted)


QUIET = Job()


Spread = Callable[[Callable[[Any], Any], Iterable[Any]], Iterator[Any]]
"""How many things are done: ``map``, or that of a pool of threads. The kernels let go of Python's lock."""


def for_each(
    work: Callable[[T], R], things: Sequence[T], doing: str, job: Job = QUIET, spread: Spread = map
) -> list[R]:
    """What comes of each thing, in their order. After each it is asked whether the rest is still wanted.

    Parameters
    ----------
    doing : str
        In words for a person. Raises Cancelled; what a pool has begun then ends by itself.
    """
    found: list[R] = []
    if things:
        job.step(0.0, doing)
    for one in spread(work, things):
        found.append(one)
        job.step(len(found) / len(things), doing)
    return found
