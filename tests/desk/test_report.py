"""What is put together when something went wrong: seen before anybody gets it."""

from __future__ import annotations

import json
import logging
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_slab import __version__, logbook
from deft_slab.core.cuts import StraightCut
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.desk.dialogs.trouble_report import ReportDialog
from deft_slab.desk.window.title_strip import TitleStrip
from tests.desk.conftest import words
from tests.shapes import box, solid_of


@pytest.fixture
def opened(desk, tmp_path):
    write_solid(solid_of(box(40, 30, 60)), "Secret idol", tmp_path / "Secret idol.stl", replace=False)
    desk.open(tmp_path / "Secret idol.stl")
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=20)
    desk.state.do_plan("cut", desk.state.plan.with_cut(cut))
    desk.settle()
    return desk


def test_it_is_in_the_menu_and_has_what_helps(opened, monkeypatch):
    shown = []
    monkeypatch.setattr(ReportDialog, "exec", lambda dialog: shown.append(dialog) or 0)
    strip = opened.window.findChild(TitleStrip)
    next(one for one in strip.help_menu.actions() if one.text() == "Report …").trigger()
    text = shown[0].text.toPlainText()
    assert f"deft-slab {__version__}" in text
    assert "figures depend on: " in text
    assert '"offset": 20.0' in text
    assert "Secret" not in text
    assert str(Path.home()) not in text


def test_the_log_stands_in_it_without_names_or_the_users_folder(opened):
    logbook.begin()
    logging.getLogger("deft_slab.test").error("could not read %s", Path.home() / "models" / "Secret idol.stl")
    text = ReportDialog(opened.state, opened.window).text.toPlainText()
    assert "could not read ~/models/" in text
    assert "Secret idol" not in text
    assert "the model.stl" in text


def test_plan_and_names_are_left_out_or_put_in(opened):
    dialog = ReportDialog(opened.state, opened.window)
    dialog.names.setChecked(True)
    assert "Secret idol" in dialog.text.toPlainText()
    assert opened.state.printer.name in dialog.text.toPlainText()
    plan = dialog.text.toPlainText().split("== Plan, without the model\n")[1]
    assert json.loads(plan)["plan"]["recipe"][0]["offset"] == 20.0
    dialog.plan.setChecked(False)
    assert "Plan" not in dialog.text.toPlainText()


def test_it_is_copied_and_saved_as_it_stands(opened, tmp_path, monkeypatch):
    dialog = ReportDialog(opened.state, opened.window)
    dialog.text.setPlainText("what I want to say")
    QTest.mouseClick(dialog.copy, Qt.MouseButton.LeftButton)
    assert QGuiApplication.clipboard().text() == "what I want to say"
    path = tmp_path / "report.txt"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    QTest.mouseClick(dialog.save, Qt.MouseButton.LeftButton)
    assert path.read_text() == "what I want to say"
    assert "Saved as report.txt" in words(dialog)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "none" / "report.txt"), ""))
    QTest.mouseClick(dialog.save, Qt.MouseButton.LeftButton)
    assert not (tmp_path / "none").exists()
    assert "Saved" not in words(dialog)


def test_without_anything_open(desk):
    text = ReportDialog(desk.state, desk.window).text.toPlainText()
    assert "== Versions" in text
    assert "Plan" not in text
