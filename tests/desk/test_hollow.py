"""Hollowing in the window, as a person does it."""

from __future__ import annotations

import math

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.printers.profile import shipped_printers
from tests.desk.conftest import PATIENCE, words
from tests.shapes import box, joined, sphere


@pytest.fixture
def ball(desk, tmp_path):
    """A ball over a resin plate, in Check, with the page of hollowing open."""
    write_solid(sphere(22.0, 4), "Ball", tmp_path / "ball.stl", replace=False)
    desk.open(tmp_path / "ball.stl")
    desk.state.choose_printer(shipped_printers()["large-resin"].changed(layer_heights=(0.2,)))
    desk.state.do_plan("lift", desk.state.plan.changed(lift=5.0))
    desk.settle()
    desk.go(5)
    desk.click(desk.window.panels["Check"].tabs["Hollow"])
    desk.settle()
    return desk


def page(desk):
    return desk.window.panels["Check"].hollow


def made(desk):
    """Waits until the hollow is as the plan has it."""
    desk.settle()
    desk.qtbot.waitUntil(lambda: desk.state.up_to_date, timeout=PATIENCE)
    desk.settle()


def tick(check):
    QTest.mouseClick(check, Qt.MouseButton.LeftButton, pos=QPoint(8, check.height() // 2))


def typed(field, words_):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, words_)
    QTest.keyClick(field, Qt.Key.Key_Return)


def test_hollowed_vented_plugged_and_taken_back(ball):
    state, panel = ball.state, page(ball)
    whole = state.pieces[0].solid.volume
    assert "This piece is solid" in words(panel)
    typed(panel.wall, "3")
    ball.click(panel.make)
    made(ball)
    report = state.hollowing.report
    assert report.voids[0] == pytest.approx(4 / 3 * math.pi * 19.0**3, rel=0.03)
    assert "cm³ · " in panel.figures["Saved"].text()
    assert "1 of 1 voids have no vent" in words(panel)
    ball.click(panel.propose)
    ball.qtbot.waitUntil(lambda: bool(panel.rows), timeout=PATIENCE)
    made(ball)
    assert len(panel.rows) >= 2
    assert "Every void has a vent" in words(panel)
    assert "opens a void through 3." in words(panel)
    tick(panel.plugs)
    made(ball)
    assert [piece.extra for piece in state.pieces[1:]] == ["plug"] * len(panel.rows)
    assert all(piece.lift == 0 for piece in state.pieces[1:])
    assert "plug with a gap of 0.2" in words(panel)
    for _ in range(3):
        ball.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        made(ball)
    assert not state.plan.hollows
    assert state.pieces[0].solid.volume == pytest.approx(whole)
    ball.key(Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    made(ball)
    assert state.pieces[0].solid.volume < 0.7 * whole
    ball.click(panel.solid)
    made(ball)
    assert not state.plan.hollows


def test_the_void_is_seen_by_a_section(ball):
    state = ball.state
    ball.click(page(ball).make)
    made(ball)
    state.checking.set_height(27.0)
    ball.qtbot.waitUntil(lambda: bool(state.view.faces), timeout=PATIENCE)
    (face,) = state.view.faces
    assert len(face.lines) == 2
    assert face.area == pytest.approx(math.pi * (22.0**2 - 20.0**2), rel=0.05)


def test_a_vent_is_placed_moved_sized_and_removed_by_hand(ball):
    state, panel = ball.state, page(ball)
    ball.click(panel.make)
    made(ball)
    ball.look_from("From the front")
    ball.click(panel.place)
    assert state.pointing.kind == "vent"
    QTest.mouseClick(ball.bed, Qt.MouseButton.LeftButton, pos=seen(ball, (0.0, -21.9, 0.0)))
    made(ball)
    ((vent, _),) = panel.rows
    assert vent.place[1] == pytest.approx(-22.0, abs=0.5)
    assert vent.along[1] > 0.9
    assert state.hollowing.report.vents[0].reaches
    press(ball, "Move …")
    QTest.mouseClick(ball.bed, Qt.MouseButton.LeftButton, pos=seen(ball, (12.0, -18.4, 0.0)))
    made(ball)
    ((moved, _),) = panel.rows
    assert moved.id == vent.id
    assert moved.place[0] == pytest.approx(12.0, abs=1.5)
    state.hollowing.size(moved, outer=3.0)
    made(ball)
    assert panel.rows[0][0].outer == 3.0
    state.hollowing.size(panel.rows[0][0], inner=5.0)
    assert "fall through" in ball.window.notice.text
    assert panel.rows[0][0].inner == 1.5
    press(ball, "Remove")
    made(ball)
    assert not panel.rows


def test_too_thin_to_hollow_is_said(desk, tmp_path):
    write_solid(joined(box(30, 30, 3)), "Plate", tmp_path / "plate.stl", replace=False)
    desk.open(tmp_path / "plate.stl")
    desk.go(5)
    desk.click(desk.window.panels["Check"].tabs["Hollow"])
    desk.click(page(desk).make)
    made(desk)
    assert "There is nothing to hollow, because the piece is thinner than two walls everywhere." in words(page(desk))
    assert desk.state.pieces[0].solid.volume == pytest.approx(2700.0)
    typed(page(desk).spacing, "2") if page(desk).spacing.isEnabled() else tick(page(desk).lattice)
    typed(page(desk).spacing, "3")
    assert "two rod diameters" in desk.window.notice.text


def seen(desk, place):
    """The pixel at which a point of the model is."""
    import numpy as np

    at = desk.bed.scene.placed[0].pose.of(np.array(place))
    x, y = desk.bed.camera.project(at[None], desk.bed.width(), desk.bed.height())[0][:2]
    return QPoint(round(float(x)), round(float(y)))


def press(desk, text):
    (found,) = (b for b in page(desk).findChildren(QPushButton) if b.text() == text and b.isVisible())
    QTest.mouseClick(found, Qt.MouseButton.LeftButton)
