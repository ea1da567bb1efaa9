"""All kinds of cuts: nothing lost, everything closed, against closed forms; recipes as documents."""

from __future__ import annotations

import math
from functools import partial

import manifold3d
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_slab.core.cuts import (
    BentCut,
    BlockCut,
    BodiesCut,
    BoxCut,
    BoxReach,
    LiftOffCut,
    Move,
    OutlineReach,
    PieceReach,
    RegionReach,
    RestReach,
    ScoopCut,
    Side,
    StraightCut,
)
from deft_slab.core.document.marks import Region
from deft_slab.core.errors import BadPlan, CutFailed
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.congruence import same_shapes, surface_moments, symmetry_planes
from deft_slab.core.figures.marked_facets import facets_taken
from deft_slab.core.figures.seams import seam_of
from deft_slab.core.geometry.bodies import bodies_of, united
from deft_slab.core.geometry.lift_direction import leaves_freely, lift_direction
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import Recipe, read_recipe
from deft_slab.core.printers.profile import default_printer
from deft_slab.demo import MODELS
from tests.recipes import REFUSED, problem_with, random_recipe
from tests.shapes import (
    box,
    bundled,
    cone,
    hollow_ball,
    joined,
    model_of,
    ring,
    solid_of,
    sphere,
    together,
    tube,
)

PRINTER = default_printer()
NAMED = {"id": "c1", "name": "Cut"}


def picked(solid: Solid, region: Region):
    return facets_taken(solid, region, lambda _: np.zeros(len(solid.triangles)))


def sides(solid: Solid, cut) -> dict[int, Solid]:
    return dict(cut.part(solid, partial(picked, solid)).sides)


def assert_whole(solid: Solid, cut) -> dict[int, Solid]:
    """Every side closed by the program's own count from nothing, and the volumes, with the kerf, those of the solid."""
    made = cut.part(solid, partial(picked, solid))
    for _, side in made.sides:
        assert Solid(side.vertices, side.triangles).defects.closed
        assert side.volume > 0
    assert sum(side.volume for _, side in made.sides) + made.kerf == pytest.approx(solid.volume, rel=1e-6)
    return dict(made.sides)


# against closed forms


def test_a_scoop_out_of_a_block_is_a_ball():
    """4/3 pi r^3; its face is 4 pi r^2, of which a half where its middle lies in the surface (geometry handbooks)."""
    found = assert_whole(solid_of(box(60, 60, 60)), ScoopCut(**NAMED, centre=(30, 30, 60), half=(12, 12, 12)))
    assert found[1].volume == pytest.approx(2 / 3 * math.pi * 12**3, rel=4e-3)
    seam = seam_of([found[1]], "c1", None)
    assert seam.cut_area == pytest.approx(2 * math.pi * 12**2, rel=4e-3)
    assert seam.length == pytest.approx(2 * math.pi * 12, rel=2e-3)


def test_a_round_ended_scoop_across_a_cylinder():
    """A cylinder through a cylinder of the same radius: the Steinmetz solid, 16/3 r^3 (Archimedes; geometry handbooks).

    The round ends of the scoop lie outside.
    """
    rod = manifold3d.Manifold.cylinder(80, 10, 10, 256, True)
    solid = Solid.from_manifold(rod, {})
    cut = ScoopCut(**NAMED, shape="round-ended", half=(10, 10, 40), turn=Tilt.turn((1, 0, 0), 90))
    found = assert_whole(Solid(solid.vertices, solid.triangles), cut)
    assert found[1].volume == pytest.approx(16 / 3 * 10**3, rel=6e-3)


def test_an_ellipsoid_and_how_a_turn_moves_its_axes():
    cut = ScoopCut(**NAMED, centre=(50, 50, 50), half=(5, 10, 20), turn=Tilt.turn((0, 1, 0), 90))
    inside = assert_whole(solid_of(box(100, 100, 100)), cut)[1]
    assert inside.volume == pytest.approx(4 / 3 * math.pi * 5 * 10 * 20, rel=4e-3)
    assert inside.size.tolist() == pytest.approx([40, 20, 10], rel=2e-3)


def test_torus_halves():
    """Half of 2 pi^2 R r^2; cut through the axis its faces are two discs (Pappus; geometry handbooks)."""
    solid = ring(30, 8)
    halves = assert_whole(solid, StraightCut(**NAMED, normal=(1, 0, 0), offset=0.0))
    for half in halves.values():
        assert half.volume == pytest.approx(math.pi**2 * 30 * 8**2, rel=5e-3)
    assert seam_of([halves[1]], "c1", None).cut_area == pytest.approx(2 * math.pi * 8**2, rel=5e-3)


def test_a_kerf_takes_its_thickness():
    solid = solid_of(box(20, 30, 40))
    made = StraightCut(**NAMED, normal=(0, 0, 1), offset=10, kerf=0.5).part(solid)
    assert made.kerf == pytest.approx(20 * 30 * 0.5)
    assert sorted(side.size[2] for _, side in made.sides) == pytest.approx([9.75, 29.75])
    ball = ScoopCut(**NAMED, centre=(30, 30, 30), half=(10, 10, 10), kerf=1.0).part(solid_of(box(60, 60, 60)))
    assert ball.kerf == pytest.approx(4 / 3 * math.pi * (10.5**3 - 9.5**3), rel=5e-3)


def test_block_cells():
    """Common practice: abutting boxes of 25 x 25 x 50 fill the whole without a gap."""
    cut = BlockCut(**NAMED, x=(25,), y=((25,),), z=((50,),))
    found = assert_whole(solid_of(box(50, 50, 100)), cut)
    assert sorted(found) == list(range(8))
    assert all(sorted(cell.size.tolist()) == pytest.approx([25, 25, 50]) for cell in found.values())
    # cells are numbered along x, then y, then z
    assert found[1].bounds[0].tolist() == pytest.approx([0, 0, 50])
    assert found[4].bounds[0].tolist() == pytest.approx([25, 0, 0])


def test_t_junctions_of_a_block_cut():
    cut = BlockCut(**NAMED, x=(20,), y=((10,), (20, 40)), z=((),), kerf=0.5)
    found = assert_whole(solid_of(box(60, 60, 10)), cut)
    assert len(found) == 5
    assert found[0].size.tolist() == pytest.approx([19.75, 9.75, 10])
    assert found[3].size.tolist() == pytest.approx([39.75, 19.5, 10])


@pytest.mark.parametrize(
    "walls",
    [{"x": (1, 1)}, {"x": (3, 1)}, {}, {"x": (1,), "y": ((1,), (2,), (3,))}, {"x": (1,), "z": ((1,), (2,), (3,))}],
)
def test_walls_that_make_no_cells_are_refused(walls):
    with pytest.raises(ValueError, match="wall"):
        BlockCut(**NAMED, **walls)


def test_the_seams_of_a_block_cut_are_counted_once():
    model = model_of(solid_of(box(50, 50, 50)))
    cut = BlockCut(**NAMED, x=(25,), y=((25,),), z=((25,),))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), PRINTER)
    assert outcome.totals.pieces == 8
    assert outcome.totals.cut_area_mm2 == pytest.approx(3 * 50 * 50)
    assert outcome.totals.seam_length_mm == pytest.approx(3 * 4 * 50)


def test_a_bent_cut_along_a_wave():
    """The area of the sheet is the length of its line times its depth; a full wave leaves halves of the same volume."""
    line = tuple((float(x), 0.0, 25 + 6 * math.sin(2 * math.pi * x / 100)) for x in np.linspace(0, 100, 41))
    cut = BentCut(**NAMED, line=line, view=(0, 1, 0))
    found = assert_whole(solid_of(box(100, 40, 50)), cut)
    assert found[1].volume == pytest.approx(100_000, rel=1e-3)
    points = np.array(line)
    assert seam_of([found[1]], "c1", None).cut_area == pytest.approx(
        40 * np.linalg.norm(np.diff(points, axis=0), axis=1).sum(), rel=2e-3
    )
    # seen along +y the left of a line towards +x is below
    assert found[1].centre_of_mass[2] < found[-1].centre_of_mass[2]


def test_a_splayed_sheet_leans():
    """A straight line with a splay is a plane that leans: tan(splay) times the depth."""
    cut = BentCut(**NAMED, line=((0, 0, 25), (100, 0, 25)), view=(0, 1, 0), splay=20)
    found = assert_whole(solid_of(box(100, 40, 50)), cut)
    lean = math.tan(math.radians(20)) * 40
    assert abs(found[1].volume - 100_000) == pytest.approx(100 * 40 * lean / 2, rel=1e-6)
    assert seam_of([found[1]], "c1", None).cut_area == pytest.approx(100 * 40 / math.cos(math.radians(20)), rel=1e-6)


@pytest.mark.parametrize(
    ("line", "splay"),
    [
        (((0, 0, 0), (50, 0, 50), (50, 0, 0), (0, 0, 50)), 0),  # crosses itself
        (((20, 0, 20), (20, 1, 20)), 0),  # seen on end it is a point
        (tuple((50 + 6 * math.sin(a), 0.0, 5.0 * a) for a in np.linspace(0, 9, 30)), 60),  # folds over when splayed
    ],
)
def test_lines_that_cannot_be_cut_along(line, splay):
    with pytest.raises(CutFailed, match=r"crosses|no length|folds") as raised:
        sides(solid_of(box(100, 60, 50)), BentCut(**NAMED, line=line, view=(0, 1, 0), splay=splay))
    assert raised.value.remedy


def test_a_loop_takes_a_limb_and_nothing_else():
    """Two equal posts on a plate: a loop around one leaves the other, which a straight cut there would take too."""
    solid = joined(box(80, 30, 10), box(10, 10, 40, at=(10, 10, 9)), box(10, 10, 40, at=(60, 10, 9)))
    turns = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    loop = tuple((15 + 7.2 * math.cos(t), 15 + 7.2 * math.sin(t), 30 + 1.5 * math.cos(2 * t)) for t in turns)
    for kerf in (0.0, 0.4):
        found = assert_whole(solid, BentCut(**NAMED, line=loop, closed=True, kerf=kerf))
        assert found[1].volume == pytest.approx(10 * 10 * 19 - 50 * kerf, rel=0.03)
        assert found[1].bounds[1][0] < 21
        assert len(bodies_of(found[-1])) == 1
        assert found[-1].bounds[1][2] == pytest.approx(49)
        direction, free = lift_direction([found[1]], "c1")
        assert free
        assert direction[2] > 0.9


def test_a_loop_in_the_air_parts_nothing_and_a_flat_one_is_refused():
    loop = tuple((200 + 5 * math.cos(t), 5 * math.sin(t), 0.0) for t in np.linspace(0, 6, 8))
    assert list(sides(sphere(20, 3), BentCut(**NAMED, line=loop, closed=True))) == [1]
    with pytest.raises(CutFailed):
        sides(sphere(20, 3), BentCut(**NAMED, line=((0, 0, 0), (1, 0, 0), (2, 0, 0)), closed=True))


HEAD_LOOP = (
    (-12.3, -10.1, 75.6), (-7.9, -7.5, 76.1), (-3.0, -9.6, 79.1), (1.9, -8.9, 82.7), (6.7, -5.3, 84.1),
    (8.6, 0.4, 82.7), (7.0, 5.2, 79.4), (4.2, 8.9, 75.8), (6.0, 13.3, 74.7), (1.4, 11.6, 73.3), (-3.4, 8.5, 72.1),
    (-8.1, 5.0, 70.8), (-9.8, -0.7, 72.2), (-12.5, -5.9, 73.3),
)
"""Around the head of a demo model, over its hair: a level sheet there runs into more of it."""


@pytest.mark.parametrize("kerf", [0.0, 0.3])
def test_a_loop_whose_sheet_would_run_into_a_bulge_cuts_along_the_surface(kerf):
    puppet = open_file(MODELS["puppet"]).model.solid
    found = assert_whole(puppet, BentCut(**NAMED, line=HEAD_LOOP, closed=True, kerf=kerf))
    assert len(bodies_of(found[1])) == 1
    # its seam lies on the loop, all around
    rim = seam_of([found[1]], "c1", None)
    round_it = np.linalg.norm(np.diff(HEAD_LOOP, axis=0, append=HEAD_LOOP[:1]), axis=1).sum()
    assert rim.length == pytest.approx(round_it, rel=0.35)
    assert 0.01 < found[1].volume / puppet.volume < 0.2


def test_a_loop_along_the_seam_of_a_ball_cuts_it_in_equal_halves():
    """x = a cos t + b cos 3t, y = a sin t - b sin 3t, z = 2 sqrt(ab) sin 2t lies on the sphere of radius a + b, and a
    quarter turn about z with a mirror in its plane maps one of its sides onto the other (from memory).
    """
    turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    a, b = 20.0, 10.0
    seam = np.c_[a * np.cos(turn) + b * np.cos(3 * turn), a * np.sin(turn) - b * np.sin(3 * turn),
                 2 * math.sqrt(a * b) * np.sin(2 * turn)]
    line = tuple((float(x), float(y), float(z)) for x, y, z in seam)
    found = assert_whole(sphere(30, 5), BentCut(**NAMED, line=line, closed=True))
    assert found[1].volume == pytest.approx(found[-1].volume, rel=0.02)


def test_a_loop_that_does_not_part_the_surface_it_lies_on_parts_nothing():
    """Once around on top of a ring, whose surface hangs together beside it as before."""
    turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    loop = tuple((40 * math.cos(t), 40 * math.sin(t), 10.0) for t in turn)
    found = sides(ring(40, 10), BentCut(**NAMED, line=loop, closed=True))
    assert list(found) == [1]


def studded() -> Solid:
    """A plate with a round stud of radius 6 that is 5 mm high."""
    plate = manifold3d.Manifold.cube((60, 60, 10))
    stud = manifold3d.Manifold.cylinder(6, 6, 6, 96).translate((30, 30, 9))
    body = plate + stud
    solid = Solid.from_manifold(body, {})
    return Solid(solid.vertices, solid.triangles)


STUD = Region(shape="box", places=((30.0, 30.0, 14.0),), half=(6.5, 6.5, 3.5))


@pytest.mark.parametrize("pocket", [0.0, 2.0])
def test_an_ornament_is_lifted_off_at_its_foot(pocket):
    found = assert_whole(studded(), LiftOffCut(**NAMED, region=STUD, pocket=pocket, direction=(0, 0, 1)))
    assert found[1].volume == pytest.approx(math.pi * 36 * (5 + pocket), rel=5e-3)
    assert found[1].bounds[0][2] == pytest.approx(10 - pocket, abs=1e-3)
    direction, free = lift_direction([found[1]], "c1")
    assert free
    assert direction[2] == pytest.approx(1, abs=0.02)


def emblems() -> tuple[Solid, list[LiftOffCut]]:
    """A cube of 60 with a round emblem on each of its walls, and the cuts that take them off."""
    body, cuts = manifold3d.Manifold.cube((60, 60, 60)), []
    for n, (out, turn) in enumerate((((1, 0, 0), 90), ((0, 1, 0), -90), ((-1, 0, 0), -90), ((0, -1, 0), 90))):
        disc = manifold3d.Manifold.cylinder(6, 8, 8, 64)
        disc = disc.rotate((0, turn, 0)) if out[0] else disc.rotate((turn, 0, 0))
        body += disc.translate(tuple(30.0 + 28.0 * np.array(out)))
        middle = 30.0 + 33.0 * np.array(out)
        half = np.where(np.array(out) != 0, 2.9, 9.0)
        region = Region(shape="box", places=(tuple(middle),), half=tuple(half))
        cuts.append(LiftOffCut(id=f"e{n}", name=f"Emblem {n}", region=region, direction=tuple(map(float, out))))
    solid = Solid.from_manifold(body, {})
    return Solid(solid.vertices, solid.triangles), cuts


def test_emblems_are_taken_off_one_by_one_and_what_is_left_is_halved():
    """A cut with a region acts on the piece that has it; a later one passes by what was taken off, where that is its
    reach.
    """
    solid, cuts = emblems()
    model = model_of(solid)
    level = StraightCut(id="half", name="Half", normal=(0, 0, 1), offset=30.0)
    disc = math.pi * 64 * 4
    for reach, count in ((RestReach(), 6), (None, 10)):
        plan = Plan(model=model.ref, recipe=(*cuts, level.model_copy(update={"reach": reach})))
        outcome = Evaluator(model).evaluate(plan, default_printer())
        assert len(outcome.pieces) == count
        volumes = sorted(piece.solid.volume for piece in outcome.pieces)
        assert sum(volumes) == pytest.approx(model.solid.volume, rel=1e-9)
        assert volumes[:4] == pytest.approx([disc if reach else disc / 2] * 4, rel=0.01)
        assert volumes[-1] == pytest.approx(60 * 60 * 30, rel=1e-6)
    # in any order, and after the halving too: each half has its part of an emblem
    plan = Plan(model=model.ref, recipe=(level, *reversed(cuts)))
    assert len(Evaluator(model).evaluate(plan, default_printer()).pieces) == 10
    # a scoop around a region, and a straight cut within one, meet the piece that has it as well
    region = cuts[3].region
    around = ScoopCut(**NAMED, shape="region", region=region, margin=2)
    for more in (around, StraightCut(**NAMED, normal=(0, 1, 0), offset=-2.0, reach=RegionReach(region=region))):
        plan = Plan(model=model.ref, recipe=(*cuts[:3], more))
        outcome = Evaluator(model).evaluate(plan, default_printer())
        assert outcome.cuts["c1"].parts
        assert len(outcome.pieces) == 5
    assert Plan.model_validate_json(plan.model_dump_json()) == plan


def test_a_region_that_is_not_there():
    elsewhere = Region(shape="ball", places=((500.0, 0.0, 0.0),), half=(1.0, 1.0, 1.0))
    for cut in (
        LiftOffCut(**NAMED, region=elsewhere),
        ScoopCut(**NAMED, shape="region", region=elsewhere),
        StraightCut(**NAMED, normal=(0, 0, 1), offset=5, reach=RegionReach(region=elsewhere)),
    ):
        with pytest.raises(CutFailed, match="region|reach"):
            sides(studded(), cut)


def test_a_scoop_around_a_region_keeps_its_distance():
    found = assert_whole(studded(), ScoopCut(**NAMED, shape="region", region=STUD, margin=3))
    below = found[1].vertices[:, 2].min()
    assert below == pytest.approx(7, abs=0.4)
    assert found[1].volume > math.pi * 36 * 5


# reach


def bridge() -> Solid:
    """Two towers on a slab: what a bounded cut can take one of."""
    return joined(box(60, 20, 10), box(15, 20, 40, at=(0, 0, 9)), box(15, 20, 40, at=(45, 0, 9)))


@pytest.mark.parametrize(
    "reach",
    [
        BoxReach(centre=(7.5, 10, 30), half=(12, 15, 40)),
        OutlineReach(points=((-5, -5, 0), (20, -5, 0), (20, 25, 0), (-5, 25, 0)), view=(0, 0, -1)),
        RegionReach(region=Region(shape="box", places=((7.5, 10.0, 40.0),), half=(8.0, 11.0, 20.0)), margin=1.0),
    ],
)
@pytest.mark.parametrize("kerf", [0.0, 0.3])
def test_a_bounded_cut_takes_one_tower_and_leaves_the_other(reach, kerf):
    """Common practice: one bounded cut, two pieces, the rest still whole."""
    cut = StraightCut(**NAMED, normal=(0, 0, 1), offset=30, reach=reach, kerf=kerf)
    found = assert_whole(bridge(), cut)
    assert found[1].volume == pytest.approx(15 * 20 * (19 - kerf / 2), rel=1e-3)
    assert len(bodies_of(found[-1])) == 1
    full = sides(bridge(), StraightCut(**NAMED, normal=(0, 0, 1), offset=30))
    assert len(bodies_of(full[1])) == 2


def test_a_reach_closes_the_cut_with_a_wall():
    """A plane through half of a cube, stopped in its middle: the piece that comes off is a quarter."""
    cut = StraightCut(
        **NAMED, normal=(0, 0, 1), offset=20, reach=BoxReach(centre=(10, 20, 20), half=(10, 30, 30))
    )
    found = assert_whole(solid_of(box(40, 40, 40)), cut)
    assert sorted(side.volume for side in found.values()) == pytest.approx([20 * 40 * 20, 40**3 - 20 * 40 * 20])


def test_a_cut_of_one_piece_leaves_the_others():
    model = model_of(solid_of(box(60, 20, 20)))
    first = StraightCut(id="a", name="First", normal=(1, 0, 0), offset=30)
    second = StraightCut(id="b", name="Second", normal=(0, 0, 1), offset=10,
                         reach=PieceReach(sides=(Side(cut="a", side=1),)))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(first, second)), PRINTER)
    assert sorted(piece.solid.volume for piece in outcome.pieces) == pytest.approx([6000, 6000, 12000])
    assert outcome.cuts["b"].parts


# bodies and crumbs


def test_bodies_become_pieces():
    model = model_of(together(box(10, 10, 10), box(5, 5, 5, at=(30, 0, 0)), box(6, 6, 6, at=(0, 40, 0))))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(BodiesCut(**NAMED),)), PRINTER)
    assert [piece.solid.volume for piece in outcome.pieces] == pytest.approx([1000, 216, 125])
    one = model_of(sphere(10, 3))
    alone = Evaluator(one).evaluate(Plan(model=one.ref, recipe=(BodiesCut(**NAMED),)), PRINTER)
    assert alone.totals.pieces == 1
    assert any("only one body" in note.says for note in alone.notes)


def crumbly() -> Solid:
    """A block with a small tooth beside it on a ledge: a cut over the ledge nicks the tooth."""
    return joined(box(60, 60, 30), box(20, 60, 60), box(3, 3, 6, at=(40, 30, 29)))


@pytest.mark.parametrize(("crumbs", "pieces"), [("keep", 3), ("drop", 2), ("neighbour", 2)])
def test_crumbs_are_dealt_with_as_told(crumbs, pieces):
    model = model_of(crumbly())
    cut = StraightCut(**NAMED, normal=(0, 0, 1), offset=33, crumbs=crumbs)
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), PRINTER)
    assert outcome.totals.pieces == pieces
    assert outcome.lost_share < 1e-9
    assert outcome.set_aside_mm3 == pytest.approx(18 if crumbs == "drop" else 0)
    report = outcome.cuts["c1"]
    assert [size for size, _ in report.crumbs] == pytest.approx([3])
    assert any("crumb" in note.says for note in outcome.notes)
    assert all(Solid(p.solid.vertices, p.solid.triangles).defects.closed for p in outcome.pieces)
    if crumbs == "neighbour":
        assert max(piece.solid.bounds[1][0] for piece in outcome.pieces if piece.sides[0].side == -1) == 60
        lower = next(piece for piece in outcome.pieces if piece.sides[0].side == -1)
        assert lower.solid.bounds[1][2] == pytest.approx(35)


# lifting off


def test_how_pieces_come_off():
    """A ball in a hemispherical dish comes straight out; one that is held past its equator does not."""
    block = solid_of(box(60, 60, 60))
    dish = sides(block, ScoopCut(**NAMED, centre=(30, 30, 60), half=(15, 15, 15)))
    direction, free = lift_direction([dish[1]], "c1")
    assert free
    assert direction == pytest.approx([0, 0, 1], abs=0.03)
    assert leaves_freely([dish[1]], [dish[-1]], direction)
    held = sides(block, ScoopCut(**NAMED, centre=(30, 30, 55), half=(15, 15, 15)))
    assert not lift_direction([held[1]], "c1")[1]
    assert not leaves_freely([held[1]], [held[-1]], np.array([0.0, 0.0, 1.0]))


# carried along


DIRECTIONS = st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.1)


@settings(max_examples=25, deadline=None)
@given(DIRECTIONS, st.floats(-5, 5), st.integers(0, 10_000))
def test_a_mirrored_recipe_makes_mirrored_pieces(normal, offset, seed):
    solid = joined(box(30, 20, 25), box(10, 10, 30, at=(18, 4, 10)))
    unit = np.array(normal) / math.hypot(*normal)
    image = Solid(
        (solid.vertices - 2 * (solid.vertices @ unit - offset)[:, None] * unit), solid.triangles[:, [0, 2, 1]]
    )
    for cut in random_recipe(solid, seed, 2).cuts:
        if '"places"' in cut.model_dump_json() or getattr(cut, "closed", False):
            continue  # regions keep to the axes of the model; whether a grazing loop reaches through is chance
        try:
            ours = cut.part(solid, partial(picked, solid))
        except CutFailed:
            continue
        theirs = cut.carried(Move.mirror(unit, offset)).part(image, partial(picked, image))
        assert sorted(side.volume for _, side in ours.sides) == pytest.approx(
            sorted(side.volume for _, side in theirs.sides), rel=2e-3, abs=0.5
        )


def test_twice_mirrored_is_as_before_and_a_stretch_follows_the_axes():
    cut = BlockCut(**NAMED, x=(1, 4), y=((2,), (3, 5), (1,)), z=((2,),))
    for normal in np.eye(3):
        once = cut.carried(Move.mirror(normal, 1.5))
        again = once.carried(Move.mirror(normal, 1.5))
        volumes = [sorted(round(s.volume, 6) for s in sides(solid_of(box(8, 8, 8)), one).values())
                   for one in (cut, again)]
        assert volumes[0] == volumes[1]
    grown = BoxCut(**NAMED, centre=(1, 2, 3), half=(1, 2, 3)).carried(Move(np.diag([2.0, 3.0, 4.0])))
    assert grown.centre == pytest.approx((2, 6, 12))
    assert sorted(grown.half) == pytest.approx([2, 6, 12])
    assert sides(solid_of(box(100, 100, 100, at=(-50, -50, -50))), grown)[1].volume == pytest.approx(8 * 2 * 6 * 12)


# alike


def test_wedges_of_a_dome_are_one_shape():
    """Common practice: a helmet dome in 8 equal wedges; bodies equal under rotation."""
    pieces = [tube(20, 24, 40)]
    for number, degrees in enumerate((0, 45, 90, 135)):
        normal = (math.sin(math.radians(degrees)), -math.cos(math.radians(degrees)), 0.0)
        pieces = [
            side
            for piece in pieces
            for _, side in StraightCut(id=f"c{number}", name="c", normal=normal, offset=0.0).part(piece).sides
        ]
    assert len(pieces) == 8
    assert {first for first, _ in same_shapes(pieces)} == {0}


def test_same_and_mirrored_and_different_shapes():
    ell = joined(box(30, 10, 6), box(10, 20, 6), box(4, 4, 15))
    turned = Solid(ell.vertices @ Tilt.turn((1, 2, 3), 70).rotation.T + [40, 5, 1], ell.triangles)
    image = Solid(ell.vertices * [-1, 1, 1], ell.triangles[:, [0, 2, 1]])
    other = joined(box(30, 10, 6), box(10, 20, 6), box(4, 4, 16))
    assert same_shapes([ell, turned, image, other]) == [(0, False), (0, False), (0, True), (3, False)]


def test_moments_of_a_surface():
    """Of the surface of a cube of side a about its middle: 5/36 a^2 along each axis, worked by hand from its faces."""
    centre, covariance = surface_moments(solid_of(box(6, 6, 6, at=(1, 2, 3))))
    assert centre == pytest.approx([4, 5, 6])
    # two faces at a/2: a^2/4 of 1/3 of the area; four faces: a^2/12 of 2/3 of it
    assert covariance == pytest.approx(np.eye(3) * (36 / 4 / 3 + 36 / 12 * 2 / 3))


def test_the_plane_of_symmetry():
    beam = joined(box(30, 10, 6), box(30, 10, 12, at=(0, 3, 0)), box(5, 4, 20, at=(12.5, 5, 0)))
    ((normal, offset),) = symmetry_planes(beam)
    assert normal == pytest.approx([1, 0, 0], abs=2e-3)
    assert offset == pytest.approx(15, abs=0.05)
    assert symmetry_planes(joined(box(30, 10, 6), box(8, 20, 6), box(4, 4, 25, at=(22, 0, 0)))) == []
    assert len(symmetry_planes(solid_of(box(10, 20, 30)))) == 3
    assert all(abs(normal[2]) < 0.02 for normal, _ in symmetry_planes(cone(20, 30)))


# recipes


SHAPES = {
    "beam": joined(box(60, 20, 20), box(20, 20, 50)),
    "ring": ring(30, 8, 48),
    "hollow": hollow_ball(30, 24, 3),
    "two": together(box(20, 20, 20), box(10, 30, 10, at=(40, 0, 0))),
    "ant": united(bundled("ant.ply")),
    "stud": studded(),
}


@pytest.mark.parametrize("name", sorted(SHAPES))
@settings(max_examples=2, deadline=None)
@given(st.integers(0, 10_000_000))
def test_random_recipes_lose_nothing(name, seed):
    """The short form of the torture: closed pieces, volume conserved to one part in a million, clear words else."""
    model = model_of(SHAPES[name])
    recipe = random_recipe(model.solid, seed, 3)
    assert read_recipe(recipe.model_dump_json().encode()) == recipe
    assert problem_with(model, recipe) in ("", REFUSED)


@pytest.mark.parametrize("text", [b"", b"{}", b"[]", b'{"version": 9, "cuts": []}', b'{"cuts": [{"kind": "jigsaw"}]}',
                                  b'{"cuts": [{"kind": "straight", "id": "a", "name": "a", "normal": [0,0,0],'
                                  b' "offset": 1}]}'])
def test_what_is_no_recipe_is_refused(text):
    with pytest.raises(BadPlan):
        read_recipe(text)


def test_a_recipe_that_refers_to_what_is_gone_still_works():
    model = model_of(solid_of(box(60, 20, 20)))
    cut = StraightCut(id="b", name="Second", normal=(0, 0, 1), offset=10,
                      reach=PieceReach(sides=(Side(cut="gone", side=1),)))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=Recipe(cuts=(cut,)).cuts), PRINTER)
    assert outcome.totals.pieces == 1
    assert any("within its reach" in note.says for note in outcome.notes)
