"""A first job, led through: at each step one thing is proposed, with its reason; a click takes it and goes on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from ..core import text
from ..core.checked import Island
from ..core.documents import triple
from ..core.errors import DeftError
from ..core.plan import Plan
from ..core.words import sentence, term, tr, tr_many
from .replies import SeatShown, WayShown
from .state.desk import STEPS
from .whole import DeskState

if TYPE_CHECKING:
    from .steps.check.lines import Line

_SAME = 0.999
"""Cosine between two ways to sit that are one."""


@dataclass(frozen=True)
class Proposal:
    """says : what is proposed, and why; does : on the button that takes it, empty while there is nothing to take yet
    act : takes it; None: there is nothing to do, and the button only goes on
    otherwise : on the button that goes on without it; empty where there is none
    """

    says: str
    does: str = tr("Go on")
    act: Callable[[], object] | None = None
    otherwise: str = ""


class Guide(QObject):
    """For the UI thread. It follows the steps of the desk: who goes to another one is helped on there.

    changed : what is proposed is another
    """

    changed = Signal()

    def __init__(
        self, state: DeskState, ask_open: Callable[[], object], ask_folder: Callable[[], object], parent: QObject
    ) -> None:  # fmt: skip
        """ask_open : asks for a file to open; ask_folder : for one that beds are written into, and writes them"""
        super().__init__(parent)
        self._state, self._ask_open, self._ask_folder = state, ask_open, ask_folder
        self._taking = ""
        self._written: Plan | None = None
        for signal in (
            state.project_changed, state.outcome_changed, state.step_changed, state.settings_changed,
            state.selection_changed, state.view_changed, state.seating.changed, state.ways.changed,
            state.checking.changed, state.joining.changed, state.bedding.changed,
        ):  # fmt: skip
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
        """Goes on where it was left: at the step that is open."""
        self._set(on=True)

    def leave(self) -> None:
        """It can be taken up again at any step."""
        self._taking = ""
        self._set(on=False)

    def _set(self, *, on: bool) -> None:
        self._state.change_settings(guide=on)
        self.changed.emit()

    # where it is

    @property
    def step(self) -> str:
        """The step that it is at; "Open" while nothing is open."""
        return self._state.step if self._state.is_open else term("Open")

    @property
    def title(self) -> str:
        number = 1 + ("Open", *STEPS).index(self.step)
        return tr("First job, {number} of {count}: {step}", number=number, count=1 + len(STEPS), step=tr(self.step))

    @property
    def proposal(self) -> Proposal:
        """What it proposes at the step that is open."""
        state = self._state
        if not state.is_open:
            if state.jobs.busy_with("open"):
                return Proposal(tr("Opening it …"), "")
            return Proposal(tr("Begin with a model of your own, or with the demo."), tr("Open …"), self._ask_open)
        if self._taking:
            return Proposal(f"{self._taking} …", "")
        if not state.up_to_date:
            return Proposal(tr("It is being measured …"), "")
        return {"Size": self._size, "Tilt": self._tilt, "Cut": self._cut, "Join": self._join, "Check": self._check,
                "Hand off": self._hand_off}[state.step]()  # fmt: skip

    def _size(self) -> Proposal:
        state = self._state
        size = text.any_box(triple(state.sizing.size))
        if state.sizing.asking_unit:
            return Proposal(tr("Its file does not say its unit. In {unit} it is {size}: is that how large it is to "
                               "be?", unit=state.plan.unit, size=size), tr("That is right"),
                               state.sizing.answer_unit)  # fmt: skip
        if state.sizing.asking_fineness:
            return Proposal(tr("It has exact faces, made into triangles. It is {size}.", size=size), tr("Fine enough"),
                            state.sizing.answer_fineness)  # fmt: skip
        if all(piece.fit.fits for piece in state.pieces):
            return Proposal(
                tr("{size}: so large it fits the {name} as it is.", size=size, name=state.printer.name),
                tr("Keep this size"),
            )
        return Proposal(tr("{size}: too large for the {name} in one piece. Cut parts it; or scale it here.", size=size,
                           name=state.printer.name), tr("Keep this size"))  # fmt: skip

    def _tilt(self) -> Proposal:
        state, seating = self._state, self._state.seating
        if len(state.pieces) > 1:
            return Proposal(tr("Each of its {count} pieces in its best seat, by what matters here.",
                               count=len(state.pieces)),
                            tr("Seat all pieces"), seating.seat_all, tr("Leave them"))  # fmt: skip
        piece, now = state.piece, seating.now
        if not seating.seats or piece is None or now is None:
            return Proposal(tr("All ways to sit are being looked at, for the best by what matters here …"), "",
                            otherwise=tr("Leave it as it sits"))  # fmt: skip
        best: SeatShown = seating.seats[0]
        support = text.volume(best.seat.figures.support_volume_mm3)
        if float(np.array(best.seat.tilt.down) @ now) > _SAME:
            return Proposal(
                tr("It sits best as it is, by what matters here: {support} of support.", support=support),
                tr("Leave it so"),
            )
        here, kind = text.volume(piece.figures.support_volume_mm3), sentence(best.seat.kind)
        if tr("best by what matters here") not in best.seat.kind:
            kind += tr(", best by what matters here")
        return Proposal(
            tr("{kind}: {support} of support; as it sits it is {here}.", kind=kind, support=support, here=here),
            tr("Seat it so"),
            lambda: seating.take(tr("take a proposed seat"), best.seat.tilt, best.seat.lift), tr("Leave it as it sits"),
        )  # fmt: skip

    def _cut(self) -> Proposal:
        state, ways = self._state, self._state.ways
        if state.plan.recipe:
            return Proposal(tr("It is parted into {count} already.", count=len(state.pieces)), tr("Keep it so"))
        leave = tr("Leave it whole")
        if ways.problem:
            return Proposal(ways.problem, tr("Leave it whole"))
        best = self._best_way()
        if best is None:
            if ways.found is None or not ways.found.done:
                return Proposal(tr("Ways to part it are being looked for: little support, seams out of sight …"), "",
                                otherwise=leave)  # fmt: skip
            return Proposal(tr("No way to part it was found whose pieces all sit flat and fit."), leave)
        looking = "" if ways.found is not None and ways.found.done else tr(" Better ones are still looked for.")
        return Proposal(
            tr(
                "{pieces} pieces, all flat: {volume} of support, which is {left:.2g} % of what it "
                "needs whole, and {length} of seam in sight. The least support of all ways found "
                "whose pieces all sit flat and fit.{looking}",
                pieces=best.pieces,
                volume=text.volume(best.support),
                left=100 * best.left,
                length=text.mm(best.sight),
                looking=looking,
            ),
            tr("Part it so"),
            lambda: ways.take(best),
            leave,
        )

    def _best_way(self) -> WayShown | None:
        """The one with the least support, of those that are fully measured and whose pieces all sit flat and fit."""
        found = self._state.ways.found.ways if self._state.ways.found else ()
        fine = [way for way in found if way.cuts and not way.near and way.all_flat and way.all_fit]
        return min(fine, key=lambda way: way.support, default=None)

    def _join(self) -> Proposal:
        state, joining = self._state, self._state.joining
        bare = sum(not joining.joins_of(number) for number in range(len(joining.contacts)))
        if not joining.contacts:
            return Proposal(tr("It is one piece: there is nothing to join."))
        if not bare:
            return Proposal(tr("Every contact has its joins. The list says why each is as it is."))
        says = tr_many(
            "The contact has nothing that holds it in place yet: keys or rods, by the room there and by how the pieces "
            "sit, with {clearance} of clearance, as this printer needs.",
            "{n} contacts have nothing that holds them in place yet: keys or rods, by the room there and by how the "
            "pieces sit, with {clearance} of clearance, as this printer needs.", bare,
            clearance=text.given(state.printer.clearance),
        )  # fmt: skip
        return Proposal(says, tr("Propose joins"), joining.propose, tr("Glue alone"))  # fmt: skip

    def _check(self) -> Proposal:
        state = self._state
        if not state.checking.found or state.evaluated is None:
            return Proposal(tr("The layers are being looked at …"), "", otherwise=tr("Go on without"))
        from .steps.check.lines import lines_of  # with its panel, which the window is there before

        lines = lines_of(state.evaluated.outcome, state.checking.found, state.printer)
        counts = {verdict: sum(line.verdict == verdict for line in lines) for verdict in ("failed", "look")}
        bare = self._without_posts(lines)
        if bare is not None:
            return Proposal(tr("“{name}” has islands, which nothing holds while they are printed: posts hold them.",
                               name=state.pieces[bare].name), tr("Put posts"), lambda: self._put_posts(bare),
                               tr("Leave it so"))  # fmt: skip
        if any(counts.values()):
            return Proposal(tr("{failed} failed and {look} to look at: each line of the list flies there, and "
                               "says what helps.", failed=counts['failed'], look=counts['look']),
                               tr("Go on"))  # fmt: skip
        return Proposal(tr("Nothing was found that fails."))

    def _without_posts(self, lines: Sequence[Line]) -> int | None:
        """The number of a piece of resin that has islands and no posts yet; None without one."""
        state = self._state
        posted = {report.piece for report in state.evaluated.outcome.posts.values()} if state.evaluated else set()
        for line in lines:
            number = line.number
            if line.verdict != "failed" or not isinstance(line.found, Island) or number is None or number in posted:
                continue
            if state.pieces[number].on(state.printer).kind == "resin":
                return number
        return None

    def _put_posts(self, number: int) -> None:
        self._state.select_piece(number)
        self._state.posting.propose()

    def _hand_off(self) -> Proposal:
        if self._written == self._state.plan:
            return Proposal(
                tr(
                    "That is a whole job: the folder holds the beds, and the sheet for the bench. Save "
                    "the project to come back to it."
                ),
                tr("Done"),
                self.leave,
            )
        work = self._state.bedding.work
        if work is None:
            return Proposal(tr("The beds are being laid …"), "")
        if self._state.jobs.busy_with("handoff"):
            return Proposal(tr("The beds are being written, and read again …"), "")
        beds = tr_many("{n} bed", "{n} beds", len(work.beds))
        return Proposal(
            tr(
                "{beds}, {time}, {weight}: written as files, each read again before it is saved, "
                "with a sheet for the bench.",
                beds=beds,
                time=text.hours(work.seconds),
                weight=text.grams(work.material),
            ),
            tr("Write the beds …"),
            self._ask_folder,
        )

    # going on

    def take(self) -> None:
        """Does what is proposed, and goes on when that is done."""
        proposal, step = self.proposal, self.step
        if not proposal.does:
            return
        if proposal.act is None:
            self.go_on()
            return
        if step in ("Tilt", "Cut", "Join", "Check"):
            self._taking = proposal.does
        proposal.act()
        self._look()

    def go_on(self) -> None:
        """Goes to the next step."""
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
        self._written, self._taking = None, ""
        if self.on:
            self._state.go_to("Size")

    def _on_failed(self, error: DeftError) -> None:
        self._taking = ""
        self.changed.emit()

    def _on_written(self) -> None:
        self._written = self._state.plan if self._state.is_open else None
        self.changed.emit()
