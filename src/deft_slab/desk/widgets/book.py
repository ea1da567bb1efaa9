"""A contact opened like a book: the faces of both pieces turned to the viewer, with the room on them and the joins."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget

from ...core.arrays import Floats, Floats32
from ...core.locale import text
from ...core.locale.preferences import MM_IN_AN_INCH, inches
from ...core.locale.translate import tr
from ..look import palette
from ..look.palette import rgb
from ..look.qt_pictures import image_of

_PAGE = 18
"""Pixels over and under a page: its name, and the ruler."""
_SPINE = 10
_HANDLE = 5.0
_NEAR = 9.0
"""Pixels within which a handle is taken."""
_STEM = 12.0
"""Pixels beyond its outline that the handle is at which turns it."""
_TURNS = {Qt.Key.Key_PageUp: 5.0, Qt.Key.Key_PageDown: -5.0}
"""Degrees."""
_NUDGE = 0.5
"""mm by which an arrow key moves a join."""


@dataclass(frozen=True, eq=False)
class JoinDrawn:
    """A join as it is drawn.

    Attributes
    ----------
    outline : (k, 2) float64, mm
        In the plane across the contact.
    at : (2,) float64
        Its place.
    out_of : str
        The piece it stands out of, "first" or "second"; empty where it is a hole in both.
    problem : bool
        Whether it is not made.
    heading : (2,) float64
        Unit vector, the direction from which it can be turned.
    """

    id: str
    outline: Floats
    at: Floats
    out_of: str
    problem: bool
    heading: Floats | None = None


@dataclass(frozen=True, eq=False)
class BookShown:
    """What the book shows.

    Attributes
    ----------
    names : tuple[str, str]
        Of the two pieces.
    rings : (k, 2), mm
        The outline, (k, 2) in mm across.
    selected : str
        The id of the selected join; None: none.
    reach : float, mm
        The room in mm that the selected join takes, or one that would suit.
    low, step, enough, bare : array of float64
        The room, see ``replies.RoomShown``. ``enough`` is None while it is unknown.
    """

    names: tuple[str, str]
    rings: tuple[Floats, ...]
    joins: tuple[JoinDrawn, ...]
    selected: str | None
    reach: float = 0.0
    low: Floats | None = None
    step: float = 1.0
    enough: Floats32 | None = None
    bare: Floats32 | None = None


class ContactBook(QWidget):
    """A click selects a join and a drag moves it. Its round handle changes the width, its square one turns it. Arrow
    keys move the join by 0.5 mm, with Shift by 0.1 mm; + and - change its width; Page Up and Page Down turn it.
    """

    chosen = Signal(str)
    moved = Signal(object)
    """(2,) mm across, while it is dragged."""
    sized = Signal(float)
    """How much wider than before the drag."""
    turned = Signal(float)
    """Degrees from before the drag, counter-clockwise on the first page."""
    let_go = Signal(str)
    """What was done: "move", "size" or "turn"."""
    dropped = Signal()
    """A drag was given up."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(280, 196)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The contact, opened like a book"))
        self.setToolTip(
            tr(
                "Both faces of the contact, turned towards you.\nDrag a join to move it, and its handles to resize "
                "or turn it. Arrow keys move it, + and − resize it, Page Up and Page Down turn it."
            )
        )
        self.shown: BookShown | None = None
        self._box = np.zeros(2), np.ones(2)
        self._image: QImage | None = None
        self._drag: tuple[str, Floats, Floats, float] | None = None
        """(what, where the pointer was in mm, where the join was, its reach)"""

    def show_book(self, shown: BookShown | None) -> None:
        self.shown = shown
        if shown is not None and shown.rings:
            corners = np.concatenate(shown.rings)
            self._box = corners.min(axis=0), corners.max(axis=0)
        self._image = _room_image(shown) if shown is not None else None
        self.update()

    # geometry

    @property
    def scale(self) -> float:
        """Pixels per mm."""
        low, high = self._box
        across, up = np.maximum(high - low, 1e-3)
        return float(min((self.width() - _SPINE - 12) / 2 / across, (self.height() - 2 * _PAGE - 4) / up))

    def _centre(self, page: int) -> Floats:
        """The middle (2,) of a page, in pixels."""
        width = (self.width() - _SPINE) / 2
        return np.array([width / 2 if page == 0 else width + _SPINE + width / 2, self.height() / 2])

    def _factors(self, page: int) -> Floats:
        """Pixels per mm (2,) across. The second page is seen from behind."""
        return self.scale * np.array([1.0 if page == 0 else -1.0, -1.0])

    def _polygon(self, across: Floats, page: int) -> QPolygonF:
        """Where points (k, 2) in mm across appear on a page: 0 is the first piece, on the left; 1 the second."""
        places = (across - np.add(*self._box) / 2) * self._factors(page) + self._centre(page)
        return QPolygonF([QPointF(x, y) for x, y in places.tolist()])

    def place_of(self, across: Floats, page: int) -> QPointF:
        """Where a point (2,) in mm across appears on a page."""
        return self._polygon(across[None], page).at(0)

    def _across(self, place: QPointF) -> Floats:
        """The point (2,) in mm across under a place of the widget."""
        page = 0 if place.x() < self.width() / 2 else 1
        return np.asarray(np.add(*self._box) / 2 + (place.toTuple() - self._centre(page)) / self._factors(page))

    @property
    def _one(self) -> JoinDrawn | None:
        """The selected join."""
        if self.shown is None:
            return None
        return next((join for join in self.shown.joins if join.id == self.shown.selected), None)

    def handle_of(self, join: JoinDrawn) -> Floats:
        """The place (2,) of the width handle in mm across: the corner of the outline that is farthest to the right."""
        if not len(join.outline):
            return join.at
        return np.asarray(join.outline[int(np.argmax(join.outline @ [1.0, 0.3]))])

    def _turner(self, join: JoinDrawn, page: int) -> QPointF:
        """The place of the turning handle, outside the outline in the direction of its heading."""
        assert join.heading is not None
        reach = float(((join.outline - join.at) @ join.heading).max(initial=0.0)) if len(join.outline) else 0.0
        return self.place_of(join.at + (reach + _STEM / self.scale) * join.heading, page)

    # mouse and keys

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shown is None or event.button() != Qt.MouseButton.LeftButton or not self.shown.rings:
            return
        place = event.position()
        one, at = self._one, self._across(place)
        if one is not None and len(one.outline):
            apart = min(
                float(np.hypot(*(np.array(self.place_of(self.handle_of(one), page).toTuple()) - place.toTuple())))
                for page in (0, 1)
            )
            if apart < _NEAR:
                self._drag = ("size", at, one.at, float(np.linalg.norm(self.handle_of(one) - one.at)))
                return
        if one is not None and one.heading is not None and any(
            float(np.hypot(*(np.array(self._turner(one, page).toTuple()) - place.toTuple()))) < _NEAR for page in (0, 1)
        ):
            self._drag = ("turn", at, one.at, 0.0)
            return
        under = [join for join in self.shown.joins if len(join.outline) and _inside(at, join.outline)]
        if not under:
            return
        if one not in under:
            self.chosen.emit(under[0].id)
            one = under[0]
        assert one is not None
        self._drag = ("move", at, one.at, 0.0)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        what, start, was, reach = self._drag
        at = self._across(event.position())
        if what == "move":
            self.moved.emit(was + at - start)
        elif what == "turn":
            before, now = (math.atan2(*(one - was)[::-1]) for one in (start, at))
            self.turned.emit(math.degrees((now - before + math.pi) % (2 * math.pi) - math.pi))
        else:
            self.sized.emit(max(float(np.linalg.norm(at - was)), 0.3) / max(reach, 1e-6))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None and event.button() == Qt.MouseButton.LeftButton:
            what, self._drag = self._drag[0], None
            self.let_go.emit(what)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1),
        }
        factors = {Qt.Key.Key_Plus: 1.1, Qt.Key.Key_Equal: 1.1, Qt.Key.Key_Minus: 1 / 1.1}
        key, one = Qt.Key(event.key()), self._one
        if key == Qt.Key.Key_Escape and self._drag is not None:
            self._drag = None
            self.dropped.emit()
        elif one is not None and key in ways:
            step = _NUDGE / 5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else _NUDGE
            self.moved.emit(one.at + step * np.array(ways[key], float))
            self.let_go.emit("move")
        elif one is not None and one.heading is not None and key in _TURNS:
            self.turned.emit(_TURNS[key])
            self.let_go.emit("turn")
        elif one is not None and key in factors:
            self.sized.emit(factors[key])
            self.let_go.emit("size")
        else:
            super().keyPressEvent(event)

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.shown is None or not self.shown.rings:
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                             tr("No contact is selected."))
            return
        for page in (0, 1):
            self._draw_page(painter, page)
        middle = (self.width() - _SPINE) / 2 + _SPINE / 2
        painter.setPen(QPen(QColor(palette.HAIRLINE), 1))
        painter.drawLine(QPointF(middle, 4), QPointF(middle, self.height() - 4))
        self._draw_ruler(painter)

    def _draw_page(self, painter: QPainter, page: int) -> None:
        assert self.shown is not None
        shape = QPainterPath()
        shape.setFillRule(Qt.FillRule.OddEvenFill)
        for ring in self.shown.rings:
            shape.addPolygon(self._polygon(ring, page))
        painter.fillPath(shape, QColor(palette.STONE))
        if self._image is not None and self.shown.low is not None:
            painter.save()
            painter.setClipPath(shape)
            size = np.array([self._image.width(), self._image.height()]) * self.shown.step
            start = self.shown.low - self.shown.step / 2
            corner, end = self.place_of(start + [0, size[1]], page), self.place_of(start + [size[0], 0], page)
            image = self._image if page == 0 else self._image.flipped(Qt.Orientation.Horizontal)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(corner, end).normalized(), image)
            painter.restore()
        painter.setPen(QPen(QColor(palette.INK), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(shape)
        for join in self.shown.joins:
            self._draw_join(painter, join, page)
        painter.setPen(QColor(palette.INK))
        width = (self.width() - _SPINE) / 2
        left = 0.0 if page == 0 else width + _SPINE
        name = painter.fontMetrics().elidedText(self.shown.names[page], Qt.TextElideMode.ElideRight, int(width) - 4)
        painter.drawText(QRectF(left, 0, width, _PAGE), Qt.AlignmentFlag.AlignCenter, name)

    def _draw_join(self, painter: QPainter, join: JoinDrawn, page: int) -> None:
        """Paint a join. A key is filled where it stands out and hollow where it goes in; a join that is not made is
        struck through.
        """
        if not len(join.outline):
            return
        selected = self.shown is not None and join.id == self.shown.selected
        shape = self._polygon(join.outline, page)
        stands = join.out_of == ("first", "second")[page]
        ink = QColor(palette.MADDER if selected else palette.INK)
        painter.setPen(QPen(ink, 2.0 if selected else 1.4, Qt.PenStyle.SolidLine if stands else Qt.PenStyle.DashLine))
        fill = QColor(ink)
        fill.setAlpha(150)
        painter.setBrush(QBrush(fill) if stands else QBrush(QColor(palette.SHEET)))
        painter.drawPolygon(shape)
        if join.problem:
            box = shape.boundingRect()
            painter.setPen(QPen(QColor(palette.AMBER), 2.2))
            painter.drawLine(box.topLeft(), box.bottomRight())
            painter.drawLine(box.bottomLeft(), box.topRight())
        if selected:
            painter.setPen(QPen(ink, 1.4))
            painter.setBrush(QColor(palette.SHEET))
            painter.drawEllipse(self.place_of(self.handle_of(join), page), _HANDLE, _HANDLE)
            if join.heading is not None:
                turner = self._turner(join, page)
                painter.drawLine(self.place_of(join.at, page), turner)
                painter.drawRect(
                    QRectF(turner.x() - _HANDLE + 1, turner.y() - _HANDLE + 1, 2 * _HANDLE - 2, 2 * _HANDLE - 2)
                )

    def _draw_ruler(self, painter: QPainter) -> None:
        """Paint a scale."""
        sides: tuple[float, ...] = (50, 20, 10, 5, 2, 1)
        if inches():
            sides = tuple(MM_IN_AN_INCH * part for part in (2, 1, 0.5, 0.25, 0.1, 0.05))
        length = next((mm for mm in sides if mm * self.scale < self.width() / 5), sides[-1])
        y, x = self.height() - 7.0, 6.0
        painter.setPen(QPen(QColor(palette.FAINT), 1.4))
        painter.drawLine(QPointF(x, y), QPointF(x + length * self.scale, y))
        painter.drawText(QPointF(x + length * self.scale + 4, y + 4), text.given(length))


def _inside(at: Floats, outline: Floats) -> bool:
    """Whether a place is in a convex outline, or just outside it."""
    middle = outline.mean(axis=0)
    return bool(np.linalg.norm(at - middle) <= 1.1 * np.linalg.norm(outline - middle, axis=1).max())


def _room_image(shown: BookShown) -> QImage | None:
    """An image of the room: teal where there is enough wall, straw where it is thin, plum where it would break
    through.
    """
    if shown.enough is None or shown.bare is None:
        return None
    colours = np.empty((*shown.enough.shape, 4), np.uint8)
    colours[...] = [*rgb(palette.RAMP[2]), 190]
    colours[shown.bare >= shown.reach] = [*rgb(palette.RAMP[0]), 255]
    colours[shown.enough >= shown.reach] = [*rgb(palette.ROOM), 255]
    return image_of(np.ascontiguousarray(colours[::-1]))
