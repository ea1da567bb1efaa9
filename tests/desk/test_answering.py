"""What keeps the window answering: refreshes once for each action, and work in threads beside it."""

from __future__ import annotations

import itertools
import threading
import weakref
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import numpy as np
import pytest
from PySide6.QtCore import QEventLoop, QObject, QPointF, Qt, QTimer, Signal
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QWidget
from shiboken6 import delete

from deft_slab.desk.refresh import batching
from deft_slab.desk.refresh.batching import all_caught_up, gathered, in_turn, when_over
from deft_slab.desk.refresh.binding import follow
from deft_slab.desk.refresh.side_thread import Aside, all_done, side_thread
from deft_slab.desk.scene.canvas import Canvas
from deft_slab.desk.widgets.basics import ListColumn
from deft_slab.desk.widgets.cut_map import CutDisc, CutsShown
from deft_slab.desk.widgets.disc import from_disc
from deft_slab.desk.widgets.kept_rows import KeptRows
from deft_slab.desk.widgets.tilt_map import TiltDisc
from tests.desk.conftest import PATIENCE


class Source(QObject):
    one = Signal()
    other = Signal()


class Shown(QWidget):
    def __init__(self, source):
        super().__init__()
        self.source, self.refreshed = source, 0
        follow(self, self.refresh, source.one, source.other)

    def refresh(self):
        self.refreshed += 1


@pytest.fixture
def shown(qtbot):
    widget = Shown(Source())
    qtbot.addWidget(widget)
    widget.show()
    assert widget.refreshed == 1
    return widget


def test_a_widget_is_refreshed_once_for_an_action(shown):
    with gathered():
        shown.source.one.emit()
        with gathered():
            shown.source.other.emit()
        shown.source.one.emit()
        assert shown.refreshed == 1
    assert shown.refreshed == 2
    shown.source.one.emit()
    shown.source.other.emit()
    assert shown.refreshed == 4  # two actions


def test_one_that_was_hidden_or_deleted_meanwhile_is_left(shown, qtbot):
    gone = Shown(shown.source)
    gone.show()
    with gathered():
        shown.source.one.emit()
        shown.hide()
        delete(gone)
    assert (shown.refreshed, gone.refreshed) == (1, 1)
    shown.show()
    assert shown.refreshed == 2


def test_what_asks_in_between_does_not_hold_refreshes_up(shown):
    """A dialog has a loop of its own: what it changes is shown while it is open."""
    with gathered():
        shown.source.one.emit()
        loop = QEventLoop()
        seen = []
        QTimer.singleShot(50, lambda: (seen.append(shown.refreshed), loop.quit()))
        loop.exec()
        assert seen == [2]


def test_an_error_in_one_leaves_the_others(shown, qtbot):
    def fails():
        raise ValueError("cannot be shown")

    with qtbot.capture_exceptions() as met, gathered():
        when_over(fails)
        shown.source.one.emit()
    assert [str(error) for _, error, _ in met] == ["cannot be shown"]
    assert shown.refreshed == 2


def test_what_takes_long_is_spread_over_turns_of_the_loop(qtbot, monkeypatch):
    """Something else has its turn between two of them, paint among it; an error in one leaves the others."""
    monkeypatch.setattr(batching, "TURN", 0.0)
    done = []
    beat = QTimer()
    beat.timeout.connect(lambda: done.append("beat"))

    def fails():
        done.append("fails")
        raise ValueError("cannot be shown")

    def again():
        done.append("again")
        if done.count("again") < 3:
            in_turn(again)

    with qtbot.capture_exceptions() as met:
        with gathered():
            for refresh in (partial(done.append, "one"), fails, partial(done.append, "two"), again):
                when_over(refresh)
        assert done == ["one"]
        assert not all_caught_up()
        beat.start(0)
        qtbot.waitUntil(all_caught_up, timeout=PATIENCE)
        beat.stop()
    assert [one for one in done if one != "beat"] == ["one", "fails", "two", "again", "again", "again"]
    assert "beat" in done[1:4]
    assert len(met) == 1
    with gathered(later=True):
        when_over(partial(done.append, "later"))
    assert done[-1] != "later"
    qtbot.waitUntil(all_caught_up, timeout=PATIENCE)
    assert done[-1] == "later"


def test_what_was_painted_and_the_next_refresh_have_a_turn_each(qtbot, monkeypatch):
    monkeypatch.setattr(batching, "TURN", 0.0)
    done = []
    beat = QTimer()
    beat.timeout.connect(lambda: done.append("beat"))

    class Painted(QWidget):
        def paintEvent(self, event):
            done.append("paint")

    widget = Painted()
    qtbot.addWidget(widget)
    widget.show()
    qtbot.waitExposed(widget)
    qtbot.wait(100)  # what the screen itself has painted anew
    done.clear()

    def refresh():
        done.append("refresh")
        widget.update()
        if done.count("refresh") < 12:
            in_turn(refresh)

    with gathered():
        when_over(refresh)
    beat.start(0)
    qtbot.waitUntil(lambda: done.count("refresh") == 12 and done.count("paint") > 6, timeout=PATIENCE)
    beat.stop()
    after = [one for last, one in itertools.pairwise(done) if last == "paint"]
    assert set(after) == {"beat"}


@pytest.mark.parametrize("press", ["mouse", "key"])
def test_what_a_person_does_finds_all_as_it_is_now(qtbot, monkeypatch, press):
    """Input that comes to the window, before it comes to what is on it."""
    monkeypatch.setattr(batching, "TURN", 0.0)
    seen, done = [], []

    class Clicked(QWidget):
        def mousePressEvent(self, event):
            seen.append(list(done))

        def keyPressEvent(self, event):
            seen.append(list(done))

    widget = Clicked()
    qtbot.addWidget(widget)
    widget.show()
    qtbot.waitExposed(widget)
    with gathered():
        for name in "abc":
            when_over(partial(done.append, name))
    assert done == ["a"]
    if press == "mouse":
        QTest.mouseClick(widget.windowHandle(), Qt.MouseButton.LeftButton)
    else:
        QTest.keyClick(widget.windowHandle(), Qt.Key.Key_A)
    assert seen == [["a", "b", "c"]]
    assert all_caught_up()


def test_what_is_gone_is_not_refreshed(qtbot, monkeypatch):
    monkeypatch.setattr(batching, "TURN", 0.0)
    gone, done = Shown(Source()), []
    with qtbot.capture_exceptions() as met, gathered():
        when_over(partial(done.append, "first"))
        when_over(gone.update)
        when_over(partial(done.append, "last"))
        delete(gone)
    qtbot.waitUntil(all_caught_up, timeout=PATIENCE)
    assert done == ["first", "last"]
    assert not met


def test_rows_stay_and_new_ones_come_a_few_in_each_turn(qtbot, monkeypatch):
    monkeypatch.setattr(batching, "TURN", 0.0)
    holder = QWidget()
    qtbot.addWidget(holder)
    column = ListColumn(holder)
    rows = KeptRows(column, QLabel)

    def shown():
        return [column.itemAt(n).widget().text() for n in range(column.count())]

    rows.show("abcdef")
    assert shown() == list("abcd")
    qtbot.waitUntil(all_caught_up, timeout=PATIENCE)
    assert shown() == list("abcdef")
    before = dict(rows)
    rows.show("fxb")
    assert shown() == list("fxb")
    assert dict(rows)["f"] is before["f"]
    rows.show("0123456789")
    delete(holder)
    with qtbot.capture_exceptions() as met:
        qtbot.waitUntil(all_caught_up, timeout=PATIENCE)
    assert not met


def test_parts_of_a_window_end_in_its_thread(qtbot):
    ended = []

    def look():
        ended.append(threading.current_thread())

    def left_behind():
        one = QObject()
        one.itself = one
        weakref.finalize(one, look)

    def busy():
        return [[] for _ in range(200_000)]

    left_behind()
    with ThreadPoolExecutor(1) as beside:
        made = beside.submit(busy)
        assert len(made.result()) == 200_000
    assert not ended
    qtbot.waitUntil(lambda: bool(ended), timeout=PATIENCE)
    assert ended == [threading.main_thread()]


def test_of_what_was_asked_for_meanwhile_only_the_last_is_done(qtbot):
    parent, thread = QObject(), side_thread("test")
    aside, go, begun, heard = Aside(parent, thread), threading.Event(), threading.Event(), []

    def slow():
        begun.set()
        go.wait()
        return "first"

    aside.ask(slow, heard.append)
    begun.wait()
    for n in range(5):
        aside.ask(partial(str, n), heard.append)
    assert aside.busy
    go.set()
    qtbot.waitUntil(lambda: not aside.busy, timeout=PATIENCE)
    assert heard == ["first", "4"]
    with qtbot.capture_exceptions() as met:
        aside.ask(lambda: 1 / 0, heard.append)
        qtbot.waitUntil(lambda: bool(met), timeout=PATIENCE)
    assert met[0][0] is ZeroDivisionError
    assert not aside.busy
    aside.ask(lambda: "dropped", heard.append)
    aside.close(lambda: heard.append("end"))
    assert heard[-1] == "end"
    thread.shutdown()


def test_the_window_answers_while_a_picture_is_drawn(desk, tee, monkeypatch):
    desk.open(tee)
    bed = desk.bed
    desk.qtbot.waitUntil(lambda: not bed.draws, timeout=PATIENCE)
    go, drawing, drawn, usual = threading.Event(), threading.Event(), [], Canvas.picture

    def slow(canvas, camera, *size, **how):
        drawing.set()
        go.wait()
        drawn.append(camera)
        return usual(canvas, camera, *size, **how)

    monkeypatch.setattr(Canvas, "picture", slow)
    try:
        before = bed.picture
        bed.look_from("From above")
        first = bed.camera
        desk.qtbot.waitUntil(drawing.is_set, timeout=PATIENCE)
        for view in ("From the front", "From the back", "From the right"):
            bed.look_from(view)
            QTest.mouseClick(bed, Qt.MouseButton.RightButton)
            desk.qtbot.wait(5)
        assert bed.picture is before
        assert bed.draws
        assert not desk.window.drawn
        assert bed.hit(QPointF(bed.width() / 2, bed.height() / 2)) is not None  # of what is, not of what is drawn
    finally:
        go.set()
    desk.qtbot.waitUntil(lambda: desk.window.drawn, timeout=PATIENCE)
    assert bed.picture.camera == bed.camera
    assert drawn == [first, bed.camera]  # and none of those between


def test_a_fault_while_drawing_is_met_in_the_window(desk, tee, monkeypatch):
    desk.open(tee)
    desk.qtbot.waitUntil(lambda: not desk.bed.draws, timeout=PATIENCE)

    def fails(*_, **__):
        raise RuntimeError("no picture")

    monkeypatch.setattr(Canvas, "picture", fails)
    with desk.qtbot.capture_exceptions() as met:
        desk.bed.draw_soon()
        desk.qtbot.waitUntil(lambda: bool(met), timeout=PATIENCE)
    assert str(met[0][1]) == "no picture"
    monkeypatch.undo()
    desk.bed.draw_soon()
    desk.qtbot.waitUntil(lambda: not desk.bed.draws, timeout=PATIENCE)


@pytest.mark.parametrize("kind", [TiltDisc, CutDisc])
def test_a_disc_is_coloured_beside_the_window(qtbot, kind):
    """Each pixel by what the directions near it say, all of those on the same side for a cut."""
    disc = kind()
    qtbot.addWidget(disc)
    rng = np.random.default_rng(3)
    directions = rng.normal(size=(300, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    shares = disc._shared_out(directions, np.eye(3))
    assert np.bincount(shares.pixels, shares.says) == pytest.approx(1.0)
    says = np.zeros((len(np.unique(shares.pixels)), len(directions)))
    says[shares.pixels, shares.near] = shares.says
    some = rng.choice(len(says), 20, replace=False)
    points = disc_points()[some]
    cosine = from_disc(points / (1.0 if kind is TiltDisc else np.sqrt(2.0))) @ directions.T
    cosine = cosine if kind is TiltDisc else np.abs(cosine)
    weight = np.exp(260.0 * (cosine - cosine.max(axis=1, keepdims=True)))
    assert says[some] == pytest.approx(weight / weight.sum(axis=1, keepdims=True), abs=2e-3)


def disc_points():
    steps = (np.arange(84) + 0.5) / 84 * 2 - 1
    x, y = np.meshgrid(steps, -steps)
    points = np.stack([x, y], axis=-1)[x**2 + y**2 <= 1.12]
    return points / np.maximum(np.hypot(*points.T), 1.0)[:, None]


def test_a_disc_shows_what_was_asked_for_last(qtbot):
    disc = CutDisc()
    qtbot.addWidget(disc)
    disc.resize(200, 200)
    pictures = []
    for seed in (1, 2):
        directions = np.random.default_rng(seed).normal(size=(200, 3))
        directions /= np.linalg.norm(directions, axis=1, keepdims=True)
        disc.show_map(cuts(directions))
        disc.show_map(cuts(-directions[::-1].copy()))
        qtbot.waitUntil(all_done, timeout=PATIENCE)
        pictures.append(bytes(disc._image.constBits()))
    assert pictures[0] != pictures[1]


def cuts(directions):
    values = np.arange(len(directions), dtype=float)
    return CutsShown(directions=directions, values=values, middle=np.eye(3), now=None)
