"""All that can be done in one list: found by plain words, done from it, put on other keys."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest

from deft_slab.desk.actions import table
from deft_slab.desk.actions.keys_dialog import KeysDialog, found_by
from deft_slab.desk.storage.settings import load_settings
from tests.desk.conftest import PATIENCE, words


@pytest.fixture
def keys(desk):
    """The list, as the window opens it, but not waited for."""
    window = desk.window
    dialog = KeysDialog(desk.state, window._actions, window._set_keys, window)
    dialog.show()
    yield dialog
    dialog.close()


def rows(dialog):
    return [dialog.table.item(number, 0).text() for number in range(dialog.table.rowCount())]


def press(dialog, key, modifier):
    dialog.edit.setFocus()
    QTest.keyClick(dialog.edit, key, modifier)


def test_all_actions_are_listed_and_found_by_plain_words(desk, keys):
    assert len(rows(keys)) == len(table.ALL) + len(table.ELSEWHERE)
    assert keys.chosen is table.ALL[0]
    QTest.keyClicks(keys.search, "PROJECT another")
    assert rows(keys) == ["Save as"]
    keys.search.setText("zzz")
    assert rows(keys) == []
    assert "No action matches these words." in words(keys)
    assert not keys.do.isEnabled()
    assert found_by("", "anything")
    assert found_by("turn left", "Changes whether a left drag turns")
    assert not found_by("turn right", "Changes whether a left drag turns")


def test_its_keys_open_it_and_enter_does_what_was_found(desk, monkeypatch):
    opened = []

    def used(dialog):
        opened.append(dialog)
        dialog.show()
        QTest.keyClicks(dialog.search, "step check")
        QTest.keyClick(dialog, Qt.Key.Key_Return)
        return 1

    monkeypatch.setattr(KeysDialog, "exec", used)
    desk.key(Qt.Key.Key_F1, Qt.KeyboardModifier.ControlModifier)
    assert len(opened) == 1
    assert not opened[0].isVisible()
    assert desk.state.step == "Check"


def test_an_action_is_put_on_other_keys_and_that_is_remembered(desk, keys):
    made = desk.window._actions["report"]
    assert made.shortcuts() == []
    keys.search.setText("report")
    press(keys, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    desk.click(keys.put)
    assert "already runs “Keep as a choice”" in words(keys)
    assert made.shortcuts() == []
    press(keys, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    desk.click(keys.put)
    assert made.shortcuts() == [QKeySequence("Ctrl+Alt+R")]
    desk.qtbot.waitUntil(lambda: load_settings().keys == {"report": "Ctrl+Alt+R"}, timeout=PATIENCE)
    assert keys.table.item(0, 2).text() == "Ctrl+Alt+R"
    desk.click(keys.usual)
    assert made.shortcuts() == []
    desk.qtbot.waitUntil(lambda: load_settings().keys == {}, timeout=PATIENCE)
    # what is taken off a key is free for another
    keys.search.setText("keep as a choice")
    desk.click(keys.none)
    assert desk.window._actions["keep"].shortcuts() == []
    keys.search.setText("report")
    press(keys, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    desk.click(keys.put)
    assert made.shortcuts() == [QKeySequence("Ctrl+K")]


def test_what_cannot_be_done_now_is_listed_and_not_done(desk, keys):
    keys.search.setText("undoes the last step")
    assert rows(keys) == ["Undo"]
    assert not keys.do.isEnabled()
    QTest.keyClick(keys, Qt.Key.Key_Return)
    assert keys.isVisible()


def test_nothing_is_put_on_no_keys_by_accident(desk, keys):
    keys.search.setText("report")
    desk.click(keys.put)
    assert "Press the keys in the field first." in words(keys)
    assert desk.state.settings.keys == {}
