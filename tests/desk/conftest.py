"""The real window under a virtual screen, with the real worker process."""

from __future__ import annotations

import gc
import math
import os

import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QColorDialog, QDialog, QFileDialog, QInputDialog, QLabel, QMessageBox
from shiboken6 import delete, isValid

from deft_slab.desk.desk_state import DeskState
from deft_slab.desk.look.theme import dress
from deft_slab.desk.messages.jobs import Jobs
from deft_slab.desk.refresh import batching
from deft_slab.desk.refresh.garbage import Garbage
from deft_slab.desk.start import settled
from deft_slab.desk.storage.settings import Settings
from deft_slab.desk.widgets.pages import Pages
from deft_slab.desk.window.window import Window
from deft_slab.desk.worker.process import run_process
from tests.shapes import light_project

PATIENCE = int(os.environ.get("DEFT_SLAB_PATIENCE", "300000"))
"""ms after which something that should come is given up: far beyond what a machine under load takes."""


@pytest.fixture(scope="package", autouse=True)
def _garbage(qapp):
    """Collected as in the program."""
    garbage = Garbage(qapp)
    yield
    if isValid(garbage):
        delete(garbage)
    gc.enable()


@pytest.fixture(scope="session")
def jobs(qapp):
    dress(qapp)
    jobs = Jobs(run_process)
    yield jobs
    jobs.close()
    # the program's connection to the virtual screen is closed before the screen goes; else Qt ends the run with 1
    qapp.shutdown()


def words(widget) -> str:
    """All that can be read on a widget."""
    return " | ".join(found.text() for found in widget.findChildren(QLabel) if not _put_away(found, widget))


def _put_away(found, widget) -> bool:
    """Whether something on a widget was hidden; what was only just put there, and is shown in a moment, was not."""
    while found is not None and found is not widget:
        if found.isHidden() and found.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide):
            return True
        found = found.parentWidget()
    return False


class Desk:
    """The window, and what a person does to it."""

    def __init__(self, qtbot, window):
        self.qtbot, self.window, self.state, self.bed = qtbot, window, window.state, window.bed

    def settle(self):
        self.qtbot.waitUntil(lambda: settled(self.state), timeout=PATIENCE)
        self.qtbot.wait(20)

    def drawn(self):
        """Waits until what is shown is drawn, and what is worked out beside the window is there."""
        self.qtbot.waitUntil(lambda: self.window.drawn, timeout=PATIENCE)

    def look_from(self, view):
        self.window.bed.look_from(view)
        self.settle()
        self.drawn()

    def open(self, path):
        self.state.opening.open(path)
        self.qtbot.waitUntil(lambda: not self.state.jobs.busy_with("open"), timeout=PATIENCE)
        self.settle()

    def reveal(self, widget):
        """Turns to the page that a widget is on, by its tab."""
        for pages in self.window.findChildren(Pages):
            for name, page in pages.pages.items():
                if (page is widget or page.isAncestorOf(widget)) and pages.isVisible() and not page.isVisible():
                    QTest.mouseClick(pages.tabs[name], Qt.MouseButton.LeftButton)

    def read(self, page):
        """All that can be read on a page, once it is turned to."""
        self.reveal(page)
        self.qtbot.wait(20)
        return words(page)

    def click(self, widget):
        self.reveal(widget)
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton)

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier, widget=None):
        QTest.keyClick(widget or self.window, key, modifier)

    def type(self, field, text):
        self.reveal(field)
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)

    def go(self, number):
        self.key(Qt.Key(Qt.Key.Key_0 + number), Qt.KeyboardModifier.ControlModifier)
        self.qtbot.wait(20)

    def undo(self):
        self.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)

    def press_and_drag(self, start, by: QPoint, steps=6, button=Qt.MouseButton.LeftButton):
        """Presses and drags, and leaves the button down; as a person does, once what is meant is in sight."""
        self.drawn()
        at = start.toPoint() if hasattr(start, "toPoint") else start
        QTest.mousePress(self.bed, button, Qt.KeyboardModifier.NoModifier, at)
        for step in range(1, steps + 1):
            QTest.mouseMove(self.bed, at + by * step / steps)
            self.qtbot.wait(15)
        return at + by

    def release(self, at, button=Qt.MouseButton.LeftButton):
        QTest.mouseRelease(self.bed, button, Qt.KeyboardModifier.NoModifier, at)

    def row(self, number):
        """Clicks a row of the ledger."""
        table = self.window.ledger.table
        place = table.visualRect(table.model().index(number, 0)).center()
        QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place)


def _nobody(*_):
    raise AssertionError("a dialog waits for an answer, and nobody is there")


@pytest.fixture(autouse=True)
def _at_once(monkeypatch):
    """No test waits for motion, or for refreshes that are spread, but those that are of it."""
    monkeypatch.setattr(batching, "TURN", math.inf)
    monkeypatch.setattr(Settings.model_fields["motion"], "default", False)
    Settings.model_rebuild(force=True)


@pytest.fixture
def desk(qtbot, jobs, monkeypatch):
    # a test that is to answer says how; else it would wait for ever
    for dialog, ask in (
        (QDialog, "exec"),
        (QInputDialog, "getText"),
        (QFileDialog, "getOpenFileName"),
        (QFileDialog, "getSaveFileName"),
        (QFileDialog, "getExistingDirectory"),
        (QMessageBox, "information"),
        (QMessageBox, "warning"),
        (QColorDialog, "getColor"),
    ):
        monkeypatch.setattr(dialog, ask, _nobody)
    # nobody answers in a test, unless it says how: what is not saved is left
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Discard)
    window = Window(DeskState(jobs))
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)
    desk = Desk(qtbot, window)
    yield desk
    jobs.cancel()
    qtbot.waitUntil(lambda: not jobs.busy, timeout=PATIENCE)
    window.bed.sleep()
    window.twin.sleep()
    window.state.close()
    window.hide()
    window.deleteLater()
    qtbot.wait(20)


@pytest.fixture(scope="session")
def light_demo(tmp_path_factory):
    """The demo project, of few triangles."""
    return light_project(tmp_path_factory.mktemp("demo"))


@pytest.fixture
def tee(tmp_path):
    """A beam across a post, as a file: 80 x 20 x 20 on 20 x 20 x 60."""
    post = trimesh.creation.box((20, 20, 62))
    post.apply_translation([0, 0, 31])
    beam = trimesh.creation.box((80, 20, 20))
    beam.apply_translation([0, 0, 70])
    path = tmp_path / "cross_beam.stl"
    trimesh.boolean.union([post, beam], engine="manifold").export(path)
    return path
