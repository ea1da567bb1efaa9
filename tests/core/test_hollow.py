"""Hollowing: voids, lattice, vents and plugs, against formulas, trimesh and igl."""

from __future__ import annotations

import json
import math

import igl
import manifold3d
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from deft_slab import cli
from deft_slab.core.cuts import StraightCut
from deft_slab.core.document.marks import Mark
from deft_slab.core.errors import BadPlan
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.hollowing.bodies import hole, plug
from deft_slab.core.hollowing.lattice import axes, lattice
from deft_slab.core.hollowing.voids import least_wall, voids_of
from deft_slab.core.inspection.inspect import check
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.hollow import Hollow, Vent
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import Recipe, read_recipe
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.core.search.vents import proposed_vents
from tests.shapes import box, hollow_ball, joined, model_of, solid_of, sphere, together

RESIN = shipped_printers()["large-resin"]
UP = np.array([0.0, 0.0, 1.0])


def hollowed(solid: Solid, *, lift: float = 5.0, vents: bool = False, plan: Plan | None = None, **wishes):
    """(evaluator, plan, outcome) of a body made hollow as a whole."""
    model = model_of(solid)
    shop = Evaluator(model)
    plan = plan or Plan(model=model.ref, lift=lift)
    plan = plan.changed(model=model.ref)
    piece = shop.evaluate(plan, RESIN, detail="figures").pieces[0]
    hollow = Hollow(id="h1", anchor=piece.anchor, sides=piece.sides, down=piece.seat.down, **{"wall": 2.0} | wishes)
    plan = plan.with_hollow(hollow)
    if vents:
        plan = plan.with_hollow(hollow.model_copy(update={"vents": proposed_vents(shop, plan, "h1", RESIN)}))
    return shop, plan, shop.evaluate(plan, RESIN)


def as_trimesh(solid: Solid) -> trimesh.Trimesh:
    return trimesh.Trimesh(solid.vertices, solid.triangles, process=False)


# voids


def test_a_hollow_sphere_by_formula():
    solid = sphere(20.0)
    (void,) = voids_of(solid, 2.0, 0.5, 10.0)
    assert void.volume() == pytest.approx(4 / 3 * math.pi * 18.0**3, rel=0.015)
    # igl's own distances from the corners of the void to the surface
    corners = np.asarray(void.to_mesh64().vert_properties)[:, :3]
    away = np.sqrt(igl.point_mesh_squared_distance(corners, np.array(solid.vertices),
                                                   solid.triangles.astype(np.int64))[0])
    assert away.min() >= 2.0 - 0.5
    assert away.min() == pytest.approx(least_wall(solid, [void]), abs=0.02)
    assert away.max() <= 2.0 + 0.5


@given(st.floats(1.0, 3.0), st.floats(14.0, 30.0), st.floats(14.0, 30.0))
def test_a_hollow_box_by_formula(wall, width, depth):
    """Its void is the box less two walls each way, to within the fineness."""
    solid = joined(box(width, depth, 20.0))
    (void,) = voids_of(solid, wall, wall / 4, 1.0)
    low, high = ((width - 2 * wall - g) * (depth - 2 * wall - g) * (20 - 2 * wall - g) for g in (wall / 2, 0.0))
    assert low <= void.volume() <= high * 1.001
    assert least_wall(solid, [void]) >= 0.75 * wall


def test_a_rod_no_thicker_than_two_walls_gets_no_void():
    """A cylinder of diameter <= 2 walls gets none (common practice); the plan is kept and it is said why."""
    rod = solid_of(trimesh.creation.cylinder(2.0, 40.0, sections=64))
    assert voids_of(rod, 2.0, 0.5, 1.0) == []
    _, plan, outcome = hollowed(rod)
    assert "There is nothing to hollow" in outcome.hollows["h1"].problem
    assert any("There is nothing to hollow" in note.says for note in outcome.notes)
    assert outcome.pieces[0].solid.volume == pytest.approx(rod.volume, rel=1e-6)
    assert plan.hollows


def test_a_thin_limb_stays_solid():
    body = joined(box(30, 30, 30), box(20, 3.5, 3.5, (30, 13, 13)))
    (void,) = voids_of(body, 2.0, 0.5, 10.0)
    assert void.bounding_box()[3] < 29.0


def test_voids_that_are_there_already_keep_a_wall_too():
    ball = hollow_ball(30.0, 10.0)
    voids = voids_of(ball, 2.0, 0.5, 10.0)
    amount = sum(void.volume() for void in voids)
    assert amount == pytest.approx(4 / 3 * math.pi * (28.0**3 - 12.0**3), rel=0.03)


def test_bodies_that_overlap_are_hollowed_as_one():
    _, _, outcome = hollowed(together(box(30, 30, 20), box(30, 30, 20, (10, 5, 8))))
    report = outcome.hollows["h1"]
    assert len(report.voids) == 1
    assert as_trimesh(outcome.pieces[0].solid).is_watertight


def test_it_stays_solid_below_a_height():
    _, _, outcome = hollowed(joined(box(30, 30, 40)), solid_below=15.0)
    made = as_trimesh(outcome.pieces[0].solid)
    assert outcome.hollows["h1"].voids[0] == pytest.approx(26 * 26 * 23, rel=0.03)
    inside = made.vertices[(np.abs(made.vertices[:, :2] - 15) < 13.5).all(axis=1)]
    assert inside[:, 2].min() >= 15.0 - 1e-6


# lattice


def test_lattice_by_formula():
    """Three families of rods fill 3 pi (r/s)^2 - 8 sqrt(2) (r/s)^3 of space: three cylinders of length s in a cube,
    less what crossing cylinders share (bicylinder 16 r^3 / 3, tricylinder 8 (2 - sqrt 2) r^3; geometry handbooks).
    """
    void = manifold3d.Manifold.cube((50, 50, 50))
    rods = lattice(void, UP, 10.0, 1.0)
    share = (void ^ rods).volume() / void.volume()
    formula = 3 * math.pi * 0.01 - 8 * math.sqrt(2) * 0.001
    assert share == pytest.approx(formula, rel=0.05)


def test_rods_are_round_and_print_without_support():
    along = axes(UP)
    assert along @ along.T == pytest.approx(np.eye(3), abs=1e-12)
    # each rises by 35.3 degrees: its underside is 54.7 degrees from the vertical at the most, over a span of a rod
    assert np.degrees(np.arcsin(along @ UP)) == pytest.approx([35.264] * 3, abs=1e-3)
    tilted = np.array([0.6, 0.0, 0.8])
    assert axes(tilted) @ tilted == pytest.approx([math.sqrt(1 / 3)] * 3)


def test_a_lattice_leaves_the_volume_as_stated():
    _, _, outcome = hollowed(sphere(25.0), spacing=10.0, radius=1.0, vents=True)
    piece, report = outcome.pieces[0], outcome.hollows["h1"]
    assert as_trimesh(piece.solid).is_watertight
    assert outcome.lost_share < 1e-6
    assert report.removed < 0.95 * sum(report.voids)


# vents and plugs


def test_a_plug_by_formula():
    """Radius 2 to 1.5 over 2 mm: a frustum of pi h / 3 (R^2 + R r + r^2) = 19.37 mm3 (geometry handbooks)."""
    wall = manifold3d.Manifold.cube((20, 20, 2)).translate((-10, -10, 0))
    vent = Vent(id="v1", place=(0, 0, 0), along=(0, 0, 1), outer=2.0, inner=1.5, plug=True)
    body = plug(vent, 2.0, 0.0, keyed=False) ^ wall
    assert body.volume() == pytest.approx(19.37, abs=0.01)
    assert (wall - hole(vent, 2.0, 0.0, keyed=False)).volume() == pytest.approx(800 - 19.37, abs=0.01)


def test_a_plug_has_its_gap_all_round_and_goes_in_one_way():
    wall = manifold3d.Manifold.cube((20, 20, 3)).translate((-10, -10, 0))
    vent = Vent(id="v1", place=(0, 0, 0), along=(0, 0, 1), plug=True)
    open_, body = wall - hole(vent, 3.0, 0.2, keyed=True), plug(vent, 3.0, 0.2, keyed=True) ^ wall
    slope = math.cos(math.atan2(0.5, 3.0))
    assert body.min_gap(open_, 1.0) == pytest.approx(0.2 * slope, abs=0.01)
    assert (open_ ^ body).volume() == pytest.approx(0.0, abs=1e-9)
    turned = body.rotate((0, 0, 90))
    assert (open_ ^ turned).volume() > 0.1  # its ridge meets the wall


def test_vents_leave_no_large_cup_and_are_written_as_stated(tmp_path):
    shop, plan, outcome = hollowed(sphere(25.0), vents=True)
    vents = plan.hollows[0].vents
    report = outcome.hollows["h1"]
    assert len(vents) >= 2
    assert all(one.reaches for one in report.vents)
    assert report.unvented == 0
    (found,) = check(shop, plan, RESIN)
    assert max((pocket.area for pocket in found.pockets), default=0.0) <= RESIN.most_cup
    assert not any(pocket.trapped for pocket in found.pockets)
    piece = outcome.pieces[0]
    written = write_solid(piece.solid, "Ball", tmp_path / "ball.stl", replace=False)
    mesh = trimesh.load(tmp_path / "ball.stl")
    assert mesh.is_watertight
    assert mesh.volume == pytest.approx(piece.solid.volume, rel=1e-5)
    assert written is None or written
    assert mesh.volume == pytest.approx(sphere(25.0).volume - outcome.hollows_mm3, rel=1e-5)


def test_without_vents_the_void_is_trapped():
    shop, plan, outcome = hollowed(sphere(25.0))
    assert outcome.hollows["h1"].unvented == 1
    assert any("no vent" in note.says for note in outcome.notes)
    (found,) = check(shop, plan, RESIN)
    (pocket,) = found.pockets
    assert pocket.trapped
    assert pocket.volume == pytest.approx(outcome.hollows["h1"].voids[0], rel=0.01)


def test_no_vent_is_on_a_show_face():
    marks = (Mark(meaning="show", shape="box", places=((0.0, 0.0, 0.0),), half=(60.0, 60.0, 14.0)),)
    plan = Plan(model=model_of(sphere(25.0)).ref, lift=5.0, marks=marks)
    _, plan, outcome = hollowed(sphere(25.0), plan=plan, vents=True)
    vents = plan.hollows[0].vents
    assert vents
    for vent in vents:
        assert abs(vent.place[2]) > 13.0
    assert all(one.reaches for one in outcome.hollows["h1"].vents)


def test_a_vent_that_somebody_puts_on_a_show_face_is_said():
    shop, plan, _ = hollowed(joined(box(30, 30, 30)))
    top = Mark(meaning="show", shape="grown", places=((5.0, 5.0, 30.0),), limit=30.0)
    vents = (Vent(id="v1", place=(15.0, 15.0, 30.0), along=(0, 0, -1)),
             Vent(id="v2", place=(0.0, 15.0, 15.0), along=(1, 0, 0)))
    plan = plan.with_hollow(plan.hollows[0].model_copy(update={"vents": vents}))
    notes = shop.evaluate(plan.changed(marks=(top,)), RESIN).notes
    (note,) = [note for note in notes if note.code == "hollow.vent_on_show_face"]
    assert (note.says, note.place) == ("Vent v1 of hollow h1 opens on a show face.", vents[0].place)
    assert not any("show face" in note.says for note in shop.evaluate(plan, RESIN).notes)


def test_vents_go_on_cut_faces_first():
    solid = joined(box(60, 30, 30))
    model = model_of(solid)
    shop = Evaluator(model)
    plan = Plan(model=model.ref, lift=5.0,
                recipe=(StraightCut(id="c1", name="Cut", normal=(1, 0, 0), offset=30.0),))
    piece = shop.evaluate(plan, RESIN, detail="figures").pieces[0]
    plan = plan.with_hollow(Hollow(id="h1", wall=2.0, sides=piece.sides, anchor=piece.anchor, down=piece.seat.down))
    vents = proposed_vents(shop, plan, "h1", RESIN)
    assert any(abs(vent.place[0] - 30.0) < 1e-3 for vent in vents)


def test_a_vent_that_was_moved_says_what_it_misses():
    shop, plan, _ = hollowed(joined(box(30, 30, 30)))
    hollow = plan.hollows[0]
    corner = Vent(id="v1", place=(1.0, 1.0, 30.0), along=(0, 0, -1))
    gone = Vent(id="v2", place=(15.0, 15.0, 45.0), along=(0, 0, -1))
    good = Vent(id="v3", place=(15.0, 15.0, 30.0), along=(0, 0, -1))
    plan = plan.with_hollow(hollow.model_copy(update={"vents": (corner, gone, good)}))
    outcome = shop.evaluate(plan, RESIN)
    missed, off, reached = outcome.hollows["h1"].vents
    assert "misses the void, and comes out again after 30.0 mm" in missed.problem
    assert "no longer on the surface" in off.problem
    assert reached.reaches
    assert reached.length == pytest.approx(2.05, abs=0.05)
    assert sum("is not made" in note.says for note in outcome.notes) == 2
    assert as_trimesh(outcome.pieces[0].solid).is_watertight


def test_a_vent_on_a_cut_face_that_is_later_moved():
    solid = joined(box(60, 30, 30))
    model = model_of(solid)
    shop, cut = Evaluator(model), StraightCut(id="c1", name="Cut", normal=(1, 0, 0), offset=30.0)
    plan = Plan(model=model.ref, lift=5.0, recipe=(cut,))
    piece = next(one for one in shop.evaluate(plan, RESIN, detail="figures").pieces if one.anchor[0] < 30)
    vent = Vent(id="v1", place=(30.0, 15.0, 15.0), along=(-1, 0, 0))
    plan = plan.with_hollow(Hollow(id="h1", wall=2.0, sides=piece.sides, anchor=piece.anchor, vents=(vent,)))
    assert shop.evaluate(plan, RESIN).hollows["h1"].vents[0].reaches
    moved = plan.with_cut(cut.model_copy(update={"offset": 40.0}))
    outcome = shop.evaluate(moved, RESIN)
    assert "no longer on the surface" in outcome.hollows["h1"].vents[0].problem
    assert outcome.lost_share < 1e-6
    without = shop.evaluate(plan.without_cut("c1"), RESIN)
    assert without.hollows["h1"].problem == "Its piece no longer exists."


# plans


def test_hollows_follow_the_size_and_come_back_from_a_recipe():
    shop, plan, outcome = hollowed(sphere(20.0), vents=True)
    larger = plan.sized(scale=2.0)
    assert larger.hollows[0].wall == 2.0
    assert np.array(larger.hollows[0].vents[0].place) == pytest.approx(2 * np.array(plan.hollows[0].vents[0].place))
    made = shop.evaluate(larger, RESIN)
    assert made.hollows["h1"].voids[0] == pytest.approx(4 / 3 * math.pi * 38.0**3, rel=0.01)
    assert all(one.reaches for one in made.hollows["h1"].vents)
    mirrored = shop.evaluate(plan.sized(mirror="x"), RESIN)
    assert all(one.reaches for one in mirrored.hollows["h1"].vents)
    recipe = Recipe(cuts=(), hollows=plan.hollows)
    assert read_recipe(recipe.model_dump_json().encode()).hollows == plan.hollows
    assert Plan.model_validate_json(plan.model_dump_json()) == plan
    assert outcome.lost_share < 1e-6


def test_what_makes_no_sense_is_refused():
    with pytest.raises(ValueError, match="half the wall"):
        Hollow(id="h", anchor=(0, 0, 0), wall=2.0, fineness=1.5)
    with pytest.raises(ValueError, match="two rod diameters"):
        Hollow(id="h", anchor=(0, 0, 0), wall=2.0, spacing=3.0, radius=1.0)
    with pytest.raises(ValueError, match="fall through"):
        Vent(id="v", place=(0, 0, 0), along=(0, 0, 1), outer=1.0, inner=2.0)
    model = model_of(sphere(10.0))
    one = Hollow(id="h1", anchor=(0, 0, 0), wall=2.0)
    with pytest.raises(BadPlan, match="same id"):
        Plan(model=model.ref).changed(hollows=(one, one))
    _, _, outcome = hollowed(joined(box(300, 300, 300)), wall=1.0, fineness=0.05)
    assert "too fine for a piece of this size" in outcome.hollows["h1"].problem


def test_by_command(tmp_path, capsys):
    write_solid(sphere(22.0, 4), "Ball", tmp_path / "ball.stl", replace=False)
    out = tmp_path / "out"
    asked = ["hollow", str(tmp_path / "ball.stl"), "--wall", "2", "--lattice", "10", "1", "--plugs", "--lift", "5",
             "--printer", "large-resin", "--out", str(out), "--json"]
    assert cli.main(asked) == 0
    said = json.loads(capsys.readouterr().out)
    (void,) = said["voids"]
    assert void["volume_mm3"] == pytest.approx(4 / 3 * math.pi * 20.0**3, rel=0.03)
    assert all(vent["reaches"] and 0 <= vent["exposure"] <= 1.001 for vent in void["vents"])
    assert said["least_wall_mm"] >= 1.5
    meshes = [trimesh.load(out / one["file"]) for one in (*said["pieces"], *said["extras"])]
    assert len(meshes) == 1 + len(void["vents"])
    assert all(mesh.is_watertight for mesh in meshes)
    before = said["volume_before_mm3"]
    assert sum(mesh.volume for mesh in meshes) == pytest.approx(before - said["saved_mm3"], rel=1e-5)
    assert {one["name"] for one in said["extras"]} >= {"Plug 1"}
    assert cli.main(asked) != 0
    assert "already exists in" in capsys.readouterr().err
    assert cli.main([*asked[:3], "30", *asked[4:], "--replace"]) != 0
    assert "There is nothing to hollow" in capsys.readouterr().err
