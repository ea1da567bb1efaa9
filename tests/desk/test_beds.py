"""Hand off in the window, as a person does it: pieces dragged on their beds, laid anew, and written."""

from __future__ import annotations

import json

import numpy as np
import pypdf
import pytest
import shapely
import trimesh
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QColorDialog, QFileDialog, QMessageBox

from deft_slab.core.cuts import StraightCut
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.locale import text
from deft_slab.core.printers.profile import Material, default_printer, shipped_printers
from deft_slab.desk.dialogs.materials import MaterialsDialog
from deft_slab.desk.dialogs.printer import PrinterDialog
from deft_slab.desk.steps.hand_off.choices_front import front_of
from deft_slab.desk.steps.join.coupon import CouponPanel
from tests.desk.conftest import PATIENCE, words
from tests.shapes import box, solid_of

Z = (Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


@pytest.fixture
def block(desk, tmp_path):
    """A block in two pieces, in Hand off."""
    write_solid(solid_of(box(80, 60, 60)), "Block", tmp_path / "block.stl", replace=False)
    desk.open(tmp_path / "block.stl")
    desk.state.choose_printer(default_printer())
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=20)
    desk.state.do_plan("cut", desk.state.plan.with_cut(cut))
    done(desk)
    desk.go(6)
    return desk


def done(desk):
    desk.settle()
    desk.qtbot.waitUntil(lambda: desk.state.up_to_date and not desk.state.jobs.busy, timeout=PATIENCE)
    desk.settle()


def page(desk):
    return desk.window.panels["Hand off"]


def middle(desk, number):
    """The pixel, on its tile, in the middle of one of what is laid."""
    one = desk.state.bedding.laid[number]
    at = one.outline.centroid
    return page(desk).tiles.pixel(one.bed, at.x, at.y)


def drag(desk, start, end):
    tiles, button = page(desk).tiles, Qt.MouseButton.LeftButton
    QTest.mousePress(tiles, button, Qt.KeyboardModifier.NoModifier, start.toPoint())
    for share in (0.5, 1.0):
        at = QPointF(start + share * (end - start))
        event = QMouseEvent(QEvent.Type.MouseMove, at, QPointF(tiles.mapToGlobal(at)), Qt.MouseButton.NoButton, button,
                            Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(tiles, event)
    QTest.mouseRelease(tiles, button, Qt.KeyboardModifier.NoModifier, end.toPoint())
    done(desk)


def test_pieces_are_dragged_on_their_bed_and_on_to_another(block):
    state, bedding = block.state, block.state.bedding
    before = [one.outline.bounds for one in bedding.laid]
    assert "1 bed, at least 1" in words(page(block))
    _, scale = page(block).tiles._scale(page(block).tiles.width())
    start = middle(block, 0)
    drag(block, start, start + QPointF(0, -40))  # up on the screen is towards the back of the bed
    moved = [one.outline.bounds for one in bedding.laid]
    assert np.array(moved[0]) - before[0] == pytest.approx([0, 40 / scale, 0, 40 / scale], abs=1.5 / scale)
    assert moved[1] == pytest.approx(before[1], abs=1e-3)
    assert state.selected_piece == 0
    assert [one.by_hand for one in state.plan.lying] == [True, False]
    # where it lies in the 3D view, and in the file, is where it was put
    placed = block.bed.scene.placed[0].box
    assert placed[0][:2] == pytest.approx(moved[0][:2], abs=1e-6)
    block.key(*Z)
    done(block)
    assert [one.outline.bounds for one in bedding.laid] == before
    # on to a bed of its own: one tile more appears while it is dragged
    tiles = page(block).tiles
    QTest.mousePress(tiles, Qt.MouseButton.LeftButton, pos=middle(block, 1).toPoint())
    assert tiles.beds == 2
    QTest.mouseRelease(tiles, Qt.MouseButton.LeftButton, pos=middle(block, 1).toPoint())
    assert tiles.beds == 1
    bedding.move(1, 1, 50.0, 60.0)
    done(block)
    assert [one.bed for one in bedding.laid] == [0, 1]
    assert "2 beds, at least 1" in words(page(block))
    block.key(*Z)
    done(block)
    assert not state.plan.lying


def test_a_clash_is_said_and_keys_move_and_turn(block):
    state, bedding, tiles = block.state, block.state.bedding, page(block).tiles
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=middle(block, 0).toPoint())
    assert bedding.picked == 0
    x, y, _, _ = bedding.laid[0].outline.bounds
    tiles.setFocus()
    QTest.keyClick(tiles, Qt.Key.Key_Right)
    done(block)
    QTest.keyClick(tiles, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    done(block)
    assert bedding.laid[0].outline.bounds[:2] == pytest.approx((x + 1, y + 10), abs=1e-3)
    centre = bedding.laid[0].outline.centroid
    QTest.keyClick(tiles, Qt.Key.Key_Comma)
    done(block)
    assert bedding.laid[0].turn == pytest.approx(15.0)
    assert bedding.laid[0].outline.centroid.distance(centre) < 1e-3
    block.click(page(block).right)
    done(block)
    assert bedding.laid[0].turn == pytest.approx(0.0)
    drag(block, middle(block, 0), middle(block, 1))
    assert bedding.clashes == ((0, 1),)
    assert "2 pieces are closer than 4 mm" in words(page(block))
    drag(block, middle(block, 0), middle(block, 0) + QPointF(-400, 0))
    assert (0, 0) in bedding.clashes
    block.click(page(block).anew)
    done(block)
    assert not state.plan.lying
    assert not bedding.clashes


def test_the_job_and_fewer_beds(block):
    state, bedding = block.state, block.state.bedding
    alone = bedding.work
    assert page(block).figures["To glue"].text() == "1 contact, 48.0 cm²"
    state.change("copies", lambda: state.plan.changed(copies=5))
    done(block)
    assert len(bedding.laid) == 10
    work = bedding.work
    assert work.material == pytest.approx(5 * alone.material)
    assert work.seconds < 5 * alone.seconds  # what is lost at a layer is lost once
    assert f"{len(work.beds)} beds, at least {work.least}" in words(page(block))
    bedding.move(3, 1, 5.0, 5.0)
    done(block)
    kept = bedding.laid[3].outline.bounds
    block.click(page(block).fewer)
    done(block)
    assert not bedding.clashes
    assert bedding.laid[3].outline.bounds == pytest.approx(kept, abs=1e-3)
    assert len(state.plan.lying) == 10
    assert len(bedding.work.beds) <= len(work.beds)


def test_beds_are_ordered_and_that_is_undone(block):
    state, panel = block.state, page(block)
    assert panel.orders["fewest"].isChecked()
    block.click(panel.orders["piece"])
    done(block)
    assert state.plan.beds_by == "piece"
    assert [one.bed for one in state.bedding.laid] == [0, 1]
    assert panel.orders["piece"].isChecked()
    assert not panel.orders["fewest"].isChecked()
    block.key(*Z)
    done(block)
    assert [one.bed for one in state.bedding.laid] == [0, 0]
    assert panel.orders["fewest"].isChecked()
    block.click(panel.orders["fewest"])
    assert panel.orders["fewest"].isChecked()  # it is one of them always


def test_room_is_kept_free_by_drawing_it(block):
    """A clip of 60 × 40 mm at the front left corner: pieces are laid beside it; a click on it takes it away."""
    state, panel = block.state, page(block)
    block.click(panel.room)
    tiles = panel.tiles
    drag(block, tiles.pixel(0, 0.5, 0.5), tiles.pixel(0, 60, 40))
    ((x, y, wide, deep),) = state.printer.kept_free
    assert (x, y, wide, deep) == pytest.approx((0.5, 0.5, 59.5, 39.5), abs=2.5)
    for one in state.bedding.laid:
        assert not one.outline.intersects(shapely.box(x, y, x + wide, y + deep))
    assert len(state.bedding.laid) == 2
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=tiles.pixel(0, 20, 20).toPoint())
    done(block)
    assert state.printer.kept_free == ()
    block.key(*Z)
    done(block)
    assert len(state.printer.kept_free) == 1
    block.click(panel.room)
    assert not state.bedding.keeping_free
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=middle(block, 0).toPoint())
    assert state.bedding.picked == 0  # pieces are picked again


def test_written_and_read_back(block, tmp_path, monkeypatch):
    panel, out = page(block), tmp_path / "job"
    out.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(out))
    drag(block, middle(block, 0), middle(block, 0) + QPointF(0, -30))
    block.click(panel.piece_files["glb"])
    block.click(panel.bed_files["stl"])
    block.click(panel.all)
    done(block)
    names = {file.name for file in out.iterdir()}
    assert names == {"1-upper-block-mm.stl", "1-upper-block.glb", "2-lower-block-mm.stl", "2-lower-block.glb",
                     "bed-1.3mf", "bed-1-mm.stl", "job.json", "pieces.csv", "sheet.pdf", "sheet.html"}
    bed = trimesh.load(out / "bed-1-mm.stl")
    assert bed.is_watertight
    assert bed.volume == pytest.approx(80 * 60 * 60, rel=1e-6)
    low = np.min([one.outline.bounds[:2] for one in block.state.bedding.laid], axis=0)
    assert bed.bounds[0] == pytest.approx([*low, 0.0], abs=1e-3)
    listed = json.loads((out / "job.json").read_text())
    assert listed["beds"][0]["hours"] == pytest.approx(block.state.bedding.work.seconds / 3600)
    # asked before anything is replaced; refused, all is as it was
    asked = []
    monkeypatch.setattr(
        QMessageBox, "question", lambda *given: asked.append(given) or QMessageBox.StandardButton.Cancel
    )
    before = (out / "bed-1.3mf").stat().st_mtime_ns
    block.click(panel.all)
    done(block)
    assert len(asked) == 1
    assert (out / "bed-1.3mf").stat().st_mtime_ns == before
    for chosen in (*panel.piece_files.values(), *panel.bed_files.values(), *panel.papers.values()):
        if chosen.isChecked():
            block.click(chosen)
    assert not panel.all.isEnabled()


def test_the_sheet_is_leafed_through_and_written(block, tmp_path, monkeypatch):
    panel, out = page(block), tmp_path / "sheet"
    out.mkdir()
    block.state.choosing.keep_plan(block.state.plan, "Level")
    done(block)
    block.click(panel.look)
    done(block)
    shown = block.window.verbs.sheet
    assert shown.isVisible()
    assert shown.paper == "a4"
    count = len(shown._pages)
    assert f"page 1 of {count}" in words(shown)
    high, wide = shown._pages[0].shape
    assert high / wide == pytest.approx(297 / 210, rel=0.01)
    assert shown._pages[0].min() < 100
    assert not shown.back.isEnabled()
    QTest.keyClick(shown, Qt.Key.Key_PageDown)
    assert f"page 2 of {count}" in words(shown)
    block.click(shown.back)
    assert f"page 1 of {count}" in words(shown)
    block.click(shown.papers["letter"])
    done(block)
    assert block.window.verbs.sheet is shown
    high, wide = shown._pages[0].shape
    assert high / wide == pytest.approx(279.4 / 215.9, rel=0.01)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(out))
    block.click(shown.write)
    done(block)
    assert {file.name for file in out.iterdir()} == {"sheet.pdf", "sheet.html", "job.json", "pieces.csv"}
    assert float(pypdf.PdfReader(out / "sheet.pdf").pages[0].mediabox.width) == pytest.approx(612)
    shown.close()
    # none, or one of the papers
    assert panel.paper == "a4"
    block.click(panel.papers["letter"])
    assert panel.paper == "letter"
    assert not panel.papers["a4"].isChecked()
    block.click(panel.papers["letter"])
    assert panel.paper is None


def test_fewer_beds_are_looked_for_until_it_is_stopped(block, monkeypatch):
    """Stopped half-way, what was found so far is taken, and one undo takes it back."""
    state, bedding, panel = block.state, block.state.bedding, page(block)
    state.change("copies", lambda: state.plan.changed(copies=12))
    done(block)
    before = len(bedding.work.beds)
    block.click(panel.fewer)
    block.qtbot.waitUntil(
        lambda: bedding.found_so_far is not None or bool(state.plan.lying), timeout=PATIENCE
    )
    if bedding.found_so_far is not None:
        assert panel.fewer.text().startswith("Stop at ")
        block.click(panel.fewer)
    done(block)
    assert panel.fewer.text() == "Fewer beds …"
    assert len(state.plan.lying) == 24
    assert len(bedding.work.beds) <= before
    assert not bedding.clashes
    block.key(*Z)
    done(block)
    assert not state.plan.lying


def second_by_menu(desk, name):
    """Chooses a second printer in its menu."""
    menu = page(desk).second.menu
    menu.aboutToShow.emit()
    next(one for one in menu.actions() if one.text().startswith(name)).trigger()
    done(desk)


def test_two_printers_share_the_pieces(block, tmp_path, monkeypatch):
    state, bedding, panel = block.state, block.state.bedding, page(block)
    second_by_menu(block, "Large filament")
    assert state.plan.second == shipped_printers()["large-filament"]
    assert {one.bed for one in bedding.laid} == {0}
    block.click(panel.second.share)
    done(block)
    assert sorted(piece.second for piece in state.pieces) == [False, True]
    assert [bed.printer.name for bed in bedding.work.beds] == ["Middle filament bed", "Large filament bed"]
    assert "All done after" in words(panel)
    assert panel.figures["All done after"].text() == text.hours(bedding.work.elapsed)
    there = next(n for n, piece in enumerate(state.pieces) if piece.second)
    # each tile is as large as its bed; both beds are drawn
    wide = [panel.tiles.tile(bed).width() for bed in (0, 1)]
    assert wide[1] / wide[0] == pytest.approx(400 / 220, rel=1e-6)
    assert block.bed.scene.placed[there].box[0][0] > 220
    # back to the first by its list, with the keys
    choice = panel.pieces.on[there]
    choice.setFocus()
    QTest.keyClick(choice, Qt.Key.Key_Up)
    done(block)
    assert not any(piece.second for piece in state.pieces)
    block.key(*Z)
    done(block)
    assert sum(piece.second for piece in state.pieces) == 1
    # dragged on to a bed of the other printer it is printed there
    first = next(n for n, one in enumerate(bedding.laid) if one.bed == 0)
    drag(block, middle(block, first), panel.tiles.pixel(1, 300, 300))
    assert all(piece.second for piece in state.pieces)
    # room that is kept free there belongs to that printer
    block.click(panel.room)
    drag(block, panel.tiles.pixel(0, 1, 1), panel.tiles.pixel(0, 80, 60))
    block.click(panel.room)
    assert len(state.plan.second.kept_free) == 1
    assert state.printer.kept_free == ()
    second_by_menu(block, "None")
    assert state.plan.second is None
    assert "no second one" in words(block.window.panels["Hand off"].window())
    assert len(bedding.laid) == 2


def test_a_resin_printer_beside_gets_its_layers(block, tmp_path, monkeypatch):
    state, panel, out = block.state, page(block), tmp_path / "job"
    out.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(out))
    assert not panel.layers.isVisibleTo(panel)
    second_by_menu(block, "Small resin")
    state.bedding.print_on(1, second=True)
    done(block)
    assert panel.layers.isVisibleTo(panel)
    coarse = state.plan.second.changed(line_width=0.5, layer_heights=(0.5,))
    state.do_plan("coarser", state.plan.changed(second=coarse))
    done(block)
    panel.layers.click()
    block.click(panel.all)
    done(block)
    assert {file.name for file in out.iterdir()} >= {"bed-1.3mf", "bed-2.3mf", "bed-2-layers.zip"}
    assert not (out / "bed-1-layers.zip").exists()


def test_materials_of_a_printer_and_of_pieces(block, monkeypatch):
    """A copy of a profile gets a second material in its table; a piece is made of it, and lies on a bed of its own."""
    state, bedding, panel = block.state, block.state.bedding, page(block)
    dialog = PrinterDialog(state, block.window)
    dialog.show()
    QTest.mouseClick(dialog.copy, Qt.MouseButton.LeftButton)
    QTest.mouseClick(dialog.use, Qt.MouseButton.LeftButton)

    def fill(shown):
        QTest.mouseClick(shown.add, Qt.MouseButton.LeftButton)
        for column, given in enumerate(("Red", "1.5", "40", "0.4 %")):
            shown.table.item(1, column).setText(given)
        shown.table.item(1, 1).setText("heavy")
        assert "not a number" in words(shown)
        QTest.mouseClick(shown.colour, Qt.MouseButton.LeftButton)
        shown.table.item(0, 0).setText("Grey")
        shown.table.setCurrentCell(0, 0)
        QTest.mouseClick(shown.remove, Qt.MouseButton.LeftButton)
        assert "cannot be removed" in words(shown)
        shown.table.item(0, 0).setText("Red")
        assert "two materials" in words(shown)
        return 1

    monkeypatch.setattr(MaterialsDialog, "exec", fill)
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_: QColor("#aa2211"))
    QTest.mouseClick(dialog.materials, Qt.MouseButton.LeftButton)
    dialog.close()
    done(block)
    red = Material(name="Red", density=1.5, price=40.0, shrinkage=0.004, colour="#aa2211")
    assert state.printer.materials == (red,)
    assert state.printer.material == "Grey"
    choice = panel.pieces.of[0]
    choice.setFocus()
    QTest.keyClick(choice, Qt.Key.Key_Down)
    done(block)
    assert [piece.on(state.printer).material for piece in state.pieces] == ["Red", "Grey"]
    assert [one.bed for one in bedding.laid] in ([0, 1], [1, 0])
    assert "g Red" in panel.figures["Material"].text()
    block.click(panel.orders["colour"])
    done(block)
    assert state.plan.beds_by == "colour"
    block.key(*Z)
    block.key(*Z)
    done(block)
    assert [one.bed for one in bedding.laid] == [0, 0]


def test_a_coupon_is_printed_with_the_pieces(block):
    state, bedding = block.state, block.state.bedding
    state.go_to("Join")
    done(block)
    along = block.window.panels["Join"].findChild(CouponPanel).along
    block.click(along)
    done(block)
    assert state.pieces[-1].extra == "coupon"
    state.go_to("Hand off")
    done(block)
    assert len(bedding.laid) == 3
    assert "Coupon" in words(page(block))
    block.key(*Z)
    done(block)
    assert len(bedding.laid) == 2
    assert state.plan.coupon is None


def test_choices_are_charted_and_taken_by_a_click(block):
    """Whole against cut: the whole has no seam and takes longer or not; a click puts a choice on the bed."""
    state, front = block.state, page(block).choices
    state.choosing.keep_plan(state.plan, "Level")
    state.do_plan("turn", state.plan.changed(recipe=(state.plan.recipe[0].model_copy(update={"offset": 50.0}),)))
    done(block)
    dots = {dot.name: dot for dot in front.chart.dots}
    assert set(dots) == {"On the bed now", "As opened", "Level"}
    for key, name, plan in state.compared:
        entry = state.entry(plan)
        assert (dots[name].key, dots[name].up, dots[name].sight) == (
            key,
            entry.work.elapsed,
            entry.totals.seam_in_sight_mm,
        )
    assert dots["As opened"].sight == 0
    assert dots["As opened"].best
    block.click(front.axes["Cost"])
    assert {dot.name: dot.up for dot in front.chart.dots}["Level"] == state.entry(state.compared[1][2]).work.cost
    number = [dot.name for dot in front.chart.dots].index("As opened")
    at = front.chart.place_of(number).toPoint()
    over = QMouseEvent(QEvent.Type.MouseMove, QPointF(at), QPointF(front.chart.mapToGlobal(at)),
                       Qt.MouseButton.NoButton, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(front.chart, over)
    assert "As opened: " in front.said.text()
    QTest.mouseClick(front.chart, Qt.MouseButton.LeftButton, pos=at)
    done(block)
    assert state.plan == state.compared[0][2]
    assert "As opened" not in {dot.name for dot in front.chart.dots}  # it is what is on the bed
    front.chart.setFocus()
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Return):
        QTest.keyClick(front.chart, key)
    done(block)
    assert state.plan == state.compared[1][2]


def test_what_no_choice_beats():
    found = [
        ("a", "A", 0.0, 9.0, True),
        ("b", "B", 5.0, 5.0, True),
        ("c", "C", 6.0, 5.0, True),
        ("d", "D", 9.0, 1.0, False),
    ]
    assert [dot.name for dot in front_of(found) if dot.best] == ["A", "B", "D"]
    assert all(dot.best for dot in front_of([found[0], found[0]]))  # equal ones do not beat each other
