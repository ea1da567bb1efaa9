"""The ledger on the screen."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, QRect, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetrics,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPixmap,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ...core.arrays import Bytes
from ...core.locale.translate import tr, tr_in
from ..desk_state import DeskState
from ..look import palette
from ..look.qt_pictures import image_of
from ..state.desk import WHOLE
from ..widgets.basics import Elided, button, label, row
from .copied import as_csv, as_text
from .model import COLUMNS, COMPARED, Column, LedgerModel, Row, cell_text

ROW_HEIGHT = 40
Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True, eq=False)
class _Cell:
    """What a cell shows.

    Attributes
    ----------
    share : float
        Its share of the largest figure of the column; None: no bar.
    """

    figure: str
    font: QFont
    difference: str
    small: QFont
    best: bool
    share: float | None


class _Painter(QStyledItemDelegate):
    """Paints a cell: picture and name, or figure, difference and bar."""

    def __init__(self, model: LedgerModel) -> None:
        super().__init__()
        self._model = model
        self._pictures: dict[int, tuple[object, QPixmap]] = {}
        self._of: list[Row] = []
        self._cells: dict[tuple[object, int, int], _Cell] = {}

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        shown = self._model.rows[index.row()]
        painter.save()
        if shown.choice is None:
            painter.fillRect(option.rect, QColor(palette.MADDER_WASH))
        elif option.state & option.state.State_Selected:
            painter.fillRect(option.rect, QColor(palette.GROUND))
        painter.setPen(QColor(palette.HAIRLINE))
        painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())
        if index.column() == 0:
            self._name(painter, option, shown)
        else:
            self._figure(painter, option, shown, index.column() - 1)
        painter.restore()

    def _name(self, painter: QPainter, option: QStyleOptionViewItem, shown: Row) -> None:
        rect = option.rect
        frame = QRect(rect.left() + 10, rect.top() + 4, 46, ROW_HEIGHT - 9)
        painter.setPen(QColor(palette.HAIRLINE))
        painter.setBrush(QColor(palette.GROUND))
        painter.drawRoundedRect(frame, 3, 3)
        picture = shown.entry.picture if shown.entry is not None else None
        if picture is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(frame.adjusted(1, 1, -1, -1), self._pixmap(picture))
        font = QFont(option.font)
        font.setWeight(QFont.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(QColor(palette.INK))
        left = frame.right() + 10
        room = rect.right() - left - 6
        name = QFontMetrics(font).elidedText(shown.name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRect(left, rect.top() + 3, room, 17), Qt.AlignmentFlag.AlignVCenter, name)
        small = QFont(option.font)
        small.setPixelSize(10)
        painter.setFont(small)
        note = QFontMetrics(small).elidedText(shown.note, Qt.TextElideMode.ElideRight, room)
        painter.setPen(QColor(palette.MADDER if shown.note == COMPARED else palette.FAINT))
        painter.drawText(QRect(left, rect.top() + 19, room, 15), Qt.AlignmentFlag.AlignVCenter, note)

    def _pixmap(self, picture: Bytes) -> QPixmap:
        if id(picture) not in self._pictures:
            here = {id(row.entry.picture) for row in self._model.rows if row.entry is not None}
            self._pictures = {key: kept for key, kept in self._pictures.items() if key in here}
            # the picture is kept with its pixmap, so that its id stays its own
            self._pictures[id(picture)] = (picture, QPixmap.fromImage(image_of(picture)))
        return self._pictures[id(picture)][1]

    def _figure(self, painter: QPainter, option: QStyleOptionViewItem, shown: Row, number: int) -> None:
        rect = option.rect.adjusted(4, 0, -8, 0)
        cell = self._cell(shown, number, option.font, rect.width())
        painter.setPen(QColor(palette.TEAL if cell.best else palette.INK))
        painter.setFont(cell.font)
        top = QRect(rect.left(), rect.top() + 2, rect.width(), 17)
        painter.drawText(top, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, cell.figure)
        if cell.difference:
            painter.setFont(cell.small)
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(
                QRect(rect.left(), rect.top() + 18, rect.width(), 13),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, cell.difference,
            )
        if cell.share is not None:
            full = min(rect.width(), 84)
            painter.fillRect(
                QRect(rect.right() - full, rect.bottom() - 5, round(full * cell.share), 3),
                QColor(palette.TEAL if cell.best else palette.BAR),
            )

    def _cell(self, shown: Row, number: int, font: QFont, width: int) -> _Cell:
        """What a cell shows. Cached as long as the rows stay the same, because cells are painted far more often than
        they change.
        """
        if self._of is not self._model.rows:
            self._of, self._cells = self._model.rows, {}
        key = shown.choice, number, width
        if key not in self._cells:
            self._cells[key] = self._made_cell(shown, COLUMNS[number], font, width)
        return self._cells[key]

    def _made_cell(self, shown: Row, column: Column, usual: QFont, width: int) -> _Cell:
        best = self._model.is_best(shown, column)
        font, small = QFont(usual), QFont(usual)
        font.setWeight(QFont.Weight.DemiBold if best else QFont.Weight.Normal)
        small.setPixelSize(10)
        figure = ("✓ " if best else "") + cell_text(column, shown)
        if QFontMetrics(font).horizontalAdvance(figure) > width:
            figure = figure.removeprefix("✓ ")  # its colour and weight say it too
        difference, value, share = self._model.difference(shown, column), column.value(shown), None
        if column.bar and value is not None:
            most = max(known for known in map(column.value, self._model.rows) if known is not None)
            share = value / most if most > 0 else 0.0
        return _Cell(
            figure, _fitting(font, figure, width), difference, _fitting(small, difference, width), best, share
        )


def _fitting(font: QFont, words: str, width: int) -> QFont:
    """The font, smaller where the words would not fit. A figure whose first digit is cut off reads as another
    figure.
    """
    fitted = QFont(font)
    while QFontMetrics(fitted).horizontalAdvance(words) > width and fitted.pixelSize() > 7:
        fitted.setPixelSize(fitted.pixelSize() - 1)
    return fitted


class _Heads(QHeaderView):
    """The titles of the columns, broken between words, and smaller where a word is wider than its column."""

    def __init__(self, table: QTableView) -> None:
        super().__init__(Qt.Orientation.Horizontal, table)
        self.setSectionsClickable(True)

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        model, across = self.model(), Qt.Orientation.Horizontal
        words, room = str(model.headerData(section, across)), rect.adjusted(2 if section else 10, 0, -8, -1)
        usual = QFont(self.font())
        usual.setPixelSize(11)
        usual.setWeight(QFont.Weight.Medium)
        painter.save()
        painter.fillRect(rect, QColor(palette.PAPER))
        painter.setPen(QColor(palette.HAIRLINE))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.setPen(QColor(palette.FAINT))
        longest = max(words.split(), key=QFontMetrics(usual).horizontalAdvance, default="")
        painter.setFont(_fitting(usual, longest, room.width()))
        painter.drawText(room, int(model.headerData(section, across, Qt.ItemDataRole.TextAlignmentRole)), words)
        painter.restore()


_NAMES, _NARROW, _FEW = 250, 172, 12
"""Pixels of the column of names: usually, and beside more figures than these."""
_HEADER = 40


class _LedgerTable(QTableView):
    """Enter brings a choice back, F2 renames it, P pins it, Delete removes it, and Ctrl+C copies the table."""

    def __init__(self, state: DeskState, model: LedgerModel) -> None:
        super().__init__()
        self._state, self._rows = state, model
        self.setHorizontalHeader(_Heads(self))
        self.setModel(model)
        self._painter = _Painter(model)
        self.setItemDelegate(self._painter)
        self.setAccessibleName(tr("Ledger of choices"))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        header.resizeSection(0, _NAMES)
        header.setHighlightSections(False)
        header.setFixedHeight(_HEADER)  # two lines: beside many figures a title breaks
        for signal in (model.modelReset, model.dataChanged):
            signal.connect(self._show_columns)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self.clicked.connect(self._clicked)

    def _show_columns(self) -> None:
        """Show the columns that say something. The names get less room where there are many."""
        shown = 0
        for number, column in enumerate(COLUMNS, 1):
            self.setColumnHidden(number, not self._rows.shows(column))
            shown += not self.isColumnHidden(number)
        width = _NAMES if shown <= _FEW else _NARROW
        if self.horizontalHeader().sectionSize(0) in (_NAMES, _NARROW):  # else somebody has drawn it to another width
            self.horizontalHeader().resizeSection(0, width)

    def _choice(self, index: QModelIndex) -> str | None:
        return self._rows.rows[index.row()].choice if index.isValid() else None

    @property
    def current_choice(self) -> str | None:
        return self._choice(self.currentIndex())

    def _clicked(self, index: QModelIndex) -> None:
        choice = self._choice(index)
        if choice is not None:
            self._state.choosing.bring_back(choice)

    def rename_current(self) -> None:
        if self.current_choice not in (None, WHOLE):
            self.edit(self.currentIndex().siblingAtColumn(0))

    def pin_current(self) -> None:
        choice = self.current_choice
        if choice is not None:
            self._state.choosing.pin(None if choice in (WHOLE, self._state.project.pinned) else choice)

    def remove_current(self) -> None:
        choice = self.current_choice
        if choice == WHOLE:
            self._state.choosing.show_whole(shown=False)
        elif choice is not None:
            self._state.choosing.remove(choice)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._clicked(self.currentIndex())
        elif key == Qt.Key.Key_P:
            self.pin_current()
        elif key == Qt.Key.Key_Delete:
            self.remove_current()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy_text()
        else:
            super().keyPressEvent(event)

    def copy_text(self) -> None:
        """Copy the table as it is shown."""
        QGuiApplication.clipboard().setText(as_text(self._rows))
        self._state.told.emit(tr("Copied the table."))

    def copy_csv(self) -> None:
        """Copy the figures of the table."""
        QGuiApplication.clipboard().setText(as_csv(self._rows))
        self._state.told.emit(tr("Copied the figures of the table."))

    def _menu(self, at: QPoint) -> None:
        index = self.indexAt(at)
        choice = self._choice(index)
        if choice is None:
            return
        self.setCurrentIndex(index)
        menu = QMenu(self)
        menu.addAction(tr("Bring back to the bed"), lambda: self._state.choosing.bring_back(choice))
        if choice != WHOLE:
            menu.addAction(tr("Rename"), self.rename_current)
        pinned = self._state.project.pinned == choice
        menu.addAction(
            tr("Stop comparing with this one") if pinned else tr("Compare the others with this one"), self.pin_current
        )
        menu.addAction(tr("Remove"), self.remove_current)
        menu.exec(self.viewport().mapToGlobal(at))


class Ledger(QWidget):
    rows_changed = Signal()
    """There are more rows, or fewer: ``wanted_height`` is another one."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("bottom")
        self._state = state
        self.model = LedgerModel(state)
        self.table = _LedgerTable(state, self.model)
        self._empty = label(tr("Open a model. This table compares what each way to tilt and cut it costs."), "faint")
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 1, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.table, 1)
        column.addWidget(self._empty, 1)
        keep = button(
            tr("Keep what is on the bed as a choice  "
               "(Ctrl+K)"), tr("Adds the plan on the bed to the ledger."), state.choosing.keep
        )
        pin = button(
            tr_in("to compare with", "Pin"),
            tr("Compares the other rows with the selected one (P)."),
            self.table.pin_current,
        )
        rename = button(tr("Rename"), tr("Renames the selected choice (F2)."), self.table.rename_current)
        remove = button(
            tr("Remove"), tr("Removes the selected row from the ledger (Delete)."), self.table.remove_current
        )
        self._buttons = (keep, pin, rename, remove)
        self.copy = button(tr("Copy"), tr("Copies the table as it is shown, so that you can paste it elsewhere "
                                          "(Ctrl+C)."),
                           self.table.copy_text)
        self.copy_csv = button(tr("Copy as CSV"), tr("Copies the figures with all their digits, and their units in "
                                                     "the head."),
                               self.table.copy_csv)
        self.whole = button(tr("Add as opened"), tr("Puts the model as it was opened back into the ledger."),
                            lambda: state.choosing.show_whole(shown=True))
        for part in (*self._buttons, self.whole, self.copy, self.copy_csv):
            part.setProperty("role", "small")
        self._advice = Elided("faint")
        self.foot = row(*self._buttons, self.whole, self._advice, 1, self.copy, self.copy_csv)
        self.foot.setContentsMargins(10, 4, 10, 4)
        column.addLayout(self.foot)
        for signal in (state.project_changed, self.table.selectionModel().currentChanged):
            signal.connect(lambda *_: self.refresh())
        self.model.modelReset.connect(self.refresh)
        self.model.modelReset.connect(self.rows_changed)
        self.refresh()

    @property
    def wanted_height(self) -> int:
        """The height in pixels of all rows, at least one, with the title and the header."""
        rows = max(len(self.model.rows), 1)
        return self.table.horizontalHeader().height() + rows * ROW_HEIGHT + self.foot.sizeHint().height() + 4

    def refresh(self) -> None:
        there = self._state.is_open
        self.table.setVisible(there)
        self._empty.setVisible(not there)
        for part in (self._buttons[0], self.copy, self.copy_csv):
            part.setEnabled(there)
        alone = there and not self._state.project.choices
        self._advice.setText(
            tr("Keep a choice, then change something. Both are listed here with their figures.") if alone else ""
        )
        chosen = self.table.current_choice
        for part in self._buttons[1:]:
            part.setEnabled(chosen is not None)
        self._buttons[2].setEnabled(chosen not in (None, WHOLE))
        pinned = chosen is not None and self._state.project.pinned == chosen
        self._buttons[1].setText(tr("Unpin") if pinned else tr_in("to compare with", "Pin"))
        self.whole.setVisible(there and not self._state.project.whole)
