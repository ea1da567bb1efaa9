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
    does: str = "Go on"
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
        self._state.change_settings(self._state.settings.model_copy(update={"guide": on}))
        self.changed.emit()

    # where it is

    @property
    def step(self) -> str:
        """The step that it is at; "Open" while nothing is open."""
        return self._state.step if self._state.is_open else "Open"

    @property
    def title(self) -> str:
        number = 1 + ("Open", *STEPS).index(self.step)
        return f"First job, {number} of {1 + len(STEPS)}: {self.step}"

    @property
    def proposal(self) -> Proposal:
        """What it proposes at the step that is open."""
        state = self._state
        if not state.is_open:
            if state.jobs.busy_with("open"):
                return Proposal("Opening it …", "")
            return Proposal("Begin with a model of your own, or with the demo.", "Open …", self._ask_open)
        if self._taking:
            return Proposal(f"{self._taking} …", "")
        if not state.up_to_date:
            return Proposal("It is being measured …", "")
        return {"Size": self._size, "Tilt": self._tilt, "Cut": self._cut, "Join": self._join, "Check": self._check,
                "Hand off": self._hand_off}[state.step]()  # fmt: skip

    def _size(self) -> Proposal:
        state = self._state
        size = text.any_box(triple(state.sizing.size))
        if state.sizing.asking_unit:
            return Proposal(f"Its file does not say its unit. In {state.plan.unit} it is {size}: is that "
                            "how large it is to be?", "That is right", state.sizing.answer_unit)  # fmt: skip
        if state.sizing.asking_fineness:
            return Proposal(f"It has exact faces, made into triangles. It is {size}.", "Fine enough",
                            state.sizing.answer_fineness)  # fmt: skip
        if all(piece.fit.fits for piece in state.pieces):
            return Proposal(f"{size}: so large it fits the {state.printer.name} as it is.", "Keep this size")
        return Proposal(f"{size}: too large for the {state.printer.name} in one piece. Cut parts it; or scale it "
                        "here.", "Keep this size")  # fmt: skip

    def _tilt(self) -> Proposal:
        state, seating = self._state, self._state.seating
        if len(state.pieces) > 1:
            return Proposal(f"Each of its {len(state.pieces)} pieces in its best seat, by what matters here.",
                            "Seat all pieces", seating.seat_all, "Leave them")  # fmt: skip
        piece, now = state.piece, seating.now
        if not seating.seats or piece is None or now is None:
            return Proposal("All ways to sit are being looked at, for the best by what matters here …", "",
                            otherwise="Leave it as it sits")  # fmt: skip
        best: SeatShown = seating.seats[0]
        support = text.volume(best.seat.figures.support_volume_mm3)
        if float(np.array(best.seat.tilt.down) @ now) > _SAME:
            return Proposal(f"It sits best as it is, by what matters here: {support} of support.", "Leave it so")
        here, kind = text.volume(piece.figures.support_volume_mm3), best.seat.kind[:1].upper() + best.seat.kind[1:]
        if "matters" not in kind:
            kind += ", best by what matters here"
        return Proposal(
            f"{kind}: {support} of support; as it sits it is {here}.", "Seat it so",
            lambda: seating.take("take a proposed seat", best.seat.tilt, best.seat.lift), "Leave it as it sits",
        )  # fmt: skip

    def _cut(self) -> Proposal:
        state, ways = self._state, self._state.ways
        if state.plan.recipe:
            return Proposal(f"It is parted into {len(state.pieces)} already.", "Keep it so")
        leave = "Leave it whole"
        if ways.problem:
            return Proposal(ways.problem, "Leave it whole")
        best = self._best_way()
        if best is None:
            if ways.found is None or not ways.found.done:
                return Proposal("Ways to part it are being looked for: little support, seams out of sight …", "",
                                otherwise=leave)  # fmt: skip
            return Proposal("No way to part it was found whose pieces all sit flat and fit.", leave)
        looking = "" if ways.found is not None and ways.found.done else " Better ones are still looked for."
        return Proposal(
            f"{best.pieces} pieces, all flat: {text.volume(best.support)} of support, which is {100 * best.left:.2g} % "
            f"of what it needs whole, and {text.mm(best.sight)} of seam in sight. The least support of all ways found "
            f"whose pieces all sit flat and fit.{looking}", "Part it so", lambda: ways.take(best), leave,
        )  # fmt: skip

    def _best_way(self) -> WayShown | None:
        """The one with the least support, of those that are fully measured and whose pieces all sit flat and fit."""
        found = self._state.ways.found.ways if self._state.ways.found else ()
        fine = [way for way in found if way.cuts and not way.near and way.all_flat and way.all_fit]
        return min(fine, key=lambda way: way.support, default=None)

    def _join(self) -> Proposal:
        state, joining = self._state, self._state.joining
        bare = sum(not joining.joins_of(number) for number in range(len(joining.contacts)))
        if not joining.contacts:
            return Proposal("It is one piece: there is nothing to join.")
        if not bare:
            return Proposal("Every contact has its joins. The list says why each is as it is.")
        many = f"{bare} contacts have" if bare > 1 else "The contact has"
        return Proposal(f"{many} nothing that holds it in place yet: keys or rods, by the room there and by how the "
                        f"pieces sit, with {state.printer.clearance:g} mm of clearance, as this printer needs.",
                        "Propose joins", joining.propose, "Glue alone")  # fmt: skip

    def _check(self) -> Proposal:
        state = self._state
        if not state.checking.found or state.evaluated is None:
            return Proposal("The layers are being looked at …", "", otherwise="Go on without")
        from .steps.check.lines import lines_of  # with its panel, which the window is there before

        lines = lines_of(state.evaluated.outcome, state.checking.found, state.printer)
        counts = {verdict: sum(line.verdict == verdict for line in lines) for verdict in ("failed", "look")}
        bare = self._without_posts(lines)
        if bare is not None:
            return Proposal(f"“{state.pieces[bare].name}” has islands, which nothing holds while they are printed: "
                            "posts hold them.", "Put posts", lambda: self._put_posts(bare), "Leave it so")  # fmt: skip
        if any(counts.values()):
            return Proposal(f"{counts['failed']} failed and {counts['look']} to look at: each line of the list flies "
                            "there, and says what helps.", "Go on")  # fmt: skip
        return Proposal("Nothing was found that fails.")

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
            return Proposal("That is a whole job: the folder holds the beds, and the sheet for the bench. Save the "
                            "project to come back to it.", "Done", self.leave)  # fmt: skip
        work = self._state.bedding.work
        if work is None:
            return Proposal("The beds are being laid …", "")
        if self._state.jobs.busy_with("handoff"):
            return Proposal("The beds are being written, and read again …", "")
        beds = f"{len(work.beds)} bed{'s' if len(work.beds) > 1 else ''}"
        return Proposal(f"{beds}, {text.hours(work.seconds)}, {text.grams(work.material)}: written as files, each read "
                        "again before it is saved, with a sheet for the bench.", "Write the beds …",
                        self._ask_folder)  # fmt: skip

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
