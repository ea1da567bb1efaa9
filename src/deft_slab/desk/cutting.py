"""Finding a place for a cut (the cut map, the sweep, the trade-off list), settling it, and changing the recipe."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from PySide6.QtCore import QObject, Signal

from ..core.cuts import Cut, Move, PieceReach, Side, StraightCut
from ..core.documents import Triple, triple
from ..core.errors import DeftError
from ..core.plan import Plan
from ..core.search.found import CutMap, CutWishes, Sweep, Turned
from .replies import CutShown, Settled
from .requests import FindAlike, FindSymmetry, LookForCuts, ProposeCuts, SettleCut, SweepCut, TurnCut
from .stale import being_made

if TYPE_CHECKING:
    from .state import DeskState

Floats = NDArray[np.float64]

_NO_MIRROR = "No plane of symmetry was found for this.\nSet one by hand: “Mirror here” takes a straight cut as it."


class Cutting(QObject):
    """A part of the desk state.

    map : of planes through the piece, None before; sweep, turned : of the selected cut; shown : the trade-off list
    figure : what colours the map, "support", "sight" or "both"; settled : where the selected cut would settle
    mirrors : (unit normal, offset) of the planes of symmetry, none where none was found or they were not looked for
    alike : for each piece the number of the first one of its shape, and whether it is that mirrored; none while that is
    not known
    """

    changed = Signal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self._state = state
        self.map: CutMap | None = None
        self.sweep: Sweep | None = None
        self.turned: Turned | None = None
        self.shown: tuple[CutShown, ...] | None = None
        self.figure = "support"
        self.settled: Settled | None = None
        self.mirrors: tuple[tuple[Triple, float], ...] = ()
        self._mirrors_looked_for = False
        self.alike: tuple[tuple[int, bool], ...] = ()
        self._alike_for: object = None
        self._key: object = None
        self._sweep_key: object = None
        self._model: object = None
        for signal in (state.outcome_changed, state.selection_changed, state.step_changed):
            signal.connect(self._look)

    # what there is

    @property
    def wishes(self) -> CutWishes:
        return self._state.settings.cut_wishes or CutWishes()

    @property
    def busy(self) -> bool:
        return self._state.jobs.busy_with("map")

    def base(self) -> tuple[Plan, tuple[Side, ...]]:
        """(the plan that the map is for, the sides that the piece it is for lies on): without the selected cut where
        that is straight and the last one, so that the map shows where else it could be; else of the selected piece."""
        state, plan = self._state, self._state.plan
        cut = state.cut
        if isinstance(cut, StraightCut) and plan.recipe[-1].id == cut.id and not cut.bounded:
            return self._before(cut)
        piece = state.piece
        return plan, piece.sides if piece is not None and state.up_to_date else ()

    @property
    def replaced(self) -> StraightCut | None:
        """The cut that taking a place moves; None where it would add one."""
        plan, _ = self.base()
        cut = self._state.cut
        return cut if isinstance(cut, StraightCut) and plan != self._state.plan else None

    # looking

    def _subject(self) -> object:
        plan, sides = self.base()
        return (
            plan.model, tuple(plan.factors), plan.roles, plan.mending, plan.threshold, plan.marks, plan.audience,
            plan.tilt, plan.lift, plan.recipe, sides, self._state.printer,
        )  # fmt: skip

    def _look(self) -> None:
        state = self._state
        if state.model is not self._model:
            self._model, self.mirrors, self._mirrors_looked_for = state.model, (), False
        if state.step == "Hand off" and state.up_to_date:
            self._ask_alike()
        if state.step != "Cut" or not state.up_to_date:
            return
        problem = state.evaluated.outcome.defects.sentence() if state.evaluated else ""
        if problem:
            self.map = self.sweep = self.shown = None
            self.changed.emit()
            return
        key = self._subject()
        if key != self._key:
            self._key, self._sweep_key = key, None
            self.map, self.shown, self.sweep = None, None, None
            self._ask_round(0)
        self._ask_sweep()
        self._ask_alike()
        self.settled = None
        self.changed.emit()

    def look_again(self) -> None:
        """Goes on after it was stopped."""
        self._key = None
        self._look()

    def _ask_round(self, number: int) -> None:
        state, key = self._state, self._key
        plan, sides = self.base()

        def done(found: CutMap) -> None:
            self.map = found if self.map is None else self.map.and_also(found)
            self.changed.emit()
            if number == 0:
                self._ask_round(1)
            else:
                self._ask_proposals()

        state.ask("map:cut", LookForCuts(plan, state.printer, sides, number), done=done, failed=lambda _: None,
                  still=lambda: key == self._key, label="Looking at all ways to cut")  # fmt: skip

    def _ask_proposals(self) -> None:
        state, key, wishes = self._state, self._key, self.wishes
        plan, sides = self.base()

        def done(found: tuple[CutShown, ...]) -> None:
            self.shown = found
            self.changed.emit()
            if wishes != self.wishes:
                self._ask_proposals()

        state.ask("map:proposals", ProposeCuts(plan, state.printer, sides, wishes, self.map), done=done,
                  still=lambda: key == self._key, label="Looking for cuts worth making")  # fmt: skip

    def _ask_sweep(self) -> None:
        state, cut = self._state, self._state.cut
        self.turned = None
        if not isinstance(cut, StraightCut):
            self.sweep, self._sweep_key = None, None
            return
        plan, sides = self._before(cut)
        key = (self._key, plan.recipe, cut.normal, sides)
        if key == self._sweep_key:
            return
        self._sweep_key, self.sweep = key, None

        def done(found: Sweep) -> None:
            self.sweep = found
            self.changed.emit()

        state.ask("sweep", SweepCut(plan, state.printer, sides, cut.normal), done=done, failed=lambda _: None,
                  still=lambda: key == self._sweep_key, label="Sweeping the cut")  # fmt: skip

    def _before(self, cut: Cut) -> tuple[Plan, tuple[Side, ...]]:
        """(the plan before a cut is made, the sides that the piece it goes through lies on)."""
        plan = self._state.plan
        at = [one.id for one in plan.recipe].index(cut.id)
        sides = cut.reach.sides if isinstance(cut.reach, PieceReach) else ()
        return plan.changed(recipe=plan.recipe[:at]), sides

    def ask_turned(self) -> None:
        """Asks for the figures of the selected cut turned both ways."""
        state, cut = self._state, self._state.cut
        if not isinstance(cut, StraightCut):
            return
        plan, sides = self._before(cut)

        def done(found: Turned) -> None:
            self.turned = found
            self.changed.emit()

        state.ask("ask:turned", TurnCut(plan, state.printer, sides, cut.normal, cut.offset), done=done,
                  label="Turning the cut")  # fmt: skip

    def take_turned(self, row: int, column: int) -> None:
        """Turns the selected cut as a place of its map of angles says."""
        found = self.turned
        if found is not None:
            normal, offset = found.normals[row, column], float(found.offsets[row, column])
            self.change("turn a cut", normal=triple(normal), offset=offset)

    def _ask_alike(self) -> None:
        state = self._state
        plan = state.plan
        if plan == self._alike_for or not 2 <= len(state.pieces) <= 60:
            return
        self._alike_for, self.alike = plan, ()

        def done(found: tuple[tuple[int, bool], ...]) -> None:
            self.alike = found
            self.changed.emit()

        # whatever printer they are judged by, the pieces are the same
        state.ask("map:alike", FindAlike(plan, state.printer), done=done, failed=lambda _: None,
                  still=lambda: state.plan == plan, label="Comparing the pieces")  # fmt: skip

    # what the map shows

    def values(self) -> Floats:
        """(n,) for each normal the best that any place along it achieves, of the figure that colours the map."""
        wishes = self.wishes
        allowed, sight = self.map.allowed(wishes), self.map.hidden_sight(wishes)
        figure = {"support": self.map.price, "sight": sight, "both": self._blend(sight)}[self.figure]
        best = np.where(allowed, figure, np.inf).min(axis=1)
        worst = best[np.isfinite(best)].max(initial=0.0)
        return np.where(np.isfinite(best), best, worst)

    def _blend(self, sight: Floats) -> Floats:
        """Support and seam, each by what is usual among all places."""
        return self.map.price / max(float(np.median(self.map.price)), 1e-9) + sight / max(float(np.median(sight)), 1e-9)

    def nearest(self, normal: Floats) -> int:
        return int(np.argmax(np.abs(self.map.normals @ normal)))

    def best_place(self, n: int) -> int:
        """The best place along a normal of the map, by what colours it."""
        wishes = self.wishes
        allowed, sight = self.map.allowed(wishes)[n], self.map.hidden_sight(wishes)
        figure = {"support": self.map.price[n], "sight": sight[n], "both": self._blend(sight)[n]}[self.figure]
        return int(np.argmin(np.where(allowed, figure, np.inf)))

    def show_figure(self, figure: str) -> None:
        self.figure = figure
        self.changed.emit()

    def wish(self, **wishes: object) -> None:
        """Changes what places are looked for by."""
        changed = CutWishes.model_validate({**self.wishes.model_dump(), **wishes})
        self._state.change_settings(self._state.settings.model_copy(update={"cut_wishes": changed}))
        self.changed.emit()
        if self.map is not None and not self.busy:
            self._ask_proposals()

    # taking a place

    def take(self, did: str, normal: Triple, offset: float) -> None:
        """Moves the selected cut to a place that was found, or adds one there."""
        if self._key != self._subject():  # it was found for another plan
            self._state.failed.emit(being_made())
            return
        plan, sides = self.base()
        old = self.replaced
        reach = PieceReach(sides=sides) if sides else None
        cut = StraightCut(
            id=old.id if old else plan.fresh_id(), name=old.name if old else f"Cut {len(plan.recipe) + 1}",
            normal=normal, offset=offset, reach=reach, kerf=old.kerf if old else 0.0,
            crumbs=old.crumbs if old else "keep",
        )  # fmt: skip
        self._state.selected_cut = cut.id
        self._state.do_plan(did, self._state.plan.with_cut(cut))

    def take_normal(self, normal: Floats) -> None:
        """Takes the best place along the direction of the map that was clicked."""
        n = self.nearest(normal)
        k = self.best_place(n)
        self.take("take a cut from the cut map", triple(self.map.normals[n]), float(self.map.offsets[n, k]))

    def take_shown(self, shown: CutShown) -> None:
        self.take("take a cut from the list", shown.cut.normal, shown.cut.offset)

    def keep(self, shown: CutShown) -> None:
        """Keeps a cut of the list as a choice, without taking it."""
        self._state.choosing.keep_plan(shown.plan, f"{100 * shown.left:.0f} % left, {shown.sight:.0f} mm seen")

    # the recipe

    def change(self, did: str, **update: object) -> None:
        """Changes the selected cut; values that make no sense are told and change nothing."""
        if self._state.cut is not None:
            self._state.change_cut(did, self._state.cut.id, **update)

    def order(self, cut_id: str, by: int) -> None:
        """Moves a cut up (-1) or down (+1) in the recipe."""
        recipe = list(self._state.plan.recipe)
        at = [cut.id for cut in recipe].index(cut_id)
        to = min(max(at + by, 0), len(recipe) - 1)
        recipe.insert(to, recipe.pop(at))
        self._state.do_plan("reorder the cuts", self._state.plan.changed(recipe=tuple(recipe)))

    def copy(self) -> None:
        """Adds the selected cut once more, a little beside it."""
        cut = self._state.cut
        if cut is not None:
            self._add_like(cut, "copy a cut", f"{cut.name} again")

    def _add_like(self, cut: Cut, did: str, name: str) -> None:
        plan = self._state.plan
        like = cut.model_copy(update={"id": plan.fresh_id(), "name": name[:120]})
        self._state.selected_cut = like.id
        self._state.do_plan(did, plan.with_cut(like))

    def mirror_cut(self) -> None:
        """Adds the mirror image of the selected cut at a plane of symmetry that it does not lie in or across."""
        cut = self._state.cut
        if cut is None:
            return

        def done() -> None:
            for normal, offset in self.mirrors:
                image = cut.carried(Move.mirror(np.array(normal), offset))
                if not _same_place(cut, image):
                    self._add_like(image, "mirror a cut", f"{cut.name} mirrored")
                    return
            self._state.told.emit(_NO_MIRROR)

        self.find_mirrors(done)

    def find_mirrors(self, then: Any) -> None:
        """Looks for the planes of symmetry of the whole model, once."""
        state = self._state
        if self.mirrors or self._mirrors_looked_for:
            then()
            return

        def done(found: tuple[tuple[Triple, float], ...]) -> None:
            self.mirrors, self._mirrors_looked_for = found, True
            self.changed.emit()
            then()

        whole = state.plan.changed(recipe=())
        state.ask("ask:mirror", FindSymmetry(whole), done=done, label="Looking for symmetry")

    def set_mirror(self) -> None:
        """Takes the selected straight cut as the plane that is mirrored at."""
        cut = self._state.cut
        if isinstance(cut, StraightCut):
            self.mirrors = ((cut.normal, cut.offset), *self.mirrors)
            self._state.told.emit("The plane of this cut is what is mirrored at now.\nIt can be switched off or moved.")
            self.changed.emit()

    def cut_at_mirror(self) -> None:
        """Adds a straight cut through the plane of symmetry."""

        def done() -> None:
            if self.mirrors:
                normal, offset = self.mirrors[0]
                self._state.placing.put(
                    StraightCut(**self._state.placing.shared("Halves"), normal=normal, offset=offset)
                )
            else:
                self._state.told.emit(_NO_MIRROR)

        self.find_mirrors(done)

    # settling

    def settle(self, limits: Any) -> None:
        """Asks where the selected cut's seam would be seen least nearby; nothing moves without consent."""
        state, cut = self._state, self._state.cut
        if cut is None or not cut.settles:
            return
        plan, sides = self._before(cut)

        def done(found: Settled) -> None:
            self.settled = found
            self.changed.emit()

        state.ask("ask:settle", SettleCut(plan, state.printer, sides, cut, limits), done=done,
                  label="Settling the seam")  # fmt: skip

    def take_settled(self) -> None:
        if self.settled is not None:
            settled, self.settled = self.settled, None
            self._state.do_plan("settle the seam", self._state.plan.with_cut(settled.cut))

    def drop_settled(self) -> None:
        self.settled = None
        self.changed.emit()


def validated(cut: Cut, update: dict[str, object]) -> Cut:
    """A cut with other values.

    Raises
    ------
    DeftError : they make no sense.
    """
    try:
        return type(cut).model_validate({**cut.model_dump(), **update})
    except ValidationError as error:
        said = error.errors(include_url=False, include_input=False)[0]["msg"].removeprefix("Value error, ")
        raise DeftError(f"“{cut.name}” cannot be like that: {said}.", kept="It is as it was.") from error


def _same_place(cut: Cut, other: Cut) -> bool:
    """Whether two cuts lie in the same place; of flat ones, whichever way they face."""
    if isinstance(cut, StraightCut) and isinstance(other, StraightCut):
        sign = 1.0 if float(np.dot(cut.normal, other.normal)) > 0 else -1.0
        apart = np.array(cut.normal) - sign * np.array(other.normal)
        return bool(np.abs(apart).max() < 1e-3 and abs(cut.offset - sign * other.offset) < 0.1)
    ours, theirs = (getattr(one, "centre", None) or getattr(one, "line", None) for one in (cut, other))
    return ours is not None and np.shape(ours) == np.shape(theirs) and bool(np.allclose(ours, theirs, atol=0.1))
