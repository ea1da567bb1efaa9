"""Work that could be lost: nothing is replaced, left or let go unasked, whatever dies or fills up meanwhile."""

from __future__ import annotations

import os
import signal
import stat
import time

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox

from deft_slab.core.errors import DeftError, WorkerEnded
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Project
from deft_slab.demo import MODELS
from deft_slab.desk.messages.jobs import Jobs
from deft_slab.desk.messages.requests import Adopt, MakeReady, OpenFile
from deft_slab.desk.storage import recovery, settings
from deft_slab.desk.storage.recovery import LeftWork, left_work, read_work
from deft_slab.desk.storage.settings import Settings, keep_settings, read_settings
from deft_slab.desk.worker.bench import Bench
from deft_slab.desk.worker.process import run_process
from deft_slab.logbook import home
from tests.desk.conftest import PATIENCE
from tests.shapes import model_of, sphere

YES, NO = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.Cancel


@pytest.fixture
def questions(monkeypatch):
    """What was asked; the answer is no, until ``answer`` is another one."""

    class Questions(list):
        answer = NO

        def __call__(self, parent, title, text, *_):
            self.append(text)
            return self.answer

    found = Questions()
    monkeypatch.setattr(QMessageBox, "question", found)
    return found


def idle(desk):
    desk.qtbot.waitUntil(lambda: not desk.state.jobs.busy, timeout=PATIENCE)
    desk.qtbot.wait(20)


def left_orb(name="one") -> tuple[LeftWork, Project]:
    """Work of another window, which no longer runs."""
    model = model_of(sphere(20, 2), "Orb")
    project = Project(title=name, plan=Plan(model=model.ref, scale=1.5))
    folder = home() / "recovery" / name
    folder.mkdir(parents=True)
    recovery.write_model(folder, model, {})
    (folder / "project.json").write_text(project.model_dump_json())
    (folder / "owner.json").write_text('{"pid": 999999, "started": "1"}')
    return LeftWork(folder, name, 0.0), project


# 1: nothing is replaced unasked


@pytest.mark.parametrize("what", ["save", "together"])
def test_a_name_without_ending_replaces_nothing_unasked(desk, tee, tmp_path, monkeypatch, questions, what):
    desk.open(tee)
    desk.go(6)
    there = tmp_path / "beam.3mf"
    there.write_bytes(b"mine")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "beam"), ""))
    panel = desk.window.panels["Hand off"]
    button = panel.save if what == "save" else panel.together
    desk.click(button)
    idle(desk)
    assert len(questions) == 1
    assert "beam.3mf" in questions[0]
    assert there.read_bytes() == b"mine"
    questions.answer = YES
    desk.click(button)
    idle(desk)
    assert len(questions) == 2
    assert there.read_bytes()[:2] == b"PK"


def test_a_name_that_the_dialog_asked_about_is_not_asked_about_again(desk, tee, tmp_path, monkeypatch, questions):
    desk.open(tee)
    desk.go(6)
    (tmp_path / "beam.3mf").write_bytes(b"mine")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "beam.3mf"), ""))
    desk.click(desk.window.panels["Hand off"].save)
    idle(desk)
    assert questions == []
    assert desk.state.opening.path == tmp_path / "beam.3mf"


def test_stls_of_the_same_names_are_asked_about(desk, tee, tmp_path, monkeypatch, questions):
    desk.open(tee)
    desk.go(6)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path))
    (tmp_path / "1-cross-beam.stl").write_bytes(b"mine")
    desk.click(desk.window.panels["Hand off"].stl)
    idle(desk)
    assert len(questions) == 1
    assert (tmp_path / "1-cross-beam.stl").read_bytes() == b"mine"
    questions.answer = YES
    desk.click(desk.window.panels["Hand off"].stl)
    idle(desk)
    assert len((tmp_path / "1-cross-beam.stl").read_bytes()) > 84


# 2: nothing is left unasked


def every_way_to_leave(desk, tmp_path, tee):
    state, window = desk.state, desk.window
    state.change_settings(recent=state.settings.with_recent(str(tee)).recent)
    window.strip.fill_file_menu()
    recent = next(entry for entry in window.strip.file_menu.actions() if entry.text() == tee.name)
    return (recent.trigger, window.verbs.open_demo, window.close, lambda: state.opening.open(tee))


def test_work_that_was_brought_back_is_asked_about(desk, tmp_path, tee, questions):
    work, project = left_orb()
    desk.state.opening.recover(work)
    desk.qtbot.waitUntil(lambda: desk.state.is_open, timeout=PATIENCE)
    desk.settle()
    for number, leave in enumerate(every_way_to_leave(desk, tmp_path, tee), 1):
        leave()
        idle(desk)
        assert len(questions) == number
        assert desk.state.plan == project.plan
        assert desk.window.isVisible()
    assert "*" in desk.window.windowTitle()


def test_saved_work_with_steps_undone_is_asked_about(desk, tmp_path, tee, questions):
    desk.open(tee)
    desk.state.seats.turn((0, 1, 0), 5)
    desk.settle()
    desk.state.opening.save(tmp_path / "beam.3mf")
    idle(desk)
    assert not desk.state.history.dirty
    desk.undo()
    desk.settle()
    assert desk.state.history.undo_text == ""
    for number, leave in enumerate(every_way_to_leave(desk, tmp_path, tee), 1):
        leave()
        assert len(questions) == number


def test_what_was_never_saved_and_all_undone_is_asked_about(desk, tmp_path, tee, questions):
    desk.open(tee)
    assert not desk.state.history.at_stake
    desk.state.seats.turn((0, 1, 0), 5)
    desk.undo()
    desk.settle()
    desk.window.verbs.open_demo()
    assert len(questions) == 1
    assert "undone steps" in questions[0]


def test_a_model_as_it_was_opened_is_left_without_a_question(desk, light_demo, tee, questions):
    desk.open(tee)
    desk.open(light_demo)
    desk.open(tee)
    assert questions == []


def test_what_is_changed_while_another_is_opened_is_not_lost(desk, tee):
    desk.open(tee)
    desk.state.opening.open(MODELS["hook"])
    desk.state.seats.turn((0, 1, 0), 5)
    idle(desk)
    desk.settle()
    assert desk.state.project.title == "Cross beam"
    assert "was not opened" in desk.window.notice.text
    assert desk.state.history.undo_text


# 3: bringing back


def test_the_old_copy_goes_only_after_the_new_one_is_there(desk, monkeypatch):
    """A disk that takes no project: the old copy stays, the window says so, and both are right once there is room."""
    work, project = left_orb()
    written = recovery.write_whole

    def full(path, content, **options):
        if path.name == "project.json":
            raise recovery.SaveFailed("“project.json” could not be saved: No space left on device.")
        written(path, content, **options)

    monkeypatch.setattr(recovery, "write_whole", full)
    desk.state.opening.recover(work)
    desk.qtbot.waitUntil(lambda: bool(desk.state.autosave.problem), timeout=PATIENCE)
    desk.settle()
    assert desk.window.foot.not_kept.isVisible()
    assert "No space left" in desk.window.notice.text
    assert read_work(work.folder)[1] == project
    monkeypatch.setattr(recovery, "write_whole", written)
    desk.state.autosave.write()
    desk.qtbot.waitUntil(lambda: not work.folder.exists(), timeout=PATIENCE)
    assert read_work(desk.state.autosave.folder)[1] == project
    desk.qtbot.waitUntil(lambda: not desk.window.foot.not_kept.isVisible(), timeout=PATIENCE)


def test_what_cannot_be_brought_back_stays_and_is_named(desk):
    work, _ = left_orb()
    content = (work.folder / "model.npz").read_bytes()
    (work.folder / "model.npz").write_bytes(content[: len(content) // 2])
    card = desk.window.frame.left_work
    card.look()
    desk.click(card.bring)
    desk.qtbot.waitUntil(lambda: desk.window.notice.isVisible(), timeout=PATIENCE)
    assert "copy of the model in the unsaved work is damaged" in desk.window.notice.text
    assert str(work.folder) in desk.window.notice.text
    assert card.isVisible()
    assert (work.folder / "project.json").exists()
    desk.click(card.later)
    assert not card.isVisible()
    assert (work.folder / "project.json").exists()


def test_a_title_is_no_markup(desk):
    left_orb("a <img src=x> & <b>b")
    card = desk.window.frame.left_work
    card.look()
    assert "&lt;img src=x&gt; &amp; &lt;b&gt;b" in card._words.text()


# 4: the copy


def test_the_model_is_kept_although_the_worker_dies_meanwhile(desk, tee, monkeypatch):
    state = desk.state
    state.opening.open(tee)
    submit = state.jobs.submit

    def killing(lane, *arguments, **options):
        submit(lane, *arguments, **options)
        if lane == "keep":
            monkeypatch.setattr(state.jobs, "submit", submit)
            os.kill(state.jobs.process_id, signal.SIGKILL)

    monkeypatch.setattr(state.jobs, "submit", killing)
    desk.qtbot.waitUntil(lambda: state.is_open, timeout=PATIENCE)
    desk.settle()
    state.seats.turn((0, 1, 0), 5)
    desk.settle()
    desk.qtbot.waitUntil(lambda: state.autosave.model_kept, timeout=PATIENCE)
    desk.qtbot.waitUntil((state.autosave.folder / "project.json").exists, timeout=PATIENCE)
    assert read_work(state.autosave.folder)[1] == state.project


def test_stop_leaves_the_copy_alone(desk, tee):
    state, stopped = desk.state, []
    state.project_changed.connect(lambda: (desk.window.verbs.stop(), stopped.append(state.jobs.busy_with("keep"))))
    state.opening.open(tee)
    desk.qtbot.waitUntil(lambda: state.is_open, timeout=PATIENCE)
    assert stopped[0] is True
    desk.qtbot.waitUntil(lambda: state.autosave.model_kept, timeout=PATIENCE)


def test_the_window_says_when_work_cannot_be_kept(desk, tee, monkeypatch, tmp_path):
    blocked = tmp_path / "blocked"
    blocked.write_text("a file, where a folder should be")
    monkeypatch.setenv("DEFT_SLAB_HOME", str(blocked))
    desk.open(tee)
    assert desk.window.foot.not_kept.isVisible()
    assert desk.window.notice.isVisible()
    assert "Unsaved work cannot be stored" in desk.window.notice.text
    assert str(blocked) in desk.window.notice.text
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path / "fine"))
    desk.state.seats.turn((0, 1, 0), 5)
    desk.qtbot.waitUntil(lambda: not desk.window.foot.not_kept.isVisible(), timeout=PATIENCE)
    desk.qtbot.waitUntil((desk.state.autosave.folder / "project.json").exists, timeout=PATIENCE)
    assert read_work(desk.state.autosave.folder)[1] == desk.state.project


# 5: a worker that dies


def test_a_worker_that_dies_while_measuring_takes_no_step_back(desk, tee):
    desk.open(tee)
    state = desk.state
    for _ in range(4):
        state.seats.turn((0, 1, 0), 5)
    desk.settle()
    desk.undo()
    desk.undo()
    wanted, redo = state.project, state.history.redo_text
    for _ in range(3):  # as often as it takes to give up
        os.kill(state.jobs.process_id, signal.SIGKILL)
        desk.qtbot.wait(300)
    idle(desk)
    assert state.project == wanted
    assert state.history.redo_text == redo
    state.redo()
    desk.settle()
    assert state.up_to_date


def test_a_step_that_cannot_be_made_leaves_redo_as_it_was(desk, tee):
    desk.open(tee)
    state = desk.state
    state.seats.turn((0, 1, 0), 5)
    desk.settle()
    desk.undo()
    desk.settle()
    before = state.project
    state._on_evaluation_failed(DeftError("not a step that was made"))
    assert (state.project, bool(state.history.redo_text)) == (before, True)
    state.seats.turn((1, 0, 0), 7)
    state._on_evaluation_failed(DeftError("it cannot be made"))
    assert state.project == before
    assert state.history.redo_text.startswith("turn by 5")


def test_a_save_that_waits_survives_the_worker(desk, tee, tmp_path):
    desk.open(tee)
    state = desk.state
    state.seats.turn((0, 1, 0), 5)
    state.opening.save(tmp_path / "beam.3mf")
    os.kill(state.jobs.process_id, signal.SIGKILL)
    desk.settle()
    idle(desk)
    assert (tmp_path / "beam.3mf").read_bytes()[:2] == b"PK"
    assert not state.history.dirty
    assert not list(tmp_path.glob(".deft*"))


def test_a_request_that_kills_the_worker_is_given_back(qtbot, jobs, monkeypatch):
    """Twice more it is tried; what else waits is done; the next one finds a worker."""
    done, failed, starts = [], [], []
    jobs.restarted.connect(lambda: starts.append(1))
    running = lambda: jobs._running is not None and jobs._running.lane == "ask:bad"  # noqa: E731
    jobs.submit("ask:bad", OpenFile(MODELS["lantern"], 0.1), done=done.append, failed=failed.append, label="Bad")
    jobs.submit("choice:good", OpenFile(MODELS["hook"], 0.1), done=done.append, failed=failed.append)
    while not failed:
        qtbot.waitUntil(lambda: bool(failed) or (running() and jobs._spoke), timeout=PATIENCE)
        if not failed:
            process = jobs.process_id
            os.kill(process, signal.SIGKILL)
            qtbot.waitUntil(lambda process=process: bool(failed) or jobs.process_id != process, timeout=PATIENCE)
    (error,) = failed
    assert isinstance(error, WorkerEnded)
    assert "3 times during “Bad”" in error.what
    assert len(starts) == 3
    qtbot.waitUntil(lambda: len(done) == 1, timeout=PATIENCE)


def test_a_callback_that_raises_does_not_stop_the_row(qtbot, jobs, tee):
    done = []

    def bad(_):
        raise RuntimeError("in a slot")

    with qtbot.captureExceptions() as caught:
        jobs.submit("ask:one", OpenFile(tee, 0.1), done=bad, failed=bad)
        jobs.submit("ask:two", OpenFile(tee, 0.1), done=done.append, failed=done.append)
        qtbot.waitUntil(lambda: len(done) == 1, timeout=PATIENCE)
    assert [str(error) for _, error, _ in caught] == ["in a slot"]


def test_handing_a_model_over_does_not_block_the_window(qtbot):
    """A process that is still loading reads nothing: what is sent to it waits on a thread, and not the window."""
    jobs = Jobs(run_process)
    large = model_of(sphere(20, 6), "Large")
    os.kill(jobs.process_id, signal.SIGSTOP)
    try:
        ticks = []
        for lane in ("adopt", "ask:a", "ask:b"):
            jobs.submit(lane, Adopt(large, {}), done=ticks.append, failed=ticks.append)
        started = time.monotonic()
        qtbot.wait(50)
        # the pipe holds 64 KiB, the model is larger: were it sent here, this line would not be reached at all
        assert time.monotonic() - started < 5
        assert ticks == []
    finally:
        os.kill(jobs.process_id, signal.SIGCONT)
    qtbot.waitUntil(lambda: len(ticks) == 3, timeout=PATIENCE)
    jobs.close()


def test_two_discarded_opens_leave_the_model_in_use(desk, tee):
    bench = Bench()
    job = desk_job()
    used = bench.answer(OpenFile(tee, 0.1), job)
    plan = Plan(model=used.model.ref)
    bench.answer(MakeReady(plan), job)
    for name in ("hook", "gull"):
        bench.answer(OpenFile(MODELS[name], 0.1), job)
    assert bench.answer(MakeReady(plan), job) > 0
    with pytest.raises(DeftError, match="no longer has the model"):
        bench.answer(MakeReady(Plan(model=model_of(sphere(20, 2), "Orb").ref)), job)
    bench.close()


def desk_job():
    from deft_slab.core.progress import QUIET

    return QUIET


def test_closing_while_files_are_written_waits_for_them(desk, tee, tmp_path):
    desk.open(tee)
    desk.state.opening.save(tmp_path / "beam.3mf")
    assert not desk.window.close()
    assert desk.window.isVisible()
    closed = []
    desk.state.jobs.close = lambda: closed.append(1)  # the session's worker is for the other tests too
    try:
        desk.qtbot.waitUntil(lambda: not desk.window.isVisible(), timeout=PATIENCE)
    finally:
        del desk.state.jobs.close
    assert closed
    assert (tmp_path / "beam.3mf").exists()


# 6: settings


@pytest.mark.parametrize("content", [b"{ broken", b'{"version": 9, "hologram": true}', b"\xff\xfe\x00"])
def test_settings_that_cannot_be_read_are_put_aside(desk, tmp_path, content):
    place = home() / "settings.json"
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(content)
    assert read_settings()[0] == Settings()
    assert str(place) in read_settings()[1]
    keep_settings(Settings(swap_drag=True))
    assert (place.parent / "settings-unreadable.json").read_bytes() == content
    assert read_settings() == (Settings(swap_drag=True), "")
    place.write_bytes(content)
    keep_settings(Settings())
    assert (place.parent / "settings-unreadable-2.json").read_bytes() == content


def test_settings_that_are_no_file_stay(tmp_path):
    (home() / "settings.json").mkdir(parents=True)
    assert read_settings()[1]
    keep_settings(Settings())
    assert (home() / "settings-unreadable.json").is_dir()
    assert settings.load_settings() == Settings()


# 7: links and modes


@pytest.mark.parametrize("mode", [0o600, 0o640, 0o664])
def test_saving_keeps_links_and_modes(desk, tee, tmp_path, mode):
    desk.open(tee)
    real, link = tmp_path / "real.3mf", tmp_path / "link.3mf"
    real.write_bytes(b"old")
    os.chmod(real, mode)
    link.symlink_to(real)
    desk.state.opening.save(link, replace=True)
    idle(desk)
    assert link.is_symlink()
    assert real.read_bytes()[:2] == b"PK"
    assert stat.S_IMODE(real.stat().st_mode) == mode
    assert sorted(path.name for path in tmp_path.glob("*.3mf")) == ["link.3mf", "real.3mf"]


# other rows of the ledger


def test_another_printer_judges_kept_choices_too(desk, tee):
    desk.open(tee)
    desk.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    desk.state.seats.turn((0, 1, 0), 90)
    desk.settle()
    choice = desk.state.project.choices[0].plan
    before = desk.state.entry(choice).totals
    small = desk.state.printer.changed(name="Tiny", bed_x=30, bed_y=30, height=30, margin=0, speed=10)
    desk.state.choose_printer(small)
    desk.settle()
    after = desk.state.entry(choice).totals
    assert before.fitting_pieces == 1
    assert after.fitting_pieces == 0
    assert after.print_seconds > 2 * before.print_seconds


def test_left_work_of_a_window_that_had_nothing_unsaved_goes(desk):
    work, _ = left_orb()
    (work.folder / "project.json").unlink()
    assert left_work() == []
    assert not work.folder.exists()
