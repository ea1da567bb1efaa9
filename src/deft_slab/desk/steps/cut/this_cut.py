"""The page on the selected cut: its place, kerf, crumbs and reach; its sweep; settling its seam."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.cuts import Cut, StraightCut
from ....core.document.base import Triple
from ....core.locale import text
from ....core.locale.translate import tr
from ....core.search.results import Limits
from ...cuts import ON_DESK, Parts, Tools, on_desk
from ...cuts.reach import reach_fields, reach_words
from ...desk_state import DeskState
from ...fields import Field
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, emptied, label, row
from ...widgets.number import NumberField
from ..field_grid import FieldsShown, put_fields

FACINGS: tuple[tuple[str, Triple, str], ...] = (
    (tr("Level"), (0.0, 0.0, 1.0), tr("an upper and a lower piece")),
    (tr("Left and right"), (1.0, 0.0, 0.0), tr("a left and a right piece")),
    (tr("Front and back"), (0.0, 1.0, 0.0), tr("a front and a back piece")),
)
_CRUMBS = {"keep": tr("keep as pieces"), "neighbour": tr("give to the neighbour"), "drop": tr("set aside")}
_REACHES = {
    "all": tr("everything"), "rest": tr("everything that no cut has taken off"), "piece": tr("only the chosen piece"),
    "box": tr("within a box"), "region": tr("around a region …"),
    "outline": tr("within an outline …"),
}


class ThisCutPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._cutting = state, state.cutting
        self._parts = Parts(
            state, state.cutting, state.search, state.snapping, state.placing.ground, state.marker, state.pointing
        )
        self._fields: FieldsShown = []
        self._fields_for: object = None
        self.head(tr("Add a straight cut"))
        self.adds = {
            name: button(
                name,
                tr("Adds a straight cut through the middle: {gives}.", gives=gives),
                partial(self._add, normal),
                role="small",
            )
            for name, normal, gives in FACINGS
        }
        self.add(row(*self.adds.values(), 1))
        self.halves = button(tr("Along the symmetry"), tr("Adds a cut through the model's plane of symmetry, if it has "
                                                    "one."),
                             self._cutting.cut_at_mirror, role="small")
        self.three = button(tr("By 3 points …"), tr("Adds a cut through three points that you click."),
                            partial(state.pointing.begin, "cut three"), role="small")
        self.facet = button(tr("Along a facet …"), tr("Adds a cut in the plane of a facet that you click."),
                            partial(state.pointing.begin, "cut facet"), role="small")
        self.edge = button(
            tr("Along an edge …"),
            tr("Adds a cut in the plane of an edge that you click, such as a rim or a groove."),
            partial(state.pointing.begin, "cut edge"),
            role="small",
        )
        self.add(row(self.halves, self.three, 1))
        self.add(row(self.facet, self.edge, 1))
        self._begin = label(
            tr("Other kinds of cut are on the left, under the list of cuts. A cut goes through everything that it "
               "meets."),
            "faint", wrap=True,
        )
        self.add(self._begin)
        self._this = QWidget()
        self._fill_this()
        self.add(self._this)
        self.column.addStretch(1)
        follow(
            self, self.refresh, state.search.changed, state.snapping.changed,
            state.outcome_changed, state.project_changed, state.selection_changed, state.draft_changed,
            state.live_changed, self._cutting.changed,
        )

    def _fill_this(self) -> None:
        column = QVBoxLayout(self._this)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(6)
        column.addWidget(label(tr("This cut"), "head"))
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the cut"))
        self.name.setToolTip(tr("The name of the cut."))
        self.name.editingFinished.connect(self._rename)
        column.addWidget(self.name)
        self.tools: dict[str, Tools[Any]] = {}
        for kind, here in ON_DESK.items():
            tools = here.tools(self._parts)
            if tools is not None:
                self.tools[kind] = tools
        self._own = QGridLayout()
        self._own.setSpacing(4)
        for tools in self.tools.values():
            column.addWidget(tools)
        column.addLayout(self._own)
        self.kerf = NumberField("mm", low=0, high=50, step=0.1, decimals=2)
        self.kerf.setAccessibleName(tr("Kerf"))
        self.kerf.setToolTip(tr("The thickness of the material that the cut removes."))
        self.kerf.committed.connect(lambda value: self._cutting.change(tr("change a kerf"), kerf=value))
        self.crumbs = QComboBox()
        for name, words in _CRUMBS.items():
            self.crumbs.addItem(words, name)
        self.crumbs.setAccessibleName(tr("Crumbs"))
        self.crumbs.setToolTip(tr("What happens to stray fragments that the cut leaves, smaller than 1 % of the "
                                  "volume and 20 mm."))
        self.crumbs.activated.connect(
            lambda n: self._cutting.change(tr("deal with crumbs"), crumbs=self.crumbs.itemData(n))
        )
        self.kerf.setFixedWidth(70)
        column.addLayout(row(label(tr("Kerf")), self.kerf, 1))
        column.addLayout(row(label(tr("Crumbs")), self.crumbs, 1))
        self.reach = QComboBox()
        for name, words in _REACHES.items():
            self.reach.addItem(words, name)
        self.reach.setAccessibleName(tr("Reach"))
        self.reach.setToolTip(tr("Where the cut stops, so that it cuts off one thing and leaves others alone."))
        self.reach.activated.connect(lambda n: self._state.placing.bound(self.reach.itemData(n)))
        self.ends = button(tr("Done"), tr("Limits the cut to the outline that you clicked."),
                           self._state.placing.end_outline,
                           role="small")
        column.addLayout(row(label(tr("Reach")), self.reach, self.ends, 1))
        self._reaches = QGridLayout()
        self._reaches.setSpacing(4)
        column.addLayout(self._reaches)
        self.copy = button(tr("Copy"), tr("Adds a copy of this cut."), self._cutting.copy, role="small")
        self.mirror = button(tr("Mirror"), tr("Adds its mirror image at the model's plane of symmetry."),
                             self._cutting.mirror_cut, role="small")
        self.as_mirror = button(tr("Use as mirror plane"), tr("Uses the plane of this cut for mirroring."),
                                self._cutting.set_mirror, role="small")
        self.remove = button(tr("Remove"), tr("Removes the cut from the plan. The pieces become one again."),
                             self._remove,
                             role="small")
        column.addLayout(row(self.copy, self.mirror, self.as_mirror, self.remove, 1))
        self._fill_settle(column)

    def _fill_settle(self, column: QVBoxLayout) -> None:
        self._settle = QWidget()
        inner = QVBoxLayout(self._settle)
        inner.setContentsMargins(0, 4, 0, 0)
        inner.setSpacing(6)
        inner.addWidget(label(tr("Settle the seam where it is least visible"), "head"))
        self.moved = NumberField("mm", low=0.1, high=200, step=1, decimals=1)
        self.turned = NumberField("°", low=0, high=45, step=1, decimals=0)
        self.rise = NumberField("%", low=0, high=500, step=5, decimals=0)
        usual = Limits()
        for field, value, name, tip in (
            (self.moved, usual.moved, tr("Move at most"), tr("How far the cut may move.")),
            (self.turned, usual.turned, tr("Turn at most"), tr("How far the cut may turn.")),
            (
                self.rise,
                100 * (usual.rise or 0.0),
                tr("Extra support allowed"),
                tr("How much more support is allowed."),
            ),
        ):
            field.set_value(value)
            field.setAccessibleName(name)
            field.setToolTip(tip)
        for field in (self.moved, self.turned, self.rise):
            field.setFixedWidth(64)
        self._turned_at_most = QWidget()
        beside = row(label(tr("turned")), self.turned)
        beside.setContentsMargins(0, 0, 0, 0)
        self._turned_at_most.setLayout(beside)
        inner.addLayout(row(label(tr("Move at most")), self.moved, self._turned_at_most, 1))
        inner.addLayout(row(label(tr("Extra support allowed")), self.rise, 1))
        self.settle = button(tr("Settle"), tr("Searches nearby for the place where the seam is least visible, and "
                                              "shows it before moving the cut."),
                             self._ask_settle)
        self.settle_all = button(
            tr("Settle all"),
            tr(
                "Searches, within these limits, for the places where the seams of all cuts together are least "
                "visible, and shows them before moving the cuts."
            ),
            self._ask_settle_all,
        )
        self.take = button(tr("Move there"), tr("Moves the cuts to the places that are shown."),
                           self._cutting.take_settled, role="main")
        self.leave = button(tr("Leave it"), tr("Leaves the cuts where they are."), self._cutting.drop_settled)
        self._settled = label("", "faint", wrap=True)
        inner.addLayout(row(self.settle, self.settle_all, 1))
        inner.addLayout(row(self.take, self.leave, 1))
        inner.addWidget(self._settled)
        column.addWidget(self._settle)

    # what the user does

    def _add(self, facing: Triple) -> None:
        state = self._state
        if not state.is_open:
            return
        normal = state.plan.tilt.rotation.T @ np.array(facing)
        along = state.model.solid.vertices @ (normal * state.plan.factors)
        low, high = float(along.min()), float(along.max())
        state.cutting.add((float(normal[0]), float(normal[1]), float(normal[2])), round((low + high) / 2, 2))

    def _rename(self) -> None:
        cut = self._state.cut
        if cut is not None and self.name.text().strip() and self.name.text().strip() != cut.name:
            self._cutting.change(tr("rename a cut"), name=self.name.text().strip()[:120])

    def _remove(self) -> None:
        if self._state.cut is not None:
            self._state.cutting.remove(self._state.cut.id)

    @property
    def _limits(self) -> Limits:
        return Limits(moved=self.moved.value, turned=self.turned.value, rise=self.rise.value / 100)

    def _ask_settle(self) -> None:
        self._cutting.settle(self._limits)

    def _ask_settle_all(self) -> None:
        self._cutting.settle_all(self._limits)

    def _type(self, field: Field, value: float) -> None:
        cut = self._state.cut
        if cut is not None:
            self._cutting.change(tr("change a cut"), **field.update(cut, value))

    # what is shown

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.is_open)
        cut = state.cut
        self._this.setVisible(cut is not None)
        if cut is None:
            return
        if not self.name.hasFocus():
            self.name.setText(cut.name)
        for kind, tools in self.tools.items():
            tools.setVisible(kind == cut.kind)
            if kind == cut.kind:
                tools.show_cut(cut)
        self._show_fields(cut)
        self.kerf.set_value(cut.kerf)
        self.crumbs.setCurrentIndex(list(_CRUMBS).index(cut.crumbs))
        self.reach.setCurrentIndex(list(_REACHES).index("all" if cut.reach is None else cut.reach.kind))
        self.reach.setToolTip(tr("Where the cut stops: it {words}.", words=reach_words(cut)))
        self.reach.setEnabled(on_desk(cut).boundable(cut))
        self.ends.setVisible(state.pointing.kind == "cut outline")
        self.as_mirror.setVisible(isinstance(cut, StraightCut))
        self._show_settled(cut)

    def _show_fields(self, cut: Cut) -> None:
        """Show the fields of the cut's kind. They are built again if the kind or its fields differ from before."""
        own, reach = on_desk(cut).fields(cut, self._state.box), reach_fields(cut)
        key = (cut.id, tuple(field.name for field in (*own, *reach)))
        if key != self._fields_for:
            self._fields_for = key
            emptied(self._own)
            emptied(self._reaches)
            self._fields = [*self._put(self._own, own), *self._put(self._reaches, reach)]
        for field, shown in self._fields:
            shown.set_value(round(field.value(cut), 1))

    def _put(self, grid: QGridLayout, fields: list[Field]) -> FieldsShown:
        return put_fields(grid, fields, self._type, 80, lambda field: 1 if field.unit else 0)

    def _show_settled(self, cut: Cut) -> None:
        can = cut is not None and cut.settles and not cut.bounded
        self._turned_at_most.setVisible(isinstance(cut, StraightCut))
        self._settle.setVisible(can)
        found, moves = self._cutting.settled, self._cutting.moves
        self.settle_all.setVisible(len(self._state.plan.recipe) > 1)
        self.take.setVisible(bool(moves))
        self.leave.setVisible(bool(moves))
        if found is None:
            self._settled.setText("")
        elif not moves:
            self._settled.setText(tr("Within these limits the seams cannot be hidden any better."))
        else:
            which = tr("{count} cuts move. ", count=len(moves)) if len(moves) > 1 else ""
            (sight, support), (sight_after, support_after) = found.before, found.after
            self._settled.setText(
                tr(
                    "{which}≈ Seam in sight {length} → {length2}, support {volume} → {volume2}.",
                    which=which,
                    length=text.mm(sight),
                    length2=text.mm(sight_after),
                    volume=text.volume(support),
                    volume2=text.volume(support_after),
                )
            )
