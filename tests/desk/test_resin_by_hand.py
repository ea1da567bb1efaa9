"""The whole of Check by mouse and keys: a puppet is lifted, hollowed, vented, plugged, put on posts and handed off."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_slab.core.printers.profile import shipped_printers
from tests.desk.conftest import PATIENCE, words
from tests.shapes import light_model


def test_a_resin_figure_with_nothing_red(desk, tmp_path, monkeypatch):
    desk.open(light_model("puppet", tmp_path, 30_000))
    state, window = desk.state, desk.window
    state.choose_printer(shipped_printers()["small-resin"].changed(layer_heights=(0.1,)))
    state.do_plan("lift", state.plan.changed(lift=5.0))
    desk.settle()
    desk.go(5)
    panel = window.panels["Check"]

    def made():
        desk.settle()
        desk.qtbot.waitUntil(lambda: state.up_to_date and bool(state.checking.found), timeout=PATIENCE)
        desk.settle()

    made()
    assert any(line.verdict == "failed" for line in panel.checked.lines)
    whole = state.pieces[0].solid.volume
    desk.click(panel.tabs["Hollow"])
    desk.click(panel.hollow.make)
    made()
    desk.click(panel.hollow.propose)
    desk.qtbot.waitUntil(lambda: bool(panel.hollow.rows), timeout=PATIENCE)
    made()
    plugs = panel.hollow.plugs
    panel.hollow.ensureWidgetVisible(plugs)
    QTest.mouseClick(plugs, Qt.MouseButton.LeftButton, pos=QPoint(8, plugs.height() // 2))
    made()
    assert len(state.pieces) == 1 + len(panel.hollow.rows)
    state.select_piece(0)
    desk.click(panel.tabs["Posts"])
    desk.click(panel.posts.propose)
    desk.qtbot.waitUntil(lambda: bool(state.plan.posts), timeout=PATIENCE)
    made()
    desk.click(panel.tabs["Checked"])
    made()
    assert [line.what for line in panel.checked.lines if line.verdict == "failed"] == []
    assert "0 failed" in words(panel.checked)
    assert state.pieces[0].solid.volume < 0.75 * whole
    desk.go(6)
    folder = tmp_path / "out"
    folder.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    desk.click(window.panels["Hand off"].stl)
    count = len(state.pieces)
    desk.qtbot.waitUntil(lambda: len(list(folder.glob("*.stl"))) == count, timeout=PATIENCE)
    desk.settle()
    meshes = [trimesh.load(path) for path in sorted(folder.glob("*.stl"))]
    assert all(mesh.is_watertight for mesh in meshes)
    assert np.array([mesh.bounds[0, 2] for mesh in meshes]) == pytest.approx(0.0, abs=1e-4)
    assert meshes[0].body_count == 1
