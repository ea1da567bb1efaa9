"""The bent cut in the window."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.cuts import BentCut
from ...core.document.base import triple
from ...core.geometry.curves import rails, smooth_line
from ...core.locale.translate import tr
from ..fields import Field, Update
from ..state.snap_edges import Snapping
from ..widgets.basics import label, row
from ..widgets.number import NumberField
from .context import CutContext
from .kind import Box, GripDrag, OnDesk, Parts, Tools
from .outlines import ring

_SPLAY = Field(tr("Splay"), tr("How far the sheet leans away from the direction of view, along the whole line."), "°",
               lambda cut: cut.splay, lambda cut, value: {"splay": value}, -60, 60, 5)
_SMOOTH = Field(tr("Smooth"), tr("0 keeps the corners of the line, 100 rounds them the most."), "%",
                lambda cut: 100 * cut.smooth, lambda cut, value: {"smooth": value / 100}, 0, 100, 10)


class BentOnDesk(OnDesk[BentCut]):
    kind = "bent"
    word = tr("Bent")
    tip = tr("Adds a smooth sheet along a line that you click on the model. A loop cuts off a limb.")
    rank = 4
    pointed = "cut line"

    def placed(self, ground: CutContext, at: Floats | None) -> BentCut:
        """A bent cut along the line that was drawn, in the direction in which it was seen."""
        line = tuple(triple(point) for point in ground.line)
        return BentCut(**ground.named(self.word), line=line, closed=ground.closes, view=ground.view)

    def fields(self, cut: BentCut, box: Box) -> list[Field]:
        return [_SMOOTH] if cut.closed else [_SPLAY, _SMOOTH]

    def outline(self, cut: BentCut, box: Box) -> Floats:
        line, (low, high) = np.array(cut.line), box
        if cut.closed:
            return ring(smooth_line(line, cut.smooth, True))
        view, middle = np.array(cut.view), (low + high) / 2
        depth = 0.5 * float(np.abs((high - low) * np.abs(view)).sum())
        at = float((middle - line.mean(axis=0)) @ view)
        own, front, back = rails(line, view, cut.smooth, cut.splay, np.array([at - depth, at + depth]))
        along = [np.stack([one[:-1], one[1:]], axis=1) for one in (front, back, own)]
        few = np.linspace(0, len(front) - 1, len(line)).round().astype(int)
        return np.concatenate([*along, np.stack([front[few], back[few]], axis=1)])

    def grips(self, cut: BentCut, box: Box, seam: Floats) -> dict[str, Floats]:
        return {f"point {n}": np.array(point) for n, point in enumerate(cut.line)}

    def pulled(self, cut: BentCut, pull: GripDrag) -> Update:
        number = int(pull.grip.split()[1])
        return {"line": (*cut.line[:number], triple(pull.place), *cut.line[number + 1 :])}

    def boundable(self, cut: BentCut) -> bool:
        return not cut.closed

    def tools(self, parts: Parts) -> BentTools:
        return BentTools(parts.snapping)


class BentTools(Tools[BentCut]):
    def __init__(self, snapping: Snapping) -> None:
        super().__init__()
        self._snapping = snapping
        self.snap = NumberField("mm", low=0, high=100, step=0.5, decimals=1)
        self.snap.setAccessibleName(tr("Snap to creases within"))
        self.snap.setToolTip(tr("How close a point of the line must be to a crease (teal) to snap to it. 0 means "
                                "never."))
        self.snap.setFixedWidth(70)
        self.snap.committed.connect(snapping.set_reach)
        beside = row(label(tr("Snap to creases within")), self.snap, 1)
        beside.setContentsMargins(0, 0, 0, 0)
        self.setLayout(beside)

    def show_cut(self, cut: BentCut) -> None:
        self.snap.set_value(self._snapping.reach)
