"""The command line where something is wrong: a sentence, an exit code, and never a traceback."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import trimesh

from deft_slab.core.errors import UnreadableFile
from deft_slab.core.importing.readers import open_file
from deft_slab.core.plan.plan import Body, ModelRef, Plan
from deft_slab.core.plan.project import Project
from deft_slab.demo import MODELS
from deft_slab.logbook import log_path
from tests.core.test_commands import PROGRAM, answer, call


@pytest.fixture
def ball(tmp_path):
    path = tmp_path / "ball.stl"
    trimesh.creation.icosphere(3, 20.0).export(path)
    return path


def sentence(done, code=1):
    """The last line of what was said; no traceback before it."""
    assert done.returncode == code, done.stderr
    assert "Traceback" not in done.stderr
    lines = done.stderr.strip().splitlines()
    assert lines[-1].startswith("deft-slab") or "error: argument" in lines[-1]
    return lines[-1]


@pytest.mark.parametrize("word", ["nan", "inf", "-inf", "1e999"])
def test_numbers_that_are_none(ball, tmp_path, word):
    for arguments in (
        ("measure", ball, "--down", 0, 0, word), ("measure", ball, "--scale", word),
        ("cut", ball, "--straight", 0, word, 1, 0, "--out", tmp_path / "o"), ("sweep", ball, "--normal", word, 0, 0),
        ("tilt", ball, "--theta", word), ("mend", ball, "--out", tmp_path / "m.stl", "--rewrap", word),
    ):
        sentence(call(*arguments), code=2)
    assert not (tmp_path / "o").exists()


def test_too_many_cuts(ball, tmp_path):
    cuts = [word for n in range(201) for word in ("--straight", 0, 0, 1, n / 10)]
    assert "at most 200 cuts" in sentence(call("cut", ball, *cuts, "--out", tmp_path / "o"))


@pytest.mark.parametrize("name", [b"no-\xff-text.stl", b"x" * 300 + b".stl"])
def test_names_that_are_no_text_or_too_long(ball, tmp_path, name):
    """As the program gets them from the system."""
    path = os.path.join(os.fsencode(tmp_path), name)
    if len(name) < 256:
        Path(os.fsdecode(path)).write_bytes(ball.read_bytes())
    done = subprocess.run([PROGRAM, "measure", path, "--json"], capture_output=True, check=False)
    if len(name) < 256:
        assert done.returncode == 0, done.stderr
        assert json.loads(done.stdout)["closed"]
        parted = subprocess.run(
            [PROGRAM, "cut", path, "--straight", "0", "0", "1", "0", "--out", os.path.join(tmp_path, "o")],
            capture_output=True, check=False,
        )
        assert parted.returncode == 0, parted.stderr
        assert len(list((tmp_path / "o").glob("*.stl"))) == 2
    else:
        assert done.returncode == 1
        assert b"Traceback" not in done.stderr
        assert b"File name too long" in done.stderr


def test_a_name_with_nothing_in_it():
    assert "cannot be read" in sentence(call("measure", "a\0b.stl"))
    assert "cannot be read" in sentence(call("measure", ""))


def test_a_folder_that_cannot_be_searched(ball, tmp_path):
    """As root, who may search everything, a file stands in the way instead."""
    way = tmp_path / "way"
    if os.geteuid() == 0:
        way.write_text("a file")
    else:
        way.mkdir(mode=0o000)
    out = way / "pieces"
    said = sentence(call("cut", ball, "--straight", 0, 0, 1, 0, "--out", out))
    assert "cannot be created" in said or "could not be saved" in said
    assert sentence(call("mend", ball, "--out", out / "x.stl"))


def test_coordinates_near_a_billion(tmp_path):
    for size in (0.9e9, 3e9):
        mesh = trimesh.creation.box((size, size, size / 2))
        mesh.export(tmp_path / "huge.obj")
        done = call("measure", tmp_path / "huge.obj", "--json")
        assert "Traceback" not in done.stderr
        assert done.returncode in (0, 1)
        assert done.returncode == 0 or "deft-slab:" in done.stderr
    mesh.apply_scale(1e3)
    mesh.export(tmp_path / "huger.obj")
    assert "beyond a billion" in sentence(call("measure", tmp_path / "huger.obj"))


def test_ctrl_c_is_a_sentence(tmp_path):
    done = subprocess.Popen(
        [PROGRAM, "propose", MODELS["lantern"], "--pieces", "3"], stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )
    time.sleep(1.5)
    done.send_signal(signal.SIGINT)
    _, said = done.communicate(timeout=120)
    assert done.returncode == 130
    assert said.decode().strip().splitlines() == ["deft-slab: Stopped."]


def test_a_closed_pipe_is_no_fault(ball):
    done = subprocess.run(
        f"{PROGRAM} measure {ball} --json | head -c 5", shell=True, capture_output=True, check=False,
        executable="/bin/bash",
    )
    assert done.stderr == b""


def test_what_nobody_foresaw_is_logged_and_the_log_is_named(ball, monkeypatch):
    from deft_slab.commands import measure

    def broken(_):
        raise RuntimeError("a screw is loose")

    monkeypatch.setattr(measure, "run", broken)
    said = sentence(call("measure", ball))
    assert "a screw is loose" in said
    assert str(log_path()) in said
    assert "RuntimeError: a screw is loose" in log_path().read_text()
    assert "Traceback" in log_path().read_text()


@pytest.mark.parametrize("kind", ["obj", "ply", "off", "glb", "gltf", "stl"])
def test_damaged_files_say_one_sentence(tmp_path, kind):
    """In a process of its own, where whatever a reader prints would be seen."""
    path = tmp_path / f"half.{kind}"
    scene = trimesh.creation.icosphere(2, 20.0)
    content = trimesh.Scene(scene).export(file_type="gltf")["model.gltf"] if kind == "gltf" else None
    content = content or scene.export(file_type=kind)
    content = content if isinstance(content, bytes) else content.encode()
    path.write_bytes(content.replace(b"f ", b"f 99999 ", 1) if kind == "obj" else content[: len(content) * 2 // 3])
    done = subprocess.run([PROGRAM, "measure", path], capture_output=True, encoding="utf-8", check=False)
    assert done.returncode in (1, 3)
    (line,) = done.stderr.strip().splitlines()
    assert line.startswith("deft-slab: ")


def test_a_file_that_was_cut_short_is_measured_and_said(ball):
    whole = answer("measure", ball)
    assert whole["complete"] is True
    content = ball.read_bytes()
    ball.write_bytes(content[: 84 + 50 * 500])
    done = call("measure", ball, "--json")
    assert done.returncode == 3
    assert "is incomplete" in done.stderr
    found = json.loads(done.stdout)
    assert found["complete"] is False
    assert found["triangles"] == 500
    assert call("tilt", ball, "--json").returncode == 3


def test_walls_of_an_open_sheet_are_valid_json(tmp_path):
    sheet = trimesh.creation.box((20, 20, 1))
    sheet.update_faces(sheet.face_normals[:, 2] > 0.5)
    sheet.export(tmp_path / "sheet.stl")
    done = call("measure", tmp_path / "sheet.stl", "--wall", 1, "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout, parse_constant=lambda word: pytest.fail(word))
    assert found["thinnest_wall_mm"] is None


def test_files_are_replaced_only_when_that_is_said(ball, tmp_path):
    out = tmp_path / "o"
    level = ("--straight", 0, 0, 1, 0)
    answer("cut", ball, *level, "--out", out)
    before = {path.name: path.read_bytes() for path in out.iterdir()}
    assert "there already" in sentence(call("cut", ball, *level, "--out", out)).replace("already", "there already")
    (out / "pieces.3mf").unlink()
    assert "stl" in sentence(call("cut", ball, "--straight", 0, 0, 1, 5, "--out", out))
    assert {path.name: path.read_bytes() for path in out.iterdir()} == {
        name: content for name, content in before.items() if name != "pieces.3mf"
    }
    assert call("cut", ball, "--straight", 0, 0, 1, 5, "--out", out, "--replace").returncode == 0
    assert (out / "1-upper-ball.stl").read_bytes() != before["1-upper-ball.stl"]
    mended = tmp_path / "mended.stl"
    mended.write_bytes(b"mine")
    sentence(call("mend", ball, "--out", mended))
    assert mended.read_bytes() == b"mine"
    assert call("mend", ball, "--out", mended, "--replace").returncode == 0


def test_a_project_whose_bodies_do_not_add_up(tmp_path):
    from deft_slab.core.evaluate.evaluator import Evaluator
    from deft_slab.core.exporting.piece_files import write_project
    from deft_slab.core.printers.profile import default_printer
    from tests.shapes import model_of, sphere

    model = model_of(sphere(20, 2))
    plan = Plan(model=model.ref)
    pieces = Evaluator(model).evaluate(plan, default_printer()).pieces
    wrong = ModelRef(**{**model.ref.model_dump(), "bodies": (Body(name="Half", triangles=7),)})
    project = Project(title="Wrong", plan=plan.changed(model=wrong))
    write_project(project, model, pieces, default_printer(), tmp_path / "wrong.3mf")
    with pytest.raises(UnreadableFile, match="bodies of 7 triangles"):
        open_file(tmp_path / "wrong.3mf")
    assert "bodies of 7 triangles" in sentence(call("measure", tmp_path / "wrong.3mf"))


def test_figures_of_a_program_that_prints_are_numbers_or_none(ball):
    found = answer("measure", ball, "--wall", 2)
    assert all(np.isfinite(value) for value in found.values() if isinstance(value, float))
    assert sys.getdefaultencoding() == "utf-8"
