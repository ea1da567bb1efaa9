"""The first job: at each step one thing is proposed with its reason; a click accepts it and continues."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ...core.errors import DeftError
from ...core.locale import text
from ...core.locale.translate import term, tr, tr_many
from ...core.plan.plan import Plan
from ..desk_state import DeskState
from ..state.desk import STEPS
from .proposals import Proposal, on_check, on_cut, on_join, on_size, on_tilt, too_large

if TYPE_CHECKING:
    pass


class Guide(QObject):
    """The guide of the first job, for the UI thread. It follows the steps of the desk: whoever goes to another step
    is guided there.

    Attributes
    ----------
    changed : signal
        The proposal has changed.
    """

    changed = Signal()

    def __init__(
        self, state: DeskState, ask_open: Callable[[], object], ask_folder: Callable[[], object], parent: QObject
    ) -> None:
        """Parameters
        ----------
        ask_open : Callable[[], object]
            Asks for a file to open.
        ask_folder : Callable[[], object]
            Asks for a folder to write beds into, and writes them.
        """
        super().__init__(parent)
        self._state, self._ask_open, self._ask_folder = state, ask_open, ask_folder
        self._taking = ""
        self._as_it_came = False  # what its file holds was proposed to be taken otherwise, and was not
        self._written: Plan | None = None
        for signal in (
            state.project_changed, state.outcome_changed, state.step_changed, state.settings_changed,
            state.selection_changed, state.view_changed, state.seating.changed, state.ways.changed,
            state.checking.changed, state.joining.changed, state.bedding.changed,
        ):
            signal.connect(self._look)
        state.opened.connect(self._on_opened)
        state.failed.connect(self._on_failed)
        state.bedding.written.connect(self._on_written)
        state.jobs.progressed.connect(self._on_progress)

    # whether it is there

    @property
    def on(self) -> bool:
        return self._state.settings.guide

    def begin(self) -> None:
        """Continue at the current step."""
        self._set(on=True)

    def leave(self) -> None:
        """End the guide. It can be continued at any step."""
        self._taking = ""
        self._set(on=False)

    def _set(self, *, on: bool) -> None:
        self._state.change_settings(guide=on)
        self.changed.emit()

    # where it is

    @property
    def step(self) -> str:
        """The step that the guide is at; "Open" while nothing is open."""
        return self._state.step if self._state.is_open else term("Open")

    @property
    def title(self) -> str:
        number = 1 + ("Open", *STEPS).index(self.step)
        return tr("First job, {number} of {count}: {step}", number=number, count=1 + len(STEPS), step=tr(self.step))

    @property
    def proposal(self) -> Proposal:
        """The proposal for the current step."""
        state = self._state
        if not state.is_open:
            if state.jobs.busy_with("open"):
                return Proposal(tr("Opening it …"), "")
            return Proposal(tr("Begin with a model of your own, or with the demo."), tr("Open …"), self._ask_open)
        if self._taking:
            return Proposal(f"{self._taking} …", "")
        if not state.up_to_date:
            return Proposal(tr("Measuring the model …"), "")
        on: dict[str, Callable[[], Proposal]] = {
            "Size": partial(on_size, state, as_it_came=self._as_it_came), "Tilt": partial(on_tilt, state),
            "Cut": partial(on_cut, state), "Join": partial(on_join, state), "Check": partial(on_check, state),
            "Hand off": self._hand_off,
        }
        return on[state.step]()

    def _hand_off(self) -> Proposal:
        if self._written == self._state.plan:
            return Proposal(
                tr(
                    "That was a whole job. The folder contains the beds and the sheet for the bench. Save the "
                    "project if you want to come back to it."
                ),
                tr("Done"),
                self.leave,
            )
        large = too_large(self._state)
        if large is not None:
            return Proposal(tr("{name} does not fit its printer: {over}. Cut it, make it smaller, or choose a "
                               "larger printer.", name=text.quoted(large.name), over=large.fit.sentence()),
                            tr("Cut it"), lambda: self._state.go_to("Cut"))
        work = self._state.bedding.work
        if work is None:
            return Proposal(tr("Laying out the beds …"), "")
        if self._state.jobs.busy_with("handoff"):
            return Proposal(tr("Writing the beds and reading them back …"), "")
        beds = tr_many("{n} bed", "{n} beds", len(work.beds))
        return Proposal(
            tr(
                "{beds}, {time}, {weight}. They are written as files, with a sheet for the bench; each file is "
                "read back before it is saved.",
                beds=beds,
                time=text.hours(work.seconds),
                weight=text.grams(work.material),
            ),
            tr("Write the beds …"),
            self._ask_folder,
        )

    # going on

    def take(self) -> None:
        """Do what is proposed, and continue when that is done."""
        proposal, step = self.proposal, self.step
        if not proposal.does:
            return
        if proposal.act is None:
            self.go_on()
            return
        if step in ("Tilt", "Cut", "Join", "Check") and not proposal.stays:
            self._taking = proposal.does
        proposal.act()
        self._look()

    def pass_over(self) -> None:
        """Continue without what is proposed."""
        if self.step == "Size":  # how large it is to be is still to be said
            self._as_it_came = True
            self.changed.emit()
        else:
            self.go_on()

    def go_on(self) -> None:
        """Go to the next step."""
        self._taking = ""
        if self._state.is_open and self._state.step != STEPS[-1]:
            self._state.go_to(STEPS[STEPS.index(self._state.step) + 1])
        self.changed.emit()

    def _look(self) -> None:
        if not self.on:
            return
        state = self._state
        busy = state.jobs.busy_with("ask") or state.jobs.busy_with("evaluate")
        if self._taking and state.is_open and state.up_to_date and not busy:
            self._taking = ""
            if self.step != "Check":  # there may be more to put right
                self.go_on()
                return
        self.changed.emit()

    def _on_progress(self, share: float, doing: str) -> None:
        if self._taking:
            self._look()

    def _on_opened(self) -> None:
        self._written, self._taking, self._as_it_came = None, "", False
        if self.on:
            self._state.go_to("Size")

    def _on_failed(self, error: DeftError) -> None:
        self._taking = ""
        self.changed.emit()

    def _on_written(self) -> None:
        self._written = self._state.plan if self._state.is_open else None
        self.changed.emit()
