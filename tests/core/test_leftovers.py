"""What a cut leaves that prints badly, edges and creases to cut along, and the walls of block cuts."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_slab.core.cuts import BentCut, BlockCut, ScoopCut, StraightCut
from deft_slab.core.document.marks import Mark
from deft_slab.core.errors import BadPlan, CutFailed
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.sharp_edges import creases, edge_plane, nearest_on
from deft_slab.core.figures.thin_places import thin_places
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.mesh.solid import Solid, spread_points
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.search.cut_map import cut_subject
from deft_slab.core.search.results import Limits
from deft_slab.core.search.seam_settling import detail_of, settled
from deft_slab.desk.cuts import on_desk
from deft_slab.desk.cuts.block import moved_wall, staggered
from tests.shapes import box, joined, model_of, solid_of, sphere, tube

LIMIT = 0.8
NAMED = {"id": "c1", "name": "Cut"}
TURN = Tilt.of(0.3, -0.5, 0.2, 0.8)


def level(z: float) -> StraightCut:
    return StraightCut(**NAMED, normal=(0, 0, 1), offset=z)


def thin(solid: Solid, cut) -> list[tuple[str, float, float]]:
    found = thin_places([side for _, side in cut.part(solid).sides], cut, LIMIT)
    return [(one.kind, one.area, one.least) for one in found]


# what is too thin


def test_a_skin_over_a_parallel_surface_is_found():
    solid = solid_of(box(40, 40, 20))
    ((kind, area, least),) = thin(solid, level(19.6))
    assert kind == "skin"
    assert least == pytest.approx(0.4, abs=0.01)
    # all of it but a rim of 1.7 limits, which every slanting cut face has
    assert area == pytest.approx((40 - 2 * 1.7 * LIMIT) ** 2, rel=0.05)
    assert thin(solid, level(18.0)) == []
    assert thin(solid, level(10.0)) == []


def test_a_wedge_runs_out_as_thin_as_its_slope_says():
    """Closed form: behind the cut face there is d tan(slope) at d from its edge."""
    slope = math.radians(10)
    corners = np.array([[0, 0, 0], [60, 0, 0], [60, 0, 60 * math.tan(slope)]])
    wedge = solid_of(trimesh.convex.convex_hull(np.concatenate([corners, corners + [0, 50, 0]])))
    ((kind, area, least),) = thin(wedge, level(2.0))
    assert kind == "sliver"
    rim = 1.7 * LIMIT
    assert area == pytest.approx((LIMIT / math.tan(slope) - rim) * (50 - 2 * rim), rel=0.08)
    assert least == pytest.approx(rim * math.tan(slope), rel=0.1)
    steep = solid_of(trimesh.creation.cone(20, 20, sections=128))  # 45 degrees: prints
    assert thin(steep, level(5.0)) == []


@pytest.mark.parametrize(("z", "found"), [(10.3, True), (9.7, False), (10.0, False), (12.0, False)])
def test_a_low_step_beside_a_parallel_surface_is_found(z, found):
    """A tower cut off 0.3 mm over its deck leaves a stub; in the deck's own plane it leaves none."""
    tower = joined(box(60, 60, 10), box(20, 20, 40, at=(20, 20, 0)))
    steps = [one for one in thin(tower, level(z)) if one[0] == "step"]
    assert bool(steps) is found
    if found:
        assert steps[0][1] == pytest.approx(60 * 60 - 20 * 20)
        assert steps[0][2] == pytest.approx(0.3, abs=1e-6)
    else:
        assert thin(tower, BlockCut(**NAMED, z=((z,),))) == thin(tower, level(z))


def test_what_is_thin_travels_with_the_model_and_is_told():
    solid = solid_of(box(40, 40, 20))
    turned = Solid(solid.vertices @ TURN.rotation.T + [3, 4, 5], solid.triangles)
    normal = TURN.rotation @ [0, 0, 1]
    cut = StraightCut(**NAMED, normal=tuple(normal), offset=19.6 + float(normal @ [3, 4, 5]))
    model = model_of(turned)
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), default_printer())
    (place,) = outcome.cuts["c1"].thin
    assert place.kind == "skin"
    assert abs(float(normal @ place.place) - cut.offset) < 0.01
    assert any("leaves a skin, 0.40 mm thin, along a parallel surface" in note.says for note in outcome.notes)


def test_round_cutters_are_looked_at_too():
    """A dish whose floor comes within half a millimetre of the underside of a plate."""
    plate = solid_of(box(60, 60, 6))
    dish = ScoopCut(**NAMED, centre=(30, 30, 10), half=(20, 20, 9.5))
    found = thin(plate, dish)
    assert [kind for kind, _, _ in found] == ["skin"]
    assert found[0][2] == pytest.approx(0.5, abs=0.1)


def test_seam_across_show_faces():
    """The seam of an upright cut through a box crosses its top once; a level one, whose top is marked, does not."""
    model = model_of(solid_of(box(40, 30, 20)))
    top = Mark(meaning="show", shape="grown", places=((20.0, 15.0, 20.0),), limit=30.0)
    upright = StraightCut(id="c1", name="Upright", normal=(1, 0, 0), offset=15.0)
    plan = Plan(model=model.ref, marks=(top,), recipe=(upright, level(5.0).model_copy(update={"id": "c2"})))
    outcome = Evaluator(model).evaluate(plan, default_printer())
    assert outcome.seams["c1"].on_show == pytest.approx(30)
    assert outcome.seams["c1"].length == pytest.approx(2 * (30 + 20))
    assert outcome.seams["c2"].on_show == 0
    assert outcome.totals.seam_on_show_mm == pytest.approx(30)
    bare = Evaluator(model).evaluate(plan.changed(marks=()), default_printer())
    assert bare.totals.seam_on_show_mm == 0


# bridges


def test_a_loop_that_parts_nothing_says_where_material_goes_on():
    solid = solid_of(box(60, 60, 40))
    turn = np.linspace(0, 2 * np.pi, 9)[:-1]
    ring = [(30 + 12 * math.cos(t), 20 * math.sin(t) + 40, 20.0) for t in turn]
    cut = BentCut(**NAMED, line=tuple(ring), closed=True)
    model = model_of(solid)
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), default_printer())
    report = outcome.cuts["c1"]
    assert not report.parts
    assert len(outcome.pieces) == 1
    places = np.array([one.place for one in report.bridges])
    assert len(places) > 10
    low, high = solid.bounds
    assert np.all((places > low) & (places < high))
    assert np.allclose(places[:, 2], 20, atol=1e-6)
    assert np.all([one.outward @ (one.place - [30, 40, 20]) > 0 for one in report.bridges])
    assert any("a bridge of material is left" in note.says for note in outcome.notes)
    whole = cut.model_copy(update={"line": tuple((30 + 50 * math.cos(t), 30 + 50 * math.sin(t), 20.0) for t in turn)})
    through = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(whole,)), default_printer())
    assert through.cuts["c1"].parts
    assert through.cuts["c1"].bridges == ()


# edges


@pytest.mark.parametrize("near", [(20, 0, 40), (0, 14, 40)])
def test_a_plane_along_a_rim(near):
    pipe = tube(15, 20, 80)
    solid = Solid(pipe.vertices @ TURN.rotation.T + [1, 2, 3], pipe.triangles)
    normal, offset = edge_plane(solid, TURN.rotation @ np.array(near, float) + [1, 2, 3])
    assert abs(float(normal @ (TURN.rotation @ [0, 0, 1]))) == pytest.approx(1, abs=1e-9)
    on_rim = TURN.rotation @ [20, 0, 40.0] + [1, 2, 3]
    assert offset == pytest.approx(float(normal @ on_rim), abs=1e-6)


def test_edges_that_say_no_plane_are_refused_with_words():
    with pytest.raises(BadPlan, match="straight"):
        edge_plane(solid_of(box(10, 20, 30)), np.array([0.0, 0, 15]))
    with pytest.raises(BadPlan, match="no sharp edge"):
        edge_plane(sphere(20, 5), np.array([20.0, 0, 0]))
    across = trimesh.creation.cylinder(14, 100, sections=96)
    across.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [0, 1, 0]))
    saddle = trimesh.boolean.difference(
        [trimesh.creation.cylinder(15, 60, sections=96), across.apply_translation([0, 0, 20])], engine="manifold"
    )
    with pytest.raises(BadPlan, match="off any plane"):
        edge_plane(solid_of(saddle), np.array([15.0, 0, 6.1]))


@given(st.tuples(*[st.floats(2, 60)] * 3))
def test_the_creases_of_a_box_are_its_twelve_edges(size):
    segments = creases(solid_of(box(*size)))
    assert len(segments) == 12
    assert np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1).sum() == pytest.approx(4 * sum(size))
    assert len(creases(sphere(10, 4))) == 0


@settings(max_examples=50)
@given(st.integers(0, 10_000))
def test_the_nearest_point_of_a_crease_is_the_nearest(seed):
    rng = np.random.default_rng(seed)
    segments, place = rng.normal(size=(5, 2, 3)) * 20, rng.normal(size=3) * 20
    point, distance = nearest_on(segments, place)
    assert distance == pytest.approx(np.linalg.norm(point - place))
    shares = np.linspace(0, 1, 400)[:, None, None]
    tried = (1 - shares) * segments[:, 0] + shares * segments[:, 1]
    assert distance <= np.linalg.norm(tried - place, axis=2).min() + 1e-9
    assert distance >= np.linalg.norm(tried - place, axis=2).min() - 0.2
    assert nearest_on(np.empty((0, 2, 3)), place)[1] == np.inf


# walls

BRICKS = BlockCut(**NAMED, x=(20.0, 40.0), y=((15.0,), (8.0, 22.0), (15.0,)), z=((10.0,),))


def test_t_junctions_are_drawn_and_dragged_each_in_its_slab():
    low, high = np.zeros(3), np.array([60.0, 30.0, 20.0])
    grips = on_desk(BRICKS).grips(BRICKS, (low, high), np.empty((0, 2, 3)))
    assert len(grips) == 2 + 4 + 1
    assert len(on_desk(BRICKS).outline(BRICKS, (low, high))) == 4 * len(grips)
    assert grips["cell 1 1 0"][1] == 8
    assert 20 <= grips["cell 1 1 0"][0] <= 40
    moved = BRICKS.model_copy(update=moved_wall(BRICKS, 1, 1, 0, 12.0))
    assert moved.y == ((15.0,), (12.0, 22.0), (15.0,))
    assert moved_wall(BRICKS, 0, 0, 1, 90.0) == {"x": (20.0, 90.0)}
    assert moved_wall(BRICKS, 0, 0, 0, 90.0) == {"x": (39.5, 40.0)}
    solid = solid_of(box(60, 30, 20))
    sides = BRICKS.part(solid).sides
    assert len(sides) == 2 * (2 + 3 + 2)
    assert sum(side.volume for _, side in sides) == pytest.approx(solid.volume)


@settings(max_examples=40)
@given(st.integers(2, 6), st.integers(2, 6), st.integers(0, 2))
def test_equal_parts_are_equal_and_can_be_staggered(along_x, along_y, turned):
    """Cells of equal parts have equal volumes in a box; staggered ones keep the volume and no wall goes through."""
    turn = Tilt.turn((0, 0, 1), 90.0 * turned)
    solid = solid_of(box(60, 30, 20))
    fields = {field.name: field for field in on_desk(BRICKS).fields(BRICKS, (solid.bounds[0], solid.bounds[1]))}
    assert "Parts Y" in fields
    cut = BlockCut(**NAMED, turn=turn, x=(1.0,))
    ends = (solid.bounds[0], solid.bounds[1])
    for name, count in (("Parts X", along_x), ("Parts Y", along_y)):
        field = next(one for one in on_desk(cut).fields(cut, ends) if one.name == name)
        cut = BlockCut.model_validate({**cut.model_dump(), **field.update(cut, count)})
        assert field.value(cut) == count
    volumes = [side.volume for _, side in cut.part(solid).sides]
    assert volumes == pytest.approx([solid.volume / (along_x * along_y)] * (along_x * along_y), rel=1e-3)
    corners = trimesh.bounds.corners(solid.bounds) @ turn.rotation.T
    low, high = float(corners[:, 1].min()), float(corners[:, 1].max())
    bricks = cut.model_copy(update={"y": staggered(cut, low, high)})
    sides = BlockCut.model_validate(bricks.model_dump()).part(solid).sides
    assert sum(side.volume for _, side in sides) == pytest.approx(solid.volume)
    assert not set(bricks.y[0]) & set(bricks.y[1])


def test_walls_settle_in_a_groove_and_cells_still_fit():
    """A long beam with a groove around it beside where the wall stands: the wall moves into it, no farther than told,
    and no cell grows beyond the bed.
    """
    groove = trimesh.boolean.difference([box(3, 30, 30, at=(129, -5, -5)), box(3, 12, 12, at=(129, 4, 4))])
    beam = solid_of(trimesh.boolean.difference([box(240, 20, 20), groove]))
    model = model_of(beam)
    plan = Plan(model=model.ref)
    subject = cut_subject(Evaluator(model), plan, 0, default_printer())
    cut = BlockCut(**NAMED, x=(120.0,))
    limits = Limits(moved=15, turned=0, rise=1.0)
    moved, before, after = settled(subject, cut, limits)
    assert after[0] < 0.7 * before[0]
    assert 129 <= moved.x[0] <= 132
    stays, _, _ = settled(subject, cut, limits.model_copy(update={"moved": 5.0}))
    assert abs(stays.x[0] - 120) <= 5
    narrow = default_printer().model_copy(update={"bed_x": 124.0, "bed_y": 124.0, "height": 124.0, "margin": 0.0})
    subject = cut_subject(Evaluator(model), plan, 0, narrow)
    fits, _, _ = settled(subject, cut, limits)
    assert max(fits.x[0], 240 - fits.x[0]) <= 124 + 1e-6
    with pytest.raises(CutFailed, match="cuts nothing"):
        settled(subject, cut.model_copy(update={"x": (300.0,)}), limits)


def test_detail_is_where_facets_bend():
    assert detail_of(sphere(20, 5)).max() < 0.2
    cube = detail_of(solid_of(box(10, 10, 10)))
    assert cube == pytest.approx(np.full(12, 2.0))
    assert detail_of(sphere(20, 0)).min() > detail_of(sphere(20, 2)).max()


def test_points_are_spread_by_area():
    solid = solid_of(box(10, 10, 30))
    points, facets = spread_points(solid, 4000)
    assert np.abs(np.einsum("ij,ij->i", points - solid.centroids[facets], solid.normals[facets])).max() < 1e-9
    ends = np.abs(solid.normals[facets][:, 2]) > 0.5
    assert ends.mean() == pytest.approx(200 / 1400, abs=0.02)
    only, chosen = spread_points(solid, 50, solid.normals[:, 2] > 0.5)
    assert np.all(only[:, 2] == solid.bounds[1, 2])
    assert np.all(solid.normals[chosen][:, 2] > 0.5)
