"""Files in: what is read, and what a person is told about files that are no good."""

from __future__ import annotations

import json
import struct
import zipfile
from pathlib import Path

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.core.errors import UnreadableFile
from deft_slab.core.importing import surfaces, threemf
from deft_slab.core.importing.readers import open_file
from deft_slab.core.importing.surfaces import Surface, grid_for, snapped, tidy
from deft_slab.core.mesh.solid import Solid
from deft_slab.demo import MODELS, PROJECT


def opened(path: Path) -> Solid:
    return open_file(path).model.solid


@pytest.mark.parametrize("kind", ["stl", "stl_ascii", "ply", "obj"])
def test_formats_give_the_same_closed_body(tmp_path, kind):
    mesh = trimesh.creation.icosphere(3, 25.0)
    path = tmp_path / f"round_float.{kind.split('_')[0]}"
    mesh.export(path, file_type=kind)
    found = open_file(path)
    solid = found.model.solid
    assert found.model.name == "Round float"
    assert found.project is None
    assert found.model.unit is None
    assert solid.defects.closed
    assert len(solid.triangles) == len(mesh.faces)
    assert solid.volume == pytest.approx(mesh.volume, rel=1e-5)


def test_a_binary_stl_that_begins_with_solid(tmp_path):
    path = tmp_path / "a.stl"
    trimesh.creation.box((10, 20, 30)).export(path)
    data = bytearray(path.read_bytes())
    data[:10] = b"solid cube"
    path.write_bytes(data)
    assert opened(path).volume == pytest.approx(6000)


@pytest.mark.parametrize("key", sorted(MODELS))
def test_demo_models_are_what_was_promised(key):
    found = open_file(MODELS[key])
    solid = found.model.solid
    assert found.model.unit == "mm"
    assert solid.defects.closed
    assert solid.volume > 0
    assert 60_000 <= len(solid.triangles) <= 250_000
    assert MODELS[key].stat().st_size < 4e6
    if key == "lantern":
        assert solid.size[2] == pytest.approx(310, abs=1)


BAD = {
    "empty.stl": (b"", "is empty"),
    "words.stl": (b"these are words, and no facets at all\n" * 9, "plain text"),
    "page.stl": (b"<!DOCTYPE html><html><body>Not found</body></html>" * 4, "web page"),
    "picture.stl": (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 3, "a PNG picture"),
    "paper.obj": (b"%PDF-1.7 " + bytes(200), "a PDF document"),
    "zeros.stl": (b"\0" * 80 + struct.pack("<I", 1000) + bytes(50 * 400), "only triangles without area"),
    "none.stl": (b"\0" * 80 + struct.pack("<I", 0), "no triangles"),
    "half.ply": (b"ply\nformat binary_little_endian 1.0\nelement vertex 900\nproperty float x\n", "damaged PLY"),
    "cut.3mf": (b"PK\x03\x04" + bytes(40), "damaged 3MF"),
    "points.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "damaged OBJ|no triangles"),
    "bytes.xyz": (bytes(range(256)) * 4, "an unknown kind"),
}


@pytest.mark.parametrize("name", sorted(BAD))
def test_bad_files_are_told_apart(tmp_path, name):
    content, says = BAD[name]
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(UnreadableFile, match=says) as caught:
        open_file(path)
    assert name in str(caught.value)
    assert "unchanged" in caught.value.kept


def test_missing_files_and_folders(tmp_path):
    for path in (tmp_path / "nowhere.stl", tmp_path):
        with pytest.raises(UnreadableFile, match="cannot be read"):
            open_file(path)


def stl_with(value: float) -> bytes:
    corners = [0, 0, 0, 1, 0, 0, 0, 1, value]
    return b"\0" * 80 + struct.pack("<I", 1) + struct.pack("<12f", 0, 0, 1, *corners) + b"\0\0"


@pytest.mark.parametrize("value", [float("nan"), float("inf"), float("-inf")])
def test_coordinates_that_are_no_numbers(tmp_path, value):
    path = tmp_path / "a.stl"
    path.write_bytes(stl_with(value))
    with pytest.raises(UnreadableFile, match="are not numbers"):
        open_file(path)
    path.write_bytes(stl_with(3e20))
    with pytest.raises(UnreadableFile, match="beyond a billion"):
        open_file(path)


def test_only_facets_without_area(tmp_path):
    path = tmp_path / "a.stl"
    path.write_bytes(b"\0" * 80 + struct.pack("<I", 1) + struct.pack("<12f", *[0.0] * 12) + b"\0\0")
    with pytest.raises(UnreadableFile, match="without area"):
        open_file(path)


def write_3mf(path: Path, unit, build) -> None:
    """A 3MF by the reference library; ``build`` fills the model."""
    model = lib3mf.get_wrapper().CreateModel()
    model.SetUnit(unit)
    build(model)
    model.QueryWriter("3mf").WriteToFile(str(path))


def cube_in(model):
    cube = trimesh.creation.box((1, 1, 1))
    mesh = model.AddMeshObject()
    vertices = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*v)) for v in cube.vertices]
    mesh.SetGeometry(vertices, [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*f)) for f in cube.faces])
    return mesh


def moved(x: float, scale: tuple[float, float, float] = (1, 1, 1)) -> lib3mf.Transform:
    transform = lib3mf.Transform()
    for k in range(3):
        transform.Fields[k][k] = scale[k]
    transform.Fields[3][0] = x
    return transform


@pytest.mark.parametrize(
    ("unit", "name", "mm"),
    [
        (lib3mf.ModelUnit.MilliMeter, "mm", 1), (lib3mf.ModelUnit.CentiMeter, "cm", 10),
        (lib3mf.ModelUnit.Inch, "in", 25.4), (lib3mf.ModelUnit.Meter, "m", 1000),
        (lib3mf.ModelUnit.Foot, "mm", 1), (lib3mf.ModelUnit.MicroMeter, "mm", 1),
    ],
)
def test_3mf_units_are_obeyed(tmp_path, unit, name, mm):
    """3MF Core Specification 1.3, section 3.4: the units of a model."""
    path = tmp_path / "a.3mf"
    write_3mf(path, unit, lambda model: model.AddBuildItem(cube_in(model), lib3mf.get_wrapper().GetIdentityTransform()))
    model = open_file(path).model
    assert model.unit == name
    edge = np.ptp(model.solid.vertices[:, 0])
    true = {lib3mf.ModelUnit.Foot: 304.8, lib3mf.ModelUnit.MicroMeter: 0.001}.get(unit, mm)
    assert edge * mm == pytest.approx(true, rel=1e-5)


def test_3mf_transforms_components_and_mirrors(tmp_path):
    """3MF Core Specification 1.3, section 4.2: components; transforms act on row vectors, parents after children."""

    def build(model):
        mesh = cube_in(model)
        pair = model.AddComponentsObject()
        pair.AddComponent(mesh, moved(0))
        pair.AddComponent(mesh, moved(5))
        model.AddBuildItem(pair, moved(100, (2, 1, 1)))
        model.AddBuildItem(mesh, moved(0, (-1, 1, 1)))

    path = tmp_path / "a.3mf"
    write_3mf(path, lib3mf.ModelUnit.MilliMeter, build)
    solid = opened(path)
    assert solid.defects.closed
    assert solid.volume == pytest.approx(2 + 2 + 1)
    assert solid.bounds[:, 0].tolist() == pytest.approx([-0.5, 100 + 2 * 5.5])


def rewritten(path: Path, change) -> Path:
    """A copy of the demo project with some of its parts changed by ``change(name, content)``."""
    with zipfile.ZipFile(PROJECT) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for entry in old.infolist():
            new.writestr(entry.filename, change(entry.filename, old.read(entry.filename)))
    return path


def test_a_project_with_a_damaged_a_newer_or_a_huge_plan(tmp_path, monkeypatch):
    plan = threemf.PLAN_PATH.lstrip("/")
    damaged = rewritten(tmp_path / "a.3mf", lambda name, data: data[:200] if name == plan else data)
    with pytest.raises(UnreadableFile, match="plan in this project is damaged"):
        open_file(damaged)
    newer = rewritten(
        tmp_path / "b.3mf",
        lambda name, data: json.dumps(json.loads(data) | {"version": 9}).encode() if name == plan else data,
    )
    with pytest.raises(UnreadableFile, match="newer version"):
        open_file(newer)
    monkeypatch.setattr(threemf, "MOST_PROJECT_BYTES", 2**20)
    huge = rewritten(tmp_path / "c.3mf", lambda name, data: b" " * 5_000_000 if name == plan else data)
    with pytest.raises(UnreadableFile, match="5 MB. At most 1 MB can be read"):
        open_file(huge)


def test_a_3mf_that_unpacks_to_too_much(tmp_path, monkeypatch):
    monkeypatch.setattr(threemf, "MOST_FILE_BYTES", 1000)
    with pytest.raises(UnreadableFile, match="unpacks from"):
        open_file(MODELS["hook"])


@given(st.lists(st.tuples(*[st.floats(-500, 500, width=32)] * 3), min_size=1, max_size=30))
def test_snapping_survives_the_last_bits_of_a_float(points):
    """What comes back from a file with its last bits changed snaps to the very same coordinates."""
    vertices = np.array(points, float)
    grid = grid_for(vertices)
    exact = snapped(vertices, grid)
    assert np.abs(exact - vertices).max() <= grid / 2
    shaken = np.nextafter(np.nextafter(exact.astype(np.float32), np.float32(1e9)), np.float32(1e9))
    np.testing.assert_array_equal(snapped(shaken, grid), exact)
    np.testing.assert_array_equal(exact.astype(np.float32), exact)


def test_joining_corners_agrees_with_trimesh():
    ball = trimesh.creation.icosphere(3, 25.0)
    soup = Surface(ball.triangles.reshape(-1, 3), np.arange(3 * len(ball.faces)).reshape(-1, 3).astype(np.int32))
    found = tidy(soup)
    assert len(found.vertices) == len(ball.vertices)
    assert Solid(found.vertices, found.triangles).volume == pytest.approx(ball.volume, rel=1e-5)


def test_two_places_with_one_hash_are_kept_apart(monkeypatch):
    """The hash of a corner is 64 bits; should two ever agree, rows are compared instead."""
    real = np.unique

    def colliding(array, **options):
        if array.ndim == 1 and array.dtype == np.uint64:
            return real(array % np.uint64(3), **options)
        return real(array, **options)

    monkeypatch.setattr(surfaces.np, "unique", colliding)
    cube = trimesh.creation.box((1, 2, 3))
    assert len(tidy(Surface(np.array(cube.vertices), np.array(cube.faces, np.int32))).vertices) == 8
