"""Small parts: numbers, camera, handles, texts, actions, the ledger's arithmetic."""

from __future__ import annotations

import contextlib
import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QSlider, QWidget

from deft_slab.core.locale import preferences, text
from deft_slab.core.mesh.solid import finer
from deft_slab.demo import PROJECT
from deft_slab.desk.actions import table
from deft_slab.desk.cuts.straight import from_angles, to_angles
from deft_slab.desk.ledger.model import COLUMNS, cell_text
from deft_slab.desk.pictures import silhouette
from deft_slab.desk.refresh.binding import follow
from deft_slab.desk.scene.camera import Camera, box_corners
from deft_slab.desk.scene.handles import angle_about, cut_frame, leaned, moved_along
from deft_slab.desk.scene.hints import HINTS
from deft_slab.desk.widgets.basics import ClickRow, Elided
from deft_slab.desk.widgets.disc import DirectionDisc
from deft_slab.desk.widgets.front import FrontChart, FrontShown
from deft_slab.desk.widgets.number import NumberField, parse_quantity
from deft_slab.desk.widgets.pages import Pages
from tests.shapes import box, solid_of, sphere


def test_a_silhouette_covers_what_is_seen():
    ball = sphere(30, 3)
    seen = silhouette(ball.vertices, ball.triangles, 90)
    assert max(seen.shape) in (91, 92)
    assert seen.mean() == pytest.approx(math.pi / 4, abs=0.04)
    wedge = solid_of(trimesh.creation.cone(20, 40, sections=32))
    drawn = silhouette(wedge.vertices, wedge.triangles)
    assert drawn[:10].sum() < drawn[-10:].sum()
    plate = solid_of(box(200, 100, 0.4))
    assert silhouette(plate.vertices, plate.triangles).sum() > 90


def test_needles_are_divided_along_and_not_across():
    """A facet of 1,000 x 1 in ones of at most 1: a few for each of length, and all turned alike."""
    needle = np.array([[[0.0, 0, 0], [1000, 0, 0], [1000, 1, 0]]])
    small = np.concatenate(list(finer(needle, 1.0)))
    sides = np.linalg.norm(np.roll(small, -1, axis=1) - small, axis=2)
    assert sides.max() <= 1.0
    assert len(small) < 10_000
    areas = 0.5 * np.cross(small[:, 1] - small[:, 0], small[:, 2] - small[:, 0])[:, 2]
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(500.0)


@pytest.mark.parametrize(
    ("typed", "unit", "value"),
    [
        ("12", "mm", 12), ("4.5in", "mm", 114.3), ("120/2", "mm", 60), ("3cm + 2", "mm", 32), ("1 ft", "mm", 304.8),
        ("0,5 m", "mm", 500), ("-(2+3)*4", "mm", -20), ("−7", "mm", -7), ('2"', "mm", 50.8), ("90/4°", "°", 22.5),
        ("110 %", "%", 110), (".5", "mm", 0.5), ("3 ×", "×", 3), ("1.24 g/cm³", "g/cm³", 1.24), ("90/60", "s", 1.5),
        ("2cm²", "mm²", 200), ("2 cm2 + 50", "mm²", 250), ("1 in3", "cm³", 16.387064), ("250 ml", "cm³", 250),
        ("0.5 l", "mm³", 5e5), ("3", "cm³", 3),
    ],
)
def test_numbers_with_units_and_sums(typed, unit, value):
    assert parse_quantity(typed, unit) == pytest.approx(value)


@pytest.mark.parametrize(
    "typed",
    [
        "5 cm²",
        "2 cm3",
        "1 l",
        "",
        "abc",
        "u",
        "3u",
        "1/0",
        "5 kg",
        "3°",
        "2**9",
        "__import__('os')",
        "1e400",
        "(" * 500,
        "9" * 40,
        "1 2",
    ],
)
def test_what_is_no_number_is_refused(typed):
    with pytest.raises(ValueError, match=r"."):
        parse_quantity(typed, "mm")


@given(st.text(alphabet="0123456789.+-*/() incm", max_size=25))
def test_any_text_gives_a_number_or_a_value_error(typed):
    with contextlib.suppress(ValueError):
        assert math.isfinite(parse_quantity(typed, "mm"))


def shown_field(qtbot, unit, **how):
    """(a number field on the screen, what it tells of)"""
    field, told = NumberField(unit, low=0, **how), []
    qtbot.addWidget(field)
    field.show()
    field.committed.connect(told.append)
    return field, told


def enter(field, typed):
    field.selectAll()
    QTest.keyClicks(field, typed)
    QTest.keyClick(field, Qt.Key.Key_Return)


@pytest.fixture
def in_inches(monkeypatch):
    monkeypatch.setenv(preferences.UNITS, "in")
    preferences.forget()
    yield
    monkeypatch.undo()
    preferences.forget()


@pytest.mark.parametrize(
    ("unit", "value", "shown", "up"),
    [
        ("mm²", 645.16, "1.000 in²", "1.002 in²"),
        ("cm³", 16.387064, "1.0 in³", "1.1 in³"),
        ("g/cm³", 1.0, "1 g/cm³", "2 g/cm³"),
    ],
)
def test_areas_and_volumes_are_typed_in_what_is_shown(qtbot, in_inches, unit, value, shown, up):
    """NIST SP 811, appendix B.8: 1 in² is 6.4516 cm², 1 in³ is 16.387064 cm³."""
    field, told = shown_field(qtbot, unit, high=1e6, step=1, decimals=0)
    field.set_value(value)
    assert field.text() == shown
    enter(field, "2")
    assert told == [pytest.approx(2 * value)]
    field.set_value(value)
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert field.text() in (up, shown)  # a step may be smaller than what is shown of it


def test_a_length_is_typed_in_what_is_shown_and_kept_in_mm(qtbot, in_inches):
    """NIST SP 811: 1 in is 25.4 mm, exactly."""
    field, told = shown_field(qtbot, "mm", high=254, step=1)
    field.set_value(25.4)
    assert field.text() == "1.00 in"
    for typed, value in (
        ("2", 50.8),
        ("30 mm", 30.0),
        ("1/2", 12.7),
        ("3cm/2", 15.0),
        ("1 + 10 mm", 35.4),
        ("-(1-2)*2", 50.8),
        ("1/2", 12.7),
    ):
        enter(field, typed)
        assert told[-1] == pytest.approx(value)
    assert field.text() == "0.50 in"
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert field.text() == "0.55 in"
    enter(field, "11")
    assert field.accessibleDescription() == "between 0 and 10 in"


def test_a_number_field_commits_restores_and_steps(qtbot):
    field, told = shown_field(qtbot, "mm", high=100, step=5)
    field.set_value(10)
    assert field.text() == "10.0 mm"
    enter(field, "2in")
    assert told == [pytest.approx(50.8)]
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert told[-1] == pytest.approx(55.8)
    for wrong in ("500", "words"):
        enter(field, wrong)
        assert field.property("wrong") is True
        assert field.accessibleDescription()
        assert len(told) == 2
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "55.8 mm"
    assert field.property("wrong") is False


cameras = st.builds(
    Camera, st.tuples(*[st.floats(-200, 200)] * 3), st.floats(50, 2000), st.floats(0, 360), st.floats(-85, 85)
)


@given(cameras, st.floats(0, 800), st.floats(0, 600))
def test_a_ray_passes_through_what_its_pixel_shows(camera, x, y):
    origin, towards = camera.ray(x, y, 800, 600)
    seen = camera.project(origin + 300 * towards, 800, 600)[0]
    assert seen == pytest.approx((x, y), abs=1e-3)
    right, up, ahead = camera.frame
    np.testing.assert_allclose(np.cross(right, up), -ahead, atol=1e-9)


@given(cameras, st.floats(0, 800), st.floats(0, 600), st.floats(0.5, 2))
def test_coming_nearer_keeps_what_is_under_the_pointer(camera, x, y, factor):
    origin, towards = camera.ray(x, y, 800, 600)
    ahead = camera.frame[2]
    place = origin + camera.distance / float(towards @ ahead) * towards
    after = camera.nearer(factor, x, y, 800, 600)
    assert after.project(place, 800, 600)[0] == pytest.approx((x, y), abs=1e-2)


def test_framing_shows_the_whole_box():
    low, high = np.array([0.0, 0, 0]), np.array([200.0, 150, 300])
    corners = box_corners(low, high)
    camera = Camera().framing(corners, 700, 500)
    seen = camera.project(corners, 700, 500)
    assert (seen >= 0).all()
    assert (seen[:, 0] <= 700).all()
    assert (seen[:, 1] <= 500).all()
    assert np.ptp(seen[:, 1]) > 0.9 * 500


@given(cameras, st.integers(0, 10_000), st.integers(200, 900), st.integers(200, 900))
def test_framing_is_as_near_as_it_can_be(camera, seed, width, height):
    """Whatever is framed: all of it is seen, and it could not be nearer."""
    points = np.random.default_rng(seed).uniform(-150, 150, (20, 3)) + [0, 200, 50]
    seen = camera.framing(points, width, height).project(points, width, height) / [width, height]
    low, high = seen.min(axis=0), seen.max(axis=0)
    assert (low >= 0).all()
    assert (high <= 1).all()
    tight = int(np.argmax(high - low))
    assert low[tight] == pytest.approx(1 - high[tight], abs=1e-6)
    assert (high - low)[tight] == pytest.approx(1 / 1.06, abs=1e-6)


@given(cameras, st.integers(0, 10_000))
def test_framing_keeps_the_top_of_the_view_free(camera, seed):
    points = np.random.default_rng(seed).uniform(-150, 150, (20, 3)) + [0, 200, 50]
    seen = camera.framing(points, 700, 500, 46.0).project(points, 700, 500)
    assert seen[:, 1].min() >= 46
    assert seen[:, 1].max() <= 500
    assert seen[:, 0].min() >= 0
    assert seen[:, 0].max() <= 700


@given(st.floats(0, 180), st.floats(-180, 180))
def test_lean_and_facing_round_trip(lean, facing):
    normal = from_angles(lean, facing)
    np.testing.assert_allclose(from_angles(*to_angles(normal)), normal, atol=1e-6)


def test_handles_measure_what_is_dragged():
    frame = cut_frame(np.array([0.0, 0, 1]), 30.0, np.zeros(3), np.array([100.0, 80, 60]))
    assert frame.centre == pytest.approx((50, 40, 30))
    eye = np.array([50.0, -500, 80])
    for height in (10.0, 45.0):
        tip = frame.centre + height * frame.normal
        assert moved_along(eye, tip - eye, frame.centre, frame.normal) == pytest.approx(height)
    turned = angle_about(
        np.array([50.0, -500, 30]),
        np.array([20.0, 500, 20]),
        frame.centre,
        np.array([0, 1.0, 0]),
        np.array([1.0, 0, 0]),
    )
    assert turned is not None
    assert angle_about(eye, np.array([1.0, 0, 0]), frame.centre, np.array([0, 1.0, 0]), np.array([1.0, 0, 0])) is None
    np.testing.assert_allclose(leaned(np.array([0, 0, 1.0]), np.array([0, 1.0, 0]), 90), [1, 0, 0], atol=1e-12)


def test_figures_are_shown_with_the_right_units():
    assert text.area(99.4) == "99.4 mm²"
    assert text.area(12_345) == "123.5 cm²"
    assert text.area(0) == "0 cm²"
    assert text.volume(40) == "40 mm³"
    assert text.volume(6_700) == "6.7 cm³"
    assert text.volume(412_000) == "412 cm³"
    assert text.mm(37.35) == "37.4 mm"
    assert text.mm(304.8) == "305 mm"
    assert text.degrees(45) == "45°"
    assert text.signed("3 mm", -3) == "−3 mm"


def test_actions_have_words_and_keys_of_their_own():
    keys = [key for action in table.ALL for key in action.keys]
    assert len(keys) == len(set(keys))
    ids = [action.id for action in table.ALL]
    assert len(ids) == len(set(ids))
    for action in table.ALL:
        assert action.text
        assert action.tip.endswith(".")


def test_every_control_says_what_it_does(desk, light_demo):
    """Tooltip and accessible name on every button, field and slider, on every page of every step."""
    desk.open(light_demo)
    desk.state.choosing.bring_back("k2")
    desk.settle()
    for number in range(1, 7):
        desk.go(number)
        for pages in desk.window.findChildren(Pages):
            for tab in pages.tabs.values() if pages.isVisible() else ():
                desk.click(tab)
    controls = [
        *desk.window.findChildren(QAbstractButton), *desk.window.findChildren(NumberField),
        *desk.window.findChildren(QSlider), *desk.window.panels["Cut"].findChildren(QLineEdit),
    ]
    assert len(controls) > 60
    # a table's own corner button, and buttons that Qt puts into fields, are not ours
    ours = [
        c
        for c in controls
        if type(c).__module__.startswith(("PySide6", "deft_slab")) and c.parent() is not desk.window.ledger.table
    ]
    silent = [c for c in ours if not c.toolTip() and c.objectName() != "qt_toolbar_ext_button"]
    assert [c.text() for c in silent if isinstance(c, QAbstractButton)] == []
    assert [c.accessibleName() for c in silent] == []
    nameless = [c for c in ours if not (c.accessibleName() or getattr(c, "text", str)())]
    assert nameless == []


def test_ledger_marks_the_best_and_the_difference(desk):
    desk.open(PROJECT)
    model = desk.window.ledger.model
    by_title = {column.title: column for column in COLUMNS}
    support = by_title["support"]
    values = [support.of(row.entry.totals) for row in model.rows]
    best = [model.is_best(row, support) for row in model.rows]
    assert best == [value == min(values) for value in values]
    pinned = model.compared_with
    assert pinned.name == "As opened"
    assert model.difference(pinned, support) == ""
    halves = model.rows[3]
    expected = (support.of(halves.entry.totals) - support.of(pinned.entry.totals)) / 1000
    assert model.difference(halves, support) == f"−{abs(expected):.0f} cm³"
    assert cell_text(by_title["sit flat"], halves) == "2 of 2"
    assert not any(model.is_best(row, by_title["pieces"]) for row in model.rows)


def cut_off(window) -> list[str]:
    """What has less room than its words need: lines that do not wrap, and buttons."""
    QApplication.sendPostedEvents()  # what has just been put into words gets its room first
    found = []
    for part in [*window.findChildren(QLabel), *window.findChildren(QAbstractButton)]:
        said = part.text()
        elided = isinstance(part, Elided) or (isinstance(part, QLabel) and part.wordWrap())
        if part.isVisible() and said and not elided and part.width() < part.minimumSizeHint().width():
            found.append(f"{said!r}: {part.width()} of {part.minimumSizeHint().width()}")
    return found


@pytest.mark.parametrize("size", [(1260, 700), (1280, 800), (1920, 1080)])
def test_nothing_is_cut_off(desk, light_demo, size):
    """On every page of every step, whole and parted; the smallest window, the usual one, a large one."""
    desk.open(light_demo)
    desk.window.resize(*size)
    for key in ("k1", "k2"):
        desk.state.choosing.bring_back(key)
        desk.settle()
        for number in range(1, 7):
            desk.go(number)
            assert cut_off(desk.window) == []
            for pages in desk.window.findChildren(Pages):
                for tab in pages.tabs.values() if pages.isVisible() else ():
                    desk.click(tab)
                    desk.qtbot.wait(10)
                    assert cut_off(desk.window) == [], (number, tab.text())


def test_no_hint_is_cut_off(desk, tee):
    """Whatever is pointed at, in the smallest window."""
    desk.open(tee)
    desk.window.resize(1260, 700)
    desk.go(2)
    for kind in HINTS:
        desk.state.pointing.begin(kind)
        desk.qtbot.wait(5)
        assert cut_off(desk.window) == []


def reached_by_tab(window, most=400) -> list:
    """What has the focus one after the other, until it begins anew."""
    first = start = window.focusWidget() or window
    found = []
    for _ in range(most):
        QTest.keyClick(start, Qt.Key.Key_Tab)
        start = window.focusWidget()
        if start is None or start is first or start in found:
            break
        found.append(start)
    return found


def test_everything_is_reached_by_keyboard(desk, light_demo):
    """Tab comes by every control that can be pressed, typed into or drawn in, on every page of every step."""
    desk.open(light_demo)
    desk.state.choosing.bring_back("k2")
    desk.settle()
    for number in range(1, 7):
        desk.go(number)
        pages = next((one for one in desk.window.findChildren(Pages) if one.isVisible()), None)
        for tab in pages.tabs.values() if pages is not None else [None]:
            if tab is not None:
                desk.click(tab)
            desk.qtbot.wait(20)
            desk.bed.setFocus()
            reached = {desk.bed, *reached_by_tab(desk.window)}
            kinds = (QAbstractButton, QLineEdit, QComboBox, QSlider, DirectionDisc, ClickRow)
            # of buttons that exclude each other, Tab comes by the one that is on, and arrows go on from it
            missed = [
                part
                for kind in kinds
                for part in desk.window.findChildren(kind)
                if part.isVisible() and part.isEnabled() and part not in reached
                and type(part).__module__.startswith(("PySide6", "deft_slab"))
                and not (isinstance(part, QAbstractButton) and (part.group() is not None or part.parent() is
                                                                desk.window.ledger.table))
            ]
            assert [(type(one).__name__, one.accessibleName() or one.toolTip()) for one in missed] == [], number


def test_a_panel_follows_while_it_is_shown_and_makes_up_for_what_it_missed(qtbot):
    class Source(QObject):
        changed = Signal()

    class Follower(QWidget):
        refreshed = 0

        def refresh(self):
            self.refreshed += 1

    source, panel = Source(), Follower()
    qtbot.addWidget(panel)
    follow(panel, panel.refresh, source.changed)
    source.changed.emit()
    source.changed.emit()
    assert panel.refreshed == 0
    panel.show()
    assert panel.refreshed == 1
    source.changed.emit()
    assert panel.refreshed == 2
    panel.hide()
    source.changed.emit()
    panel.show()
    assert panel.refreshed == 3
    panel.hide()
    panel.show()
    assert panel.refreshed == 3


def test_one_useless_plan_does_not_set_the_scale_of_the_front(qtbot):
    """A plan that needs more support than the uncut model stands at the upper edge."""
    left = np.array([1.0, 0.3, 1.72])
    chart = FrontChart()
    qtbot.addWidget(chart)
    chart.resize(300, 176)
    yes, no = np.ones(3, bool), np.zeros(3, bool)
    chart.show_front(FrontShown(np.array([0.0, 80.0, 10.0]), left, np.array([1, 2, 2]), yes, yes, no, -1), "")
    whole, cut, useless = (chart.place_of(n).y() for n in range(3))
    assert useless == whole < cut
    pair = (yes[:2], yes[:2], no[:2], -1)
    everything_worse = FrontShown(np.array([5.0, 9.0]), np.array([1.2, 1.1]), np.array([2, 2]), *pair)
    assert everything_worse.most_left == 1.2


def test_an_opened_model_is_drawn_before_it_is_measured(desk, tee):
    seen = []

    def look():
        scene = desk.bed.scene
        seen.append((desk.state.evaluated, set(scene.things), scene.box))

    desk.state.opened.connect(look)
    desk.open(tee)
    ((evaluated, things, (low, high)),) = seen
    assert evaluated is None
    assert "as read" in things
    assert low[2] == 0
    assert "as read" not in desk.bed.scene.things
    placed = desk.bed.scene.placed[0].box
    assert np.allclose((low, high), placed, atol=1e-6)  # where it is once it is measured
