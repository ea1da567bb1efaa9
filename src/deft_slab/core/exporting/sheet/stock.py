"""What is to be cut and bought: rods for dowel holes and pins for pivots."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from ...joins.dowel import DowelJoin
from ...joins.pivot import PivotJoin
from ...locale import text
from ...locale.translate import tr_many
from ...results.outcome import Outcome


@dataclass(frozen=True)
class Rod:
    """Round stock.

    Attributes
    ----------
    diameter, length : float, mm
    count : int
        For one prop.
    """

    diameter: float
    length: float
    count: int

    def sentence(self) -> str:
        """ "2 rods of 3 mm, 15.4 mm long"."""
        return tr_many("{n} rod of {diameter}, {length} long", "{n} rods of {diameter}, {length} long", self.count,
                       diameter=text.given(self.diameter), length=text.length(self.length, 1))


def rods(outcome: Outcome, contacts: frozenset[int] | None = None) -> tuple[Rod, ...]:
    """What the joins that were made need, thinnest and shortest first.

    A rod is cut a clearance shorter at each end than its holes are deep together, so that it does not hold the faces
    apart; a pin of a knuckle is as long as its leaves.

    Parameters
    ----------
    contacts : frozenset[int] | None
        Numbers of those that are meant.
    """
    found: Counter[tuple[float, float]] = Counter()
    for join in outcome.plan.joins:
        report = outcome.joins.get(join.id)
        if report is None or report.problem or (contacts is not None and report.contact not in contacts):
            continue
        short = 2 * report.clearance
        if isinstance(join, DowelJoin):
            found[join.diameter, round(join.depth_first + join.depth_second - short, 2)] += 1
        elif isinstance(join, PivotJoin):
            long = join.depth_first + join.depth_second - short if join.form == "swivel" else join.span
            found[join.pin, round(long, 2)] += 1
    return tuple(Rod(diameter, length, count) for (diameter, length), count in sorted(found.items()))
