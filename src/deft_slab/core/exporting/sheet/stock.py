"""What to cut and buy: rods for dowel holes, and pins for pivots."""

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
    """Round rod.

    Attributes
    ----------
    diameter, length : float, mm
    count : int
        The number for one prop.
    """

    diameter: float
    length: float
    count: int

    def sentence(self) -> str:
        """For example "2 rods of 3 mm, 15.4 mm long"."""
        return tr_many("{n} rod of {diameter}, {length} long", "{n} rods of {diameter}, {length} long", self.count,
                       diameter=text.given(self.diameter), length=text.length(self.length, 1))


def rods(outcome: Outcome, contacts: frozenset[int] | None = None) -> tuple[Rod, ...]:
    """The rods that the joins need, thinnest and shortest first.

    At each end a rod is a clearance shorter than its holes are deep together, so that it does not keep the faces
    apart. The pin of a knuckle is as long as its leaves.

    Parameters
    ----------
    contacts : frozenset[int] | None
        The numbers of the contacts to include; None: all.
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
