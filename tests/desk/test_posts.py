"""Posts in the window, as a person places them."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.printers.profile import shipped_printers
from tests.core.test_layers import comb
from tests.desk.conftest import PATIENCE, words


@pytest.fixture
def teeth(desk, tmp_path):
    """A comb over a resin plate, in Check, with the page of posts open."""
    write_solid(comb(3), "Comb", tmp_path / "comb.stl", replace=False)
    desk.open(tmp_path / "comb.stl")
    desk.state.choose_printer(shipped_printers()["small-resin"].changed(layer_heights=(0.2,)))
    desk.state.do_plan("lift", desk.state.plan.changed(lift=5.0))
    desk.settle()
    desk.go(5)
    desk.click(desk.window.panels["Check"].tabs["Posts"])
    made(desk)
    return desk


def page(desk):
    return desk.window.panels["Check"].posts


def made(desk):
    """Waits until all is as the plan has it, and its layers were looked at."""
    desk.settle()
    desk.qtbot.waitUntil(lambda: desk.state.up_to_date and bool(desk.state.checking.found), timeout=PATIENCE)
    desk.settle()


def propose(desk):
    desk.click(page(desk).propose)
    desk.qtbot.waitUntil(lambda: bool(desk.state.plan.posts), timeout=PATIENCE)
    made(desk)


def seen(desk, place):
    """The pixel at which a point of the model is."""
    at = desk.bed.scene.placed[0].pose.of(np.array(place, float))
    x, y = desk.bed.camera.project(at[None], desk.bed.width(), desk.bed.height())[0][:2]
    return QPoint(round(float(x)), round(float(y)))


def test_proposed_posts_hold_all_islands_and_are_taken_back(teeth):
    state, panel = teeth.state, page(teeth)
    assert "No posts yet" in words(panel)
    assert len(state.checking.found[0].unheld) == 5
    propose(teeth)
    report = state.posting.report
    assert report.made.all()
    assert not state.checking.found[0].unheld
    assert "posts s1" in teeth.bed.scene.things
    assert f"{len(report.ids)}, " in panel.figures["Posts"].text()
    assert panel.figures["Touched"].text() == f"{report.area:.1f} mm²"
    assert report.area == pytest.approx(0.0707 * len(report.ids), rel=1e-3)
    assert state.pieces[0].figures.support_volume_mm3 == pytest.approx(report.volume)
    teeth.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    made(teeth)
    assert not state.plan.posts
    assert len(state.checking.found[0].unheld) == 5


def test_added_and_taken_away_by_hand_and_proposed_again(teeth):
    state, panel, bed = teeth.state, page(teeth), teeth.bed
    propose(teeth)
    before = len(state.plan.posts[0].posts)
    teeth.look_from("From the front")
    teeth.click(panel.adds)
    assert state.pointing.kind == "post"
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, pos=seen(teeth, (17.5, 2.5, 9.0)))
    made(teeth)
    own = [post for post in state.plan.posts[0].posts if post.own]
    assert len(own) == 1
    assert own[0].at == pytest.approx((17.5, 2.5, 9.0), abs=0.6)
    assert state.pointing.kind == "post"  # it goes on until it is ended
    teeth.key(Qt.Key.Key_Escape, widget=bed)
    target = next(post for post in state.plan.posts[0].posts if not post.own and abs(post.at[0] - 27.5) < 1.6)
    teeth.click(panel.takes)
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, pos=seen(teeth, (target.at[0], 2.5, target.at[2] + 0.6)))
    made(teeth)
    gone = [post for post in state.plan.posts[0].posts]
    assert len(gone) == before
    assert len(state.plan.posts[0].refused) == 1
    teeth.key(Qt.Key.Key_Escape, widget=bed)
    propose(teeth)
    posts = state.plan.posts[0].posts
    assert [post for post in posts if post.own] == own
    refused = np.array(state.plan.posts[0].refused[0])
    assert min(np.linalg.norm(np.array(post.at) - refused) for post in posts) > 1.5


def test_thicker_tips_and_stems(teeth):
    state, panel = teeth.state, page(teeth)
    propose(teeth)
    volume = state.posting.report.volume
    for field, value in ((panel.tip, "0.6"), (panel.stem, "1.6")):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, value)
        QTest.keyClick(field, Qt.Key.Key_Return)
        made(teeth)
    report = state.posting.report
    assert report.area == pytest.approx(np.pi * 0.3**2 * report.made.sum())
    assert state.posting.report.volume > 3 * volume
    teeth.click(panel.clear)
    made(teeth)
    assert not state.plan.posts


def test_one_post_is_picked_and_made_thicker(teeth):
    state, panel, bed = teeth.state, page(teeth), teeth.bed
    propose(teeth)
    target = next(post for post in state.plan.posts[0].posts if abs(post.at[0] - 27.5) < 1.6)
    teeth.look_from("From the front")
    teeth.click(panel.picks)
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, pos=seen(teeth, (target.at[0], 2.5, target.at[2] + 0.6)))
    teeth.settle()
    post = state.posting.post
    assert abs(post.at[0] - target.at[0]) < 3
    assert f"Post {post.id[1:]} · on the bed" in words(panel)
    volume = state.posting.report.volume
    panel.this_stem.setFocus()
    panel.this_stem.selectAll()
    QTest.keyClicks(panel.this_stem, "2")
    QTest.keyClick(panel.this_stem, Qt.Key.Key_Return)
    made(teeth)
    assert state.posting.post.stem == 2.0
    assert state.posting.post.own
    assert state.posting.report.volume > volume + 5
    state.posting.drop()
    made(teeth)
    assert state.posting.post is None
    assert len(state.plan.posts[0].refused) == 1


def test_the_foot_of_a_post_is_put_elsewhere_on_the_bed(teeth):
    """Picked, and its foot clicked beside the piece on the bed: it leans there; undone; and by its own way again."""
    state, panel, bed = teeth.state, page(teeth), teeth.bed
    propose(teeth)
    target = min(state.plan.posts[0].posts, key=lambda post: np.linalg.norm(np.array(post.at) - (13.0, 0.5, 5.0)))
    state.posting.selected = target.id
    state.posting.changed.emit()
    before = state.plan
    foot = bed.scene.placed[0].pose.of(np.array(target.at)) * [1, 1, 0] + [0, -4.0, 0]
    teeth.click(panel.foot)
    x, y = bed.camera.project(foot[None], bed.width(), bed.height())[0][:2]
    at = QPoint(round(float(x)), round(float(y)))
    assert bed.hit(at) is None  # beside the piece
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, pos=at)
    made(teeth)
    assert state.pointing.kind == ""
    post, report = state.posting.post, state.posting.report
    assert post.own
    assert post.foot[:2] == pytest.approx((target.at[0], target.at[1] - 4.0), abs=0.5)
    number = report.ids.index(post.id)
    assert report.as_asked[number]
    assert report.leans[number]
    assert "leans · holds" in words(panel)
    teeth.click(panel.own_way)
    made(teeth)
    assert state.posting.post.foot is None
    for _ in range(2):
        teeth.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        made(teeth)
    assert state.plan == before
    # too far: it says so, and finds its own way
    state.posting.alter(foot=(target.at[0], target.at[1] - 200.0, -5.0))
    made(teeth)
    assert "cannot stand where its foot was put" in words(panel)


def test_posts_by_region(teeth):
    """All within some mm of a click go, and come again there and nowhere else; the others stay as they are."""
    state, panel, bed = teeth.state, page(teeth), teeth.bed
    propose(teeth)
    before = state.plan.posts[0].posts
    teeth.look_from("From the front")
    target = next(post for post in before if abs(post.at[0] - 27.5) < 1.6)
    teeth.type(panel.reach, "4")
    click = seen(teeth, (target.at[0], 2.5, target.at[2] + 0.6))
    teeth.click(panel.away)
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, pos=click)
    made(teeth)
    left = state.plan.posts[0].posts
    gone = [post for post in before if post not in left]
    assert 0 < len(gone) < len(before)
    place = np.array([bed.hit(click)[2]])
    far = {post.id: float(np.linalg.norm(np.array(post.at) - place)) for post in before}
    assert max(far[post.id] for post in gone) <= 4 < min(far[post.id] for post in left)
    assert len(state.plan.posts[0].refused) == len(gone)
    teeth.click(panel.around)
    QTest.mouseClick(bed, Qt.MouseButton.LeftButton, pos=click)
    teeth.qtbot.waitUntil(lambda: len(state.plan.posts[0].posts) > len(left), timeout=PATIENCE)
    made(teeth)
    again = state.plan.posts[0]
    assert set(left) <= set(again.posts)
    fresh = [post for post in again.posts if post not in left]
    assert max(float(np.linalg.norm(np.array(post.at) - place)) for post in fresh) <= 4
    assert not again.refused
    assert not state.checking.found[0].unheld
    for _ in range(2):
        teeth.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        made(teeth)
    assert state.plan.posts[0].posts == before


def test_a_post_whose_surface_is_cut_away_is_said(teeth):
    from deft_slab.core.cuts import StraightCut

    state, panel = teeth.state, page(teeth)
    propose(teeth)
    cut = StraightCut(id="c1", name="Cut", normal=(1, 0, 0), offset=14.0)
    state.do_plan("cut", state.plan.with_cut(cut))
    made(teeth)
    report = next(iter(state.evaluated.outcome.posts.values()))
    assert report.piece is None  # the posts were of the whole, which is no longer there
    assert state.plan.posts
    state.do_plan("move", state.plan.without_cut("c1").sized(scale=1.5))
    made(teeth)
    assert state.posting.report.made.any()
    assert "Posts" in words(panel)


def test_handed_off_with_and_without_posts(teeth, tmp_path, monkeypatch):
    propose(teeth)
    teeth.go(6)
    panel = teeth.window.panels["Hand off"]
    assert panel.posts.isVisible()
    found = {}
    for name in ("with", "without"):
        folder = tmp_path / name
        folder.mkdir()
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, folder=folder: str(folder))
        teeth.click(panel.stl)
        teeth.qtbot.waitUntil(lambda folder=folder: bool(list(folder.glob("*.stl"))), timeout=PATIENCE)
        teeth.settle()
        (path,) = folder.glob("*.stl")
        found[name] = trimesh.load(path)
        QTest.mouseClick(panel.posts, Qt.MouseButton.LeftButton, pos=QPoint(8, panel.posts.height() // 2))
    assert all(mesh.is_watertight for mesh in found.values())
    assert found["with"].volume > found["without"].volume
    assert found["with"].bounds[0, 2] == pytest.approx(0.0, abs=1e-5)
    assert found["with"].body_count == 1
    report = teeth.state.posting.report
    assert found["with"].volume - found["without"].volume == pytest.approx(report.volume, rel=0.15)
