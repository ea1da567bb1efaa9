"""The patch cut in the window: what is marked for it, its border, which can be dragged, and its face."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QComboBox, QVBoxLayout

from ...core.arrays import Floats
from ...core.cuts import Move, PatchCut
from ...core.document.base import triple
from ...core.document.marks import Stroke
from ...core.locale.translate import tr
from ..fields import Field, Update
from ..state.marks import MEANINGS
from ..widgets.basics import button, label, row
from ..widgets.number import NumberField
from .context import CutContext
from .kind import Box, GripDrag, OnDesk, Parts, Tools

_GRIPS = 14
"""Places of the border that can be dragged."""
_FIRST = 0.4
"""Of how far a picked region goes otherwise, that of a new patch."""
_DEPTH = Field(tr("Depth"), tr("Less keeps the face near the patch, for a thinner piece. More goes deeper into the "
                               "body."), "%",
               lambda cut: 100 * cut.depth, lambda cut, value: {"depth": value / 100}, -90, 90, 10)
_FLAT = Field(tr("Flat middle"), tr("How much of the face is flat around its middle, so that the piece can lie on "
                                    "it."),
              "%", lambda cut: 100 * cut.flat, lambda cut, value: {"flat": value / 100}, 0, 90, 10)


class PatchOnDesk(OnDesk[PatchCut]):
    kind = "patch"
    word = tr("Patch")
    tip = tr("Cuts off what you mark, along a smooth face. Click a region of the surface, then mark more or less.")
    rank = 7
    pointed = "cut patch"

    def placed(self, ground: CutContext, at: Floats | None) -> PatchCut:
        assert at is not None
        region = ground.region_at(at)
        # a quarter of the model is no patch to begin with
        stroke = Stroke.of(region, reach=_FIRST * region.reach)
        # what its border shaves off beside the patch belongs to the body
        return PatchCut(**ground.named(self.word), strokes=(stroke,), crumbs="neighbour")

    def fields(self, cut: PatchCut, box: Box) -> list[Field]:
        return [_DEPTH, _FLAT]

    def outline(self, cut: PatchCut, box: Box) -> Floats:
        return np.empty((0, 2, 3))

    def grips(self, cut: PatchCut, box: Box, seam: Floats) -> dict[str, Floats]:
        return {f"border {n}": place for n, place in enumerate(_spread(seam.mean(axis=1), _GRIPS))}

    def pulled(self, cut: PatchCut, pull: GripDrag) -> Update:
        """Move the border to the place: what lies around its former position becomes marked up to there, or no
        longer marked.
        """
        reach = float(np.linalg.norm(pull.place - pull.start))
        if pull.facing is None or reach <= 0:
            return {}
        stroke = Stroke(
            shape="brush", places=(triple(pull.start),), facing=(triple(pull.facing),), reach=reach,
            erase=any(side.cut == cut.id and side.side == 1 for side in pull.sides),
        )
        before = cut.strokes
        if len(before) > 1 and before[-1].places == stroke.places:  # the same pull, a moment ago
            before = before[:-1]
        return {"strokes": (*before, stroke)}

    def tools(self, parts: Parts) -> PatchTools:
        return PatchTools(parts)


class PatchTools(Tools[PatchCut]):
    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self._desk, self._cutting, self._marker, self._pointing = (
            parts.desk, parts.cutting, parts.marker, parts.pointing
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.ways = {
            kind: button(words, tip, partial(self._begin, kind), checkable=True, role="small")
            for kind, words, tip in (
                ("cut brush", tr("Brush …"), tr("Adds what you drag over to the patch.")),
                (
                    "cut region",
                    tr("Region …"),
                    tr("Adds the smooth surface around a click, up to creases, to the patch."),
                ),
            )
        }
        self.less = button(tr("Rub out"), tr("Removes what you brush or click from the patch."), self._rub,
                           checkable=True, role="small")
        self.reach = NumberField.named("mm", tr("Size of the patch's brush"), tr("The radius of the brush."), low=0.1,
                                       high=1000,
                                       step=1)
        self.reach.committed.connect(lambda mm: self._marker.set(reach=mm))
        column.addLayout(row(*self.ways.values(), self.less, 1))
        self.marks = QComboBox()
        self.marks.setAccessibleName(tr("Marks that become the patch"))
        self.marks.setToolTip(tr("Makes what is marked in Tilt, on the page Faces, the patch."))
        self.marks.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.marks.activated.connect(self._take_marks)
        column.addLayout(row(label(tr("Brush size")), self.reach, 1))
        column.addLayout(row(label(tr("Use the marks")), self.marks, 1))
        column.addWidget(label(tr("Drag the dots on its border to move the border."), "faint", wrap=True))
        for signal in (self._pointing.changed, self._marker.changed):
            signal.connect(self._show_pointing)

    def _begin(self, kind: str) -> None:
        self._pointing.begin("" if self._pointing.kind == kind else kind)
        self._show_pointing()

    def _rub(self) -> None:
        self._marker.set(erase=self.less.isChecked())

    def _take_marks(self, place: int) -> None:
        meaning = self.marks.itemData(place)
        plan = self._desk.plan
        scale = Move(np.diag(plan.factors))
        strokes = tuple(
            Stroke.of(scale.region(mark)) for mark in plan.marks if mark.meaning == meaning
        )
        if strokes:
            self._cutting.change(tr("take marks as a patch"), strokes=strokes)

    def _show_pointing(self) -> None:
        for kind, way in self.ways.items():
            way.setChecked(self._pointing.kind == kind)
        self.less.setChecked(self._marker.erase)
        self.reach.set_value(self._marker.reach)

    def show_cut(self, cut: PatchCut) -> None:
        self._show_pointing()
        found = list(dict.fromkeys(mark.meaning for mark in self._desk.plan.marks))
        self.marks.clear()
        self.marks.addItem(tr("choose …") if found else tr("nothing yet"), "")
        for meaning in found:
            self.marks.addItem(tr("all {meanings}", meanings=MEANINGS[meaning][0]), meaning)
        self.marks.setEnabled(bool(found))


def _spread(points: Floats, count: int) -> Floats:
    """A selection (k, 3) of points (n, 3), each as far as possible from those before it."""
    if not len(points):
        return points
    chosen = [0]
    nearest = np.linalg.norm(points - points[0], axis=1)
    while len(chosen) < min(count, len(points)):
        chosen.append(int(np.argmax(nearest)))
        nearest = np.minimum(nearest, np.linalg.norm(points - points[chosen[-1]], axis=1))
    return np.asarray(points[chosen])
