"""Borders that are seen least, and limbs on necks: against other libraries' flows, and bodies known by hand."""

from __future__ import annotations

from dataclasses import replace

import manifold3d
import networkx
import numpy as np
import pytest
import trimesh
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import maximum_flow

from deft_slab.core.cuts import PatchCut, StraightCut
from deft_slab.core.document.marks import Stroke
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.marked_facets import facets_taken, unmarked
from deft_slab.core.mesh.adjacency import shared_edges
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.search.borders import border_cost, border_stroke, least_seen, necks, seam_price
from deft_slab.core.search.cut_map import cut_subject
from deft_slab.core.search.joint_refinement import ground_of, settled_together
from deft_slab.core.search.limbs import limbs_off, limbs_too
from deft_slab.core.search.results import CutWishes, Limits
from deft_slab.core.search.seam_settling import settled
from deft_slab.core.search.ways import WaySearch
from tests.shapes import BRIEF, joined, model_of, solid_of, sphere


def dumbbell(neck: float = 8.0) -> Solid:
    """Two balls of 20 mm on a rod: its middle is at x = 0."""
    balls = [trimesh.creation.icosphere(4, 20.0).apply_translation([x, 0, 0]) for x in (-45.0, 45.0)]
    rod = trimesh.creation.cylinder(neck, 90.0, sections=48).apply_transform(
        trimesh.transformations.rotation_matrix(np.pi / 2, [0, 1, 0])
    )
    solid = joined(*balls, rod)
    return solid_of(trimesh.Trimesh(solid.vertices, solid.triangles).subdivide_to_size(5.0))


def flow_of(solid: Solid, price, inner, outer) -> float:
    """The greatest flow from some facets to some others, by networkx."""
    pairs, ends = shared_edges(solid)
    length = np.linalg.norm(solid.vertices[ends[:, 0]] - solid.vertices[ends[:, 1]], axis=1)
    graph = networkx.Graph()
    names = np.where(inner, -1, np.where(outer, -2, np.arange(len(solid.triangles))))
    for (a, b), cost in zip(names[pairs].tolist(), (length * price[pairs].mean(axis=1)).tolist(), strict=True):
        if a != b:
            before = graph.edges[a, b]["capacity"] if graph.has_edge(a, b) else 0.0
            graph.add_edge(a, b, capacity=before + cost)
    return float(networkx.maximum_flow_value(graph, -1, -2))


@pytest.mark.parametrize("seed", range(5))
def test_the_border_costs_as_much_as_the_greatest_flow_brings(seed):
    """Max-flow min-cut theorem; the flow is networkx's, on random prices."""
    solid = sphere(30.0, 3)
    rng = np.random.default_rng(seed)
    price = rng.uniform(0.05, 1.0, len(solid.triangles))
    inner, outer = solid.centroids[:, 2] > 15.0 + 5 * rng.random(), solid.centroids[:, 2] < -10.0
    within = least_seen(solid, price, inner, outer)
    assert within[inner].all()
    assert not within[outer].any()
    assert border_cost(solid, price, within) == pytest.approx(flow_of(solid, price, inner, outer), rel=1e-4)


def test_the_flow_is_that_of_scipy_on_the_whole_graph():
    solid = sphere(30.0, 3)
    price = np.random.default_rng(9).uniform(0.05, 1.0, len(solid.triangles))
    inner, outer = solid.centroids[:, 2] > 20.0, solid.centroids[:, 2] < -20.0
    pairs, ends = shared_edges(solid)
    length = np.linalg.norm(solid.vertices[ends[:, 0]] - solid.vertices[ends[:, 1]], axis=1)
    cost = np.rint(1e4 * length * price[pairs].mean(axis=1)).astype(np.int32)
    size = len(solid.triangles)
    from_all, to_all = (np.full(int(side.sum()), size + n) for n, side in enumerate((inner, outer)))
    rows = np.r_[pairs[:, 0], pairs[:, 1], from_all, np.flatnonzero(outer)]
    columns = np.r_[pairs[:, 1], pairs[:, 0], np.flatnonzero(inner), to_all]
    much = np.full(len(from_all) + len(to_all), 2_000_000, np.int32)
    graph = coo_matrix((np.r_[cost, cost, much], (rows, columns)), (size + 2, size + 2)).tocsr()
    flow = maximum_flow(graph, size, size + 1).flow_value / 1e4
    assert border_cost(solid, price, least_seen(solid, price, inner, outer)) == pytest.approx(flow, rel=1e-3)


def test_a_border_takes_a_groove_that_nobody_sees():
    solid = sphere(30.0, 4)
    groove = np.abs(solid.centroids[:, 2] - 4.0) < 2.5
    price = np.where(groove, 0.05, 1.0)
    within = least_seen(solid, price, solid.centroids[:, 2] > 15.0, solid.centroids[:, 2] < -15.0)
    pairs, _ = shared_edges(solid)
    across = pairs[within[pairs[:, 0]] != within[pairs[:, 1]]]
    assert groove[across].any(axis=1).all()


def test_both_ends_of_a_dumbbell_hang_on_its_rod():
    solid = dumbbell()
    found = necks(solid, np.ones(len(solid.triangles)), 6)
    assert found
    x = solid.centroids[:, 0]
    for neck in found[:2]:
        inner = x[neck.within]
        assert abs(abs(inner).min()) < 28.0
        assert neck.cost == pytest.approx(2 * np.pi * 8.0, rel=0.2)
    border = border_stroke(solid, found[0].within)
    again = facets_taken(solid, border, lambda _: np.zeros(len(x)))
    assert (solid.areas * (again != found[0].within)).sum() < 1e-3 * solid.areas.sum()


def test_a_smooth_ball_has_no_neck_and_a_barred_ring_is_gone_around():
    ball = sphere(30.0, 3)
    assert all(neck.area > 0.1 * ball.areas.sum() for neck in necks(ball, np.ones(len(ball.triangles)), 6))
    marks = unmarked(len(ball.triangles))
    marks.never[np.abs(ball.centroids[:, 2]) < 6.0] = True
    price = seam_price(np.ones(len(ball.triangles)), marks, CutWishes())
    within = least_seen(ball, price, ball.centroids[:, 2] > 22.0, ball.centroids[:, 2] < -22.0)
    pairs, _ = shared_edges(ball)
    across = pairs[within[pairs[:, 0]] != within[pairs[:, 1]]]
    assert not marks.never[across].any()


def test_a_limb_comes_off_at_its_neck_along_a_border(printer):
    """Common practice: limbs off at the joint. A bent one is drafted, measured, and its recipe gives what it says."""
    model = model_of(dumbbell(6.0))
    plan = Plan(model=model.ref)
    search = WaySearch(Evaluator(model), plan, printer, CutWishes(pieces=2), effort=BRIEF)
    search.to_end()
    patches = [draft for draft in search._drafts if isinstance(draft.cuts[0], PatchCut)]
    assert patches
    draft = min(patches, key=lambda one: one.sight)
    outcome = Evaluator(model).evaluate(plan.changed(recipe=draft.cuts), printer)
    assert outcome.totals.pieces == 2
    assert outcome.lost_share < 1e-6
    assert outcome.seams[draft.cuts[0].id].length == pytest.approx(2 * np.pi * 6.0, rel=0.2)


def test_two_unlike_limbs_come_off_one_after_the_other(printer):
    """Each along its own border, the second from the body that it hangs on."""
    neck = manifold3d.Manifold.cylinder(16, 6, 6, 48)
    arm = neck.rotate((0, 90, 0)).translate((22, 0, 0)) + manifold3d.Manifold.sphere(17, 48).translate((52, 0, 0))
    head = neck.translate((0, 0, 22)) + manifold3d.Manifold.sphere(13, 48).translate((0, 0, 49))
    body = (manifold3d.Manifold.sphere(27, 64) + arm + head).refine_to_length(4.0)
    model = model_of(Solid.from_manifold(body, {}))
    plan, evaluator = Plan(model=model.ref), Evaluator(model)
    ground = ground_of(evaluator, plan, printer)
    ground = replace(ground, wishes=CutWishes(pieces=3))
    balls = [4 / 3 * np.pi * radius**3 for radius in (13, 17, 27)]
    off = [draft for draft in limbs_off(ground, ground.start.cells[0], plan) if len(draft.cells) == 2]
    heads, arms = ([one for one in off if one.smallest == pytest.approx(ball, rel=0.2)] for ball in balls[:2])
    both = limbs_too(ground, heads, arms, plan)
    assert {tuple(type(cut) for cut in draft.cuts) for draft in both} >= {
        (PatchCut, PatchCut), (PatchCut, StraightCut), (StraightCut, StraightCut),
    }
    for draft in both[:: max(1, len(both) // 6)]:
        outcome = evaluator.evaluate(plan.changed(recipe=draft.cuts), printer)
        assert outcome.totals.pieces == 3
        assert outcome.lost_share < 1e-6
        assert sorted(piece.figures.volume_mm3 for piece in outcome.pieces) == pytest.approx(balls, rel=0.2)


def grooved(radius: float = 30.0) -> Solid:
    """An upright round bar of 120 mm with two deep grooves around it, at 41 and 79 mm."""
    profile = [[0, 0], [radius, 0], [radius, 38], [radius - 8, 40], [radius - 8, 42], [radius, 44], [radius, 76],
               [radius - 8, 78], [radius - 8, 80], [radius, 82], [radius, 120], [0, 120]]
    return solid_of(trimesh.creation.revolve(np.array(profile, float), sections=64).subdivide_to_size(8.0))


def level(number: int, offset: float) -> StraightCut:
    return StraightCut(id=f"c{number}", name=f"Cut {number}", normal=(0, 0, 1), offset=offset)


def test_all_cuts_of_a_plan_settle_together_within_limits(printer):
    model = model_of(grooved())
    plan = Plan(model=model.ref)
    evaluator = Evaluator(model)
    ground = ground_of(evaluator, plan, printer)
    limits = Limits(moved=8.0, turned=4.0, rise=0.5)
    cuts, before, after = settled_together(ground, (level(1, 46.5), level(2, 84.0)), limits, plan.leaning)
    assert [cut.id for cut in cuts] == ["c1", "c2"]
    assert after[0] < 0.9 * before[0]
    assert after[1] <= 1.5 * before[1] + 1.0
    for cut, was in zip(cuts, (46.5, 84.0), strict=True):
        assert abs(cut.offset / cut.normal[2] - was) <= 8.0 + 0.1
        assert np.degrees(np.arccos(min(cut.normal[2], 1.0))) <= 4.0 + 1e-6
    outcome = evaluator.evaluate(plan.changed(recipe=cuts), printer)
    first = evaluator.evaluate(plan.changed(recipe=(level(1, 46.5), level(2, 84.0))), printer)
    assert outcome.totals.seam_in_sight_mm < 0.95 * first.totals.seam_in_sight_mm


def test_the_border_of_a_patch_settles_in_a_groove(printer):
    model = model_of(grooved())
    plan = Plan(model=model.ref)
    subject = cut_subject(Evaluator(model), plan, 0, printer)
    top = Stroke(shape="box", places=((0, 0, 120.0),), half=(40, 40, 32.0))
    cut = PatchCut(id="c1", name="Patch", strokes=(top,))
    found, before, after = settled(subject, cut, Limits(moved=14.0, rise=5.0))
    assert after[0] < 0.9 * before[0]
    outcome = Evaluator(model).evaluate(plan.changed(recipe=(found,)), printer)
    where = outcome.seams["c1"].segments.reshape(-1, 3)[:, 2]
    assert np.quantile(np.abs(where - 79.0), 0.8) < 4.0
    near, _, same = settled(subject, cut, Limits(moved=2.0, rise=5.0))
    assert same[0] >= after[0]
    assert near.flat == cut.flat


def winged() -> Solid:
    """A body with a wing to either side, mirror-symmetric at x = 0 and at nothing else."""
    body = trimesh.creation.box((20, 30, 60)).apply_translation([0, 0, 30])
    keel = trimesh.creation.box((10, 20, 14)).apply_translation([0, 20, 10])
    wings = [trimesh.creation.box((50, 12, 8)).apply_translation([side * 35, 4, 44]) for side in (-1, 1)]
    solid = joined(body, keel, *wings)
    return solid_of(trimesh.Trimesh(solid.vertices, solid.triangles).subdivide_to_size(8.0))


def test_a_winged_body_loses_both_wings_in_a_pair(printer):
    model = model_of(winged())
    search = WaySearch(Evaluator(model), Plan(model=model.ref), printer, CutWishes(pieces=3), effort=BRIEF)
    front = search.to_end()
    pairs = [draft for draft in search._drafts if draft.alike and len(draft.cuts) == 2]
    assert any(
        draft.cuts[0].normal == pytest.approx(np.array(draft.cuts[1].normal) * [-1, 1, 1], abs=0.02) for draft in pairs
    )
    best = [way for way in front.ways if way.alike and way.pieces == 3]
    assert best
    outcome = Evaluator(model).evaluate(best[0].plan, printer)
    volumes = sorted(piece.solid.volume for piece in outcome.pieces)
    assert any(b == pytest.approx(a, rel=0.01) for a, b in zip(volumes, volumes[1:], strict=False))
