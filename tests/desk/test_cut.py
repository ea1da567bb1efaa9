"""The Cut step in the real window: the map, the list, the sweep, settling, all kinds of cuts, the proof."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from deft_slab.core.cuts import BentCut, BlockCut, LiftOffCut, PatchCut, PieceReach, ScoopCut, StraightCut
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.desk.cuts import ON_DESK, on_desk
from deft_slab.desk.cuts.reach import reach_fields, reach_words
from deft_slab.desk.widgets.basics import ClickRow
from tests.core.test_kinds import emblems
from tests.desk.conftest import PATIENCE, words

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def pressed(desk, text: str) -> None:
    """Clicks the visible button with a text."""
    found = [button for button in desk.window.findChildren(QPushButton) if button.text() == text and button.isVisible()]
    assert found, text
    QTest.mouseClick(found[0], LEFT)


@pytest.fixture
def cut(desk, tee):
    desk.open(tee)
    desk.go(3)
    desk.settle()
    return desk


def wait(desk, ready) -> None:
    desk.qtbot.waitUntil(ready, timeout=PATIENCE)
    desk.qtbot.wait(20)


def test_one_piece_is_parted_further_and_the_whole_anew(cut):
    """What was parted already stays; looking can be stopped, and goes on where it was."""
    state, ways, panel = cut.state, cut.state.ways, cut.window.panels["Cut"].ways
    wait(cut, lambda: ways.found is not None and ways.found.done)
    number = next(n for n, way in enumerate(ways.found.ways) if way.cuts == 1)
    QTest.mouseClick(panel.chart, LEFT, PLAIN, panel.chart.place_of(number).toPoint())
    cut.settle()
    before, piece = state.plan.recipe, state.piece
    wait(cut, panel.piece.isVisible)
    cut.click(panel.piece)
    wait(cut, lambda: ways.sides == piece.sides and ways.found is not None and ways.found.done)
    assert piece.name in panel._what.text()
    further = [way for way in ways.found.ways if way.cuts]
    assert all(way.plan.recipe[: len(before)] == before for way in further)
    ways.take(further[0])
    cut.settle()
    assert len(state.pieces) == 1 + further[0].pieces
    cut.click(panel.like)
    wait(cut, lambda: not ways.busy)
    assert ways.found.done
    cut.click(panel.whole)
    wait(cut, lambda: ways.found is not None)
    assert ways.sides is None
    cut.click(panel.stop)
    wait(cut, lambda: not ways.busy)
    kept = ways.found
    assert kept.ways
    if not kept.done:
        cut.click(panel.on)
        wait(cut, lambda: ways.found.done)


def test_all_wishes_for_ways_are_typed(cut):
    ways, panel = cut.state.ways, cut.window.panels["Cut"].ways
    typed = ((panel.pieces, "4"), (panel.limit, "15 cm"), (panel.least, "5 cm³"), (panel.show_factor, "3 ×"),
             (panel.welcome_factor, "20 %"))
    for field, given in typed:
        cut.type(field, given)
        assert not field.property("wrong")
    wished = ways.wishes
    assert (wished.pieces, wished.seam_limit, wished.least_volume) == (4, 150, 5000)
    assert (wished.show_factor, wished.welcome_factor) == (3, 0.2)


def test_the_front_finds_the_cut_under_the_beam(cut):
    """A beam across a post, cut level where they meet, needs no support: both lie on their cut faces."""
    ways, panel = cut.state.ways, cut.window.panels["Cut"].ways
    before = cut.state.evaluated.outcome.totals.support_volume_mm3
    wait(cut, lambda: ways.found is not None and ways.found.done)
    found = ways.found.ways
    assert [way.support for way in found] == sorted(way.support for way in found)
    assert not any(way.near for way in found)
    number = next(n for n, way in enumerate(found) if way.cuts == 1 and way.all_flat)
    assert found[number].left < 0.02
    # the pointer shows its seams on the model, and what it comes to
    QTest.mouseMove(panel.chart, panel.chart.place_of(number).toPoint())
    wait(cut, lambda: ways.pointed is found[number])
    assert len(ways.pointed.seams) > 0
    assert "all flat" in panel._said.text()
    row = panel.list.itemAt(number).widget()
    assert "left" in words(row)
    QTest.mouseClick(panel.chart, LEFT, PLAIN, panel.chart.place_of(number).toPoint())
    cut.settle()
    totals = cut.state.evaluated.outcome.totals
    assert totals.pieces == found[number].pieces
    assert totals.support_volume_mm3 == pytest.approx(found[number].support, rel=1e-6, abs=1e-6)
    assert totals.support_volume_mm3 < 0.02 * before
    # the front stays, and another click takes another way
    assert ways.found.ways == found
    other = next(n for n in range(len(found)) if n != number)
    cut.reveal(panel.list.itemAt(other).widget())
    cut.click(panel.list.itemAt(other).widget())
    cut.settle()
    assert len(cut.state.plan.recipe) == found[other].cuts
    # one is kept without being taken
    cut.reveal(panel.list.itemAt(number).widget())
    cut.click(panel.list.itemAt(number).widget().keep)
    cut.settle()
    assert len(cut.state.project.choices) == 1
    assert cut.state.project.choices[0].plan.recipe == found[number].plan.recipe
    cut.undo()
    cut.undo()
    cut.settle()


def test_the_cut_map_rests_while_another_step_is_open(desk, tee):
    desk.open(tee)
    desk.go(3)
    assert desk.state.jobs.busy_with("places")
    desk.go(2)
    assert not desk.state.jobs.busy_with("places")
    assert desk.state.search.map is None
    desk.go(3)
    wait(desk, lambda: desk.state.search.map is not None)


def test_a_click_in_the_map_cuts_there_and_keys_do_too(cut):
    search, cut_map = cut.state.search, cut.window.panels["Cut"].where.map
    cut.window.panels["Cut"].turn_to("Where")
    wait(cut, lambda: search.map is not None)
    assert len(search.map) > 250
    level = cut_map.place_of(np.array([0.0, 0.0, 1.0]))
    QTest.mouseMove(cut_map, level.toPoint() + QPoint(20, 10))
    cut.qtbot.wait(30)
    QTest.mouseMove(cut_map, level.toPoint())
    wait(cut, lambda: "Best place in this direction: ≈ support" in cut.window.panels["Cut"].where._said.text())
    QTest.mouseClick(cut_map, LEFT, PLAIN, level.toPoint())
    cut.settle()
    normal = np.array(cut.state.plan.recipe[0].normal)
    assert abs(normal[2]) > 0.97
    cut_map.setFocus()
    for _ in range(4):
        QTest.keyClick(cut_map, Qt.Key.Key_Right)
    QTest.keyClick(cut_map, Qt.Key.Key_Return)
    cut.settle()
    assert len(cut.state.plan.recipe) == 1
    assert cut.state.plan.recipe[0].normal != tuple(normal)


def test_the_sweep_moves_the_cut_and_marks_its_valleys(cut):
    panel = cut.window.panels["Cut"].this
    cut.click(panel.adds["Level"])
    cut.settle()
    wait(cut, lambda: cut.state.search.sweep is not None)
    sweep = cut.state.search.sweep
    assert len(sweep.offsets) == 250
    valley = float(sweep.offsets[sweep.valleys[0]])
    # anywhere, for upside down the post stands on its beam
    assert float(sweep.support[sweep.valleys[0]]) == pytest.approx(float(sweep.support.min()), abs=1.0)
    at = panel.tools["straight"].chart.valley_places[0].toPoint()
    QTest.mousePress(panel.tools["straight"].chart, LEFT, PLAIN, QPoint(40, 60))
    QTest.mouseMove(panel.tools["straight"].chart, at)
    cut.qtbot.wait(50)
    assert cut.state.draft is not None
    QTest.mouseRelease(panel.tools["straight"].chart, LEFT, PLAIN, at)
    cut.settle()
    assert cut.state.cut.offset == pytest.approx(valley, abs=0.01)
    panel.tools["straight"].chart.setFocus()
    QTest.keyClick(panel.tools["straight"].chart, Qt.Key.Key_Right)
    cut.settle()
    assert cut.state.cut.offset == pytest.approx(float(sweep.offsets[sweep.valleys[0] + 1]), abs=0.01)


def test_the_cut_is_turned_in_its_map_of_angles(cut):
    panel, search = cut.window.panels["Cut"].this, cut.state.search
    cut.click(panel.adds["Level"])
    cut.settle()
    before = cut.state.cut
    cut.click(panel.tools["straight"].turn)
    wait(cut, lambda: search.turned is not None)
    turned = search.turned
    assert turned.normals[6, 6] == pytest.approx(before.normal)
    angles = panel.tools["straight"].angles
    QTest.mouseClick(angles, LEFT, PLAIN, angles.place_of(9, 6).toPoint())
    cut.settle()
    assert np.degrees(np.arccos(np.dot(cut.state.cut.normal, before.normal))) == pytest.approx(15, abs=0.5)
    assert search.turned is None
    cut.undo()
    assert cut.state.cut == before


def taken_and_undone(cut, panel, before) -> None:
    cut.click(panel.take)
    cut.settle()
    assert cut.state.plan != before
    cut.undo()
    assert cut.state.plan == before


def test_settling_shows_first_and_moves_on_consent(cut):
    panel, cutting = cut.window.panels["Cut"].this, cut.state.cutting
    cut.click(panel.adds["Left and right"])
    cut.settle()
    cut.type(panel.tools["straight"].place, "30")
    cut.settle()
    cut.type(panel.moved, "12")
    cut.type(panel.rise, "400")
    before = cut.state.plan
    cut.click(panel.settle)
    wait(cut, lambda: cutting.settled is not None)
    assert cut.state.plan == before
    assert cutting.settled.after[0] <= cutting.settled.before[0]
    if panel.take.isVisible():
        taken_and_undone(cut, panel, before)


def test_all_seams_settle_in_one_step(cut):
    panel, cutting = cut.window.panels["Cut"].this, cut.state.cutting
    assert not panel.settle_all.isVisible()
    for offset in ("22", "61"):
        cut.click(panel.adds["Left and right"])
        cut.settle()
        cut.type(panel.tools["straight"].place, offset)
        cut.settle()
    cut.type(panel.moved, "8")
    cut.type(panel.rise, "400")
    before = cut.state.plan
    cut.click(panel.settle_all)
    wait(cut, lambda: cutting.settled is not None)
    assert cut.state.plan == before
    assert len(cutting.settled.cuts) == 2
    assert cutting.settled.after[0] <= cutting.settled.before[0]
    assert ("the seams cannot be hidden any better" in panel._settled.text()) == (not cutting.moves)
    if cutting.moves:
        taken_and_undone(cut, panel, before)


def test_a_line_becomes_a_sheet_and_its_points_stay_movable(cut):
    bed, placing = cut.bed, cut.state.placing
    cut.look_from("From the front")
    pressed(cut, "+ Bent")
    places = [bed.camera.project(bed.scene.model.of(np.array(p)), bed.width(), bed.height())[0]
              for p in ((-35.0, -10, 68), (-12, -10, 70), (12, -10, 67), (35, -10, 69))]
    for at in places:
        QTest.mouseClick(bed, LEFT, PLAIN, QPointF(*at).toPoint())
    assert len(placing.line) == 4
    QTest.keyClick(bed, Qt.Key.Key_Backspace)
    assert len(placing.line) == 3
    QTest.keyClick(bed, Qt.Key.Key_Return)
    cut.settle()
    made = cut.state.cut
    assert isinstance(made, BentCut)
    assert cut.state.evaluated.outcome.totals.pieces == 2
    assert cut.state.evaluated.outcome.lost_share < 1e-6
    grip = bed.handle_place("point 1")
    end = cut.press_and_drag(grip, QPoint(0, -12))
    assert cut.state.draft is not None
    cut.release(end)
    cut.settle()
    assert cut.state.cut.line[1] != made.line[1]
    assert cut.state.cut.line[0] == made.line[0]
    cut.click(cut.window.panels["Cut"].tabs["Pieces"])
    assert "comes away" in cut.read(cut.window.panels["Cut"].costs)
    cut.undo()
    cut.settle()
    assert cut.state.cut == made


def test_points_of_a_line_go_to_creases_that_are_near(cut):
    """The wings of the tee end in sharp edges: a click beside one puts the point on it, unless that is switched off."""
    bed, placing = cut.bed, cut.state.placing
    cut.look_from("From the front")
    pressed(cut, "+ Bent")
    snapping = cut.state.snapping
    wait(cut, lambda: len(snapping.creases) > 0)
    edge = next(one for one in snapping.creases if np.all(one[:, 1] == -10) and abs(one[0, 0] - one[1, 0]) > 40)
    beside = edge.mean(axis=0) + [0, 0, -1.0 if edge[0, 2] > 65 else 1.0]

    def click(place):
        at = bed.camera.project(bed.scene.model.of(np.array(place)), bed.width(), bed.height())[0]
        QTest.mouseClick(bed, LEFT, PLAIN, QPointF(*at).toPoint())
        cut.qtbot.wait(QApplication.doubleClickInterval() + 50)

    click(beside)
    assert placing.line[0][2] == pytest.approx(edge[0, 2], abs=1e-6)
    snapping.set_reach(0)
    click(beside + [6, 0, 0])
    assert abs(placing.line[1][2] - edge[0, 2]) > 0.5
    QTest.keyClick(bed, Qt.Key.Key_Escape)
    assert len(placing.line) == 0


def test_a_cut_along_an_edge_and_at_a_share_of_the_height(cut):
    panel, bed = cut.window.panels["Cut"].this, cut.bed
    cut.look_from("From the front")
    cut.click(panel.edge)
    at = bed.camera.project(bed.scene.model.of(np.array([30.0, -10, 61])), bed.width(), bed.height())[0]
    QTest.mouseClick(bed, LEFT, PLAIN, QPointF(*at).toPoint())
    wait(cut, lambda: bool(cut.state.plan.recipe) or cut.window.notice.isVisible())
    # the edges of this model are straight: it is said, and nothing is cut
    assert "straight" in cut.window.notice.text
    assert cut.state.plan.recipe == ()
    cut.click(panel.adds["Level"])
    cut.settle()
    cut.type(panel.tools["straight"].share, "25")
    cut.settle()
    low, high = cut.state.model.solid.bounds[:, 2]
    assert cut.state.cut.offset == pytest.approx(low + 0.25 * (high - low), abs=0.02)
    assert panel.tools["straight"].place.value == pytest.approx(0.25 * (high - low), abs=0.02)


def test_walls_of_a_block_are_typed_dragged_staggered_and_settled(cut):
    panel, state = cut.window.panels["Cut"].this, cut.state
    pressed(cut, "+ Block")
    cut.settle()

    def parts(axis: str, count: int) -> None:
        field = next(field for one, field in panel._fields if one.name == f"Parts {axis}")
        cut.type(field, str(count))
        cut.settle()

    for axis, count in (("X", 3), ("Y", 2), ("Z", 1)):
        parts(axis, count)
    assert [len(state.cut.x), len(state.cut.y[0]), len(state.cut.z[0])] == [2, 1, 0]
    before = state.cut.x
    end = cut.press_and_drag(cut.bed.handle_place("cell 0 0 0"), QPoint(-12, 0))
    cut.release(end)
    cut.settle()
    assert state.cut.x[0] < before[0] - 1
    assert state.cut.x[1] == before[1]
    cut.click(panel.tools["block"].stagger)
    cut.settle()
    assert len(state.cut.y) == 3
    assert state.evaluated.outcome.lost_share < 1e-6
    cut.click(panel.settle)
    wait(cut, lambda: state.cutting.settled is not None)
    assert state.cutting.settled.after[0] <= state.cutting.settled.before[0]
    while state.plan.recipe:
        cut.undo()
    cut.settle()


def test_equal_pieces_are_written_once_unless_that_is_switched_off(cut, tmp_path):
    panel, state = cut.window.panels["Hand off"], cut.state
    cut.click(cut.window.panels["Cut"].this.adds["Left and right"])
    cut.settle()
    cut.go(6)
    wait(cut, lambda: len(state.alike.found) == 2)
    assert panel.equal.isVisible()
    assert panel.equal.isChecked()
    assert "equal to 1" in words(panel)
    state.writing.pieces(tmp_path / "once")
    wait(cut, lambda: not state.jobs.busy)
    (only,) = (tmp_path / "once").iterdir()
    assert only.name.endswith("print-2-times.stl")
    assert "2 pieces" in cut.window.notice.text
    cut.click(panel.equal)
    state.writing.pieces(tmp_path / "each")
    wait(cut, lambda: not state.jobs.busy)
    assert len(list((tmp_path / "each").iterdir())) == 2


def test_what_is_left_too_thin_is_listed_and_flown_to(cut):
    panel, state = cut.window.panels["Cut"], cut.state
    cut.click(panel.this.adds["Level"])
    cut.settle()
    cut.type(panel.this.tools["straight"].place, str(state.model.solid.size[2] - 0.4))
    cut.settle()
    (report,) = state.evaluated.outcome.cuts.values()
    assert report.thin[0].kind == "skin"
    cut.click(panel.tabs["Pieces"])
    assert "along a parallel surface" in cut.read(panel.costs)
    row = next(one for one in panel.costs.findChildren(ClickRow) if "skin" in one.accessibleName())
    focus = cut.bed.camera.focus
    cut.click(row)
    assert cut.bed.camera.focus != focus


@pytest.mark.parametrize("kind", ["straight", "block", "box", "bodies"])
def test_kinds_that_need_no_place(cut, kind):
    pressed(cut, f"+ {ON_DESK[kind].word}")
    cut.settle()
    assert cut.state.cut.kind == kind
    outcome = cut.state.evaluated.outcome
    assert outcome.lost_share < 1e-6
    assert outcome.totals.pieces == 1 if kind == "bodies" else outcome.totals.pieces > 1
    cut.undo()
    cut.settle()
    assert cut.state.plan.recipe == ()


@pytest.mark.parametrize(("kind", "made"), [("scoop", ScoopCut), ("lift-off", LiftOffCut)])
def test_kinds_that_are_placed_by_a_click(cut, kind, made):
    bed = cut.bed
    cut.look_from("From the front")
    pressed(cut, f"+ {ON_DESK[kind].word}")
    at = bed.camera.project(bed.scene.model.of(np.array([20.0, -10, 70])), bed.width(), bed.height())[0]
    QTest.mouseClick(bed, LEFT, PLAIN, QPointF(*at).toPoint())
    cut.settle()
    assert isinstance(cut.state.cut, made)
    assert cut.state.evaluated.outcome.lost_share < 1e-6
    if kind == "scoop":
        assert cut.state.evaluated.outcome.totals.pieces >= 2
        end = cut.press_and_drag(bed.handle_place("size 0"), QPoint(25, 0))
        cut.release(end)
        cut.settle()
        assert cut.state.cut.half[0] != cut.state.cut.half[1]
        field = next(field for one, field in cut.window.panels["Cut"].this._fields if one.name == "Half size Z")
        cut.type(field, "4")
        cut.settle()
        assert cut.state.cut.half[2] == 4


def test_a_patch_is_marked_brushed_and_dragged_by_its_border(cut):
    bed, state = cut.bed, cut.state
    cut.look_from("From the front")

    def pixel(*place):
        at = bed.camera.project(bed.scene.model.of(np.array(place)), bed.width(), bed.height())[0]
        return QPointF(*at).toPoint()

    pressed(cut, "+ Patch")
    QTest.mouseClick(bed, LEFT, PLAIN, pixel(-25.0, -10, 70))
    cut.settle()
    assert isinstance(state.cut, PatchCut)
    this = cut.window.panels["Cut"].this
    tools = this.tools["patch"]
    cut.click(tools.less)
    cut.click(tools.ways["cut brush"])
    cut.type(tools.reach, "8")
    seam = state.evaluated.outcome.seams[state.cut.id].length
    cut.release(cut.press_and_drag(pixel(-25.0, -10, 70), QPoint(6, 0)))
    cut.settle()
    assert [stroke.erase for stroke in state.cut.strokes] == [False, True]
    assert state.history.undo_text == "mark less of a patch"
    assert abs(state.evaluated.outcome.seams[state.cut.id].length - seam) > 5
    cut.undo()
    cut.key(Qt.Key.Key_Escape, widget=bed)
    cut.settle()
    near = {name: place for name, place in bed.grab_of_cut._places().items() if name.startswith("border")}
    assert len(near) > 5
    front = max(near, key=lambda name: -near[name][1] - 0.01 * abs(near[name][2]))
    end = cut.press_and_drag(bed.handle_place(front), QPoint(12, 0))
    assert state.draft is not None
    cut.release(end)
    cut.settle()
    assert len(state.cut.strokes) == 2
    assert state.evaluated.outcome.lost_share < 1e-6
    field = next(shown for one, shown in this._fields if one.name == "Flat middle")
    cut.type(field, "60")
    cut.settle()
    assert state.cut.flat == pytest.approx(0.6)
    cut.undo()
    cut.undo()
    cut.undo()
    cut.settle()
    assert state.plan.recipe == ()


def test_what_is_marked_in_tilt_becomes_a_patch(cut):
    state = cut.state
    state.marker.at("ball", np.array([30.0, -10, 70]))
    cut.settle()
    bed = cut.bed
    cut.look_from("From the front")
    pressed(cut, "+ Patch")
    at = bed.camera.project(bed.scene.model.of(np.array([-25.0, -10, 70])), bed.width(), bed.height())[0]
    QTest.mouseClick(bed, LEFT, PLAIN, QPointF(*at).toPoint())
    cut.settle()
    marks = cut.window.panels["Cut"].this.tools["patch"].marks
    assert marks.count() == 2
    marks.setCurrentIndex(1)
    marks.activated.emit(1)
    cut.settle()
    assert [stroke.shape for stroke in state.cut.strokes] == ["ball"]
    assert state.history.undo_text == "take marks as a patch"
    assert state.evaluated.outcome.totals.pieces == 2


def test_the_recipe_can_be_reordered_copied_mirrored_and_bounded(cut):
    state, panel = cut.state, cut.window.panels["Cut"].this
    cut.click(panel.adds["Left and right"])
    cut.settle()
    cut.type(panel.tools["straight"].place, "20")
    cut.settle()
    cut.click(panel.mirror)
    wait(cut, lambda: len(state.plan.recipe) == 2)
    cut.settle()
    first, second = state.plan.recipe
    assert abs(first.offset * first.normal[0]) == pytest.approx(20, abs=0.05)
    assert second.offset * second.normal[0] == pytest.approx(-first.offset * first.normal[0], abs=0.05)
    assert state.evaluated.outcome.totals.pieces == 3
    wait(cut, lambda: len(state.alike.found) == 3)
    assert sum(one != n for n, (one, _) in enumerate(state.alike.found)) == 1
    cut.click(cut.window.panels["Cut"].tabs["Pieces"])
    said = cut.read(cut.window.panels["Cut"].costs)
    assert "print it 2 times" in said or "mirrored" in said
    pressed(cut, "Earlier")
    cut.settle()
    assert [one.id for one in state.plan.recipe] == [second.id, first.id]
    cut.click(panel.copy)
    cut.settle()
    assert len(state.plan.recipe) == 3
    state.select_piece(0)
    panel.reach.setCurrentIndex(panel.reach.findData("box"))
    panel.reach.activated.emit(panel.reach.findData("box"))
    cut.settle()
    assert state.cut.reach.kind == "box"
    assert reach_fields(state.cut)
    while state.plan.recipe:
        cut.undo()
    cut.settle()


def test_the_second_cut_of_one_piece_leaves_the_others(cut):
    state, panel = cut.state, cut.window.panels["Cut"].this
    cut.click(panel.adds["Level"])
    cut.settle()
    cut.click(panel.adds["Left and right"])
    cut.settle()
    assert state.evaluated.outcome.totals.pieces == 4
    upper = next(n for n, piece in enumerate(state.pieces) if "Upper" in piece.name)
    state.select_piece(upper)
    panel.reach.activated.emit(panel.reach.findData("piece"))
    cut.settle()
    assert isinstance(state.cut.reach, PieceReach)
    assert state.evaluated.outcome.totals.pieces == 3


def test_kerf_and_a_value_that_makes_no_sense(cut):
    state, panel = cut.state, cut.window.panels["Cut"].this
    cut.click(panel.adds["Level"])
    cut.settle()
    cut.type(panel.kerf, "0.4")
    cut.settle()
    assert state.evaluated.outcome.kerf_mm3 == pytest.approx(0.4 * 400, rel=0.01)
    cut.click(cut.window.panels["Cut"].tabs["Pieces"])
    assert "kerf" in cut.read(cut.window.panels["Cut"].costs)
    block = BlockCut(id="b", name="Block", x=(0.0,))
    state.do_plan("add", state.plan.with_cut(block))
    cut.settle()
    state.cutting.change_one("break it", "b", x=(3.0, 1.0))
    assert "rising order" in cut.window.notice.text
    assert state.plan.cut("b") == block


def test_hiding_pieces_and_flying_to_the_seam(cut):
    state, panel = cut.state, cut.window.panels["Cut"]
    cut.click(panel.this.adds["Level"])
    cut.settle()
    cut.drawn()
    before = cut.bed.grab().toImage()
    pressed(cut, "Only this")
    assert len(state.view.hidden) == 1
    cut.qtbot.waitUntil(lambda: cut.bed.grab().toImage() != before, timeout=PATIENCE)
    pressed(cut, "Only this")
    assert state.view.hidden == frozenset()
    cut.click(panel.tabs["Pieces"])
    stretch = panel.costs._stretches.itemAt(0).widget()
    camera = cut.bed.camera
    cut.click(stretch)
    cut.qtbot.waitUntil(lambda: cut.bed.camera != camera, timeout=PATIENCE)


def test_a_large_model_is_cut_into_cells_for_the_bed(desk, tmp_path):
    path = tmp_path / "plank.stl"
    trimesh.creation.box((520, 90, 40)).export(path)
    desk.open(path)
    desk.go(3)
    desk.settle()
    pressed(desk, "+ Block")
    desk.settle()
    outcome = desk.state.evaluated.outcome
    assert outcome.totals.pieces == math.ceil(520 / (250 * 0.92))
    assert outcome.totals.fitting_pieces == outcome.totals.pieces
    fields = on_desk(desk.state.cut).fields(desk.state.cut, desk.state.box)
    assert len(fields) == 3 + outcome.totals.pieces - 1


def test_an_open_model_is_not_looked_at_for_cuts(desk, tmp_path):
    ball = trimesh.creation.icosphere(3, 20)
    ball.update_faces(ball.face_normals[:, 2] < 0.9)
    path = tmp_path / "open.stl"
    ball.export(path)
    desk.open(path)
    if desk.state.history.undo_text:
        desk.undo()  # it was closed by mending
    desk.settle()
    desk.go(3)
    desk.settle()
    where = desk.window.panels["Cut"].where
    assert desk.state.search.map is None
    assert "Close it in Size" in desk.window.panels["Cut"].ways.chart._why
    desk.window.panels["Cut"].turn_to("Where")
    assert "Close it in Size" in where._said.text()
    pressed(desk, "+ Straight")
    desk.settle()
    assert desk.state.plan.recipe == ()
    assert isinstance(desk.state.cut, (StraightCut, type(None)))


def test_emblems_are_lifted_off_one_after_the_other_and_a_level_cut_passes_them_by(cut, tmp_path):
    solid, lifts = emblems()
    write_solid(solid, "Cube", tmp_path / "cube.stl")
    cut.open(tmp_path / "cube.stl")
    state, panel = cut.state, cut.window.panels["Cut"].this
    for count, lift in enumerate(lifts, 2):
        state.cutting.put(lift)
        cut.settle()
        assert state.evaluated.outcome.totals.pieces == count
        assert len(state.plan.recipe) == count - 1
    cut.click(panel.adds["Level"])
    cut.settle()
    panel.reach.activated.emit(panel.reach.findData("rest"))
    cut.settle()
    assert state.evaluated.outcome.totals.pieces == 6
    assert reach_words(state.cut) == "leaves out what other cuts take off"
    cut.undo()
    cut.settle()
    assert state.cut.reach is None


def test_numbers_of_pieces_pulled_apart_stand_on_the_pieces(cut):
    """Not on the corners of their boxes, where there may be nothing."""
    wait(cut, lambda: cut.state.ways.found is not None)
    cut.state.cutting.add((1.0, 0.0, 1.0), 0.0)
    cut.settle()
    cut.state.show(in_place=True)
    cut.drawn()
    placed = cut.bed.scene.placed
    flags = cut.bed._ink.flags
    assert {flag.words for flag in flags} >= {str(one.piece.number) for one in placed}
    for one in placed:
        (flag,) = [flag for flag in flags if flag.words == str(one.piece.number)]
        assert np.linalg.norm(one.pose.of(one.piece.solid.vertices) - flag.place, axis=1).min() < 1e-6
        assert flag.place[2] == pytest.approx(one.box[1][2])


def test_plans_have_pictures_while_the_search_goes_on(desk, tee):
    """Drawn from the draft mesh; they are not left to the end, which may be a minute away."""
    ways, near = desk.state.ways, []

    def look():
        if ways.found is not None and not ways.found.done:
            near.append([way for way in ways.found.ways if way.near])

    ways.changed.connect(look)
    desk.open(tee)
    desk.go(3)
    wait(desk, lambda: any(near) or ways.found is not None and ways.found.done)
    first = next(found for found in near if found)
    assert all(way.picture is not None for way in first[:12])
    assert all(way.names == () for way in first)
