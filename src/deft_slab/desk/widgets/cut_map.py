"""The cut map: a disc of the directions that a straight cut can face, coloured by the best that any place along each
achieves.

The middle is a level cut, the rim an upright one. Opposite points of the rim are the same cut.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter

from ...core.arrays import Floats, Floats32
from ...core.locale.translate import tr, tr_in
from .disc import DirectionDisc, from_disc, to_disc


@dataclass(frozen=True, eq=False)
class CutsShown:
    """What the map shows.

    Attributes
    ----------
    middle : (3, 3) float64
        The rotation that turns the normal of a level cut to -z.
    directions : (n, 3) float64
        The normals that were evaluated.
    values : (n,) float64
        0 is best.
    now : (3,) float64
        The normal of the selected cut.
    """

    middle: Floats
    directions: Floats
    values: Floats
    now: Floats | None


class CutDisc(DirectionDisc[CutsShown]):
    def __init__(self) -> None:
        super().__init__(
            tr("Cut map"), tr("Each point is a direction that a straight cut can face. Click, or use the arrow "
                              "keys and Enter, to cut there."),
            tr("Searching all directions of a cut …"), 156,
        )

    def _flat(self, directions: Floats) -> Floats:
        """Project the directions. Half of the sphere fills the whole disc, so radii grow by a factor of the square
        root of two.
        """
        upper = np.where(directions[:, 2:] > 0, -directions, directions)
        return np.asarray(to_disc(upper) * np.sqrt(2.0))

    def _round(self, points: Floats) -> Floats:
        return from_disc(points / np.sqrt(2.0))

    def _nearness(self, points: Floats, directions: Floats) -> Floats32:
        return np.abs(super()._nearness(points, directions))

    def _marked(self, shown: CutsShown) -> tuple[Floats, ...]:
        return ()

    def _paint_ways(self, painter: QPainter, centre: QPointF, radius: float) -> None:
        self._small(painter)
        self._paint_word(painter, centre, tr("level"))
        for word, x, y in (
            (tr("front"), 0, 1),
            (tr_in("a side", "left"), -1, 0),
            (tr("right"), 1, 0),
            (tr("back"), 0, -1),
        ):
            self._paint_word(painter, QPointF(centre.x() + 0.86 * x * radius, centre.y() + 0.9 * y * radius), word)

    def _paint_marks(self, painter: QPainter, shown: CutsShown) -> None:
        self._paint_now(painter, shown.now)
