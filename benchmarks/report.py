"""What all benchmarks share: how a line is said, and the demo models."""

from __future__ import annotations

import time
from collections.abc import Callable

from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid
from deft_slab.demo import MODELS

missed: list[str] = []


def say(name: str, figure: str, goal: str, met: bool) -> None:
    print(f"{'met   ' if met else 'MISSED'}  {name}: {figure}  (goal: {goal})", flush=True)
    if not met:
        missed.append(name)


def summed_up() -> int:
    """What a run ends with: 1 if a goal was missed."""
    print(f"{len(missed)} goal(s) missed" if missed else "all goals met")
    return 1 if missed else 0


def loaded(key: str) -> Solid:
    return open_file(MODELS[key]).model.solid


def best_of(count: int, work: Callable[[], object], clock: Callable[[], float] = time.perf_counter) -> float:
    """The least of several runs by a clock, in s."""
    times = []
    for _ in range(count):
        start = clock()
        work()
        times.append(clock() - start)
    return min(times)
