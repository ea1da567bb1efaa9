"""The height rail: the area of every layer, the findings along it, and the height at which the bed is cut off."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from ...core.arrays import Floats
from ...core.locale import text
from ...core.locale.translate import tr
from ..look import palette

_MARGIN = 22
_NARROW, _WIDE = 50, 68
_LANES = {"island": 8.0, "pocket": 19.0, "jump": 30.0}
"""Pixels from the left of each kind of mark."""
_NEAR = 6.0
"""Pixels within which a mark is clicked."""


@dataclass(frozen=True)
class RailMark:
    """A finding.

    Attributes
    ----------
    kind : str
        Island, pocket or jump.
    z : float
        Height over the bed, in mm.
    colour : str
        Depends on how bad it is.
    words : str
        The tooltip.
    of : object
        The finding itself, which is passed on when the mark is clicked.
    """

    kind: str
    z: float
    colour: str
    words: str
    of: object


class HeightRail(QWidget):
    """Drag, turn the wheel or press the arrow keys to cut off at a height. A double click shows everything again."""

    moved = Signal(float)
    """mm over the bed."""
    stepped = Signal(int)
    """By so many layers."""
    picked = Signal(object)
    """What a mark is of."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(_NARROW)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Height rail"))
        self.setMouseTracking(True)
        self._areas = np.empty(0)
        self._peel: Floats | None = None
        self._marks: tuple[RailMark, ...] = ()
        self._height, self._base, self._at, self._free = 1.0, 0.0, 0.0, 0.0
        self._by_layer = False

    def show_layers(self, areas: np.ndarray, base: float, height: float, at: float) -> None:
        """Show layers that are not checked yet.

        Parameters
        ----------
        areas : (k,), mm2
            The area of each layer. The first layer is at ``base`` mm.
        height : float, mm
            At : mm hidden.
        at : float
            Where the view is cut off.
        """
        self._show(areas, base, height, at, 0.0)
        self._peel, self._marks, self._by_layer = None, (), False
        self.setFixedWidth(_NARROW)
        largest = text.area(float(areas.max())) if len(areas) else ""
        self.setToolTip(
            tr(
                "The area of each layer, {largest} at most. Drag up to hide what is below. Double-click to show "
                "everything.",
                largest=largest,
            )
        )

    def show_checked(
        self, areas: np.ndarray, peel: np.ndarray, marks: Sequence[RailMark], base: float, height: float, at: float,
        free: float,
    ) -> None:
        """Show the layers of a check with its findings.

        Parameters
        ----------
        areas, peel : (k,), mm2
            The area and the peel estimate of each layer.
        marks : Sequence[RailMark]
            The findings.
        at : float, mm
            Where the view is cut off.
        free : float, mm
            The height at which nothing is cut off: the top where the lower part is shown, otherwise the bed.
        """
        self._show(areas, base, height, at, free)
        self._peel, self._marks, self._by_layer = peel, tuple(marks), True
        self.setFixedWidth(_WIDE)
        self.setToolTip("")

    def _show(self, areas: np.ndarray, base: float, height: float, at: float, free: float) -> None:
        self._areas, self._base, self._height = areas, base, max(height, 1e-6)
        self._at, self._free = at, free
        self.update()

    @property
    def marks(self) -> tuple[RailMark, ...]:
        """The marks along the rail."""
        return self._marks

    def y_of(self, z: float) -> float:
        """Pixels from the top.

        Parameters
        ----------
        z : float
            Height over the bed, in mm.
        """
        return self.height() - _MARGIN - (self.height() - 2 * _MARGIN) * z / self._height

    # painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(palette.GROUND))
        painter.setPen(QPen(QColor(palette.MADDER if self.hasFocus() else palette.HAIRLINE), 1))
        painter.drawLine(0, 0, 0, self.height())
        self._paint_areas(painter)
        for mark in self._marks:
            _paint_mark(painter, mark, QPointF(_LANES[mark.kind], self.y_of(mark.z)))
        right = self.width() - 2
        small = QFont(painter.font())
        small.setPixelSize(10)
        painter.setFont(small)
        painter.setPen(QColor(palette.FAINT))
        painter.drawText(QRectF(2, 4, right - 2, 14), Qt.AlignmentFlag.AlignRight, text.mm(self._height))
        painter.drawText(QRectF(2, self.height() - 18, right - 2, 14), Qt.AlignmentFlag.AlignRight, text.mm(0.0))
        y = self.y_of(self._at)
        painter.setPen(QPen(QColor(palette.MADDER), 2))
        painter.drawLine(QPointF(2, y), QPointF(right, y))
        if abs(self._at - self._free) > 1e-9:
            left = _LANES["jump"] + 8 if self._by_layer else 2.0  # beside the marks
            place = QRectF(left, y - 15 if y > 30 else y + 2, right - left, 13)
            said = text.bare(self._at, 2 if self._by_layer else 1)
            painter.drawText(place, Qt.AlignmentFlag.AlignLeft, said)
        painter.end()

    def _paint_areas(self, painter: QPainter) -> None:
        if not len(self._areas):
            return
        right = self.width() - 2.0
        peel = self._areas if self._peel is None else self._peel
        z = self._base + (np.arange(len(self._areas)) + 0.5) * (self._height - self._base) / len(self._areas)
        most = max(float(peel.max()), 1e-9)
        # no more points than there are pixels: of those that share one, the largest
        step = max(1, len(z) // max(self.height(), 1))
        starts = np.arange(0, len(z), step)
        high = self.height() - _MARGIN - (self.height() - 2 * _MARGIN) * z[starts] / self._height
        for values, brush, pen in ((peel, "", palette.PLUM), (self._areas, palette.BED_COARSE, "")):
            if values is peel and self._peel is None:
                continue
            wide = (40.0 if self._peel is None else 30.0) * np.maximum.reduceat(values, starts) / most
            line = [QPointF(x, y) for x, y in zip((right - wide).tolist(), high.tolist(), strict=True)]
            if brush:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(brush))
                ends = QPointF(right, self.y_of(self._base)), QPointF(right, self.y_of(self._height))
                painter.drawPolygon(QPolygonF([ends[0], *line, ends[1]]))
            else:
                painter.setPen(QPen(QColor(pen), 1.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(line))

    # the mouse and keys

    def _move(self, z: float) -> None:
        self.moved.emit(min(max(z, 0.0), self._height))

    def _from_pixel(self, y: float) -> float:
        return (self.height() - _MARGIN - y) / max(self.height() - 2 * _MARGIN, 1) * self._height

    def _mark_at(self, at: QPointF) -> RailMark | None:
        near = [(math.hypot(at.x() - _LANES[mark.kind], at.y() - self.y_of(mark.z)), n)
                for n, mark in enumerate(self._marks)]
        return self._marks[min(near)[1]] if near and min(near)[0] <= _NEAR else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        mark = self._mark_at(event.position())
        if mark is not None:
            self.picked.emit(mark.of)
        else:
            self._move(self._from_pixel(event.position().y()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons():
            self._move(self._from_pixel(event.position().y()))
        else:
            on_mark = self._mark_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.PointingHandCursor if on_mark else Qt.CursorShape.ArrowCursor)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and self._by_layer:
            mark = self._mark_at(QPointF(event.pos()))
            words = (
                mark.words
                if mark is not None
                else (
                    tr(
                        "The area of each layer. The line shows what peels off the film, including cups. Drag or "
                        "turn the wheel to cut off the view at a height. Double-click to show everything. Marks "
                        "are islands, pockets and jumps."
                    )
                )
            )
            QToolTip.showText(event.globalPos(), words, self)
            return True
        return super().event(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._move(self._free)

    def wheelEvent(self, event: QWheelEvent) -> None:
        clicks = event.angleDelta().y() / 120.0
        if self._by_layer:
            steps = int(math.copysign(max(1.0, abs(clicks)), clicks)) if clicks else 0
            self.stepped.emit(steps)
        else:
            self._move(self._at + clicks)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 10, Qt.Key.Key_PageDown: -10}
        key = Qt.Key(event.key())
        if key in steps and self._by_layer:
            self.stepped.emit(steps[key])
        elif key in steps:
            self._move(self._at + steps[key])
        elif event.key() == Qt.Key.Key_Home:
            self._move(self._free)
        else:
            super().keyPressEvent(event)


def _paint_mark(painter: QPainter, mark: RailMark, at: QPointF) -> None:
    """Paint a mark: an island is a hanging drop, a pocket a bowl, a jump two steps, so that they differ without
    their colour.
    """
    colour = QColor(mark.colour)
    painter.setPen(QPen(colour, 1.6))
    painter.setBrush(colour if mark.kind == "island" else Qt.BrushStyle.NoBrush)
    x, y = at.x(), at.y()
    if mark.kind == "island":
        painter.drawPolygon(QPolygonF([QPointF(x - 4, y - 3), QPointF(x + 4, y - 3), QPointF(x, y + 4)]))
    elif mark.kind == "pocket":
        painter.drawArc(QRectF(x - 4.5, y - 6, 9, 10), 180 * 16, 180 * 16)
    else:
        painter.drawPolyline(QPolygonF([QPointF(x - 5, y + 3), QPointF(x, y + 3), QPointF(x, y - 3),
                                        QPointF(x + 5, y - 3)]))
