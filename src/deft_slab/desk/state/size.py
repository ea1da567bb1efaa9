"""The size of the prop and its surface: unit, scale, stretch, mirror, copies, bodies, mending."""

from __future__ import annotations

import math

import numpy as np

from ...core.arrays import Floats
from ...core.geometry.orientation import STAND_UP
from ...core.locale.translate import tr
from ...core.plan.model import MendReport
from ...core.plan.plan import Mending, Plan, Role
from ..messages.requests import ScaleToBed
from .desk import Desk


class Sizing:
    """The size of the prop and its surface.

    Attributes
    ----------
    asking_unit, asking_fineness : bool
        Whether the user still has to confirm the unit or the fineness.
    """

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self.asking_unit = self.asking_fineness = False
        self._stands: tuple[object, Floats] | None = None

    @property
    def spans(self) -> Floats:
        """The size of the whole model, mended: as it stands, and along the axes of its file. Until it is evaluated,
        the size of the model as it came.

        Returns
        -------
        (2, 3) float64, mm
        """
        desk = self._desk
        plan, known = desk.plan, desk.evaluated.outcome if desk.evaluated is not None else None
        if known is not None and _proportions(known.plan) == _proportions(plan):
            return np.asarray(known.spans * abs(plan.factors[0] / known.plan.factors[0]))
        solid = desk.model.solid
        if self._stands is None or self._stands[0] != (solid, _proportions(plan)):
            sized = np.diag(plan.factors / abs(plan.factors[0]))
            own, stands = (np.ptp(solid.turned_bounds(way @ sized), axis=0) for way in (np.eye(3), plan.tilt.rotation))
            self._stands = (solid, _proportions(plan)), np.stack([stands, own])
        return np.asarray(self._stands[1] * abs(plan.factors[0]))

    @property
    def size(self) -> Floats:
        """Width, depth and height of the model as it stands.

        Returns
        -------
        (3,) float64, mm
        """
        return np.asarray(self.spans[0])

    # what was asked when it was opened

    def ask_for(self, *, unit: bool, fineness: bool) -> None:
        """Set what the user should confirm first."""
        self.asking_unit, self.asking_fineness = unit, fineness
        if unit or fineness:
            self._desk.go_to("Size")

    def answer_unit(self) -> None:
        """Confirm the unit that is shown."""
        self.asking_unit = False
        self._desk.view_changed.emit()

    def answer_fineness(self) -> None:
        """Confirm the fineness that is shown."""
        self.asking_fineness = False
        self._desk.view_changed.emit()

    # size

    def resize(self, **size: object) -> None:
        """Change unit, scale, stretch or mirror. Cuts and guests keep their places on the model."""
        self._desk.change(tr("change the size"), lambda: self._desk.plan.sized(**size))

    def choose_unit(self, unit: str) -> None:
        self.asking_unit = False
        self.resize(unit=unit)
        self._desk.view_changed.emit()

    def scale_to_bed(self) -> None:
        """Scale to the largest size that fits the printer in this position."""
        plan = self._desk.plan
        self._desk.ask(
            "ask:scale", ScaleToBed(plan, self._desk.printer), label=tr("Finding the largest size"),
            done=lambda factor: self.scale_further(plan, factor, tr("scale to the largest that fits")),
        )

    def scale_further(self, plan: Plan, factor: float, did: str, *, up: bool = False) -> None:
        """Scale a plan further, rounded to a hundredth of a percent.

        Parameters
        ----------
        up : bool
            Whether to round up rather than down.
        """
        rounded = math.ceil if up else math.floor
        scale = rounded(plan.scale * factor * 1e4) / 1e4
        self._desk.change(did, lambda: plan.sized(scale=max(scale, 1e-4)))

    def set_copies(self, copies: int) -> None:
        self._desk.change(tr("change the number of copies"), lambda: self._desk.plan.changed(copies=copies))

    def stand_up(self) -> None:
        """Stand up a model that was made to stand on Y."""
        self._desk.do_plan(tr("stand it on Y"), self._desk.plan.changed(tilt=STAND_UP))

    # surface

    def set_role(self, body: int, role: Role) -> None:
        self._desk.change(tr("change what happens to a body"), lambda: self._desk.plan.with_role(body, role))

    @property
    def report(self) -> MendReport | None:
        """What mending did, once that is known."""
        return self._desk.evaluated.outcome.report if self._desk.evaluated else None

    @property
    def proposed_roles(self) -> tuple[Role, ...]:
        """The proposed roles of the bodies of the file; empty if nothing is better than all of them in one piece."""
        return self.report.roles if self.report is not None and not self._desk.plan.roles else ()

    def take_proposed_roles(self) -> None:
        """Give the bodies their proposed roles, and leave out stray specks."""
        report, roles, plan = self.report, self.proposed_roles, self._desk.plan
        if report is not None and roles:
            mending = plan.mending.model_copy(update={"drop_specks": plan.mending.drop_specks or report.specks > 0})
            self._desk.change(tr("take bodies as proposed"), lambda: plan.changed(roles=roles, mending=mending))

    def leave_specks_out(self) -> None:
        self.mend(tr("leave out specks"), drop_specks=True)

    def mend(self, did: str, **steps: object) -> None:
        """Changes what is done to the surface: fields of ``Mending``."""
        mending = Mending.model_validate({**self._desk.plan.mending.model_dump(), **steps})
        self._desk.change(did, lambda: self._desk.plan.changed(mending=mending))

    def leave_unmended(self) -> None:
        self._desk.change(tr("undo all mending"), lambda: self._desk.plan.changed(mending=Mending()))


def _proportions(plan: Plan) -> tuple[object, ...]:
    """What determines the size of a model, except its scale."""
    return plan.model, plan.roles, plan.mending, plan.stretch, plan.mirror, plan.tilt
