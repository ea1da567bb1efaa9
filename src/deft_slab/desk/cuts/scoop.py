"""The scoop in the window."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QComboBox

from ...core.arrays import Floats
from ...core.cuts import ScoopCut
from ...core.document.base import triple
from ...core.locale.translate import tr
from ..fields import Field, region_fields
from ..state.cuts import Cutting
from ..widgets.basics import row
from .context import CutContext
from .kind import Box, Parts, PlacedOnDesk, Tools

_ROUND = 48
_SHAPES = {"ball": tr("ball"), "round-ended": tr("round-ended sleeve")}
_MARGIN = Field(tr("Margin"), tr("How far the scoop goes around the region."), "mm", lambda cut: cut.margin,
                lambda cut, value: {"margin": value}, 1e-3, 1000)


class ScoopOnDesk(PlacedOnDesk[ScoopCut]):
    kind = "scoop"
    word = tr("Scoop")
    tip = tr("Cuts a dish or a sleeve around a feature. Click the feature.")
    rank = 5
    pointed = "cut scoop"

    def placed(self, ground: CutContext, at: Floats | None) -> ScoopCut:
        assert at is not None
        half = 0.08 * ground.diagonal
        return ScoopCut(**ground.named(self.word), centre=triple(at), half=(half, half, half))

    def fields(self, cut: ScoopCut, box: Box) -> list[Field]:
        return [_MARGIN, *region_fields()] if cut.region is not None else super().fields(cut, box)

    def outline(self, cut: ScoopCut, box: Box) -> Floats:
        return _great_circles(cut) if cut.region is None else np.empty((0, 2, 3))

    def grips(self, cut: ScoopCut, box: Box, seam: Floats) -> dict[str, Floats]:
        return super().grips(cut, box, seam) if cut.region is None else {}

    def tools(self, parts: Parts) -> ScoopTools:
        return ScoopTools(parts.cutting)


class ScoopTools(Tools[ScoopCut]):
    def __init__(self, cutting: Cutting) -> None:
        super().__init__()
        self.shape = QComboBox()
        for name, words in _SHAPES.items():
            self.shape.addItem(words, name)
        self.shape.setAccessibleName(tr("Shape of the scoop"))
        self.shape.setToolTip(tr("Changes between a dish and a sleeve with round ends."))
        self.shape.activated.connect(lambda n: cutting.change(tr("reshape a scoop"), shape=self.shape.itemData(n)))
        beside = row(self.shape)
        beside.setContentsMargins(0, 0, 0, 0)
        self.setLayout(beside)

    def show_cut(self, cut: ScoopCut) -> None:
        self.shape.setVisible(cut.shape != "region")
        self.shape.setCurrentIndex(max(self.shape.findData(cut.shape), 0))


def _great_circles(cut: ScoopCut) -> Floats:
    """Three great circles. Those of a scoop with round ends are drawn at its ends."""
    turn = np.linspace(0, 2 * np.pi, _ROUND + 1)
    half, found = np.array(cut.half), []
    for k in range(3):
        circle = np.zeros((_ROUND + 1, 3))
        circle[:, (k + 1) % 3], circle[:, (k + 2) % 3] = np.cos(turn), np.sin(turn)
        points = circle * half
        if cut.shape == "round-ended" and half[2] > min(half[:2]):
            end = float(min(half[:2]))
            points = circle * np.array([half[0], half[1], end])
            points[:, 2] += np.sign(circle[:, 2]) * (half[2] - end)
        points = np.array(cut.centre) + points @ cut.turn.rotation
        found.append(np.stack([points[:-1], points[1:]], axis=1))
    return np.concatenate(found)
