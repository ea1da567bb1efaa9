"""A small drawing of where the audience stands: the prop from above and from its side, and who looks at it."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ...core.document.marks import Audience
from ...core.locale.translate import tr
from ..look import palette


class AudienceView(QWidget):
    """Drag in it, or press the left and right arrow keys, to turn the front. Angles are in the level of the file's
    axes.
    """

    turned = Signal(float)
    """Degrees about the vertical, by which the front is to be turned."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(112, 112)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Where the audience stands"))
        self.setToolTip(tr("The prop from above. Drag to turn its front; arrow keys turn it by 15°."))
        self._audience = Audience()
        self._angle = -90.0
        self._drag: float | None = None
        self._by = 0.0

    def show_audience(self, audience: Audience, angle: float) -> None:
        """Show where the audience stands.

        Parameters
        ----------
        angle : float
            Of the front in degrees, seen from above: 0 to the right, 90 to the back.
        """
        self._audience, self._angle = audience, angle
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        disc = QRectF(8, 8, self.width() - 16, self.height() - 16)
        painter.setPen(QPen(QColor(palette.MADDER if self.hasFocus() else palette.HAIRLINE), 1))
        painter.setBrush(QColor(palette.SHEET))
        painter.drawEllipse(disc)
        looking = self._audience.looking
        wedge = QColor(palette.TEAL)
        wedge.setAlpha(70)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(wedge)
        angle = self._angle + self._by
        if looking == "front":
            spread = self._audience.spread
            painter.drawPie(disc, round(16 * (angle - spread)), round(32 * min(spread, 180.0)))
        elif looking == "above":
            painter.drawEllipse(disc.center(), 0.5 * disc.width() * self._audience.spread / 180,
                                0.5 * disc.width() * self._audience.spread / 180)
        else:
            painter.drawEllipse(disc)
        painter.setPen(QPen(QColor(palette.INK), 1.2))
        painter.setBrush(QColor(palette.STONE))
        painter.drawRoundedRect(QRectF(disc.center().x() - 11, disc.center().y() - 11, 22, 22), 4, 4)
        tip = disc.center() + QPointF(math.cos(math.radians(angle)), -math.sin(math.radians(angle))) * disc.width() / 2
        painter.setBrush(QColor(palette.TEAL))
        painter.drawLine(disc.center(), tip)
        painter.drawEllipse(tip, 5, 5)
        painter.end()

    def _angle_at(self, at: QPointF) -> float:
        return math.degrees(math.atan2(self.height() / 2 - at.y(), at.x() - self.width() / 2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = self._angle_at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._by = round((self._angle_at(event.position()) - self._angle) / 5) * 5.0
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        by, self._drag, self._by = self._by, None, 0.0
        if by:
            self.turned.emit(by)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: 15.0, Qt.Key.Key_Right: -15.0}
        key = Qt.Key(event.key())
        if key in steps:
            self.turned.emit(steps[key])
        else:
            super().keyPressEvent(event)
