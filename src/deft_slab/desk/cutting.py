"""Finding a place for a cut (the cut map, the sweep, the trade-off list), and changing the recipe."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from PySide6.QtCore import QObject, Signal

from ..core.carried import mirrored
from ..core.cutting import (
    BentCut,
    BlockCut,
    BodiesCut,
    BoxCut,
    BoxReach,
    Cut,
    LiftOffCut,
    OutlineReach,
    PieceReach,
    RegionReach,
    ScoopCut,
    Side,
    StraightCut,
)
from ..core.documents import Triple, triple
from ..core.errors import DeftError
from ..core.marking import Region
from ..core.plan import Plan
from ..core.search.found import CutMap, CutWishes, Sweep, Turned
from .messages import CutShown, Settled

if TYPE_CHECKING:
    from .state import DeskState

Floats = NDArray[np.float64]

KINDS: dict[str, tuple[str, str]] = {
    "straight": ("Straight", "A flat cut through the middle; move it by its handles or by figures."),
    "block": ("Block", "Cells for a large prop: as many equal ones as its size needs for the bed."),
    "box": ("Box", "What lies in one free box."),
    "bent": ("Bent", "A smooth sheet along a line that you click on the model; a loop takes a limb off."),
    "scoop": ("Scoop", "A dish or sleeve around a feature: click where."),
    "lift-off": ("Lift-off", "A raised ornament taken off at its foot: click it."),
    "bodies": ("Bodies", "What was separate in the file becomes pieces."),
}
"""Kinds of cuts: words, and what each is for."""

POINTED = {"bent": "cut line", "scoop": "cut scoop", "lift-off": "cut lift-off"}
"""What is pointed at to place a cut of a kind."""

_NO_MIRROR = "No plane of symmetry was found for this.\nSet one by hand: “Mirror here” takes a straight cut as it."
_BEDS = 0.92
"""Share of the bed that a cell of a block cut may take, so that walls can move a little."""


class Cutting(QObject):
    """A part of the desk state.

    map : of planes through the piece, None before; sweep, turned : of the selected cut; shown : the trade-off list
    figure : what colours the map, "support", "sight" or "both"; settled : where the selected cut would settle
    line : (k, 3) points of the line that is being drawn, mm, model frame; mirrors : (unit normal, offset) of the planes
    of symmetry, none where none was found or they were not looked for
    alike : for each piece the number of the first one of its shape, and whether it is that mirrored
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
        self.line: Floats = np.empty((0, 3))
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
            if key != self._key:
                return
            self.map = found if self.map is None else self.map.and_also(found)
            self.changed.emit()
            if number == 0:
                self._ask_round(1)
            else:
                self._ask_proposals()

        state.jobs.submit("map:cut", "cut_round", plan, state.printer, sides, number, done=done,
                          failed=lambda _: None, label="Looking at all ways to cut")  # fmt: skip

    def _ask_proposals(self) -> None:
        state, key, wishes = self._state, self._key, self.wishes
        plan, sides = self.base()

        def done(found: tuple[CutShown, ...]) -> None:
            if key != self._key:
                return
            self.shown = found
            self.changed.emit()
            if wishes != self.wishes:
                self._ask_proposals()

        state.jobs.submit("map:proposals", "proposals", plan, state.printer, sides, wishes, self.map, done=done,
                          failed=state.failed.emit, label="Looking for cuts worth making")  # fmt: skip

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
            if key == self._sweep_key:
                self.sweep = found
                self.changed.emit()

        state.jobs.submit("sweep", "sweep", plan, state.printer, sides, cut.normal, done=done,
                          failed=lambda _: None, label="Sweeping the cut")  # fmt: skip

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
        now = state.plan

        def done(found: Turned) -> None:
            if state.plan == now:
                self.turned = found
                self.changed.emit()

        state.ask("turned", "turned", *self._judged_before(cut), cut.normal, cut.offset, done=done,
                  label="Turning the cut")  # fmt: skip

    def _judged_before(self, cut: Cut) -> tuple[Plan, Any, tuple[Side, ...]]:
        plan, sides = self._before(cut)
        return plan, self._state.printer, sides

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
            if state.plan == plan:
                self.alike = found
                self.changed.emit()

        state.jobs.submit("map:alike", "alike", plan, state.printer, done=done, failed=lambda _: None,
                          label="Comparing the pieces")  # fmt: skip

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
        self._state.keep_plan(shown.plan, f"{100 * shown.left:.0f} % left, {shown.sight:.0f} mm seen")

    # the recipe

    def add(self, kind: str) -> None:
        """Adds a cut of a kind; one that needs a place on the model is placed by pointing."""
        state = self._state
        if state.plan is None or state.evaluated is None:
            return
        if kind in POINTED:
            self.line = np.empty((0, 3))
            state.pointing.begin(POINTED[kind])
            return
        low, high = self._box()
        middle = (low + high) / 2
        shared = self._shared(KINDS[kind][0])
        rotation = state.plan.tilt.rotation
        if kind == "straight":
            normal = rotation.T @ np.array([0.0, 0.0, 1.0])
            self._put(StraightCut(**shared, normal=triple(normal), offset=float(normal @ middle)))
        elif kind == "block":
            self._put(self.block_for_bed())
        elif kind == "box":
            self._put(BoxCut(**shared, centre=triple(middle), half=triple(0.25 * (high - low))))
        else:
            self._put(BodiesCut(**shared))

    def _shared(self, word: str) -> dict[str, Any]:
        plan = self._state.plan
        number = 1 + sum(cut.name.startswith(word) for cut in plan.recipe)
        return {"id": plan.fresh_id(), "name": f"{word} {number}" if number > 1 else word}

    def _put(self, cut: Cut) -> None:
        self._state.selected_cut = cut.id
        self._state.do_plan("add a cut", self._state.plan.with_cut(cut))

    def _box(self) -> tuple[Floats, Floats]:
        solids = [piece.solid for piece in self._state.pieces]
        return np.min([s.bounds[0] for s in solids], axis=0), np.max([s.bounds[1] for s in solids], axis=0)

    def block_for_bed(self) -> BlockCut:
        """Cells along the model's own axes, as many equal ones along each as the printer needs."""
        low, high = self._box()
        size = high - low
        room = sorted(min(value, 1e6) * _BEDS for value in self._state.printer.room)
        counts = np.ones(3, int)
        # the longest side of a cell may be as long as the longest of the printer
        for place, axis in enumerate(np.argsort(size)):
            counts[axis] = int(np.ceil(size[axis] / room[place]))
        if counts.prod() == 1:
            counts[int(np.argmax(size))] = 2
        walls = [
            tuple(float(low[axis] + size[axis] * k / counts[axis]) for k in range(1, counts[axis])) for axis in range(3)
        ]
        return BlockCut(**self._shared("Block"), x=walls[0], y=(walls[1],), z=(walls[2],))

    def place_at(self, kind: str, place: Floats) -> None:
        """A place on the model was clicked (mm, model frame) to put a cut there."""
        state = self._state
        if kind == POINTED["bent"]:
            self.line = np.concatenate([self.line, place[None]])
            self.changed.emit()
            return
        state.pointing.begin("")
        low, high = self._box()
        size = float(np.linalg.norm(high - low))
        if kind == POINTED["scoop"]:
            half = 0.08 * size
            self._put(ScoopCut(**self._shared("Scoop"), centre=triple(place), half=(half, half, half)))
        elif kind == POINTED["lift-off"]:
            # what an outline shaves off the body beside the ornament belongs to the body
            self._put(LiftOffCut(**self._shared("Lift-off"), region=self.region_at(place), crumbs="neighbour"))
        elif kind == "cut reach" and state.cut is not None:
            region = self.region_at(place)
            self.change("bound a cut by a region", reach=RegionReach(region=region, margin=max(0.01 * size, 0.5)))

    def drop_line(self) -> None:
        """Lets go of the points that were clicked."""
        self.line = np.empty((0, 3))
        self.changed.emit()

    def drop_point(self) -> None:
        """Takes the last point of the line back."""
        self.line = self.line[:-1]
        self.changed.emit()

    def region_at(self, place: Floats) -> Region:
        """The smooth region around a place, up to the crease that Tilt's marks use, no farther than a quarter of it."""
        low, high = self._box()
        return Region(shape="grown", places=(triple(place),), limit=self._state.marker.crease,
                      reach=0.25 * float(np.linalg.norm(high - low)))  # fmt: skip

    def end_line(self, *, closed: bool) -> None:
        """Makes a bent cut of the points that were clicked."""
        state, line = self._state, self.line
        state.pointing.begin("")
        self.line = np.empty((0, 3))
        if len(line) < (3 if closed else 2):
            state.told.emit("A line needs two points, a loop three.\nClick more of them on the model.")
            return
        view = -state.plan.tilt.rotation.T @ np.array(state.line_of_sight)
        cut = BentCut(**self._shared("Bent"), line=tuple(triple(point) for point in line), closed=closed,
                      view=triple(view / np.linalg.norm(view)))  # fmt: skip
        self._put(cut)

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
                image = mirrored(cut, np.array(normal), offset)
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

        state.ask("mirror", "symmetry", state.plan.changed(recipe=()), done=done, label="Looking for symmetry")

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
                self._put(StraightCut(**self._shared("Halves"), normal=normal, offset=offset))
            else:
                self._state.told.emit(_NO_MIRROR)

        self.find_mirrors(done)

    # reach

    def bound(self, kind: str) -> None:
        """Bounds the selected cut: "all", "piece", "box", "region" (picked), "outline" (of the box, to be edited)."""
        state, cut = self._state, self._state.cut
        if cut is None:
            return
        low, high = self._box()
        middle, half = (low + high) / 2, (high - low) / 2
        if isinstance(cut, StraightCut):
            normal = np.array(cut.normal)
            middle = middle + (cut.offset - float(normal @ middle)) * normal
        if kind == "all":
            self.change("let a cut go through everything", reach=None)
        elif kind == "piece" and state.piece is not None:
            sides = tuple(side for side in state.piece.sides if side.cut != cut.id)
            self.change("bound a cut by a piece", reach=PieceReach(sides=sides) if sides else None)
        elif kind == "box":
            self.change("bound a cut by a box", reach=BoxReach(centre=triple(middle), half=triple(0.5 * half)))
        elif kind == "region":
            state.pointing.begin("cut reach")
        elif kind == "outline":
            self.line = np.empty((0, 3))
            state.pointing.begin("cut outline")

    def end_outline(self) -> None:
        """Bounds the selected cut by the outline that was clicked, as it is seen."""
        state, line = self._state, self.line
        state.pointing.begin("")
        self.line = np.empty((0, 3))
        if len(line) < 3:
            state.told.emit("An outline needs three points.\nClick more of them on the model.")
            return
        view = -state.plan.tilt.rotation.T @ np.array(state.line_of_sight)
        reach = OutlineReach(points=tuple(triple(one) for one in line), view=triple(view / np.linalg.norm(view)))
        self.change("bound a cut by an outline", reach=reach)

    # settling

    def settle(self, limits: Any) -> None:
        """Asks where the selected cut's seam would be seen least nearby; nothing moves without consent."""
        state, cut = self._state, self._state.cut
        if not isinstance(cut, (StraightCut, BentCut)):
            return
        plan = state.plan

        def done(found: Settled) -> None:
            if state.plan == plan:
                self.settled = found
                self.changed.emit()

        state.ask("settle", "settle", *self._judged_before(cut), cut, limits, done=done, label="Settling the seam")

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
