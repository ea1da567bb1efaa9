"""Many props by one command: all of a folder, those that fail told, those that are done left alone."""

from __future__ import annotations

import csv
import io
import json
import os

import pytest
import trimesh

from deft_slab.core.printers.profile import default_printer
from tests.core.test_commands import answer, call
from tests.shapes import box


@pytest.fixture
def models(tmp_path):
    folder = tmp_path / "models"
    folder.mkdir()
    box(40, 30, 20).export(folder / "Low block.stl")
    box(30, 30, 60).export(folder / "tower.stl")
    box(30, 30, 60).export(folder / "tower.ply")
    (folder / "broken.stl").write_bytes(b"this is no model at all")
    (folder / "notes.txt").write_text("not a model")
    return folder


def rows_of(found):
    return {row["file"]: row for row in found["models"]}


def test_all_of_a_folder(models, tmp_path):
    """One fails and is told; the others are written, and listed with what they take; exit code 1."""
    out = tmp_path / "out"
    done = call("batch", models, "--out", out, "--json", "--", "--pieces", "stl", "--copies", 2)
    assert done.returncode == 1, done.stderr
    found = json.loads(done.stdout)
    assert (found["done"], found["failed"], found["kept"]) == (3, 1, 0)
    rows = rows_of(found)
    assert set(rows) == {"Low block.stl", "tower.stl", "tower.ply", "broken.stl"}
    assert rows["broken.stl"]["state"] == "failed"
    assert rows["broken.stl"]["problem"]
    assert rows["tower.stl"]["folder"] == "tower-stl"
    block = rows["Low block.stl"]
    assert (block["folder"], block["pieces"], block["beds"]) == ("low-block", 2, 1)
    read = trimesh.load(next((out / "low-block").glob("*.stl")))
    assert read.volume == pytest.approx(40 * 30 * 20)
    listed = json.loads((out / "low-block/job.json").read_text("utf-8"))
    assert block["hours"] == pytest.approx(listed["job"]["hours"])
    table = list(csv.DictReader(io.StringIO((out / "report.csv").read_text("utf-8"))))
    assert [row["file"] for row in table] == sorted(rows)
    page = (out / "report.html").read_text("utf-8")
    for name in rows:
        assert name in page
    assert "Failed" in page
    assert not [path for path in out.rglob("*") if path.name.startswith(".")]
    # what is done is left alone; what failed is tried again, and what has changed is done anew
    before = {path: path.stat().st_mtime_ns for path in out.rglob("*.3mf")}
    box(40, 30, 25).export(models / "Low block.stl")
    (models / "broken.stl").unlink()
    again = json.loads(call("batch", models, "--out", out, "--json", "--", "--pieces", "stl", "--copies", 2).stdout)
    assert {row["file"]: row["state"] for row in again["models"]} == {
        "Low block.stl": "done", "tower.stl": "kept", "tower.ply": "kept",
    }
    assert rows_of(again)["tower.stl"]["hours"] == rows["tower.stl"]["hours"]
    after = {path: path.stat().st_mtime_ns for path in out.rglob("*.3mf")}
    changed = {path.parent.name for path in after if after[path] != before[path]}
    assert changed == {"low-block"}
    # with other options all are done anew
    other = answer("batch", models, "--out", out)
    assert {row["state"] for row in other["models"]} == {"done"}


def test_parted_by_what_is_proposed_or_by_a_recipe(tmp_path):
    folder, out = tmp_path / "models", tmp_path / "out"
    folder.mkdir()
    box(60, 30, 100).export(folder / "tall.stl")
    low = tmp_path / "low.json"
    low.write_text(default_printer().changed(height=60.0, name="Low").model_dump_json())
    found = answer("batch", folder, "--propose", 2, "--printer", low, "--out", out)
    assert found["models"][0]["pieces"] == 2
    recipe = out / "tall/recipe.json"
    assert json.loads(recipe.read_text())["cuts"]
    by_hand = answer("batch", folder, "--recipe", recipe, "--printer", low, "--out", tmp_path / "other")
    assert by_hand["models"][0]["hours"] == pytest.approx(found["models"][0]["hours"])


def test_parts_for_machines_that_share_a_folder(models, tmp_path):
    """Each takes every Nth; all together take each once, and a last call makes the report of what is there."""
    (models / "broken.stl").unlink()
    out = tmp_path / "out"
    taken = []
    for part in (1, 2):
        found = answer("batch", models, "--out", out, "--part", f"{part}/2")
        assert found["report"] is None
        taken += [row["file"] for row in found["models"]]
    assert sorted(taken) == ["Low block.stl", "tower.ply", "tower.stl"]
    assert not (out / "report.html").exists()
    assert answer("batch", models, "--out", out)["kept"] == 3
    assert (out / "report.html").exists()


@pytest.mark.parametrize("wrong", [("--part", "3/2"), ("--part", "x"), ("--propose", "1"), ("--jobs", "0")])
def test_what_makes_no_sense_is_refused(models, tmp_path, wrong):
    done = call("batch", models, "--out", tmp_path / "out", *wrong)
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert not (tmp_path / "out").exists()


def test_an_empty_folder_and_one_that_is_none(tmp_path):
    for folder in (tmp_path, tmp_path / "none"):
        done = call("batch", folder, "--out", tmp_path / "out")
        assert done.returncode == 1
    assert not (tmp_path / "out").exists()


def test_a_folder_that_cannot_be_written(models, tmp_path):
    """Each of them says so; where everything may be written, as for root, there is nothing to see."""
    out = tmp_path / "out"
    out.mkdir(mode=0o500)
    if os.access(out, os.W_OK):
        pytest.skip("everything may be written here")
    done = call("batch", models, "--out", out)
    assert done.returncode == 1
