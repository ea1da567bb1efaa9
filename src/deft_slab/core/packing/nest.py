"""Nesting: puts shapes onto as few sheets as possible, rotated about the vertical, a gap apart.

Shapes are placed one after the other, where their far edge is nearest to the front, and then to the left (bottom-left
fill, Burke, Hellier, Kendall and Whitwell 2006). A grid finds the place: each shape, grown by half the gap, has the
cells whose centres it covers. Where those are free, it is at most a cell short of its distance to the others, and is
moved by exactly what is missing. The order of the shapes is varied, and the best result is kept.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely

from ..locale.translate import tr
from ..progress import QUIET, Job
from .shapes import Nested, Shape, Sheet
from .table import PackingTable


def least_sheets(shapes: Sequence[Shape], sheet: Sheet, gap: float) -> int:
    """A lower bound for the number of sheets: all outlines grown by half the gap, against the free area of a sheet
    grown by as much; plus one for each shape that is larger than a sheet. For an endless sheet it is 1.
    """
    if not math.isfinite(sheet.deep):
        return 1
    usable = (sheet.wide + gap) * (sheet.deep + gap)
    kept = shapely.union_all([shapely.box(x, y, x + w, y + d) for x, y, w, d in sheet.kept])
    usable -= kept.intersection(shapely.box(0, 0, sheet.wide, sheet.deep)).area
    known: dict[int, float | None] = {}  # copies share their outline
    for shape in shapes:
        if id(shape.outline) not in known:
            fits = any(_fits(shape, turn, sheet) for turn in shape.turns)
            known[id(shape.outline)] = float(shape.outline.buffer(gap / 2).area) if fits else None
    areas = [(shape.group, known[id(shape.outline)]) for shape in shapes]
    found = sum(area is None for _, area in areas)
    for group in {group for group, area in areas if area is not None}:
        grown = math.fsum(area for of, area in areas if of == group and area is not None)
        found += max(1, math.ceil(grown / usable - 1e-6)) if usable > 0 else 1
    return max(1, found)


def _fits(shape: Shape, turn: float, sheet: Sheet) -> bool:
    x0, y0, x1, y1 = shape.turned(turn).bounds
    return bool(x1 - x0 <= sheet.wide + 1e-6 and y1 - y0 <= sheet.deep + 1e-6)


class Nesting:
    """A search for where shapes lie on as few sheets as possible, a gap apart, which can be continued at will. A
    shape that is larger than a sheet gets one to itself.

    Attributes
    ----------
    best : Nested
        The best so far; there is one from the start.
    tried : int
        How many orders were tried besides the first, largest first.
    """

    def __init__(self, shapes: Sequence[Shape], sheet: Sheet, gap: float, *, seed: int = 0) -> None:
        self._table = PackingTable(shapes, sheet, gap)
        every = range(len(shapes))
        self._orders = [
            sorted(every, key=lambda n: (-shapes[n].area, n)),
            sorted(every, key=lambda n: (-self._table.longest(n), n)),
            sorted(every, key=lambda n: (-self._table.deepest(n), n)),
        ]
        self._rng, self._kept = np.random.default_rng(seed), self._orders[0]
        self.best = self._table.laid(self._orders[0])
        self.tried = 0

    def go_on(self, rounds: int, job: Job = QUIET) -> Nested:
        """Try so many orders more, and return the best of all.

        Raises
        ------
        Cancelled
            The job is no longer wanted; what was tried counts.
        """
        for number in range(rounds):
            job.step(number / rounds, tr("Laying pieces on beds"))
            self.tried += 1
            order = self._orders[self.tried] if self.tried < len(self._orders) else _varied(self._kept, self._rng)
            found = self._table.laid(order)
            if found.cost <= self.best.cost:
                self._kept, self.best = order, found
        return self.best


def nested(
    shapes: Sequence[Shape], sheet: Sheet, gap: float, *, rounds: int = 0, seed: int = 0, job: Job = QUIET
) -> Nested:
    """Pack shapes onto sheets; see ``Nesting``.

    Parameters
    ----------
    rounds : int
        How many orders are tried besides the first, largest first.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    return Nesting(shapes, sheet, gap, seed=seed).go_on(rounds, job)


def _varied(order: list[int], rng: np.random.Generator) -> list[int]:
    """An order with some shapes moved forward and some swapped."""
    varied = list(order)
    for _ in range(int(rng.integers(1, 4))):
        if len(varied) > 1:
            a, b = (int(n) for n in rng.integers(len(varied), size=2))
            if rng.random() < 0.5:
                varied.insert(min(a, b), varied.pop(max(a, b)))
            else:
                varied[a], varied[b] = varied[b], varied[a]
    return varied
