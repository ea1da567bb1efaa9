"""The Tilt step by mouse and keys: the map, seats, weights, marks, turning by hand, spots, twin view."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFrame

from deft_slab.core.document.marks import Audience
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.locale import text
from deft_slab.core.search.weighing import PRESETS, parts_of
from deft_slab.demo import MODELS
from deft_slab.desk.scene.turning_pole import PoleTurn
from deft_slab.desk.widgets.disc import from_disc, to_disc
from tests.desk.conftest import PATIENCE, words


def looked(desk):
    """Waits until the map is whole and the seats are there."""
    desk.qtbot.waitUntil(lambda: bool(desk.state.seating.seats) and not desk.state.jobs.busy, timeout=PATIENCE)


@pytest.fixture
def tilt(desk, tee):
    desk.open(tee)
    desk.go(2)
    return desk


def page(desk, name):
    desk.window.panels["Tilt"].turn_to(name)
    return desk.window.panels["Tilt"].pages[name]


def spot_of(desk, place):
    """Where a point of the bed frame is seen."""
    seen = desk.bed.camera.project(np.array(place, float), desk.bed.width(), desk.bed.height())[0]
    return QPoint(*np.round(seen).astype(int))


# the disc


def test_equal_patches_of_the_disc_are_equal_shares_of_all_ways():
    """Lambert's azimuthal equal-area projection (Snyder 1987): a cap of so many degrees has sin^2(a / 2) of the sphere,
    and of the disc; and back again.
    """
    for angle in (10, 60, 90, 150):
        rim = np.array([[np.sin(np.radians(angle)), 0.0, -np.cos(np.radians(angle))]])
        radius = float(np.hypot(*to_disc(rim)[0]))
        assert radius**2 == pytest.approx(np.sin(np.radians(angle / 2)) ** 2)
    random = np.random.default_rng(2)
    points = random.normal(size=(200, 3))
    points /= np.linalg.norm(points, axis=1)[:, None]
    np.testing.assert_allclose(from_disc(to_disc(points)), points, atol=1e-6)
    # evenly spread directions fall evenly on the disc: a quarter of them within half its radius
    many = random.normal(size=(20_000, 3))
    many /= np.linalg.norm(many, axis=1)[:, None]
    assert np.mean(np.hypot(*to_disc(many).T) < 0.5) == pytest.approx(0.25, abs=0.01)


# the map and the seats


def test_a_click_on_the_map_takes_that_seat_and_undo_takes_it_back(tilt):
    looked(tilt)
    state, disc = tilt.state, page(tilt, "Find").map
    upside = QPointF(disc.place_of(np.array([0.0, 0.0, 1.0])))
    middle = disc.place_of(np.array([0.0, 0.0, -1.0]))
    assert (upside - middle).manhattanLength() > disc.height() / 3
    wanted = disc.direction_at(middle + QPointF(20, -12))
    assert wanted[0] > 0.1  # the right side goes down
    assert wanted[1] > 0.05  # and the back
    at = (middle + QPointF(20, -12)).toPoint()
    QTest.mouseMove(disc, at)
    assert "support" in page(tilt, "Find")._said.text()
    tilt.qtbot.waitUntil(lambda: page(tilt, "Find")._peek.pixmap().width() > 0, timeout=PATIENCE)
    QTest.mouseClick(disc, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    tilt.settle()
    assert state.plan.tilt.down == pytest.approx(tuple(disc.direction_at(QPointF(at))), abs=0.03)
    assert len(state.seating.trail) == 2
    tilt.undo()
    tilt.settle()
    assert state.plan.tilt == Tilt()


def test_a_click_beside_a_mark_takes_exactly_what_it_marks(tilt):
    looked(tilt)
    disc = page(tilt, "Find").map
    seat = next(one for one in tilt.state.seating.seats if one.seat.tilt.down != (0, 0, -1))
    at = disc.place_of(np.array(seat.seat.tilt.down)).toPoint() + QPoint(2, 1)
    QTest.mouseClick(disc, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    tilt.settle()
    offered = [*(one.seat.tilt.down for one in tilt.state.seating.seats), *map(tuple, tilt.state.seating.flats)]
    assert max(float(np.dot(tilt.state.plan.tilt.down, down)) for down in offered) == pytest.approx(1, abs=1e-9)


def test_the_map_by_keys(tilt):
    looked(tilt)
    disc = page(tilt, "Find").map
    disc.setFocus()
    for _ in range(3):
        QTest.keyClick(disc, Qt.Key.Key_Right)
    QTest.keyClick(disc, Qt.Key.Key_Return)
    tilt.settle()
    assert tilt.state.plan.tilt.down[0] > 0.1
    assert tilt.state.history.undo_text == "take a seat from the tilt map"


def test_seats_are_shown_taken_and_kept(tilt):
    looked(tilt)
    state, find = tilt.state, page(tilt, "Find")
    rows = [find.seats.itemAt(n).widget() for n in range(find.seats.count())]
    assert len(rows) == len(state.seating.seats) >= 3
    tilt.click(rows[0].keep)
    tilt.settle()
    assert state.project.choices[-1].plan.tilt == state.seating.seats[0].seat.tilt
    assert state.plan.tilt == Tilt()
    rows = [find.seats.itemAt(n).widget() for n in range(find.seats.count())]
    number = next(n for n, one in enumerate(state.seating.seats) if one.seat.tilt.down != (0, 0, -1))
    tilt.click(rows[number])
    tilt.settle()
    assert state.plan.tilt == state.seating.seats[number].seat.tilt
    shown = state.seating.seats[number].seat.figures.support_volume_mm3
    assert state.piece.figures.support_volume_mm3 == pytest.approx(shown, rel=1e-6, abs=1e-6)


def test_what_matters_changes_the_seats(tilt):
    looked(tilt)
    state, find = tilt.state, page(tilt, "Find")
    first = state.seating.seats[0].seat.kind
    for aim, slider in find.sliders.items():
        slider.setValue(100 if aim == "steady" else 0)
    looked(tilt)
    assert state.seating.weights.steady == 100
    # only steadiness counts now, so the best is as steady as any
    least = float(parts_of(state.seating.figures, has_show_faces=False)["steady"].min())
    assert float(find._effects["steady"].text().split()[-1]) == pytest.approx(least, abs=0.006)
    assert state.seating.seats[0].seat.figures.sits_flat
    assert first
    resin = next(b for b in find.findChildren(type(find.again)) if b.text() == "As for resin")
    tilt.click(resin)
    looked(tilt)
    assert state.seating.weights == PRESETS["resin"]
    assert find.sliders["small_layers"].value() == PRESETS["resin"].small_layers


def test_each_figure_colours_the_map(tilt):
    looked(tilt)
    find = page(tilt, "Find")
    pictures = set()
    for n in range(find.figure.count()):
        find.figure.setCurrentIndex(n)
        find.figure.activated.emit(n)
        assert find.figure.itemText(n) in find._said.text()
        tilt.drawn()
        pictures.add(bytes(find.map._image.constBits()))
    assert len(pictures) >= 7
    tilt.click(find.other_side)
    assert "upside down" in find._said.text()
    assert find.map.direction_at(QPointF(find.map.width() / 2, find.map.height() / 2))[2] == pytest.approx(1, abs=1e-6)


def test_looking_can_be_stopped_and_goes_on(desk):
    desk.state.opening.open(MODELS["lantern"])
    desk.qtbot.waitUntil(lambda: desk.state.seating.figures is not None, timeout=PATIENCE)
    desk.click(desk.window.foot.stop)
    desk.qtbot.waitUntil(lambda: not desk.state.jobs.busy, timeout=PATIENCE)
    assert not desk.state.seating.seats
    again = page(desk, "Find").again
    assert again.isVisible()
    desk.click(again)
    desk.qtbot.waitUntil(lambda: desk.state.seating.figures is not None, timeout=PATIENCE)


def test_pieces_have_their_own_maps_and_are_seated_together(tilt):
    state = tilt.state
    tilt.go(3)
    tilt.click(tilt.window.panels["Cut"].this.adds["Level"])
    tilt.settle()
    tilt.go(2)
    state.select_piece(1)
    looked(tilt)
    upper = state.seating.figures
    state.select_piece(0)
    assert state.seating.figures is None
    looked(tilt)
    assert state.seating.figures.height_mm.max() != pytest.approx(upper.height_mm.max(), rel=0.05)
    find = page(tilt, "Find")
    assert find.all.isVisible()
    tilt.click(find.all)
    tilt.qtbot.waitUntil(lambda: state.history.undo_text == "seat all pieces", timeout=PATIENCE)
    tilt.settle()
    assert [wish.seat is not None for wish in state.plan.pieces] == [True, True]
    assert all(piece.seat_kind == "as you seated it" for piece in state.pieces)
    assert state.plan.tilt == Tilt()


# by hand


def knob(desk, name):
    bed = desk.bed
    place = bed.camera.project(bed.hand.pole.knobs(PoleTurn())[name], bed.width(), bed.height())[0]
    return QPoint(*np.round(place).astype(int))


def test_the_pole_leans_it_where_it_is_pulled(tilt):
    """To the right and away from the eye, in the view from the front; then with Shift in steps of 5 degrees."""
    state, bed = tilt.state, tilt.bed
    tilt.look_from("From the front")
    tilt.click(page(tilt, "By hand").drag)
    start = knob(tilt, "lean")
    end = tilt.press_and_drag(start, QPoint(60, 0))
    assert state.draft is not None
    assert bed.hand.pull.words == "leaning 24.0° to the right"
    tilt.release(end)
    tilt.settle()
    lean = np.radians(24)
    assert state.history.undo_text == "turn by 24°"
    assert state.plan.tilt.rotation @ [0, 0, 1] == pytest.approx((np.sin(lean), 0, np.cos(lean)), abs=1e-3)
    assert state.pointing.kind == "turn"  # for the next pull
    tilt.undo()
    tilt.settle()
    start = knob(tilt, "lean")
    QTest.mousePress(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    bed.hand.move(QPointF(start + QPoint(2, -53)), True)
    tilt.release(start + QPoint(2, -53))
    tilt.settle()
    assert state.plan.tilt.rotation @ [0, 0, 1] == pytest.approx((0, np.sin(np.radians(20)), np.cos(np.radians(20))))
    tilt.key(Qt.Key.Key_Escape, widget=bed)
    assert state.pointing.kind == ""
    assert bed.hand.pole is None


def test_the_mark_on_the_bed_turns_it_around(tilt):
    """Seen from above, a quarter of the circle is a quarter turn; no figure changes by it."""
    state, bed = tilt.state, tilt.bed
    before = state.piece.figures.support_volume_mm3
    tilt.look_from("From above")
    tilt.click(page(tilt, "By hand").drag)
    pole = bed.hand.pole
    start = knob(tilt, "around")
    end = bed.camera.project(pole.knobs(PoleTurn(around=90.0))["around"], bed.width(), bed.height())[0]
    tilt.release(tilt.press_and_drag(start, QPoint(*np.round(end).astype(int)) - start))
    tilt.settle()
    assert state.plan.tilt.rotation @ [1, 0, 0] == pytest.approx((0, 1, 0), abs=0.03)
    assert state.piece.figures.support_volume_mm3 == pytest.approx(before, rel=0.02)


def test_esc_drops_a_turn(tilt):
    state, bed = tilt.state, tilt.bed
    tilt.click(page(tilt, "By hand").drag)
    tilt.qtbot.wait(50)
    start = knob(tilt, "lean")
    tilt.press_and_drag(start, QPoint(30, 10))
    assert state.draft is not None
    tilt.key(Qt.Key.Key_Escape, widget=bed)
    assert state.draft is None
    tilt.release(start + QPoint(30, 10))
    assert state.plan.tilt == Tilt()


@given(st.floats(0.5, 170), st.floats(0, 359.9))
def test_a_pull_turns_the_vertical_to_its_pole(lean, side):
    pull = PoleTurn(lean, side)
    np.testing.assert_allclose(pull.turn.rotation @ [0, 0, 1], pull.top, atol=1e-9)


def test_five_degrees_by_a_key(tilt):
    QTest.keyClicks(tilt.bed, "]")
    tilt.settle()
    assert tilt.state.plan.tilt == Tilt.turn((1, 0, 0), 5)
    QTest.keyClicks(tilt.bed, "}")
    tilt.settle()
    assert tilt.state.history.undo_text == "turn by 5°"


def test_turning_in_the_view(tilt):
    hand = page(tilt, "By hand")
    tilt.look_from("From the right")
    tilt.type(hand.turns["In the view"], "90")
    tilt.settle()
    # looked at from the right, about the line of sight: what was below is now to one side, level
    assert abs(tilt.state.plan.tilt.down[1]) > 0.99


def test_three_points_lie_down(tilt):
    """Three points of the beam's end face; then three on a line are refused."""
    state, bed = tilt.state, tilt.bed
    tilt.look_from("From the right")
    tilt.click(page(tilt, "By hand").picks["three"])
    for place in ((150, 103, 63), (150, 117, 63), (150, 110, 77)):
        QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, spot_of(tilt, place))
    tilt.settle()
    assert state.history.undo_text == "seat on three points"
    assert state.plan.tilt.down == pytest.approx((1, 0, 0), abs=1e-6)


def test_a_region_lies_down_and_a_direction_points_up(tilt):
    state, bed = tilt.state, tilt.bed
    tilt.look_from("From the right")
    tilt.click(page(tilt, "By hand").picks["region"])
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, spot_of(tilt, (150, 110, 70)))
    tilt.qtbot.waitUntil(lambda: state.history.undo_text == "seat on a region", timeout=PATIENCE)
    tilt.settle()
    assert state.plan.tilt.down == pytest.approx((1, 0, 0), abs=1e-6)
    tilt.undo()
    tilt.settle()
    tilt.look_from("From the right")
    tilt.click(page(tilt, "By hand").picks["up"])
    for place in ((150, 104, 70), (150, 116, 70)):  # towards the back, which is to point up
        QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, spot_of(tilt, place))
    tilt.settle()
    assert state.history.undo_text == "turn a direction up"
    assert state.plan.tilt.down == pytest.approx((0, -1, 0), abs=0.1)


def test_lifting_it_and_what_leaning_would_change(tilt):
    looked(tilt)
    state = tilt.state
    tilt.type(page(tilt, "By hand").lift, "4")
    tilt.settle()
    assert state.piece.lift == 4
    assert state.piece.figures.support_on_bed_mm3 > 20 * 20 * 4
    assert "support only" in words(page(tilt, "By hand"))
    tilt.undo()
    tilt.settle()
    looked(tilt)
    costs = page(tilt, "Costs")
    tilt.click(costs.compare)
    tilt.qtbot.waitUntil(lambda: len(state.seating.ways) == 4, timeout=PATIENCE)
    assert "leaning" in state.seating.ways[1].seat.kind
    tilt.click(costs.ways.itemAt(2).widget())
    tilt.settle()
    assert state.plan.lift == 5


# marks


def test_a_stroke_of_the_brush_marks_a_show_face(tilt):
    state = tilt.state
    faces = page(tilt, "Faces")
    tilt.look_from("From the front")
    tilt.click(faces.ways["brush"])
    start, end = spot_of(tilt, (85, 100, 70)), spot_of(tilt, (135, 100, 70))
    tilt.press_and_drag(start, end - start)
    assert len(state.marker.stroke) > 2
    tilt.release(end)
    tilt.settle()
    (mark,) = state.plan.marks
    assert mark.shape == "brush"
    assert mark.meaning == "show"
    assert np.array(mark.facing)[:, 1].max() < -0.9
    marked = (state.piece.marks & 1) > 0
    assert marked.any()
    assert (state.piece.solid.normals[marked, 1] < -0.9).all()
    assert state.pointing.kind == "brush"  # for the next stroke
    tilt.undo()
    tilt.settle()
    assert not state.plan.marks


def test_regions_are_marked_rubbed_out_and_counted(tilt):
    """The underside of the beam becomes a show face: its support scars it; then a clear spot: nothing stands there."""
    state, bed = tilt.state, tilt.bed
    faces = page(tilt, "Faces")
    tilt.look_from("From below")
    tilt.click(faces.ways["grown"])
    under = spot_of(tilt, (140, 103, 60))
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, under)
    tilt.settle()
    assert state.piece.figures.show_scar_mm2 > 300
    assert "scars a show face" in words(tilt.window)
    tilt.click(faces.meanings["clear"])
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, under)
    tilt.settle()
    assert state.piece.figures.unheld_area_mm2 > 300
    assert "hang in the air" in words(tilt.window)
    tilt.click(faces.none)
    tilt.settle()
    assert state.piece.figures.unheld_area_mm2 == 0
    tilt.click(faces.meanings["show"])
    tilt.click(faces.erase)
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, under)
    tilt.settle()
    assert state.piece.figures.show_scar_mm2 == 0
    state.marker.set(erase=False)


def test_show_faces_are_of_the_prop_and_so_of_every_choice(tilt):
    state = tilt.state
    state.choosing.keep()
    tilt.settle()
    faces = page(tilt, "Faces")
    tilt.click(faces.seen)
    tilt.settle()
    assert state.plan.marks
    assert state.project.choices[0].plan.marks == state.plan.marks
    tilt.undo()
    tilt.settle()
    assert not state.project.choices[0].plan.marks


def test_the_audience_is_chosen_and_turned(tilt):
    state, faces = tilt.state, page(tilt, "Faces")
    faces.looking.setCurrentIndex(1)
    faces.looking.activated.emit(1)
    tilt.settle()
    assert state.plan.audience.looking == "front"
    tilt.type(faces.spread, "30")
    faces.view.setFocus()
    for _ in range(6):
        QTest.keyClick(faces.view, Qt.Key.Key_Left)
    tilt.settle()
    assert state.plan.audience.front == pytest.approx((1, 0, 0), abs=1e-9)
    assert state.plan.audience.spread == 30
    for _ in range(8):
        tilt.undo()
    tilt.settle()
    assert state.plan.audience == Audience()


# seen from below


def test_a_spot_is_flown_to(tilt):
    rows = [one for one in tilt.window.findChildren(QFrame) if one.accessibleName().startswith("Overhang spot")]
    assert [one.accessibleName() for one in rows] == ["Overhang spot of 6.0 cm²"] * 2
    tilt.click(rows[0])
    assert tilt.bed.camera.elevation < -5
    assert tilt.bed.marked
    below = tilt.window.frame.below
    tilt.click(below)
    assert below.isChecked()
    tilt.release(tilt.press_and_drag(QPoint(200, 200), QPoint(0, 150)))
    assert tilt.bed.camera.elevation <= -6.0 + 1e-9
    tilt.click(below)
    assert tilt.bed.camera.elevation > 0


def test_the_height_rail_hides_the_bed_side(tilt):
    rail, state = tilt.window.rail, tilt.state
    tilt.drawn()
    before = tilt.bed.grab().toImage()
    QTest.mouseClick(rail, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, rail.rect().center())
    tilt.drawn()
    assert state.view.hidden_below == pytest.approx(40, abs=2)
    assert tilt.bed.grab().toImage() != before
    QTest.keyClick(rail, Qt.Key.Key_Up)
    assert state.view.hidden_below == pytest.approx(41, abs=2)
    QTest.keyClick(rail, Qt.Key.Key_Home)
    assert state.view.hidden_below == 0


# twin view


def test_two_choices_side_by_side(tilt):
    state, window = tilt.state, tilt.window
    assert not window.frame.twin_button.isVisible()
    state.choosing.keep()
    state.seats.turn((0, 1, 0), 90)
    tilt.settle()
    tilt.click(window.frame.twin_button)
    tilt.qtbot.waitUntil(lambda: all(pane.evaluated is not None for pane in window.twin.panes), timeout=PATIENCE)
    left, right = window.twin.panes
    assert left.evaluated.outcome.plan == state.plan
    assert right.evaluated.outcome.plan == state.project.choices[0].plan
    for pane in (left, right):
        points = np.concatenate([one.pose.of(one.piece.solid.vertices) for one in pane.scene.placed])
        seen = pane.camera.project(points, pane.width(), pane.height())
        assert (np.ptp(seen, axis=0) / [pane.width(), pane.height()]).max() > 0.8
    tilt.qtbot.waitUntil(lambda: "support" in words(window.twin), timeout=PATIENCE)
    assert "pieces" not in words(window.twin)  # the same on both sides
    seconds = [pane.evaluated.work.seconds for pane in window.twin.panes]
    change = text.signed(text.hours(abs(seconds[1] - seconds[0])), seconds[1] - seconds[0])
    assert f"job  {change}" in words(window.twin)
    tilt.drawn()
    QTest.mousePress(left, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(60, 80))
    QTest.mouseMove(left, QPoint(110, 90))
    QTest.mouseRelease(left, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(110, 90))
    assert left.camera.azimuth == right.camera.azimuth != -62.0
    share = right.camera.distance / left.camera.distance
    near = replace(left.camera, distance=0.5 * left.camera.distance)
    left.looked.emit(near)
    assert right.camera.distance / left.camera.distance == pytest.approx(share)
    left.resize(left.width() + 40, left.height())
    assert left.camera == near  # a view that the user chose stays
    tilt.click(window.twin.close_button)
    assert not window.twin.isVisible()
