"""Joining by hand in the real window: strips on a shell, a joint that moves, keys that are turned, one's own rods,
places where seams meet.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton

from deft_slab.core.exporting.piece_files import write_solid
from tests.desk.conftest import PATIENCE, words
from tests.desk.test_join import LEFT, PLAIN, drag, halves, settled  # noqa: F401
from tests.shapes import tube


@pytest.fixture
def shell(desk, tmp_path):
    """A tube with walls of 1.2 mm, parted half way up, in Join."""
    write_solid(tube(24.0, 25.2, 60.0), "Sleeve", tmp_path / "sleeve.stl")
    desk.open(tmp_path / "sleeve.stl")
    low, high = desk.state.model.solid.bounds
    desk.state.cutting.add((0.0, 0.0, 1.0), float(low[2] + high[2]) / 2)
    desk.settle()
    desk.go(4)
    desk.settle()
    return desk


def field_of(panel, name):
    return next(shown for field, shown in panel._fields if field.name == name)


def dry(desk):
    """Opens Dry fit, and waits for what comes of it."""
    desk.click(desk.window.panels["Join"].tabs["Dry fit"])
    desk.qtbot.waitUntil(lambda: desk.state.fitting.fitted is not None, timeout=PATIENCE)
    desk.qtbot.wait(20)
    return desk.window.panels["Join"].fit


def test_a_shell_is_joined_dry_fitted_and_handed_off_by_mouse_and_keys(shell, tmp_path, monkeypatch):
    """Too thin for a key: a splint is proposed, made narrower and put in two parts by typing; a band follows outside,
    for a measured girth; together they go on to the bed and into files, read back by trimesh.
    """
    state, panel = shell.state, shell.window.panels["Join"].contacts
    shell.click(panel.propose_all)
    settled(shell)
    (splint,) = state.plan.joins
    assert splint.kind == "splint"
    assert "too thin" in words(panel)
    assert "wall inf" not in words(panel)
    shell.type(field_of(panel, "Width"), "8")
    settled(shell)
    shell.type(field_of(panel, "Parts"), "2")
    settled(shell)
    assert [piece.extra for piece in state.pieces] == ["", "", "splint", "splint"]
    assert state.pieces[2].figures.sits_flat
    shell.click(panel.adds["band"])
    settled(shell)
    before = state.pieces[-1].solid.size[0]
    shell.type(field_of(panel, "Girth"), "162")
    settled(shell)
    band = state.pieces[-1]
    assert band.extra == "band"
    assert band.solid.size[0] / before == pytest.approx(162 / (2 * math.pi * 25.2), rel=1e-3)
    fit = dry(shell)
    assert "free all the way" in words(fit)
    shell.click(fit.after)
    assert np.abs(state.view.fitted).max() == 0
    shell.go(6)
    shell.settle()
    folder = tmp_path / "out"
    folder.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    state.change_settings(equal_once=False)
    shell.click(shell.window.panels["Hand off"].stl)
    shell.qtbot.waitUntil(lambda: len(list(folder.glob("*.stl"))) == 5, timeout=PATIENCE)
    shell.settle()
    for path in folder.glob("*.stl"):
        mesh = trimesh.load(path, force="mesh")
        assert mesh.is_watertight
        assert mesh.bounds[0, 2] == pytest.approx(0.0, abs=1e-4)
    while state.plan.joins:
        shell.undo()
    shell.settle()
    assert len(state.pieces) == 2


def test_a_joint_is_turned_on_the_screen(halves):  # noqa: F811
    """A swivel under the beam: the slider turns its second piece about the post; what it does is said."""
    state, panel = halves.state, halves.window.panels["Join"].contacts
    halves.click(panel.adds["pivot"])
    settled(halves)
    assert "that turn, not glued" in words(panel)
    fit = dry(halves)
    assert "turns freely over its whole range" in words(fit)
    assert "0 mm² to glue" in words(fit) or "0 cm² to glue" in words(fit)
    (one,) = state.fitting.fitted.turns
    (moving,) = one.pieces
    fit.turn.setFocus()
    for _ in range(20):
        QTest.keyClick(fit.turn, Qt.Key.Key_Right)
    halves.qtbot.wait(20)
    assert words(fit).count("20°") >= 1
    pose = halves.bed.scene.placed[moving].pose
    still = halves.bed.scene.placed[1 - moving].pose
    turned = pose.rotation @ still.rotation.T
    angle = math.degrees(math.acos((np.trace(turned) - 1) / 2))
    assert angle == pytest.approx(20.0, abs=1e-6)
    assert np.abs(state.view.fitted).max() == 0
    # the axis stays where it is
    at = np.array(one.turn.place)
    assert pose.rotation @ at + pose.shift == pytest.approx(still.rotation @ at + still.shift, abs=1e-9)
    halves.click(halves.window.panels["Join"].tabs["Contacts"])
    assert not state.view.turned
    # a knuckle in the middle of the post turns only as far as its faces let it
    panel._switch("Make it a knuckle")
    settled(halves)
    assert not state.evaluated.outcome.joins[state.joining.selected].problem
    shown = dry(halves)
    (one,) = state.fitting.fitted.turns
    assert one.free[0] <= 0 <= one.free[1]
    assert "Joints that move" in words(shown)


def test_a_key_is_turned_by_its_handle_and_by_keys(halves):  # noqa: F811
    state, panel = halves.state, halves.window.panels["Join"].contacts
    halves.click(panel.adds["key"])
    settled(halves)
    assert panel.book._one.heading is None  # a round one is the same all around
    panel._switch("Make it long")
    settled(halves)
    book = panel.book
    book.setFocus()
    halves.key(Qt.Key.Key_PageUp, widget=book)
    settled(halves)
    assert state.history.undo_text == "turn a join"
    frame = state.joining.contacts[0].frame
    along = frame[:2] @ np.array(state.plan.joins[0].along)
    assert math.degrees(math.atan2(along[1], along[0])) == pytest.approx(5.0, abs=1e-6)
    # by its square handle, a quarter about its middle
    one = book._one
    start = book._turner(one, 0).toPoint()
    middle = book.place_of(one.at, 0)
    off = start - middle.toPoint()
    end = middle.toPoint() + QPoint(off.y(), -off.x())
    QTest.mousePress(book, LEFT, PLAIN, start)
    for step in range(1, 6):
        share = math.pi / 2 * step / 5
        x, y = off.x(), off.y()
        at = middle + QPoint(round(math.cos(share) * x + math.sin(share) * y),
                             round(-math.sin(share) * x + math.cos(share) * y))
        QTest.mouseMove(book, at.toPoint())
        halves.qtbot.wait(15)
    QTest.mouseRelease(book, LEFT, PLAIN, end)
    settled(halves)
    along = frame[:2] @ np.array(state.plan.joins[0].along)
    assert math.degrees(math.atan2(along[1], along[0])) == pytest.approx(95.0, abs=6.0)
    assert not state.evaluated.outcome.joins[state.plan.joins[0].id].problem
    # and along the outline of the contact
    panel._switch("Follow the outline")
    settled(halves)
    assert [field.name for field, _ in panel._fields][0] == "Inset"
    assert panel.book.shown.enough is None  # it takes no circle of room


def test_ones_own_rods_are_kept_and_used(halves):  # noqa: F811
    state, panel = halves.state, halves.window.panels["Join"].contacts
    halves.click(panel.adds["dowel hole"])
    settled(halves)
    halves.type(panel.rods, "2.5 4,2")
    assert state.settings.stock == (2.5, 4.2)
    assert panel.rods.text() == "2.5  4.2"
    halves.type(panel.rods, "thick ones")
    assert state.settings.stock == (2.5, 4.2)
    assert "Rods must be" in halves.window.notice.text
    # its handle goes from rod to rod
    drag(halves, 0, panel.book.handle_of(panel.book._one), QPoint(30, 0))
    assert state.plan.joins[0].diameter == 4.2
    drag(halves, 0, panel.book.handle_of(panel.book._one), QPoint(-12, 0))
    assert state.plan.joins[0].diameter in (2.5, 4.2)


def test_where_seams_meet_a_cap_is_offered(halves):  # noqa: F811
    """Two cuts across each other: what may be off there is said, and a click puts a cap over it."""
    state = halves.state
    state.cutting.add((1.0, 0.0, 0.0), 0.0)
    halves.settle()
    fit = dry(halves)
    assert "Errors that add up" in words(fit)
    assert "mm off, at worst" in words(fit)
    count = len(state.fitting.fitted.meetings)
    assert count >= 2
    caps = [one for one in fit.findChildren(QPushButton) if one.text() == "Add a cap"]
    halves.click(caps[0])
    settled(halves)
    (cap,) = state.plan.joins
    assert (cap.kind, cap.follows) == ("band", "spot")
    assert not state.evaluated.outcome.joins[cap.id].problem
    assert state.pieces[-1].extra == "cap"
