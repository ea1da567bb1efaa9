"""Edits the recipe: adds, moves, reorders and mirrors cuts, and settles their seams."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.cuts import Cut, Move, PieceReach, Side, StraightCut
from ...core.document.base import Triple, triple
from ...core.errors import DeftError
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.search.results import Limits
from ..messages.replies import Settled
from ..messages.requests import FindSymmetry, FollowEdge, SettleCut, SettlePlan
from .desk import Desk
from .pointing import ON_ONE_LINE, Pointing, plane_through
from .validation import validated

_NO_MIRROR = tr("No plane of symmetry was found.\nSet one by hand: “Use as mirror plane” uses a straight cut.")


class Cutting(QObject):
    """The cuts of the plan.

    Attributes
    ----------
    settled : Settled or None
        Where the selected cut, or all cuts, would settle.
    mirrors : tuple of ((3,), float)
        Unit normals and offsets (mm) of the planes of symmetry; empty if none were found or searched for.
    """

    changed = Signal()

    def __init__(self, desk: Desk, pointing: Pointing) -> None:
        super().__init__(desk)
        self._desk, self._pointing = desk, pointing
        self.settled: Settled | None = None
        self.mirrors: tuple[tuple[Triple, float], ...] = ()
        self._mirrors_looked_for = False
        for kind, heard in (("cut facet", self._on_facet), ("cut three", self._on_three), ("cut edge", self._on_edge)):
            pointing.answer(kind, heard)
        desk.opened.connect(self._on_opened)
        for signal in (desk.outcome_changed, desk.selection_changed):
            signal.connect(self.drop_settled)

    def _on_opened(self) -> None:
        self.mirrors, self._mirrors_looked_for = (), False

    def before(self, cut: Cut) -> tuple[Plan, tuple[Side, ...]]:
        """The plan before a cut, and the sides of the piece that the cut goes through."""
        plan = self._desk.plan
        at = [one.id for one in plan.recipe].index(cut.id)
        sides = cut.reach.sides if isinstance(cut.reach, PieceReach) else ()
        return plan.changed(recipe=plan.recipe[:at]), sides

    # adding and changing

    def put(self, cut: Cut, did: str = tr("add a cut")) -> None:
        """Adds a cut and selects it."""
        self._desk.selected_cut = cut.id
        self._desk.do_plan(did, self._desk.plan.with_cut(cut))

    def add(self, normal: Triple, offset: float) -> None:
        """Adds a straight cut (mm, model frame) and selects it."""
        number, name = self._desk.plan.numbered
        self.put(StraightCut(id=number, name=name, normal=normal, offset=offset))

    def lean_from(self, share: float) -> None:
        """Set how much of its support a piece must save in order to lean; see ``Plan.leaning``."""
        self._desk.change(tr("change when pieces lean"), lambda: self._desk.plan.changed(leaning=share))

    def change(self, did: str, **update: object) -> None:
        """Change the selected cut. Values that make no sense are reported and change nothing."""
        if self._desk.cut is not None:
            self.change_one(did, self._desk.cut.id, **update)

    def change_one(self, did: str, cut_id: str, **update: object) -> None:
        """Change a cut. Values that make no sense are reported and change nothing."""
        plan = self._desk.plan
        self._desk.change(did, lambda: plan.with_cut(_changed(plan.cut(cut_id), update)))

    def try_change(self, **update: object) -> None:
        """Change the selected cut while something is dragged. Values that make no sense are ignored."""
        cut, plan = self._desk.cut, self._desk.plan
        if cut is not None:
            with contextlib.suppress(DeftError):
                self._desk.try_plan(plan.with_cut(_changed(plan.cut(cut.id), update)))

    def remove(self, cut_id: str) -> None:
        self._desk.do_plan(tr("remove a cut"), self._desk.plan.without_cut(cut_id))

    def order(self, cut_id: str, by: int) -> None:
        """Moves a cut up (-1) or down (+1) in the recipe."""
        recipe = list(self._desk.plan.recipe)
        at = [cut.id for cut in recipe].index(cut_id)
        to = min(max(at + by, 0), len(recipe) - 1)
        recipe.insert(to, recipe.pop(at))
        self._desk.do_plan(tr("reorder the cuts"), self._desk.plan.changed(recipe=tuple(recipe)))

    def copy(self) -> None:
        """Add a copy of the selected cut, slightly beside it."""
        cut = self._desk.cut
        if cut is not None:
            self._add_like(cut, tr("copy a cut"), tr("{name} again", name=cut.name))

    def _add_like(self, cut: Cut, did: str, name: str) -> None:
        self.put(cut.model_copy(update={"id": self._desk.plan.fresh_id(), "name": name[:120]}), did)

    def mirror_cut(self) -> None:
        """Add the mirror image of the selected cut at a plane of symmetry, unless both would coincide."""
        cut = self._desk.cut
        if cut is None:
            return

        def add_mirrored() -> None:
            for normal, offset in self.mirrors:
                image = cut.carried(Move.mirror(np.array(normal), offset))
                if not _same_place(cut, image):
                    self._add_like(image, tr("mirror a cut"), tr("{name} mirrored", name=cut.name))
                    return
            self._desk.told.emit(_NO_MIRROR)

        self.find_mirrors(add_mirrored)

    def find_mirrors(self, then: Callable[[], None]) -> None:
        """Search for the planes of symmetry of the whole model, once."""
        desk = self._desk
        if self.mirrors or self._mirrors_looked_for:
            then()
            return

        def take_mirrors(found: tuple[tuple[Triple, float], ...]) -> None:
            self.mirrors, self._mirrors_looked_for = found, True
            self.changed.emit()
            then()

        whole = desk.plan.changed(recipe=())
        desk.ask("ask:mirror", FindSymmetry(whole), done=take_mirrors, label=tr("Looking for symmetry"))

    def set_mirror(self) -> None:
        """Use the plane of the selected straight cut as the mirror plane."""
        cut = self._desk.cut
        if isinstance(cut, StraightCut):
            self.mirrors = ((cut.normal, cut.offset), *self.mirrors)
            self._desk.told.emit(
                tr("The plane of this cut is now the mirror plane.\nYou can switch off or move the cut itself.")
            )
            self.changed.emit()

    def cut_at_mirror(self) -> None:
        """Adds a straight cut through the plane of symmetry."""

        def add_symmetric() -> None:
            if self.mirrors:
                plan, (normal, offset) = self._desk.plan, self.mirrors[0]
                self.put(
                    StraightCut(id=plan.fresh_id(), name=plan.fresh_name(tr("Halves")), normal=normal, offset=offset)
                )
            else:
                self._desk.told.emit(_NO_MIRROR)

        self.find_mirrors(add_symmetric)

    # by pointing

    def _on_facet(self, number: int, facet: int, place: Floats) -> None:
        """Adds a straight cut in the plane of a facet."""
        self._pointing.end()
        self._add_through(self._desk.pieces[number].solid.normals[facet], place)

    def _on_three(self, number: int, facet: int, place: Floats) -> None:
        """Adds a straight cut through three points."""
        points = self._pointing.collect(place, 3)
        if points is None:
            return
        normal = plane_through(points)
        if normal is None:
            self._desk.told.emit(ON_ONE_LINE)
        else:
            self._add_through(normal, place)

    def _add_through(self, normal: Floats, place: Floats) -> None:
        self.add(triple(normal), float(normal @ place))

    def _on_edge(self, number: int, facet: int, place: Floats) -> None:
        """Adds a straight cut along an edge that is followed."""
        self._pointing.end()
        desk = self._desk
        desk.ask("ask:measure", FollowEdge(desk.plan, desk.printer, number, place), label=tr("Following the edge"),
                 done=lambda found: self.add(*found))

    # settling

    def settle(self, limits: Limits) -> None:
        """Ask where the seam of the selected cut would be seen least nearby. Nothing moves without consent."""
        desk, cut = self._desk, self._desk.cut
        if cut is None or not cut.settles:
            return
        plan, sides = self.before(cut)
        desk.ask("ask:settle", SettleCut(plan, desk.printer, sides, cut, limits), done=self._on_settled,
                  label=tr("Settling the seam"))

    def settle_all(self, limits: Limits) -> None:
        """Ask where the seams of all cuts together would be seen least."""
        desk = self._desk
        if desk.plan.recipe:
            desk.ask("ask:settle", SettlePlan(desk.plan, desk.printer, limits), done=self._on_settled,
                      label=tr("Settling all seams"))

    def _on_settled(self, found: Settled) -> None:
        self.settled = found
        self.changed.emit()

    @property
    def moves(self) -> list[Cut]:
        """The cuts that would move."""
        if self.settled is None:
            return []
        known = {cut.id: cut for cut in self._desk.plan.recipe}
        return [cut for cut in self.settled.cuts if cut.id in known and known[cut.id] != cut]

    def take_settled(self) -> None:
        plan, moves = self._desk.plan, self.moves
        self.settled = None
        for cut in moves:
            plan = plan.with_cut(cut)
        if moves:
            self._desk.do_plan(tr("settle the seam") if len(moves) == 1 else tr("settle all seams"), plan)

    def drop_settled(self) -> None:
        self.settled = None
        self.changed.emit()


def _changed(cut: Cut, update: dict[str, object]) -> Cut:
    return validated(cut, update, text.quoted(cut.name))


def _same_place(cut: Cut, other: Cut) -> bool:
    """Whether two cuts coincide; for flat cuts whichever way they face."""
    if isinstance(cut, StraightCut) and isinstance(other, StraightCut):
        sign = 1.0 if float(np.dot(cut.normal, other.normal)) > 0 else -1.0
        apart = np.array(cut.normal) - sign * np.array(other.normal)
        return bool(np.abs(apart).max() < 1e-3 and abs(cut.offset - sign * other.offset) < 0.1)
    ours, theirs = (np.array(getattr(one, "centre", None) or getattr(one, "line", ())) for one in (cut, other))
    return len(ours) > 0 and ours.shape == theirs.shape and bool(np.allclose(ours, theirs, atol=0.1))
