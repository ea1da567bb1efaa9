"""Ways to part a model: bodies whose best plan is known by hand, conditions, stopping, and what must always hold."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import manifold3d
import numpy as np
import pytest
import trimesh

from deft_slab.core.cuts import BlockCut
from deft_slab.core.document.marks import Mark
from deft_slab.core.errors import Cancelled, OpenSurface
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.base_area import least_rooms, rooms_of_boxes
from deft_slab.core.figures.marked_facets import unmarked
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.parting.bodies import Part
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Body, Plan
from deft_slab.core.printers.profile import Printer, default_printer
from deft_slab.core.progress import QUIET, Job
from deft_slab.core.search.block_cuts import blocks_for
from deft_slab.core.search.drafts import like
from deft_slab.core.search.effort import USUAL, Effort
from deft_slab.core.search.fronts import spaced
from deft_slab.core.search.loosening import in_vain_of
from deft_slab.core.search.results import CutWishes, Front, Way
from deft_slab.core.search.ways import WaySearch
from deft_slab.demo import MODELS
from tests.shapes import (
    BRIEF,
    box,
    cone,
    hollow_ball,
    joined,
    model_of,
    ring,
    solid_of,
    sphere,
    together,
    without_facets,
)

PRINTER = default_printer()


def fresh(body: manifold3d.Manifold) -> Solid:
    made = Solid.from_manifold(body, {})
    return Solid(made.vertices, made.triangles)


def bipyramid() -> Solid:
    upper = cone(30, 20, 48).manifold
    return fresh(upper + upper.mirror((0, 0, 1)))


def steinmetz() -> Solid:
    """What two cylinders of one radius, along x and y, have in common."""
    bar = manifold3d.Manifold.cylinder(80, 25, 25, 96, center=True)
    return fresh(bar.rotate((90, 0, 0)) ^ bar.rotate((0, 90, 0)))


def cross() -> Solid:
    """Three bars along the axes."""
    sizes = ((80, 20, 20), (20, 80, 20), (20, 20, 80))
    return joined(*(box(*size, at=tuple(-side / 2 for side in size)) for size in sizes))


def chair() -> Solid:
    legs = [box(6, 6, 45, at=(x, y, 0)) for x in (0, 34) for y in (0, 34)]
    return joined(box(40, 40, 6, at=(0, 0, 40)), box(40, 6, 50, at=(0, 34, 40)), *legs)


def search_of(
    model: Model, plan: Plan | None = None, printer: Printer = PRINTER, number: int | None = None,
    effort: Effort = BRIEF, **wishes: Any,
) -> WaySearch:
    wished = CutWishes(**{"pieces": 2, **wishes})
    return WaySearch(Evaluator(model), plan or Plan(model=model.ref), printer, wished, number, effort=effort)


def found(solid: Solid, pieces: int = 2, **wishes: Any) -> Front:
    return search_of(model_of(solid), pieces=pieces, **wishes).to_end()


@pytest.mark.parametrize("body", [bipyramid, steinmetz, cross, chair, lambda: ring(30, 9, 64), lambda: sphere(25, 4)])
def test_bodies_whose_best_plan_is_known(body):
    """One straight cut leaves nothing that needs support, and both pieces lie flat on it: a bipyramid, the body common
    to two cylinders (Steinmetz) and a torus halved along their middle planes; a cross of bars cut beside its arms; a
    chair cut off under its seat. Common practice: what has a level plane of symmetry is halved there.
    """
    front = found(body(), effort=USUAL)
    assert front.done
    assert front.whole > 500
    best = [way for way in front.ways if way.cuts and way.all_flat]
    assert min(way.support for way in best) < 0.01 * front.whole
    assert all(way.measured for way in front.ways)


@pytest.fixture(scope="module")
def hook():
    solid = thinned(open_file(MODELS["hook"]).model.solid, 5_000, QUIET)
    model = model_of(Solid(solid.vertices, solid.triangles), "Hook")
    return model, search_of(model, pieces=3, effort=USUAL).to_end()


def test_the_front_of_a_demo_model(hook):
    """Study on real meshes: the hook leaves 4.6 % with one cut and 0.48 of the diagonal in sight, and 0.7 % with two
    and all pieces flat.
    """
    model, front = hook
    diagonal = model.solid.diagonal
    short = [way for way in front.ways if len(way.cuts) == 1 and way.sight <= 0.5 * diagonal]
    assert min(way.support for way in short) < 0.07 * front.whole
    flat = [way for way in front.ways if way.all_flat and way.pieces == 3]
    assert min(way.support for way in flat) < 0.02 * front.whole
    assert [way.support for way in front.ways] == sorted(way.support for way in front.ways)


def test_what_a_way_says_is_what_its_plan_comes_to(hook):
    model, front = hook
    for way in spaced([way for way in front.ways if way.cuts], 4):
        outcome = Evaluator(model).evaluate(way.plan, PRINTER)
        assert outcome.totals.support_volume_mm3 == pytest.approx(way.support, rel=1e-9)
        assert outcome.totals.seam_in_sight_mm == pytest.approx(way.sight, rel=1e-9)
        assert outcome.totals.flat_pieces == way.flat
        assert len(outcome.pieces) == way.pieces <= 3
        assert all(piece.figures.closed for piece in outcome.pieces)
        # thinned so far, the model runs through itself in places
        assert outcome.lost_share < 1e-5


def test_no_way_beats_another(hook):
    _, front = hook
    for way in front.ways:
        for other in front.ways:
            if other is not way and bool(other.cuts) == bool(way.cuts):
                as_good = (other.support <= way.support and other.hidden <= way.hidden and other.pieces <= way.pieces
                           and other.all_flat >= way.all_flat and other.all_fit >= way.all_fit)
                assert not as_good


def test_no_way_is_worse_than_leaving_it_as_it_stands(hook):
    """More support is of use only to what sits flatter or fits better for it: the hook fits, and stands on a tip."""
    _, front = hook
    for way in front.ways:
        assert not way.cuts or way.support <= 1.002 * front.whole or way.flat > 0


def way_of(support: float, pieces: int = 2, flat: int = 0, fitting: int = 0, over: float = 9.0) -> Way:
    return Way(Plan(model=model_of(cross()).ref), (), pieces, flat, fitting, support, 0.0, 0.0, 0.0, (), True, 0, over)


@pytest.mark.parametrize(
    ("way", "worse"),
    [
        (way_of(120.0), True), (way_of(100.1), False), (way_of(90.0), False), (way_of(120.0, flat=1), False),
        (way_of(120.0, fitting=1), False), (way_of(120.0, over=3.0), False), (way_of(120.0, over=12.0), True),
    ],
)
def test_what_is_no_better_than_the_whole(way, worse):
    whole = way_of(100.0, pieces=1)
    assert way.no_better(whole, 0.2) is worse
    assert way.no_better(way_of(100.0, pieces=1, flat=1, fitting=1, over=0.0), 0.2) is (way.support > 100.2)
    said = in_vain_of(way_of(120_000.0), way_of(100_000.0))
    assert "needs 120 cm³ of support instead of 100 cm³" in said


def test_a_search_that_was_stopped_goes_on(hook):
    """Stopped within every step, each time at another place, it comes to the same ways."""
    model, _ = hook
    front, search = search_of(model).to_end(), search_of(model)
    stops = 0
    for number in range(1000):
        left = [number % 5 + 1]

        def unwanted(left: list[int] = left) -> bool:
            left[0] -= 1
            return left[0] == 0

        try:
            now = search.advance(Job(unwanted=unwanted))
        except Cancelled:
            stops += 1
            now = search.advance()
        if now.done:
            break
    assert stops > 5
    assert [way.support for way in now.ways] == pytest.approx([way.support for way in front.ways])


def test_first_ways_are_marked_as_near(hook):
    model, _ = hook
    search = search_of(model)
    first = search.advance()
    assert first.ways
    assert not first.done
    assert not any(way.measured for way in first.ways)
    assert all(way.plan.recipe == way.cuts for way in first.ways)


def test_conditions_leave_ways_out(hook):
    model, front = hook
    shortest = min(way.sight for way in front.ways if way.cuts)
    limit = 1.5 * shortest
    short = found(model.solid, seam_limit=limit)
    assert all(way.sight <= limit for way in short.ways)
    flat = found(model.solid, flat=True)
    assert flat.ways
    assert all(way.all_flat for way in flat.ways)
    large = found(model.solid, least_volume=0.2 * model.solid.volume)
    evaluator = Evaluator(model)
    for way in large.ways:
        for piece in evaluator.evaluate(way.plan, PRINTER).pieces:
            assert piece.solid.volume >= 0.19 * model.solid.volume


def test_more_like_one_way(hook):
    """Its cuts are moved together: what was there stays or is beaten, and something is better."""
    model, _ = hook
    search = search_of(model)
    before = search.to_end()
    way = next(one for one in before.ways if one.cuts)
    search.more_like(way)
    after = search.to_end()
    assert after.done
    assert all(one.measured for one in after.ways)
    little, short = 0.003 * before.whole, 0.006 * model.solid.diagonal
    for old in before.ways:
        assert any(new.support <= old.support + little and new.hidden <= old.hidden + short for new in after.ways)
    assert {one.plan for one in after.ways} != {one.plan for one in before.ways}


def test_marks_bar_cuts_and_make_them_welcome():
    """A belt around a bipyramid is barred: the plan that halves it is gone; it is welcome: there it costs less."""
    belt = {"shape": "box", "places": ((0.0, 0.0, 0.0),), "half": (40.0, 40.0, 4.0)}
    fine = fresh(bipyramid().manifold.refine_to_length(4.0))
    model = model_of(fine)

    def front(meaning: str) -> Front:
        plan = Plan(model=model.ref, marks=(Mark.model_validate({**belt, "meaning": meaning}),))
        return search_of(model, plan).to_end()

    barred = [way for way in front("never").ways if way.cuts]
    assert all(seam.barred < 0.5 for way in barred for seam in way.seams)
    free = min(front("prefer").ways, key=lambda way: way.support if way.cuts else np.inf)
    assert free.support < 10
    assert free.hidden < 0.5 * free.sight


def test_why_there_is_none():
    solid = bipyramid()
    assert "of seam. Allow" in found(solid, seam_limit=0.5).short_of
    model = model_of(solid)
    everything = Mark(meaning="never", shape="ball", places=((0.0, 0.0, 0.0),), half=(99.0, 99.0, 99.0))
    plan = Plan(model=model.ref, marks=(everything,))
    assert "Remove marks" in search_of(model, plan).to_end().short_of
    tiny = replace_room(6.0)
    search = search_of(model, printer=tiny, must_fit=True)
    assert "pieces fit, and one" in search.to_end().short_of


def test_bodies_that_do_not_touch_are_named_where_there_are_too_many_pieces():
    crumbs = [box(1, 1, 1, at=(60 + 5 * n, 0, 0)) for n in range(4)]
    said = found(together(box(30, 20, 20), box(20, 20, 20, at=(35, 0, 0)), *crumbs), pieces=3).short_of
    assert "the model has 6 bodies that do not touch" in said
    assert "leave out stray specks" in said


def replace_room(side: float):
    return PRINTER.model_copy(update={"bed_x": side, "bed_y": side, "height": side, "margin": 0.0})


def test_walls_of_blocks_are_moved_off_detail():
    """A post twice as long as the bed, with a collar where it would be halved."""
    model = model_of(joined(box(20, 20, 200), box(36, 36, 4, at=(-8, -8, 98))))
    search = search_of(model, printer=replace_room(110.0))
    search.to_end()
    blocks = [draft for draft in search._drafts if isinstance(draft.cuts[0], BlockCut) and len(draft.cells) == 2]
    sights = sorted(draft.sight for draft in blocks if all(cell.fits(False) for cell in draft.cells))
    assert sights[0] < 0.85 * sights[-1]


def test_a_closed_void_may_be_kept_closed():
    """Every cut through the middle of a hollow ball opens it; those that may stay beside the void."""
    solid = hollow_ball(30, 20, 3)
    closed, evaluator = found(solid, open_shells=False), Evaluator(model_of(solid))
    for way in closed.ways:
        if way.cuts:
            assert any(piece.solid.volume > 50_000 for piece in evaluator.evaluate(way.plan, PRINTER).pieces)
            assert all(abs(cut.offset) > 19 for cut in way.cuts)


def test_an_open_surface_a_plate_and_many_bodies():
    opened = without_facets(sphere(20, 3), sphere(20, 3).normals[:, 2] > 0.95)
    with pytest.raises(OpenSurface, match="open edges"):
        found(opened)
    plate = found(solid_of(box(80, 60, 2)))
    assert any(way.support == 0 and not way.cuts for way in plate.ways)
    many = found(together(*(box(3, 3, 3, at=(5.0 * (n % 10), 5.0 * (n // 10), 0)) for n in range(60))))
    assert many.done
    assert [way.cuts for way in many.ways if way.cuts] == []
    assert many.short_of


def test_one_piece_only_is_parted():
    """The others stay as they are, and no cut reaches them."""
    model = model_of(
        joined(box(20, 20, 80), box(80, 20, 10, at=(-30, 0, 70)), box(80, 20, 10, at=(-30, 0, 20))), "Mast"
    )
    evaluator = Evaluator(model)
    first = search_of(model).to_end()
    two = next(way for way in first.ways if way.pieces == 2)
    search = search_of(model, two.plan, number=0)
    front = search.to_end()
    assert search.parts == 1
    for way in front.ways:
        if way.cuts:
            assert len(evaluator.evaluate(way.plan, PRINTER).pieces) == way.pieces + 1
            assert way.plan.recipe[: len(two.plan.recipe)] == two.plan.recipe
    assert any(way.cuts for way in front.ways)


@pytest.mark.parametrize("number", [0, 1, None])
def test_bodies_that_stay_count_but_are_not_in_the_way(number):
    """Parting one of two bodies, uncut both, leaves three pieces; parting both, of which one needs it, does too."""
    ball = trimesh.creation.icosphere(3, 20.0).apply_translation((60, 0, 20))
    bodies = tuple(Body(name=name, triangles=count) for name, count in (("Box", 12), ("Ball", 1280)))
    model = replace(model_of(together(box(20, 20, 20), ball), "Two"), bodies=bodies)
    plan = Plan(model=model.ref, roles=("on its own", "on its own"))
    evaluator = Evaluator(model)
    search = search_of(model, plan, number=number, effort=USUAL)
    front = search.to_end()
    assert search.parts == (2 if number is None else 1)
    assert front.short_of == ""
    parted = [way for way in front.ways if way.cuts]
    assert parted
    assert {way.pieces for way in front.ways} == {2, 3}
    for way in parted:
        assert len(evaluator.evaluate(way.plan, PRINTER).pieces) == 3
    if number != 0:
        assert min(way.support for way in parted) < 0.01 * front.whole


def test_more_bodies_than_are_looked_at_count_all():
    """26 cubes and a ball, of which the 24 with the most support are looked at: halving the ball leaves 28 pieces."""
    cubes = [box(8, 8, 8, at=(12.0 * n, -40, 0)) for n in range(26)]
    ball = trimesh.creation.icosphere(2, 20.0).apply_translation((60, 0, 20))
    bodies = (*(Body(name=f"Cube {n}", triangles=12) for n in range(26)), Body(name="Ball", triangles=320))
    model = replace(model_of(together(*cubes, ball), "Kit"), bodies=bodies)
    plan = Plan(model=model.ref, roles=("on its own",) * 27)
    search = search_of(model, plan)
    near = [way for _ in range(3) for way in search.advance().ways if not way.measured]
    assert {way.pieces for way in near if way.cuts} == {28}
    front = search.to_end()
    assert search.parts == 24
    assert {(way.pieces, len(way.cuts)) for way in front.ways} == {(27, 0), (28, 1)}
    assert min(way.support for way in front.ways if way.cuts) < 0.01 * front.whole


def test_a_model_of_several_pieces_is_parted_where_it_pays():
    """Two bodies on their own: the ball is halved, the box is left alone."""
    path_free = together(box(20, 20, 20), trimesh.creation.icosphere(3, 20.0).apply_translation((60, 0, 20)))
    model = model_of(path_free, "Two")
    bodies = tuple(Body(name=name, triangles=count) for name, count in (("Box", 12), ("Ball", 1280)))
    model = replace(model, bodies=bodies)
    plan = Plan(model=model.ref, roles=("on its own", "on its own"))
    front = search_of(model, plan, pieces=3, effort=USUAL).to_end()
    best = min((way for way in front.ways if way.cuts), key=lambda way: way.support)
    assert best.support < 0.01 * front.whole
    assert best.pieces == 3


def test_how_many_rooms_boxes_and_bodies_take():
    """By hand: a box is laid as is best; no piece holds two points farther apart than the corners of the room."""
    sizes = np.array([[90, 90, 90], [90, 90, 110], [250, 90, 40], [190, 190, 30], [20, 20, 290]])
    assert rooms_of_boxes(sizes, (100, 100, 100)).tolist() == [1, 2, 3, 4, 3]
    assert rooms_of_boxes(sizes, (50, 300, np.inf)).tolist() == [2, 2, 1, 1, 1]
    bar = np.stack([np.linspace(0, 400, 41), np.zeros(41), np.zeros(41)], axis=1)
    assert least_rooms(bar, (100, 100, 100), 40_000) == 3  # 400 mm by 173
    assert least_rooms(bar, (100, 100, 100), 4.2e6) == 5
    assert least_rooms(bar, (100, 100, np.inf), 4.2e6) == 1


@pytest.mark.parametrize(
    ("size", "flat", "pieces"), [((300, 20, 20), False, 2), ((300, 20, 20), True, 3), ((200, 200, 60), True, 4)]
)
def test_the_fewest_pieces_for_a_bed(size, flat, pieces):
    """Known by hand, in a room of 110 mm: halves of a bar fit along its diagonal, on support, and thirds flat; a slab
    of two beds by two takes four pieces.
    """
    room = replace_room(110.0)
    model = model_of(solid_of(box(*size)))
    front = search_of(model, printer=room, pieces=pieces + 1, must_fit=True, flat=flat).to_end()
    assert min(way.pieces for way in front.ways) == pieces
    assert all(way.all_fit for way in front.ways)
    assert 2 <= front.least_pieces <= pieces


def test_bodies_of_one_shape_are_seated_once():
    """Wherever they stand, unless they are marked; a mirror image in the same box, of the same volume and with its
    centre in the same place, sits another way.
    """
    z = joined(box(20, 10, 8), box(20, 10, 8, at=(10, 10, 0)))
    s = joined(box(20, 10, 8, at=(10, 0, 0)), box(20, 10, 8, at=(0, 10, 0)))
    moved = Solid(z.vertices + [40.0, -3.0, 7.5], z.triangles)
    none = unmarked(len(z.triangles))
    assert np.allclose(z.centre_of_mass, s.centre_of_mass)
    assert len(z.triangles) == len(s.triangles)
    assert like(moved, none) == like(z, none)
    assert like(s, none) != like(z, none)
    some = replace(none, hold=z.normals[:, 2] < 0)
    assert like(moved, some) != like(z, some)


def test_blocks_are_tried_too():
    body = solid_of(box(200, 190, 60))
    (first, *_) = blocks_for(Part("x", body, (), 0), (110.0, 110.0, 110.0), 1)
    sides = [side for _, side in first.part(body).sides]
    assert len(sides) == 4
    assert sum(side.volume for side in sides) == pytest.approx(body.volume)
    assert blocks_for(Part("x", body, (), 0), (300.0, 300.0, 300.0), 1) == []
