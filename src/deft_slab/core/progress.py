"""How a long function reports its progress, and how it is cancelled."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from .errors import Cancelled

T = TypeVar("T")
R = TypeVar("R")


def _silent(fraction: float, doing: str) -> None:
    """Report to nobody."""


def _never() -> bool:
    return False


@dataclass(frozen=True)
class Job:
    """The last argument of every long function: it takes progress reports and tells whether to stop.

    Attributes
    ----------
    report : Callable[[float, str], None]
        Called with the fraction done (0 to 1) and a description of the current work, worded for a person.
    unwanted : Callable[[], bool]
        Returns True once the result is no longer wanted; it is asked at each step.
    """

    report: Callable[[float, str], None] = _silent
    unwanted: Callable[[], bool] = _never

    def step(self, fraction: float, doing: str) -> None:
        """Report a step, and stop here if nobody wants the result any more.

        Parameters
        ----------
        fraction : float
            The share of the work that is done, 0 to 1.
        doing : str
            What is being done, worded for a person.

        Raises
        ------
        Cancelled
            The result is no longer wanted.
        """
        if self.unwanted():
            raise Cancelled()
        self.report(fraction, doing)

    def part(self, start: float, end: float) -> Job:
        """A job for one part of the work: its 0 to 1 is mapped to ``start`` to ``end`` of this one."""
        return Job(lambda fraction, doing: self.report(start + (end - start) * fraction, doing), self.unwanted)

    @property
    def silent(self) -> Job:
        """The same job without progress reports, for work on several threads, whose reports would interleave."""
        return Job(unwanted=self.unwanted)


QUIET = Job()


Spread = Callable[[Callable[[Any], Any], Iterable[Any]], Iterator[Any]]
"""How many things are done: ``map``, or that of a pool of threads. The kernels let go of Python's lock."""


def for_each(
    work: Callable[[T], R], things: Sequence[T], doing: str, job: Job = QUIET, spread: Spread = map
) -> list[R]:
    """Apply a function to each thing and return the results in order; between them, ask whether the rest is still
    wanted.

    Parameters
    ----------
    work : Callable[[T], R]
        The function to apply.
    things : Sequence[T]
        What to apply it to.
    doing : str
        What is being done, worded for a person.
    spread : Spread
        A function like ``map`` that may use several threads. What a pool has already begun is finished, even
        after the job is cancelled.

    Raises
    ------
    Cancelled
        The results are no longer wanted.
    """
    found: list[R] = []
    if things:
        job.step(0.0, doing)
    for one in spread(work, things):
        found.append(one)
        job.step(len(found) / len(things), doing)
    return found
