"""What a screen reader is told: the name of all that can be reached by keys, and tables row by row."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QAbstractScrollArea, QComboBox, QLabel, QScrollArea, QTableView, QWidget

from deft_slab.desk.actions.keys_dialog import KeysDialog
from deft_slab.desk.dialogs.comfort import ComfortDialog
from deft_slab.desk.dialogs.printer import PrinterDialog
from deft_slab.desk.dialogs.recipes import RecipesDialog
from deft_slab.desk.dialogs.trouble_report import ReportDialog
from deft_slab.desk.widgets.pages import Pages


def nameless(root):
    """All below a widget that takes the keys and says nothing of what it is."""
    found = []
    for widget in root.findChildren(QWidget):
        if widget.focusPolicy() == Qt.FocusPolicy.NoFocus or isinstance(widget, QScrollArea):
            continue
        if isinstance(widget, QLabel) and not widget.text():
            continue  # nothing is said there now
        above = [widget]
        while above[-1].parent() is not None:
            above.append(above[-1].parent())
        # lists that belong to a box, and the views and fields that are within others, are read as those
        if any(isinstance(one, QComboBox | QAbstractScrollArea) and one is not root for one in above[1:]
               if not isinstance(one, QScrollArea)):
            continue
        told = QAccessible.queryAccessibleInterface(widget)
        name = told.text(QAccessible.Text.Name) if told is not None else widget.accessibleName()
        if not name.strip():
            found.append(f"{type(widget).__name__} {widget.objectName()} {widget.toolTip()[:60]}")
    return found


def test_all_that_takes_the_keys_has_a_name(desk, tee):
    desk.open(tee)
    for number in range(1, 7):
        desk.go(number)
        desk.settle()
    for panel in desk.window.panels.values():
        if isinstance(panel, Pages):
            for tab in panel.tabs.values():
                tab.click()
    assert nameless(desk.window) == []


@pytest.mark.parametrize("made", [
    lambda desk: PrinterDialog(desk.state, desk.window),
    lambda desk: RecipesDialog(desk.state, desk.window),
    lambda desk: ReportDialog(desk.state, desk.window),
    lambda desk: ComfortDialog(desk.state, desk.window.redress, desk.window),
    lambda desk: KeysDialog(desk.state, desk.window._actions, desk.window._set_keys, desk.window),
])
def test_dialogs_too(desk, made):
    dialog = made(desk)
    assert nameless(dialog) == []
    for table in dialog.findChildren(QTableView):
        assert table.accessibleName()


def test_the_ledger_is_read_row_by_row(desk, light_demo):
    """The first cell of a row says all of it: its name, then each figure with what it is."""
    desk.open(light_demo)
    model = desk.window.ledger.table.model()
    told = model.index(1, 0).data(Qt.ItemDataRole.AccessibleTextRole)
    assert told.startswith("On the bed now")
    for name in ("pieces", "overhang", "support", "time"):
        assert f", {name} " in told
    first = model.index(1, 2).data(Qt.ItemDataRole.AccessibleTextRole)
    assert first.startswith("overhang ")
    assert model.index(1, 2).data(Qt.ItemDataRole.DisplayRole) in first
