"""The Join step in the real window: contacts opened like a book, joins proposed, dragged and typed, the dry fit."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_slab.core.joins import JOINS, DowelJoin, GlueJoin, KeyJoin, LooseKeyJoin
from deft_slab.desk.joins import ON_DESK
from deft_slab.desk.steps.join.rows import ContactRow
from tests.desk.conftest import PATIENCE, words

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def halves(desk, tee):
    """The tee, parted where the beam lies on the post, in Join."""
    desk.open(tee)
    desk.state.cutting.add((0.0, 0.0, 1.0), 60.0)
    desk.settle()
    desk.go(4)
    desk.settle()
    return desk


def settled(desk) -> None:
    """Until the room around the selected join is known too."""
    desk.settle()
    room = desk.state.joining
    desk.qtbot.waitUntil(
        lambda: not desk.state.jobs.busy_with("ask") and (room.room_here is not None or not room.contacts),
        timeout=PATIENCE,
    )
    desk.qtbot.wait(20)


def drag(desk, page: int, start, by: QPoint, give_up: bool = False) -> None:
    """Drags on the book from a place of the contact, (2,) mm across, by pixels."""
    book = desk.window.panels["Join"].contacts.book
    at = book.place_of(start, page).toPoint()
    QTest.mousePress(book, LEFT, PLAIN, at)
    for step in range(1, 6):
        QTest.mouseMove(book, at + by * step / 5)
        desk.qtbot.wait(15)
    if give_up:
        desk.key(Qt.Key.Key_Escape, widget=book)
    QTest.mouseRelease(book, LEFT, PLAIN, at + by)
    settled(desk)


def test_the_whole_job_of_joining_by_mouse_and_keys(halves):
    """Proposed, looked at, dragged, sized, typed, put on the other piece, dry-fitted, undone."""
    state, panel = halves.state, halves.window.panels["Join"].contacts
    assert "no join yet" in halves.read(panel)
    # the beam lies turned over on its cut face, and the post stands on its foot
    assert "lies on this face, piece 1 " in words(panel) or "has this face up, piece 1 " in words(panel)
    assert "moves down onto" in words(panel)
    halves.click(panel.propose_all)
    settled(halves)
    assert state.history.undo_text == "propose joins"
    joins = state.plan.joins
    assert len(joins) == 2
    assert "Proposed because" in words(panel)
    assert "Thinnest wall around it" in words(panel)
    assert all(not report.problem for report in state.evaluated.outcome.joins.values())
    book = panel.book
    assert len(book.shown.joins) == 2
    chosen = book._one
    assert chosen.id == joins[0].id
    # the other one is chosen with a click, on the right page, and dragged
    other = next(one for one in book.shown.joins if one.id != chosen.id)
    QTest.mouseClick(book, LEFT, PLAIN, book.place_of(other.at, 1).toPoint())
    assert state.joining.selected == other.id
    settled(halves)
    before = np.array(state.plan.join(other.id).at)
    drag(halves, 0, other.at, QPoint(6, 0))
    moved = np.array(state.plan.join(other.id).at) - before
    assert np.linalg.norm(moved) == pytest.approx(6 / book.scale, abs=0.2)
    assert state.history.undo_text == "move a join"
    assert state.plan.join(other.id).why == ""
    assert "Added by you" in words(panel)
    # on the right page the contact is seen from behind: a drag to the right goes the other way
    placed = np.array(state.plan.join(other.id).at)
    drag(halves, 1, book._one.at, QPoint(6, 0))
    assert np.array(state.plan.join(other.id).at) == pytest.approx(placed - moved, abs=0.2)
    # a drag that is given up changes nothing
    plan = state.plan
    drag(halves, 0, book._one.at, QPoint(5, 5), give_up=True)
    assert state.plan == plan
    assert state.draft is None
    # its handle makes it wider
    wide = state.plan.join(other.id).width
    drag(halves, 0, book.handle_of(book._one), QPoint(8, 0))
    assert state.plan.join(other.id).width > wide
    # keys
    book.setFocus()
    at = state.plan.join(other.id).at
    halves.key(Qt.Key.Key_Left, widget=book)
    settled(halves)
    assert math.dist(at, state.plan.join(other.id).at) == pytest.approx(0.5)
    wide = state.plan.join(other.id).width
    halves.key(Qt.Key.Key_Minus, widget=book)
    settled(halves)
    assert state.plan.join(other.id).width == pytest.approx(wide / 1.1, abs=0.01)
    # typed
    height = next(shown for field, shown in panel._fields if field.name == "Height")
    halves.type(height, "3.5")
    settled(halves)
    assert state.plan.join(other.id).height == 3.5
    halves.type(panel.clearance, "0.1")
    settled(halves)
    assert "less than the 0.30 mm" in words(panel)
    halves.click(panel.for_all)
    settled(halves)
    assert {join.clearance for join in state.plan.joins} == {0.1}
    halves.click(panel.as_printer)
    settled(halves)
    assert state.plan.join(other.id).clearance is None
    # the dry fit
    halves.click(halves.window.panels["Join"].tabs["Dry fit"])
    fit = halves.window.panels["Join"].fit
    halves.qtbot.waitUntil(lambda: state.fitting.fitted is not None, timeout=PATIENCE)
    halves.qtbot.wait(20)
    assert "free all the way" in words(fit)
    (move,) = state.fitting.fitted.moves
    assert np.abs(state.view.fitted[list(move.pieces)]).max() == pytest.approx(1.0)
    halves.click(fit.after)
    assert np.abs(state.view.fitted).max() == 0
    poses = [one.pose.shift for one in halves.bed.scene.placed]
    assert poses[0] == pytest.approx(poses[1])
    halves.click(halves.window.panels["Join"].tabs["Contacts"])
    assert state.view.fitted is None
    while state.history.undo_text and "join" in state.history.undo_text or state.plan.joins:
        halves.undo()
    settled(halves)
    assert state.plan.joins == ()
    assert "no join yet" in words(panel)


@pytest.mark.parametrize("kind", sorted(ON_DESK))
def test_each_kind_is_added_shown_and_removed(halves, kind):
    state, panel = halves.state, halves.window.panels["Join"].contacts
    halves.click(panel.adds[kind])
    settled(halves)
    (join,) = state.plan.joins
    assert join.kind == kind
    assert state.joining.selected == join.id
    report = state.evaluated.outcome.joins[join.id]
    # the post is no wall, and has no inside
    assert bool(report.problem) is (kind in ("lap", "splint"))
    bare = {"glue": 0, "lap": 0, "splint": 0, "band": 0, "letters": 4}
    assert len(report.outline) == bare.get(kind, 48)
    apart = [piece.extra for piece in state.pieces if piece.extra]
    assert set(apart) == ({kind} if kind in ("loose key", "band") else set())
    if apart:
        assert state.view.in_place  # one piece more is no reason to look at something else
    for field, shown in panel._fields:
        assert shown.accessibleName() == field.name
        assert type(join).model_validate({**join.model_dump(), **field.update(join, field.value(join))}) == join
    for switch in ON_DESK[kind].switches:
        said = switch.words(state.plan.joins[0])
        panel._switch(said)
        settled(halves)
        assert state.history.undo_text == "change a join"
        # a ring around the post runs through the beam on it
        through = kind == "band" and state.plan.joins[0].follows == "axis"
        assert bool(state.evaluated.outcome.joins[join.id].problem) is (kind in ("lap", "splint") or through)
    halves.click(panel.remove)
    settled(halves)
    assert state.plan.joins == ()
    halves.undo()
    settled(halves)
    assert len(state.plan.joins) == 1


def test_all_kinds_of_the_core_are_on_the_desk():
    assert set(ON_DESK) == set(JOINS)
    assert {KeyJoin, LooseKeyJoin, DowelJoin, GlueJoin} <= set(JOINS.values())


def test_the_room_agrees_with_what_is_made(halves):
    """Where the map says that there is room enough, the join has the wall that the printer needs; beyond it not."""
    state, panel = halves.state, halves.window.panels["Join"].contacts
    halves.click(panel.adds["key"])
    settled(halves)
    room, book = state.joining.room_here, panel.book
    assert book.shown.enough is not None
    rows, columns = np.nonzero(room.enough >= room.reach + 0.3)
    corner = int(np.argmax(rows + columns))
    state.joining.try_place(room.low + room.step * np.array([columns[corner], rows[corner]]))
    state.joining.settle("move a join")
    settled(halves)
    report = state.evaluated.outcome.joins[state.joining.selected]
    assert report.least_wall >= state.printer.least_wall
    halves.click(panel.middle)
    settled(halves)
    assert state.evaluated.outcome.joins[state.joining.selected].least_wall > report.least_wall


def test_what_cannot_be_made_is_said_and_listed_first(halves):
    state, panel = halves.state, halves.window.panels["Join"].contacts
    state.cutting.add((1.0, 0.0, 0.0), 0.0)
    halves.settle()
    assert len(state.joining.contacts) == 4
    halves.click(panel.propose_all)
    settled(halves)
    rows = halves.window.findChildren(ContactRow)
    assert len(rows) == 4
    worst = state.joining.worst_first()[-1]
    state.joining.select_contact(worst)
    join = state.joining.join
    state.joining.change("change a join", height=60.0)
    settled(halves)
    assert state.joining.worst_first()[0] == worst
    assert "Not made." in words(panel)
    assert "not made" in words(panel)
    # the first row opens another contact by keyboard
    halves.key(Qt.Key.Key_Return, widget=halves.window.findChildren(ContactRow)[-1])
    assert state.joining.contact != worst
    # a cut that is switched off leaves its joins without a contact: they are listed, and can be removed
    lost = [one.id for one in state.plan.joins if one.cut == join.cut]
    state.cutting.change_one("switch a cut off", join.cut, on=False)
    settled(halves)
    assert {one.id for one in state.joining.homeless} == set(lost)
    assert "without a contact" in words(panel)
    state.joining.remove(lost)
    settled(halves)
    assert state.joining.homeless == []


def test_values_that_make_no_sense_change_nothing(halves):
    state, panel = halves.state, halves.window.panels["Join"].contacts
    halves.click(panel.adds["key"])
    settled(halves)
    plan = state.plan
    state.joining.change("change a join", width=-3.0)
    assert state.plan == plan
    assert "cannot have these values" in halves.window.notice.text
    state.joining.try_change(width=-3.0)
    assert state.draft is None
    state.joining.propose()
    settled(halves)
    assert state.plan == plan
    assert "already has a join" in halves.window.notice.text


def test_a_coupon_is_written_and_what_fitted_is_kept(halves, tmp_path, monkeypatch):
    state, panel = halves.state, halves.window.panels["Join"].coupon
    target = tmp_path / "coupon.3mf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    halves.click(halves.window.panels["Join"].tabs["Coupon"])
    halves.type(panel.count, "3")
    halves.click(panel.write)
    halves.qtbot.waitUntil(target.exists, timeout=PATIENCE)
    settled(halves)
    assert trimesh.load(target, force="mesh").is_watertight
    assert "enter which clearance fitted best" in halves.window.notice.text
    assert "not tried yet" in words(panel)
    halves.type(panel.best, "0.2")
    panel.material.setText("PETG")
    halves.click(panel.keep)
    settled(halves)
    assert state.printer.clearance == 0.2
    assert "PETG" in words(panel)
    assert state.settings.printer.clearance == 0.2
    halves.undo()
    settled(halves)
    assert state.printer.clearance == 0.2  # new projects keep it; this one has none of its own again
