"""Writes docs/screenshots from the demo data by driving the real window (``./deft shots``)."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from ..core.printers.profile import shipped_printers
from ..demo import MODELS, PROJECT, TROUBLED
from .desk_state import DeskState
from .dialogs.printer import PrinterDialog
from .look.theme import dress
from .messages.jobs import Jobs
from .scene.turning_pole import PoleTurn
from .start import settled
from .window.window import Window
from .worker.process import run_behind

FOLDER = Path(__file__).resolve().parents[3] / "docs" / "screenshots"
_PATIENCE = 400.0
_LITTLE_LEFT = 0.1


class Photographer:
    """Drives the window with mouse and keyboard, and takes its picture."""

    def __init__(self, application: QApplication, folder: Path) -> None:
        self._application, self._folder = application, folder
        self.window = Window(DeskState(Jobs(run_behind)))
        self.window.show()
        self.window.activateWindow()
        QTest.qWaitForWindowActive(self.window)
        self.state = self.window.state

    def until(self, ready: Callable[[], bool]) -> None:
        """Let the window work until a condition holds.

        Raises
        ------
        TimeoutError
            It did not within some minutes.
        """
        end = time.monotonic() + _PATIENCE
        while not (ready() and self.window.drawn):
            if time.monotonic() > end:
                raise TimeoutError(f"the window did not get ready; notice: {self.window.notice.text!r}")
            self._application.processEvents()
            time.sleep(0.01)
        for _ in range(5):
            self._application.processEvents()
            time.sleep(0.02)

    def settle(self) -> None:
        self.until(lambda: settled(self.state))

    def open(self, path: Path) -> None:
        self.state.opening.open(path)
        self.until(lambda: settled(self.state) and not self.state.jobs.busy_with("open"))

    def go(self, step: str) -> None:
        QTest.keyClick(
            self.window,
            Qt.Key(Qt.Key.Key_1 + list(self.window.panels).index(step)),
            Qt.KeyboardModifier.ControlModifier,
        )
        self.settle()

    def shoot(self, name: str, widget: QWidget | None = None) -> None:
        path = self._folder / f"{name}.png"
        if not (widget or self.window).grab().save(str(path), "PNG"):
            raise OSError(f"{path} could not be written")
        print(path.name)


def _panel(window: Window, step: str) -> Any:
    """The panel of a step; each has parts of its own."""
    return window.panels[step]


def main(folder: Path = FOLDER) -> int:
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as own:
        os.environ["DEFT_SLAB_HOME"] = own  # pictures show the program as it is when it is new
        return _taken(folder)


def _taken(folder: Path) -> int:
    application = QApplication(sys.argv[:1])
    dress(application)
    eye = Photographer(application, folder)
    window = eye.window
    window.state.opening.may_leave = lambda: True
    eye.open(PROJECT)
    _tilting(eye)
    _cutting(eye)
    _checking(eye)
    _sizing(eye)
    _first_job_in_the_dark(eye)
    window.state.jobs.close()
    window.state.close()
    window.bed.sleep()
    window.twin.sleep()
    return 0


def _tilting(eye: Photographer) -> None:
    """The gull's seats, its costs from below, its show faces, a lean by its pole, and two choices in twin view."""
    window, state = eye.window, eye.state
    panel, bed = _panel(window, "Tilt"), window.bed
    eye.until(lambda: bool(state.seating.seats))
    eye.shoot("tilt")
    panel.turn_to("Costs")
    window.frame.below.click()
    eye.settle()
    state.flown_to.emit(0, state.pieces[0].spots[0])
    eye.settle()
    eye.shoot("tilt-from-below")
    window.frame.below.click()
    panel.turn_to("By hand")
    QTest.mouseClick(panel.by_hand.drag, Qt.MouseButton.LeftButton)
    eye.settle()
    pole = bed.hand.pole
    assert pole is not None
    place = bed.camera.project(pole.knobs(PoleTurn())["lean"], bed.width(), bed.height())[0]
    start = QPoint(*(int(value) for value in place))
    QTest.mousePress(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    for step in range(1, 7):
        QTest.mouseMove(bed, start + QPoint(6 * step, -4 * step))
        eye.until(lambda: not state.jobs.busy_with("live"))
    eye.shoot("tilt-by-hand")
    QTest.keyClick(bed, Qt.Key.Key_Escape)
    QTest.mouseRelease(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start + QPoint(36, -24))
    QTest.keyClick(bed, Qt.Key.Key_Escape)
    eye.settle()
    bed.look_from("From the front corner")
    panel.turn_to("Find")
    eye.settle()
    QTest.mouseClick(window.frame.twin_button, Qt.MouseButton.LeftButton)
    eye.until(lambda: all(pane.evaluated is not None for pane in window.twin.panes))
    eye.shoot("tilt-twin")
    QTest.mouseClick(window.twin.close_button, Qt.MouseButton.LeftButton)


def _cutting(eye: Photographer) -> None:
    """Finds where to part the gull, takes a cut of the list; then takes the post off by a loop."""
    state, panel = eye.state, _panel(eye.window, "Cut")
    eye.go("Cut")
    eye.until(lambda: state.ways.found is not None and state.ways.found.done)
    found = state.ways.found.ways if state.ways.found else ()
    # what a person would look for: all flat, little left, and the least seen of these
    good = [n for n, way in enumerate(found) if way.all_flat and way.cuts == 1 and way.left < _LITTLE_LEFT]
    chosen = min(good, key=lambda n: found[n].sight)
    state.ways.point_at(found[chosen])
    eye.shoot("cut-ways")
    state.ways.point_at(None)
    QTest.mouseClick(panel.ways.chart, Qt.MouseButton.LeftButton, pos=panel.ways.chart.place_of(chosen).toPoint())
    eye.settle()
    panel.turn_to("This cut")
    eye.until(lambda: state.search.sweep is not None)
    eye.shoot("cut-in-place")
    eye.go("Join")
    QTest.mouseClick(_panel(eye.window, "Join").contacts.propose_all, Qt.MouseButton.LeftButton)
    eye.until(lambda: settled(state) and state.joining.room_here is not None)
    eye.shoot("join")
    QTest.mouseClick(_panel(eye.window, "Join").tabs["Dry fit"], Qt.MouseButton.LeftButton)
    eye.until(lambda: settled(state) and state.fitting.fitted is not None)
    _panel(eye.window, "Join").fit.slider.setValue(10)
    eye.settle()
    eye.shoot("join-fit")
    eye.go("Hand off")
    eye.shoot("hand-off")
    _handing_off(eye)
    eye.go("Cut")
    while state.plan.recipe:
        state.undo()
    eye.settle()
    _loop_around_the_post(eye)


def _first_job_in_the_dark(eye: Photographer) -> None:
    """The hook, led to its cut, in the dark look."""
    window, state = eye.window, eye.state
    state.change_settings(look="dark")
    window.redress()
    eye.open(MODELS["hook"])
    window.verbs.lead()
    eye.go("Cut")
    _panel(window, "Cut").turn_to("Plans")
    eye.until(lambda: state.ways.found is not None and state.ways.found.done)
    eye.settle()
    eye.shoot("first-job")
    window.verbs.guide.leave()
    state.change_settings(look="light")
    window.redress()
    eye.settle()


def _loop_around_the_post(eye: Photographer) -> None:
    """Clicks points around the gull's post from the front and from the back."""
    window, state, bed = eye.window, eye.state, eye.window.bed
    state.placing.add("bent")
    assert bed.scene is not None
    vertices = state.model.solid.vertices
    section = vertices[np.abs(vertices[:, 2] - 45.0) < 1.0]
    middle, radius = section.mean(axis=0), float(np.ptp(section[:, 0])) / 2
    for view, behind in (("From the front", -1), ("From the back", 1)):
        bed.look_from(view)
        eye.settle()
        for side in (0.7 * behind, 0.25 * behind, -0.25 * behind, -0.7 * behind):
            seen = section[behind * (section[:, 1] - middle[1]) > 0]
            nearest = seen[int(np.argmin(np.abs(seen[:, 0] - middle[0] - side * radius)))]
            x, y = bed.camera.project(bed.scene.model.of(nearest), bed.width(), bed.height())[0].tolist()
            at = QPoint(round(x), round(y))
            QTest.qWait(QApplication.doubleClickInterval() + 50)  # two clicks, and not a double one
            QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    QTest.keyClick(bed, Qt.Key.Key_L)
    eye.settle()
    bed.look_from("From the front corner")
    _panel(window, "Cut").turn_to("Pieces")
    eye.settle()
    eye.shoot("cut-bent")
    while state.plan.recipe:
        state.undo()
    eye.settle()


def _checking(eye: Photographer) -> None:
    """The puppet on a resin plate: an island that was flown to; then hollow, vented, plugged, on posts, cut open."""
    window, state = eye.window, eye.state
    panel = _panel(window, "Check")
    eye.open(MODELS["puppet"])
    state.choose_printer(shipped_printers()["small-resin"])
    state.do_plan("lift it", state.plan.changed(lift=5.0))
    eye.settle()
    eye.go("Check")
    eye.until(lambda: bool(state.checking.found) and settled(state))
    QTest.mouseClick(panel.checked.rows[1][1], Qt.MouseButton.LeftButton)
    state.checking.set_height(40.0)
    window.bed.look_from("From the front corner")
    eye.until(lambda: bool(state.view.faces) and settled(state))
    eye.shoot("check")
    QTest.mouseClick(panel.tabs["Hollow"], Qt.MouseButton.LeftButton)
    QTest.mouseClick(panel.hollow.make, Qt.MouseButton.LeftButton)
    eye.until(lambda: settled(state) and state.hollowing.report is not None)
    QTest.mouseClick(panel.hollow.propose, Qt.MouseButton.LeftButton)
    eye.until(lambda: settled(state) and bool(panel.hollow.rows) and state.up_to_date)
    QTest.mouseClick(panel.hollow.plugs, Qt.MouseButton.LeftButton, pos=QPoint(8, panel.hollow.plugs.height() // 2))
    eye.until(lambda: settled(state) and state.up_to_date)
    state.select_piece(0)
    QTest.mouseClick(panel.tabs["Posts"], Qt.MouseButton.LeftButton)
    QTest.mouseClick(panel.posts.propose, Qt.MouseButton.LeftButton)
    eye.until(lambda: settled(state) and bool(state.plan.posts) and state.up_to_date)
    post = max(state.plan.posts[0].posts, key=lambda one: one.at[0])  # one at a side, which is put out further
    state.posting.selected = post.id
    state.posting.alter(foot=(post.at[0] + 3.0, post.at[1], post.at[2] - 60.0))
    eye.until(lambda: settled(state) and state.up_to_date)
    window.bed.look_from("From the front corner")
    state.checking.set_height(48.0)
    eye.until(lambda: bool(state.view.faces) and settled(state))
    eye.shoot("check-posts")


def _handing_off(eye: Photographer) -> None:
    """The sheet, at the steps of putting it together; a bed on a stand-in printer."""
    window, state = eye.window, eye.state
    panel = _panel(window, "Hand off")
    QTest.mouseClick(panel.look, Qt.MouseButton.LeftButton)
    eye.until(lambda: window.verbs.sheet is not None and window.verbs.sheet.isVisible())
    sheet = window.verbs.sheet
    assert sheet is not None
    QTest.mouseClick(sheet.on, Qt.MouseButton.LeftButton)
    eye.settle()
    eye.shoot("sheet", sheet)
    sheet.close()
    panel.printers.start_one(600.0)
    name = f"{state.printer.name}, stand-in"
    eye.until(lambda: (name, 0) in panel.printers.sends and state.printing.outbox.about(name) is not None)
    QTest.mouseClick(panel.printers.sends[name, 0], Qt.MouseButton.LeftButton)
    eye.until(lambda: bool(state.printing.pictures) and state.printing.outbox.jobs[-1].status is not None)
    eye.until(lambda: (one := state.printing.outbox.jobs[-1].status) is not None and 4 * one.layer > one.layers)
    panel.ensureWidgetVisible(panel.printers.start)
    eye.settle()
    eye.shoot("hand-off-printing")
    state.printing.order(state.printing.outbox.jobs[-1].id, "cancel")
    # a printer that is gone before it has heard that would be told in the pictures that come after
    eye.until(lambda: state.printing.outbox.jobs[-1].over)
    panel.printers.close_children()


def _sizing(eye: Photographer) -> None:
    """A scan without a unit, full of holes; a helmet and its wearer; walls; the printers."""
    window, state = eye.window, eye.state
    size = _panel(window, "Size")

    def click(widget: QWidget) -> None:
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        eye.until(lambda: not state.jobs.busy)
        eye.settle()

    eye.open(TROUBLED["damaged"])
    eye.shoot("size-question")
    click(size.scale.right)
    click(size.tabs["Surface"])
    window.notice.hide()
    click(size.surface.came)
    eye.shoot("size-surface")
    eye.open(MODELS["helmet"])
    click(size.tabs["Wearer"])
    click(size.wearer.adds["head"])
    click(size.wearer.settle)
    click(size.wearer.scale)
    eye.shoot("size-wearer")
    dialog = PrinterDialog(state, window)
    dialog.show()
    eye.settle()
    eye.shoot("printers", dialog)
    dialog.close()


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER))
