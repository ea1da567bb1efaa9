"""Unsaved work after a kill, and printer profiles: what is kept beside the settings."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
import time

import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_slab.core.errors import UnreadableFile
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import PROJECTS, Project, project_text
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.desk.desk_state import DeskState
from deft_slab.desk.dialogs.printer import PrinterDialog
from deft_slab.desk.state import recents
from deft_slab.desk.state.recents import picture_of
from deft_slab.desk.storage import printers, recovery
from deft_slab.desk.storage.backups import keep_if_older
from deft_slab.desk.storage.recovery import Autosave, left_work, read_work
from deft_slab.desk.storage.settings import keep_settings, load_settings
from deft_slab.desk.window.window import Window
from deft_slab.logbook import home
from tests.desk.conftest import PATIENCE
from tests.shapes import model_of, sphere

PROGRAM = """
import sys
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from deft_slab.desk.start import settled
from deft_slab.desk.messages.jobs import Jobs
from deft_slab.desk.worker.process import run_process
from deft_slab.desk.desk_state import DeskState
from deft_slab.desk.window.window import Window

def main():
    application = QApplication(sys.argv[:1])
    window = Window(DeskState(Jobs(run_process)))
    window.show()
    window.state.opening.open(Path(sys.argv[1]))
    timer = QTimer()

    def look():
        if settled(window.state) and window.state.plan.scale == 1.0:
            window.state.sizing.resize(scale=1.5)
            print("changed", flush=True)

    timer.timeout.connect(look)
    timer.start(50)
    application.exec()

if __name__ == "__main__":
    main()
"""


@pytest.mark.parametrize("moment", [2.0, 2.6])
def test_work_is_offered_back_after_a_kill(desk, tee, tmp_path, moment):
    """A second window is killed, without warning, two seconds after a change; this one then brings its work back."""
    script = tmp_path / "second.py"
    script.write_text(PROGRAM)
    second = subprocess.Popen([sys.executable, script, tee], stdout=subprocess.PIPE, encoding="utf-8")
    try:
        assert second.stdout.readline().strip() == "changed"
        time.sleep(moment)
        assert left_work() == []  # it still runs
    finally:
        os.kill(second.pid, signal.SIGKILL)
        second.wait()
        second.stdout.close()
    card = desk.window.frame.left_work
    card.look()
    assert card.isVisible()
    assert card.work.title == "Cross beam"
    desk.click(card.bring)
    desk.qtbot.waitUntil(lambda: desk.state.is_open, timeout=PATIENCE)
    desk.settle()
    assert desk.state.plan.scale == pytest.approx(1.5)
    assert desk.state.history.dirty
    assert desk.state.opening.path is None
    assert not card.isVisible()
    desk.qtbot.waitUntil(lambda: left_work() == [], timeout=PATIENCE)  # from now on it is this window's
    assert desk.state.autosave.folder.exists()


def test_left_work_is_let_go(desk, tmp_path):
    model = model_of(sphere(20, 2), "Orb")
    for name in ("one", "two"):
        folder = home() / "recovery" / name
        folder.mkdir(parents=True)
        recovery.write_model(folder, model, {})
        (folder / "project.json").write_text(Project(title=name, plan=Plan(model=model.ref)).model_dump_json())
        (folder / "owner.json").write_text('{"pid": 999999, "started": "1"}')
    card = desk.window.frame.left_work
    card.look()
    titles = {card.work.title}
    desk.click(card.drop)
    assert card.isVisible()
    titles.add(card.work.title)
    desk.click(card.drop)
    assert titles == {"one", "two"}
    assert not card.isVisible()
    assert list((home() / "recovery").iterdir()) == []


@pytest.mark.parametrize("damage", ["no model", "no owner", "newer", "half a project", "half a model", "unreadable"])
def test_damaged_left_work_is_named_and_kept(tmp_path, monkeypatch, damage):
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path))
    model = model_of(sphere(20, 2), "Orb")
    folder = tmp_path / "recovery" / "one"
    folder.mkdir(parents=True)
    recovery.write_model(folder, model, {})
    text = Project(title="One", plan=Plan(model=model.ref)).model_dump_json()
    (folder / "owner.json").write_text('{"pid": 999999, "started": "1"}')
    (folder / "project.json").write_text(text)
    assert [work.title for work in left_work()] == ["One"]
    if damage == "no model":
        (folder / "model.npz").unlink()
    elif damage == "no owner":  # who kept it is not known; the work is whole
        (folder / "owner.json").unlink()
    elif damage == "newer":
        (folder / "project.json").write_text(json.dumps(json.loads(text) | {"version": 9}))
    elif damage == "half a project":
        (folder / "project.json").write_text(text[:200])
    elif damage == "unreadable":  # as on a failing disk; a folder cannot be read as a file, whoever runs the test
        (folder / "project.json").unlink()
        (folder / "project.json").mkdir()
    else:
        whole = (folder / "model.npz").read_bytes()
        (folder / "model.npz").write_bytes(whole[: len(whole) // 2])
    before = sorted(path.name for path in folder.iterdir())
    (work,) = left_work()
    if damage == "half a model":  # which is only read when it is brought back
        with pytest.raises(UnreadableFile, match="copy of the model .* is damaged") as caught:
            read_work(folder)
        assert "left where it is" in caught.value.kept
    else:
        assert bool(work.problem) == (damage != "no owner")
    assert work.title == ("one" if damage in ("half a project", "unreadable") else "One")
    assert sorted(path.name for path in folder.iterdir()) == before


def test_autosave_is_behind_by_less_than_two_seconds_and_goes_when_closed(qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path))
    model = model_of(sphere(20, 2), "Orb")
    keeper = Autosave()
    folder = keeper.begin()
    recovery.write_model(folder, model, {})
    for number in range(1, 40):  # a change every 50 ms must not put it off
        keeper.note(Project(title=f"Change {number}", plan=Plan(model=model.ref)))
        qtbot.wait(50)
        if (folder / "project.json").exists():
            break
    assert (folder / "project.json").exists()
    keeper.note(Project(title="The last", plan=Plan(model=model.ref)))
    qtbot.waitUntil(lambda: read_work(folder)[1].title == "The last", timeout=PATIENCE)
    opened, _, guests = read_work(folder)
    assert opened.sha256 == model.sha256
    assert guests == {}
    keeper.note(None)  # it was saved
    qtbot.waitUntil(lambda: not (folder / "project.json").exists(), timeout=PATIENCE)
    keeper.close()
    assert not folder.exists()


def test_saved_work_is_not_kept_and_changed_work_is(desk, tee, tmp_path):
    desk.open(tee)
    state = desk.state
    state.opening.save(tmp_path / "beam.3mf")
    desk.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    kept = state.autosave.folder / "project.json"
    desk.qtbot.wait(1300)
    assert not kept.exists()
    state.sizing.resize(scale=2.0)
    desk.settle()
    desk.qtbot.waitUntil(kept.exists, timeout=PATIENCE)
    assert json.loads(kept.read_text())["plan"]["scale"] == 2.0
    assert json.loads((tmp_path / "beam.3mf").exists() and "true")  # the user's own file is there, and as it was
    desk.undo()
    desk.settle()
    desk.qtbot.waitUntil(lambda: not kept.exists(), timeout=PATIENCE)


# printers


@pytest.fixture
def dialog(desk, qtbot):
    found = PrinterDialog(desk.state, desk.window)
    found.show()
    yield found
    found.close()


def pick(dialog, name):
    names = [dialog.list.item(row).text() for row in range(dialog.list.count())]
    dialog.list.setCurrentRow(next(row for row, text in enumerate(names) if text.startswith(name)))


def test_a_profile_is_copied_edited_used_and_removed(desk, tee, dialog):
    desk.open(tee)
    state = desk.state
    pick(dialog, "Small resin plate")
    assert not dialog.fields["bed_x"].isEnabled()
    desk.click(dialog.copy)
    assert dialog.profile.own
    assert dialog.profile.printer.name == "Small resin plate 2"
    desk.type(dialog.fields["height"], "70")
    assert dialog.fields["height"].isVisible()
    desk.type(dialog.name, "Attic printer")
    assert dialog.isVisible()  # Enter takes what was typed and leaves the dialog open
    desk.type(dialog.layers, "0.03 0,05")
    desk.click(dialog.use)
    desk.settle()
    mine = next(profile.printer for profile in printers.profiles() if profile.own)
    assert (mine.name, mine.height, mine.layer_heights) == ("Attic printer", 70.0, (0.03, 0.05))
    assert state.printer == mine
    assert state.piece.fit.sentence() == "10.0 mm too high"
    assert "Attic printer" in desk.window.strip.chip.text()
    desk.qtbot.waitUntil(lambda: load_settings().printer == mine, timeout=PATIENCE)
    hours = desk.state.evaluated.outcome.totals.print_seconds
    assert not dialog.fields["speed"].isVisible()  # of filament printers
    desk.type(dialog.fields["lift_seconds"], "20")
    desk.settle()
    assert desk.state.evaluated.outcome.totals.print_seconds > 1.5 * hours
    desk.type(dialog.fields["height"], "90")  # the one in use: the figures follow
    desk.settle()
    assert state.piece.fit.fits
    desk.click(dialog.back)
    desk.settle()
    assert state.printer.height == 160
    desk.click(dialog.delete)
    assert not any(profile.own for profile in printers.profiles())
    assert state.printer.name == "Small resin plate 2"  # the project keeps what it was judged by
    desk.undo()
    desk.settle()


def test_profiles_are_exported_and_imported(desk, dialog, tmp_path, monkeypatch):
    path = tmp_path / "belt.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    pick(dialog, "Belt")
    dialog._export()
    assert json.loads(path.read_text())["endless"] == "y"
    dialog._import()
    assert dialog.profile.own
    assert dialog.profile.printer == shipped_printers()["belt"].changed(name="Belt 2")
    path.write_text('{"name": "half')
    dialog._import()
    assert "printer profile cannot be read" in dialog._said.text()
    assert sum(profile.own for profile in printers.profiles()) == 1


def test_edits_that_make_no_sense_are_told_and_dropped(desk, dialog):
    pick(dialog, "Middle filament bed")
    desk.click(dialog.copy)
    desk.type(dialog.fields["margin"], "150")
    assert "margins leave nothing" in dialog._said.text()
    assert dialog.fields["margin"].value == default_printer().margin
    desk.type(dialog.layers, "thin")
    assert "numbers separated by spaces" in dialog._said.text()


def test_the_chip_lists_the_printers_and_changes_are_undone(desk, tee):
    desk.open(tee)
    desk.window.strip.fill_chip_menu()
    entries = desk.window.strip.chip_menu.actions()
    assert [entry.text().split(" ·")[0] for entry in entries if entry.text()] == [
        "Small filament bed", "Middle filament bed", "Large filament bed", "Belt", "Small resin plate",
        "Large resin plate", "Printers …",
    ]
    entries[3].trigger()
    desk.settle()
    assert desk.state.printer.endless == "y"
    assert desk.state.history.undo_text == "change the printer"
    desk.undo()
    desk.settle()
    assert desk.state.project.printer is None


def test_a_damaged_profile_is_left_out(tmp_path, monkeypatch):
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path))
    (tmp_path / "printers").mkdir()
    (tmp_path / "printers" / "bad.json").write_text("{ broken")
    assert len(printers.profiles()) == len(shipped_printers())


def test_what_an_older_version_kept_is_copied_before_it_is_written_anew(tmp_path, monkeypatch):
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path))
    model = model_of(sphere(20, 2), "Orb")
    project = Project(title="Orb", plan=Plan(model=model.ref))
    folder = tmp_path / "unsaved" / "w1"
    folder.mkdir(parents=True)
    recovery.write_model(folder, model, {})
    first = project_text(project)
    (folder / "project.json").write_bytes(first)
    assert read_work(folder)[1] == project
    assert not (tmp_path / "older").exists()
    monkeypatch.setattr(PROJECTS, "now", 2)
    assert keep_if_older(folder / "project.json", first, PROJECTS) == tmp_path / "older" / "w1-project-version-1.json"
    assert [copy.read_bytes() for copy in (tmp_path / "older").iterdir()] == [first]
    assert keep_if_older(folder / "project.json", b"no document", PROJECTS) is None


def test_what_was_opened_lately_has_a_picture_and_is_opened_by_a_click(desk, tee, qtbot):
    """Also when the program is started again, with nothing open."""
    desk.open(tee)
    picture = picture_of(str(tee.resolve()))
    assert (picture.width(), picture.height()) == (92, 64)
    fresh = Window(DeskState(desk.state.jobs))
    fresh.state.change_settings(recent=desk.state.settings.recent)
    fresh.show()
    tiles = fresh.frame.begin.tiles
    assert [tile.accessibleName() for tile in tiles] == [f"Open {tee.name}"]
    assert not tiles[0].icon().isNull()
    QTest.mouseClick(tiles[0], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: fresh.state.is_open, timeout=PATIENCE)
    assert not fresh.frame.begin.isVisible()
    qtbot.waitUntil(lambda: not fresh.state.jobs.busy, timeout=PATIENCE)
    fresh.bed.sleep()
    fresh.state.close()
    fresh.hide()
    fresh.deleteLater()


def test_a_recent_file_that_cannot_be_looked_at_keeps_no_window_from_opening(desk, tee, tmp_path, qtbot, monkeypatch):
    """A folder without rights, a name that no file can have, and a network folder that does not answer."""
    desk.open(tee)
    answers = threading.Event()
    real = os.stat

    def waits(path, *rest, **more):
        if str(path).startswith("/net/"):
            answers.wait()
        if str(path).startswith("/locked/"):
            raise PermissionError(13, "Permission denied")
        return real(path, *rest, **more)

    monkeypatch.setattr(recents.os, "stat", waits)
    listed = ("/locked/a.stl", f"/tmp/{'x' * 300}.stl", "/net/b.stl", str(tmp_path / "gone.stl"), str(tee))
    fresh = Window(DeskState(desk.state.jobs))
    fresh.state.change_settings(recent=listed)
    fresh.show()
    try:
        assert len(fresh.frame.begin.tiles) == 5  # nobody waits: none is known to be gone
        fresh.strip.fill_file_menu()
        assert "gone.stl" in [entry.text() for entry in fresh.strip.file_menu.actions()]
        answers.set()  # that it is not there
        qtbot.waitUntil(lambda: len(fresh.frame.begin.tiles) == 3, timeout=PATIENCE)
        assert not any("gone" in tile.accessibleName() for tile in fresh.frame.begin.tiles)
    finally:
        answers.set()
        fresh.bed.sleep()
        fresh.state.close()
        fresh.hide()
        fresh.deleteLater()


def test_a_file_whose_name_is_no_text_is_opened_and_not_listed(desk, tee, tmp_path):
    named = tmp_path / os.fsdecode(b"\xff-beam.stl")
    named.write_bytes(tee.read_bytes())
    desk.open(named)
    assert desk.state.is_open
    assert desk.state.settings.recent == ()
    keep_settings(desk.state.settings)
    assert load_settings() == desk.state.settings


def test_a_deeply_nested_recovery_file_hides_no_other_work(tmp_path, monkeypatch):
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path))
    model = model_of(sphere(20, 2), "Orb")
    for name, text in (("a", project_text(Project(title="Orb", plan=Plan(model=model.ref)))), ("b", b"[" * 500_000)):
        folder = tmp_path / "recovery" / name
        folder.mkdir(parents=True)
        recovery.write_model(folder, model, {})
        (folder / "project.json").write_bytes(text)
        (folder / "owner.json").write_bytes(b"[" * 500_000)
    found = {work.folder.name: work for work in left_work()}
    assert set(found) == {"a", "b"}
    assert found["a"].title == "Orb"
    assert not found["a"].problem
    assert found["b"].problem


def test_the_picture_of_the_bed_is_copied_and_saved(desk, tee, tmp_path, monkeypatch):
    """As it is drawn, without the switches that lie over it; read again by a reader from elsewhere."""
    desk.open(tee)
    desk.qtbot.waitUntil(lambda: desk.bed.picture is not None, timeout=PATIENCE)
    desk.window._actions["copy_picture"].trigger()
    copied = QGuiApplication.clipboard().image()
    assert copied.width() == round(desk.bed.width() * desk.bed.devicePixelRatioF())
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "bed"), ""))
    desk.window._actions["save_picture"].trigger()
    with Image.open(tmp_path / "bed.png") as read:
        assert read.size == (copied.width(), copied.height())
        assert len(read.convert("RGB").getcolors(1 << 24)) > 50
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "none" / "bed.png"), ""))
    desk.window._actions["save_picture"].trigger()
    assert desk.window.notice.isVisible()
    assert not (tmp_path / "none").exists()
