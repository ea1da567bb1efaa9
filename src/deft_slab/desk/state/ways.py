"""Ways to part the model or a piece: searched step by step while Cut is open."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from ...core.cuts import Side
from ...core.defaults import LEANING
from ...core.errors import DeftError
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.search.results import CutWishes
from ..messages.replies import WaysFound, WayShown
from ..messages.requests import LookForWays, MoreLikeWay, Request
from .choices import Choosing
from .desk import Desk
from .stale import being_made

_BEYOND = 0.75
"""Of the seam of a way, what "less seam" looks for."""


FROM_FRONT = tr("take a plan from the front")
"""What is done by taking one."""


class Ways(QObject):
    """The search for ways to part the model or a piece.

    Attributes
    ----------
    found : WaysFound or None
        What was found so far.
    base : Plan or None
        The plan that is parted.
    sides : tuple of Side or None
        The sides of the piece that is parted; None: all pieces.
    pointed : WayShown or None
        The way under the pointer.
    chosen : WayShown or None
        The way that the user asks more about.
    """

    changed = Signal()
    pointed_changed = Signal()

    def __init__(self, desk: Desk, choosing: Choosing) -> None:
        super().__init__(desk)
        self._desk, self._choosing = desk, choosing
        self.found: WaysFound | None = None
        self.base: Plan | None = None
        self.sides: tuple[Side, ...] | None = None
        self.pointed: WayShown | None = None
        self.chosen: WayShown | None = None
        self._asked: LookForWays | None = None
        for signal in (desk.outcome_changed, desk.step_changed):
            signal.connect(self._look)
        desk.opened.connect(self._on_opened)

    @property
    def wishes(self) -> CutWishes:
        return self._desk.settings.cut_wishes or CutWishes()

    @property
    def busy(self) -> bool:
        return self._desk.jobs.busy_with("ways")

    @property
    def problem(self) -> str:
        """Why nothing can be parted, and what to do; empty if it can."""
        evaluated = self._desk.evaluated
        defects = evaluated.outcome.defects.sentence() if evaluated else ""
        return tr("{defects} Close it in Size, then it can be cut.", defects=defects) if defects else ""

    @property
    def of_piece(self) -> str:
        """The name of the piece that is parted; empty for all pieces."""
        if self.sides is None:
            return ""
        for piece in self._desk.pieces:
            if piece.sides == self.sides:
                return piece.name
        return tr("a piece that has since been cut")

    def _on_opened(self) -> None:
        self.found = self.base = self.sides = self.pointed = self.chosen = self._asked = None
        self.changed.emit()

    # looking

    def _request(self) -> LookForWays | None:
        """What is searched for: the present plan, but only with the cuts that the search began from."""
        desk = self._desk
        if not desk.is_open:
            return None
        if self.base is None or any(cut not in desk.plan.recipe for cut in self.base.recipe):
            self.base, self.sides = desk.plan.changed(recipe=(), pieces=(), joins=(), leaning=LEANING), None
        now = desk.plan
        rest = set(Plan.model_fields) - {"recipe", "pieces", "joins", "leaning", "tilt"}
        self.base = self.base.changed(**{name: getattr(now, name) for name in rest})
        if not self.base.recipe and not self._taken():
            self.base = self.base.changed(tilt=now.tilt)
        return LookForWays(self.base, desk.printer, self.sides, self.wishes)

    def _taken(self) -> bool:
        """Whether the present plan is one of the ways; then its tilt is that of the way."""
        return self.found is not None and any(self._as_plan(way) == self._desk.plan for way in self.found.ways)

    def _look(self) -> None:
        desk = self._desk
        if desk.step != "Cut" or not desk.up_to_date:
            return
        if self.problem:
            self.found = None
            self.changed.emit()
            return
        request = self._request()
        if request is not None and request != self._asked:
            self._begin(request)
        self.changed.emit()

    def _begin(self, request: LookForWays) -> None:
        self._asked = request
        self.found = self.pointed = self.chosen = None
        self._ask(request)
        self.pointed_changed.emit()

    def _ask(self, request: LookForWays, around: Plan | None = None) -> None:
        """Ask for one more step.

        Parameters
        ----------
        around : Plan | None
            A way whose surroundings are searched first.
        """

        def take_ways(found: WaysFound) -> None:
            self.found = found
            self.changed.emit()
            if not found.done and self._desk.step == "Cut":
                self._ask(request)

        asked: Request[WaysFound] = request if around is None else MoreLikeWay(request, around)
        self._desk.ask("ways:look", asked, done=take_ways, failed=self._failed, still=lambda: request == self._asked,
                       label=tr("Searching for plans"))

    def more_like_this(self) -> None:
        """Search around the chosen way: its cuts are moved and rotated together."""
        if self.chosen is not None and self._asked is not None and self._asked == self._request():
            self._ask(self._asked, self.chosen.plan)
            self.changed.emit()

    def _failed(self, error: DeftError) -> None:
        self._desk.failed.emit(error)
        self.changed.emit()

    def look_on(self) -> None:
        """Continue where the search was stopped."""
        if self._asked is None or self._asked != self._request():
            self._look()
        elif self.found is None or not self.found.done:
            self._ask(self._asked)
        self.changed.emit()

    def stop(self) -> None:
        """Stop searching. What was found stays."""
        self._desk.jobs.cancel("ways")
        self.changed.emit()

    def part_whole(self) -> None:
        """Search for ways to part the model from the beginning, without the cuts that it has."""
        self.base = None
        self._look()

    def part_piece(self) -> None:
        """Search for ways to part the selected piece only; the others stay as they are."""
        piece = self._desk.piece
        if piece is None or not self._desk.up_to_date:
            self._desk.failed.emit(being_made())
            return
        self.base, self.sides = self._desk.plan.changed(joins=()), piece.sides
        self._look()

    def wish(self, **wishes: object) -> None:
        """Change the conditions of the search."""
        changed = CutWishes.model_validate({**self.wishes.model_dump(), **wishes})
        self._desk.change_settings(cut_wishes=changed)
        self._look()
        self.changed.emit()

    def fewer_pieces(self) -> None:
        """Search for ways with fewer pieces than the chosen one."""
        if self.chosen is not None:
            self.wish(pieces=max(2, self.chosen.pieces - 1))

    def less_seam(self) -> None:
        """Search for ways with clearly less visible seam than the chosen one."""
        if self.chosen is not None:
            self.wish(seam_limit=round(_BEYOND * self.chosen.sight, 1) or None)

    # pointing and taking

    def point_at(self, way: WayShown | None) -> None:
        self.pointed = way
        self.pointed_changed.emit()

    def _as_plan(self, way: WayShown) -> Plan:
        """The present plan, parted in this way."""
        tilt = {} if way.cuts else {"tilt": way.plan.tilt}
        return self._desk.plan.parted_by(way.plan.recipe).changed(leaning=way.plan.leaning, **tilt)

    def is_taken(self, way: WayShown) -> bool:
        return self._desk.is_open and self._as_plan(way) == self._desk.plan

    def take(self, way: WayShown) -> None:
        """Put a way on the bed."""
        if self._asked is None or self._asked != self._request():  # it was found for another plan
            self._desk.failed.emit(being_made())
            return
        self.chosen = way
        cuts = way.plan.recipe
        self._desk.selected_cut = cuts[-1].id if cuts else None
        self._desk.do_plan(FROM_FRONT, self._as_plan(way))
        self.changed.emit()

    def keep(self, way: WayShown) -> None:
        """Keep a way as a choice, without using it."""
        name = tr(
            "{pieces} pieces, {left:.2g} % of support left, {sight} in sight",
            pieces=way.pieces,
            left=100 * way.left,
            sight=text.length(way.sight, 0),
        )
        self._choosing.keep_plan(self._as_plan(way), name)
