"""Scale, bodies, mending and copies in plans; walls, round edges, the largest size; printer profiles."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import BadPlan, OpenSurface
from deft_slab.core.evaluate.evaluator import Evaluator, evaluate
from deft_slab.core.exporting.beds import lay_out
from deft_slab.core.exporting.piece_files import write_3mf, write_project, write_solid
from deft_slab.core.figures.base_area import fit, largest_scale
from deft_slab.core.figures.sharp_edges import round_edge
from deft_slab.core.figures.wall_thickness import thickness, thinnest
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.geometry.place_on_bed import set_down
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Body, Guest, Mending, Plan
from deft_slab.core.plan.project import Project
from deft_slab.core.printers.profile import Printer, default_printer, read_printer, shipped_printers
from deft_slab.demo import TROUBLED
from tests.shapes import box, cone, hollow_ball, model_of, solid_of, sphere, together, tube, without_facets


def of_bodies(*meshes: trimesh.Trimesh) -> Model:
    """A model of several bodies, as a file with named objects gives it."""
    model = model_of(together(*meshes))
    bodies = tuple(Body(name=f"Part {n}", triangles=len(mesh.faces)) for n, mesh in enumerate(meshes, 1))
    return Model("Thing", model.solid, model.grid, "mm", bodies)


# scale


@pytest.mark.parametrize(("percent", "volume"), [(105, 1.158), (110, 1.331), (112, 1.405), (116, 1.561)])
def test_scaling_as_in_the_trade(percent, volume, printer):
    """Common practice: volume grows by the cube, walls by the percentage itself."""
    model = model_of(tube(20, 23, 30))
    plan = Plan(model=model.ref).sized(scale=percent / 100)
    piece = evaluate(model, plan, printer).pieces[0]
    assert piece.solid.volume / model.solid.volume == pytest.approx(volume, abs=1e-3)
    side = np.abs(piece.solid.normals[:, 2]) < 0.5
    assert thickness(piece.solid)[side] == pytest.approx(3 * percent / 100, rel=1e-3)


factor = st.floats(0.2, 5)


@given(st.tuples(factor, factor, factor), st.sampled_from([None, "x", "y", "z"]), st.floats(-20, 20))
def test_cuts_and_volumes_keep_their_places_at_any_size(stretch, mirror, offset):
    """Each axis apart, mirrored too: the pieces keep their shares, all closed and outward."""
    model = model_of(solid_of(box(60, 40, 50, (-30, -20, -25))))
    normal = tuple((np.array([1.0, 2.0, -2.0]) / 3).tolist())
    plan = Plan(model=model.ref).with_cut(StraightCut(id="c1", name="Cut", normal=normal, offset=offset))
    before = Evaluator(model).evaluate(plan, default_printer(), detail="quick")
    sized = plan.sized(stretch=stretch, mirror=mirror)
    after = Evaluator(model).evaluate(sized, default_printer(), detail="quick")
    growth = math.prod(stretch)
    assert len(after.pieces) == len(before.pieces)
    for a, b in zip(after.pieces, before.pieces, strict=True):
        assert a.sides == b.sides
        assert not a.solid.defects.sentence()
        assert a.solid.volume == pytest.approx(growth * b.solid.volume, rel=1e-6)
    assert sized.sized(stretch=(1.0, 1.0, 1.0), mirror=None).recipe[0].offset == pytest.approx(offset, abs=1e-9)


def test_a_stretched_ball_is_said_to_be_no_longer_round(printer):
    model = model_of(sphere(20, 3))
    outcome = evaluate(model, Plan(model=model.ref).sized(stretch=(1.0, 1.0, 2.0)), printer)
    assert any("no longer round" in note.says for note in outcome.notes)
    assert outcome.pieces[0].figures.height_mm == pytest.approx(80, rel=0.01)
    assert outcome.pieces[0].as_opened is None


@pytest.mark.parametrize(("unit", "word"), [("mm", "only 2 mm"), ("m", "2 m long"), ("cm", None)])
def test_suspicious_sizes_are_noticed(unit, word, printer):
    model = model_of(solid_of(box(2, 1, 1)))
    scaled = {"m": 1.001}.get(unit, 1.0)
    notes = evaluate(model, Plan(model=model.ref, unit=unit, scale=scaled), printer).notes
    assert any(word in note.says for note in notes) if word else not any("unit right" in note.says for note in notes)


def test_plans_refuse_sizes_and_roles_that_make_no_sense():
    model = of_bodies(box(5, 5, 5), box(5, 5, 5, (9, 0, 0)))
    plan = Plan(model=model.ref)
    for bad in ({"stretch": (0.0, 1.0, 1.0)}, {"scale": 0.0}, {"mirror": "w"}, {"copies": 0}, {"roles": ("left out",)},
                {"roles": ("left out", "left out")}):
        with pytest.raises(BadPlan):
            plan.changed(**bad)
    with pytest.raises(BadPlan, match="no body 7"):
        plan.with_role(7, "left out")
    assert plan.with_role(1, "left out").with_role(1, "with the rest") == plan


@given(st.sampled_from(["mm", "in"]), factor, st.tuples(factor, factor, factor), st.sampled_from([None, "y"]),
       st.lists(st.sampled_from(["with the rest", "on its own"]), min_size=2, max_size=2), st.integers(1, 9),
       st.booleans(), st.one_of(st.none(), st.floats(0.1, 9)))
def test_plans_round_trip(unit, scale, stretch, mirror, roles, copies, close, rewrap):
    ref = of_bodies(box(5, 5, 5), box(5, 5, 5, (9, 0, 0))).ref
    guest = Guest(id="g1", name="Head", form="head", measure=571.5, place=(0.1, -3.0, 1e-3))
    plan = Plan(model=ref, unit=unit, scale=scale, stretch=stretch, mirror=mirror, copies=copies, roles=tuple(roles),
                mending=Mending(close=close, rewrap=rewrap), guests=(guest,))
    assert Plan.model_validate_json(plan.model_dump_json()) == plan


# bodies


def test_bodies_are_kept_left_out_or_pieces_of_their_own(printer):
    model = of_bodies(box(20, 20, 20), box(10, 10, 10, (40, 0, 0)), box(5, 5, 60, (60, 0, 0)))
    plan = Plan(model=model.ref)
    whole = evaluate(model, plan, printer)
    assert [piece.solid.volume for piece in whole.pieces] == pytest.approx([8000 + 1000 + 1500])
    assert whole.pieces[0].alone
    without = evaluate(model, plan.with_role(2, "left out"), printer)
    assert without.pieces[0].solid.volume == pytest.approx(9000)
    apart = evaluate(model, plan.with_role(1, "on its own"), printer)
    assert [piece.name for piece in apart.pieces] == ["Thing", "Part 2"]
    assert [piece.solid.volume for piece in apart.pieces] == pytest.approx([9500, 1000])
    assert not any(piece.alone for piece in apart.pieces)
    assert all(piece.seat_kind == "as the model stands" for piece in apart.pieces)


def test_a_piece_of_its_own_is_cut_and_seated_by_itself(printer):
    model = of_bodies(box(20, 20, 20), box(10, 10, 30, (40, 0, 0)))
    plan = Plan(model=model.ref).with_role(1, "on its own")
    plan = plan.with_cut(StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=25))
    outcome = evaluate(model, plan, printer)
    assert sorted((piece.name, round(piece.solid.volume)) for piece in outcome.pieces) == [
        ("Lower 2", 2500), ("Part 1", 8000), ("Upper 2", 500),
    ]
    lone = evaluate(model, Plan(model=model.ref).with_role(1, "on its own"), printer)
    wish = lone.pieces[1].wish(seat=Tilt.turn((1, 0, 0), 90))
    again = evaluate(model, lone.plan.with_wish(wish), printer)
    assert [piece.figures.height_mm for piece in again.pieces] == pytest.approx([20, 10])


def test_overlapping_bodies_join_within_their_group_only(printer):
    model = of_bodies(box(20, 20, 20), box(20, 20, 20, (10, 0, 0)))
    joined = evaluate(model, Plan(model=model.ref), printer)
    assert joined.pieces[0].solid.volume == pytest.approx(12000)
    assert any("merged" in note.says for note in joined.notes)
    apart = evaluate(model, Plan(model=model.ref).with_role(1, "on its own"), printer)
    assert [piece.solid.volume for piece in apart.pieces] == pytest.approx([8000, 8000])
    assert apart.report.steps == ()


def test_mending_is_part_of_the_plan_and_can_be_left_out(printer):
    ball = sphere(20, 4)
    model = model_of(without_facets(ball, ball.normals[:, 2] > 0.9))
    plan = Plan(model=model.ref)
    level = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=0)
    with pytest.raises(OpenSurface):
        evaluate(model, plan.with_cut(level), printer)
    evaluator = Evaluator(model)
    mended = plan.changed(mending=Mending(clean=True, orient=True, close=True))
    outcome = evaluator.evaluate(mended.with_cut(level), printer)
    assert sum(piece.solid.volume for piece in outcome.pieces) == pytest.approx(ball.volume, rel=0.005)
    assert outcome.report.volume_before is None
    assert outcome.seams["c1"].in_sight == pytest.approx(2 * math.pi * 20, rel=0.02)
    assert evaluator.evaluate(plan, printer).volume_before_mm3 is None
    assert evaluator.ready(mended) <= 6_000
    quick = evaluator.evaluate(mended.with_cut(level), printer, detail="quick")
    assert quick.totals.seam_length_mm == pytest.approx(outcome.totals.seam_length_mm, rel=0.02)


# copies and hand-off


def test_copies_lie_side_by_side_and_share_their_mesh(tmp_path, printer):
    """Common practice: four copies at once. As many build items, each in its place, none overlapping."""
    model = model_of(solid_of(box(90, 60, 20)))
    plan = Plan(model=model.ref, copies=7)
    outcome = evaluate(model, plan, printer)
    laid = lay_out(outcome.pieces, printer, 7)
    assert len(laid) == 7
    corners = [(place.bed, *np.round(place.shift, 6)) for place in laid]
    assert len(set(corners)) == 7
    for a in range(7):
        for b in range(a):
            if laid[a].bed == laid[b].bed:
                gap = np.abs(laid[a].shift - laid[b].shift)[:2]
                assert gap[0] >= 90 or gap[1] >= 60
    written = write_3mf(outcome.pieces, printer, "Boxes", tmp_path / "boxes.3mf", copies=7)
    assert written.pieces == 7
    found = open_file(tmp_path / "boxes.3mf").model
    assert len(found.solid.triangles) == 7 * 12
    assert found.solid.volume == pytest.approx(7 * 90 * 60 * 20)
    one = evaluate(model, plan.changed(copies=1), printer)
    assert one.totals == outcome.totals


def test_a_project_keeps_its_bodies_its_printer_and_its_guests(tmp_path, printer):
    model = of_bodies(box(20, 20, 20), box(10, 10, 10, (40, 0, 0)))
    ruler = model_of(solid_of(box(100, 20, 2)), "Ruler")
    guest = Guest(id="g1", name="Ruler", form="model", model=ruler.ref)
    plan = Plan(model=model.ref, mirror="x", copies=2).with_role(1, "on its own").with_guest(guest)
    resin = shipped_printers()["large-resin"]
    project = Project(title="Thing", plan=plan, printer=resin)
    pieces = evaluate(model, plan, printer).pieces
    write_project(project, model, pieces, resin, tmp_path / "p.3mf", guests={ruler.sha256: ruler.solid})
    again = open_file(tmp_path / "p.3mf")
    assert again.project == project
    assert again.model.sha256 == model.sha256
    assert again.model.bodies == model.bodies
    assert again.guests[ruler.sha256].sha256 == ruler.sha256
    volumes = [piece.solid.volume for piece in evaluate(again.model, again.project.plan, printer).pieces]
    assert volumes == pytest.approx([8000, 1000])


@pytest.mark.parametrize("ending", ["stl", "3mf", "ply", "obj", "off"])
def test_surfaces_are_written_in_open_formats(tmp_path, ending):
    ball = sphere(20, 3)
    write_solid(ball, "Ball", tmp_path / f"ball.{ending}")
    assert open_file(tmp_path / f"ball.{ending}").model.solid.volume == pytest.approx(ball.volume, rel=1e-5)
    with pytest.raises(BadPlan, match="no known ending"):
        write_solid(ball, "Ball", tmp_path / "ball.xyz")


# the largest size


@given(st.floats(1, 300), st.floats(1, 300), st.floats(1, 300))
def test_the_largest_scale_just_fits(x, y, z):
    printer = default_printer()
    vertices = set_down(solid_of(box(x, y, z)).vertices, np.eye(3))
    scale = largest_scale(vertices, printer)
    assert fit(vertices * (scale * 0.9999), printer).fits
    assert not fit(vertices * (scale * 1.001), printer).fits
    upright = min(250 / z, 216 / min(x, y), 216 * math.sqrt(2) / max(x, y))
    assert scale <= upright * 1.001


def test_an_endless_bed_takes_any_length():
    belt = shipped_printers()["belt"]
    long = solid_of(box(5000, 100, 50))
    assert fit(long.vertices, belt).fits
    assert not fit(long.vertices, default_printer()).fits
    assert fit(solid_of(box(300, 300, 50)).vertices, belt).sentence() == "104.0 mm too wide"
    model = model_of(solid_of(box(100, 400, 20)))
    pieces = evaluate(model, Plan(model=model.ref, copies=3), belt).pieces
    laid = lay_out(pieces, belt, 3)
    assert {place.bed for place in laid} == {0}
    assert max(place.shift[1] for place in laid) > 800


# walls and round edges


def test_walls_against_what_was_built():
    pipe = tube(20, 23.5, 40, 256)
    side = np.abs(pipe.normals[:, 2]) < 0.5
    assert thickness(pipe)[side] == pytest.approx(3.5, abs=0.01)
    assert thickness(pipe)[~side] == pytest.approx(40)
    shell = hollow_ball(30, 28.8, 5)
    assert thinnest(thickness(shell), shell.areas) == pytest.approx(1.2, abs=0.05)
    assert thickness(solid_of(box(10, 20, 30)), np.array([0, 1])).shape == (2,)


def test_the_wall_of_an_open_surface_has_no_end():
    sheet = solid_of(trimesh.Trimesh([[0, 0, 0], [9, 0, 0], [0, 9, 0]], [[0, 1, 2]]))
    assert np.isinf(thickness(sheet)).all()


@pytest.mark.parametrize(("near", "diameter"), [((20, 0, 30), 40), ((0, 26, 0), 50)])
def test_round_edges_against_what_was_built(near, diameter):
    pipe = tube(20, 25, 30, 180)
    pipe = Solid(pipe.vertices - [0, 0, pipe.bounds[0][2]], pipe.triangles)
    turn = Tilt.turn((1, 2, 3), 40).rotation
    found = round_edge(Solid(pipe.vertices @ turn.T, pipe.triangles), turn @ np.array(near, float))
    assert found.diameter == pytest.approx(diameter, rel=1e-3)
    assert found.off < 0.01
    assert len(found.corners) == 180


def test_edges_that_are_not_round():
    with pytest.raises(BadPlan, match="straight, or too short|not round"):
        round_edge(solid_of(box(10, 20, 30)), np.array([0.0, 0, 15]))
    with pytest.raises(BadPlan, match="no sharp edge"):
        round_edge(sphere(20, 4), np.array([20.0, 0, 0]))
    foot = round_edge(cone(15, 40), np.array([15.0, 0, 0]))
    assert foot.diameter == pytest.approx(30, rel=1e-3)


# printers


def test_shipped_printers_are_a_small_a_middle_and_a_large_bed_two_resins_and_a_belt():
    shipped = shipped_printers()
    assert default_printer() == shipped["middle-filament"]
    kinds = {key: printer.kind for key, printer in shipped.items()}
    assert sorted(kinds.values()) == ["filament"] * 4 + ["resin"] * 2
    beds = [shipped[f"{size}-filament"].bed_x for size in ("small", "middle", "large")]
    assert beds == sorted(beds)
    assert shipped["belt"].endless == "y"
    for printer in shipped.values():
        assert read_printer(printer.model_dump_json().encode()) == printer
        # two line widths (common practice); a pixel of resin says nothing of a wall
        thinnest = 0.5 if printer.kind == "resin" else 2 * printer.line_width
        assert printer.thinnest_wall == pytest.approx(thinnest)


def test_profiles_that_make_no_sense_are_refused():
    printer = default_printer()
    for bad in ({"bed_x": 0}, {"margin": 200}, {"layer_heights": ()}, {"name": " "}, {"kind": "laser"}):
        with pytest.raises(BadPlan, match="Printer profile"):
            printer.changed(**bad)
    for text in (b"", b"{}", b"[1, 2]", b"\xff" * 20, printer.model_dump_json().replace("220.0", '"wide"').encode(),
                 b" " * 200_000):
        with pytest.raises(BadPlan):
            read_printer(text)
    old = '{"name": "Old", "kind": "filament", "bed_x": 200, "bed_y": 200, "height": 180}'
    assert read_printer(old.encode()) == Printer(name="Old", kind="filament", bed_x=200, bed_y=200, height=180)


def test_a_file_made_to_stand_on_y_is_noted(printer):
    model = open_file(TROUBLED["standing-on-y"]).model
    lying = evaluate(model, Plan(model=model.ref, unit="m"), printer)
    assert any("stand on Y" in note.says for note in lying.notes)
    upright = evaluate(model, Plan(model=model.ref, unit="m", tilt=Tilt.turn((1, 0, 0), 90)), printer)
    assert not any("stand on Y" in note.says for note in upright.notes)
    assert upright.pieces[0].figures.height_mm == pytest.approx(135, abs=1)
