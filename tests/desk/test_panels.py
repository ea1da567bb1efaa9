"""What the panels say and do, beyond the main job."""

from __future__ import annotations

import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QInputDialog, QLabel, QPushButton

from deft_slab.core.cuts import StraightCut
from deft_slab.core.evaluate.evaluator import evaluate
from deft_slab.core.exporting.beds import lay_out
from deft_slab.core.inspection.lines import lines_of
from deft_slab.core.plan.plan import Plan
from deft_slab.demo import MODELS, PROJECT
from deft_slab.desk.desk_state import DeskState
from deft_slab.desk.messages import jobs as jobs_module
from deft_slab.desk.messages.jobs import Jobs
from deft_slab.desk.messages.replies import Evaluated
from deft_slab.desk.messages.requests import OpenFile
from deft_slab.desk.pictures import HEIGHT, WIDTH, picture_of
from deft_slab.desk.scene.scene import scene_of
from deft_slab.desk.scene.subject import SceneSubject
from deft_slab.desk.window.window import Window
from deft_slab.desk.worker.process import run_process
from tests.desk.conftest import PATIENCE
from tests.shapes import box, model_of, solid_of, sphere


def words(widget) -> str:
    return " | ".join(label.text() for label in widget.findChildren(QLabel))


@pytest.fixture
def parted(desk, tee):
    """The beam across the post, cut level where they meet."""
    desk.open(tee)
    desk.go(3)
    desk.state.cutting.add((0.0, 0.0, 1.0), 60.0)
    desk.settle()
    return desk


def test_each_piece_is_seated_by_itself_and_keeps_its_seat(parted, tmp_path):
    state = parted.state
    parted.go(2)
    state.select_piece(0)
    before = [piece.seat for piece in state.pieces]
    buttons = parted.window.panels["Tilt"].findChildren(QPushButton)
    parted.click(next(one for one in buttons if one.text() == "Turn over"))
    parted.settle()
    assert state.pieces[0].seat != before[0]
    assert state.pieces[1].seat == before[1]
    assert state.pieces[0].seat_kind == "as you seated it"
    seat = state.pieces[0].seat
    state.cutting.change_one("move a cut", "c1", offset=61.0)
    parted.settle()
    assert state.pieces[0].seat == seat
    state.opening.save(tmp_path / "beam.3mf")
    parted.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    parted.open(tmp_path / "beam.3mf")
    assert state.pieces[0].seat == seat


def test_pieces_are_renamed_and_chosen(parted, monkeypatch):
    state, window = parted.state, parted.window
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Long beam", True))
    row = next(w for w in window.findChildren(type(window.ledger).__mro__[1]) if w.accessibleName() == "Upper beam")
    QTest.mouseDClick(row, Qt.MouseButton.LeftButton)
    parted.settle()
    assert state.pieces[0].name == "Long beam"
    parted.undo()
    parted.settle()
    assert state.pieces[0].name == "Upper beam"
    row = next(w for w in window.findChildren(type(window.ledger).__mro__[1]) if w.accessibleName() == "Lower beam")
    QTest.keyClick(row, Qt.Key.Key_Space)
    assert state.selected_piece == 1


def test_cuts_are_switched_in_their_list(parted):
    state = parted.state
    on = next(b for b in parted.window.findChildren(QCheckBox) if b.accessibleName() == "Cut 1 on")
    QTest.mouseClick(on, Qt.MouseButton.LeftButton, pos=QPoint(8, on.height() // 2))
    parted.settle()
    assert state.plan.recipe[0].on is False
    assert len(state.pieces) == 1
    name = parted.window.panels["Cut"].this.name
    parted.type(name, "Under the beam")
    parted.settle()
    assert state.plan.recipe[0].name == "Under the beam"


def test_join_check_and_hand_off_say_what_there_is(parted):
    panels = parted.window.panels
    parted.go(4)
    assert "4.0 cm² to glue, flat" in words(panels["Join"])
    assert "no join yet" in words(panels["Join"])
    parted.go(5)
    said = words(panels["Check"])
    assert "every piece encloses a volume" in said
    assert "Nothing lost" in said
    parted.go(6)
    assert "1  Upper beam" in words(panels["Hand off"])
    assert "80 × 20 × 20 mm" in words(panels["Hand off"])
    parted.state.cutting.remove("c1")
    parted.settle()
    parted.go(4)
    assert "There is nothing to join yet" in words(panels["Join"])


def test_findings_name_what_is_wrong(printer):
    model = model_of(solid_of(box(12, 12, 310)), "Pole")
    outcome = evaluate(model, Plan(model=model.ref), printer)
    bad = {line.what: line.detail for line in lines_of(outcome, (), printer) if line.verdict != "good"}
    assert bad["Pole does not fit the printer"] == "60.0 mm too high"
    assert "Pole does not sit flat" in bad
    (piece,) = outcome.pieces
    opened = replace(outcome, pieces=(replace(piece, figures=replace(piece.figures, closed=False)),))
    first = lines_of(opened, (), printer)[0]
    assert (first.verdict, first.what, first.detail) == ("failed", "Not closed", "Pole")
    lost = replace(outcome, volume_before_mm3=outcome.volume_before_mm3 * 1.001)
    assert any(line.what == "Volume lost or gained" for line in lines_of(lost, (), printer) if line.verdict == "failed")


def test_angles_can_be_counted_from_the_bed(desk, tee):
    desk.open(tee)
    desk.go(2)
    window, state = desk.window, desk.state
    window.panels["Tilt"].turn_to("By hand")
    threshold = window.panels["Tilt"].pages["By hand"].threshold
    desk.type(threshold, "60")
    desk.settle()
    assert state.plan.threshold == 60
    desk.click(window.frame.legend)
    assert state.settings.angle_from == "bed"
    assert threshold.text() == "30.0°"
    assert "from the bed" in words(window.panels["Tilt"])
    desk.type(threshold, "50")
    desk.settle()
    assert state.plan.threshold == 40
    QTest.keyClick(window.frame.legend, Qt.Key.Key_Space)
    assert threshold.text() == "40.0°"


def test_left_and_middle_drag_can_be_swapped(desk, tee):
    desk.open(tee)
    before = desk.bed.camera
    desk.window.verbs.swap_drag()
    desk.release(desk.press_and_drag(QPoint(200, 300), QPoint(40, 0)))
    assert desk.bed.camera.azimuth == before.azimuth
    assert desk.bed.camera.focus != before.focus


def test_recent_files_are_listed(desk, tee):
    desk.open(tee)
    desk.open(MODELS["hook"])
    desk.window.strip.fill_file_menu()
    listed = [action.text() for action in desk.window.strip.file_menu.actions()]
    assert listed.index("tentacle-hook.3mf") < listed.index("cross_beam.stl")


def test_choices_are_removed_and_unpinned_and_that_is_undone(desk, light_demo):
    desk.open(light_demo)
    state, table = desk.state, desk.window.ledger.table
    before = state.project
    table.setCurrentIndex(table.model().index(1, 0))
    table.setFocus()
    QTest.keyClick(table, Qt.Key.Key_Delete)
    assert [choice.name for choice in state.project.choices] == ["On the tail", "Two halves, level"]
    assert state.project.pinned is None
    desk.undo()
    assert state.project == before
    table.setCurrentIndex(table.model().index(1, 0))
    QTest.keyClick(table, Qt.Key.Key_P)
    assert state.project.pinned is None
    table.setCurrentIndex(table.model().index(3, 0))
    QTest.keyClick(table, Qt.Key.Key_Return)
    desk.settle()
    assert len(state.pieces) == 2


def test_pieces_that_need_two_beds_are_shown_on_two(desk):
    desk.open(PROJECT)
    desk.state.choosing.bring_back("k2")
    desk.settle()
    desk.state.show(in_place=False)
    assert sorted({laid.bed for laid in desk.state.evaluated.laid}) == [0, 1]
    desk.go(6)
    assert "bed 2" in words(desk.window.panels["Hand off"])


def test_a_part_of_the_view_is_painted_anew_from_what_is_kept(parted, qtbot, monkeypatch):
    """A button over it takes one that is; the whole of it is painted as it is now, and looks the same."""
    bed, painted = parted.bed, []
    parted.drawn()
    paint_over = bed.paint_over

    def seen(painter, picture, scene):
        painted.append(len(parted.state.pieces))
        paint_over(painter, picture, scene)

    monkeypatch.setattr(bed, "paint_over", seen)
    whole = bed.as_image()
    assert painted == [2]
    bed.repaint()  # with whatever else waits to be painted; nothing new comes while events are not looked at
    painted.clear()
    bed.repaint(10, 200, 30, 20)
    assert painted == []
    bed.repaint()
    assert painted == [2]
    assert bed.as_image() == whole
    painted.clear()
    parted.state.undo()
    parted.settle()
    parted.drawn()
    qtbot.waitUntil(lambda: 1 in painted, timeout=PATIENCE)
    assert bed.as_image() != whole
    bed.resize(bed.width() - 40, bed.height())
    painted.clear()
    bed.repaint(10, 200, 30, 20)
    assert set(painted) == {1}


def test_an_empty_desk_says_how_to_begin(desk):
    assert desk.window.frame.begin.isVisible()
    assert not desk.window.panels["Tilt"].isVisible()
    buttons = {b.text(): b for b in desk.window.frame.begin.findChildren(type(desk.window.frame.below))}
    desk.click(buttons["Open the demo"])
    desk.qtbot.waitUntil(lambda: desk.state.is_open, timeout=PATIENCE)
    desk.settle()
    assert not desk.window.frame.begin.isVisible()
    assert desk.window.panels["Tilt"].isVisible()


def test_a_picture_of_a_plan_shows_it(printer):
    model = model_of(sphere(40.0, 4), "Float ball")
    outcome = evaluate(model, Plan(model=model.ref, recipe=(
        StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=10.0),)), printer)
    evaluated = Evaluated(outcome, printer, tuple(lay_out(outcome.pieces, printer)), None)
    picture = picture_of(scene_of(SceneSubject(printer, evaluated)))
    assert picture.shape == (HEIGHT, WIDTH, 4)
    assert picture.dtype == np.uint8
    covered = picture[..., 3] > 128
    assert 0.1 < covered.mean() < 0.9
    assert len(np.unique(picture[covered][:, :3], axis=0)) > 50
    assert not covered[0].any()


def test_a_process_that_cannot_start_is_given_up(qtbot, qapp, monkeypatch):
    """Not started again and again: after three silent ends the person is told."""
    started = []

    class Dead:
        pid = 0

        def __init__(self, target, args, daemon):
            self._connection = args[0]

        def start(self):
            started.append(1)

        def join(self):
            pass

        def kill(self):
            pass

    real = jobs_module.multiprocessing.get_context("spawn")

    class Context:
        Value, Pipe, Process = real.Value, real.Pipe, Dead

    monkeypatch.setattr(jobs_module.multiprocessing, "get_context", lambda kind: Context)
    jobs = Jobs(run_process)
    failed = []
    jobs.submit("open", OpenFile(Path("x.stl"), 0.1), done=failed.append, failed=failed.append)
    qtbot.waitUntil(lambda: len(started) == 3, timeout=PATIENCE)
    qtbot.wait(200)
    assert len(started) == 3
    assert "crashed" in failed[0].what
    jobs.close()


def test_the_program_takes_its_own_picture(light_demo, tmp_path):
    """``--shot``: a project is opened, measured and drawn, and the program ends by itself."""
    shot = tmp_path / "window.png"
    program = Path(sys.executable).with_name("deft-slab")
    done = subprocess.run([program, light_demo, "--shot", shot], capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == 0, done.stderr
    image = QImage(str(shot))
    assert (image.width(), image.height()) == (1280, 800)
    colours = {image.pixel(x, y) for x in range(240, 940, 7) for y in range(60, 560, 7)}
    assert len(colours) > 100


def test_panels_are_made_once_the_window_is_there(qtbot, jobs):
    """Nothing of the steps is loaded before the first picture; then one panel is made after the other, or at once where
    one is wanted.
    """
    window = Window(DeskState(jobs))
    assert window._stack.count() == 1
    window.show()
    qtbot.waitUntil(lambda: window._stack.count() == 1 + len(window.panels), timeout=PATIENCE)
    made = list(window.panels.values())
    assert [window._stack.indexOf(panel) for panel in made] == list(range(1, 7))
    assert window.panels["Cut"] is made[2]
    with pytest.raises(KeyError):
        window.panels["Paint"]
    window.bed.sleep()
    window.state.close()
    window.hide()
    window.deleteLater()
