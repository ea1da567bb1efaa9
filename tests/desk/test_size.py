"""The Size step with mouse and keyboard: units, mending, bodies, wearers, measuring."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton

from deft_slab.core.importing.readers import open_file
from deft_slab.core.plan.plan import Mending
from deft_slab.demo import TROUBLED
from tests.desk.conftest import PATIENCE, words
from tests.shapes import light_model, tube


@pytest.fixture
def size(desk):
    """The Size step's panel; its pages by name."""
    return desk.window.panels["Size"]


def turn_to(desk, size, page):
    desk.go(1)
    desk.click(size.tabs[page])
    desk.settle()
    return size.pages[page]


def wait(desk):
    desk.qtbot.waitUntil(lambda: not desk.state.jobs.busy, timeout=PATIENCE)
    desk.settle()


def choose(combo, text):
    """Chooses from a list by keyboard."""
    combo.setFocus()
    QTest.keyClick(combo, Qt.Key.Key_Home)
    for _ in range(combo.count()):
        if combo.currentText() != text:
            QTest.keyClick(combo, Qt.Key.Key_Down)
    assert combo.currentText() == text
    combo.textActivated.emit(text)


def click_at(desk, place):
    """Clicks a place of the bed frame, mm."""
    x, y = desk.bed.camera.project(np.array(place, float), desk.bed.width(), desk.bed.height())[0]
    at = QPoint(round(x), round(y))
    QTest.mouseMove(desk.bed, at)
    QTest.mouseClick(desk.bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)


# units


def test_a_file_without_a_unit_asks_and_the_likeliest_is_marked(desk, size):
    desk.open(TROUBLED["damaged"])
    state, page = desk.state, size.pages["Scale"]
    assert state.step == "Size"
    assert state.sizing.asking_unit
    assert state.plan.unit == "in"
    assert page.tiles.tiles["in"].isChecked()
    assert "173 × 204 × 133 mm" in words(page)
    assert "6.8 × 8" in page.tiles.tiles["mm"].accessibleName()
    desk.click(page.right)
    assert not state.sizing.asking_unit
    desk.click(page.tiles.tiles["cm"])  # a later change of mind is one click
    desk.settle()
    assert state.plan.factors == pytest.approx([10] * 3)
    desk.undo()
    desk.settle()
    assert state.plan.unit == "in"
    QTest.keyClick(page.tiles.tiles["mm"], Qt.Key.Key_Space)
    desk.settle()
    assert state.plan.unit == "mm"
    assert state.sizing.size.max() == pytest.approx(8.05, abs=0.01)


def test_a_stated_unit_is_obeyed_and_not_asked(desk, size):
    desk.open(TROUBLED["standing-on-y"])
    state = desk.state
    assert not state.sizing.asking_unit
    assert state.plan.unit == "m"
    assert state.sizing.size == pytest.approx([77, 68, 135], abs=1)
    assert "The file states its unit: metres." in words(turn_to(desk, size, "Scale"))


def test_a_model_that_may_stand_on_y_is_offered_to_be_stood_up(desk, size, tmp_path):
    vase = trimesh.creation.cone(20, 50, sections=48)
    vase.vertices = vase.vertices[:, [0, 2, 1]] * [1, 1, -1]
    vase.export(tmp_path / "vase.stl")
    desk.open(tmp_path / "vase.stl")
    page = size.pages["Scale"]
    assert page.stand_up.isVisible()
    desk.click(page.stand_up)
    desk.settle()
    assert not page.stand_up.isVisible()
    assert desk.state.sizing.size[2] == pytest.approx(50)
    assert desk.state.piece.figures.sits_flat
    desk.undo()
    desk.settle()
    assert page.stand_up.isVisible()


def test_exact_faces_are_drawn_at_a_chosen_fineness(desk, size):
    desk.open(TROUBLED["exact"])
    state, page = desk.state, size.pages["Scale"]
    assert state.sizing.asking_fineness
    coarse = len(state.model.solid.triangles)
    assert f"{coarse:,} triangles" in words(page)
    desk.type(page.fineness, "0.005")
    desk.qtbot.waitUntil(lambda: len(state.model.solid.triangles) > 2 * coarse, timeout=PATIENCE)
    desk.settle()
    assert page.fineness.value == pytest.approx(0.005)
    desk.click(page.take)
    assert not page.take.isVisible()


# scale


def test_lengths_percent_axes_and_the_largest_that_fits(desk, size, tee):
    desk.open(tee)
    state, page = desk.state, turn_to(desk, size, "Scale")
    desk.type(page.lengths["x"], "160")
    desk.settle()
    assert state.plan.scale == pytest.approx(2)
    assert state.sizing.size == pytest.approx([160, 40, 160], abs=0.1)
    desk.click(page.apart)
    assert "stretches only its own axis" in words(page)
    desk.type(page.lengths["y"], "8cm")
    desk.settle()
    assert state.sizing.size == pytest.approx([160, 80, 160], abs=0.1)
    assert "no longer round" in words(page)
    desk.click(page.even)
    desk.settle()
    assert state.plan.stretch == (1.0, 1.0, 1.0)
    desk.click(page.fill)
    wait(desk)
    assert state.piece.fit.fits
    # it turns on the bed until its 80 mm go into the corner-to-corner way of 216 x 216
    assert 216 / 80 < state.plan.scale < 216 * math.sqrt(2) / 80
    for _ in range(4):
        desk.undo()
    desk.settle()
    assert state.plan.scale == 1
    assert state.history.undo_text == ""


def test_mirror_and_copies(desk, size, tee):
    desk.open(tee)
    state, page = desk.state, turn_to(desk, size, "Scale")
    volume = state.piece.solid.volume
    for axis in ("x", "z"):
        desk.click(page.mirrors[axis])
        desk.settle()
        assert state.plan.mirror == axis
        assert state.piece.solid.volume == pytest.approx(volume)
    desk.click(page.mirrors["z"])
    desk.settle()
    assert state.plan.mirror is None
    desk.type(page.copies, "3")
    desk.settle()
    assert len(state.evaluated.laid) == 3
    desk.go(6)
    assert "3 times" in words(desk.window.panels["Hand off"])
    desk.go(2)
    assert "copy 1" in desk.bed.scene.things


def test_scaling_by_two_points(desk, size, tee):
    """The ends of the beam, 80 mm apart, should be 120."""
    desk.open(tee)
    state, page = desk.state, turn_to(desk, size, "Scale")
    desk.look_from("From above")
    desk.click(page.two)
    assert state.pointing.kind == "scale"
    for x in (-38, 38):
        click_at(desk, (110 + x, 110, 80))
    measured = state.pointing.reading
    assert measured.value == pytest.approx(76, abs=1.5)
    assert "now 7" in words(page)
    desk.type(page.wanted, "114")
    desk.settle()
    assert state.plan.scale == pytest.approx(114 / measured.value)
    desk.undo()
    desk.settle()
    assert state.plan.scale == 1


# the surface


def test_what_was_mended_is_told_shown_and_taken_back(desk, size):
    desk.open(TROUBLED["damaged"])
    state = desk.state
    assert "The surface was mended." in desk.window.notice.text
    page = turn_to(desk, size, "Surface")
    said = words(page)
    assert "17 holes closed" in said
    assert "1,239 facets turned outward" in said
    assert "none → 279 cm³" in said
    wheres = [b for b in page.findChildren(QPushButton) if b.text() == "Where" and b.isVisible()]
    assert [b.accessibleName() for b in wheres] == ["Where: Merge and clean", "Where: Facets outward", "Where: Holes"]
    desk.click(wheres[2])
    assert len(state.view.mend_places) > 200
    desk.click(page.came)
    desk.qtbot.wait(50)
    assert "came" in desk.bed.scene.things
    assert "piece 0" not in desk.bed.scene.things
    desk.click(page.came)
    desk.qtbot.wait(50)
    assert "piece 0" in desk.bed.scene.things
    desk.click(page.specks)
    desk.settle()
    assert state.evaluated.outcome.report.specks == 0
    desk.click(page.back)
    desk.settle()
    assert state.plan.mending == Mending()
    assert "Still open" in words(page)
    desk.click(page.gentle)
    desk.settle()
    assert not state.evaluated.outcome.defects.sentence()
    while state.history.undo_text:
        desk.undo()
    desk.settle()
    assert state.plan.mending == Mending()


def test_rewrapping_and_thinning_from_the_panel(desk, size, tee):
    desk.open(tee)
    state, page = desk.state, turn_to(desk, size, "Surface")
    assert "Nothing needed mending" in words(page)
    desk.type(page.fineness, "1")
    desk.click(page.rewrap)
    desk.settle()
    report = state.evaluated.outcome.report
    assert report.steps[-1].kind == "rewrap"
    assert report.volume_after == pytest.approx(report.volume_before, rel=0.03)
    assert report.deviation < math.sqrt(3)  # a corner is cut off by up to the diagonal of a cell
    desk.type(page.fewest, "1000")
    desk.click(page.thin)
    desk.settle()
    assert state.evaluated.outcome.report.triangles_after <= 2000
    desk.type(page.fineness, "500")
    desk.click(page.rewrap)
    desk.qtbot.waitUntil(lambda: "out of range" in desk.window.notice.text, timeout=PATIENCE)
    desk.settle()
    assert state.plan.mending.thin_to == 1000
    assert state.plan.mending.rewrap == pytest.approx(1)


def test_bodies_get_their_roles_from_lists(desk, size):
    desk.open(TROUBLED["bodies"])
    state, page = desk.state, turn_to(desk, size, "Surface")
    assert [combo.currentText() for combo in page.roles] == ["with the rest"] * 4
    choose(page.roles[3], "left out")
    desk.settle()
    choose(page.roles[2], "separate")
    desk.settle()
    assert state.plan.roles == ("with the rest", "with the rest", "on its own", "left out")
    assert [piece.name for piece in state.pieces] == ["Harbour lantern in parts", "Spare ring"]
    desk.go(2)
    state.select_piece(1)
    state.seats.turn((1, 0, 0), 90)
    desk.settle()
    assert state.pieces[1].figures.height_mm == pytest.approx(30.4, abs=0.2)
    assert state.pieces[0].seat_kind == "as the model stands"
    for _ in range(2):
        desk.undo()
    choose(page.roles[0], "left out")
    desk.settle()
    choose(page.roles[1], "left out")
    desk.settle()
    choose(page.roles[2], "left out")
    desk.qtbot.waitUntil(lambda: desk.window.notice.isVisible(), timeout=PATIENCE)
    assert "at least one body must stay" in desk.window.notice.text


# wearers


def test_a_head_is_put_in_settled_and_the_helmet_scaled_to_it(desk, size, tmp_path):
    desk.open(light_model("helmet", tmp_path, 5_000))
    state, page = desk.state, turn_to(desk, size, "Wearer")
    desk.click(page.adds["head"])
    desk.settle()
    assert "guest g1" in desk.bed.scene.things
    room = state.evaluated.outcome.guests["g1"]
    assert room.clearance < 0
    assert "It pokes through" in words(page)
    desk.click(page.settle)
    wait(desk)
    better = state.evaluated.outcome.guests["g1"]
    assert better.clearance > room.clearance
    desk.type(page.clearance, "8")
    desk.type(page.measure, "22.5in")
    desk.settle()
    assert state.wearing.guest.measure == pytest.approx(571.5)
    desk.click(page.scale)
    wait(desk)
    assert 1.2 < state.plan.scale < 1.5
    assert state.evaluated.outcome.guests["g1"].clearance == pytest.approx(8, abs=0.15)
    assert "✓ Smallest clearance 8" in words(page)
    desk.click(page.remove)
    desk.settle()
    assert state.plan.guests == ()
    assert "guest g1" not in desk.bed.scene.things
    desk.undo()
    desk.settle()
    assert "guest g1" in desk.bed.scene.things


def test_a_guest_is_moved_turned_hidden_and_kept_with_the_project(desk, size, tee, light_demo, tmp_path, monkeypatch):
    trimesh.creation.box((4, 1, 0.1)).export(tmp_path / "ruler.stl")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "ruler.stl"), ""))
    desk.open(tee)
    state, page = desk.state, turn_to(desk, size, "Wearer")
    desk.click(page.add_model)
    desk.qtbot.waitUntil(lambda: bool(state.plan.guests), timeout=PATIENCE)
    desk.settle()
    assert state.wearing.guest.unit == "in"  # the likeliest
    assert state.evaluated.outcome.guests["g1"].solid.size == pytest.approx([101.6, 25.4, 2.54], rel=1e-4)
    choose(page.unit, "m")
    desk.settle()
    assert state.evaluated.outcome.guests["g1"].solid.size[0] == pytest.approx(4000, rel=1e-4)
    choose(page.unit, "in")
    desk.settle()
    desk.type(page.places[2], "200")
    desk.settle()
    assert state.wearing.guest.place[2] == pytest.approx(200)
    desk.click(page.around[0])
    desk.settle()
    assert state.evaluated.outcome.guests["g1"].solid.size[1] > 30
    state.opening.save(tmp_path / "beam.3mf")
    desk.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    saved = state.plan
    desk.open(light_demo)
    assert state.plan.guests == ()
    desk.open(tmp_path / "beam.3mf")
    assert state.plan == saved
    assert state.evaluated.outcome.guests["g1"].solid.size[1] > 30
    assert open_file(tmp_path / "beam.3mf").guests.keys() == state.guest_surfaces.keys()


# measuring


@pytest.fixture
def pipe(tmp_path):
    """A pipe of 3 mm wall, 40 mm across inside, 60 high, standing on the bed."""
    made = tube(20, 23, 60, 180)
    path = tmp_path / "pipe.stl"
    trimesh.Trimesh(made.vertices, made.triangles).export(path)
    return path


def test_distance_wall_and_round_edge_by_clicking(desk, size, pipe):
    desk.open(pipe)
    state, page = desk.state, turn_to(desk, size, "Measure")
    desk.look_from("From the front")
    desk.click(page.kinds["distance"])
    for z in (10, 50):
        click_at(desk, (110, 110 - 23, z))
    assert state.pointing.reading.value == pytest.approx(40, abs=1)
    assert " mm" in words(page)
    assert state.pointing.kind == ""
    desk.click(page.kinds["wall"])
    click_at(desk, (110, 110 - 23, 30))
    wait(desk)
    assert state.pointing.reading.value == pytest.approx(3, abs=0.01)
    desk.click(page.kinds["edge"])
    click_at(desk, (110, 110 - 23, 59))
    wait(desk)
    assert state.pointing.reading.value == pytest.approx(46, rel=1e-3)
    assert "46.00 mm across" in words(page)
    desk.click(page.kinds["edge"])
    desk.key(Qt.Key.Key_Escape, widget=desk.bed)
    assert state.pointing.kind == ""


def test_an_edge_that_is_not_round_is_told(desk, size, tee):
    desk.open(tee)
    page = turn_to(desk, size, "Measure")
    desk.look_from("From the front")
    desk.click(page.kinds["edge"])
    click_at(desk, (110, 100, 79))
    desk.qtbot.waitUntil(lambda: desk.window.notice.isVisible(), timeout=PATIENCE)
    assert "edge" in desk.window.notice.text


def test_thin_walls_are_coloured_and_counted(desk, size, pipe):
    desk.open(pipe)
    state, page = desk.state, turn_to(desk, size, "Measure")
    assert page.limit.value == pytest.approx(0.8)  # two line widths of the printer
    desk.click(page.walls)
    wait(desk)
    assert "No wall is thinner than 0.8 mm; the thinnest is 3.00 mm" in words(page)
    desk.type(page.limit, "3.5")
    desk.qtbot.wait(50)
    area = 2 * math.pi * (20 + 23) * 60 / 100
    found = words(page)
    assert f"{area:.1f} cm²"[:4] in found
    colours = desk.bed.scene.things["piece 0"].colour
    assert len(np.unique(colours, axis=0)) == 2
    state.sizing.resize(scale=2.0)
    desk.settle()
    assert state.measuring.walls is None
    assert not page.walls.isChecked()
