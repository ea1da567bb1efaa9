"""A disc of directions, coloured by a figure: what the tilt map and the cut map have in common.

It uses Lambert's azimuthal equal-area projection (Snyder 1987, Map projections: a working manual, section 24), so
that equal areas of the disc are equal shares of all directions.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Generic, Protocol, TypeVar

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFont, QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ...core.arrays import Bools, Floats, Floats32, Ints
from ..look import palette
from ..look.palette import rgb
from ..look.qt_pictures import image_of
from ..refresh.side_thread import Aside

_RASTER = 84
"""Pixels across of the coloured picture; it is drawn smoothed."""
_SHARP = 260.0
"""How fast the say of a direction falls off with the angle from it: to half at about 4 degrees."""
_SILENT = 10.0
"""What has less than exp(-10) of the say of the nearest direction is left out."""
_HOVER_AFTER = 120
"""Milliseconds that the pointer must rest before the model is drawn in that seat."""


def to_disc(directions: Floats) -> Floats:
    """Points (n, 2) of the unit disc for unit vectors (n, 3). The middle is -z. The whole rim is +z, which is placed
    at the top.
    """
    x, y, z = directions.T
    level = np.hypot(x, y)
    opposite = (level < 1e-9) & (z > 0)
    radius = np.sqrt(np.clip((1.0 + z) / 2.0, 0.0, 1.0)) / np.maximum(level, 1e-12)
    return np.stack([np.where(opposite, 0.0, x * radius), np.where(opposite, 1.0, y * radius)], axis=1)


def from_disc(points: Floats) -> Floats:
    """The unit vectors (n, 3) of points (n, 2) of the unit disc."""
    square = np.minimum((points**2).sum(axis=1), 1.0)
    return np.stack([*(2.0 * points * np.sqrt(1.0 - square)[:, None]).T, 2.0 * square - 1.0], axis=1)


def _rastered() -> tuple[Floats, Bools]:
    """The points (n, 2) of the unit disc, one for each pixel inside it, and which of the (raster, raster) pixels
    those are.
    """
    steps = (np.arange(_RASTER) + 0.5) / _RASTER * 2 - 1
    x, y = np.meshgrid(steps, -steps)
    inside = x**2 + y**2 <= 1.12  # a little beyond the rim, so that the smoothed edge has a colour
    points = np.stack([x[inside], y[inside]], axis=1)
    return points / np.maximum(np.hypot(*points.T), 1.0)[:, None], inside


_RASTERED = _rastered()


@dataclass(frozen=True, eq=False)
class _Shares:
    """The directions and the rotation (as bytes) that the shares belong to; and for each of k pixels the nearest
    directions and their shares.
    """

    directions: Floats
    turned: bytes
    pixels: Ints
    near: Ints
    says: Floats


class OnDisc(Protocol):
    """What a disc shows.

    Attributes
    ----------
    middle : (3, 3) float64
        The rotation that turns the direction of the middle to -z.
    directions : (n, 3) float64
        The directions that were evaluated.
    values : (n,) float64
        0 is best.
    now : (3,) float64
        The present direction; None: none.
    """

    @property
    def middle(self) -> Floats: ...
    @property
    def directions(self) -> Floats: ...
    @property
    def values(self) -> Floats: ...
    @property
    def now(self) -> Floats | None: ...


S = TypeVar("S", bound=OnDisc)


class DirectionDisc(QWidget, Generic[S]):
    """Hovering shows the figures of a direction, and a click takes it. Arrow keys move a pointer, and Enter takes
    its direction.

    Attributes
    ----------
    pointer : (3,)
        The direction under the mouse, or the one that the arrow keys have moved to; None: none.
    """

    hovered = Signal(object)
    """(3,) direction, model frame, or None."""
    rested = Signal(object)
    """The pointer rests on a direction."""
    chosen = Signal(object)

    def __init__(self, name: str, tip: str, waiting: str, size: int) -> None:
        """Parameters
        ----------
        waiting : str
            What is said before there is anything to show.
        size : int, pixels
            The size across.
        """
        super().__init__()
        self._waiting = waiting
        self.setMinimumSize(size, size)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.shown: S | None = None
        self._image: QImage | None = None
        self._shares: _Shares | None = None
        self._aside = Aside(self)
        self.pointer: Floats | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_HOVER_AFTER)
        self._rest.timeout.connect(self._on_rest)

    def show_map(self, shown: S | None) -> None:
        self.shown = shown
        self._image = None
        if shown is not None:
            turned = shown.middle.tobytes()
            if self._shares is None or self._shares.directions is not shown.directions or self._shares.turned != turned:
                self._aside.ask(partial(self._shared_out, shown.directions, shown.middle), self._on_shares)
            else:
                self._image = self._coloured(shown, self._shares)
        self.update()

    def _on_shares(self, shares: _Shares) -> None:
        self._shares = shares
        self.show_map(self.shown)

    # geometry: what kinds of discs do in their own way

    def _flat(self, directions: Floats) -> Floats:
        """Points (n, 2) of the unit disc for directions (n, 3), which are rotated so that the middle is at -z."""
        return to_disc(directions)

    def _round(self, points: Floats) -> Floats:
        """The directions (n, 3) of points (n, 2) of the unit disc."""
        return from_disc(points)

    def _nearness(self, points: Floats, directions: Floats) -> Floats32:
        """The cosines (n, k) between the directions of n points and k others."""
        return np.asarray(self._round(points).astype(np.float32) @ directions.T.astype(np.float32))

    def _paint_ways(self, painter: QPainter, centre: QPointF, radius: float) -> None:
        """Paint lines and words that help to read the disc."""

    def _paint_marks(self, painter: QPainter, shown: S) -> None:
        """Paint what is marked on the disc."""

    def _marked(self, shown: S) -> tuple[Floats, ...]:
        """The directions that a click near them takes exactly."""
        return ()

    @property
    def _disc(self) -> tuple[QPointF, float]:
        radius = min(self.width(), self.height()) / 2 - 12
        return QPointF(self.width() / 2, self.height() / 2), radius

    def place_of(self, down: Floats) -> QPointF:
        """Where a direction appears, in pixels of this widget. Something must be shown."""
        centre, radius = self._disc
        middle = self.shown.middle if self.shown is not None else np.eye(3)
        x, y = self._flat((middle @ down)[None])[0]
        return QPointF(centre.x() + radius * float(x), centre.y() - radius * float(y))

    def direction_at(self, at: QPointF) -> Floats | None:
        """The direction (3,) under a pixel; None outside the disc."""
        centre, radius = self._disc
        point = np.array([[(at.x() - centre.x()) / radius, (centre.y() - at.y()) / radius]])
        if self.shown is None or float(np.hypot(*point[0])) > 1.0:
            return None
        return np.asarray(self.shown.middle.T @ self._round(point)[0])

    # colours

    def _shared_out(self, directions: Floats, middle: Floats) -> _Shares:
        """How much each direction contributes to the colour of each pixel. The shares of a pixel sum to 1."""
        points, turned = _RASTERED[0], directions @ middle.T
        cosine = self._nearness(points, turned)
        cosine -= cosine.max(axis=1, keepdims=True)
        pixels, near = np.nonzero(cosine > -_SILENT / _SHARP)
        says = np.exp(_SHARP * cosine[pixels, near].astype(np.float64))
        return _Shares(
            directions, middle.tobytes(), pixels, near, says / np.bincount(pixels, says, len(points))[pixels]
        )

    def _coloured(self, shown: S, shares: _Shares) -> QImage:
        """The image of the disc. Each pixel shows the weighted mean of the nearest values."""
        points, inside = _RASTERED
        worst = float(np.sort(shown.values)[int(0.98 * (len(shown.values) - 1))])
        share = np.bincount(shares.pixels, shares.says * shown.values[shares.near], len(points)) / max(worst, 1e-12)
        stops = np.stack([rgb(colour) for colour in (palette.SHEET, *palette.RAMP)])
        picture = np.zeros((_RASTER, _RASTER, 4), np.uint8)
        mixed = [np.interp(np.clip(share, 0.0, 1.0), [0.0, 0.2, 0.55, 1.0], stops[:, k]) for k in range(3)]
        picture[inside, :3] = np.round(np.stack(mixed, axis=1)).astype(np.uint8)
        picture[inside, 3] = 255
        return image_of(picture)

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        centre, radius = self._disc
        circle = QPainterPath()
        circle.addEllipse(centre, radius, radius)
        painter.fillPath(circle, QColor(palette.SHEET))
        if self._image is not None and self.shown is not None:
            painter.setClipPath(circle)
            painter.drawImage(QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius), self._image)
            painter.setClipping(False)
            self._paint_ways(painter, centre, radius)
            self._paint_marks(painter, self.shown)
        else:
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._waiting)
        painter.setPen(QPen(QColor(palette.MADDER if self.hasFocus() else palette.INK), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, radius, radius)
        painter.end()

    # drawing for kinds of discs

    def _paint_word(self, painter: QPainter, at: QPointF, word: str) -> None:
        wide = max(32.0, painter.fontMetrics().horizontalAdvance(word) + 10.0)
        box = QRectF(at.x() - wide / 2, at.y() - 6, wide, 12)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(255, 255, 255, 150))
        painter.drawRoundedRect(box.adjusted(3, 0, -3, 0), 4, 4)
        painter.setPen(QColor(palette.ON_RAMP))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, word)

    def _small(self, painter: QPainter) -> None:
        """Use a small font from now on."""
        font = QFont(painter.font())
        font.setPixelSize(9)
        painter.setFont(font)

    def _paint_numbered(self, painter: QPainter, directions: tuple[Floats, ...]) -> None:
        self._small(painter)
        for number, direction in enumerate(directions, 1):
            at = self.place_of(direction)
            painter.setPen(QPen(QColor(palette.INK), 1.2))
            painter.setBrush(QColor(palette.SHEET))
            painter.drawEllipse(at, 6.5, 6.5)
            painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, str(number))

    def _paint_now(self, painter: QPainter, now: Floats | None) -> None:
        """Paint a cross at the present direction and a ring at the pointer."""
        if now is not None:
            at = self.place_of(now)
            for colour, width in ((palette.SHEET, 4.5), (palette.MADDER, 2.2)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawLine(at - QPointF(7, 0), at + QPointF(7, 0))
                painter.drawLine(at - QPointF(0, 7), at + QPointF(0, 7))
        if self.pointer is not None:
            painter.setPen(QPen(QColor(palette.ON_RAMP), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(self.place_of(self.pointer), 4, 4)

    # mouse and keys

    def _point(self, down: Floats | None) -> None:
        self.pointer = down
        self.hovered.emit(down)
        if down is None:
            self._rest.stop()
        else:
            self._rest.start()
        self.update()

    def _on_rest(self) -> None:
        if self.pointer is not None:
            self.rested.emit(self.pointer)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point(self.direction_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        down = self.direction_at(event.position())
        if down is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.chosen.emit(self._snapped(event.position(), down))

    def _snapped(self, at: QPointF, down: Floats) -> Floats:
        """The direction that a click takes: exactly the marked one where the click is near a mark."""
        for marked in self._marked(self.shown) if self.shown is not None else ():
            if (self.place_of(marked) - at).manhattanLength() <= 8:
                return np.asarray(marked)
        return down

    def leaveEvent(self, event: QEvent) -> None:
        self._point(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        key = Qt.Key(event.key())
        if self.shown is None:
            super().keyPressEvent(event)
        elif key in steps:
            start = self.pointer if self.pointer is not None else self.shown.now
            if start is None:  # nothing is marked yet: from the middle on
                start = -self.shown.middle[2]
            point = self._flat((self.shown.middle @ start)[None])[0] + 0.04 * np.array(steps[key], float)
            point /= max(float(np.hypot(*point)), 1.0)
            self._point(np.asarray(self.shown.middle.T @ self._round(point[None])[0]))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.pointer is not None:
            self.chosen.emit(self.pointer)
        else:
            super().keyPressEvent(event)
