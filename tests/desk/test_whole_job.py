"""The whole job in the real window: open, tilt, cut in two, compare, hand off. Mouse and keys, no shortcuts."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit, QPushButton

from deft_slab.core.importing.readers import open_file
from deft_slab.desk.ledger.model import COLUMNS
from tests.desk.conftest import PATIENCE


def button(widget, text):
    return next(found for found in widget.findChildren(QPushButton) if found.text() == text)


def test_the_whole_job(desk, light_demo, tmp_path, monkeypatch):
    state, window = desk.state, desk.window
    desk.open(light_demo)
    assert window.strip.title.text() == "Gull figurehead"
    assert [row.name for row in window.ledger.model.rows] == [
        "As opened", "On the bed now", "On the tail", "Two halves, level",
    ]
    whole = state.evaluated.outcome.totals.support_volume_mm3
    opened = state.project

    # tilt: by a button, by a typed angle, back by undo
    desk.go(2)
    window.panels["Tilt"].turn_to("By hand")
    tilt = window.panels["Tilt"].pages["By hand"]
    desk.click(button(tilt, "+15°"))
    desk.settle()
    tilted = state.evaluated.outcome.totals.support_volume_mm3
    assert tilted != pytest.approx(whole, rel=0.01)
    desk.type(tilt.turns["Forward"], "120/4")
    desk.settle()
    assert state.history.undo_text == "turn by 30°"
    desk.undo()
    desk.undo()
    desk.settle()
    assert state.project == opened
    assert state.evaluated.outcome.totals.support_volume_mm3 == pytest.approx(whole)

    # cut: add a level one, drag it up by its handle, then type the place
    desk.go(3)
    desk.click(window.panels["Cut"].this.adds["Level"])
    desk.settle()
    assert len(state.pieces) == 2
    before = state.cut.offset
    end = desk.press_and_drag(desk.bed.handle_place("move"), QPoint(0, -40))
    assert state.draft is not None
    desk.qtbot.waitUntil(lambda: state.live is not None and state.live.outcome.plan == state.draft, timeout=PATIENCE)
    assert state.live.outcome.approximate
    assert "≈" in desk.read(window.panels["Cut"].costs)
    assert state.plan.recipe[0].offset == before
    desk.release(end)
    desk.settle()
    assert state.plan.recipe[0].offset > before + 5
    assert state.history.undo_text == "move a cut"
    desk.type(window.panels["Cut"].this.tools["straight"].place, "9.5cm")
    desk.settle()
    totals = state.evaluated.outcome.totals
    lowest = state.model.solid.bounds[0][2]
    assert state.plan.recipe[0].offset == pytest.approx(lowest + 95.0, abs=0.001)
    assert totals.pieces == totals.fitting_pieces == 2
    assert totals.support_volume_mm3 < 0.25 * whole

    # compare: keep, name, pin, look at the difference, bring another back and undo that
    desk.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    desk.settle()
    table, rows = window.ledger.table, window.ledger.model
    assert rows.rows[4].name == "Choice 3"
    table.setCurrentIndex(rows.index(4, 0))
    table.setFocus()
    desk.key(Qt.Key.Key_F2, widget=table)
    editor = table.viewport().findChild(QLineEdit)
    editor.selectAll()
    QTest.keyClicks(editor, "Level at the wings")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    desk.qtbot.waitUntil(lambda: state.project.choices[2].name == "Level at the wings", timeout=PATIENCE)
    table.setFocus()
    desk.key(Qt.Key.Key_P, widget=table)
    assert state.project.pinned == state.project.choices[2].id
    support = next(n for n, column in enumerate(COLUMNS) if column.title == "support")
    assert rows.difference(rows.rows[0], COLUMNS[support]).startswith("+")
    assert rows.is_best(rows.rows[4], COLUMNS[support])
    kept = state.plan
    desk.row(2)
    desk.settle()
    assert state.plan == state.project.choices[0].plan
    assert len(state.pieces) == 1
    desk.undo()
    desk.settle()
    assert state.plan == kept
    assert len(state.pieces) == 2

    # hand off: STL files, one 3MF, the project
    desk.go(6)
    out = tmp_path / "out"
    out.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: str(out))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda parent, title, *_: (str(out / title.split()[0]), ""))
    hand_off = window.panels["Hand off"]
    for part in (hand_off.stl, hand_off.together, hand_off.save):
        desk.click(part)
        desk.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    assert sorted(path.name for path in out.iterdir()) == [
        "1-upper-figurehead.stl",
        "2-lower-figurehead.stl",
        "Save.3mf",
        "Write.3mf",
    ]
    for path, piece in zip(sorted(out.glob("*.stl")), state.pieces, strict=True):
        mesh = trimesh.load(path)
        assert mesh.is_watertight
        assert mesh.bounds[0][2] == pytest.approx(0, abs=1e-6)
        assert mesh.volume == pytest.approx(piece.figures.volume_mm3, rel=1e-4)
    assert not state.history.dirty
    assert state.opening.path == out / "Save.3mf"

    # and open it again: nothing lost
    saved = state.project
    assert open_file(out / "Save.3mf").project == saved
    desk.open(out / "Save.3mf")
    assert state.project == saved
    assert state.evaluated.outcome.totals.support_volume_mm3 == pytest.approx(totals.support_volume_mm3)
    assert str((out / "Save.3mf").resolve()) == state.settings.recent[0]


def test_seating_on_a_clicked_facet(desk, tee):
    """The end of the beam is clicked: it becomes the bottom, and undo takes that back."""
    desk.open(tee)
    desk.go(2)
    state, bed = desk.state, desk.bed
    desk.look_from("From the right")
    desk.click(desk.window.panels["Tilt"].pages["By hand"].picks["facet"])
    assert state.pointing.kind == "facet"
    end = np.array([110.0 + 40, 110.0, 70.0])
    at = bed.camera.project(end, bed.width(), bed.height())[0]
    place = QPoint(*np.round(at).astype(int))
    QTest.mouseMove(bed, place)
    desk.qtbot.waitUntil(lambda: bed.marked, timeout=PATIENCE)
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place)
    desk.settle()
    assert state.pointing.kind == ""
    assert state.plan.tilt.down == pytest.approx((1, 0, 0), abs=1e-6)
    assert state.piece.figures.height_mm == pytest.approx(80)
    desk.undo()
    desk.settle()
    assert state.piece.figures.height_mm == pytest.approx(80, abs=1e-3)
    assert state.plan.tilt.down == (0, 0, -1)


def test_turning_a_cut_by_its_handle_and_esc(desk, tee):
    desk.open(tee)
    desk.go(3)
    desk.click(desk.window.panels["Cut"].this.adds["Level"])
    desk.settle()
    state = desk.state
    plan = state.plan
    end = desk.press_and_drag(desk.bed.handle_place("lean"), QPoint(0, -40))
    assert state.draft is not None
    assert state.cut.normal != plan.recipe[0].normal
    desk.key(Qt.Key.Key_Escape, widget=desk.bed)
    desk.release(end)
    assert state.draft is None
    assert state.plan == plan
    end = desk.press_and_drag(desk.bed.handle_place("lean"), QPoint(0, -40))
    desk.release(end)
    desk.settle()
    turned = state.plan.recipe[0]
    assert turned.normal != plan.recipe[0].normal
    # it turned about the middle of the sheet
    assert np.dot(turned.normal, (0, 0, 40)) == pytest.approx(turned.offset, abs=0.05)
    lean = desk.window.panels["Cut"].this.tools["straight"].lean
    desk.type(lean, "90")
    desk.settle()
    assert abs(state.plan.recipe[0].normal[2]) < 1e-6


def test_cuts_are_switched_off_and_removed_and_all_is_undone(desk, tee):
    desk.open(tee)
    desk.go(3)
    panel, state = desk.window.panels["Cut"].this, desk.state
    start = state.project
    for name in ("Level", "Left and right"):
        desk.click(panel.adds[name])
        desk.settle()
    assert len(state.pieces) == 4
    state.cutting.change_one("switch a cut", "c1", on=False)
    desk.settle()
    assert len(state.pieces) == 2
    desk.click(panel.remove)
    desk.settle()
    assert [cut.id for cut in state.plan.recipe] == ["c1"]
    for _ in range(4):
        desk.undo()
    desk.settle()
    assert state.project == start
    assert state.history.undo_text == ""
    for _ in range(4):
        desk.key(Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    desk.settle()
    assert [cut.on for cut in state.plan.recipe] == [False]
    assert state.history.redo_text == ""


def test_the_slider_moves_the_cut(desk, tee):
    desk.open(tee)
    desk.go(3)
    panel, state = desk.window.panels["Cut"].this, desk.state
    desk.click(panel.adds["Level"])
    desk.settle()
    panel.tools["straight"].slider.setFocus()
    for _ in range(10):
        desk.key(Qt.Key.Key_Right, widget=panel.tools["straight"].slider)
    desk.settle()
    assert state.plan.recipe[0].offset == pytest.approx(40 + 0.8, abs=0.2)


def test_orbit_pan_zoom_and_views(desk, tee):
    desk.open(tee)
    desk.go(2)
    bed = desk.bed
    middle = QPointF(bed.width() / 2, bed.height() - 40)
    before = bed.camera
    desk.release(desk.press_and_drag(middle, QPoint(60, 0)))
    assert bed.camera.azimuth != before.azimuth
    assert bed.camera.focus == before.focus
    before = bed.camera
    desk.release(
        desk.press_and_drag(middle, QPoint(30, 0), button=Qt.MouseButton.MiddleButton), Qt.MouseButton.MiddleButton
    )
    assert bed.camera.focus != before.focus
    assert bed.camera.azimuth == before.azimuth
    desk.window.frame.below.click()
    assert bed.camera.elevation < 0
    before = bed.camera
    desk.key(Qt.Key.Key_Plus, widget=bed)
    assert bed.camera.distance < before.distance
    desk.key(Qt.Key.Key_Left, widget=bed)
    assert bed.camera.azimuth != before.azimuth


def test_the_bed_shows_overhang_and_support(desk, light_demo):
    """The picture has the colours of the ramp and of the veil, and loses them when they are switched off."""
    desk.open(light_demo)
    desk.go(2)
    desk.look_from("From below")

    def picture():
        image = desk.bed.grab().toImage().convertToFormat(desk.bed.grab().toImage().Format.Format_RGB888)
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        return pixels[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)

    with_both = picture()
    desk.click(desk.window.frame.support)
    desk.settle()
    desk.drawn()
    without_support = picture()
    desk.click(desk.window.frame.overhang)
    desk.settle()
    desk.drawn()
    bare = picture()
    assert (np.abs(with_both - without_support).sum(axis=2) > 20).mean() > 0.03
    ochre = (without_support[..., 0] - without_support[..., 2] > 60).mean()
    assert ochre > 0.005
    assert (bare[..., 0] - bare[..., 2] > 60).mean() < 0.2 * ochre


def test_size_by_unit_percent_and_height(desk, tee):
    desk.open(tee)
    desk.go(3)
    desk.click(desk.window.panels["Cut"].this.adds["Level"])
    desk.settle()
    desk.go(1)
    size, state = desk.window.panels["Size"].pages["Scale"], desk.state
    desk.click(size.tiles.tiles["in"])
    desk.settle()
    assert state.plan.factors == pytest.approx([25.4] * 3)
    assert state.plan.recipe[0].offset == pytest.approx(40 * 25.4)
    desk.type(size.lengths["z"], "12in")
    desk.settle()
    assert max(piece.solid.bounds[1][2] for piece in state.pieces) == pytest.approx(304.8, rel=1e-3)
    desk.type(size.percent, "50")
    desk.settle()
    assert state.plan.scale == pytest.approx(0.5)
    assert len(state.pieces) == 2
