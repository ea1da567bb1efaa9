"""Labels, rows and buttons in the style of the desk."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from html import escape

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ...core.locale.translate import tr
from ..meanings import hover
from ..refresh.batching import gathered


def plain(words: str) -> str:
    """Escape foreign words (names, paths, messages) for a tooltip or a question, which would read "<" as mark-up."""
    return f"<p>{escape(words)}</p>" if "<" in words else words


def label(text: str, role: str = "", *, wrap: bool = False, rich: bool = False) -> QLabel:
    """A label. Roles: head, title, faint, good, look, figure, chip.

    Parameters
    ----------
    rich : bool
        Whether the text has mark-up. All foreign words in it must be escaped.
    """
    found = QLabel()
    # names and messages are whatever a file says: no mark-up is looked for in them
    found.setTextFormat(Qt.TextFormat.RichText if rich else Qt.TextFormat.PlainText)
    found.setText(text)
    if role:
        found.setProperty("role", role)
    found.setWordWrap(wrap)
    return found


class Elided(QLabel):
    """A line that ends in "…" where there is not enough room. Its tooltip has the full text."""

    def __init__(self, role: str) -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setProperty("role", role)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)

    def minimumSizeHint(self) -> QSize:
        return QSize(min(60, super().sizeHint().width()), super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        short = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        self.setToolTip("" if short == self.text() else plain(self.text()))
        self.style().drawItemText(
            QPainter(self), self.rect(), int(Qt.AlignmentFlag.AlignVCenter), self.palette(), True, short,
            self.foregroundRole(),
        )


def restyle(widget: QWidget) -> None:
    """Apply the style sheet again after a name or property that it selects by has changed."""
    widget.style().unpolish(widget)
    widget.style().polish(widget)


def say(found: QLabel, text: str, role: str) -> None:
    """Change the text and role of a label."""
    found.setText(text)
    if found.property("role") != role:
        found.setProperty("role", role)
        restyle(found)


def button(text: str, does: str, act: Callable[[], object], *, role: str = "", checkable: bool = False) -> QPushButton:
    """A button.

    Parameters
    ----------
    does : str
        The tooltip: what the button does to the figures.
    """
    found = QPushButton(text)
    found.setToolTip(does)
    found.setAccessibleName(text if any(letter.isalpha() for letter in text) else does)
    found.setCheckable(checkable)
    if role:
        found.setProperty("role", role)
    found.clicked.connect(lambda _checked=False: gathered()(act)())
    return found


def line() -> QFrame:
    found = QFrame()
    found.setProperty("role", "line")
    return found


def row(*parts: QWidget | int, spacing: int = 6) -> QHBoxLayout:
    """Widgets side by side; a number is a stretch."""
    layout = QHBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    for part in parts:
        if isinstance(part, int):
            layout.addStretch(part)
        else:
            layout.addWidget(part)
    return layout


def figure_row(name: str, tip: str = "") -> tuple[QHBoxLayout, QLabel]:
    """A name on the left and, on the right, a label for a figure."""
    value = label("", "figure")
    value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    title = label(tr(name), "faint")
    title.setToolTip(hover(name, tip))
    value.setToolTip(hover(name, tip))
    value.setAccessibleName(tr(name))
    return row(title, 1, value), value


class ListColumn(QVBoxLayout):
    """A column that is emptied and filled while it is visible.

    Qt shows each widget that is added to a visible layout separately, and lays out the whole window for each. Here
    the widgets are shown when they are added, and laid out once.
    """

    def addWidget(self, widget: QWidget) -> None:  # type: ignore[override]
        super().addWidget(widget)
        self._show(widget)

    def insertWidget(self, index: int, widget: QWidget) -> None:  # type: ignore[override]
        super().insertWidget(index, widget)
        self._show(widget)

    def addLayout(self, layout: QLayout) -> None:  # type: ignore[override]
        super().addLayout(layout)
        self._show(*_widgets_of(layout))

    def _show(self, *widgets: QWidget) -> None:
        holder = self.parentWidget()
        whole = holder.layout() if holder is not None and holder.isVisible() else None
        if whole is None:
            return
        whole.setEnabled(False)
        for widget in widgets:
            if not widget.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide):
                widget.show()
        whole.setEnabled(True)


def _widgets_of(layout: QLayout) -> Iterator[QWidget]:
    for number in range(layout.count()):
        item = layout.itemAt(number)
        widget, inner = (item.widget(), item.layout()) if item is not None else (None, None)
        if widget is not None:
            yield widget
        elif inner is not None:
            yield from _widgets_of(inner)


class Panel(QScrollArea):
    """A column of widgets that scrolls when it must."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._figure_rows: dict[str, QHBoxLayout] = {}
        inside = QWidget()
        self.column = QVBoxLayout(inside)
        self.column.setContentsMargins(14, 10, 14, 8)
        self.column.setSpacing(5)
        self.setWidget(inside)

    def add(self, part: QWidget | QLayout) -> None:
        if isinstance(part, QWidget):
            self.column.addWidget(part)
        else:
            self.column.addLayout(part)

    def add_list(self) -> ListColumn:
        """Add a column to be emptied and filled."""
        holder = QWidget()
        inner = ListColumn(holder)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(4)
        self.add(holder)
        return inner

    def add_figures(self, *named: tuple[str, str]) -> dict[str, QLabel]:
        """Add a row for each name and tooltip. Returns the labels of the figures by name."""
        found = {}
        for name, tip in named:
            layout, found[name] = figure_row(name, tip)
            self._figure_rows[name] = layout
            self.add(layout)
        return found

    def show_figure(self, name: str, on: bool) -> None:
        """Show or hide a row of ``add_figures``."""
        layout = self._figure_rows[name]
        for part in (layout.itemAt(number) for number in range(layout.count())):
            widget = part.widget() if part is not None else None
            if widget is not None:
                widget.setVisible(on)

    def head(self, text: str) -> QLabel:
        if self.column.count():
            self.column.addSpacing(5)
        made = label(text, "head")
        self.column.addWidget(made)
        return made


def taken_out(layout: QLayout, widget: QWidget) -> None:
    """Remove a widget from a layout and delete it."""
    layout.removeWidget(widget)
    widget.hide()
    widget.deleteLater()


def emptied(layout: QLayout) -> None:
    """Remove and delete everything in a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            taken_out(layout, widget)
        elif inner is not None:
            emptied(inner)


class ClickRow(QFrame):
    """A row that can be clicked, or chosen with Space or Enter. F2 counts as a double click."""

    clicked = Signal()
    double_clicked = Signal()

    def __init__(self, name: str) -> None:
        """Parameters
        ----------
        name : str
            The object name, which the style sheet selects by: "chosen" or another.
        """
        super().__init__()
        self.setObjectName(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.double_clicked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.clicked.emit()
        elif event.key() == Qt.Key.Key_F2:
            self.double_clicked.emit()
        else:
            super().keyPressEvent(event)


class SaidRow(ClickRow):
    """A row of a list: a title, and a line below it about its state."""

    def __init__(self, title: str, said: str, role: str, tip: str, *, chosen: bool) -> None:
        """Parameters
        ----------
        role : str
            The role of that line, for the style sheet.
        """
        super().__init__("chosen" if chosen else "row")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 3, 8, 3)
        column.setSpacing(1)
        column.addWidget(label(title, "title", wrap=True))
        column.addWidget(label(said, role, wrap=True))
        self.setAccessibleName(f"{title}. {said}")
        self.setToolTip(tip)


class Swatch(QWidget):
    """A small square of colour."""

    def __init__(self, colour: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._colour = QColor(colour)
        self.setFixedSize(12, 12)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(self._colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(self.rect(), 2, 2)
        painter.end()
