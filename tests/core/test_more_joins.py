"""Keys along the outline of a contact, splints, bands, joints that move, pointers, and where seams meet: against exact
distances, handbook formulas and independent booleans.
"""

from __future__ import annotations

import math

import igl
import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_slab.core.cuts import BlockCut, Move
from deft_slab.core.joins import BandJoin, KeyJoin, LettersJoin, LooseKeyJoin, PivotJoin, SplintJoin
from deft_slab.core.joins.reports import Turn
from deft_slab.core.joins.strip_bodies import tape_around
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.results.outcome import Outcome
from tests.core.test_joins import HALVES, ON, PRINTER, faces_of, in_blocks, joined_plan, outcome_of, sound
from tests.shapes import box, joined, solid_of

ROD = joined(box(30, 16, 60, (-15, -8, 0)))
WALL = 18.0


def pipe() -> Solid:
    """A tube of 18 and 19.2 mm radius, 40 mm long, standing on z = 0."""
    made = trimesh.creation.annulus(WALL, WALL + 1.2, 40, sections=128)
    made.apply_translation((0, 0, 20))
    return solid_of(made)


def angle_bar() -> Solid:
    """An L of 40 × 30 mm with legs of 14 mm, 40 mm high."""
    outline = shapely.Polygon([(0, 0), (40, 0), (40, 14), (14, 14), (14, 30), (0, 30)])
    return solid_of(trimesh.creation.extrude_polygon(outline, 40))


def away(solid: Solid, points: np.ndarray) -> np.ndarray:
    """(k,) mm from points to a surface, by libigl."""
    squared, _, _ = igl.point_mesh_squared_distance(
        np.ascontiguousarray(points), np.ascontiguousarray(solid.vertices), solid.triangles.astype(np.int64)
    )
    return np.sqrt(squared)


def extra(outcome: Outcome, kind: str) -> list[Solid]:
    return [piece.solid for piece in outcome.pieces if piece.extra == kind]


@pytest.mark.parametrize("carrier", ["first", "second"])
@pytest.mark.parametrize("draft", [0.0, 8.0])
def test_a_key_along_the_outline_keeps_its_clearance(carrier, draft):
    """Of an L: its sides lie inside those of the contact by what was asked for, and everywhere the clearance from the
    socket, by libigl; at draft 0 its volume is that of the prism with one rounded inner corner (handbook).
    """
    key = KeyJoin(id="j1", at=(7, 7, 20), outline="contact", inset=3.0, height=5.0, draft=draft, carrier=carrier,
                  rounding=0, **ON)
    made = outcome_of(key, solid=angle_bar())
    sound(made)
    assert made.joins["j1"].least_wall == pytest.approx(3.0 - 0.3, abs=0.06)  # its outline is made plainer by 0.05
    bearer, other = (made.pieces[n].solid for n in ((1, 0) if carrier == "first" else (0, 1)))
    stands, room = faces_of(bearer, "j1", "key"), faces_of(other, "j1", "socket")
    gap = away(room, stands.centroids)
    assert gap.min() == pytest.approx(0.3, abs=0.02)
    sides = np.abs(stands.normals[:, 2]) < 0.5
    assert gap[sides].max() == pytest.approx(0.3, abs=0.02)
    if draft == 0:
        # drawn in by 3: legs of 8; the inner corner is rounded by nothing, outer ones are sharp
        area = 34 * 24 - 26 * 16
        assert made.joins["j1"].added == pytest.approx(area * 5.0, rel=0.01)


def test_a_loose_key_along_the_outline_is_two_of_them():
    key = LooseKeyJoin(id="j1", at=(7, 7, 20), outline="contact", inset=3.0, height=2.0, roofed_first=False,
                       roofed_second=False, **ON)
    made = outcome_of(key, solid=angle_bar())
    sound(made)
    (loose,) = extra(made, "loose key")
    assert np.ptp(loose.vertices[:, 2]) == pytest.approx(4.0, abs=1e-6)
    assert loose.volume == pytest.approx(made.joins["j1"].loose)


def test_an_outline_that_leaves_nothing_says_so():
    made = outcome_of(KeyJoin(id="j1", at=(7, 7, 20), outline="contact", inset=9.0, height=5.0, **ON),
                      solid=angle_bar())
    sound(made)
    assert "too narrow" in made.joins["j1"].problem


@pytest.mark.parametrize("parts", [1, 3])
def test_a_splint_in_a_pipe_is_a_ring(parts):
    """π (R² − r²) w, a clearance inside the wall, by the facets of the pipe; in parts it is as much less as lies
    between them.
    """
    made = outcome_of(SplintJoin(id="j1", at=(18.6, 0, 20), width=8.0, thickness=1.5, parts=parts, **ON), solid=pipe())
    sound(made)
    found = extra(made, "splint")
    assert len(found) == parts
    points = np.concatenate([one.vertices for one in found])
    assert np.ptp(points[:, 2]) == pytest.approx(8.0, abs=1e-6)
    assert points[:, 2].mean() == pytest.approx(20.0, abs=1.0)
    assert away(pipe(), points).min() == pytest.approx(0.3, abs=0.02)
    assert away(pipe(), points).max() == pytest.approx(1.8, abs=0.02)
    ring = math.pi * ((WALL - 0.3) ** 2 - (WALL - 1.8) ** 2) * 8.0
    between = parts * 0.6 * 1.5 * 8.0 if parts > 1 else 0.0
    assert sum(one.volume for one in found) == pytest.approx(ring - between, rel=0.02)
    assert made.joins["j1"].loose == pytest.approx(sum(one.volume for one in found))
    assert (made.joins["j1"].added, made.joins["j1"].removed) == (0, 0)


def test_a_band_along_the_seam_and_in_a_ring_and_as_a_cap():
    """Along the seam of a round pipe and in a ring about it are the same; a cap is round and as wide as asked for."""
    volumes = {}
    for follows in ("seam", "axis", "spot"):
        join = BandJoin(id="j1", at=(19.2, 0, 20), width=8.0, thickness=1.5, follows=follows, **ON)
        made = outcome_of(join, solid=pipe())
        sound(made)
        (band,) = extra(made, "band" if follows != "spot" else "cap")
        gap = away(pipe(), band.vertices)
        assert gap.min() >= 0.3 - 0.02
        volumes[follows] = band.volume
        if follows == "spot":
            assert np.ptp(band.vertices[:, 2]) == pytest.approx(8.0, abs=0.6)
            assert np.linalg.norm(band.vertices - [19.2, 0, 20], axis=1).max() < 4.0 + 0.4
    ring = math.pi * (21.0**2 - 19.5**2) * 8.0
    assert volumes["seam"] == pytest.approx(ring, rel=0.02)
    assert volumes["axis"] == pytest.approx(ring, rel=0.02)


def test_a_band_for_a_measured_girth():
    """Factor = measured / nominal, across only; a tape around a pipe measures 2 π R."""
    plain = BandJoin(id="j1", at=(19.2, 0, 20), width=8.0, follows="axis", **ON)
    evaluator, plan = joined_plan(plain, solid=pipe())
    nominal = tape_around(evaluator.contacts(plan)[0])
    assert nominal == pytest.approx(2 * math.pi * 19.2, rel=1e-3)
    larger = plain.model_copy(update={"girth": 1.02 * nominal})
    one, two = (extra(outcome_of(join, solid=pipe()), "band")[0] for join in (plain, larger))
    assert two.size[:2] == pytest.approx(1.02 * one.size[:2], rel=1e-6)
    assert two.size[2] == pytest.approx(one.size[2], rel=1e-9)


def test_what_is_no_shell_has_no_inside():
    made = outcome_of(SplintJoin(id="j1", at=(0, 0, 20), **ON))
    assert "no inside" in made.joins["j1"].problem
    assert len(made.pieces) == 2


def test_strips_that_would_run_into_each_other():
    bands = [BandJoin(id=name, at=(19.2, 0, 20), **ON) for name in ("a", "b")]
    made = outcome_of(*bands, solid=pipe())
    sound(made)
    assert [made.joins[name].meets for name in ("a", "b")] == ["", "a"]


def test_a_band_keeps_away_from_leaves_that_stick_out():
    """Leaves of a knuckle may stick out of their piece: a band there would run through them."""
    bar = joined(box(30, 8, 60, (-15, -4, 0)))
    knuckle = PivotJoin(id="p", at=(0, 0, 20), form="knuckle", along=(1, 0, 0), radius_of_leaves=6.0, **ON)
    made = outcome_of(knuckle, BandJoin(id="b", at=(0, -4, 20), **ON), solid=bar)
    sound(made)
    assert (made.joins["p"].problem, made.joins["b"].meets) == ("", "p")


def test_strips_in_a_real_shell_lie_on_it_and_go_through_nothing():
    evaluator, plan = in_blocks("helmet")
    contact = evaluator.contacts(plan)[0]
    at = tuple(float(value) for value in contact.place)
    where = {"cut": contact.cut, "between": contact.between, "at": at}
    made = evaluator.evaluate(plan.changed(joins=(SplintJoin(id="a", **where), BandJoin(id="b", **where))), PRINTER,
                             detail="figures")
    sound(made)
    for kind in ("splint", "band"):
        for strip in extra(made, kind):
            gap = away(contact.skin, strip.vertices)
            assert gap.min() > 0.3 - 0.025
            assert gap.max() < 0.3 + 1.6 + 0.05


def turned(first: Solid, second: Solid, turn: Turn, degrees: float) -> float:
    """mm³ of two pieces in each other, the second one turned by trimesh's own matrix."""
    matrix = trimesh.transformations.rotation_matrix(math.radians(degrees), turn.axis, turn.place)
    return float((second.manifold.transform(matrix[:3]) ^ first.manifold).volume())


@given(
    back=st.floats(0, 70), on=st.floats(0, 70), leaves=st.sampled_from([2, 3]),
    carrier=st.sampled_from(["first", "second"]), heading=st.floats(0, 360), clearance=st.floats(0.1, 0.6),
    kerf=st.sampled_from([0.0, 0.4]),
)
@settings(max_examples=12)
def test_a_knuckle_turns_through_its_range_and_no_further(back, on, leaves, carrier, heading, clearance, kerf):
    """Nothing meets at any step of the range, both pieces are closed and nothing is lost; well beyond it the faces
    meet.
    """
    along = (math.cos(math.radians(heading)), math.sin(math.radians(heading)), 0.0)
    join = PivotJoin(id="p", at=(0, 0, 20), form="knuckle", along=along, turns_back=back, turns_on=on, leaves=leaves,
                     carrier=carrier, clearance=clearance, **ON)
    made = outcome_of(join, solid=ROD, cut=HALVES.model_copy(update={"kerf": kerf}))
    sound(made)
    assert not made.joins["p"].problem
    turn = made.joins["p"].turn
    upper, lower = (piece.solid for piece in made.pieces)
    closed = Solid(upper.vertices - [0, 0, kerf], upper.triangles)
    for degrees in np.linspace(-back, on, 5):
        assert turned(lower, closed, turn, degrees) < 0.02
    assert turned(lower, closed, turn, on + 12) > 0.02
    assert turned(lower, closed, turn, -back - 12) > 0.02


def test_a_swivel_turns_all_around_and_its_pin_fits():
    """A hole of d + 2 c + a in both pieces, as deep as asked for, and faces a clearance apart."""
    join = PivotJoin(id="p", at=(0, 0, 20), turns_back=180, turns_on=180, depth_first=9, depth_second=7, **ON)
    evaluator, plan = joined_plan(join, solid=ROD)
    made = evaluator.evaluate(plan, PRINTER, detail="figures")
    sound(made)
    upper, lower = (piece.solid for piece in made.pieces)
    wide = 3.0 + 2 * 0.3 + PRINTER.hole_allowance
    area = 48 * math.tan(math.pi / 48) * (wide / 2) ** 2
    assert 30 * 16 * 20 - lower.volume == pytest.approx(area * 9, rel=1e-4)
    assert 30 * 16 * 40 - upper.volume == pytest.approx(area * 7 + (30 * 16 - area) * 0.3, rel=1e-4)
    fit = evaluator.dry_fit(plan, PRINTER)
    (one,) = fit.turns
    assert one.free[0] <= -180
    assert one.free[1] >= 180
    assert max(one.overlaps) == 0
    assert one.pieces in ((0,), (1,))


def test_a_joint_that_is_held_elsewhere_does_not_turn():
    """Four quarters of a block: a pivot between two of them is held by the way around."""
    cut = BlockCut(id="c1", name="B", x=(0.0,), y=((0.0,), (0.0,)))
    evaluator, plan = joined_plan(cut=cut)
    contact = evaluator.contacts(plan)[0]
    at = tuple(float(value) for value in contact.place)
    join = PivotJoin(id="p", cut=contact.cut, between=contact.between, at=at)
    (one,) = evaluator.dry_fit(plan.changed(joins=(join,)), PRINTER).turns
    assert one.held_by is not None
    assert one.angles == ()


@pytest.mark.parametrize("wrong", [
    {"form": "knuckle", "turns_on": 90}, {"form": "knuckle", "turns_on": 75, "turns_back": 75},
    {"form": "knuckle", "pin": 10.0, "radius_of_leaves": 5.0},
])
def test_knuckles_that_cannot_be_are_refused(wrong):
    with pytest.raises(ValueError, match="knuckle"):
        PivotJoin(id="p", at=(0, 0, 20), **wrong, **ON)


def test_a_pin_without_a_wall_and_leaves_that_are_too_thin():
    near = outcome_of(PivotJoin(id="p", at=(14.5, 0, 20), clearance=0.3, **ON), solid=ROD)
    # moved back on to the contact, or it says that it breaks through
    assert near.joins["p"].breaks or near.joins["p"].moved > 0.5
    thin = outcome_of(PivotJoin(id="p", at=(0, 0, 20), form="knuckle", span=2.0, along=(1, 0, 0), **ON), solid=ROD)
    assert "too thin" in thin.joins["p"].problem
    sound(thin)


def test_mirroring_turns_a_joint_the_other_way():
    join = PivotJoin(id="p", at=(0, 0, 20), turns_back=10, turns_on=50, **ON)
    flip = Move(np.diag([-1.0, 1.0, 1.0]), np.zeros(3))
    carried = join.carried(flip, {})
    assert (carried.turns_back, carried.turns_on) == (50, 10)
    # a swivel whose first piece becomes its second turns about the opposite axis, seen from the other: the same way
    assert join.turned_round()["carrier"] == "second"
    assert "turns_on" not in join.turned_round()


def test_scaling_scales_strips_and_a_girth_but_no_pin():
    double = Move(2 * np.eye(3), np.zeros(3))
    band = BandJoin(id="b", at=(0, 0, 20), girth=100.0, clearance=0.4, **ON).carried(double, {})
    assert (band.width, band.thickness, band.girth, band.clearance) == pytest.approx((20.0, 3.2, 200.0, 0.4))
    pivot = PivotJoin(id="p", at=(0, 0, 20), **ON).carried(double, {})
    assert (pivot.pin, pivot.span) == pytest.approx((3.0, 24.0))


def test_a_pointer_points_up_on_both_faces_of_a_round_contact():
    """On a round bar that lies along x, cut across: the arrowheads of both faces point the way that the prop has up;
    the pieces belong together where both do. A square contact needs none.
    """
    bar = trimesh.creation.cylinder(10, 60, sections=96)
    bar.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, (0, 1, 0)))
    lying = HALVES.model_copy(update={"normal": (1.0, 0.0, 0.0), "offset": 0.0})
    evaluator, plan = joined_plan(solid=solid_of(bar), cut=lying)
    (found,) = evaluator.lettered(plan, PRINTER)
    assert found.pointer == pytest.approx((0, 0, 1), abs=1e-9)
    plain = LettersJoin.model_validate({**found.model_dump(), "pointer": None})
    bodies = [evaluator.evaluate(plan.changed(joins=(join,)), PRINTER, detail="figures") for join in (found, plain)]
    sound(bodies[0])
    assert bodies[0].joins[found.id].removed > bodies[1].joins[found.id].removed
    square, flat = joined_plan()
    assert [join.pointer for join in square.lettered(flat, PRINTER)] == [None]


def test_where_seams_meet_errors_add_up():
    """Two cuts across each other: four seams run together at the two places where the line of both leaves the block,
    √4 and 4 times the clearance (root of the sum of squares).
    """
    cut = BlockCut(id="c1", name="B", x=(0.0,), y=((0.0,), (0.0,)))
    evaluator, plan = joined_plan(cut=cut)
    fit = evaluator.dry_fit(plan, PRINTER)
    assert len(fit.meetings) == 2
    for met in fit.meetings:
        assert len(met.contacts) == 4
        assert met.place[:2] == pytest.approx((0, 0), abs=2.0)
        assert min(abs(met.place[2]), abs(met.place[2] - 40)) < 2.0
        assert met.likely == pytest.approx(2 * PRINTER.clearance)
        assert met.worst == pytest.approx(4 * PRINTER.clearance)
    # a cap over it lies on all four pieces and goes through none
    met = fit.meetings[0]
    contact = evaluator.contacts(plan)[met.contacts[0]]
    cap = BandJoin(id="cap", cut=contact.cut, between=contact.between, at=met.place, follows="spot", width=14.0)
    made = evaluator.evaluate(plan.changed(joins=(cap,)), PRINTER, detail="figures")
    sound(made)
    (lid,) = extra(made, "cap")
    assert lid.size[0] == pytest.approx(14.0, abs=1.0)
    assert np.abs(lid.vertices[:, 2] - met.place[2]).min() == pytest.approx(0.3, abs=0.03)
    whole, halves = joined_plan()
    assert whole.dry_fit(halves, PRINTER).meetings == ()


def test_ones_own_rods_are_used():
    evaluator, plan = in_blocks("helmet")
    found = evaluator.proposed_joins(plan, PRINTER, stock=(2.5,))
    rods = {join.diameter for join in found if join.kind == "dowel hole"}
    assert rods <= {2.5}
