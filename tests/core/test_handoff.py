"""Pieces out: seated, in mm, not overlapping, read back by others; files that stay whole."""

from __future__ import annotations

import os
import stat
import subprocess
import sys

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import MultiPoint, box

from deft_slab.core.cuts import BodiesCut, StraightCut
from deft_slab.core.errors import Cancelled, SaveFailed
from deft_slab.core.evaluate.evaluator import evaluate
from deft_slab.core.exporting.beds import lay_out
from deft_slab.core.exporting.equal_pieces import each_once
from deft_slab.core.exporting.piece_files import write_3mf, write_project, write_stls
from deft_slab.core.exporting.safe_writing import write_whole
from deft_slab.core.importing.readers import open_file
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Choice, Project
from deft_slab.core.progress import Job
from tests.shapes import model_of, sphere, together


@pytest.fixture(scope="module")
def parted(printer):
    model = model_of(sphere(45.0, 4), "Float ball")
    recipe = (
        StraightCut(id="c1", name="Level", normal=(0, 0, 1), offset=5.0),
        StraightCut(id="c2", name="Upright", normal=(1, 0, 0), offset=0.0),
    )
    plan = Plan(model=model.ref, recipe=recipe)
    return model, plan, evaluate(model, plan, printer)


def test_each_piece_as_stl(parted, tmp_path):
    _, _, outcome = parted
    written = write_stls(outcome.pieces, tmp_path / "new" / "folder")
    assert [item.path.name for item in written] == [
        "1-upper-right-ball.stl", "2-upper-left-ball.stl", "3-lower-right-ball.stl", "4-lower-left-ball.stl",
    ]
    for item, piece in zip(written, outcome.pieces, strict=True):
        mesh = trimesh.load(item.path)
        assert mesh.is_watertight
        assert mesh.volume == pytest.approx(piece.figures.volume_mm3, rel=1e-5)
        assert mesh.bounds[0][2] == pytest.approx(0.0, abs=1e-6)
        assert mesh.extents == pytest.approx(piece.figures.size_mm, rel=1e-5)
        np.testing.assert_allclose(mesh.bounds[:, :2].mean(axis=0), 0, atol=1e-4)


def test_equal_pieces_are_one_file_with_a_count(parted, printer, tmp_path):
    """Common practice: equal halves are printed twice from one file."""
    _, _, outcome = parted
    written = write_stls(outcome.pieces, tmp_path, equal_once=True)
    assert {item.path.name: item.pieces for item in written} == {
        "1-upper-right-ball-print-2-times.stl": 2, "3-lower-right-ball-print-2-times.stl": 2,
    }
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(item.path.name for item in written)
    path = tmp_path / "once.3mf"
    assert write_3mf(outcome.pieces, printer, "Ball", path, equal_once=True).pieces == 4
    items = strictly_read(path)
    assert [name for name, _, _ in items] == 2 * ["Upper right ball"] + 2 * ["Lower right ball"]
    assert len({points.tobytes() for _, points, _ in items}) == 4  # each at a place of its own
    for _, points, _ in items:
        assert points[:, 2].min() == pytest.approx(0, abs=1e-4)
    document = lib3mf.get_wrapper().CreateModel()
    document.QueryReader("3mf").ReadFromFile(str(path))
    assert document.GetMeshObjects().Count() == 2


def test_what_is_only_mirrored_is_a_piece_of_its_own(printer, tmp_path):
    """Two left hands are equal, a right one is not: three bodies, one of them mirrored."""
    corners = np.array([[0, 0, 0], [10, 0, 0], [0, 20, 0], [0, 0, 40.0]])
    left = trimesh.convex.convex_hull(corners)
    again = (
        left.copy()
        .apply_transform(trimesh.transformations.rotation_matrix(2.0, [1, 2, 3]))
        .apply_translation([60, 0, 0])
    )
    right = trimesh.convex.convex_hull(corners * [-1, 1, 1]).apply_translation([-60, 0, 0])
    model = model_of(together(left, again, right), "Hands")
    plan = Plan(model=model.ref, recipe=(BodiesCut(id="c1", name="Bodies"),))
    outcome = evaluate(model, plan, printer)
    counts = sorted(count for _, count in each_once(outcome.pieces))
    assert counts == [1, 2]
    assert len(write_stls(outcome.pieces, tmp_path, equal_once=True)) == 2


def strictly_read(path):
    """A 3MF by the reference library in strict mode: name, vertices on the bed, triangles of each build item."""
    model = lib3mf.get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(str(path))
    assert reader.GetWarningCount() == 0
    assert model.GetUnit() == lib3mf.ModelUnit.MilliMeter
    found = []
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        mesh = model.GetMeshObjectByID(item.GetObjectResource().GetResourceID())
        assert mesh.IsManifoldAndOriented()
        fields = np.array([list(row) for row in item.GetObjectTransform().Fields])
        points = np.array([list(v.Coordinates) for v in mesh.GetVertices()])
        triangles = np.array([list(t.Indices) for t in mesh.GetTriangleIndices()])
        found.append((mesh.GetName(), points @ fields[:3] + fields[3], triangles))
    return found


def test_all_in_one_3mf_strictly_read_back(parted, printer, tmp_path):
    _, _, outcome = parted
    path = tmp_path / "pieces.3mf"
    write_3mf(outcome.pieces, printer, "Float ball", path)
    items = strictly_read(path)
    assert [name for name, _, _ in items] == [piece.name for piece in outcome.pieces]
    footprints = []
    for (_, points, triangles), piece in zip(items, outcome.pieces, strict=True):
        assert points[:, 2].min() == pytest.approx(0, abs=1e-4)
        mesh = trimesh.Trimesh(points, triangles, process=False)
        assert mesh.volume == pytest.approx(piece.figures.volume_mm3, rel=1e-4)
        footprints.append(MultiPoint(points[:, :2]).convex_hull)
        assert box(0, 0, printer.bed_x, printer.bed_y).contains(footprints[-1])
    for i, a in enumerate(footprints):
        for b in footprints[:i]:
            assert a.distance(b) > 3.9


@settings(max_examples=15, deadline=None)
@given(st.integers(1, 9), st.integers(0, 10**6))
def test_pieces_never_overlap_however_many_beds_they_take(printer, count, seed):
    """Random boxes, some larger than the bed: each on its bed, none over another."""
    from dataclasses import replace

    import tests.shapes as shapes

    random = np.random.default_rng(seed)
    model = model_of(shapes.solid_of(shapes.box(10, 10, 10)))
    piece = evaluate(model, Plan(model=model.ref), printer).pieces[0]
    pieces = []
    for _ in range(count):
        solid = shapes.solid_of(shapes.box(*random.uniform(5, 260, 3)))
        pieces.append(replace(piece, solid=solid))
    laid = lay_out(pieces, printer)
    areas = []
    for each, place in zip(pieces, laid, strict=True):
        points = each.solid.vertices @ place.rotation.T + place.shift
        assert points[:, 2].min() == pytest.approx(0, abs=1e-9)
        low, high = points.min(axis=0), points.max(axis=0)
        areas.append(box(low[0], low[1], high[0], high[1]))
        if (high - low)[:2].max() <= printer.bed_x - 2 * printer.margin:
            assert low[0] >= place.bed_x
            assert high[0] <= place.bed_x + printer.bed_x
            assert low[1] >= 0
            assert high[1] <= printer.bed_y
    for i, a in enumerate(areas):
        assert all(not a.intersects(b) for b in areas[:i])


def test_a_project_comes_back_whole(parted, printer, tmp_path):
    model, plan, outcome = parted
    piece = outcome.pieces[1]
    plan = plan.with_wish(piece.wish(name="Cap"), piece.wished)
    project = Project(title="Float", plan=plan, choices=(Choice(id="k1", name="Whole", plan=Plan(model=model.ref)),))
    path = tmp_path / "float.3mf"
    pieces = evaluate(model, plan, printer).pieces
    write_project(project, model, pieces, printer, path)
    again = open_file(path)
    assert again.project == project
    np.testing.assert_array_equal(again.model.solid.vertices, model.solid.vertices)
    np.testing.assert_array_equal(again.model.solid.triangles, model.solid.triangles)
    assert [name for name, _, _ in strictly_read(path)] == [each.name for each in pieces]
    # once more: saving what was opened changes nothing
    write_project(again.project, model, pieces, printer, tmp_path / "again.3mf")
    assert open_file(tmp_path / "again.3mf").project == project


def test_an_uncut_project_holds_its_model_once(parted, printer, tmp_path):
    model, _, _ = parted
    plan = Plan(model=model.ref, scale=2.0)
    outcome = evaluate(model, plan, printer)
    whole, plain = tmp_path / "whole.3mf", tmp_path / "plain.3mf"
    write_project(Project(title="Float", plan=plan), model, outcome.pieces, printer, whole)
    write_3mf(outcome.pieces, printer, "Float", plain)
    assert whole.stat().st_size < 1.2 * plain.stat().st_size
    ((_, points, _),) = strictly_read(whole)
    assert np.ptp(points, axis=0) == pytest.approx(outcome.pieces[0].figures.size_mm, rel=1e-4)


def test_an_unwritable_place_keeps_the_old_file(tmp_path):
    path = tmp_path / "plan.3mf"
    write_whole(path, b"old")
    assert stat.S_IMODE(path.stat().st_mode) & 0o600 == 0o600
    with pytest.raises(SaveFailed, match=r"could not be saved") as caught:
        write_whole(tmp_path / "nowhere" / "plan.3mf", b"new")
    assert caught.value.kept == "No part of it was written."
    (tmp_path / "file").write_text("x")
    with pytest.raises(SaveFailed):
        write_stls([], tmp_path / "file" / "under-a-file")


def test_a_full_disk_keeps_the_old_file(tmp_path):
    """A process that may write 4 KiB and no more saves 64 KiB over an old file."""
    path = tmp_path / "plan.3mf"
    path.write_bytes(b"old")
    program = (
        "import resource, signal, sys, pathlib\n"
        "from deft_slab.core.exporting.safe_writing import write_whole\n"
        "from deft_slab.core.errors import SaveFailed\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))\n"
        "try:\n    write_whole(pathlib.Path(sys.argv[1]), bytes(65536))\n"
        "except SaveFailed as error:\n    print(error.kept); sys.exit(7)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", program, str(path)], capture_output=True, encoding="utf-8", check=False
    )
    assert done.returncode == 7, done.stderr
    assert "is unchanged" in done.stdout
    assert path.read_bytes() == b"old"
    assert os.listdir(tmp_path) == ["plan.3mf"]


def test_stopping_while_writing(parted, printer, tmp_path):
    _, _, outcome = parted
    asked = iter(range(99))
    with pytest.raises(Cancelled):
        write_stls(outcome.pieces, tmp_path, Job(unwanted=lambda: next(asked) >= 2))
    assert len(list(tmp_path.glob("*.stl"))) == 2
    path = tmp_path / "all.3mf"
    with pytest.raises(Cancelled):
        write_3mf(outcome.pieces, printer, "x", path, Job(unwanted=lambda: True))
    assert not path.exists()
