"""A first job, led through by mouse and keys: from a file to written beds, left and taken up again."""

from __future__ import annotations

import json

import pytest
import trimesh
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton

from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.desk.guide.card import GuideCard
from deft_slab.desk.refresh import batching
from deft_slab.desk.storage.settings import load_settings
from tests.desk.conftest import PATIENCE, words
from tests.shapes import box, joined, light_model, solid_of, write_bodies


class Led:
    """The guide, as a person uses it. clicks : so many were needed"""

    def __init__(self, desk):
        self.desk, self.card, self.clicks = desk, desk.window.frame.guide, 0

    def says(self, text):
        self.desk.qtbot.waitUntil(lambda: text in words(self.card) and self.card.isVisible(), timeout=PATIENCE)

    def take(self, does):
        """Waits until something is proposed that is called so, and clicks it."""
        card = self.card
        self.desk.qtbot.waitUntil(lambda: card.take.isVisible() and card.take.text() == does, timeout=PATIENCE)
        QTest.mouseClick(card.take, Qt.MouseButton.LeftButton)
        self.clicks += 1


@pytest.fixture
def led(desk):
    return Led(desk)


def begin(led):
    made = next(one for one in led.desk.window.frame.begin.findChildren(QPushButton) if one.text() == "First job")
    QTest.mouseClick(made, Qt.MouseButton.LeftButton)
    led.clicks += 1


def files(monkeypatch, *, opens, folder=""):
    """What the dialogs for files answer."""
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(opens), ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))


def test_from_a_file_to_written_beds_in_ten_clicks(led, tmp_path, monkeypatch):
    """The two file dialogs take a click each beside these. Refreshes are spread as far as they can be."""
    monkeypatch.setattr(batching, "TURN", 0.0)
    desk, out = led.desk, tmp_path / "out"
    out.mkdir()
    files(monkeypatch, opens=light_model("hook", tmp_path), folder=out)
    begin(led)
    led.says("First job, 1 of 7: Open")
    led.take("Open …")
    led.says("First job, 2 of 7: Size")
    led.take("Keep this size")
    led.says("best by what matters here")
    led.take("Seat it this way")
    led.says("this one needs the least support")
    led.take("Cut it this way")
    led.says("First job, 5 of 7: Join")
    assert len(desk.state.pieces) > 1
    led.take("Propose joins")
    led.says("First job, 6 of 7: Check")
    assert all(desk.state.joining.joins_of(n) for n in range(len(desk.state.joining.contacts)))
    led.take("Continue")
    led.says("First job, 7 of 7: Hand off")
    led.take("Write the beds …")
    led.says("That was a whole job")
    assert led.clicks + 2 <= 10
    assert json.loads((out / "job.json").read_text("utf-8"))["job"]["beds"] == len(list(out.glob("bed-*.3mf")))
    beds = [trimesh.load(path) for path in out.glob("bed-*.3mf")]
    assert all(one.is_watertight for bed in beds for one in bed.geometry.values())
    assert (out / "sheet.pdf").exists()
    led.take("Done")
    desk.qtbot.waitUntil(lambda: not led.card.isVisible(), timeout=PATIENCE)


def test_it_is_left_and_taken_up_where_one_is_then(led, tmp_path):
    desk = led.desk
    write_solid(solid_of(box(30, 30, 20)), "Block", tmp_path / "Block.stl", replace=False)
    begin(led)
    desk.open(tmp_path / "Block.stl")
    led.says("2 of 7: Size")
    desk.qtbot.waitUntil(lambda: load_settings().guide, timeout=PATIENCE)
    QTest.mouseClick(led.card.leave, Qt.MouseButton.LeftButton)
    assert not led.card.isVisible()
    desk.qtbot.waitUntil(lambda: not load_settings().guide, timeout=PATIENCE)
    desk.go(4)
    desk.window._actions["first_job"].trigger()
    led.says("5 of 7: Join")
    assert "The model is one piece, so there is nothing to join." in words(led.card)
    desk.go(2)
    led.says("3 of 7: Tilt")
    # by keys: the button is reached by Tab and pressed by Space
    desk.qtbot.waitUntil(lambda: led.card.take.isVisible(), timeout=PATIENCE)
    led.card.take.setFocus()
    QTest.keyClick(led.card.take, Qt.Key.Key_Space)
    led.says("4 of 7: Cut")


def test_a_unit_that_is_not_stated_is_asked_first(led, tmp_path):
    box(30, 30, 20).export(tmp_path / "Plain.stl")
    begin(led)
    led.desk.open(tmp_path / "Plain.stl")
    led.says("The file does not state its unit. In mm the model is 30 × 30 × 20 mm")
    led.take("Keep this size")
    led.says("It fits the")
    assert not led.desk.state.sizing.asking_unit


def test_going_on_without(led, tmp_path):
    """What is proposed need not be taken; the plan stays as it is."""
    desk = led.desk
    write_solid(solid_of(box(30, 30, 20)), "Block", tmp_path / "Block.stl", replace=False)
    begin(led)
    desk.open(tmp_path / "Block.stl")
    plan = desk.state.plan
    desk.go(3)
    desk.qtbot.waitUntil(
        lambda: "Leave it uncut" in (led.card.take.text(), led.card.otherwise.text()), timeout=PATIENCE
    )
    whole = led.card.otherwise if led.card.otherwise.isVisible() else led.card.take
    QTest.mouseClick(whole, Qt.MouseButton.LeftButton)
    led.says("5 of 7: Join")
    assert desk.state.plan == plan


def test_islands_of_resin_get_posts(led, tmp_path):
    """An arm that hangs down beside a column: posts are proposed, and then there is nothing more to put right."""
    desk = led.desk
    solid = joined(box(10, 10, 40), box(30, 10, 6, at=(0, 0, 30)), box(6, 10, 16, at=(24, 0, 15)))
    write_solid(solid, "Hanging arm", tmp_path / "arm.stl", replace=False)
    desk.open(tmp_path / "arm.stl")
    desk.state.choose_printer(shipped_printers()["small-resin"])
    desk.settle()
    desk.go(5)
    desk.window._actions["first_job"].trigger()
    led.says("has islands that nothing holds")
    led.take("Add posts")
    led.says("6 of 7: Check")
    desk.qtbot.waitUntil(lambda: led.card.take.isVisible() and led.card.take.text() == "Continue", timeout=PATIENCE)
    assert desk.state.plan.posts


def test_what_fails_leaves_it_where_it_is(led, tmp_path):
    """A surface with a hole cannot be parted: that is said, with what to do."""
    mesh = box(30, 30, 20)
    mesh.update_faces([n > 3 for n in range(len(mesh.faces))])
    mesh.export(tmp_path / "Open.ply")
    begin(led)
    led.desk.open(tmp_path / "Open.ply")
    led.desk.undo()  # it was mended when it was opened
    led.desk.settle()
    led.desk.go(3)
    led.says("Close it in Size")
    assert led.card.take.text() == "Leave it uncut"


def test_its_buttons_are_as_wide_as_their_words_from_the_start(led):
    """A card is made before the window has its style."""
    led.desk.window.verbs.lead()
    card = GuideCard(led.desk.window.verbs.guide)
    unstyled = card.take.width()
    card.setParent(led.desk.window)
    assert card.take.width() == card.take.sizeHint().width() != unstyled


def test_bodies_that_do_not_touch_become_pieces_and_supports_are_left_out(led, tmp_path, monkeypatch):
    """What sits flat, fits and needs no support is not parted; the beds that are written hold two pieces."""
    bodies = {"Base": box(40, 40, 10), "Lid": box(40, 40, 6, at=(60, 0, 0)), "Supports": box(2, 2, 90, at=(50, 0, 0))}
    files(monkeypatch, opens=write_bodies(tmp_path / "Tin.3mf", bodies), folder=tmp_path)
    begin(led)
    led.take("Open …")
    led.says("Separate pieces: “Base”, “Lid”. Left out, because they do not seem to belong to the prop: “Supports”.")
    led.take("Use this proposal")
    led.says("It fits the")
    assert [piece.name for piece in led.desk.state.pieces] == ["Base", "Lid"]
    led.take("Keep this size")
    led.take("Seat all pieces")
    led.says("so a cut would gain nothing")
    led.take("Leave it uncut")
    led.take("Continue")
    led.take("Continue")
    led.take("Write the beds …")
    led.says("That was a whole job")
    bed = trimesh.load(tmp_path / "bed-1.3mf")
    volumes = sorted(round(mesh.volume) for mesh in bed.geometry.values())
    assert volumes == [40 * 40 * 6, 40 * 40 * 10]


def test_stray_specks_are_left_out_or_kept(led, tmp_path, monkeypatch):
    specks = [box(1, 1, 1, at=(10 * n, 50, 0)) for n in range(3)]
    path = tmp_path / "Scan.ply"
    trimesh.util.concatenate([box(40, 40, 10), *specks]).export(path)
    files(monkeypatch, opens=path)
    desk = led.desk
    begin(led)
    led.take("Open …")
    led.take("Keep this size")
    led.says("The file contains 3 stray specks, up to 1 mm across")
    QTest.mouseClick(led.card.otherwise, Qt.MouseButton.LeftButton)
    led.says("It fits the")
    assert desk.state.evaluated.outcome.report.specks == 3
    desk.open(path)
    led.take("Keep this size")
    led.take("Leave out")
    led.says("The model is 40 × 40 × 10 mm. It fits the")
    assert desk.state.evaluated.outcome.report.specks == 0


def test_what_is_too_large_is_led_to_more_pieces_and_its_beds_are_not_written(led, tmp_path, monkeypatch):
    """A beam that takes four pieces of this printer, where three are looked for."""
    files(monkeypatch, opens=write_bodies(tmp_path / "Beam.3mf", {"Beam": box(30, 20, 1300)}))
    desk = led.desk
    begin(led)
    led.take("Open …")
    led.take("Keep this size")
    led.says("In one piece the model does not fit the Middle filament bed in any seat.")
    led.take("Keep the present seat")
    desk.go(6)
    led.says("“Beam” does not fit its printer")
    led.take("Cut it")
    led.says("4 of 7: Cut")
    led.says("It takes at least 4 pieces to fit the printer, but the search allows only 3.")
    led.take("Allow up to 6 pieces")
    assert desk.state.ways.wishes.must_fit
    led.take("Cut it this way")
    led.says("5 of 7: Join")
    assert all(piece.fit.fits for piece in desk.state.pieces)
    assert len(desk.state.pieces) >= 4
