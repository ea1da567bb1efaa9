"""Four tiles, one for each unit: how big the model would be, drawn beside an object of familiar size."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QGridLayout, QWidget

from ...core.arrays import Bools, Floats
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.plan.plan import UNITS, Unit
from ..look import palette

NAMES = {"mm": tr("millimetres"), "cm": tr("centimetres"), "m": tr("metres"), "in": tr("inches")}
_DRAWN = 42.0
"""Pixels: height of the drawing in a tile."""


def _grain(path: QPainterPath) -> None:
    path.addEllipse(QRectF(0.0, 0.0, 2.6, 1.0))


def _coin(path: QPainterPath) -> None:
    path.addEllipse(QRectF(0.0, 0.0, 1.0, 1.0))
    path.addEllipse(QRectF(0.1, 0.1, 0.8, 0.8))


def _mug(path: QPainterPath) -> None:
    path.addRoundedRect(QRectF(0.0, 0.0, 0.82, 1.0), 0.08, 0.08)
    path.moveTo(0.82, 0.25)
    path.cubicTo(1.16, 0.2, 1.16, 0.8, 0.82, 0.72)


def _hand(path: QPainterPath) -> None:
    path.moveTo(0.10, 0.0)
    for x, y in ((0.08, 0.42), (0.02, 0.74), (0.08, 0.76), (0.15, 0.52), (0.16, 0.90), (0.24, 0.90), (0.25, 0.54),
                 (0.29, 1.0), (0.37, 1.0), (0.36, 0.54), (0.42, 0.93), (0.49, 0.91), (0.45, 0.46), (0.58, 0.60),
                 (0.64, 0.55), (0.48, 0.22), (0.42, 0.0)):
        path.lineTo(x, y)


def _chair(path: QPainterPath) -> None:
    path.moveTo(0.0, 1.0)
    path.lineTo(0.06, 0.0)
    path.moveTo(0.04, 0.48)
    path.lineTo(0.46, 0.48)
    path.lineTo(0.48, 0.0)
    path.moveTo(0.0, 0.92)
    path.lineTo(0.06, 0.6)


def _door(path: QPainterPath) -> None:
    path.addRect(QRectF(0.0, 0.0, 0.44, 1.0))
    path.addEllipse(QPointF(0.37, 0.46), 0.02, 0.02)


def _house(path: QPainterPath) -> None:
    path.addRect(QRectF(0.0, 0.0, 1.1, 0.6))
    path.moveTo(-0.08, 0.6)
    path.lineTo(0.55, 1.0)
    path.lineTo(1.18, 0.6)
    path.addRect(QRectF(0.45, 0.0, 0.2, 0.36))


THINGS = (
    (tr("a grain of rice"), 2.4, _grain), (tr("a coin"), 24.0, _coin), (tr("a mug"), 95.0, _mug), (tr("a hand"), 185.0,
            _hand),
    (tr("a chair"), 900.0, _chair), (tr("a door"), 2000.0, _door), (tr("a house"), 7000.0, _house),
)
"""(what it is, how high it is in mm, how it is drawn with a height of 1). Usual sizes; from memory."""


class _Tile(QAbstractButton):
    def __init__(self, unit: str) -> None:
        super().__init__()
        self._unit = unit
        self._size = (0.0, 0.0, 0.0)
        self._outline: QImage | None = None
        self.setCheckable(True)
        self.setMinimumHeight(104)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_size(self, size: tuple[float, float, float], outline: QImage) -> None:
        """Show the model at a size.

        Parameters
        ----------
        size : mm
        outline : QImage
            The model seen from the front.
        """
        self._size, self._outline = size, outline
        words = text.any_box(size)
        self.setAccessibleName(f"{NAMES[self._unit]}: {words}")
        self.setToolTip(
            tr(
                "Reads the numbers in the file as {unit}: {size}. Cuts keep their places.",
                unit=NAMES[self._unit],
                size=words,
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.isChecked()
        border = palette.MADDER if chosen or self.hasFocus() else palette.EDGE
        painter.setPen(QPen(QColor(border), 1.6 if chosen else 1.0))
        painter.setBrush(QColor(palette.MADDER_WASH if chosen else palette.SHEET))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)
        font = painter.font()
        font.setPixelSize(11)
        painter.setFont(font)
        painter.setPen(QColor(palette.MADDER if chosen else palette.INK))
        inner = QRectF(self.rect()).adjusted(8, 5, -8, -5)
        top, bottom = Qt.AlignmentFlag.AlignTop, Qt.AlignmentFlag.AlignBottom
        painter.drawText(inner, top | Qt.AlignmentFlag.AlignLeft, NAMES[self._unit] + ("  ✓" if chosen else ""))
        painter.drawText(inner, bottom | Qt.AlignmentFlag.AlignLeft, text.any_box(self._size))
        if self._outline is not None:
            self._draw_pair(painter, inner.adjusted(0, 17, 0, -29))
        painter.end()

    def _draw_pair(self, painter: QPainter, room: QRectF) -> None:
        """Paint the model and the familiar object nearest to its size, to the same scale and standing on one line."""
        tall, wide = max(self._size[2], 1e-9), max(self._size[0], 1e-9)
        longest = max(tall, wide)
        name, height, draw = min(THINGS, key=lambda thing: abs(np.log(thing[1] / longest)))
        path = QPainterPath()
        draw(path)
        breadth = path.boundingRect().width() * height
        scale = min(_DRAWN / max(tall, height), (room.width() - 16) / (wide + breadth))
        ground = room.bottom()
        painter.setPen(QPen(QColor(palette.HAIRLINE), 1))
        painter.drawLine(QPointF(room.left(), ground), QPointF(room.right(), ground))
        model = QRectF(room.left() + 2, ground - tall * scale, max(wide * scale, 1.5), max(tall * scale, 1.5))
        if self._outline is not None:
            painter.drawImage(model, self._outline)
        painter.setPen(QPen(QColor(palette.TEAL), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        left = model.right() + 10 - path.boundingRect().left() * height * scale
        painter.save()
        painter.translate(left, ground)
        painter.scale(height * scale, -height * scale)
        pen = QPen(QColor(palette.TEAL), 0)
        painter.setPen(pen)
        painter.drawPath(path)
        painter.restore()
        painter.setPen(QColor(palette.TEAL))
        below = QRectF(room.left(), room.bottom() + 1, room.width(), 14)
        painter.drawText(
            below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, tr("beside {name}", name=name)
        )


class UnitTiles(QWidget):
    """Reports the unit that was clicked. The chosen unit is set from outside."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        group = QButtonGroup(self)
        self.tiles: dict[Unit, _Tile] = {}
        for place, unit in enumerate(UNITS):
            tile = _Tile(unit)
            tile.clicked.connect(lambda _checked=False, unit=unit: self.chosen.emit(unit))
            group.addButton(tile)
            grid.addWidget(tile, place // 2, place % 2)
            self.tiles[unit] = tile

    def show_model(self, size: Floats, unit: Unit, outline: Bools) -> None:
        """Show a model.

        Parameters
        ----------
        size : (3,) float64, mm
            Of the model as it stands, in the unit that is chosen.
        """
        shaded = np.zeros((*outline.shape, 4), np.uint8)
        shaded[outline] = (0x47, 0x34, 0x24, 210)  # ink, blue first
        image = QImage(shaded.data, outline.shape[1], outline.shape[0], QImage.Format.Format_ARGB32).copy()
        for name, tile in self.tiles.items():
            tile.setChecked(name == unit)
            tile.show_size(tuple((size * UNITS[name] / UNITS[unit]).tolist()), image)
