"""The straight cut in the window: its place and angles, the sweep along its direction, and the map of two angles."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSlider, QVBoxLayout, QWidget

from ...core.arrays import Floats
from ...core.cuts import StraightCut
from ...core.document.base import triple
from ...core.locale import text
from ...core.locale.translate import tr, tr_in
from ..fields import Field
from ..look import palette
from ..state.cut_search import CutSearch
from ..state.cuts import Cutting
from ..state.desk import Desk
from ..widgets.basics import button, label, row
from ..widgets.charts import AngleMap, Curve, SweepChart
from ..widgets.number import NumberField
from .context import CutContext
from .kind import Box, OnDesk, Parts, Tools


class StraightOnDesk(OnDesk[StraightCut]):
    kind = "straight"
    word = tr("Straight")
    tip = tr("Adds a flat cut through the middle. Move it by its handles or by typing figures.")
    rank = 1

    def placed(self, ground: CutContext, at: Floats | None) -> StraightCut:
        low, high = ground.box
        normal = ground.upward
        offset = float(normal @ (low + high) / 2)
        return StraightCut(**ground.named(self.word), normal=triple(normal), offset=offset)

    def fields(self, cut: StraightCut, box: Box) -> list[Field]:
        return []

    def outline(self, cut: StraightCut, box: Box) -> Floats:
        return np.empty((0, 2, 3))

    def tools(self, parts: Parts) -> StraightTools:
        return StraightTools(parts.desk, parts.cutting, parts.search)


class StraightTools(Tools[StraightCut]):
    def __init__(self, desk: Desk, cutting: Cutting, search: CutSearch) -> None:
        super().__init__()
        self._desk, self._cutting, self._search = desk, cutting, search
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.chart = SweepChart()
        self.chart.moved.connect(self._try_offset)
        self.chart.released.connect(lambda: self._desk.settle(tr("move a cut")))
        self.chart.hovered.connect(self._on_hovered)
        column.addWidget(self.chart)
        self._here = label("", "faint", wrap=True)
        column.addWidget(self._here)
        self.place = NumberField("mm", low=-1e5, high=1e5, step=1.0, decimals=2)
        self.place.setAccessibleName(tr("Place"))
        self.place.setToolTip(tr("The distance from where the cut would first touch the model."))
        self.place.committed.connect(self._set_place)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 1000)
        self.slider.setAccessibleName(tr("Place along the model"))
        self.slider.setToolTip(tr("Slides the cut through the model while the figures follow."))
        self.slider.sliderMoved.connect(self._slide)
        self.slider.sliderReleased.connect(lambda: self._desk.settle(tr("move a cut")))
        self.slider.actionTriggered.connect(self._slider_stepped)
        self.share = NumberField("%", low=0, high=100, step=1, decimals=1)
        self.share.setAccessibleName(tr("Place in percent"))
        self.share.setToolTip(tr("The place as a share of the distance through the model."))
        self.share.committed.connect(self._set_share)
        column.addLayout(row(label(tr("Place")), self.slider, self.share, self.place))
        self.lean = NumberField("°", low=0, high=180, step=5, decimals=1)
        self.lean.setAccessibleName(tr("Lean"))
        self.lean.setToolTip(tr("0° is a level cut, 90° an upright one."))
        self.lean.committed.connect(lambda _: self._set_angles())
        self.facing = NumberField("°", low=-360, high=360, step=5, decimals=1)
        self.facing.setAccessibleName(tr("Facing"))
        self.facing.setToolTip(tr("The compass direction that an upright or leaning cut faces, counted from the "
                                  "width of the bed."))
        self.facing.committed.connect(lambda _: self._set_angles())
        self.middle = button(
            tr("Move to the middle"), tr("Moves the cut to the middle of the model along its "
                                         "direction."), self._to_middle,
            role="small",
        )
        for field in (self.place, self.lean, self.facing):
            field.setFixedWidth(86)
        self.share.setFixedWidth(70)
        column.addLayout(row(label(tr("Lean")), self.lean, label(tr("Facing")), self.facing, 1))
        self.turn = button(
            tr("Turn it …"),
            tr("Maps the support against two rotations of this cut. Click in the map to turn the cut."),
            self._search.ask_turned,
            role="small",
        )
        column.addLayout(row(self.middle, self.turn, 1))
        self.angles = AngleMap()
        self.angles.chosen.connect(self._search.take_turned)
        self.angles.hovered.connect(self._say_angles)
        self._angle = label("", "faint", wrap=True)
        self._turning = QWidget()
        across = row(self.angles)
        across.addWidget(self._angle, 1)
        across.setContentsMargins(0, 0, 0, 0)
        self._turning.setLayout(across)
        column.addWidget(self._turning)

    # what the user does

    @property
    def _cut(self) -> StraightCut | None:
        cut = self._desk.cut
        return cut if isinstance(cut, StraightCut) else None

    def _extent(self, normal: np.ndarray) -> tuple[float, float]:
        """Where a plane of this normal first and last touches the model, in mm."""
        along = self._desk.model.solid.vertices @ (normal * self._desk.plan.factors)
        return float(along.min()), float(along.max())

    def _try_offset(self, offset: float) -> None:
        if self._cut is not None:
            self._cutting.try_change(offset=round(offset, 2))

    def _set_place(self, place: float) -> None:
        if self._cut is not None:
            low, _ = self._extent(np.array(self._cut.normal))
            self._cutting.change(tr("move a cut"), offset=low + place)

    def _slide(self, tick: int) -> None:
        if self._cut is not None:
            low, high = self._extent(np.array(self._cut.normal))
            self._try_offset(low + (high - low) * tick / 1000)

    def _slider_stepped(self, _action: int) -> None:
        if not self.slider.isSliderDown():  # by key or by a click beside the handle
            self._slide(self.slider.sliderPosition())
            self._desk.settle(tr("move a cut"))

    def _set_share(self, percent: float) -> None:
        if self._cut is not None:
            low, high = self._extent(np.array(self._cut.normal))
            self._cutting.change(tr("move a cut"), offset=low + percent / 100 * (high - low))

    def _set_angles(self) -> None:
        cut = self._cut
        if cut is None:
            return
        old, rotation = np.array(cut.normal), self._desk.plan.tilt.rotation
        normal = rotation.T @ from_angles(self.lean.value, self.facing.value)
        # it turns about its own middle
        before, after = self._extent(old), self._extent(normal)
        share = (cut.offset - before[0]) / max(before[1] - before[0], 1e-9)
        offset = after[0] + share * (after[1] - after[0])
        self._cutting.change(tr("turn a cut"), normal=tuple(normal.tolist()), offset=offset)

    def _to_middle(self) -> None:
        if self._cut is not None:
            low, high = self._extent(np.array(self._cut.normal))
            self._cutting.change(tr("move a cut"), offset=(low + high) / 2)

    def _on_hovered(self, words: str) -> None:
        self._here.setText(words or self._sweep_words())

    # what is shown

    def show_cut(self, cut: StraightCut) -> None:
        normal = np.array(cut.normal)
        low, high = self._extent(normal)
        self.place.set_value(round(cut.offset - low, 2))
        self.share.set_value(round(100 * (cut.offset - low) / max(high - low, 1e-9), 1))
        if not self.slider.isSliderDown():
            self.slider.setValue(round(1000 * (cut.offset - low) / max(high - low, 1e-9)))
        lean, facing = to_angles(self._desk.plan.tilt.rotation @ normal)
        self.lean.set_value(round(lean, 1))
        self.facing.set_value(round(facing, 1))
        sweep = self._search.sweep
        if sweep is None:
            self.chart.show_sweep(np.empty(0), 0.0, (), (), np.empty(0, np.bool_))
        else:
            curves = (
                Curve(tr("support"), sweep.support, palette.SUPPORT, text.volume),
                Curve(tr("seen"), sweep.sight, palette.FAINT, text.mm, dashed=True),
                Curve(tr_in("its area", "cut"), sweep.area, palette.TEAL, text.area),
                Curve(tr("longest side"), sweep.largest, palette.AMBER, text.mm, dashed=True),
            )
            self.chart.show_sweep(sweep.offsets, cut.offset, curves, sweep.valleys, ~sweep.fits)
        self._here.setText(self._sweep_words())
        self._show_angles()

    def _say_angles(self, words: str) -> None:
        self._angle.setText(words or tr("Support for two rotations of this cut, up to 30° each way. The cross is "
                                        "the present cut."))

    def _show_angles(self) -> None:
        found = self._search.turned
        self._turning.setVisible(found is not None)
        if found is None:
            return

        def said(n: int, k: int) -> str:
            support, sight = text.volume(float(found.support[n, k])), text.mm(float(found.sight[n, k]))
            turns = f"{found.degrees[n]:+.0f}°, {found.degrees[k]:+.0f}°"
            return tr("{turns}: ≈ support {support}, seam in sight {sight}.", turns=turns, support=support, sight=sight)

        self.angles.show_angles(found.degrees, found.support, said)
        self._say_angles("")

    def _sweep_words(self) -> str:
        sweep, cut = self._search.sweep, self._cut
        if sweep is None or cut is None:
            return ""
        k = int(np.argmin(np.abs(sweep.offsets - cut.offset)))
        fits = tr("both fit") if sweep.fits[k] else tr("a side does not fit")
        return tr(
            "≈ Longest side {length}, {fits}. ▾ marks the best places along this direction. Where the foot of the "
            "chart is amber, a side does not fit.",
            length=text.mm(float(sweep.largest[k])),
            fits=fits,
        )


def to_angles(normal: Floats) -> tuple[float, float]:
    """The lean and facing in degrees of a unit normal in the bed frame. A lean of 0 is a level cut, 90 an upright
    one; facing is the compass direction of the normal, counter-clockwise from +X.
    """
    lean = math.degrees(math.acos(max(-1.0, min(1.0, float(normal[2])))))
    facing = math.degrees(math.atan2(float(normal[1]), float(normal[0]))) if lean > 1e-6 else 0.0
    return lean, facing


def from_angles(lean: float, facing: float) -> Floats:
    """The unit normal in the bed frame for the angles of ``to_angles``."""
    a, b = math.radians(lean), math.radians(facing)
    return np.array([math.sin(a) * math.cos(b), math.sin(a) * math.sin(b), math.cos(a)])
