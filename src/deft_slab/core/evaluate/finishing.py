"""What is done to the pieces that the cuts of a plan have left: joins, then hollows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..cache import Cache
from ..cuts import Cut
from ..hollowing.apply_hollows import hollow_all
from ..joining.apply_joins import Joined
from ..joining.coupon import with_coupon
from ..joining.plan_joints import Joinery
from ..joins.reports import HollowReport
from ..parting.apply_cuts import Stage
from ..parting.bodies import Part
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import Job, Spread


@dataclass(frozen=True, eq=False)
class Finished:
    """Attributes
    ----------
    joined : Joined
        The pieces as they are in the end, then what is printed apart.
    hollows : dict[str, HollowReport]
        What became of each.
    """

    joined: Joined
    hollows: dict[str, HollowReport]


@dataclass(frozen=True, eq=False)
class Finishing:
    """Attributes
    ----------
    kept : Cache
        Where things are.
    spread : Spread
        See ``progress.Spread``.
    """

    kept: Cache
    spread: Spread

    def finish(
        self, plan: Plan, parts: list[Part], stages: Sequence[tuple[Cut, Stage]], printer: Printer, job: Job, *,
        hollow: bool = True,
    ) -> Finished:
        """The pieces with the joins, the hollows and the coupon of a plan.

        Parameters
        ----------
        hollow : bool
            Whether there is time for these two, which take seconds; not while something is dragged.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        joined = Joinery(self.kept, self.spread).joined(plan, parts, stages, printer, job.part(0.0, 0.5))
        reports: dict[str, HollowReport] = {}
        if hollow and plan.hollows:
            made = hollow_all(joined.parts, plan.hollows, self.kept, job.part(0.5, 1.0))
            joined = replace(joined, parts=made.parts, names={**joined.names, **made.names},
                             kinds={**joined.kinds, **made.kinds})
            reports = made.reports
        if hollow and plan.coupon is not None:
            joined = with_coupon(joined, plan.coupon, printer, self.kept)
        return Finished(joined, reports)
