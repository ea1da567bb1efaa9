"""The title strip and the ledger: what stays in its place, and what takes the room that it needs."""

from __future__ import annotations

import csv
import io

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QFontMetrics, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QToolButton

from deft_slab.desk.ledger import view
from deft_slab.desk.ledger.model import COLUMNS
from deft_slab.desk.ledger.view import ROW_HEIGHT
from deft_slab.desk.look import palette
from deft_slab.desk.storage.settings import load_settings
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


def test_in_hand_off_the_ledger_tells_beds_and_cost(desk, tee):
    def shown():
        table = desk.window.ledger.table
        return {column.title for n, column in enumerate(COLUMNS, 1) if not table.isColumnHidden(n)}

    desk.open(tee)
    assert not {"beds", "job", "cost"} & shown()
    before = shown()
    desk.go(6)
    assert {"beds", "job", "cost"} <= shown()
    assert not {"touched", "hard to reach", "time"} & shown()
    model, work = desk.window.ledger.model, desk.state.bedding.work
    row = next(n for n, one in enumerate(model.rows) if one.choice is None)
    said = {column.title: model.data(model.index(row, n)) for n, column in enumerate(COLUMNS, 1)}
    assert said["beds"] == f"{len(work.beds)}"
    assert said["cost"] == f"{work.cost:,.2f}"
    desk.go(3)
    assert shown() == before


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


def test_the_model_as_it_came_is_the_first_row_from_the_first_minute(desk, tee):
    """Whole against cut without a step of the user's; it follows the size, is put on the bed by a click, can be
    dismissed and comes back.
    """
    desk.open(tee)
    state, table, model = desk.state, desk.window.ledger.table, desk.window.ledger.model
    assert [row.name for row in model.rows] == ["As opened", "On the bed now"]
    assert model.rows[1].note == "same as “As opened”"
    support = next(column for column in COLUMNS if column.title == "support")
    before = support.value(model.rows[0])
    state.cutting.add((0.0, 0.0, 1.0), 60.0)
    desk.settle()
    assert support.value(model.rows[0]) == before
    assert model.difference(model.rows[1], support).startswith("−")
    cut = state.plan
    state.sizing.resize(scale=2.0)
    desk.settle()
    assert support.value(model.rows[0]) == pytest.approx(8 * before, rel=1e-3)
    desk.undo()
    desk.row(0)
    desk.settle()
    assert state.plan == cut.as_it_came
    assert len(state.pieces) == 1
    desk.undo()
    desk.settle()
    assert state.plan == cut
    table.setCurrentIndex(model.index(0, 0))
    assert not desk.window.ledger._buttons[2].isEnabled()
    table.setFocus()
    desk.key(Qt.Key.Key_Delete, widget=table)
    assert [row.name for row in model.rows] == ["On the bed now"]
    assert model.compared_with is None
    desk.click(desk.window.ledger.whole)
    desk.settle()
    assert [row.name for row in model.rows] == ["As opened", "On the bed now"]
    state.choosing.keep()
    assert state.project.pinned is None
    table.setCurrentIndex(model.index(2, 0))
    table.setFocus()
    desk.key(Qt.Key.Key_P, widget=table)
    assert model.compared_with.name == "Choice 1"
    table.setCurrentIndex(model.index(0, 0))
    desk.key(Qt.Key.Key_P, widget=table)
    assert model.compared_with.name == "As opened"


def test_the_table_is_copied_as_text_and_as_numbers(desk, tee):
    desk.open(tee)
    desk.state.choosing.keep_plan(desk.state.plan, "Kept, as it was")
    desk.settle()
    ledger, clipboard = desk.window.ledger, QGuiApplication.clipboard()
    ledger.table.setFocus()
    QTest.keyClick(ledger.table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    lines = [line.split("\t") for line in clipboard.text().splitlines()]
    assert lines[0][:3] == ["choice", "pieces", "overhang"]
    assert [line[0] for line in lines[1:]] == [row.name for row in ledger.model.rows]
    assert len({len(line) for line in lines}) == 1
    assert "cm" in lines[1][lines[0].index("overhang")]
    desk.click(ledger.copy_csv)
    rows = list(csv.DictReader(io.StringIO(clipboard.text())))
    assert [row["choice"] for row in rows] == [row.name for row in ledger.model.rows]
    totals = desk.state.evaluated.outcome.totals
    own = next(row for row, shown in zip(rows, ledger.model.rows, strict=True) if shown.choice is None)
    assert float(own["overhang mm2"]) == pytest.approx(totals.overhang_area_mm2, abs=1e-6)
    assert float(own["support mm3"]) == pytest.approx(totals.support_volume_mm3, abs=1e-6)


def test_a_title_with_a_long_word_is_written_smaller_and_not_cut_off(desk, tee, monkeypatch):
    """What is wider than its column loses its first letters, for titles end at the right."""
    desk.open(tee)
    head = desk.window.ledger.table.horizontalHeader()
    narrow = min((n for n in range(1, head.count()) if not head.isSectionHidden(n)), key=head.sectionSize)
    titles, fitting = head.model().headerData, view._fitting
    word = "Klebeflächengröße"  # as long as words are in other languages
    monkeypatch.setattr(head.model(), "headerData",
                        lambda n, *of: f"die {word}" if n == narrow and len(of) == 1 else titles(n, *of))
    written = {}

    def noted(font, words, width):
        written[words] = fitting(font, words, width), width
        return written[words][0]

    monkeypatch.setattr(view, "_fitting", noted)
    head.viewport().grab()
    font, room = written[word]
    assert room < head.sectionSize(narrow)
    assert QFontMetrics(font).horizontalAdvance(word) <= room
    assert font.pixelSize() < max(font.pixelSize() for font, _ in written.values()) == 11
