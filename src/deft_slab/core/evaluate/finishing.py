"""Finishes the parts that the cuts leave: joins, then hollows, then the coupon."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..cache import Cache
from ..cuts import Cut
from ..joining.joined import Joined
from ..joins.reports import HollowReport
from ..parting.apply_cuts import Stage
from ..parting.bodies import Part
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import Job, Spread


@dataclass(frozen=True, eq=False)
class Finished:
    """The parts with their joins and hollows, and a report on each hollow.

    Attributes
    ----------
    joined : Joined
        The parts, followed by what is printed apart.
    hollows : dict[str, HollowReport]
        The report on each hollow, by its id.
    """

    joined: Joined
    hollows: dict[str, HollowReport]


@dataclass(frozen=True, eq=False)
class Finishing:
    """Adds joins, hollows and the coupon to parts, and caches the results.

    Attributes
    ----------
    kept : Cache
        The cache.
    spread : Spread
        See ``progress.Spread``.
    """

    kept: Cache
    spread: Spread

    def finish(
        self, plan: Plan, parts: list[Part], stages: Sequence[tuple[Cut, Stage]], printer: Printer, job: Job, *,
        hollow: bool = True,
    ) -> Finished:
        """The parts of a plan with its joins, hollows and coupon.

        Parameters
        ----------
        hollow : bool
            Whether to make hollows and the coupon, which takes seconds; False while something is dragged.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        from ..joining.plan_joints import Joinery

        joined = Joinery(self.kept, self.spread).joined(plan, parts, stages, printer, job.part(0.0, 0.5))
        reports: dict[str, HollowReport] = {}
        if hollow and plan.hollows:
            from ..hollowing.apply_hollows import hollow_all

            made = hollow_all(joined.parts, plan.hollows, self.kept, job.part(0.5, 1.0))
            joined = replace(joined, parts=made.parts, names={**joined.names, **made.names},
                             kinds={**joined.kinds, **made.kinds})
            reports = made.reports
        if hollow and plan.coupon is not None:
            from ..joining.coupon import with_coupon

            joined = with_coupon(joined, plan.coupon, printer, self.kept)
        return Finished(joined, reports)
