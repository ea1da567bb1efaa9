"""The beds from above, as tiles on which pieces are dragged."""

from __future__ import annotations

import math

import shapely
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....core.exporting.colours import PIECES
from ....core.exporting.layout import Laid
from ....core.locale import text
from ....core.locale.translate import tr
from ....core.printers.profile import Printer
from ...desk_state import DeskState
from ...look import palette
from ...state.beds import STEP
from ...widgets.basics import plain

_GAP, _SAID = 10, 18
"""Pixels between tiles, and of the words under each."""
_TALLEST = 220
_ENDLESS = 1.6
"""Depth of a tile of a bed without end that holds little, of its width."""
_MOVES = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Down: (0, -1), Qt.Key.Key_Up: (0, 1)}


class BedTiles(QWidget):
    """Pieces are clicked, and dragged on their bed or to another one. Arrow keys move the selected piece by 1 mm,
    with Shift by 10 mm; comma and full stop turn it. While the user keeps areas free, a drag draws a rectangle
    and a click removes one.
    """

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._bedding = state, state.bedding
        self._held: tuple[int, float, float] | None = None  # number, mm from its low corner to where it was taken
        self._at: tuple[int, float, float] | None = None  # bed, mm, of the low corner while it is dragged
        self._room: tuple[int, float, float, float, float] | None = None  # bed, mm of two corners of what is drawn
        self._sized: tuple[tuple[object, ...], list[tuple[float, float]]] | None = None
        self._paths_of: tuple[Laid, ...] = ()
        self._paths: dict[int, QPainterPath] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Beds from above"))
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    # where the tiles are

    @property
    def beds(self) -> int:
        """The number of tiles. While a piece is dragged there is one more, to start another bed."""
        return self._used + (1 if self._held is not None and len(self._bedding.laid) > 1 else 0)

    @property
    def _used(self) -> int:
        return 1 + max((one.bed for one in self._bedding.laid), default=0)

    def _printer(self, bed: int) -> Printer:
        """The printer of a bed. A bed that is not started yet has the printer of the dragged piece."""
        evaluated, pieces = self._state.evaluated, self._state.pieces
        if evaluated is None:
            return self._state.printer
        if self._held is not None and pieces and bed >= self._used:
            return pieces[self._bedding.laid[self._held[0]].piece].on(self._state.printer)
        return evaluated.printer_of(bed)

    @property
    def _sizes(self) -> list[tuple[float, float]]:
        """The size in mm of each bed as its tile shows it. Cached, because every piece that is painted needs it."""
        of = (self._state.evaluated, self._state.printer, None if self._held is None else self._held[0])
        if self._sized is None or self._sized[0] != of:
            self._sized = of, [self._size(bed) for bed in range(self.beds)]
        return self._sized[1]

    def _size(self, bed: int) -> tuple[float, float]:
        printer, laid = self._printer(bed), [one for one in self._bedding.laid if one.bed == bed]
        wide, deep = printer.bed_x, printer.bed_y
        if printer.endless == "x":
            wide = max(_ENDLESS * deep, max((one.outline.bounds[2] for one in laid), default=0.0) + printer.margin)
        elif printer.endless == "y":
            deep = max(_ENDLESS * wide, max((one.outline.bounds[3] for one in laid), default=0.0) + printer.margin)
        return wide, deep

    @property
    def _cell(self) -> tuple[float, float]:
        """The size in mm of the largest tile."""
        return max(wide for wide, _ in self._sizes), max(deep for _, deep in self._sizes)

    @property
    def _lines(self) -> int:
        """The number of lines of text under each tile. Where there are several printers or materials, the text names
        them too.
        """
        work = self._bedding.work
        made = {(bed.printer.name, bed.printer.material) for bed in work.beds} if work is not None else set()
        return 2 if len(made) > 1 else 1

    def _scale(self, width: int) -> tuple[int, float]:
        """The number of tiles in a row, and the pixels for each mm."""
        wide, deep = self._cell
        columns = 1 if len(self._bedding.laid) <= 1 else 2  # there is room for another bed, which may be begun
        scale = (width - (columns - 1) * _GAP - 2) / columns / wide
        return columns, min(scale, _TALLEST / deep)

    def heightForWidth(self, width: int) -> int:
        columns, scale = self._scale(width)
        return math.ceil(self.beds / columns) * (round(self._cell[1] * scale) + self._lines * _SAID + _GAP) + 2

    def sizeHint(self) -> QSize:
        return QSize(280, self.heightForWidth(280))

    def tile(self, bed: int) -> QRectF:
        """The rectangle of a bed, in pixels."""
        columns, scale = self._scale(self.width())
        wide, deep = (size * scale for size in self._cell)
        own_wide, own_deep = (size * scale for size in self._sizes[bed])
        left = 1 + bed % columns * (wide + _GAP)
        top = 1 + bed // columns * (deep + self._lines * _SAID + _GAP)
        return QRectF(left, top + deep - own_deep, own_wide, own_deep)

    def pixel(self, bed: int, x: float, y: float) -> QPointF:
        """Where a place of a bed, given in mm, appears."""
        tile, (_, scale) = self.tile(bed), self._scale(self.width())
        return QPointF(tile.left() + x * scale, tile.bottom() - y * scale)

    def place(self, at: QPointF) -> tuple[int, float, float]:
        """The bed under a pixel and the place on it in mm. Beside all beds it is the nearest one."""
        _, scale = self._scale(self.width())

        def away(bed: int) -> float:
            tile = self.tile(bed)
            across = max(tile.left() - at.x(), 0.0, at.x() - tile.right())
            return across + max(tile.top() - at.y(), 0.0, at.y() - tile.bottom())

        bed = min(range(self.beds), key=away)
        tile = self.tile(bed)
        return bed, (at.x() - tile.left()) / scale, (tile.bottom() - at.y()) / scale

    def number_at(self, at: QPointF) -> int | None:
        """The number of the item under a pixel; where several overlap, the smallest."""
        bed, x, y = self.place(at)
        point, laid = shapely.Point(x, y), self._bedding.laid
        over = [n for n, one in enumerate(laid) if one.bed == bed and one.outline.intersects(point)]
        return min(over, key=lambda n: laid[n].outline.area) if over else None

    # by hand

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._bedding.keeping_free and event.button() == Qt.MouseButton.LeftButton:
            bed, x, y = self.place(event.position())
            self._room = (bed, x, y, x, y)
            return
        number = self.number_at(event.position()) if event.button() == Qt.MouseButton.LeftButton else None
        self._bedding.pick(number)
        if number is not None and self._state.up_to_date:
            _, x, y = self.place(event.position())
            low_x, low_y, _, _ = self._bedding.laid[number].outline.bounds
            self._held = (number, x - low_x, y - low_y)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._room is not None:
            _, x, y = self.place(event.position())
            self._room = (*self._room[:3], x, y)
            self.update()
            return
        if self._held is None or not event.buttons() & Qt.MouseButton.LeftButton:
            over = self.number_at(event.position())
            self.setToolTip("" if over is None else plain(self._about(over)))
            usual = Qt.CursorShape.ArrowCursor if over is None else Qt.CursorShape.OpenHandCursor
            self.setCursor(Qt.CursorShape.CrossCursor if self._bedding.keeping_free else usual)
            return
        _, from_x, from_y = self._held
        bed, x, y = self.place(event.position())
        self._at = (bed, x - from_x, y - from_y)
        self.updateGeometry()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._room is not None:
            (bed, x0, y0, x1, y1), self._room = self._room, None
            self._bedding.keep_free(bed, min(x0, x1), min(y0, y1), abs(x1 - x0), abs(y1 - y0))
            self.update()
            return
        held, at, self._held, self._at = self._held, self._at, None, None
        if held is not None and at is not None:
            self._bedding.move(held[0], at[0], at[1], at[2])
        self.updateGeometry()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        number, laid, key = self._bedding.picked, self._bedding.laid, Qt.Key(event.key())
        if key == Qt.Key.Key_Escape and (self._held is not None or self._room is not None):
            self._held = self._at = self._room = None
            self.update()
        elif number is not None and number < len(laid) and key in _MOVES:
            step = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            x, y, _, _ = laid[number].outline.bounds
            self._bedding.move(number, laid[number].bed, x + step * _MOVES[key][0], y + step * _MOVES[key][1])
        elif number is not None and key in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            self._bedding.turn(STEP if key == Qt.Key.Key_Comma else -STEP)
        else:
            super().keyPressEvent(event)

    def _about(self, number: int) -> str:
        pieces, one = self._state.pieces, self._bedding.laid[number]
        piece = pieces[one.piece]
        x0, y0, x1, y1 = one.outline.bounds
        copy = tr(", copy {copy}", copy=one.copy + 1) if len(self._bedding.laid) > len(pieces) else ""
        return tr(
            "{number}  {name}{copy}: {width} × {depth}, turned by {turn:.0f}°",
            number=piece.number,
            name=piece.name,
            copy=copy,
            width=text.length(x1 - x0, 1),
            depth=text.length(y1 - y0, 1),
            turn=one.turn,
        )

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        laid, pieces = self._bedding.laid, self._state.pieces
        for bed in range(self.beds):
            self._paint_bed(painter, bed)
        clashing = {number for pair in self._bedding.clashes for number in pair}
        for number, one in enumerate(laid):
            held = self._held is not None and self._held[0] == number and self._at is not None
            if pieces and not held:
                self._paint_piece(painter, number, one.bed, 0.0, 0.0, clashing=number in clashing)
        if self._held is not None and self._at is not None:
            x, y, _, _ = laid[self._held[0]].outline.bounds
            self._paint_piece(painter, self._held[0], self._at[0], self._at[1] - x, self._at[2] - y, clashing=False)

    def _path(self, number: int) -> QPainterPath:
        """The outline of an item in mm on its bed. Cached, because every move of the mouse needs it."""
        if self._paths_of is not self._bedding.laid:
            self._paths_of, self._paths = self._bedding.laid, {}
        if number not in self._paths:
            self._paths[number] = _path_of(self._paths_of[number].outline)
        return self._paths[number]

    def _paint_bed(self, painter: QPainter, bed: int) -> None:
        printer, tile, work = self._printer(bed), self.tile(bed), self._bedding.work
        fresh = work is not None and bed >= len(work.beds)
        painter.setPen(QPen(QColor(palette.STONE), 1.0, Qt.PenStyle.DashLine if fresh else Qt.PenStyle.SolidLine))
        painter.setBrush(QColor(palette.SHEET if fresh else palette.BED))
        painter.drawRect(tile)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.HAIRLINE), 1.0, Qt.PenStyle.DotLine))
        _, scale = self._scale(self.width())
        inset = printer.margin * scale
        painter.drawRect(tile.adjusted(inset, inset, -inset, -inset))
        rooms = list(printer.kept_free)
        if self._room is not None:
            of, x0, y0, x1, y1 = self._room
            rooms += [] if of != bed else [(min(x0, x1), min(y0, y1), abs(x1 - x0), abs(y1 - y0))]
        for x, y, wide, deep in rooms:
            corner = self.pixel(bed, x, y + deep)
            painter.fillRect(QRectF(corner.x(), corner.y(), wide * scale, deep * scale).intersected(tile),
                             Qt.BrushStyle.BDiagPattern)
        painter.setPen(QColor(palette.FAINT))
        said = tr("another bed") if fresh else tr("bed {bed}", bed=bed + 1)
        if work is not None and not fresh:
            said += f" · {text.hours(work.beds[bed].seconds)} · {text.grams(work.beds[bed].material)}"
        columns, scale = self._scale(self.width())
        room = self._cell[0] * scale if columns > 1 else self.width() - tile.left()
        under = QRectF(tile.left(), tile.bottom() + 2, room, _SAID)
        named = " · ".join(one for one in (printer.name, printer.material) if one)
        for line, words in enumerate((said, named)[: self._lines]):
            short = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room))
            at = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
            painter.drawText(under.translated(0, line * _SAID), at, short)

    def _paint_piece(
        self, painter: QPainter, number: int, bed: int, across: float, up: float, *, clashing: bool
    ) -> None:
        pieces, outline = self._state.pieces, self._bedding.laid[number].outline
        _, scale = self._scale(self.width())
        corner = self.pixel(bed, across, up)
        path = QTransform(scale, 0.0, 0.0, -scale, corner.x(), corner.y()).map(self._path(number))
        painter.save()
        painter.setClipRect(self.tile(bed).adjusted(-2, -2, 2, 2))  # what is too large stays on its tile
        fill = QColor(PIECES[self._bedding.laid[number].piece % len(PIECES)])
        painter.setBrush(fill)
        picked = number == self._bedding.picked
        rim = palette.MADDER if clashing else palette.INK if picked else palette.FAINT
        painter.setPen(QPen(QColor(rim), 2.0 if picked or clashing else 1.0))
        painter.drawPath(path)
        inside = outline.representative_point()
        at = self.pixel(bed, inside.x + across, inside.y + up)
        painter.setPen(QColor(palette.ON_RAMP))
        said = f"{pieces[self._bedding.laid[number].piece].number}" + ("!" if clashing else "")
        metrics = painter.fontMetrics()
        if min(path.boundingRect().width(), path.boundingRect().height()) >= metrics.horizontalAdvance(said):
            painter.drawText(QRectF(at.x() - 20, at.y() - 10, 40, 20), Qt.AlignmentFlag.AlignCenter, said)
        painter.restore()


def _path_of(outline: shapely.MultiPolygon) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for one in outline.geoms:
        for ring in (one.exterior, *one.interiors):
            path.addPolygon(QPolygonF([QPointF(x, y) for x, y in ring.coords]))
    return path
