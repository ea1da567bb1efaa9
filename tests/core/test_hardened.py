"""Files, folders and names that are made to do harm: nothing waits for ever, fills the memory, or reaches a table, a
page or a terminal as what it is not.
"""

from __future__ import annotations

import base64
import csv
import io
import json
import os
import signal
import tempfile
import threading
from pathlib import Path

import numpy as np
import pytest
import trimesh

from deft_slab.core.errors import SaveFailed, UnreadableFile
from deft_slab.core.exporting import safe_writing
from deft_slab.core.exporting.csv_tables import as_csv
from deft_slab.core.exporting.safe_writing import write_each
from deft_slab.core.exporting.sheet.blocks import Heading, Points, SheetTable
from deft_slab.core.exporting.sheet.html import as_html
from deft_slab.core.figures import column_kernels
from deft_slab.core.figures.column_field import column_field
from deft_slab.core.importing import limited_process as confining
from deft_slab.core.importing.limited_process import confined
from deft_slab.core.importing.readers import open_file
from deft_slab.core.locale import preferences
from deft_slab.core.locale.text import harmless
from deft_slab.core.plan.plan import Body
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.progress import QUIET
from tests.core.test_commands import answer, call
from tests.shapes import box


def gltf_of(path, buffer="data"):
    """Writes a glTF of a box; buffer : "data", or the name of a file beside it that its corners are in"""
    files = trimesh.Scene({"a": box(20, 20, 20)}).export(file_type="gltf")
    document = json.loads(files["model.gltf"])
    for one in document["buffers"]:
        content = files[one["uri"]]
        one["uri"] = "data:application/octet-stream;base64," + base64.b64encode(content).decode()
    if buffer != "data":
        document["buffers"][-1]["uri"] = buffer
        (path.parent / buffer).write_bytes(content)
    path.write_text(json.dumps(document))


# what may never end


def test_only_plain_files_are_read(tmp_path):
    """A pipe that nobody writes to would be waited for: as a model, beside a glTF, as a recipe and as a profile."""
    pipe = tmp_path / "pipe.stl"
    os.mkfifo(pipe)
    for path in (pipe, Path("/dev/zero"), tmp_path):
        with pytest.raises(UnreadableFile, match="not a regular file"):
            open_file(path)
    gltf_of(tmp_path / "a.gltf", "a.bin")
    assert open_file(tmp_path / "a.gltf").model.solid.volume == pytest.approx(8000)  # m³
    (tmp_path / "a.bin").unlink()
    os.mkfifo(tmp_path / "a.bin")
    with pytest.raises(UnreadableFile, match="not a regular file"):
        open_file(tmp_path / "a.gltf")
    box(20, 20, 20).export(tmp_path / "box.stl")
    assert call("measure", tmp_path / "box.stl", "--printer", pipe).returncode
    assert call("cut", tmp_path / "box.stl", "--recipe", pipe, "--out", tmp_path / "out").returncode
    assert call("send", pipe, "--to", "http://127.0.0.1:9", "--token", "t").returncode


def test_a_reader_that_waits_and_does_no_work_is_ended(tmp_path, monkeypatch):
    """The limit is of work, so that a busy machine refuses nothing, and of time on the clock too."""
    monkeypatch.setattr(confining, "_CLOCK", 0.5)
    path = tmp_path / "a.stl"
    path.write_bytes(b"x")
    with pytest.raises(UnreadableFile, match="could not be read within"):
        confined(lambda: threading.Event().wait(), path, "STL", 1.0, QUIET)


def test_what_a_reader_leaves_goes_with_it(tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path / "aside"))
    (tmp_path / "aside").mkdir()
    path = tmp_path / "a.step"
    path.write_bytes(b"x")

    def dies():
        with tempfile.TemporaryDirectory(prefix="deft-step-") as folder:
            (Path(folder) / "faces.glb").write_bytes(bytes(1000))
            os.kill(os.getpid(), signal.SIGKILL)

    with pytest.raises(UnreadableFile):
        confined(dies, path, "STEP", 60.0, QUIET)
    assert list((tmp_path / "aside").iterdir()) == []


# what may fill the memory


def test_loose_triangles_get_a_coarser_grid():
    """2,000 of them, each a metre across, in a field of two metres: 370 over each place."""
    random = np.random.default_rng(1)
    vertices = random.uniform(-1000, 1000, (6000, 3))
    triangles = np.arange(6000, dtype=np.int32).reshape(-1, 3)
    field = column_field(vertices, triangles, 128)
    assert field.nx < 64
    assert len(field.heights) < 1.1 * column_kernels.MOST_HITS * 128**2
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    shadow = np.abs(np.cross(b - a, c - a)[:, 2]).sum() / 2
    assert len(field.heights) * field.cell**2 == pytest.approx(shadow, rel=0.01)
    for start, end in zip(field.start[:-1], field.start[1:], strict=True):
        assert np.all(np.diff(field.heights[start:end]) >= 0)
    # a usual model has as many cells as were asked for
    ball = trimesh.creation.icosphere(4, 30.0)
    assert column_field(np.asarray(ball.vertices, float), ball.faces.astype(np.int32), 128).nx in (129, 130)


def test_deep_columns_are_sorted_as_shallow_ones(monkeypatch):
    """Merged or inserted, hits come in the same order, those at one height by exit and entry, then as they came."""
    random = np.random.default_rng(2)
    count = 3000
    cells = random.integers(0, 12, count).astype(np.int32)
    heights = random.integers(0, 40, count).astype(float)  # many at one height
    facets = np.where(random.random(count) < 0.5, np.arange(count), -1 - np.arange(count)).astype(np.int32)
    start, sorted_heights, sorted_facets = column_kernels.into_columns(cells, heights, facets, 12)
    assert np.diff(start).min() > column_kernels._DEEP
    for cell in range(12):
        own = np.flatnonzero(cells == cell)
        wanted = sorted(own, key=lambda n: (heights[n], facets[n] < 0))
        assert sorted_heights[start[cell] : start[cell + 1]].tolist() == heights[wanted].tolist()
        assert sorted_facets[start[cell] : start[cell + 1]].tolist() == facets[wanted].tolist()


# what may be taken for something else

NASTY = "=HYPERLINK(\"http://x.example\",\"open\")"


def test_tables_hold_no_formulas():
    rows = [["name", "mm"], [NASTY, "-3.5"], ["+1+1", -2.5], ["@cmd", 7], ["-nose", 0], ["a\r\nb\x1b[2J\u202ec", 1]]
    read = list(csv.reader(io.StringIO(as_csv(rows))))
    assert [row[0] for row in read] == ["name", "'" + NASTY, "'+1+1", "'@cmd", "'-nose", "a  b?[2J?c"]
    assert [row[1] for row in read] == ["mm", "-3.5", "-2.5", "7", "0", "1"]


def test_pages_turn_no_direction():
    blocks = [Heading("a\u202eb<b>"), Points(("c\x07",)), SheetTable(("d",), (("e\u2066",),), (1,))]
    page = as_html(blocks, "f\u202e").decode()
    assert not {"\u202e", "\x07", "\u2066"} & set(page)
    assert "a?b&lt;b&gt;" in page
    assert harmless("Grüße, 手, 👩‍🚀 (ok)") == "Grüße, 手, 👩‍🚀 (ok)"
    assert Body(name="x\u202ey", triangles=1).name == "x?y"


def test_names_of_bodies_reach_a_table_as_texts(tmp_path):
    scene = trimesh.Scene({"=1+1\u202e": box(20, 20, 20), "b": box(20, 20, 20, at=(40, 0, 0))})
    scene.export(tmp_path / "two.glb")
    answer("handoff", tmp_path / "two.glb", "--scale", 0.001, "--out", tmp_path / "out")
    rows = list(csv.reader(io.StringIO((tmp_path / "out/pieces.csv").read_text("utf-8"))))
    assert not any(cell.startswith("=") or "\u202e" in cell for row in rows for cell in row)


# what is said of a full disk, and taken for fresh


def test_a_full_disk_names_what_is_written_already(tmp_path, monkeypatch):
    real = safe_writing.write_whole

    def full(path, content, *, replace=True):
        if path.name == "c":
            raise SaveFailed("“c” could not be saved.", kept="No part of it was written.", remedy="Free some space.")
        real(path, content, replace=replace)

    monkeypatch.setattr(safe_writing, "write_whole", full)
    with pytest.raises(SaveFailed) as told:
        write_each([(tmp_path / name, b"x") for name in "abc"])
    assert str(told.value) == (
        "“c” could not be saved. No part of it was written. “a”, “b” were already written, and stay. Free some space."
    )
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a", "b"]
    with pytest.raises(SaveFailed) as first:
        write_each([(tmp_path / "c", b"x")])
    assert "already written" not in str(first.value)


def test_a_batch_is_done_anew_when_anything_that_it_depends_on_changes(tmp_path, monkeypatch):
    folder, out = tmp_path / "models", tmp_path / "out"
    folder.mkdir()
    gltf_of(folder / "box.gltf", "box.bin")
    own = tmp_path / "own.json"
    own.write_text(default_printer().model_dump_json())
    words = ("batch", folder, "--printer", own, "--out", out, "--", "--quick", "--scale", 0.001)

    def states():
        return [row["state"] for row in json.loads(call(*words[:6], "--json", *words[6:]).stdout)["models"]]

    assert [states(), states()] == [["done"], ["kept"]]
    own.write_text(default_printer().changed(line_width=0.8).model_dump_json())
    assert [states(), states()] == [["done"], ["kept"]]
    content = np.frombuffer((folder / "box.bin").read_bytes(), np.uint8).copy()
    content[-1] ^= 1  # of the last corner, or facet: another model, with the same glTF
    before = (folder / "box.gltf").stat().st_mtime_ns
    (folder / "box.bin").write_bytes(content)
    assert (folder / "box.gltf").stat().st_mtime_ns == before
    assert states() in (["done"], ["failed"])
    gltf_of(folder / "box.gltf", "box.bin")
    assert states() == ["done"]
    next((out / "box").glob("*.stl")).unlink()
    assert [states(), states()] == [["done"], ["kept"]]
    monkeypatch.setenv("DEFT_SLAB_UNITS", "in")
    preferences.forget()
    try:
        assert states() == ["done"]
    finally:
        monkeypatch.undo()
        preferences.forget()
