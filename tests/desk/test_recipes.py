"""Own things kept: recipes used on another model, presets; all by mouse and keys."""

from __future__ import annotations

import json

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QInputDialog

from deft_slab.core.cuts import StraightCut
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.joins import DowelJoin, KeyJoin
from deft_slab.core.plan.recipe import read_recipe
from deft_slab.desk.dialogs.materials import MaterialsDialog
from deft_slab.desk.dialogs.recipes import RecipesDialog
from deft_slab.desk.storage.presets import shelf
from tests.desk.conftest import PATIENCE, words
from tests.shapes import box, solid_of


def opened(desk, tmp_path, name, size):
    path = tmp_path / f"{name}.stl"
    write_solid(solid_of(box(*size)), name, path, replace=False)
    desk.open(path)


@pytest.fixture
def parted(desk, tmp_path):
    """A block of 40 x 30 x 60 mm, cut at the waist, with a key and a rod."""
    opened(desk, tmp_path, "Small block", (40, 30, 60))
    plan = desk.state.plan.with_cut(StraightCut(id="c1", name="Waist", normal=(0, 0, 1), offset=30))
    plan = plan.changed(joins=(
        KeyJoin(id="j1", cut="c1", between=(-1, 1), at=(12, 15, 30), width=8, height=6),
        DowelJoin(id="j2", cut="c1", between=(-1, 1), at=(28, 15, 30), diameter=4),
    ))
    desk.state.do_plan("part it", plan)
    desk.settle()
    return desk


@pytest.fixture
def recipes(desk):
    """The dialog, as the window opens it, but not waited for."""
    made = []

    def show():
        dialog = RecipesDialog(desk.state, desk.window)
        dialog.show()
        made.append(dialog)
        return dialog

    yield show
    for dialog in made:
        dialog.close()


def kept(desk, dialog, name):
    QTest.keyClicks(dialog.fresh, name)
    desk.click(dialog.keep)
    desk.qtbot.waitUntil(lambda: dialog.list.count() == 1, timeout=PATIENCE)


def test_kept_and_used_on_a_larger_model(parted, recipes, tmp_path):
    """The cut is twice as high and the key twice as wide, the rod is what it was; one undo takes all of it back."""
    dialog = recipes()
    kept(parted, dialog, "Waist with key")
    assert "1 cut, 2 joins. It was made for a model of 40 × 30 × 60 mm." in words(dialog)
    dialog.close()
    opened(parted, tmp_path, "Large block", (80, 60, 120))
    dialog = recipes()
    assert "It is scaled to 200.0 %." in words(dialog)
    parted.click(dialog.use)
    parted.qtbot.waitUntil(lambda: "The whole recipe fits." in words(dialog), timeout=PATIENCE)
    parted.settle()
    plan = parted.state.plan
    assert plan.recipe[0].offset == pytest.approx(60)
    assert plan.joins[0].width == pytest.approx(16)
    assert plan.joins[1].diameter == 4
    assert len(parted.state.pieces) == 2
    parted.undo()
    assert parted.state.plan.recipe == ()


def test_using_it_can_be_stopped(parted, recipes, tmp_path):
    dialog = recipes()
    kept(parted, dialog, "Waist")
    dialog.close()
    opened(parted, tmp_path, "Large block", (80, 60, 120))
    dialog, before = recipes(), parted.state.plan
    parted.click(dialog.use)
    assert dialog.use.text() == "Stop"
    parted.click(dialog.use)
    assert dialog.use.text() == "Use it"
    assert "Nothing was changed" in words(dialog)
    parted.settle()
    assert parted.state.plan == before


def test_what_does_not_fit_is_listed(parted, recipes, tmp_path):
    dialog = recipes()
    kept(parted, dialog, "Waist")
    dialog.close()
    opened(parted, tmp_path, "Plate", (40, 30, 4))
    dialog = recipes()
    dialog.scaling.setCurrentIndex(2)
    dialog.scaling.activated.emit(2)
    parted.click(dialog.use)
    parted.qtbot.waitUntil(lambda: "do not fit" in words(dialog), timeout=PATIENCE)
    assert "“Waist” passes beside the model." in dialog.misfits.text()
    assert "Key j1 is not made" in dialog.misfits.text()


def test_renamed_given_taken_in_and_removed(parted, recipes, tmp_path, monkeypatch):
    dialog = recipes()
    assert "There is no recipe yet" in words(dialog)
    assert not dialog.use.isEnabled()
    kept(parted, dialog, "Waist")
    dialog.name.selectAll()
    QTest.keyClicks(dialog.name, "Hip")
    QTest.keyClick(dialog.name, Qt.Key.Key_Return)
    assert dialog.list.item(0).text() == "Hip"
    path = tmp_path / "hip.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    parted.click(dialog.give)
    assert read_recipe(path.read_bytes()).name == "Hip"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    dialog._import()
    assert [dialog.list.item(n).text() for n in range(2)] == ["Hip", "Hip 2"]
    path.write_text("{}")
    dialog._import()
    assert dialog.list.count() == 2
    assert "This recipe cannot be read" in words(dialog)
    parted.click(dialog.delete)
    assert dialog.list.count() == 1
    (parted.state.reusing.shelf.folder / "broken.json").write_text("no")
    assert "Could not be read and was left unchanged" in words(recipes())


def test_without_a_model_only_the_list_is_there(desk, recipes):
    dialog = recipes()
    assert not dialog.keep.isEnabled()
    assert not dialog.use.isEnabled()


# presets


def menu_of(button):
    button.fill()
    return [action.text() for action in button.presets.actions() if action.text()]


def take(button, name):
    button.fill()
    next(one for one in button.presets.actions() if one.text() == name).trigger()


def test_what_matters_in_a_seat_is_kept_and_taken_again(parted, monkeypatch):
    panel = parted.window.panels["Tilt"].finding
    assert "No presets yet" in menu_of(panel.presets)
    panel.sliders["support"].setValue(73)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("Clean face", True))
    take(panel.presets, "Store the present values …")
    panel.sliders["support"].setValue(5)
    take(panel.presets, "Clean face")
    assert parted.state.seating.weights.support == 73
    take(panel.presets, "Store the present values …")
    assert menu_of(panel.presets)[:2] == ["Clean face", "Clean face 2"]
    shelf("seats").remove("clean-face")
    assert menu_of(panel.presets)[0] == "Clean face 2"


def test_wishes_for_ways_and_measures_of_joins(parted):
    ways, state = parted.window.panels["Cut"].ways, parted.state
    state.ways.wish(pieces=5)
    ways.presets.keep("Five")
    state.ways.wish(pieces=3)
    take(ways.presets, "Five")
    assert state.ways.wishes.pieces == 5
    parted.go(4)
    parted.settle()
    contacts = parted.window.panels["Join"].contacts
    state.joining.select("j1")
    contacts.presets.keep("Wide")
    state.joining.change("change a join", width=5)
    parted.settle()
    take(contacts.presets, "Wide")
    parted.settle()
    key = state.plan.join("j1")
    assert (key.width, key.at) == (8, (12, 15, 30))
    # those of another kind are not offered
    state.joining.select("j2")
    assert menu_of(contacts.presets)[0] == "No presets yet"


def test_a_preset_that_makes_no_sense_is_told(parted):
    panel = parted.window.panels["Tilt"].finding
    panel.presets.keep("Odd")
    path = shelf("seats").folder / "odd.json"
    data = json.loads(path.read_text())
    data["values"]["support"] = -4
    path.write_text(json.dumps(data))
    before = parted.state.seating.weights
    take(panel.presets, "Odd")
    assert parted.state.seating.weights == before
    assert "cannot be used here" in parted.read(parted.window.notice)


def test_a_material_is_kept_for_other_printers(desk):
    taken = []
    printer = desk.state.printer
    dialog = MaterialsDialog(printer, taken.append, may_edit=True, parent=desk.window)
    dialog._add()
    dialog.presets.keep("Grey")
    other = printer.changed(name="Other")
    second = MaterialsDialog(other, taken.append, may_edit=True, parent=desk.window)
    take(second.presets, "Grey")
    assert taken[-1].name == "Other"
    assert [one.name for one in taken[-1].materials] == ["Material 1"]
    shown = MaterialsDialog(other, taken.append, may_edit=False, parent=desk.window)
    take(shown.presets, "Grey")
    assert "Copy it" in words(shown)
