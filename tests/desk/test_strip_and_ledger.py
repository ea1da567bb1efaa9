"""The title strip and the ledger: what stays in its place, and what takes the room that it needs."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QToolButton

from deft_slab.desk.ledger.view import ROW_HEIGHT
from deft_slab.desk.look import palette
from deft_slab.desk.settings import load_settings
from tests.desk.conftest import PATIENCE


def steps(window) -> list[tuple[int, int]]:
    """Where the buttons of the steps are, from the window's left edge."""
    found = [button for button in window.findChildren(QToolButton) if button.property("role") == "step"]
    return [(button.mapTo(window, QPoint(0, 0)).x(), button.width()) for button in found]


def test_the_steps_keep_their_places_whatever_the_name(desk, tee):
    before = steps(desk.window)
    assert len(before) == 6
    desk.open(tee)
    assert steps(desk.window) == before
    long = "A name that somebody has given to a very long prop with many parts, and then some more of it"
    desk.state.do("rename", desk.state.project.changed(title=long))
    desk.settle()
    assert steps(desk.window) == before
    assert desk.window.strip.title.text() == long
    assert desk.window.strip.title.width() < desk.window.strip.title.sizeHint().width()
    assert long in desk.window.strip.title.toolTip()
    assert desk.window.strip.size_label.isVisible()
    end = desk.window.strip.size_label.mapTo(desk.window, QPoint(desk.window.strip.size_label.width(), 0)).x()
    assert end <= before[0][0]


def test_the_ledger_takes_the_height_of_its_rows(desk, tee):
    desk.open(tee)
    window, state = desk.window, desk.state
    heights = [window.ledger.height()]
    for number in range(4):
        state.sizing.resize(scale=1.0 + number / 10)
        desk.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        desk.settle()
        heights.append(window.ledger.height())
    # each row takes its own, up to the line
    assert heights[1] - heights[0] == heights[2] - heights[1] == ROW_HEIGHT
    assert heights[-1] == state.settings.ledger_height
    assert window.ledger.table.verticalScrollBar().isVisible()
    assert window.bed.height() + window.ledger.height() > window.height() - 60


def test_where_the_line_over_the_ledger_is_drawn_is_remembered(desk, tee):
    desk.open(tee)
    window, state = desk.window, desk.state
    for number in range(6):
        state.sizing.resize(scale=1.0 + number / 10)
        state.choosing.keep()
    desk.settle()
    handle = window._splitter.handle(1)
    before = window.ledger.height()
    at = handle.rect().center()
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    for step in range(1, 6):
        QTest.mouseMove(handle, at - QPoint(0, 9 * step))
        at = handle.rect().center()
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton)
    higher = window.ledger.height()
    assert higher > before
    desk.qtbot.waitUntil(lambda: load_settings().ledger_height == higher, timeout=PATIENCE)
    state.choosing.remove("k1")
    state.choosing.keep()
    desk.settle()
    assert window.ledger.height() == higher
    window.resize(1400, 900)
    desk.qtbot.waitUntil(lambda: window.ledger.height() == higher, timeout=PATIENCE)


def lit(button) -> bool:
    """Whether a button has a border of the colour of what is chosen."""
    image, wanted = button.grab().toImage(), QColor(palette.MADDER)
    seen = [image.pixelColor(x, 0) for x in range(8, image.width() - 8)]
    return any(abs(one.red() - wanted.red()) + abs(one.green() - wanted.green()) < 24 for one in seen)


def test_a_toggle_that_is_lit_is_on(desk, tee):
    """The twin view's button is hidden under the pointer when it is pressed, and has the focus when it comes back."""
    desk.open(tee)
    desk.state.choosing.keep()
    desk.go(2)
    desk.settle()
    window = desk.window
    assert lit(window.frame.overhang) == window.frame.overhang.isChecked() is True
    desk.click(window.frame.overhang)
    assert lit(window.frame.overhang) == window.frame.overhang.isChecked() is False
    QTest.mouseMove(window.frame.twin_button)
    desk.click(window.frame.twin_button)
    assert window._middles.currentIndex() == 1
    window.show_twin(shown=False)
    window.frame.twin_button.setFocus()
    desk.qtbot.waitUntil(window.frame.twin_button.isVisible, timeout=PATIENCE)
    assert not window.frame.twin_button.underMouse()
    assert not lit(window.frame.twin_button)
