"""Check, as a person uses it: the rail, the section, what was found and what is done about it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from deft_slab.core.cuts import StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.inspection.lines import lines_of
from deft_slab.core.locale import preferences
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.desk.ledger.model import COLUMNS, cell_text
from deft_slab.desk.look import palette
from deft_slab.desk.scene.canvas import Canvas
from deft_slab.desk.scene.render_thread import drawing_thread
from tests.core.test_layers import beaker, comb
from tests.desk.conftest import PATIENCE, words
from tests.shapes import box, joined, model_of, solid_of, sphere

RESIN = shipped_printers()["small-resin"].changed(layer_heights=(0.1, 0.2, 0.4))


class Check:
    """The desk in Check, with a body on the bed."""

    def __init__(self, desk, path, solid, printer=RESIN):
        write_solid(solid, "Thing", path / "thing.stl", replace=True)
        self.desk, self.state, self.window = desk, desk.state, desk.window
        desk.open(path / "thing.stl")
        self.state.choose_printer(printer)
        desk.settle()
        desk.go(5)
        self.wait()

    @property
    def panel(self):
        return self.window.panels["Check"].checked

    @property
    def card(self):
        return self.window.frame.layer_card

    def wait(self):
        self.desk.settle()
        self.desk.qtbot.waitUntil(lambda: bool(self.state.checking.found), timeout=PATIENCE)
        self.desk.settle()

    def rows(self, what):
        return [(line, row) for line, row in self.panel.rows if line.what.startswith(what)]

    def press(self, text):
        """Presses a button of the chosen line."""
        self.desk.settle()
        (found,) = (b for b in self.panel.findChildren(QPushButton) if b.text() == text and b.isVisible())
        QTest.mouseClick(found, Qt.MouseButton.LeftButton)
        self.desk.settle()

    def section(self):
        self.desk.qtbot.waitUntil(lambda: bool(self.state.view.faces), timeout=PATIENCE)
        return self.state.view.faces


def test_islands_are_listed_flown_to_and_left_on_purpose(desk, tmp_path):
    check = Check(desk, tmp_path, comb(3))
    state, before = check.state, check.desk.bed.camera
    assert len(check.rows("Island")) == 3
    assert "3 failed" in words(check.panel)
    line, row = check.rows("Island")[0]
    assert "at 3.00 mm, 9.0 mm², hangs for 60 layers" in line.detail
    QTest.mouseClick(row, Qt.MouseButton.LeftButton)
    desk.settle()
    assert state.checking.flown == line.found
    assert desk.bed.camera != before
    assert desk.bed.camera.elevation < 0
    seen = desk.bed.camera.project(np.array([desk.bed.scene.placed[0].pose.of(np.array(line.found.place))]),
                                   desk.bed.width(), desk.bed.height())[0]
    assert seen == pytest.approx((desk.bed.width() / 2, desk.bed.height() / 2), abs=3)
    check.press("Leave it")
    check.wait()
    assert len(state.plan.left) == 1
    assert len(check.rows("Island")) == 3
    assert [line.verdict for line, _ in check.rows("Island")].count("left") == 1
    assert "2 failed" in words(check.panel)
    desk.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    check.wait()
    assert not state.plan.left
    assert "3 failed" in words(check.panel)


def test_what_was_left_can_be_counted_again(desk, tmp_path):
    check = Check(desk, tmp_path, comb(2))
    QTest.mouseClick(check.rows("Island")[0][1], Qt.MouseButton.LeftButton)
    check.press("Leave it")
    check.wait()
    (left,) = (row for line, row in check.rows("Island") if line.verdict == "left")
    QTest.mouseClick(left, Qt.MouseButton.LeftButton)
    check.press("Count it again")
    check.wait()
    assert not check.state.plan.left


def test_the_rail_scrubs_both_ways_by_mouse_wheel_keys_and_numbers(desk, tmp_path):
    check = Check(desk, tmp_path, comb(3))
    state, rail, card = check.state, check.window.rail, check.card
    assert rail.isVisible()
    assert rail.width() > 60
    assert math.isinf(state.view.hidden_above)
    QTest.mouseClick(rail, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
                     QPoint(60, round(rail.y_of(10.0))))
    assert state.view.hidden_above == pytest.approx(10.0, abs=0.1)
    assert state.view.hidden_below == 0
    z = state.checking.z
    QTest.keyClick(rail, Qt.Key.Key_Up)
    assert state.checking.z == pytest.approx(z + 0.2)
    turned = QWheelEvent(QPointF(70, 100), rail.mapToGlobal(QPointF(70, 100)), QPoint(0, 0), QPoint(0, -240),
                         Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase,
                         False)  # noqa: FBT003 - Qt takes it by place only
    desk.window.rail.wheelEvent(turned)
    assert state.checking.z == pytest.approx(z - 0.2)
    # a typed layer: the section is that of the layer, three teeth and two legs
    card.layer.setFocus()
    card.layer.selectAll()
    QTest.keyClicks(card.layer, "40")
    QTest.keyClick(card.layer, Qt.Key.Key_Return)
    assert state.checking.z == pytest.approx(7.9)
    (face,) = check.section()
    assert face.area == pytest.approx(3 * 9 + 2 * 24, rel=1e-6)
    assert len(face.lines) == 5
    assert "40 of 105 · 75.0 mm²" in words(card)
    assert "section 0" in desk.bed.scene.things
    # the other way round: the bed side is taken away
    QTest.mouseClick(card.above, Qt.MouseButton.LeftButton)
    assert state.view.hidden_below == pytest.approx(7.9)
    assert math.isinf(state.view.hidden_above)
    card.height_field.selectAll()
    QTest.keyClicks(card.height_field, "1.2cm")
    QTest.keyClick(card.height_field, Qt.Key.Key_Return)
    assert state.view.hidden_below == pytest.approx(12.0)
    QTest.keyClick(rail, Qt.Key.Key_Home)
    assert state.view.hidden_below == 0
    assert not state.view.faces
    desk.go(2)
    assert math.isinf(state.view.hidden_above)


def test_marks_along_the_rail_are_clicked(desk, tmp_path):
    check = Check(desk, tmp_path, comb(3))
    rail = check.window.rail
    islands = [mark for mark in rail.marks if mark.kind == "island"]
    assert len(islands) == 3
    QTest.mouseClick(rail, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
                     QPoint(8, round(rail.y_of(3.0))))
    assert check.state.checking.flown in [one.found for one, _ in check.rows("Island")]
    assert math.isinf(check.state.checking.z)


def test_a_cup_is_flown_into(desk, tmp_path):
    check = Check(desk, tmp_path, beaker(up=True))
    ((line, row),) = check.rows("Cup")
    assert "open at its top" in line.detail
    assert "53 N" in line.means
    QTest.mouseClick(row, Qt.MouseButton.LeftButton)
    desk.settle()
    assert check.state.view.hidden_above < 30
    assert desk.bed.camera.elevation > 0
    (face,) = check.section()
    assert face.area == pytest.approx(math.pi * (15**2 - 13**2), rel=2e-3)
    # a filament printer has no film to suck at
    check.state.choose_printer(shipped_printers()["middle-filament"])
    check.wait()
    assert not check.rows("Cup")
    assert check.rows("No voids")


def test_a_hold_spot_holds_an_island_on_filament(desk, tmp_path):
    """A steep tip is not past the threshold and gets no support, until it is asked for."""
    tip = joined(*_tip())
    check = Check(desk, tmp_path, tip, shipped_printers()["middle-filament"])
    ((line, row),) = check.rows("Island")
    QTest.mouseClick(row, Qt.MouseButton.LeftButton)
    check.press("Add a hold spot")
    check.wait()
    assert [mark.meaning for mark in check.state.plan.marks] == ["hold"]
    assert not check.rows("Island")
    assert any("1 held" in line.detail for line, _ in check.rows("No islands"))


def _tip():
    import trimesh

    cone = trimesh.creation.cone(4.0, 20.0, sections=48)
    cone.apply_transform(trimesh.transformations.rotation_matrix(math.pi, [1, 0, 0]))
    cone.apply_translation([20, 5, 25])
    return cone, box(26, 10, 4, (0, 0, 24)), box(6, 10, 24)


def test_choices_are_compared_by_islands_and_cups(desk, tmp_path):
    check = Check(desk, tmp_path, comb(3))
    state, ledger = check.state, check.window.ledger
    named = {column.title: column for column in COLUMNS}
    desk.qtbot.waitUntil(lambda: all(row.layers is not None for row in ledger.model.rows), timeout=PATIENCE)
    assert [cell_text(named["islands"], row) for row in ledger.model.rows] == ["3", "3"]
    assert ledger.model.shows(named["largest cup"])
    state.seats.set("upside down", state.plan.tilt.turn((1, 0, 0), 180))
    check.wait()
    assert [cell_text(named["islands"], row) for row in ledger.model.rows] == ["3", "0"]
    state.choose_printer(shipped_printers()["middle-filament"])
    check.wait()
    assert not ledger.model.shows(named["largest cup"])


def test_the_whole_bed_together(desk, tmp_path):
    check = Check(desk, tmp_path, joined(box(30, 10, 20)))
    state = check.state
    state.do_plan("cut", state.plan.with_cut(StraightCut(id="c1", name="Cut", normal=(1, 0, 0), offset=10.0)))
    check.wait()
    state.show(in_place=False)
    tall = max(piece.figures.height_mm for piece in state.pieces)
    assert check.card.whole.isVisible()
    state.checking.set_height(5.0)
    assert len(check.section()) == 2
    one = state.checking.faces[0].area
    QTest.mouseClick(check.card.whole, Qt.MouseButton.LeftButton, pos=QPoint(8, check.card.whole.height() // 2))
    check.section()
    desk.settle()
    assert state.checking.top == pytest.approx(tall)
    assert sum(face.area for face in state.checking.faces) > one
    assert len(state.checking.faces) == 2
    assert "of" in words(check.card)


def test_another_layer_height(desk, tmp_path):
    check = Check(desk, tmp_path, comb(2))
    assert "hangs for 60 layers" in check.rows("Island")[0][0].detail
    check.panel.layers.setFocus()
    QTest.keyClick(check.panel.layers, Qt.Key.Key_Down)
    check.wait()
    assert check.state.checking.thickness == pytest.approx(0.4)
    assert "hangs for 30 layers" in check.rows("Island")[0][0].detail


def pictured(bed, *, coarse):
    """Pixels and depth of what the bed shows, drawn as it draws."""

    def draw():
        canvas = Canvas()
        canvas.draw(bed.scene.things, bed.scene.hidden)
        made = canvas.picture(bed.camera, 200, 150, ground=palette.colour(palette.GROUND), coarse=coarse)
        canvas.close()
        return made

    return drawing_thread.submit(draw).result()


def test_a_heavy_piece_is_drawn_lighter_while_the_height_moves(desk, tmp_path):
    """Few triangles in the colours of the whole, drawn in its place only while it is coarse, and gone with the step."""
    check = Check(desk, tmp_path, sphere(20.0, 6))
    bed, state = desk.bed, check.state
    desk.qtbot.waitUntil(lambda: bool(state.view.lights), timeout=PATIENCE)
    desk.settle()
    whole, light = (bed.scene.things[f"{name} 0"] for name in ("piece", "light"))
    assert len(whole.triangles) == 81_920
    assert len(light.triangles) < 10_000
    assert light.colour.shape == (len(light.triangles), 3)
    (fine, deep), (few, shallow) = (pictured(bed, coarse=coarse) for coarse in (False, True))
    there, also = np.isfinite(deep), np.isfinite(shallow)
    assert (there != also).mean() < 0.01
    both = there & also
    assert np.quantile(np.abs(deep[both] - shallow[both]), 0.99) < 1.0  # but for a pixel at the rim
    assert np.abs(fine.astype(int) - few)[both].mean() < 12  # its colours too
    desk.go(2)
    desk.settle()
    assert not state.view.lights
    assert "light 0" not in bed.scene.things


def test_one_fault_is_listed_once_in_every_language(monkeypatch):
    """What has a line of its own is told from the notes by their code, and not by their words."""
    model = model_of(solid_of(box(20, 20, 400)), "Tall post")
    printer = shipped_printers()["small-filament"]
    try:
        for language in ("en", "de"):
            monkeypatch.setenv("LANGUAGE", language)
            preferences.forget()
            outcome = Evaluator(model).evaluate(Plan(model=model.ref), printer)
            assert any(note.subject == "fit" for note in outcome.notes)
            about = [line for line in lines_of(outcome, (), printer) if "Tall post" in line.what + line.detail]
            assert [line.verdict for line in about].count("failed") == 1
            said = [note.says for note in outcome.notes if note.subject == "fit"]
            assert not [line for line in about if line.detail in said]
    finally:
        monkeypatch.undo()
        preferences.forget()


def test_on_resin_nothing_is_said_of_support_that_is_hard_to_take_out():
    """Posts hold what begins in the air there, and the islands say where."""
    tunnel = (box(40, 40, 2), box(2, 40, 40), box(2, 40, 40, at=(38, 0, 0)), box(40, 40, 2, at=(0, 0, 38)))
    model = model_of(joined(*tunnel))
    said = {}
    for name in ("small-resin", "small-filament"):
        printer = shipped_printers()[name]
        outcome = Evaluator(model).evaluate(Plan(model=model.ref), printer)
        said[printer.kind] = [line.what for line in lines_of(outcome, (), printer)]
    assert not any("Support" in what for what in said["resin"])
    assert any("Support" in what for what in said["filament"])
