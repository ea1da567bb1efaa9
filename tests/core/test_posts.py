"""Support posts: what they hold, how they get there, what they leave; against igl, trimesh and handbook formulas."""

from __future__ import annotations

import json
import math

import igl
import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from deft_slab import cli
from deft_slab.commands.posts import posts_of
from deft_slab.core.cuts import Move
from deft_slab.core.document.marks import Audience, Mark
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.figures.overhang import overhang_angles
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.supports import SLENDER_DIAMETERS, Post, PostSet
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.core.supports.bodies import plate, post, volume_of
from deft_slab.core.supports.piece_posts import ground_of, proposed_points, standing_of
from deft_slab.core.supports.placement import SPACING, bodies_of, in_one, islands_of, islands_with, proposed
from deft_slab.core.supports.routes import KEEP_OFF, Measures, Obstacle, routed
from tests.core.test_layers import comb
from tests.shapes import box, joined, model_of, solid_of, sphere

RESIN = shipped_printers()["small-resin"]
MEASURES = Measures()
NONE = (np.empty((0, 3)), np.empty((0, 3)))
ANYWHERE = np.full((1, 3), np.nan)


def over_bed(solid: Solid, lift: float = 5.0) -> Obstacle:
    return Obstacle(solid, np.eye(3), lift)


def past(solid: Solid, threshold: float = 45.0) -> np.ndarray:
    angles = overhang_angles(solid.normals[:, 2])
    return np.where(angles > threshold + 1e-6, angles - threshold, -1.0).astype(np.float32)


def stand(solid: Solid, lift: float = 5.0, measures: Measures = MEASURES, layer: float = 0.2):
    ground = over_bed(solid, lift)
    clear = np.zeros(len(solid.triangles), np.bool_)
    return ground, proposed(ground, past(solid), clear, NONE, layer, 0.05, measures)


def test_a_tip_touches_what_the_trade_says():
    """Tips of 0.3 mm: 0.0707 mm2 each (common practice)."""
    assert Measures(tip=0.3).contact == pytest.approx(0.0707, abs=5e-5)


def test_every_tooth_of_a_comb_begins_on_a_tip():
    solid = comb(5)
    ground, standing = stand(solid)
    assert len(islands_of(ground.solid_on_bed, 0.2, 0.05)) == 7  # five teeth and two legs
    assert not len(islands_with(ground, standing, MEASURES, 0.2, 0.05))
    assert not len(standing.unheld)
    tips = standing.points[standing.for_island & standing.made]
    for n in range(1, 6):
        assert (np.abs(tips[:, 0] - (10.0 * n + 7.5)) <= 1.5).any()


def test_no_point_past_the_threshold_is_far_from_a_tip():
    solid = sphere(20.0, 5)
    _, standing = stand(solid)
    needy = solid.centroids[past(solid) >= 0]
    away, _ = cKDTree(standing.points[standing.made]).query(needy)
    assert away.max() <= SPACING[0] + 1.5  # and what lies between the points that were looked at
    level = solid.centroids[past(solid) > 40]
    assert cKDTree(standing.points[standing.made]).query(level)[0].max() <= SPACING[1] + 1.5


def test_clear_spots_get_none():
    solid = joined(box(40, 30, 4))
    ground = over_bed(solid)
    clear = np.ones(len(solid.triangles), np.bool_)
    standing = proposed(ground, past(solid), clear, NONE, 0.2, 0.05, MEASURES)
    assert not (~standing.for_island).any()


def test_a_post_that_leans_clears_the_piece():
    """A ledge over a wide step: what is under it can only go around, and keeps off by igl's own distances."""
    solid = joined(box(6, 30, 40), box(14, 30, 4, (0, 0, 36)), box(9, 30, 3, (0, 0, 10)))
    ground = over_bed(solid)
    contact = ground.on_bed(np.array([[8.0, 15.0, 36.0]]))
    routes = routed(ground, contact, np.array([[0.0, 0.0, -1.0]]), MEASURES, ANYWHERE)
    assert routes.lands[0] == "bed"
    lean = routes.bend[0] - routes.joint[0]
    assert np.linalg.norm(lean) > 1.0
    assert math.degrees(math.acos(-lean[2] / np.linalg.norm(lean))) == pytest.approx(45.0)
    share = np.linspace(0.0, 1.0, 200)[:, None]
    ways = [(routes.joint[0], routes.bend[0]), (routes.bend[0], routes.end[0])]
    line = np.concatenate([start + share * (end - start) for start, end in ways])
    squared = igl.point_mesh_squared_distance(ground.on_model(line), np.array(solid.vertices),
                                              solid.triangles.astype(np.int64))[0]
    assert np.sqrt(squared).min() >= 0.95 * (MEASURES.stem / 2 + KEEP_OFF)


def test_it_stands_on_the_piece_only_where_nothing_else_is_left():
    """Deep inside a shelf there is no way around: it stands on the lower board, with a tip at both ends."""
    solid = joined(box(80, 80, 3), box(80, 80, 3, (0, 0, 20)), box(3, 80, 20), box(3, 80, 20, (77, 0, 0)),
                   box(80, 3, 20), box(80, 3, 20, (0, 77, 0)))
    ground = over_bed(solid)
    contact = ground.on_bed(np.array([[40.0, 40.0, 20.0]]))
    routes = routed(ground, contact, np.array([[0.0, 0.0, -1.0]]), MEASURES, ANYWHERE)
    assert routes.lands[0] == "piece"
    assert routes.end[0] == pytest.approx(ground.on_bed(np.array([[40.0, 40.0, 3.0]]))[0])
    body = post(routes, 0, MEASURES)
    low, high = body.bounding_box()[2], body.bounding_box()[5]
    assert low == pytest.approx(5.0 + 3.0 - MEASURES.depth)
    assert high == pytest.approx(5.0 + 20.0 + MEASURES.depth)


def test_a_tip_never_comes_through_a_thin_wall():
    solid = joined(box(20, 20, 0.2))
    ground, standing = stand(solid)
    top = ground.on_bed(solid.vertices)[:, 2].max()
    assert standing.made.all()
    assert standing.routes.inside[:, 2].max() <= top - 0.1 + 1e-6
    whole, _ = in_one(ground, bodies_of(standing, MEASURES))
    assert whole.bounds[1, 2] == pytest.approx(top)


def test_slender_posts_are_braced():
    """Euler: a rod clamped at one end and held at the other bears pi^2 E I / (0.7 l)^2 (handbook). At 40 diameters
    that is a hundredth of what it bears at 4; so none longer than that stands without a brace.
    """
    load = lambda d, l: math.pi**2 * (math.pi * d**4 / 64) / (0.7 * l) ** 2  # noqa: E731, E741
    assert load(0.8, 4 * 0.8) / load(0.8, SLENDER_DIAMETERS * 0.8) == pytest.approx(100.0)
    _, low = stand(joined(box(30, 20, 4)), lift=20.0)
    assert not len(low.braces)
    ground, high = stand(joined(box(30, 20, 4)), lift=70.0)
    long = high.routes.lengths > SLENDER_DIAMETERS * MEASURES.stem
    assert long.all()
    assert len(high.braces)
    way = high.braces[:, 1] - high.braces[:, 0]
    assert np.degrees(np.arctan2(way[:, 2], np.hypot(way[:, 0], way[:, 1]))) == pytest.approx(45.0)
    # each post is met by a brace somewhere along it
    feet = high.routes.end[:, :2]
    ends = high.braces.reshape(-1, 3)[:, :2]
    assert cKDTree(ends).query(feet)[0].max() < 1e-6 or len(feet) % 2
    assert ground.free(high.braces[:, 0], high.braces[:, 1], 0.2).all()


def test_the_piece_with_its_posts_is_one_closed_body(tmp_path):
    solid = sphere(12.0, 4)
    ground, standing = stand(solid)
    whole, posts = in_one(ground, bodies_of(standing, MEASURES), plate(standing.routes, MEASURES, 1.0))
    write_solid(whole, "Ball", tmp_path / "ball.stl", replace=False)
    mesh = trimesh.load(tmp_path / "ball.stl")
    assert mesh.is_watertight
    assert mesh.body_count == 1
    assert mesh.bounds[0, 2] == pytest.approx(0.0, abs=1e-6)
    piece = trimesh.Trimesh(ground.on_bed(solid.vertices), solid.triangles)
    stands = trimesh.Trimesh(posts.vertices, posts.triangles)
    inside = trimesh.boolean.intersection([piece, stands], engine="manifold")
    assert mesh.volume == pytest.approx(solid.volume + posts.volume - inside.volume, rel=1e-4)
    assert inside.volume < 0.05 * len(standing.points)
    assert len(bodies_of(standing, MEASURES)) == int(standing.made.sum()) + len(standing.braces)
    bare = in_one(ground, bodies_of(standing, MEASURES))[1]
    assert volume_of(standing.routes, standing.braces, MEASURES) == pytest.approx(bare.volume, rel=0.08)


def test_nothing_of_a_post_is_under_the_bed(tmp_path):
    """A dish that lies on the bed: near its middle tips are lower than a stem is thick."""
    solid = sphere(120.0, 5)
    solid = solid_of(trimesh.intersections.slice_mesh_plane(
        trimesh.Trimesh(solid.vertices, solid.triangles), (0, 0, -1), (0, 0, -112), cap=True))
    ground, standing = stand(solid, lift=0.0)
    low = standing.routes.joint[standing.made][:, 2]
    assert 0 < low.min() < MEASURES.stem / 2
    for body in bodies_of(standing, MEASURES):
        assert body.bounding_box()[2] >= -1e-12
    whole, _ = in_one(ground, bodies_of(standing, MEASURES))
    write_solid(whole, "Dish", tmp_path / "dish.stl", replace=False)
    mesh = trimesh.load(tmp_path / "dish.stl")
    assert mesh.is_watertight
    assert mesh.bounds[0, 2] == pytest.approx(0.0, abs=1e-5)


def test_a_cone_that_hangs_is_held_at_its_tip():
    cone = trimesh.creation.cone(4.0, 15.0, sections=48)
    cone.apply_transform(trimesh.transformations.rotation_matrix(math.pi, [1, 0, 0]))
    solid = solid_of(cone)
    ground, standing = stand(solid)
    assert not len(standing.unheld)
    tip = standing.points[standing.for_island][0]
    assert tip[2] == pytest.approx(solid.bounds[0, 2], abs=0.2)
    assert ground.on_bed(tip[None])[0, 2] == pytest.approx(5.0, abs=0.2)


def test_by_command(tmp_path, capsys):
    write_solid(comb(3), "Comb", tmp_path / "comb.stl", replace=False)
    asked = ["posts", str(tmp_path / "comb.stl"), "--out", str(tmp_path / "out"), "--printer", "small-resin",
             "--layer", "0.2", "--json"]
    assert cli.main(asked) == 0
    (piece,) = json.loads(capsys.readouterr().out)["pieces"]
    assert piece["unheld"] == []
    assert sum(one["island"] for one in piece["posts"]) >= 5
    assert piece["contact_mm2"] == pytest.approx(0.0707 * (len(piece["posts"]) + piece["on_piece"]), rel=1e-3)
    bare, whole = (trimesh.load(tmp_path / "out" / piece[name]) for name in ("file", "with_posts"))
    assert bare.is_watertight
    assert whole.is_watertight
    assert bare.bounds[0, 2] == pytest.approx(5.0)
    assert whole.bounds[0, 2] == pytest.approx(0.0, abs=1e-6)
    assert bare.volume == pytest.approx(comb(3).volume, rel=1e-5)
    assert whole.volume > bare.volume
    assert cli.main(asked) != 0
    assert "already exist in" in capsys.readouterr().err


def test_what_support_leaves_is_weighed_by_who_sees_it():
    """A ball's underside: seen from everywhere, not at all from above; under posts only what tips touch."""
    model = model_of(sphere(15.0, 4))
    shop, plan = Evaluator(model), Plan(model=model.ref, lift=5.0)
    piece = shop.evaluate(plan, RESIN).pieces[0]
    touched = float(piece.solid.areas[piece.past_threshold >= 0].sum())
    seen = shop.evaluate(plan, RESIN).totals.scar
    assert seen.sight + seen.hidden == pytest.approx(touched, rel=1e-6)
    assert seen.sight > 0.9 * touched
    above = shop.evaluate(plan.changed(audience=Audience(looking="above", spread=30.0)), RESIN).totals.scar
    assert above.sight < 0.01 * touched
    points, _ = proposed_points(PostSet(id="s1", anchor=piece.anchor), piece, 0.2, 0.05)
    made = tuple(Post(id=f"p{n}", at=tuple(point)) for n, point in enumerate(points.tolist()))
    outcome = shop.evaluate(plan.changed(posts=(PostSet(id="s1", anchor=piece.anchor, posts=made),)), RESIN)
    assert outcome.totals.scar.sight + outcome.totals.scar.hidden == pytest.approx(outcome.posts["s1"].area)
    assert (outcome.pieces[0].scar >= 0).sum() <= len(made)


def test_a_thicker_post_among_others_and_a_hold_spot():
    model = model_of(joined(box(40, 30, 4)))
    shop = Evaluator(model)
    plan = Plan(model=model.ref, lift=10.0)
    piece = shop.evaluate(plan, RESIN, detail="figures").pieces[0]
    at = [(10.0, 10.0, 0.0), (30.0, 20.0, 0.0)]
    posts = tuple(
        Post(id=f"p{n}", at=place, stem=size) for n, (place, size) in enumerate(zip(at, (None, 2.0), strict=True))
    )
    report = shop.evaluate(plan.changed(posts=(PostSet(id="s1", anchor=piece.anchor, posts=posts),)), RESIN).posts["s1"]
    assert report.made.all()
    alone = [
        shop.evaluate(plan.changed(posts=(PostSet(id="s1", anchor=piece.anchor, posts=(one,)),)), RESIN)
        .posts["s1"]
        .volume
        for one in posts
    ]
    assert alone[1] > 4 * alone[0]
    assert report.volume == pytest.approx(sum(alone))
    # a wedge whose underside is not past the threshold gets tips only where support is asked for
    steep = trimesh.creation.cone(4.0, 15.0, sections=48)
    steep.apply_transform(trimesh.transformations.rotation_matrix(math.pi, [1, 0, 0]))
    model = model_of(solid_of(steep))
    shop, hold = Evaluator(model), Mark(meaning="hold", shape="box", places=((0, 0, 0),), half=(9, 9, 40))
    count = []
    for marks in ((), (hold,)):
        piece = shop.evaluate(Plan(model=model.ref, lift=5.0, marks=marks), RESIN, detail="figures").pieces[0]
        count.append(len(proposed_points(PostSet(id="s1", anchor=piece.anchor), piece, 0.2, 0.05)[0]))
    assert count[0] == 1 < count[1]


def test_a_foot_goes_where_it_is_put_and_leans_there():
    """On the bed, on the piece, too far for 45 degrees, and behind a wall: where it cannot go it finds its own way."""
    solid = joined(box(80, 40, 4, (0, 0, 30)), box(80, 4, 34), box(20, 20, 3, (30, 10, 0)))
    model = model_of(solid)
    shop, plan = Evaluator(model), Plan(model=model.ref, lift=5.0)
    piece = shop.evaluate(plan, RESIN, detail="figures").pieces[0]
    feet = [(25.0, 30.0, -5.0), (40.0, 20.0, 3.0), (79.0, 30.0, -40.0), (10.0, -12.0, -5.0), None]
    posts = tuple(
        Post(id=f"p{n}", at=(10.0, 30.0, 30.0) if foot != feet[1] else (50.0, 20.0, 30.0), foot=foot, own=True)
        for n, foot in enumerate(feet)
    )
    kept = PostSet(id="s1", anchor=piece.anchor, posts=posts)
    report = shop.evaluate(plan.changed(posts=(kept,)), RESIN).posts["s1"]
    assert report.made.all()
    assert list(report.as_asked) == [True, True, False, False, False]
    assert report.lands == ("bed", "piece", "bed", "bed", "bed")
    assert list(report.leans) == [True, True, False, False, False]
    (alike,) = standing_of(kept, piece)
    routes, ground = alike.standing.routes, ground_of(piece)
    assert ground.on_model(routes.end[:2]) == pytest.approx(np.array([[25.0, 30.0, -5.0], [40.0, 20.0, 3.0]]))
    # it leans by 45 degrees and then goes straight down: as far across as down
    lean = routes.joint[0] - routes.bend[0]
    assert lean == pytest.approx([-15.0, 0.0, 15.0], abs=1e-6)
    assert report.lengths[0] == pytest.approx(15 * math.sqrt(2) + routes.bend[0][2])
    # mirrored with the model, and read back
    move = Move.mirror(np.array([1.0, 0.0, 0.0]), 40.0)
    assert kept.carried(move, ()).posts[0].foot == pytest.approx((55.0, 30.0, -5.0))
    assert PostSet.model_validate_json(kept.model_dump_json()) == kept


def test_each_post_is_told_what_it_holds():
    """Together all that is past the threshold, each what is nearest: two tips under a slab share it in halves."""
    model = model_of(joined(box(60, 20, 4)))
    shop, plan = Evaluator(model), Plan(model=model.ref, lift=10.0)
    piece = shop.evaluate(plan, RESIN, detail="figures").pieces[0]
    posts = (Post(id="p1", at=(15, 10, 0)), Post(id="p2", at=(45, 10, 0)), Post(id="p3", at=(15, 10, -90)))
    report = shop.evaluate(plan.changed(posts=(PostSet(id="s1", anchor=piece.anchor, posts=posts),)), RESIN).posts["s1"]
    assert report.holds.sum() == pytest.approx(60 * 20)
    assert report.holds[2] == 0  # its surface is not there


def test_the_command_honours_hold_spots(tmp_path):
    steep = trimesh.creation.cone(4.0, 15.0, sections=48)
    steep.apply_transform(trimesh.transformations.rotation_matrix(math.pi, [1, 0, 0]))
    model = model_of(solid_of(steep))
    hold = Mark(meaning="hold", shape="box", places=((0, 0, 0),), half=(9, 9, 40))
    piece = Evaluator(model).evaluate(Plan(model=model.ref, lift=5.0, marks=(hold,)), RESIN, detail="figures").pieces[0]
    _, standing = posts_of(piece, RESIN, MEASURES, 0.2)
    assert len(standing.points) > 1
