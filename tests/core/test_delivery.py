"""Handing off: beds, files and the job, read back by trimesh and lib3mf; hours and cost by hand."""

from __future__ import annotations

import csv
import io
import json
import math
import os
import zipfile
from dataclasses import replace
from functools import cache

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import BadPlan, SaveFailed, WouldReplace
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import BedSearch, lay_out
from deft_slab.core.exporting.colours import colour_of
from deft_slab.core.exporting.delivery import deliver
from deft_slab.core.exporting.layout import collisions
from deft_slab.core.exporting.naming import named
from deft_slab.core.exporting.options import Wished
from deft_slab.core.exporting.print_job import bed_seconds, job_of
from deft_slab.core.exporting.surface_files import read_again, surface_bytes
from deft_slab.core.exporting.verification import verified
from deft_slab.core.formats import UNITLESS, WRITTEN
from deft_slab.core.importing.readers import open_file
from deft_slab.core.importing.threemf import items_in, wrapper
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.demo import MODELS, PROJECT
from tests.core.test_commands import answer, call
from tests.shapes import box, joined, model_of, solid_of, sphere

PRINTER = default_printer()
RESIN = shipped_printers()["small-resin"]
CUT = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=30)


@pytest.fixture
def block(tmp_path):
    path = tmp_path / "block.stl"
    box(40, 30, 60).export(path)
    return path


def outcome_of(solid, printer=PRINTER, **what):
    model = model_of(solid)
    return Evaluator(model).evaluate(Plan(model=model.ref, **what), printer)


def handed(outcome, folder, printer=PRINTER, copies=1, replace=False, **wished):
    laid = lay_out(outcome.pieces, printer, copies)
    work = job_of(outcome, laid, printer, BedSearch(outcome.pieces, printer, copies).least)
    return laid, work, deliver(outcome.pieces, laid, printer, "Thing", folder, Wished(**wished), work, replace=replace)


def test_by_command_from_a_file_to_beds(block, tmp_path):
    """Every format of each piece and bed, read back by readers that are not ours: closed, volume, size, place."""
    out = tmp_path / "out"
    found = answer("handoff", block, "--straight", 0, 0, 1, 20, "--copies", 3, "--pieces", *WRITTEN, "--beds", *WRITTEN,
                   "--out", out)
    assert found["least_beds"] == len(found["beds"]) == 1
    assert {file.name for file in out.iterdir()} == {*found["files"], "job.json", "pieces.csv"}
    lies = found["beds"][0]["pieces"]
    assert len(lies) == 6
    assert {piece["copy"] for piece in lies} == {1, 2, 3}
    for number, volume in ((1, 40 * 30 * 40), (2, 40 * 30 * 20)):
        own = [name for name in found["files"] if name.startswith(f"{number}-")]
        assert len(own) == len(WRITTEN)
        for name in own:
            assert ("-mm." in name) == (name.rsplit(".", 1)[1] in UNITLESS)
            mesh = trimesh.load(out / name, force="mesh")
            factor = 1000.0 if name.endswith(".glb") else 1.0  # metres, by the standard
            assert mesh.is_watertight
            assert mesh.volume * factor**3 == pytest.approx(volume, rel=1e-5)
            size = sorted(mesh.extents * factor)
            assert size == pytest.approx(sorted((40, 30, 40 if number == 1 else 20)), abs=1e-4)
            up = 1 if name.endswith(".glb") else 2
            assert mesh.bounds[0, up] == pytest.approx(0.0, abs=1e-7)
    for name in (name for name in found["files"] if name.startswith("bed-1")):
        mesh = trimesh.load(out / name, force="mesh")
        factor = 1000.0 if name.endswith(".glb") else 1.0
        assert mesh.volume * factor**3 == pytest.approx(3 * 40 * 30 * 60, rel=1e-5)
    # each item of the 3MF where it is said to lie
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(str(out / "bed-1.3mf"))
    assert reader.GetWarningCount() == 0
    items = items_in(model)
    assert [name for name, _, _ in items] == [piece["name"] for piece in lies]
    for (_, corners, _), piece in zip(items, lies, strict=True):
        middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
        assert middle[:2] == pytest.approx(piece["at"], abs=1e-3)
        assert corners[:, 2].min() == pytest.approx(0.0, abs=1e-5)
        assert corners[:, :2].min() >= PRINTER.margin - 1e-6
        assert corners[:, :2].max() <= PRINTER.bed_x - PRINTER.margin + 1e-6
    listed = json.loads((out / "job.json").read_text())
    assert listed["unit"] == "mm"
    assert [one["file"] for one in listed["files"]] == found["files"]
    assert listed["job"] == pytest.approx(found["job"])
    rows = list(csv.reader((out / "pieces.csv").read_text().splitlines()))
    assert len(rows) == 1 + 6
    assert sum(float(row[11]) for row in rows[1:]) == pytest.approx(found["job"]["material_g"], abs=0.05)
    refused = call("handoff", block, "--straight", 0, 0, 1, 20, "--out", out)
    assert refused.returncode == 1
    assert "--replace" in refused.stderr
    assert call("handoff", block, "--names", "{colour}", "--out", tmp_path / "no").returncode == 1
    assert call("handoff", block, "--copies", 2000, "--out", tmp_path / "no").returncode == 2
    assert not (tmp_path / "no").exists()


def test_a_project_is_run(tmp_path):
    """What the demo project keeps, by name; and what is on its bed, lying where it was put."""
    out = tmp_path / "out"
    found = answer(
        "run", PROJECT, "--choice", "Two halves, level", "--quick", "--beds", "--pieces", "ply", "--out", out
    )
    volumes = [trimesh.load(out / name).volume for name in found["files"]]
    assert len(volumes) == 2
    whole = open_file(PROJECT).model.solid.volume
    assert sum(volumes) == pytest.approx(whole, rel=1e-4)
    refused = call("run", PROJECT, "--choice", "None such", "--out", tmp_path / "no")
    assert refused.returncode == 2
    assert "Two halves, level" in refused.stderr
    model = call("run", MODELS["hook"], "--out", tmp_path / "no")
    assert model.returncode == 1
    assert "not a project" in model.stderr
    assert not (tmp_path / "no").exists()


def test_assembled_pieces_are_where_they_belong(tmp_path):
    outcome = outcome_of(joined(box(40, 30, 60, (7, 8, 9))))
    _, _, files = handed(outcome, tmp_path, pieces=("ply", "3mf", "glb"), beds=(), assembled=True)
    for one in files:
        mesh = trimesh.load(one.path, force="mesh")
        low = np.array([7, 8, 9]) if one.path.suffix != ".glb" else np.array([7, 9, -38]) / 1000
        assert mesh.bounds[0] == pytest.approx(low, abs=1e-5)


def test_hours_material_and_cost_by_hand():
    """A box of 20 x 20 x 10 on filament, by the formula in definitions: walls and infill at the path's speed."""
    printer = PRINTER.changed(layer_heights=(0.2,), speed=50, wall_lines=3, infill=0.2, layer_seconds=4, line_width=0.4,
                              material_price=30, material_density=1.2, hour_price=2, failed_share=0.1)
    outcome = outcome_of(solid_of(box(20, 20, 10)), printer)
    laid = lay_out(outcome.pieces, printer, 3)
    work = job_of(outcome, laid, printer, 1)
    shell = 4 * 20 * 10 * 3 * 0.4  # the walls, 3 lines of 0.4 mm
    plastic = shell + 0.2 * (4000 - shell)
    paths = plastic / (0.2 * 0.4) / 50
    assert work.longest == pytest.approx(paths + 50 * 4, rel=1e-6)
    # three at once: three times the paths, but what is lost at a layer only once
    assert work.seconds == pytest.approx(3 * paths + 50 * 4, rel=1e-6)
    assert work.material == pytest.approx(3 * plastic * 1.2 / 1000, rel=1e-6)
    cost = work.material / 1000 * 30 + work.seconds / 3600 * 2
    assert work.cost == pytest.approx(1.1 * cost)
    assert work.beds[0].cost == pytest.approx(1.1 * cost)  # one meaning of cost everywhere


@pytest.mark.parametrize("body", ["cylinder", "cone"])
def test_hours_of_round_bodies_by_hand(body):
    """The walls of a cylinder are 2 pi r h; those of a cone pi r h, as its outline shrinks to nothing."""
    printer = PRINTER.changed(layer_heights=(0.2,), layer_seconds=0, wall_lines=1, infill=0, line_width=0.4, speed=50)
    mesh = trimesh.creation.cylinder(15, 30, sections=256) if body == "cylinder" else trimesh.creation.cone(15, 30, 256)
    outcome = outcome_of(solid_of(mesh), printer)
    length = (2 if body == "cylinder" else 1) * math.pi * 15 * 30 / 0.2
    assert outcome.pieces[0].figures.print_seconds == pytest.approx(length / 50, rel=5e-3)


def test_copies_on_a_resin_plate_take_no_longer():
    """747 layers: 5 bottom ones at 30 s, and the others at 9.6 s (common practice), however many copies there are."""
    outcome = outcome_of(solid_of(box(10, 10, 747 * RESIN.layer_height)), RESIN)
    seconds = 5 * RESIN.bottom_seconds + 742 * (RESIN.exposure_seconds + RESIN.lift_seconds)
    for copies in (1, 4):
        laid = lay_out(outcome.pieces, RESIN, copies)
        assert job_of(outcome, laid, RESIN, 1).seconds == pytest.approx(seconds)
    assert bed_seconds([], RESIN) == 0


def test_contacts_are_counted():
    outcome = outcome_of(solid_of(box(40, 30, 60)), recipe=(CUT,))
    work = job_of(outcome, lay_out(outcome.pieces, PRINTER), PRINTER, 1)
    assert (work.contacts, work.glue) == (1, pytest.approx(1200.0))


# what is not written


def test_what_does_not_read_as_it_should_is_not_saved():
    ball = sphere(10, 3)
    content = surface_bytes(ball.vertices, ball.triangles, "stl", "x", closed=True)
    wanted = [(ball.vertices, ball.volume)]
    triangles, volume, size = verified(content, "stl", wanted, "ball.stl")
    assert triangles == len(ball.triangles)
    assert volume == pytest.approx(ball.volume, rel=1e-5)
    assert size == pytest.approx((20, 20, 20), rel=0.01)
    for bad, why in (
        (content[:80] + (len(ball.triangles) - 1).to_bytes(4, "little") + content[84:-50], "mm³|open"),
        (surface_bytes(ball.vertices + 1.0, ball.triangles, "stl", "x", closed=True), "away from its place"),
        (surface_bytes(ball.vertices, ball.triangles[:, ::-1], "stl", "x", closed=True), "mm³"),
        (b"no model", "read"),
    ):
        with pytest.raises(SaveFailed, match=why):
            verified(bad, "stl", wanted, "ball.stl")
    with pytest.raises(SaveFailed, match="read back"):
        read_again(b"PK no container", "3mf")
    # an open surface is written as it is
    open_ = surface_bytes(ball.vertices, ball.triangles[1:], "ply", "x", closed=False)
    assert verified(open_, "ply", [(ball.vertices, None)], "ball.ply")[0] == len(ball.triangles) - 1


def test_nothing_is_half_written(tmp_path):
    outcome = outcome_of(solid_of(box(40, 30, 60)))
    _, _, files = handed(outcome, tmp_path / "a")
    before = {one.path: one.path.read_bytes() for one in files}
    with pytest.raises(WouldReplace):
        handed(outcome, tmp_path / "a", pieces=("stl", "ply"))
    assert {path: path.read_bytes() for path in before} == before
    assert not list((tmp_path / "a").glob("*.ply"))
    handed(outcome, tmp_path / "a", replace=True)
    assert {path: path.read_bytes() for path in before} == before  # the same content gives the same bytes
    if os.geteuid() != 0:
        (tmp_path / "b").mkdir(mode=0o500)
        with pytest.raises(SaveFailed):
            handed(outcome, tmp_path / "b")
    (tmp_path / "file").write_text("x")
    with pytest.raises(SaveFailed, match="cannot be created"):
        handed(outcome, tmp_path / "file" / "in")
    with pytest.raises(BadPlan, match="step"):
        handed(outcome, tmp_path / "c", pieces=("step",))


def test_names_of_files():
    piece = outcome_of(solid_of(box(4, 3, 6))).pieces[0]
    piece = replace(piece, name="Größe / α: “Wing”")
    assert named("{number}-{name}{times}{unit}", piece, 1, 0, "3mf") == "1-gr-e-wing"
    assert named("{number}-{name}{times}{unit}", piece, 3, 0, "stl") == "1-gr-e-wing-print-3-times-mm"
    assert named("bed {bed}/{number:03d}", piece, 3, 1, "stl") == "bed-2-001"
    assert named("../../etc/{number}", piece, 1, 0, "stl") == "etc-1"
    assert named("con", piece, 1, 0, "stl") == "con-piece"
    assert len(named("x" * 500, piece, 1, 0, "stl")) <= 120
    for wrong in ("{colour}", "{number", "{}", "{number.__class__}", "///", "{name!z}"):
        with pytest.raises(BadPlan):
            named(wrong, piece, 1, 0, "stl")


@given(st.text(max_size=60), st.text(max_size=60))
def test_a_name_never_leaves_its_folder(pattern, name):
    piece = replace(a_cube(), name=name)
    try:
        made = named(pattern, piece, 2, 0, "stl")
    except BadPlan:
        return
    assert made
    assert not set(made) & set('/\\:*?"<>|\0')
    assert not made.startswith((".", "-"))
    assert os.path.basename(made) == made


@cache
def a_cube():
    return outcome_of(solid_of(box(4, 4, 4))).pieces[0]


def test_two_files_of_one_name_are_refused(tmp_path):
    outcome = outcome_of(solid_of(box(40, 30, 60)), recipe=(CUT,))
    with pytest.raises(BadPlan, match="Two files"):
        handed(outcome, tmp_path / "d", pieces=("stl",), beds=(), pattern="piece{unit}")
    assert not (tmp_path / "d").exists()


def test_the_strict_reader_is_strict():
    """lib3mf in strict mode refuses what it would else mend: or reading again would show nothing."""
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    assert reader.GetStrictModeActive()
    with pytest.raises(lib3mf.ELib3MFException):
        reader.ReadFromBuffer(b"nothing")


def test_a_bed_has_the_colours_of_its_pieces_and_a_picture(block, tmp_path):
    """Base materials and a thumbnail (3MF Core Specification 1.3, sections 5 and 2.4), read by lib3mf and PIL."""
    answer("handoff", block, "--straight", 0, 0, 1, 20, "--copies", 2, "--out", tmp_path / "out")
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(str(tmp_path / "out" / "bed-1.3mf"))
    assert reader.GetWarningCount() == 0
    groups = model.GetBaseMaterialGroups()
    assert groups.MoveNext()
    group = groups.GetCurrentBaseMaterialGroup()
    meshes, found = model.GetMeshObjects(), {}
    while meshes.MoveNext():
        mesh = meshes.GetCurrentMeshObject()
        resource, property_, has = mesh.GetObjectLevelProperty()
        assert (has, resource) == (True, group.GetResourceID())
        colour = group.GetDisplayColor(property_)
        found[mesh.GetName()] = (colour.Red, colour.Green, colour.Blue)
    assert found == {"Upper block": colour_of(1), "Lower block": colour_of(2)}
    assert colour_of(1) == colour_of(9) == (0x9F, 0xB4, 0xBA)
    with (
        zipfile.ZipFile(tmp_path / "out" / "bed-1.3mf") as archive,
        Image.open(io.BytesIO(archive.read("Metadata/thumbnail.png"))) as picture,
    ):
        assert max(picture.size) <= 324
        grey = np.asarray(picture)
    assert (grey < 60).any()
    assert (grey == 255).mean() > 0.2


def test_beds_of_one_piece_each_and_the_longest_first():
    outcome = outcome_of(solid_of(box(60, 60, 90)), recipe=(CUT, CUT.model_copy(update={"id": "c2", "offset": 60.0})))
    pieces = [replace(piece, figures=replace(piece.figures, print_seconds=60.0 * (piece.number**2)))
              for piece in outcome.pieces]
    for rounds in (0, 4):
        laid = lay_out(pieces, PRINTER, 5, beds_by="piece", rounds=rounds)
        on = [{n % 3 for n, one in enumerate(laid) if one.bed == bed} for bed in range(1 + max(o.bed for o in laid))]
        assert on == [{0}, {1}, {2}]  # 5 of each fit on a bed, and they come in the order of the pieces
        assert BedSearch(pieces, PRINTER, 5, beds_by="piece").least == 3
        assert not [pair for pair in collisions(laid, PRINTER)]
    laid = lay_out(pieces, PRINTER, 5, beds_by="hours")
    beds = 1 + max(one.bed for one in laid)
    assert beds == 1 + max(one.bed for one in lay_out(pieces, PRINTER, 5))
    hours = [bed_seconds([pieces[laid[n].piece] for n, one in enumerate(laid) if one.bed == bed], PRINTER)
             for bed in range(beds)]
    assert hours == sorted(hours, reverse=True)


def test_by_command_equal_pieces_name_the_file_of_the_first(tmp_path):
    path = tmp_path / "bar.stl"
    box(40, 20, 20).export(path)
    found = answer("handoff", path, "--straight", 1, 0, 0, 20, "--equal-once", "--beds-by", "piece", "--beds", "--out",
                   tmp_path / "out")
    names = [piece["file"] for bed in found["beds"] for piece in bed["pieces"]]
    assert len(found["beds"]) == 2
    assert len(set(names)) == 1
    assert (tmp_path / "out" / names[0]).exists()
    assert [bed["file"] for bed in found["beds"]] == [None, None]


def test_files_are_larger_by_what_the_material_shrinks(tmp_path):
    """1 / (1 - 2 %) along all axes (definitions: estimates); it stays on its place on the bed, and on the bed."""
    printer = PRINTER.changed(shrinkage=0.02)
    outcome = outcome_of(solid_of(box(40, 30, 60)), printer, recipe=(CUT,))
    laid, work, files = handed(outcome, tmp_path / "out", printer, pieces=("stl", "3mf"), beds=("3mf", "ply"))
    plain = handed(outcome_of(solid_of(box(40, 30, 60)), recipe=(CUT,)), tmp_path / "plain")[2]
    growth = 1 / 0.98
    assert files[0].size == pytest.approx([growth * side for side in plain[0].size], rel=1e-5)
    assert files[0].volume == pytest.approx(growth**3 * plain[0].volume, rel=1e-5)
    bed = trimesh.load(tmp_path / "out" / "bed-1-mm.ply")
    assert bed.is_watertight
    assert bed.bounds[0][2] == pytest.approx(0, abs=1e-4)
    assert bed.volume == pytest.approx(growth**3 * 40 * 30 * 60, rel=1e-5)
    for part, one in zip(bed.split(), sorted(laid, key=lambda one: one.outline.bounds[0]), strict=True):
        assert part.centroid[:2] == pytest.approx(one.outline.centroid.coords[0], abs=1e-3)
    _, _, assembled = handed(outcome, tmp_path / "whole", printer, assembled=True, beds=())
    assert sum(one.volume for one in assembled) == pytest.approx(40 * 30 * 60, rel=1e-5)
    tight = printer.changed(bed_x=44.0, bed_y=44.0, margin=2.0)
    assert not outcome_of(solid_of(box(39.5, 39.5, 60)), tight).pieces[0].fit.fits
    assert outcome_of(solid_of(box(39.5, 39.5, 60)), tight.changed(shrinkage=0.0)).pieces[0].fit.fits
