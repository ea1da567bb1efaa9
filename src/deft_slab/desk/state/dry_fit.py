"""Puts the pieces together on the screen, and makes coupons: what fits before printing and after."""

from __future__ import annotations

import dataclasses
import datetime
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ...core.errors import DeftError
from ...core.joins import BandJoin
from ...core.joins.reports import DryFit, MeetingPoint
from ...core.locale.translate import tr
from ...core.plan.coupon import CouponWish
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ..messages.requests import FitDry, WriteCoupon
from ..storage.printers import keep, profiles
from .desk import Desk
from .joins import Joining
from .validation import validated


class Fitting(QObject):
    """The dry fit, and coupons.

    Attributes
    ----------
    dry : DryFit or None
        The last answer to how the pieces go together.
    """

    changed = Signal()

    def __init__(self, desk: Desk, joining: Joining) -> None:
        super().__init__(desk)
        self._desk, self._joining = desk, joining
        self.dry: DryFit | None = None
        self._dry_of: tuple[Plan, Printer] | None = None
        desk.opened.connect(self._on_opened)

    def _on_opened(self) -> None:
        self.dry = self._dry_of = None
        self.changed.emit()

    def fit_dry(self) -> None:
        """Asks how the pieces go together."""
        desk = self._desk
        asked = (desk.plan, desk.printer)
        if not desk.up_to_date or (self.dry is not None and self._dry_of == asked):
            return

        def take_order(found: DryFit) -> None:
            self.dry, self._dry_of = found, asked
            self.changed.emit()

        desk.ask("ask:dry", FitDry(*asked), done=take_order, label=tr("Putting it together"))

    @property
    def fitted(self) -> DryFit | None:
        """The dry fit of the present plan; None while it is not known."""
        asked = (self._desk.plan, self._desk.printer) if self._desk.is_open else None
        return self.dry if self._dry_of == asked else None

    def cap(self, meeting: MeetingPoint) -> None:
        """Add a cap over a point where seams meet, on the largest contact there."""
        desk = self._desk
        number = max(meeting.contacts, key=lambda n: self._joining.contacts[n].area)
        contact = self._joining.contacts[number]
        (ident,) = desk.plan.fresh_join_ids(1)
        cap = BandJoin(id=ident, cut=contact.cut, between=contact.between, at=meeting.place, follows="spot",
                       why=tr("{count} seams meet here", count=len(meeting.contacts)))
        self._joining.contact, self._joining.selected = number, ident
        desk.do_plan(tr("cap a meeting point"), desk.plan.with_join(cap))

    def clearance_for_all(self, clearance: float) -> None:
        """Gives all joins of the plan that have one the same clearance.

        Parameters
        ----------
        clearance : float
            mm per side.
        """
        plan = self._desk.plan
        joins = tuple(
            validated(join, {"clearance": clearance}, tr("The {word}", word=join.word)) if join.holds else join
            for join in plan.joins
        )
        self._desk.do_plan(tr("change all clearances"), plan.changed(joins=joins))

    # coupons

    def write_coupon(self, steps: tuple[float, ...], path: Path, *, replace: bool = False) -> None:
        """Writes a coupon for the selected join, or for a key that suits the contact; asks before it replaces a
        file.
        """
        desk = self._desk
        join = self._joining.tried
        desk.jobs.submit(
            "handoff:coupon", WriteCoupon(join, desk.printer, steps, path, replace),
            done=lambda written: desk.told.emit(tr("Wrote the coupon to {name}.\nPrint it as it lies, then enter "
                                                   "which clearance fitted best.", name=written.name)),
            failed=desk.asking_to_replace(lambda: self.write_coupon(steps, path, replace=True)),
            label=tr("Writing {name}", name=path.name),
        )

    def print_coupon(self, steps: tuple[float, ...]) -> None:
        """Prints a coupon with the pieces, for the selected join or for a key that suits the contact.

        Parameters
        ----------
        steps : tuple[float, ...]
            mm per side; none: no coupon.
        """
        desk = self._desk
        if steps:
            join = self._joining.tried
            desk.change(tr("print a coupon with the pieces"),
                        lambda: desk.plan.changed(coupon=CouponWish(join=join, steps=steps)))
        else:
            desk.do_plan(tr("print no coupon"), desk.plan.changed(coupon=None))

    def fitted_best(self, clearance: float, material: str) -> None:
        """Store the clearance that fitted best in the printer: that of this project, that of new ones, and the
        user's own profile of that name.
        """
        desk = self._desk
        found = desk.printer.fitted_at(clearance, datetime.date.today().isoformat(), material)
        for profile in profiles():
            if profile.own and profile.printer.name == found.name:
                try:
                    keep(dataclasses.replace(profile, printer=found))
                except DeftError as error:
                    desk.failed.emit(error)
        desk.choose_printer(found)
        self.changed.emit()
