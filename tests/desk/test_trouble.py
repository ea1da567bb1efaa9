"""When something goes wrong: clear words, and the open work untouched."""

from __future__ import annotations

import os
import signal

import pytest
import trimesh
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QMessageBox

from deft_slab.core.errors import Cancelled, DeftError
from deft_slab.demo import MODELS
from deft_slab.desk.messages.requests import MakeReady, OpenFile
from deft_slab.desk.storage.settings import Settings, keep_settings, load_settings
from tests.desk.conftest import PATIENCE


def drop(desk, path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    desk.window.dragEnterEvent(QDragEnterEvent(QPoint(50, 50), Qt.DropAction.CopyAction, data, left, none))
    desk.window.dropEvent(QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, left, none))
    desk.qtbot.waitUntil(lambda: not desk.state.jobs.busy_with("open"), timeout=PATIENCE)


def test_files_are_opened_by_dropping_and_bad_ones_leave_the_work_alone(desk, tee, tmp_path):
    drop(desk, tee)
    desk.settle()
    before = (desk.state.project, desk.state.model)
    assert before[0].title == "Cross beam"
    for name, content in (("a.stl", b""), ("b.stl", b"\x89PNG\r\n\x1a\n" + bytes(99)), ("c.3mf", b"PK\x03\x04junk")):
        (tmp_path / name).write_bytes(content)
        drop(desk, tmp_path / name)
        assert desk.window.notice.isVisible()
        assert name in desk.window.notice.text
        assert "unchanged" in desk.window.notice.text
        assert (desk.state.project, desk.state.model) == before
    desk.settle()
    assert len(desk.state.pieces) == 1


def test_an_open_surface_is_shown_measured_and_not_cut(desk, tmp_path):
    mesh = trimesh.creation.icosphere(3, 30.0)
    mesh.update_faces(mesh.face_normals[:, 2] < 0.9)
    mesh.export(tmp_path / "bowl.stl")
    desk.open(tmp_path / "bowl.stl")
    state = desk.state
    assert state.history.undo_text == "mend the surface"
    desk.undo()
    desk.settle()
    assert any("open edges" in note.says for note in state.evaluated.outcome.notes)
    assert state.evaluated.outcome.totals.support_volume_mm3 > 0
    plan = state.plan
    desk.go(3)
    desk.click(desk.window.panels["Cut"].this.adds["Level"])
    desk.qtbot.waitUntil(lambda: desk.window.notice.isVisible(), timeout=PATIENCE)
    desk.settle()
    assert "Close the surface" in desk.window.notice.text
    assert "(add a cut) was undone" in desk.window.notice.text
    assert state.plan == plan
    assert state.history.undo_text == ""


def test_a_cut_that_misses_says_how_many_pieces_there_are(desk, tee):
    desk.open(tee)
    desk.go(3)
    desk.click(desk.window.panels["Cut"].this.adds["Level"])
    desk.settle()
    desk.type(desk.window.panels["Cut"].this.tools["straight"].place, "500")
    desk.settle()
    assert any("still 1 piece" in note.says for note in desk.state.evaluated.outcome.notes)


def test_a_folder_that_cannot_be_written(desk, tee, tmp_path, monkeypatch):
    desk.open(tee)
    desk.go(6)
    gone = tmp_path / "file"
    gone.write_text("x")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(gone / "beam.3mf"), ""))
    desk.click(desk.window.panels["Hand off"].save)
    desk.qtbot.waitUntil(lambda: desk.window.notice.isVisible(), timeout=PATIENCE)
    assert "could not be saved" in desk.window.notice.text
    assert desk.state.opening.path is None


def test_unsaved_work_is_asked_about(desk, tee, monkeypatch):
    desk.open(tee)
    desk.state.seats.turn((0, 1, 0), 5)
    answers = []
    monkeypatch.setattr(QMessageBox, "question", lambda *_: answers.append(1) or QMessageBox.StandardButton.Cancel)
    drop(desk, MODELS["hook"])
    assert answers == [1]
    assert desk.state.project.title == "Cross beam"


def test_work_is_stopped_when_asked(desk, tee):
    desk.open(tee)
    project = desk.state.project
    desk.state.opening.open(MODELS["lantern"])
    desk.window.verbs.stop()
    desk.qtbot.waitUntil(lambda: not desk.state.jobs.busy, timeout=PATIENCE)
    desk.qtbot.wait(300)
    assert desk.state.project == project


def test_the_worker_is_started_again_when_it_dies(desk, tee):
    desk.open(tee)
    state = desk.state
    with desk.qtbot.waitSignal(state.jobs.restarted, timeout=PATIENCE):
        os.kill(state.jobs.process_id, signal.SIGKILL)
    desk.settle()
    state.seats.turn((1, 0, 0), 90)
    desk.settle()
    assert state.piece.figures.height_mm == pytest.approx(20)


def test_only_the_newest_of_a_lane_is_answered(qtbot, jobs, tee):
    """Ten requests in one lane at once: the last is answered, none after it, and none fails."""
    seen, failed = [], []
    for number in range(10):
        jobs.submit("evaluate", OpenFile(tee, 0.1), done=lambda _, n=number: seen.append(n), failed=failed.append)
    qtbot.waitUntil(lambda: not jobs.busy, timeout=PATIENCE)
    assert seen[-1:] == [9]
    assert len(seen) <= 2
    assert failed == []


def test_an_urgent_request_goes_first_and_the_stopped_one_is_made_again(qtbot, jobs, tee):
    order = []
    for name in ("choice:a", "choice:b", "open"):
        jobs.submit(name, OpenFile(MODELS["hook"] if name != "open" else tee, 0.1),
                    done=lambda _, name=name: order.append(name), failed=lambda e: order.append(str(e)))
    qtbot.waitUntil(lambda: not jobs.busy and len(order) == 3, timeout=PATIENCE)
    assert sorted(order) == ["choice:a", "choice:b", "open"]
    assert order.index("open") < order.index("choice:b")


def test_a_fault_inside_is_reported_in_words(qtbot, jobs):
    failed = []
    jobs.submit("evaluate", MakeReady("no such model"), done=failed.append, failed=failed.append)
    qtbot.waitUntil(lambda: not jobs.busy, timeout=PATIENCE)
    (error,) = failed
    assert isinstance(error, DeftError)
    assert not isinstance(error, Cancelled)
    assert "An internal error occurred" in error.what
    assert "undo it" in error.remedy


def test_settings_are_kept_and_damaged_ones_replaced(tmp_path, monkeypatch):
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path))
    settings = Settings(swap_drag=True)
    for number in range(12):
        settings = settings.with_recent(f"{tmp_path}/{number}.stl")
    keep_settings(settings)
    assert load_settings() == settings
    assert len(settings.recent) == 8
    assert settings.with_recent(f"{tmp_path}/5.stl").recent[0].endswith("5.stl")
    (tmp_path / "settings.json").write_text("{ broken")
    assert load_settings() == Settings()


def test_several_dropped_files_are_listed_and_the_first_is_opened(desk, tee, tmp_path):
    """A project or a model before anything else that came with it; the others are one click away."""
    others = [tmp_path / "arm.stl", tmp_path / "leg.stl"]
    for path in others:
        trimesh.creation.box((10, 10, 10)).export(path)
    (tmp_path / "notes.txt").write_text("how it was made")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in (tmp_path / "notes.txt", tee, *others)])
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    desk.window.dropEvent(QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, left, none))
    desk.qtbot.waitUntil(lambda: desk.state.is_open, timeout=PATIENCE)
    desk.settle()
    assert desk.state.project.title == "Cross beam"
    assert "“arm.stl”, “leg.stl”" in desk.window.notice.text
    desk.window.strip.fill_file_menu()
    listed = [action.text() for action in desk.window.strip.file_menu.actions()]
    assert [name for name in listed if name in ("arm.stl", "leg.stl")] == ["arm.stl", "leg.stl"]
