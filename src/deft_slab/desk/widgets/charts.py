"""Charts of the Cut step: figures against the place of a cut, and against its two angles."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ...core.arrays import Bools, Floats
from ...core.locale import text
from ...core.locale.translate import tr
from ..look import palette
from ..look.palette import rgb

_Offset = TypeVar("_Offset", float, Floats)

_LEFT, _RIGHT, _TOP, _FOOT = 8, 8, 14, 16


class Chart(QWidget):
    """A frame with words at its ends."""

    def __init__(self, name: str, tip: str, height: int) -> None:
        super().__init__()
        self.setFixedHeight(height)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setToolTip(tip)

    @property
    def room(self) -> QRectF:
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _FOOT)

    def begin(self) -> QPainter:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = QFont(painter.font())
        font.setPixelSize(10)
        painter.setFont(font)
        painter.fillRect(self.room, QColor(palette.SHEET))
        painter.setPen(QPen(QColor(palette.MADDER if self.hasFocus() else palette.HAIRLINE), 1))
        painter.drawRect(self.room)
        return painter

    def words(self, painter: QPainter, words: str, at: Qt.AlignmentFlag, colour: str, *, foot: bool) -> None:
        room = self.room
        y = room.bottom() + 2 if foot else 0.0
        painter.setPen(QColor(colour))
        painter.drawText(QRectF(room.left(), y, room.width(), _TOP), at | Qt.AlignmentFlag.AlignVCenter, words)


@dataclass(frozen=True, eq=False)
class Curve:
    """A curve of a chart.

    Attributes
    ----------
    values : (k,) float64
    said : Callable[[float], str]
        Formats a value with its unit.
    """

    name: str
    values: Floats
    colour: str
    said: Callable[[float], str]
    dashed: bool = False


class SweepChart(Chart):
    """Curves against the place of a cut, each scaled from 0 to its own maximum. A drag moves the cut, a click near a
    valley goes to it, and arrow keys step.
    """

    moved = Signal(float)
    """An offset, while it is dragged."""
    released = Signal()
    hovered = Signal(str)

    def __init__(self) -> None:
        tip = tr("Figures against the place of this cut. Drag in the chart to move the cut; ▾ marks valleys.")
        super().__init__(tr("Sweep of the selected cut"), tip, 118)
        self._offsets: Floats = np.empty(0)
        self._now = 0.0
        self._curves: tuple[Curve, ...] = ()
        self._valleys: tuple[int, ...] = ()
        self._barred: Bools = np.empty(0, np.bool_)
        self._dragging = False

    def show_sweep(
        self, offsets: Floats, now: float, curves: tuple[Curve, ...], valleys: tuple[int, ...],
        barred: Bools,
    ) -> None:
        self._offsets, self._now, self._curves = offsets, now, curves
        self._valleys, self._barred = valleys, np.asarray(barred, np.bool_)
        self.update()

    @property
    def valley_places(self) -> list[QPointF]:
        """Where the valleys are marked, in pixels of this widget."""
        return [QPointF(self._x(float(self._offsets[k])), self.room.top() + 4) for k in self._valleys]

    def _x(self, offset: _Offset) -> _Offset:
        low, high, room = float(self._offsets[0]), float(self._offsets[-1]), self.room
        return room.left() + room.width() * (offset - low) / max(high - low, 1e-9)

    def _offset_at(self, x: float) -> float:
        low, high = float(self._offsets[0]), float(self._offsets[-1])
        for k in self._valleys:
            if abs(self._x(float(self._offsets[k])) - x) <= 3:
                return float(self._offsets[k])
        return low + (high - low) * min(max((x - self.room.left()) / self.room.width(), 0.0), 1.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, room = self.begin(), self.room
        if not len(self._offsets):
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, tr("Sweeping the cut along its direction …"))
            return
        across = self._x(self._offsets).tolist()
        for barred in np.flatnonzero(self._barred):
            x = across[barred]
            painter.fillRect(QRectF(x - 0.8, room.bottom() - 4, 1.6, 4), QColor(palette.AMBER))
        for curve in self._curves:
            most = max(float(curve.values.max(initial=0.0)), 1e-12)
            heights = room.bottom() - room.height() * 0.94 * curve.values / most
            style = Qt.PenStyle.DashLine if curve.dashed else Qt.PenStyle.SolidLine
            painter.setPen(QPen(QColor(curve.colour), 1.6, style))
            painter.drawPolyline([QPointF(*at) for at in zip(across, heights.tolist(), strict=True)])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.TEAL))
        for at in self.valley_places:
            painter.drawPolygon([at + QPointF(-4, -3), at + QPointF(4, -3), at + QPointF(0, 4)])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.MADDER), 1.6))
        x = self._x(min(max(self._now, float(self._offsets[0])), float(self._offsets[-1])))
        painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
        sides = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight)
        k = self._nearest(self._now)
        for curve, side in zip(self._curves[:3], sides, strict=False):
            mark = "┄ " if curve.dashed else "— "
            self.words(painter, mark + f"{curve.name} {curve.said(float(curve.values[k]))}", side, curve.colour,
                        foot=False)
        span = float(self._offsets[-1] - self._offsets[0])
        self.words(painter, text.mm(0.0), sides[0], palette.FAINT, foot=True)
        self.words(painter, tr("{span} along", span=text.length(span, 0)), sides[2], palette.FAINT, foot=True)
        painter.end()

    def _nearest(self, offset: float) -> int:
        return int(np.argmin(np.abs(self._offsets - offset)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and len(self._offsets):
            self._dragging = True
            self._move(self._offset_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._move(self._offset_at(event.position().x()))
        elif len(self._offsets):
            k = self._nearest(self._offset_at(event.position().x()))
            figures = ", ".join(f"{curve.name} {curve.said(float(curve.values[k]))}" for curve in self._curves)
            fits = "" if not len(self._barred) or not self._barred[k] else tr("; a side does not fit")
            self.hovered.emit(
                tr(
                    "{place}: ≈ {figures}{fits}",
                    place=text.length(float(self._offsets[k] - self._offsets[0]), 1),
                    figures=figures,
                    fits=fits,
                )
            )

    def _move(self, offset: float) -> None:
        self._now = offset
        self.moved.emit(self._now)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.released.emit()

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit("")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: -10, Qt.Key.Key_PageUp: 10}
        key = Qt.Key(event.key())
        if key in steps and len(self._offsets):
            k = min(max(self._nearest(self._now) + steps[key], 0), len(self._offsets) - 1)
            self._move(float(self._offsets[k]))
            self.released.emit()
        else:
            super().keyPressEvent(event)


class AngleMap(QWidget):
    """A figure against two angles of a cut: light is little, dark is much. A click turns the cut."""

    chosen = Signal(int, int)
    hovered = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(118, 118)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Angles of the selected cut"))
        self.setToolTip(tr("Support against two rotations of this cut, up to 30° each way. Click to turn the cut."))
        self._degrees: Floats = np.empty(0)
        self._price: Floats = np.empty((0, 0))
        self._said: Callable[[int, int], str] = lambda row, column: ""

    def show_angles(self, degrees: Floats, price: Floats, said: Callable[[int, int], str]) -> None:
        """Show the figures at each pair of angles.

        Parameters
        ----------
        degrees : (n,) float64
        price : (n, n) float64
            The figure that colours the map.
        said : Callable[[int, int], str]
            Formats the figures of a place.
        """
        self._degrees, self._price, self._said = degrees, price, said
        self.update()

    def place_of(self, row: int, column: int) -> QPointF:
        side = self.width() / len(self._degrees)
        return QPointF((column + 0.5) * side, self.height() - (row + 0.5) * side)

    def _at(self, at: QPointF) -> tuple[int, int]:
        n = len(self._degrees)
        return (
            min(max(int((self.height() - at.y()) / self.height() * n), 0), n - 1),
            min(max(int(at.x() / self.width() * n), 0), n - 1),
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        n = len(self._degrees)
        if n:
            stops = np.stack([rgb(colour) for colour in (palette.SHEET, *palette.RAMP)])
            share = np.clip(self._price / max(float(np.quantile(self._price, 0.95)), 1e-9), 0.0, 1.0)
            side = self.width() / n
            for row, column in np.ndindex(n, n):
                at = self.place_of(row, column)
                mixed = [int(np.interp(share[row, column], [0.0, 0.2, 0.55, 1.0], stops[:, k])) for k in range(3)]
                painter.fillRect(QRectF(at.x() - side / 2, at.y() - side / 2, side + 1, side + 1), QColor(*mixed))
            painter.setPen(QPen(QColor(palette.MADDER), 2))
            middle = self.place_of(n // 2, n // 2)
            painter.drawLine(middle - QPointF(5, 0), middle + QPointF(5, 0))
            painter.drawLine(middle - QPointF(0, 5), middle + QPointF(0, 5))
        painter.setPen(QPen(QColor(palette.HAIRLINE), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if len(self._degrees):
            self.hovered.emit(self._said(*self._at(event.position())))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if len(self._degrees) and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(*self._at(event.position()))

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit("")
