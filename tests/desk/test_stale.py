"""What is asked of pieces while their figures are not up to date, and figures that must not outlive their subject."""

from __future__ import annotations

import igl
import numpy as np
import pytest
import trimesh
from PySide6.QtCore import Qt

from deft_slab.core.cuts import BentCut, BlockCut, StraightCut
from deft_slab.core.evaluate.evaluator import evaluate
from deft_slab.core.geometry.curves import rails
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.inspection.lines import lines_of
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.core.progress import QUIET
from deft_slab.desk.cuts import on_desk
from deft_slab.desk.messages.requests import Evaluate, OpenFile
from deft_slab.desk.worker.bench import Bench
from tests.desk.conftest import PATIENCE
from tests.shapes import box, joined, model_of, solid_of


@pytest.fixture
def halves(desk, tee):
    desk.open(tee)
    desk.state.cutting.add((0, 0, 1), 60.0)
    desk.settle()
    assert len(desk.state.pieces) == 2
    desk.go(2)
    desk.settle()
    return desk


def test_turning_while_figures_are_old_turns_the_piece_and_not_the_model(halves):
    """The threshold is changed, and before that is measured keys turn the selected piece, each time further."""
    state = halves.state
    state.select_piece(0)
    before, seat = state.plan.tilt, state.piece.seat
    state.seats.set_threshold(50)
    assert not state.up_to_date
    for _ in range(3):
        state.seats.turn((0, 0, 1), 10)
    assert state.plan.tilt == before
    (wish,) = state.plan.pieces
    turned = Tilt.turn((0, 0, 1), 30).after(seat)
    np.testing.assert_allclose(wish.seat.rotation, turned.rotation, atol=1e-9)
    state.seats.rename_piece("Mine")
    (wish,) = state.plan.pieces
    assert wish.name == "Mine"
    np.testing.assert_allclose(wish.seat.rotation, turned.rotation, atol=1e-9)
    halves.settle()
    assert state.piece.name == "Mine"
    np.testing.assert_allclose(state.piece.seat.rotation, turned.rotation, atol=1e-9)


def test_what_is_asked_of_pieces_that_are_being_made_anew_is_refused_in_words(halves):
    state = halves.state
    state.select_piece(1)
    state.cutting.change_one("move a cut", state.selected_cut, offset=50.0)
    plan = state.plan
    state.seats.turn((0, 0, 1), 10)
    state.seats.rename_piece("Mine")
    halves.window.state.placing.bound("piece")
    assert state.plan == plan
    assert "being recomputed" in halves.window.notice.text
    halves.settle()
    state.seats.turn((0, 0, 1), 10)
    assert state.plan != plan
    assert state.plan.tilt == plan.tilt


def test_a_draft_without_figures_shows_none(halves, monkeypatch):
    """What cannot be measured while it is dragged has no figures, old ones least of all; settling ends live work."""
    state, model = halves.state, halves.window.ledger.model
    cut = state.plan.cut(state.selected_cut)
    line = ((-50.0, 0, 40), (50.0, 0, 40), (50.0, 0, 60), (0, 0, 20), (-40, 0, 90))
    bent = BentCut(id=cut.id, name="Fold", line=line)
    state.try_plan(state.plan.with_cut(bent))
    assert model.rows[1].entry is None
    halves.qtbot.waitUntil(lambda: bool(state.live_problem), timeout=PATIENCE)
    assert model.rows[1].entry is None
    assert model.rows[1].note == "cannot be measured"
    state.drop_draft()
    assert model.rows[1].entry is not None
    state.cutting.try_change(offset=62.0)
    assert state.jobs.busy_with("live")
    state.settle("move a cut")
    assert not state.jobs.busy_with("live")
    halves.settle()


def test_the_title_says_the_size_without_specks_and_follows_mirror_and_tilt(desk, tmp_path):
    bar = trimesh.creation.box((40, 20, 10))
    stray = trimesh.Trimesh([[0, 0, 100], [0, 0, 100], [0, 0, 120]], [[0, 1, 2]], process=False)
    trimesh.util.concatenate([bar, stray]).export(tmp_path / "bar.stl")
    desk.open(tmp_path / "bar.stl")
    assert desk.state.sizing.size == pytest.approx([40, 20, 10])
    assert desk.window.strip.size_label.text() == "40 × 20 × 10 mm"
    skew = joined(box(40, 20, 10), box(10, 10, 30))
    trimesh.Trimesh(skew.vertices, skew.triangles).export(tmp_path / "skew.stl")
    desk.open(tmp_path / "skew.stl")
    tilt = Tilt.turn((1, 2, 3), 40)
    desk.state.seats.set("lean", tilt)
    for mirror in (None, "x"):
        desk.state.sizing.resize(mirror=mirror)
        now = desk.state.sizing.size  # before it is measured
        desk.settle()
        wanted = np.ptp(desk.state.model.solid.vertices * desk.state.plan.factors @ tilt.rotation.T, axis=0)
        assert now == pytest.approx(wanted, rel=1e-6)
        assert desk.state.sizing.size == pytest.approx(wanted, rel=1e-6)


def test_check_counts_the_kerf(printer):
    model = model_of(solid_of(box(40, 40, 40)))
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=20.0, kerf=1.0)
    outcome = evaluate(model, Plan(model=model.ref, recipe=(cut,)), printer)
    (line,) = (line for line in lines_of(outcome, (), printer) if line.what == "Nothing lost")
    assert line.verdict == "good"
    assert "1.6 cm³ of kerf" in line.detail


def test_cells_for_the_bed_lie_along_the_axes_that_they_are_counted_for(halves):
    state = halves.state
    turned = BlockCut(id="c9", name="Block", x=(0.0,), turn=Tilt.turn((0, 0, 1), 30))
    state.cutting.put(turned)
    halves.settle()
    halves.go(3)
    halves.click(halves.window.panels["Cut"].this.tools["block"].for_bed)
    halves.settle()
    cut = state.plan.cut("c9")
    assert cut.turn == Tilt()
    room = default_printer().room
    assert all(piece.solid.size.max() <= max(room) for piece in state.pieces)


def test_a_second_file_with_the_same_surface_has_its_own_name(tmp_path):
    bench = Bench()
    ball = trimesh.creation.icosphere(2, 20)
    for name in ("first", "second"):
        ball.export(tmp_path / f"{name}.stl")
        model = bench.answer(OpenFile(tmp_path / f"{name}.stl", 0.1), QUIET).model
        found = bench.answer(Evaluate(Plan(model=model.ref), default_printer()), QUIET)
        assert found.outcome.pieces[0].name == name.capitalize()
    bench.close()


@pytest.mark.parametrize("splay", [0.0, 5.0])
def test_the_line_of_a_bent_cut_is_drawn_where_it_cuts(splay):
    """All that is drawn of it inside the model lies in its cut faces, to a hundredth of a millimetre."""
    solid = solid_of(box(100, 60, 50, at=(-50, -30, 0)))
    line = ((-60.0, -30.0, 20.0), (-20.0, -30.0, 32.0), (10.0, -30.0, 14.0), (60.0, -30.0, 30.0))
    cut = BentCut(id="c1", name="Bent", line=line, view=(0.0, 1.0, 0.0), splay=splay)
    _, side = cut.part(solid).sides[0]
    drawn = on_desk(cut).outline(cut, tuple(solid.bounds)).reshape(-1, 3)
    inside = drawn[(np.abs(drawn[:, 0]) < 49) & (np.abs(drawn[:, 1]) <= 30) & (drawn[:, 2] > 1) & (drawn[:, 2] < 49)]
    assert len(inside) > 40
    faces = np.ascontiguousarray(side.triangles[side.origin < 0], np.int64)
    squared = igl.point_mesh_squared_distance(inside, np.array(side.vertices), faces)[0]
    assert np.sqrt(squared.max()) < 0.01


def test_a_line_without_length_is_drawn_as_it_is():
    points = np.array([[0.0, 0, 0], [0.0, 5, 0]])
    assert rails(points, np.array([0.0, 1, 0]), 1.0, 0.0, np.array([-1.0, 1.0])).shape == (3, 2, 3)


def test_looking_can_go_on_when_it_was_stopped_in_the_first_round(halves):
    """In Tilt and in Cut: nothing was found yet, and the way to look on is there."""
    state = halves.state
    find = halves.window.panels["Tilt"].pages["Find"]
    state.seating.look_again()
    halves.window.verbs.stop()
    halves.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    if not state.seating.seats:
        assert find.again.isVisibleTo(find)
        halves.key(Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
        state.search.look_again()
        halves.window.verbs.stop()
        halves.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
        panel = halves.window.panels["Cut"]
        assert state.ways.found is None
        assert panel.ways.on.isVisibleTo(panel.ways)
        assert panel.where.again.isVisibleTo(panel.where)
        halves.click(panel.ways.on)
        halves.qtbot.waitUntil(lambda: state.ways.found is not None, timeout=PATIENCE)
        halves.click(panel.ways.stop)
        halves.qtbot.waitUntil(lambda: not state.ways.busy, timeout=PATIENCE)
        assert state.ways.found.ways  # what was found stays


def test_walls_that_come_too_late_are_not_shown(desk, tee):
    """Walls are of the pieces that they were measured on: not of those at another size."""
    desk.open(tee)
    desk.go(1)
    desk.state.measuring.show_walls(2.0)
    desk.state.sizing.resize(scale=2.0)
    desk.settle()
    desk.qtbot.waitUntil(lambda: not desk.state.jobs.busy, timeout=PATIENCE)
    assert desk.state.measuring.walls is None
    desk.state.measuring.show_walls(2.0)
    desk.qtbot.waitUntil(lambda: desk.state.measuring.walls is not None, timeout=PATIENCE)
    behind = desk.state.measuring.walls.behind
    assert [len(walls) for walls in behind] == [len(piece.solid.triangles) for piece in desk.state.pieces]


def test_equal_pieces_stay_found_when_the_printer_changes(desk, tee):
    """Whatever printer they are judged by, the pieces are the same."""
    desk.open(tee)
    desk.state.cutting.add((1.0, 0.0, 0.0), 0.0)
    desk.settle()
    desk.go(6)
    other = next(one for one in shipped_printers().values() if one != desk.state.printer)
    desk.state.choose_printer(other)
    desk.qtbot.waitUntil(lambda: len(desk.state.alike.found) == 2, timeout=PATIENCE)
    assert desk.state.printer == other
    assert {first for first, _ in desk.state.alike.found} == {0}
