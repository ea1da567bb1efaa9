"""The front: all ways to cut a model that no other beats, support left against visible seam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF

from ...core.arrays import Bools, Floats, Ints
from ...core.locale import text
from ...core.locale.translate import tr
from ..look import palette
from .dots import DOT, DotsChart


@dataclass(frozen=True, eq=False)
class FrontShown:
    """What the front shows.

    Attributes
    ----------
    sight : (n,) float64, mm
    left : (n,) float64
        Share of the support that is left.
    pieces : (n,) int64
        The number of pieces.
    flat, fit, near : (n,) bool
        Whether all pieces sit flat; whether all fit; whether the way has been evaluated on the draft mesh only.
    taken : int
        The number of the way on the bed; -1: none.
    """

    sight: Floats
    left: Floats
    pieces: Ints
    flat: Bools
    fit: Bools
    near: Bools
    taken: int

    @property
    def most_left(self) -> float:
        """The share at the upper edge of the chart: of the ways that need no more support than the uncut model, the
        largest. One that needs far more would press all others against the lower edge.
        """
        useful = self.left[self.left <= 1.0]
        return float((useful if len(useful) else self.left).max())

    def unbeaten(self, count: int) -> list[int]:
        """The ways with the given number of pieces that no other with that number beats, whether or not they sit
        flat; least visible seam first.
        """
        own = np.flatnonzero(self.pieces == count)
        kept: list[int] = []
        for n in own[np.lexsort((self.left[own], self.sight[own]))]:
            if not kept or self.left[n] < self.left[kept[-1]]:
                kept.append(int(n))
        return kept


class FrontChart(DotsChart):
    """A dot for each way, and a line for each number of pieces. A click takes a way; so do the arrow keys and Enter.

    A round dot means that every piece sits flat, a lozenge that some lean. Struck through: a piece is too large.
    Hollow: evaluated on the draft mesh only.
    """

    def __init__(self) -> None:
        tip = tr(
            "Each dot is a plan. Farther left, less seam is in sight; lower down, less support is left. Round: all "
            "pieces sit flat. Lozenge: some lean. Struck through: a piece does not fit the printer. Hollow: ≈, not "
            "measured on the full mesh yet. The number at a line is the number of pieces. A mark above a dot: more "
            "support than the chart reaches. Click a dot, or use the arrow keys and Enter, to take that plan."
        )
        super().__init__(tr("Front of plans"), tip, 176)
        self._shown: FrontShown | None = None
        self._why = ""

    def show_front(self, shown: FrontShown | None, why_nothing: str) -> None:
        """Show what was found; where that is nothing, say why."""
        self._shown, self._why = shown, why_nothing
        self._point(-1 if shown is None else min(self.at, len(shown.sight) - 1))
        self.update()

    @property
    def count(self) -> int:
        return 0 if self._shown is None else len(self._shown.sight)

    def place_of(self, n: int) -> QPointF:
        """Where the dot of a way appears, in pixels."""
        shown, room = self._shown, self.room.adjusted(14, 12, -16, -12)
        assert shown is not None
        # roots, for what matters lies between 0 and 10 %, and between no seam and a short one
        across, up = (
            np.sqrt(min(max(float(values[n]), 0.0) / max(most, 1e-9), 1.0))
            for values, most in ((shown.sight, float(shown.sight.max())), (shown.left, shown.most_left))
        )
        return QPointF(room.left() + room.width() * float(across), room.bottom() - room.height() * float(up))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, room, shown = self.begin(), self.room, self._shown
        if shown is None or not len(shown.sight):
            painter.setPen(QColor(palette.FAINT))
            wrap = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room.adjusted(10, 4, -10, -4), wrap, self._why)
            painter.end()
            return
        for count in np.unique(shown.pieces):
            self._paint_line(painter, shown, int(count))
        for n in range(len(shown.sight)):
            self._paint_dot(painter, shown, n)
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        words = tr("↑ support left, up to {top:.0f} %", top=100 * shown.most_left)
        self.words(painter, words, left, palette.FAINT, foot=False)
        self.words(painter, tr("● flat   ◆ some lean   ○ ≈"), right, palette.FAINT, foot=False)
        self.words(painter, text.mm(0.0), left, palette.FAINT, foot=True)
        self.words(
            painter,
            tr("seam in sight → {value}", value=text.length(float(shown.sight.max()), 0)),
            right,
            palette.FAINT,
            foot=True,
        )
        painter.end()

    def _paint_line(self, painter: QPainter, shown: FrontShown, count: int) -> None:
        places = [self.place_of(n) for n in shown.unbeaten(count)]
        painter.setPen(QPen(QColor(palette.FAINT), 1.0, Qt.PenStyle.SolidLine if count % 2 else Qt.PenStyle.DashLine))
        painter.drawPolyline(QPolygonF(places))
        if count > 1:
            end = places[-1]
            painter.setPen(QColor(palette.INK))
            painter.drawText(QRectF(end.x() + 5, end.y() - 17, 24, 14), Qt.AlignmentFlag.AlignLeft, str(count))

    def _paint_dot(self, painter: QPainter, shown: FrontShown, n: int) -> None:
        if shown.left[n] > shown.most_left:  # it belongs farther up
            at = self.place_of(n) - QPointF(0.0, DOT + 3.0)
            painter.setPen(QPen(QColor(palette.FAINT), 1.4))
            painter.drawPolyline(QPolygonF([at + QPointF(-3.0, 0.0), at + QPointF(0.0, -3.0), at + QPointF(3.0, 0.0)]))
        colour = QColor(palette.MADDER if n == shown.taken else palette.TEAL if shown.flat[n] else palette.INK)
        self.paint_dot(painter, n, colour, round_one=bool(shown.flat[n]), hollow=bool(shown.near[n]),
                       struck=not shown.fit[n])
