"""Show faces, hold and clear spots, and the audience."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from pydantic import ValidationError

from deft_slab.core.cuts import StraightCut
from deft_slab.core.document.marks import Audience, Mark
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.exposure import exposure
from deft_slab.core.figures.marked_facets import facets_at, facets_taken, marked, most_detailed
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.adjacency import neighbours
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Project, read_project
from deft_slab.core.printers.profile import default_printer
from deft_slab.demo import MODELS
from tests.shapes import box, joined, model_of, ring, solid_of, sphere

PRINTER = default_printer()


def nobody(_):
    raise AssertionError("the exposure was not asked for")


def fine(mesh: trimesh.Trimesh, most: float) -> Solid:
    return solid_of(mesh.subdivide_to_size(most))


def area(solid: Solid, mark: Mark) -> float:
    return float(solid.areas[facets_taken(solid, mark, nobody)].sum())


def test_a_region_grows_up_to_creases():
    """A box face is a region; a cylinder's side is one, its ends are two others."""
    cube = fine(box(20, 20, 20), 3)
    found = Mark(meaning="show", shape="grown", places=((10, 10, 20),), limit=30)
    assert area(cube, found) == pytest.approx(400)
    assert area(cube, found.model_copy(update={"limit": 91})) == pytest.approx(2400)
    tin = solid_of(trimesh.creation.cylinder(10, 30, sections=96))
    side = Mark(meaning="show", shape="grown", places=((10, 0, 3),), limit=30)
    assert area(tin, side) == pytest.approx(2 * math.pi * 10 * 30, rel=0.01)
    near = side.model_copy(update={"reach": 3.0})
    assert area(tin, near) < 0.2 * area(tin, side)


def test_a_brush_stays_on_its_side_of_a_thin_wall():
    plate = fine(box(40, 40, 1), 1.5)
    stroke = Mark(
        meaning="show", shape="brush", places=((15, 20, 1), (25, 20, 1)), facing=((0, 0, 1), (0, 0, 1)), reach=5
    )
    found = facets_taken(plate, stroke, nobody)
    assert (plate.normals[found, 2] > 0.9).all()
    # two discs of radius 5 that are 10 apart
    assert plate.areas[found].sum() == pytest.approx(2 * math.pi * 25, rel=0.15)
    both = stroke.model_copy(update={"facing": ()})
    assert plate.areas[facets_taken(plate, both, nobody)].sum() > 1.8 * plate.areas[found].sum()


def test_a_brush_takes_the_facet_under_it_however_large():
    cube = solid_of(box(20, 20, 20))
    stroke = Mark(meaning="show", shape="brush", places=((3, 2, 20),), facing=((0, 0, 1),), reach=0.5)
    assert area(cube, stroke) == pytest.approx(200)


def test_a_ball_and_a_box_take_what_lies_in_them():
    plate = fine(box(60, 60, 2), 1.0)
    ball = Mark(meaning="clear", shape="ball", places=((30, 30, 2),), half=(10, 10, 1))
    assert area(plate, ball) == pytest.approx(math.pi * 100, rel=0.05)
    block = Mark(meaning="clear", shape="box", places=((30, 30, 2),), half=(10, 5, 0.5))
    assert area(plate, block) == pytest.approx(200, rel=0.12)
    assert area(plate, ball.model_copy(update={"places": ((500, 0, 0),)})) == 0
    assert area(plate, ball.model_copy(update={"places": ()})) == 0


def test_marks_act_in_their_order():
    plate = fine(box(60, 60, 2), 2.0)
    top = Mark(meaning="show", shape="grown", places=((30, 30, 2),))
    hole = Mark(meaning="show", shape="box", places=((30, 30, 2),), half=(10, 10, 0.5), erase=True)

    def marks_of(*marks):
        return marked(len(plate.triangles), marks, lambda mark: facets_taken(plate, mark, nobody))

    after, before = marks_of(top, hole).show, marks_of(hole, top).show
    assert plate.areas[before].sum() == pytest.approx(3600)
    assert plate.areas[after].sum() == pytest.approx(3200, rel=0.03)
    assert not marks_of(top).hold.any()


def test_the_most_detailed_part_is_where_it_bends():
    """A smooth ball with a knurled ring on it: the ring is found."""
    knurl = [box(2, 6, 3).apply_translation([-1, 25, -1.5]) for _ in range(40)]
    for n, one in enumerate(knurl):
        one.apply_transform(trimesh.transformations.rotation_matrix(2 * math.pi * n / 40, [0, 0, 1]))
    solid = joined(trimesh.creation.icosphere(4, 28), *knurl)
    found = most_detailed(solid, 0.15)
    assert solid.areas[found].sum() < 0.151 * solid.areas.sum()
    assert np.abs(solid.centroids[found, 2]).max() < 8
    assert not most_detailed(solid, 0.0).any()


def test_neighbours_of_a_box():
    pairs, bend = neighbours(solid_of(box(1, 1, 1)))
    assert len(pairs) == 18
    assert sorted(np.round(np.degrees(bend)).astype(int).tolist()) == [0] * 6 + [90] * 12


def test_the_facet_at_a_place_is_the_one_that_it_lies_on():
    solid = ring(20, 6, 60)
    chosen = np.random.default_rng(3).integers(0, len(solid.triangles), 200)
    np.testing.assert_array_equal(facets_at(solid, solid.centroids[chosen]), chosen)
    lifted = solid.centroids[chosen] + 0.2 * solid.normals[chosen]
    np.testing.assert_array_equal(facets_at(solid, lifted), chosen)


# the audience


def test_all_of_a_hemispherical_pit_sees_half():
    """View factor from any part of a sphere to another part is its share of the sphere's area (heat-transfer
    handbooks, e.g. Howell's catalog, configuration C-137 from memory): to the mouth's half of the sphere, 1/2.
    """
    block = trimesh.creation.box((80, 80, 40)).apply_translation([0, 0, -20]).subdivide_to_size(6)
    ball = trimesh.creation.icosphere(5, 28)
    solid = solid_of(trimesh.boolean.difference([block, ball], engine="manifold"))
    distance = np.linalg.norm(solid.centroids, axis=1)
    pit = (np.abs(distance - 28) < 0.3) & (solid.centroids[:, 2] < -3)
    seen = exposure(solid, directions=512, cells=256)
    assert np.average(seen[pit], weights=solid.areas[pit]) == pytest.approx(0.5, abs=0.02)
    top = np.abs(solid.centroids[:, 2]) < 1e-6
    assert seen[top].min() > 0.97


def test_who_stands_before_it_sees_its_front():
    """A narrow audience sees a plate by the cosine it is turned away by; nothing of its back."""
    front = Audience(looking="front", spread=10)
    plate = fine(box(30, 2, 30), 3)
    seen = exposure(plate, 512, audience=front)
    towards = plate.normals @ np.array(front.front)
    assert seen[towards > 0.9].min() > 0.97
    assert seen[towards < -0.9].max() == 0
    turn = trimesh.transformations.rotation_matrix(math.radians(60), [0, 0, 1])
    turned = solid_of(box(30, 2, 30).subdivide_to_size(3).apply_transform(turn))
    seen = exposure(turned, 512, audience=front)
    face = turned.normals @ np.array([math.sin(math.radians(60)), -0.5, 0]) > 0.9
    assert seen[face].mean() == pytest.approx(0.5, abs=0.04)


@pytest.mark.parametrize(("looking", "top", "side"), [("above", 1.0, 0.0), ("all round", None, None)])
def test_who_looks_from_above_or_all_round(looking, top, side):
    cube = fine(box(20, 20, 20), 4)
    seen = exposure(cube, 512, audience=Audience(looking=looking, spread=20))
    up, level = cube.normals[:, 2] > 0.9, np.abs(cube.normals[:, 2]) < 0.1
    if looking == "above":
        assert seen[up].mean() == pytest.approx(top, abs=0.03)
        assert seen[level].mean() == pytest.approx(side, abs=0.2)
    else:
        assert seen[level].mean() > 3 * seen[cube.normals[:, 2] < -0.9].mean()
        sides = [seen[cube.normals @ axis > 0.9].mean() for axis in ((1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0))]
        assert np.ptp(sides) < 0.05


def test_directions_of_an_audience_are_made_of_length_one():
    assert Audience(front=(0, -3, 0)).front == (0, -1, 0)
    with pytest.raises(ValidationError, match="must not be zero"):
        Audience(up=(0, 0, 0))


# through the plan


def show_area(outcome) -> float:
    return sum(float(piece.solid.areas[(piece.marks & 1) > 0].sum()) for piece in outcome.pieces)


def test_marks_stay_where_they_are():
    """Through scaling, mirroring, thinning and cutting; nothing of a cut face is ever marked."""
    model = model_of(sphere(30, 5))
    evaluator = Evaluator(model)
    cap = Mark(meaning="show", shape="ball", places=((0, -30, 0),), half=(12, 12, 12))
    plan = Plan(model=model.ref, marks=(cap,))
    # a cap of chord 12 around a point of a sphere: pi c^2 (Archimedes)
    plain = show_area(evaluator.evaluate(plan, PRINTER))
    assert plain == pytest.approx(math.pi * 144, rel=0.05)
    assert show_area(evaluator.evaluate(plan.sized(scale=2.0), PRINTER)) == pytest.approx(4 * plain, rel=1e-6)
    assert show_area(evaluator.evaluate(plan.sized(mirror="y"), PRINTER)) == pytest.approx(plain, rel=1e-6)
    thin = plan.changed(mending=plan.mending.model_copy(update={"thin_to": 4000}))
    assert show_area(evaluator.evaluate(thin, PRINTER)) == pytest.approx(plain, rel=0.1)
    cut = plan.with_cut(StraightCut(id="c1", name="Cut", normal=(1, 0, 0), offset=2.0))
    parted = evaluator.evaluate(cut, PRINTER)
    assert show_area(parted) == pytest.approx(plain, rel=1e-6)
    for piece in parted.pieces:
        assert not piece.marks[piece.solid.origin < 0].any()
    assert parted.totals.show_scar_mm2 == pytest.approx(sum(piece.figures.show_scar_mm2 for piece in parted.pieces))


def test_all_that_is_seen_is_marked_for_its_own_audience():
    model = open_file(MODELS["gull"]).model
    mark = Mark(meaning="show", shape="seen", limit=0.25, audience=Audience(looking="front", spread=30))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, marks=(mark,)), PRINTER)
    (piece,) = outcome.pieces
    shown = (piece.marks & 1) > 0
    assert 0.1 < piece.solid.areas[shown].sum() / piece.solid.areas.sum() < 0.6
    assert np.average(piece.solid.normals[shown, 1], weights=piece.solid.areas[shown]) < -0.3


def test_a_plan_with_marks_comes_back_from_its_file():
    model = model_of(sphere(10, 2))
    stroke = Mark(meaning="hold", shape="brush", places=((0.1, 0.2, 10.0),), facing=((0, 0, 1),), reach=3.3)
    audience = Audience(looking="above", spread=33, front=(0.6, -0.8, 0))
    plan = Plan(model=model.ref, marks=(stroke,), audience=audience, lift=3.5)
    project = Project(title="Thing", plan=plan)
    assert read_project(project.model_dump_json().encode()) == project


def test_the_audience_decides_how_much_of_a_seam_is_in_sight():
    model = model_of(sphere(30, 5))
    plan = Plan(model=model.ref).with_cut(StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=0.0))
    sights = {}
    for looking in ("everywhere", "front", "above"):
        outcome = Evaluator(model).evaluate(plan.changed(audience=Audience(looking=looking, spread=40)), PRINTER)
        sights[looking] = outcome.totals.seam_in_sight_mm
        assert outcome.totals.seam_length_mm == pytest.approx(2 * math.pi * 30, rel=0.01)
    assert sights["everywhere"] > 0.9 * 2 * math.pi * 30
    assert sights["front"] < 0.6 * sights["everywhere"]
