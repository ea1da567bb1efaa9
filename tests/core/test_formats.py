"""Formats in: what each keeps of names, bodies, units and sides."""

from __future__ import annotations

import json
import math
import os
import struct
from dataclasses import replace
from pathlib import Path

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.core.errors import BadPlan, Cancelled, UnreadableFile
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.formats import FORMATS, READ, UNITLESS, WRITTEN, names
from deft_slab.core.importing import readers, surfaces
from deft_slab.core.importing.meshes import _polygon_triangles
from deft_slab.core.importing.readers import READERS, open_file
from deft_slab.core.importing.units import likely_unit, stands_on_y
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import UNITS
from deft_slab.core.progress import Job
from deft_slab.demo import MODELS, TROUBLED
from deft_slab.demo.exact import ring_step
from tests.fuzz import run
from tests.shapes import box, solid_of, sphere


def written(path, content):
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


def test_every_format_is_read_written_and_named_as_the_registry_says(tmp_path):
    """Each has a reader; those that are written come back, those that are not are refused with the names of those that
    are; and a unit is stated where it says so, by our own reader of what trimesh wrote.
    """
    assert {one.name for one in FORMATS} == {reader.title for reader in READERS}
    assert names() == "STL, 3MF, OBJ, PLY, OFF, GLB, glTF, STEP"
    ball = solid_of(trimesh.creation.icosphere(2, 25.0))
    for one in FORMATS:
        for ending in one.endings:
            path = tmp_path / f"ball{ending}"
            assert ending in READ
            assert (ending[1:] in UNITLESS) is not one.has_unit
            if not one.writes:
                with pytest.raises(BadPlan, match="no known ending"):
                    write_solid(ball, "Ball", path)
                continue
            assert ending[1:] in WRITTEN
            write_solid(ball, "Ball", path)
            model = open_file(path).model
            assert (model.unit is not None) is one.has_unit, one.name
            size = model.solid.size * (1000 if model.unit == "m" else 1)
            assert size == pytest.approx(ball.size, rel=1e-5)


@pytest.mark.parametrize("kind", ["off", "glb", "gltf", "ply_ascii"])
def test_further_formats_give_the_same_closed_body(tmp_path, kind):
    ball = trimesh.creation.icosphere(3, 25.0)
    if kind == "ply_ascii":
        path = written(tmp_path / "ball.ply", ball.export(file_type="ply", encoding="ascii"))
    elif kind == "gltf":
        for name, content in trimesh.Scene(ball).export(file_type="gltf").items():
            written(tmp_path / name, content)
        path = tmp_path / "model.gltf"
    else:
        path = written(tmp_path / f"ball.{kind}", ball.export(file_type=kind))
    model = open_file(path).model
    assert not model.solid.defects.sentence()
    assert model.solid.volume == pytest.approx(ball.volume, rel=1e-5)
    assert model.unit == ("m" if kind in ("glb", "gltf") else None)
    assert model.up_stated == (kind in ("glb", "gltf"))
    assert model.bodies == ()


def stl_text(*solids: tuple[str, trimesh.Trimesh]) -> str:
    return "\n".join(mesh.export(file_type="stl_ascii").replace("solid", f"solid {name}", 1) for name, mesh in solids)


def test_stl_with_wrong_counts_and_misleading_heads(tmp_path):
    ball = trimesh.creation.icosphere(2, 10.0)
    data = bytearray(ball.export(file_type="stl"))
    count = len(ball.faces)
    data[80:84] = struct.pack("<I", 3)
    few = open_file(written(tmp_path / "few.stl", bytes(data))).model
    assert len(few.solid.triangles) == count
    assert few.notes == (f"The file says that it contains 3 triangles, but it has {count}. All of them were read.",)
    data[80:84] = struct.pack("<I", 100_000)
    data[:5] = b"solid"
    many = open_file(written(tmp_path / "many.stl", bytes(data))).model
    assert len(many.solid.triangles) == count
    assert "cut short" in many.notes[0]
    short = open_file(written(tmp_path / "short.stl", bytes(data[: 84 + 50 * 200 + 20]))).model
    assert len(short.solid.triangles) == 200


def test_text_stl_of_several_solids_and_one_that_was_cut_short(tmp_path):
    pair = stl_text(("Lid", box(20, 20, 5)), ("Base", box(20, 20, 5, (0, 0, 20))))
    model = open_file(written(tmp_path / "pair.stl", pair)).model
    assert [body.name for body in model.bodies] == ["Lid", "Base"]
    assert [body.triangles for body in model.bodies] == [12, 12]
    cut = stl_text(("Ball", trimesh.creation.icosphere(1, 10)))
    left = open_file(written(tmp_path / "cut.stl", cut[: int(0.6 * len(cut))])).model
    assert 40 < len(left.solid.triangles) < 60


OBJ = """# two objects: a box of quads, and a prism over a concave hexagon
o Crate
v 0 0 0
v 10 0 0
v 10 10 0
v 0 10 0
v 0 0 10
v 10 0 10
v 10 10 10
v 0 10 10
f 4 3 2 1
f 5 6 7 8
f 1 2 6 5
f 2 3 7 6
f 3 4 8 7
f 4 1 5 8
o Chevron
v 20 0 0
v 30 0 0
v 30 10 0
v 25 4 0
v 20 10 0
v 20 0 5
v 30 0 5
v 30 10 5
v 25 4 5
v 20 10 5
f 13 12 11 10 9
f -5 -4 -3 -2 -1
f 9 10 15 14
f 10 11 16 15
f 11 12 17 16
f 12 13 18 17
f 13 9 14 18
"""


def test_obj_objects_quads_and_concave_polygons(tmp_path):
    """Volumes against the boxes and the shoelace formula; a fan over the chevron would have facets that overlap."""
    model = open_file(written(tmp_path / "crate.obj", OBJ)).model
    assert [(body.name, body.triangles) for body in model.bodies] == [("Crate", 12), ("Chevron", 16)]
    chevron = model.solid.picked(np.arange(28) >= 12)
    area = 100 - 0.5 * 10 * 6
    assert not model.solid.defects.sentence()
    assert chevron.volume == pytest.approx(5 * area)
    assert chevron.areas[np.abs(chevron.normals[:, 2]) > 0.9].sum() == pytest.approx(2 * area)


@given(st.lists(st.floats(2, 10), min_size=5, max_size=12))
def test_any_star_shaped_polygon_keeps_its_area(reach):
    """Divided polygons of an OBJ cover their own area once: shoelace formula."""
    turn = 2 * np.pi * np.arange(len(reach)) / len(reach)
    rim = np.stack([np.cos(turn) * reach, np.sin(turn) * reach, np.full(len(reach), 3.0)], axis=1)
    a, b, c = (rim[_polygon_triangles(rim)[:, k]] for k in range(3))
    x, y = rim[:, 0], rim[:, 1]
    shoelace = 0.5 * float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    up = 0.5 * np.cross(b - a, c - a)[:, 2]
    assert (up > -1e-9).all()
    assert up.sum() == pytest.approx(shoelace)


def test_glb_nodes_keep_their_names_places_and_sides(tmp_path):
    """A mirrored node must not turn inside out. glTF 2.0, section 3.5.3: a negative determinant reverses winding."""
    ball = trimesh.creation.icosphere(2, 0.01)
    scene = trimesh.Scene()
    scene.add_geometry(ball, node_name="Left ear", geom_name="ear")
    mirror = np.diag([-1.0, 1, 1, 1])
    mirror[0, 3] = 0.05
    scene.add_geometry(ball, node_name="Right ear", geom_name="other", transform=mirror)
    model = open_file(written(tmp_path / "ears.glb", scene.export(file_type="glb"))).model
    assert sorted(body.name for body in model.bodies) == ["Left ear", "Right ear"]
    assert not model.solid.defects.sentence()
    assert model.solid.volume == pytest.approx(2 * ball.volume, rel=1e-4)
    assert model.solid.size.max() * 1000 == pytest.approx(70, rel=0.01)


def test_a_gltf_whose_other_files_are_missing(tmp_path):
    files = trimesh.Scene(trimesh.creation.icosphere(1)).export(file_type="gltf")
    with pytest.raises(UnreadableFile, match="damaged glTF"):
        open_file(written(tmp_path / "model.gltf", files["model.gltf"]))


@pytest.mark.parametrize("fineness", [1.0, 0.1, 0.01])
def test_step_solids_against_their_exact_volume(tmp_path, fineness):
    """A ring: pi (R^2 - r^2) h. Chords lie inside the outer circle and outside the inner one, so the drawn ring is
    off by less than the fineness times the area of both walls.
    """
    outer, inner, height = 58.0, 50.0, 9.0
    opened = open_file(written(tmp_path / "ring.step", ring_step(outer, inner, height)), fineness=fineness)
    solid = opened.model.solid
    exact = math.pi * (outer**2 - inner**2) * height
    walls = 2 * math.pi * (outer + inner) * height
    assert opened.exact
    assert opened.model.unit == "mm"
    assert not solid.defects.sentence()
    assert abs(solid.volume - exact) <= fineness * walls
    assert solid.size == pytest.approx([2 * outer, 2 * outer, height], abs=2 * fineness)
    radius = np.hypot(*solid.vertices[:, :2].T)
    assert np.minimum(np.abs(radius - outer), np.abs(radius - inner)).max() < 1e-3


def test_step_that_is_damaged_or_stopped(tmp_path):
    text = ring_step(20, 15, 6)
    with pytest.raises(UnreadableFile, match="without surfaces, or a damaged one"):
        open_file(written(tmp_path / "half.stp", text[: len(text) // 3]))
    stops = iter([False] * 4 + [True] * 100)
    with pytest.raises(Cancelled):
        open_file(written(tmp_path / "ring.stp", text), Job(unwanted=lambda: next(stops)))


def endlessly(*_):
    while True:
        pass


def greedily(*_):
    return [bytes(2**28) for _ in range(1000)]


@pytest.mark.parametrize(
    ("read", "says"),
    [
        (endlessly, "could not be read within 0 seconds of computing"), (greedily, "takes too much memory"),
        (lambda *_: os.abort(), "damaged STL file: its reader failed"), (lambda *_: 1 / 0, "division by zero"),
    ],
)
def test_readers_that_come_to_no_end_take_too_much_or_fail_hard(tmp_path, monkeypatch, capfd, read, says):
    """Whatever a foreign reader does, there is a sentence, and nothing else on the terminal."""
    reader = next(reader for reader in readers.READERS if reader.title == "STL")
    monkeypatch.setattr(readers, "READERS", (replace(reader, read=read),))
    monkeypatch.setattr(readers, "_LEAST_SECONDS", 0.0)
    with pytest.raises(UnreadableFile, match=says):
        open_file(written(tmp_path / "ball.stl", trimesh.creation.icosphere(1).export(file_type="stl")))
    assert capfd.readouterr().out == ""


def test_reading_is_stopped_when_asked(tmp_path, monkeypatch):
    reader = next(reader for reader in readers.READERS if reader.title == "STL")
    monkeypatch.setattr(readers, "READERS", (replace(reader, read=endlessly),))
    stops = iter([False] * 6 + [True] * 100)
    with pytest.raises(Cancelled):
        open_file(
            written(tmp_path / "ball.stl", trimesh.creation.icosphere(1).export(file_type="stl")),
            Job(unwanted=lambda: next(stops)),
        )


NOTICED = ("e.ply",)


@pytest.mark.parametrize(
    ("name", "options"), [("a.stl", {}), ("b.stl", {"file_type": "stl_ascii"}), ("c.ply", {"encoding": "ascii"}),
                          ("d.off", {}), ("e.ply", {})],
)
def test_files_that_end_in_the_middle_say_so(tmp_path, name, options):
    """Cut off behind a whole line or facet, so that nothing else is wrong with them."""
    ball = trimesh.creation.icosphere(3, 20.0)
    content = ball.export(**({"file_type": Path(name).suffix[1:]} | options))
    content = content if isinstance(content, bytes) else content.encode()
    whole = open_file(written(tmp_path / name, content)).model
    assert whole.complete
    assert not whole.notes
    if name == "a.stl":
        half = content[: 84 + 50 * 600]
    elif name == "e.ply":
        half = content[:-40]
    else:
        cut = content.rfind(b"endfacet", 0, len(content) // 2) if name == "b.stl" else len(content) * 3 // 4
        half = content[: content.index(b"\n", cut) + 1]
    path = written(tmp_path / f"half-{name}", half)
    if name in NOTICED:  # by the reader itself
        with pytest.raises(UnreadableFile, match="damaged PLY"):
            open_file(path)
        return
    model = open_file(path).model
    assert not model.complete
    assert any("cut short" in note for note in model.notes)
    assert model.solid.defects.open_edges


def test_a_model_far_from_the_origin_is_moved_there(tmp_path):
    """100 m away float32 tells hundredths of a millimetre apart, and so does the program."""
    ball = trimesh.creation.icosphere(3, 20.0)
    near = open_file(written(tmp_path / "near.obj", ball.export(file_type="obj"))).model
    far = open_file(written(tmp_path / "far.obj", ball.apply_translation([1e5, -2e5, 0]).export(file_type="obj"))).model
    assert far.grid == near.grid
    assert far.solid.volume == pytest.approx(near.solid.volume, rel=1e-6)
    assert np.abs(far.solid.vertices).max() < 21
    (note,) = far.notes
    assert "100000, -200000, 0" in note
    beside = open_file(
        written(tmp_path / "beside.obj", ball.apply_translation([-1e5 + 500, 2e5, 0]).export(file_type="obj"))
    ).model
    assert beside.notes == ()
    assert beside.solid.bounds[0, 0] == pytest.approx(480, abs=0.1)


def test_an_obj_with_a_long_heading_and_its_like(tmp_path):
    ball = trimesh.creation.icosphere(1, 20.0).export(file_type="obj").encode()
    heading = b"# a line of a long heading\n" * 400
    for content in (heading + ball, b"\n" * 6000 + ball, b"  \n# x\n\to body\n" + ball):
        assert len(open_file(written(tmp_path / "ball.obj", content)).model.solid.triangles) == 80
    with pytest.raises(UnreadableFile, match="plain text"):
        open_file(written(tmp_path / "letter.obj", b"dear reader,\nv 1 2 3\n"))


def test_more_than_is_read_is_refused_before_it_is_made(tmp_path, monkeypatch):
    """Instances in glTF and items in 3MF that share one mesh; a face of very many corners; nodes in a long chain."""
    monkeypatch.setattr(surfaces, "MOST_TRIANGLES", 5000)
    ball = trimesh.creation.icosphere(2, 20.0)
    scene = trimesh.Scene()
    scene.add_geometry(ball, geom_name="ball")
    for number in range(20):
        move = trimesh.transformations.translation_matrix([50 * number, 0, 0])
        scene.graph.update(frame_to=f"n{number}", geometry="ball", matrix=move)
    with pytest.raises(UnreadableFile, match="6,720 triangles. At most 5,000 can be read"):
        open_file(written(tmp_path / "many.glb", scene.export(file_type="glb")))
    ring = b"".join(b"v %d %d 0\n" % (n, n * n) for n in range(6000)) + b"f " + b" ".join(
        b"%d" % n for n in range(1, 6001)
    )
    with pytest.raises(UnreadableFile, match="face with 6,000 corners"):
        open_file(written(tmp_path / "ring.obj", ring))
    chain = {"asset": {"version": "2.0"}, "nodes": [{"children": [n + 1]} for n in range(5000)] + [{}]}
    with pytest.raises(UnreadableFile, match="nested too deeply"):
        open_file(written(tmp_path / "chain.gltf", json.dumps(chain)))


def two_balls(fine: int = 2) -> trimesh.Trimesh:
    big, small = trimesh.creation.icosphere(fine, 30), trimesh.creation.icosphere(fine, 10)
    speck = trimesh.creation.icosphere(0, 0.4)
    return trimesh.util.concatenate(
        [small.apply_translation([60, 0, 0]), speck.apply_translation([0, 50, 0]), big]
    )


def test_bodies_without_names_are_found_largest_first_and_specks_last(tmp_path):
    model = open_file(written(tmp_path / "balls.stl", two_balls().export(file_type="stl"))).model
    assert [(body.name, body.specks) for body in model.bodies] == [
        ("Body 1", False), ("Body 2", False), ("Stray specks", True),
    ]
    first = model.solid.picked(np.arange(len(model.solid.triangles)) < model.bodies[0].triangles)
    assert first.size.max() == pytest.approx(60, rel=0.01)
    assert sum(body.triangles for body in model.bodies) == len(model.solid.triangles)
    assert model.ref.bodies == model.bodies


def test_a_void_belongs_to_the_body_around_it(tmp_path):
    hollow = trimesh.creation.icosphere(2, 30)
    inside = trimesh.creation.icosphere(2, 20)
    inside.invert()
    both = trimesh.util.concatenate([hollow, inside, trimesh.creation.icosphere(2, 9).apply_translation([60, 0, 0])])
    model = open_file(written(tmp_path / "hollow.stl", both.export(file_type="stl"))).model
    assert [body.triangles for body in model.bodies] == [2 * len(hollow.faces), len(hollow.faces)]


def test_very_many_bodies_are_taken_together(tmp_path):
    grid = [box(4, 4, 4 + 0.1 * n, (10 * (n % 10), 10 * (n // 10), 0)) for n in range(60)]
    model = open_file(written(tmp_path / "grid.stl", trimesh.util.concatenate(grid).export(file_type="stl"))).model
    assert len(model.bodies) == 41
    assert model.bodies[-1].name == "The rest"
    assert model.bodies[-1].triangles == 20 * 12


def test_demo_files_in_trouble_are_what_was_promised():
    scan = open_file(TROUBLED["damaged"]).model
    assert scan.unit is None
    assert scan.solid.defects.open_edges > 100
    assert scan.solid.defects.flipped_edges > 10
    assert likely_unit(float(scan.solid.size.max())) == "in"
    parts = open_file(TROUBLED["bodies"]).model
    assert [body.name for body in parts.bodies] == ["Lantern", "Wall bracket", "Spare ring", "Supports"]
    hook = open_file(TROUBLED["standing-on-y"]).model
    assert (hook.unit, hook.up_stated) == ("m", True)
    upright = open_file(MODELS["hook"]).model.solid
    assert hook.solid.size[[0, 2, 1]] * 1000 == pytest.approx(upright.size, rel=0.01)
    assert open_file(TROUBLED["exact"]).exact


@pytest.mark.parametrize(
    ("longest", "unit"), [(0.18, "m"), (4.2, "in"), (6.8, "in"), (60, "mm"), (180, "mm"), (310, "mm"), (900, "mm")]
)
def test_the_likeliest_unit_makes_a_prop_of_usual_size(longest, unit):
    """Common practice: props are a hand to an arm long; files that arrive tiny were made in inches or metres."""
    assert likely_unit(longest) == unit


@given(st.floats(1e-3, 1e5))
def test_the_likeliest_unit_is_never_absurd(longest):
    sizes = [longest * factor for factor in UNITS.values()]
    chosen = longest * UNITS[likely_unit(longest)]
    if any(20 <= size <= 1500 for size in sizes):
        assert 8 <= chosen <= 4000


def test_models_that_stand_on_y_are_noticed():
    vase = solid_of(trimesh.creation.cone(20, 50, sections=48))
    on_y = Solid(vase.vertices[:, [0, 2, 1]] * [1, 1, -1], vase.triangles)
    assert not stands_on_y(vase)
    assert stands_on_y(on_y)
    assert not stands_on_y(sphere())
    assert not stands_on_y(solid_of(box(10, 20, 30)))


def test_3mf_objects_keep_their_names(tmp_path):
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    cube = trimesh.creation.box((10, 10, 10))
    for number, name in enumerate(("Brim", "Crown")):
        mesh = model.AddMeshObject()
        mesh.SetName(name)
        corners = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*v)) for v in cube.vertices]
        mesh.SetGeometry(corners, [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*f)) for f in cube.faces])
        model.AddBuildItem(mesh, wrapper.GetTranslationTransform(30.0 * number, 0, 0))
    model.QueryWriter("3mf").WriteToFile(str(tmp_path / "hat.3mf"))
    found = open_file(tmp_path / "hat.3mf").model
    assert [body.name for body in found.bodies] == ["Brim", "Crown"]
    assert found.solid.size.tolist() == [40, 10, 10]


def test_an_obj_that_names_corners_that_are_not_there(tmp_path):
    for text in (OBJ + "f 1 2 99\n", OBJ + "f 1 2 3 4 99\n", OBJ + "f 1 2 3 4 -99\n"):
        with pytest.raises(UnreadableFile, match="damaged"):
            open_file(written(tmp_path / "bad.obj", text))


def test_damaged_files_of_every_format_give_a_message_or_a_model():
    """The short form of ``./deft fuzz``; STEP starts a process each time, so it gets fewer."""
    quick = run(4, ["STL", "OBJ", "PLY", "OFF", "GLB", "glTF", "3MF"])
    slow = run(2, ["STEP"])
    for kind, result in (quick | slow).items():
        assert result.wrong == [], kind
        assert result.models + result.messages >= 2
    assert json.dumps({kind: result.models for kind, result in quick.items()}).count(": 0") <= 4
