"""This cut: its place, kerf, crumbs and reach; its sweep; settling its seam."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QSlider, QVBoxLayout, QWidget

from ....core.cuts import BentCut, BlockCut, Cut, ScoopCut, StraightCut
from ....core.search.found import Limits
from ....core.tilt import turned_box
from ...look import palette
from ...state import DeskState
from ...widgets import text
from ...widgets.charts import AngleMap, Curve, SweepChart
from ...widgets.number import NumberField
from ...widgets.parts import Panel, button, emptied, label, row
from .fields import (
    Field,
    fields_of,
    from_angles,
    reach_fields,
    reach_words,
    staggered,
    to_angles,
)

Triple = tuple[float, float, float]
FACINGS: tuple[tuple[str, Triple, str], ...] = (
    ("Level", (0.0, 0.0, 1.0), "an upper and a lower piece"),
    ("Left and right", (1.0, 0.0, 0.0), "a left and a right piece"),
    ("Front and back", (0.0, 1.0, 0.0), "a front and a back piece"),
)
_CRUMBS = {"keep": "keep as pieces", "neighbour": "give to the neighbour", "drop": "set aside"}
_REACHES = {
    "all": "through everything", "piece": "only the chosen piece", "box": "within a box", "region": "around a region …",
    "outline": "within an outline …",
}  # fmt: skip
_SCOOPS = {"ball": "ball", "round-ended": "round-ended sleeve"}


class ThisCutPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._cutting = state, state.cutting
        self._fields: list[tuple[Field, NumberField]] = []
        self._fields_for: object = None
        self.head("Add a straight cut")
        self.adds = {
            name: button(
                name, f"Adds a straight cut through the middle: {gives}.", partial(self._add, normal), role="small"
            )
            for name, normal, gives in FACINGS
        }
        self.add(row(*self.adds.values(), 1))
        self.halves = button("Its symmetry", "Adds a cut that leaves two halves alike, if it has such a plane.",
                             self._cutting.cut_at_mirror, role="small")  # fmt: skip
        self.three = button("By 3 points …", "Adds a cut through three points that you click.",
                            partial(state.pointing.begin, "cut three"), role="small")  # fmt: skip
        self.facet = button("Along a facet …", "Adds a cut in the plane of a facet that you click.",
                            partial(state.pointing.begin, "cut facet"), role="small")  # fmt: skip
        self.edge = button("Along an edge …", "Adds a cut in the plane of an edge that goes around: a rim or a groove.",
                           partial(state.pointing.begin, "cut edge"), role="small")  # fmt: skip
        self.add(row(self.halves, self.three, 1))
        self.add(row(self.facet, self.edge, 1))
        self._begin = label(
            "Other kinds are on the left, under the list of cuts. A cut parts everything it meets.",
            "faint", wrap=True,
        )  # fmt: skip
        self.add(self._begin)
        self._this = QWidget()
        self._fill_this()
        self.add(self._this)
        self.column.addStretch(1)
        for signal in (state.outcome_changed, state.project_changed, state.selection_changed, state.live_changed,
                       self._cutting.changed):  # fmt: skip
            signal.connect(self.refresh)
        self.refresh()

    def _fill_this(self) -> None:
        column = QVBoxLayout(self._this)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("This cut", "head"))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the cut")
        self.name.setToolTip("A name to know the cut by.")
        self.name.editingFinished.connect(self._rename)
        column.addWidget(self.name)
        self._straight = QWidget()
        self._fill_straight()
        column.addWidget(self._straight)
        self._own = QGridLayout()
        self._own.setSpacing(4)
        column.addLayout(self._own)
        self.scoop = QComboBox()
        for name, words in _SCOOPS.items():
            self.scoop.addItem(words, name)
        self.scoop.setAccessibleName("Shape of the scoop")
        self.scoop.setToolTip("A dish, or a sleeve with round ends.")
        self.scoop.activated.connect(lambda n: self._cutting.change("reshape a scoop", shape=self.scoop.itemData(n)))
        column.addWidget(self.scoop)
        self.for_bed = button(
            "Cells for the bed", "As many equal cells along the model's own axes as the printer needs.",
            self._cells_for_bed,
        )  # fmt: skip
        self.stagger = button("Stagger", "Moves the walls across Y half a cell on in every second slab, as bricks lie.",
                              self._stagger)  # fmt: skip
        self._for_block = QWidget()
        beside = row(self.for_bed, self.stagger, 1)
        beside.setContentsMargins(0, 0, 0, 0)
        self._for_block.setLayout(beside)
        column.addWidget(self._for_block)
        self.snap = NumberField("mm", low=0, high=100, step=0.5, decimals=1)
        self.snap.setAccessibleName("Snap to creases within")
        self.snap.setToolTip("How near to a crease (teal) a point of the line must be to go to it. 0: never.")
        self.snap.setFixedWidth(70)
        self.snap.committed.connect(self._state.placing.set_snap)
        self._snapping = QWidget()
        beside = row(label("Snap to creases within"), self.snap, 1)
        beside.setContentsMargins(0, 0, 0, 0)
        self._snapping.setLayout(beside)
        column.addWidget(self._snapping)
        self.kerf = NumberField("mm", low=0, high=50, step=0.1, decimals=2)
        self.kerf.setAccessibleName("Kerf")
        self.kerf.setToolTip("Thickness of the material that the cut removes.")
        self.kerf.committed.connect(lambda value: self._cutting.change("change a kerf", kerf=value))
        self.crumbs = QComboBox()
        for name, words in _CRUMBS.items():
            self.crumbs.addItem(words, name)
        self.crumbs.setAccessibleName("Crumbs")
        self.crumbs.setToolTip("What becomes of stray fragments under 1 % and 20 mm across that the cut leaves.")
        self.crumbs.activated.connect(
            lambda n: self._cutting.change("deal with crumbs", crumbs=self.crumbs.itemData(n))
        )
        self.kerf.setFixedWidth(70)
        self.crumbs.setMinimumWidth(60)
        column.addLayout(row(label("Kerf"), self.kerf, label("Crumbs"), self.crumbs, 1))
        self.reach = QComboBox()
        for name, words in _REACHES.items():
            self.reach.addItem(words, name)
        self.reach.setAccessibleName("Reach")
        self.reach.setToolTip("Where the cut stops, so that it takes one thing and leaves another alone.")
        self.reach.activated.connect(lambda n: self._state.placing.bound(self.reach.itemData(n)))
        self.ends = button("Done", "Bounds the cut by the outline that you clicked.", self._state.placing.end_outline,
                           role="small")  # fmt: skip
        column.addLayout(row(label("Reach"), self.reach, self.ends, 1))
        self._reaches = QGridLayout()
        self._reaches.setSpacing(4)
        column.addLayout(self._reaches)
        self.copy = button("Copy", "Adds this cut once more.", self._cutting.copy, role="small")
        self.mirror = button("Mirror", "Adds its mirror image at the model's plane of symmetry.",
                             self._cutting.mirror_cut, role="small")  # fmt: skip
        self.as_mirror = button("Mirror here", "Takes the plane of this cut as the one that is mirrored at.",
                                self._cutting.set_mirror, role="small")  # fmt: skip
        self.remove = button("Remove", "Takes the cut out of the plan; pieces grow together again.", self._remove,
                             role="small")  # fmt: skip
        column.addLayout(row(self.copy, self.mirror, self.as_mirror, self.remove, 1))
        self._fill_settle(column)

    def _fill_straight(self) -> None:
        column = QVBoxLayout(self._straight)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.chart = SweepChart()
        self.chart.moved.connect(self._try_offset)
        self.chart.released.connect(lambda: self._state.settle("move a cut"))
        self.chart.hovered.connect(self._on_hovered)
        column.addWidget(self.chart)
        self._here = label("", "faint", wrap=True)
        column.addWidget(self._here)
        self.place = NumberField("mm", low=-1e5, high=1e5, step=1.0, decimals=2)
        self.place.setAccessibleName("Place")
        self.place.setToolTip("Distance from where the cut would first touch the model.")
        self.place.committed.connect(self._set_place)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 1000)
        self.slider.setAccessibleName("Place along the model")
        self.slider.setToolTip("Slide the cut through the model; figures follow.")
        self.slider.sliderMoved.connect(self._slide)
        self.slider.sliderReleased.connect(lambda: self._state.settle("move a cut"))
        self.slider.actionTriggered.connect(self._slider_stepped)
        self.share = NumberField("%", low=0, high=100, step=1, decimals=1)
        self.share.setAccessibleName("Place in percent")
        self.share.setToolTip("The same as a share of the way through the model.")
        self.share.committed.connect(self._set_share)
        column.addLayout(row(label("Place"), self.slider, self.share, self.place))
        self.lean = NumberField("°", low=0, high=180, step=5, decimals=1)
        self.lean.setAccessibleName("Lean")
        self.lean.setToolTip("0° is a level cut, 90° an upright one.")
        self.lean.committed.connect(lambda _: self._set_angles())
        self.facing = NumberField("°", low=-360, high=360, step=5, decimals=1)
        self.facing.setAccessibleName("Facing")
        self.facing.setToolTip("The way an upright or leaning cut faces, counted from the bed's width.")
        self.facing.committed.connect(lambda _: self._set_angles())
        self.middle = button(
            "To the middle", "Moves the cut to the middle of the model along its direction.", self._to_middle,
            role="small",
        )  # fmt: skip
        for field in (self.place, self.lean, self.facing):
            field.setFixedWidth(86)
        self.share.setFixedWidth(70)
        column.addLayout(row(label("Lean"), self.lean, label("Facing"), self.facing, 1))
        self.turn = button("Turn it …", "Maps the support against two turns of this cut; click in the map to turn it.",
                           self._cutting.ask_turned, role="small")  # fmt: skip
        column.addLayout(row(self.middle, self.turn, 1))
        self.angles = AngleMap()
        self.angles.chosen.connect(self._cutting.take_turned)
        self.angles.hovered.connect(self._say_angles)
        self._angle = label("", "faint", wrap=True)
        self._turning = QWidget()
        across = row(self.angles)
        across.addWidget(self._angle, 1)
        across.setContentsMargins(0, 0, 0, 0)
        self._turning.setLayout(across)
        column.addWidget(self._turning)

    def _fill_settle(self, column: QVBoxLayout) -> None:
        self._settle = QWidget()
        inner = QVBoxLayout(self._settle)
        inner.setContentsMargins(0, 4, 0, 0)
        inner.setSpacing(6)
        inner.addWidget(label("Settle the seam where it is seen least", "head"))
        self.moved = NumberField("mm", low=0.1, high=200, step=1, decimals=1)
        self.turned = NumberField("°", low=0, high=45, step=1, decimals=0)
        self.rise = NumberField("%", low=0, high=500, step=5, decimals=0)
        usual = Limits()
        for field, value, name, tip in (
            (self.moved, usual.moved, "Moved at most", "How far it may move."),
            (self.turned, usual.turned, "Turned at most", "How far it may turn."),
            (self.rise, 100 * usual.rise, "Support may rise by", "How much more support is allowed for it."),
        ):
            field.set_value(value)
            field.setAccessibleName(name)
            field.setToolTip(tip)
        for field in (self.moved, self.turned, self.rise):
            field.setFixedWidth(64)
        self._turned_at_most = QWidget()
        beside = row(label("turned"), self.turned)
        beside.setContentsMargins(0, 0, 0, 0)
        self._turned_at_most.setLayout(beside)
        inner.addLayout(row(label("Moved at most"), self.moved, self._turned_at_most, 1))
        inner.addLayout(row(label("Support may rise by"), self.rise, 1))
        self.settle = button("Settle", "Looks for the place nearby where the seam is least seen; shows it first.",
                             self._ask_settle)  # fmt: skip
        self.take = button("Move it there", "Moves the cut to where it would settle.", self._cutting.take_settled,
                           role="main")  # fmt: skip
        self.leave = button("Leave it", "Leaves the cut where it is.", self._cutting.drop_settled)
        self._settled = label("", "faint", wrap=True)
        inner.addLayout(row(self.settle, self.take, self.leave, 1))
        inner.addWidget(self._settled)
        column.addWidget(self._settle)

    # what the user does

    def _add(self, facing: Triple) -> None:
        state = self._state
        if state.plan is None:
            return
        normal = state.plan.tilt.rotation.T @ np.array(facing)
        low, high = self._extent(normal)
        state.add_cut((float(normal[0]), float(normal[1]), float(normal[2])), round((low + high) / 2, 2))

    def _extent(self, normal: np.ndarray) -> tuple[float, float]:
        """Where a plane of this normal first and last touches the model, mm."""
        along = self._state.model.solid.vertices @ (normal * self._state.plan.factors)
        return float(along.min()), float(along.max())

    @property
    def _cut(self) -> StraightCut | None:
        cut = self._state.cut
        return cut if isinstance(cut, StraightCut) else None

    def _try_offset(self, offset: float) -> None:
        if self._cut is not None:
            self._state.try_cut(self._cut.id, offset=round(offset, 2))

    def _set_place(self, place: float) -> None:
        if self._cut is not None:
            low, _ = self._extent(np.array(self._cut.normal))
            self._cutting.change("move a cut", offset=low + place)

    def _slide(self, tick: int) -> None:
        if self._cut is not None:
            low, high = self._extent(np.array(self._cut.normal))
            self._try_offset(low + (high - low) * tick / 1000)

    def _slider_stepped(self, _action: int) -> None:
        if not self.slider.isSliderDown():  # by key or by a click beside the handle
            self._slide(self.slider.sliderPosition())
            self._state.settle("move a cut")

    def _set_share(self, percent: float) -> None:
        if self._cut is not None:
            low, high = self._extent(np.array(self._cut.normal))
            self._cutting.change("move a cut", offset=low + percent / 100 * (high - low))

    def _set_angles(self) -> None:
        cut = self._cut
        if cut is None:
            return
        old, rotation = np.array(cut.normal), self._state.plan.tilt.rotation
        normal = rotation.T @ from_angles(self.lean.value, self.facing.value)
        # it turns about its own middle
        before, after = self._extent(old), self._extent(normal)
        share = (cut.offset - before[0]) / max(before[1] - before[0], 1e-9)
        offset = after[0] + share * (after[1] - after[0])
        self._cutting.change("turn a cut", normal=tuple(normal.tolist()), offset=offset)

    def _to_middle(self) -> None:
        if self._cut is not None:
            low, high = self._extent(np.array(self._cut.normal))
            self._cutting.change("move a cut", offset=(low + high) / 2)

    def _rename(self) -> None:
        cut = self._state.cut
        if cut is not None and self.name.text().strip() and self.name.text().strip() != cut.name:
            self._cutting.change("rename a cut", name=self.name.text().strip()[:120])

    def _remove(self) -> None:
        if self._state.cut is not None:
            self._state.remove_cut(self._state.cut.id)

    def _cells_for_bed(self) -> None:
        block = self._state.placing.block_for_bed()
        self._cutting.change("make cells for the bed", turn=block.turn, x=block.x, y=block.y, z=block.z)

    def _stagger(self) -> None:
        """T-junctions instead of crossings, which hold better when they are glued."""
        cut = self._state.cut
        low, high = turned_box(*self._state.placing.box, cut.turn.rotation)
        self._cutting.change("stagger the cells", y=staggered(cut, float(low[1]), float(high[1])))

    def _ask_settle(self) -> None:
        self._cutting.settle(
            Limits(moved=self.moved.value, turned=self.turned.value, rise=self.rise.value / 100)
        )  # fmt: skip

    def _type(self, field: Field, value: float) -> None:
        cut = self._state.cut
        if cut is not None:
            self._cutting.change("change a cut", **field.update(cut, value))

    def _on_hovered(self, words: str) -> None:
        self._here.setText(words or self._sweep_words())

    # what is shown

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.model is not None)
        cut = state.cut
        self._this.setVisible(cut is not None)
        if cut is None:
            return
        if not self.name.hasFocus():
            self.name.setText(cut.name)
        self._straight.setVisible(isinstance(cut, StraightCut))
        if isinstance(cut, StraightCut):
            self._show_straight(cut)
        self._show_fields(cut)
        self.scoop.setVisible(isinstance(cut, ScoopCut) and cut.shape != "region")
        if isinstance(cut, ScoopCut):
            self.scoop.setCurrentIndex(max(self.scoop.findData(cut.shape), 0))
        self._for_block.setVisible(isinstance(cut, BlockCut))
        self.stagger.setEnabled(isinstance(cut, BlockCut) and len(cut.x) > 0 and len(cut.y) == 1 and len(cut.y[0]) > 0)
        self._snapping.setVisible(isinstance(cut, BentCut))
        self.snap.set_value(self._state.placing.snap)
        self.kerf.set_value(cut.kerf)
        self.crumbs.setCurrentIndex(list(_CRUMBS).index(cut.crumbs))
        self.reach.setCurrentIndex(list(_REACHES).index("all" if cut.reach is None else cut.reach.kind))
        self.reach.setToolTip(f"Where the cut stops: it {reach_words(cut)}.")
        self.reach.setEnabled(cut.kind != "bodies" and not (isinstance(cut, BentCut) and cut.closed))
        self.ends.setVisible(state.pointing.kind == "cut outline")
        self.as_mirror.setVisible(isinstance(cut, StraightCut))
        self._show_settled(cut)

    def _show_straight(self, cut: StraightCut) -> None:
        normal = np.array(cut.normal)
        low, high = self._extent(normal)
        self.place.set_value(round(cut.offset - low, 2))
        self.share.set_value(round(100 * (cut.offset - low) / max(high - low, 1e-9), 1))
        if not self.slider.isSliderDown():
            self.slider.setValue(round(1000 * (cut.offset - low) / max(high - low, 1e-9)))
        lean, facing = to_angles(self._state.plan.tilt.rotation @ normal)
        self.lean.set_value(round(lean, 1))
        self.facing.set_value(round(facing, 1))
        sweep = self._cutting.sweep
        if sweep is None:
            self.chart.show_sweep(np.empty(0), 0.0, (), (), np.empty(0))
        else:
            curves = (
                Curve("support", sweep.support, palette.SUPPORT, text.volume),
                Curve("seen", sweep.sight, palette.FAINT, text.mm, dashed=True),
                Curve("cut", sweep.area, palette.TEAL, text.area),
                Curve("longest side", sweep.largest, palette.AMBER, text.mm, dashed=True),
            )
            self.chart.show_sweep(sweep.offsets, cut.offset, curves, sweep.valleys, ~sweep.fits)
        self._here.setText(self._sweep_words())
        self._show_angles()

    def _say_angles(self, words: str) -> None:
        self._angle.setText(words or "Support by two turns of this cut, up to 30° each way. Cross: as it is.")

    def _show_angles(self) -> None:
        found = self._cutting.turned
        self._turning.setVisible(found is not None)
        if found is None:
            return

        def said(n: int, k: int) -> str:
            support, sight = text.volume(float(found.support[n, k])), text.mm(float(found.sight[n, k]))
            turns = f"{found.degrees[n]:+.0f}°, {found.degrees[k]:+.0f}°"
            return f"{turns}: ≈ support {support}, seam in sight {sight}."

        self.angles.show_angles(found.degrees, found.price, said)
        self._say_angles("")

    def _sweep_words(self) -> str:
        sweep, cut = self._cutting.sweep, self._cut
        if sweep is None or cut is None:
            return ""
        k = int(np.argmin(np.abs(sweep.offsets - cut.offset)))
        fits = "both fit" if sweep.fits[k] else "a side does not fit"
        return (
            f"≈ Longest side {text.mm(float(sweep.largest[k]))}, {fits}. ▾ best places along this direction; "
            "amber foot: a side does not fit."
        )

    def _show_fields(self, cut: Cut) -> None:
        """The fields of the kind; made anew when the kind is another, or has other fields."""
        own, reach = fields_of(cut, self._state.placing.box), reach_fields(cut)
        key = (cut.id, tuple(field.name for field in (*own, *reach)))
        if key != self._fields_for:
            self._fields_for = key
            emptied(self._own)
            emptied(self._reaches)
            self._fields = [*self._put(self._own, own), *self._put(self._reaches, reach)]
        for field, shown in self._fields:
            shown.set_value(round(field.value(cut), 1))

    def _put(self, grid: QGridLayout, fields: list[Field]) -> list[tuple[Field, NumberField]]:
        found = []
        for n, field in enumerate(fields):
            shown = NumberField(
                field.unit, low=field.low, high=field.high, step=field.step, decimals=1 if field.unit else 0
            )
            shown.setAccessibleName(field.name)
            shown.setToolTip(field.tip)
            shown.setFixedWidth(80)
            shown.committed.connect(partial(self._type, field))
            grid.addWidget(label(field.name, "faint"), n // 2, 2 * (n % 2))
            grid.addWidget(shown, n // 2, 2 * (n % 2) + 1)
            found.append((field, shown))
        return found

    def _show_settled(self, cut: Cut) -> None:
        can = cut is not None and cut.settles and (cut.reach is None or cut.reach.kind == "piece")
        self._turned_at_most.setVisible(isinstance(cut, StraightCut))
        self._settle.setVisible(can)
        found = self._cutting.settled
        offers = found is not None and found.cut.id == cut.id and found.cut != cut
        self.take.setVisible(offers)
        self.leave.setVisible(offers)
        if found is None or found.cut.id != cut.id:
            self._settled.setText("")
        elif not offers:
            self._settled.setText("It lies where it is seen least already, within these limits.")
        else:
            (sight, support), (sight_after, support_after) = found.before, found.after
            self._settled.setText(
                f"≈ Seam in sight {text.mm(sight)} → {text.mm(sight_after)}, support {text.volume(support)} → "
                f"{text.volume(support_after)}."
            )
