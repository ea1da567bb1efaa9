"""The command line, as a user calls it."""

from __future__ import annotations

import json
import math
import re
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from io import StringIO
from pathlib import Path

import pytest
import trimesh

from deft_slab.cli import main
from deft_slab.core.importing.readers import open_file
from deft_slab.demo import MODELS, TROUBLED
from tests.shapes import light_model

PROGRAM = Path(sys.executable).with_name("deft-slab")


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def call(*arguments: object) -> Done:
    """In this process, since a new one spends three seconds on loading its libraries; test_a_process_of_its_own
    calls the program itself.
    """
    with redirect_stdout(StringIO()) as out, redirect_stderr(StringIO()) as err:
        try:
            code = main([str(one) for one in arguments])
        except SystemExit as left:
            code = int(left.code or 0)
    return Done(code, out.getvalue(), err.getvalue())


def answer(*arguments: object) -> dict:
    done = call(*arguments, "--json")
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


@pytest.fixture(scope="module")
def ball(tmp_path_factory):
    path = tmp_path_factory.mktemp("data") / "ball.stl"
    trimesh.creation.icosphere(5, 1.0).export(path)
    return path


def test_measure_gives_all_figures_in_mm(ball):
    found = answer("measure", ball, "--unit", "in", "--scale", 2, "--down", 0, 0, -7)
    radius = 2 * 25.4
    assert set(found) >= {
        "triangles", "closed", "size_mm", "volume_mm3", "height_mm", "overhang_area_mm2", "support_volume_mm3",
        "support_inside_mm3", "landing_area_mm2", "base_area_mm2", "steadiness_mm", "tipping_deg", "sits_flat",
    }
    assert found["closed"] is True
    assert found["size_mm"] == pytest.approx([2 * radius] * 3, rel=1e-3)
    assert found["volume_mm3"] == pytest.approx(4 / 3 * math.pi * radius**3, rel=0.01)


def test_a_process_of_its_own(ball):
    """What is printed there is what is said here, and a failure is one line and an exit code."""
    for arguments in (("measure", ball, "--json"), ("measure", "nowhere.stl")):
        done = subprocess.run([PROGRAM, *map(str, arguments)], capture_output=True, encoding="utf-8", check=False)
        said = call(*arguments)
        assert (done.returncode, done.stdout) == (said.returncode, said.stdout)
        assert done.stderr.splitlines()[-1:] == said.stderr.splitlines()[-1:]


def test_size_is_in_the_bed_frame(tmp_path):
    path = tmp_path / "bar.stl"
    trimesh.creation.box((10, 20, 70)).export(path)
    found = answer("measure", path, "--down", 1, 0, 0)
    assert sorted(found["size_mm"][:2]) == pytest.approx([20, 70])
    assert found["height_mm"] == pytest.approx(10)
    assert answer("measure", path, "--theta", 30)["support_volume_mm3"] == 0


def test_measure_says_what_is_wrong_with_an_open_surface(tmp_path):
    mesh = trimesh.creation.icosphere(3, 10.0)
    mesh.update_faces(mesh.face_normals[:, 2] < 0.9)
    mesh.export(tmp_path / "bowl.stl")
    found = answer("measure", tmp_path / "bowl.stl")
    assert found["closed"] is False
    assert found["volume_mm3"] is None
    assert "open edges" in found["problem"]
    done = call("cut", tmp_path / "bowl.stl", "--straight", 0, 0, 1, 0, "--out", tmp_path / "out")
    assert done.returncode == 1
    assert "Close the surface" in done.stderr


def test_bodies_that_overlap_are_measured_as_one(tmp_path):
    a, b = trimesh.creation.box((10, 10, 10)), trimesh.creation.box((10, 10, 10))
    b.apply_translation([5, 0, 0])
    trimesh.util.concatenate([a, b]).export(tmp_path / "two.stl")
    found = answer("measure", tmp_path / "two.stl")
    assert found["volume_mm3"] == pytest.approx(1500)
    assert found["triangles"] == 24


def test_cut_writes_seated_pieces(ball, tmp_path):
    out = tmp_path / "pieces"
    found = answer("cut", ball, "--scale", 40, "--straight", 0, 0, 3, 10, "--straight", 1, 0, 0, 0, "--out", out)
    assert len(found["pieces"]) == 4
    assert found["cut_area_mm2"] == pytest.approx(math.pi * (40**2 - 10**2) + math.pi * 40**2, rel=0.01)
    assert found["seam_length_mm"] == pytest.approx(2 * math.pi * (math.sqrt(1500) + 40), rel=0.01)
    assert found["support_volume_mm3"] == pytest.approx(sum(p["support_volume_mm3"] for p in found["pieces"]))
    whole = sum(piece["volume_mm3"] for piece in found["pieces"])
    assert whole == pytest.approx(4 / 3 * math.pi * 40**3, rel=0.01)
    for piece in found["pieces"]:
        mesh = trimesh.load(out / piece["file"])
        assert mesh.is_watertight
        assert mesh.bounds[0][2] == pytest.approx(0, abs=1e-6)
        assert mesh.volume == pytest.approx(piece["volume_mm3"], rel=1e-5)
        assert piece["fits"] is True
        assert math.hypot(*piece["down"]) == pytest.approx(1)
    assert (out / "pieces.3mf").exists()


def test_equal_pieces_once(tmp_path):
    trimesh.creation.box((60, 20, 20)).export(tmp_path / "bar.stl")
    out = tmp_path / "pieces"
    halves = ("cut", tmp_path / "bar.stl", "--straight", 1, 0, 0, 0, "--out", out)
    first, second = answer(*halves, "--equal-once")["pieces"]
    assert first["same_as"] is None
    assert second["same_as"] == first["name"]
    assert first["file"] == second["file"]
    assert "print-2-times" in first["file"]
    assert sorted(path.name for path in out.iterdir()) == sorted([first["file"], "pieces.3mf"])
    first, second = answer(*halves, "--replace")["pieces"]
    assert first["file"] != second["file"]


def test_one_level_cut_takes_the_support_from_the_gull(tmp_path):
    """Common practice: a body with level wings needs much support whole, and its halves hardly any."""
    whole = answer("measure", MODELS["gull"])
    parted = answer("cut", MODELS["gull"], "--straight", 0, 0, 1, 95, "--out", tmp_path)
    assert len(parted["pieces"]) == 2
    assert all(piece["sits_flat"] for piece in parted["pieces"])
    assert parted["support_volume_mm3"] < 0.05 * whole["support_volume_mm3"]


@pytest.mark.parametrize(
    ("arguments", "says", "code"),
    [
        (("measure", "nowhere.stl"), "cannot be read", 1),
        (("measure", "BALL", "--scale", "0"), "--scale", 2),
        (("measure", "BALL", "--theta", "95"), "--theta", 2),
        (("measure", "BALL", "--down", "0", "0", "0"), "down direction", 2),
        (("cut", "BALL", "--straight", "0", "0", "1", "50", "--out", "OUT"), "passes beside the model", 1),
        (("cut", "BALL", "--straight", "0", "0", "0", "0", "--out", "OUT"), "cut normal", 2),
        (("cut", "BALL", "--straight", "0", "0", "1", "0", "--out", "BALL/under"), "cannot be created", 1),
        (("mesure", "BALL"), "Did you mean “measure”?", 2),
        (("mesure",), "Did you mean “measure”?", 2),
        (("xyzzy",), "no command “xyzzy”", 2),
    ],
)
def test_failures_are_one_clear_line(ball, tmp_path, arguments, says, code):
    """2 for what was asked wrongly, 1 for what could not be done; nothing is said of a window."""
    places = {"BALL": str(ball), "OUT": str(tmp_path / "out"), "BALL/under": str(ball / "under")}
    done = call(*(places.get(argument, argument) for argument in arguments))
    assert done.returncode == code
    assert "Your open project" not in done.stderr
    assert done.stdout == ""
    assert says in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert not (tmp_path / "out").exists()


def test_negative_numbers_with_exponents(ball):
    tiny = answer("measure", ball, "--scale", 50, "--down", "0", "-1e-9", "-1E0")
    plain = answer("measure", ball, "--scale", 50)
    assert tiny["support_volume_mm3"] == pytest.approx(plain["support_volume_mm3"], rel=1e-3)


def test_plain_text_for_people(ball):
    done = call("measure", ball)
    assert done.returncode == 0
    assert re.search(r"^Support +\d", done.stdout, re.M)
    assert call("cut", ball).returncode == 2


def test_measure_mends_when_asked(ball):
    path = TROUBLED["damaged"]
    raw = answer("measure", path, "--unit", "in")
    assert raw["closed"] is False
    assert "open edges" in raw["problem"]
    found = answer("measure", path, "--unit", "in", "--mend")
    assert found["closed"] is True
    assert found["volume_mm3"] == pytest.approx(open_file(MODELS["gull"]).model.solid.volume, rel=0.005)
    assert found["mending"][0].startswith("200 doubled facets")
    assert "likely_unit" not in found
    assert answer("measure", ball)["likely_unit"] == "in"


def test_mend_writes_a_closed_surface_and_says_what_it_did(tmp_path):
    out = tmp_path / "gull.stl"
    found = answer("mend", TROUBLED["damaged"], "--unit", "in", "--out", out, "--drop-specks")
    assert found["closed"] is True
    assert found["volume_before_mm3"] is None
    assert found["specks"] == 0
    again = answer("measure", out)
    assert again["volume_mm3"] == pytest.approx(found["volume_after_mm3"], rel=1e-4)
    assert again["triangles"] == found["triangles_after"]


def test_mend_rewraps_and_thins(ball, tmp_path):
    found = answer("mend", ball, "--scale", 30, "--out", tmp_path / "b.ply", "--rewrap", 1.0, "--thin", 2000)
    assert found["closed"] is True
    assert found["triangles_after"] <= 4000
    assert found["volume_after_mm3"] == pytest.approx(4 / 3 * math.pi * 30**3, rel=0.03)
    assert [step.split()[0] for step in found["steps"]][-2:] == ["Surface", "Simplified"]


def test_size_by_command(ball, tmp_path):
    found = answer("measure", ball, "--scale", 30, "--stretch", 1, 2, 1, "--mirror", "x", "--printer", "belt")
    assert found["size_mm"] == pytest.approx([60, 120, 60], rel=0.01)
    assert found["fits"] is True
    assert found["largest_scale"] == pytest.approx(30 * 170 / 60, rel=0.01)
    assert answer("measure", ball, "--scale", 200)["too_large_mm"][2] == pytest.approx(150, rel=0.01)
    assert answer("measure", ball, "--scale", 200, "--printer", "large-filament")["fits"] is False


def test_a_wearer_by_command(tmp_path):
    found = answer("measure", light_model("helmet", tmp_path), "--wearer", "head", 570, "--clearance", 5, "--wall", 5)
    assert found["wearer_clearance_mm"] < 0
    assert found["scale_with_clearance"] == pytest.approx(1.315, abs=0.02)
    assert found["thinnest_wall_mm"] == pytest.approx(4.4, abs=0.2)
    assert found["thin_wall_area_mm2"] > 10_000


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("--wearer", "tail", "90"), "no form 'tail'"), (("--wearer", "head", "wide"), "measure in mm"),
        (("--wearer", "head", "90"), "between 300 and 800"), (("--stretch", "1", "0", "1"), "stretch"),
        (("--printer", "nowhere.json"), "no printer profile"), (("--wall", "-1"), "--wall must be"),
        (("--scale", "0"), "--scale must be"), (("--fineness", "900"), "--fineness must be"),
    ],
)
def test_sizes_that_make_no_sense_are_told(ball, arguments, says):
    done = call("measure", ball, *arguments)
    assert done.returncode == 2
    assert says in done.stderr
    assert done.stdout == ""


def test_mend_refuses_and_writes_nothing(ball, tmp_path):
    for arguments, says, code in (
        (("--out", tmp_path / "b.xyz"), "no known ending", 1),
        (("--out", tmp_path / "b.stl", "--thin", 5), "at least 100", 2),
        (("--out", tmp_path / "b.stl", "--rewrap", 500), "out of range", 1),
    ):
        done = call("mend", ball, *arguments)
        assert done.returncode == code
        assert says in done.stderr
    assert list(tmp_path.iterdir()) == []


def test_a_printer_profile_from_a_file(ball, tmp_path):
    profile = tmp_path / "mine.json"
    profile.write_text('{"name": "Mine", "kind": "resin", "bed_x": 50, "bed_y": 50, "height": 50}')
    assert answer("measure", ball, "--scale", 26, "--printer", profile)["fits"] is False
    assert answer("measure", ball, "--scale", 22, "--printer", profile)["fits"] is True


@pytest.fixture(scope="module")
def beam(tmp_path_factory):
    """A beam across a post."""
    path = tmp_path_factory.mktemp("data") / "beam.stl"
    post, across = trimesh.creation.box((20, 20, 60)), trimesh.creation.box((90, 20, 20))
    across.apply_translation((0, 0, 10))
    trimesh.boolean.union([post, across], engine="manifold").export(path)
    return path


def test_the_front_is_of_recipes_that_cut_takes(beam, tmp_path):
    found = answer("propose", beam, "--pieces", 2, "--top", 4)
    assert 1 <= len(found["front"]) <= 4
    supports = [one["support_volume_mm3"] for one in found["front"]]
    assert supports == sorted(supports)
    assert supports[0] < 0.2 * found["support_volume_before_mm3"]
    first = found["front"][0]
    assert {"overhang_area_mm2", "seam_in_sight_mm", "cut_area_mm2"} <= set(first)
    assert all({"volume_mm3", "down", "sits_flat", "fits"} <= set(piece) for piece in first["pieces"])
    assert len(first["pieces"]) == 2
    (tmp_path / "recipe.json").write_text(json.dumps(first["recipe"]))
    made = answer("cut", beam, "--recipe", tmp_path / "recipe.json", "--out", tmp_path / "out")
    assert made["support_volume_mm3"] == pytest.approx(supports[0], abs=1e-6)
    assert sum(piece["volume_mm3"] for piece in made["pieces"]) == pytest.approx(made["volume_before_mm3"])
    assert first["sit_flat"] == all(piece["sits_flat"] for piece in first["pieces"])
    assert first["beds"] == 1
    assert answer("propose", beam, "--pieces", 2, "--top", 4) == found  # the same input gives the same ways
    nothing = answer("propose", beam, "--seam-limit", 1)
    assert nothing["front"] == []
    assert "mm of seam. Allow" in nothing["why_none"]


def test_conditions_of_ways_by_command(beam):
    flat = answer("propose", beam, "--flat", "--fit", "small-filament")["front"]
    assert flat
    assert all(one["sit_flat"] and one["fit"] for one in flat)
    top = ("--avoid", 0, 0, 30, 60)  # all of it
    assert "Remove marks" in answer("propose", beam, *top)["why_none"]
    large = answer("propose", beam, "--least", 20)["front"]
    assert all(min(piece["volume_mm3"] for piece in one["pieces"]) >= 20_000 for one in large)
    stopped = call("propose", beam, "--time", 0, "--json")  # what there is so far: at least the whole in its best seats
    found = json.loads(stopped.stdout)
    assert not found["to_the_end"]
    assert found["whole"]
    assert min(one["support_volume_mm3"] for one in found["whole"]) <= found["support_volume_before_mm3"] + 1e-6
    assert bool(found["front"]) != bool(found["why_none"])
    assert "The time ran out" in stopped.stderr
    refused = call("propose", beam, "--avoid", 0, 0, 0, 0)
    assert refused.returncode == 2
    assert "must be more than 0" in refused.stderr


def test_sweep_by_command(beam):
    found = answer("sweep", beam, "--normal", 0, 0, 2, "--places", 50)
    assert found["normal"] == [0, 0, 1]
    assert len(found["places"]) == 50
    offsets = [place["offset"] for place in found["places"]]
    assert offsets == sorted(offsets)
    assert -30 < offsets[0] < offsets[-1] < 30
    # the section of the beam is 90 x 20
    assert max(place["cut_area_mm2"] for place in found["places"]) == pytest.approx(1800, rel=0.05)
    assert found["valleys"]


def test_a_recipe_with_many_kinds(beam, tmp_path):
    cuts = [
        {"kind": "straight", "id": "a", "name": "A", "normal": [0, 0, 3], "offset": -5, "kerf": 0.5},
        {"kind": "scoop", "id": "b", "name": "B", "centre": [40, 0, 20], "half": [6, 6, 6]},
        {"kind": "block", "id": "c", "name": "C", "x": [0.5], "on": False},
        {"kind": "straight", "id": "d", "name": "D", "normal": [1, 0, 0], "offset": -20,
         "reach": {"kind": "box", "centre": [-40, 0, 10], "half": [25, 20, 20]}},
    ]
    (tmp_path / "recipe.json").write_text(json.dumps({"cuts": cuts}))
    found = answer("cut", beam, "--recipe", tmp_path / "recipe.json", "--out", tmp_path / "out")
    assert [cut["kind"] for cut in found["cuts"]] == ["straight", "scoop", "straight"]
    assert found["kerf_volume_mm3"] == pytest.approx(0.5 * 400, rel=1e-6)
    parts = sum(piece["volume_mm3"] for piece in found["pieces"])
    assert parts + found["kerf_volume_mm3"] == pytest.approx(found["volume_before_mm3"], rel=1e-6)
    assert len(list((tmp_path / "out").glob("*.stl"))) == len(found["pieces"]) == 4


@pytest.mark.parametrize(
    ("recipe", "says"),
    [
        ("[]", "This recipe cannot be read"),
        ('{"cuts": [{"kind": "fold"}]}', "recipe"),
        ('{"cuts": [{"kind": "box", "id": "a", "name": "a", "centre": [0,0,0], "half": [0,1,1]}]}', "size"),
        ('{"cuts": [{"kind": "straight", "id": "a", "name": "Far", "normal": [0,0,1], "offset": 900}]}', "beside"),
        ('{"cuts": [{"kind": "bent", "id": "a", "name": "Knot", "view": [0,1,0],'
         ' "line": [[-50,0,-20],[50,0,20],[50,0,-20],[-50,0,20]]}]}', "crosses itself"),
    ],
)
def test_recipes_that_cannot_be_cut_are_told(beam, tmp_path, recipe, says):
    (tmp_path / "recipe.json").write_text(recipe)
    done = call("cut", beam, "--recipe", tmp_path / "recipe.json", "--out", tmp_path / "out")
    assert done.returncode == 1
    assert says in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert not list(tmp_path.glob("out/*.stl"))
