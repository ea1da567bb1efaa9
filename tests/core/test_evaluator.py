"""Model + plan -> pieces + figures: stages, seats, wishes, notes, stopping."""

from __future__ import annotations

import math

import numpy as np
import pytest

from deft_slab.core.cache import Cache
from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import Cancelled, OpenSurface
from deft_slab.core.evaluate.evaluator import Evaluator, evaluate
from deft_slab.core.figures.exposure import exposure
from deft_slab.core.figures.piece_figures import measure
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.geometry.place_on_bed import down_to_rotation, unit
from deft_slab.core.plan.plan import Plan
from deft_slab.core.progress import Job
from tests.shapes import box, hollow_ball, joined, model_of, sphere, together, without_facets


def cut(cut_id="c1", normal=(0, 0, 1), offset=0.0, name="Cut", on=True):
    return StraightCut(id=cut_id, name=name, normal=normal, offset=offset, on=on)


@pytest.fixture
def ball():
    return model_of(sphere(30.0, 4), "Float ball")


@pytest.fixture
def tee():
    """A beam across a post: 80 x 20 x 20 on 20 x 20 x 60."""
    return model_of(joined(box(20, 20, 62), box(80, 20, 20, at=(-30, 0, 60))), "Crossbeam")


def test_whole_model_stands_as_the_plan_tilts_it(ball, printer):
    plan = Plan(model=ball.ref, tilt=Tilt.turn((1, 0, 0), 90))
    outcome = evaluate(ball, plan, printer)
    (piece,) = outcome.pieces
    assert piece.seat == plan.tilt
    assert piece.name == "Float ball"
    assert outcome.totals.support_volume_mm3 == piece.figures.support_volume_mm3 > 0
    assert outcome.totals.seam_length_mm == 0


def test_halves_of_a_ball_sit_flat_and_need_no_support(ball, printer):
    outcome = evaluate(ball, Plan(model=ball.ref, recipe=(cut(),)), printer)
    assert [piece.name for piece in outcome.pieces] == ["Upper ball", "Lower ball"]
    for piece in outcome.pieces:
        assert piece.seat_kind == "cut face down"
        assert piece.figures.sits_flat
        assert piece.figures.support_volume_mm3 == pytest.approx(0, abs=1e-6)
    assert outcome.totals.seam_length_mm == pytest.approx(2 * math.pi * 30, rel=0.01)
    assert outcome.totals.cut_area_mm2 == pytest.approx(math.pi * 900, rel=0.01)
    assert outcome.seams["c1"].in_sight == pytest.approx(outcome.totals.seam_length_mm, rel=0.1)


def test_roofed_half_is_not_laid_on_its_cut_face(printer):
    """A hollow half on its cut face is a roofed dome; opening up it needs less (findings of the study)."""
    walls = joined(box(60, 60, 4, at=(0, 0, 56)), box(60, 60, 4))
    sides = [box(4, 60, 60), box(4, 60, 60, at=(56, 0, 0)), box(60, 4, 60), box(60, 4, 60, at=(0, 56, 0))]
    import trimesh

    shell = joined(trimesh.Trimesh(walls.vertices, walls.triangles), *sides)
    model = model_of(shell, "Crate")
    outcome = evaluate(model, Plan(model=model.ref, recipe=(cut(offset=30),)), printer)
    for piece in outcome.pieces:
        assert piece.seat_kind == "cut face up"
        assert piece.figures.support_volume_mm3 == pytest.approx(0, abs=1)


def test_figures_of_all_pieces_are_summed(tee, printer):
    outcome = evaluate(tee, Plan(model=tee.ref, recipe=(cut(offset=60.0),)), printer)
    assert outcome.totals.pieces == 2
    assert sum(piece.figures.volume_mm3 for piece in outcome.pieces) == pytest.approx(
        outcome.volume_before_mm3, rel=1e-9
    )
    assert outcome.totals.support_volume_mm3 == pytest.approx(0, abs=1e-6)
    assert outcome.totals.flat_pieces == outcome.totals.fitting_pieces == 2
    assert outcome.totals.tallest_mm == pytest.approx(60)


def test_switching_a_cut_off_is_like_leaving_it_out(tee, printer):
    evaluator = Evaluator(tee)
    with_off = evaluator.evaluate(Plan(model=tee.ref, recipe=(cut(offset=60.0, on=False),)), printer)
    without = evaluator.evaluate(Plan(model=tee.ref), printer)
    assert with_off.totals == without.totals


def test_changing_the_last_cut_keeps_what_came_before(tee, printer, monkeypatch):
    made = []
    real = StraightCut.part
    monkeypatch.setattr(StraightCut, "part", lambda cut, *rest: made.append(cut.id) or real(cut, *rest))
    evaluator = Evaluator(tee)
    first = cut("a", (1, 0, 0), 10.0)
    evaluator.evaluate(Plan(model=tee.ref, recipe=(first, cut("b", (0, 1, 0), 10.0))), printer)
    made.clear()
    evaluator.evaluate(Plan(model=tee.ref, recipe=(first, cut("b", (0, 1, 0), 12.0))), printer)
    assert set(made) == {"b"}
    made.clear()
    evaluator.evaluate(Plan(model=tee.ref, recipe=(first, cut("b", (0, 1, 0), 12.0))), printer)
    assert made == []


def test_what_is_kept_is_bounded(tee, printer):
    """Forty places of a cut, with room for few of them: the oldest are let go, and figures stay the same."""
    evaluator = Evaluator(tee)
    evaluator.kept.most = 400
    first = evaluator.evaluate(Plan(model=tee.ref, recipe=(cut(offset=60.0),)), printer)
    for place in range(40):
        evaluator.evaluate(Plan(model=tee.ref, recipe=(cut(offset=20.0 + place),)), printer)
    kept = evaluator.kept
    assert kept._triangles <= 400
    assert kept._triangles == sum(triangles for _, triangles in kept._things.values())
    again = evaluator.evaluate(Plan(model=tee.ref, recipe=(cut(offset=60.0),)), printer)
    assert again.totals == first.totals


@pytest.mark.parametrize(("triangles", "most"), [(12, 3_000_000), (500_000, 4_000_000), (2_000_000, 6_000_000)])
def test_a_light_model_keeps_less(triangles, most):
    cache = Cache()
    cache.suit(triangles)
    assert cache.most == most


def test_seat_and_name_follow_the_piece_through_edits(tee, printer):
    evaluator = Evaluator(tee)
    plan = Plan(model=tee.ref, recipe=(cut(offset=60.0),))
    piece = evaluator.evaluate(plan, printer).pieces[0]
    on_end = Tilt.from_rotation(down_to_rotation(unit((1, 0, 0))))
    plan = plan.with_wish(piece.wish(seat=on_end, name="Beam"), piece.wished)
    outcome = evaluator.evaluate(plan, printer)
    assert (outcome.pieces[0].name, outcome.pieces[0].seat) == ("Beam", on_end)
    assert outcome.pieces[0].figures.height_mm == pytest.approx(80)
    moved = plan.with_cut(cut(offset=64.0))
    assert evaluator.evaluate(moved, printer).pieces[0].name == "Beam"
    off = plan.with_cut(cut(offset=60.0, on=False))
    assert evaluator.evaluate(off, printer).pieces[0].name == "Crossbeam"
    assert evaluator.evaluate(off.with_cut(cut(offset=60.0)), printer).pieces[0].name == "Beam"
    gone = plan.with_cut(cut(offset=500.0))
    by_code = {note.code: note for note in evaluator.evaluate(gone, printer).notes}
    assert by_code["piece.lost"].data == {"name": "Beam"}
    assert "“Beam” no longer exists" in by_code["piece.lost"].says
    assert by_code["cut.parts_nothing"].data["pieces"] == 1
    assert "passes beside the model: still 1 piece" in by_code["cut.parts_nothing"].says


def test_crumbs_are_named(printer):
    model = model_of(together(box(60, 60, 60, at=(-70, 0, 0)), box(3, 3, 3, at=(40, 0, 58))), "Post")
    outcome = evaluate(model, Plan(model=model.ref, recipe=(cut(offset=20.0),)), printer)
    assert [piece.crumb for piece in outcome.pieces] == [False, True, False]
    (crumb,) = [note for note in outcome.notes if note.code == "cut.crumbs"]
    assert crumb.says == "“Cut” leaves a crumb, up to 3.0 mm across; kept as pieces."
    assert crumb.place == pytest.approx((40, 0, 59.5), abs=2)


def test_what_does_not_fit_is_named_with_how_much(printer):
    model = model_of(joined(box(20, 20, 310)), "Post")
    outcome = evaluate(model, Plan(model=model.ref), printer)
    (note,) = [note for note in outcome.notes if note.code == "fit.too_large"]
    assert (note.says, note.severity, note.piece) == ("Post does not fit the printer: 60.0 mm too high.", "failed", 0)
    assert note.as_json()["data"] == {"piece": "Post", "over_mm": pytest.approx((0, 0, 60))}
    assert outcome.totals.fitting_pieces == 0


def test_scale_multiplies_lengths_areas_and_volumes(tee, printer):
    evaluator = Evaluator(tee)
    plans = [Plan(model=tee.ref, scale=scale) for scale in (1.0, 1.16)]
    one, two = (evaluator.evaluate(plan, printer).pieces[0].figures for plan in plans)
    assert two.height_mm == pytest.approx(1.16 * one.height_mm)
    assert two.overhang_area_mm2 == pytest.approx(1.16**2 * one.overhang_area_mm2)
    assert two.support_volume_mm3 == pytest.approx(1.16**3 * one.support_volume_mm3, rel=1e-3)


def test_an_open_model_is_measured_but_not_cut(printer):
    ball = sphere(30.0, 4)
    model = model_of(without_facets(ball, ball.normals[:, 2] > 0.97), "Bowl")
    outcome = evaluate(model, Plan(model=model.ref), printer)
    assert outcome.volume_before_mm3 is None
    assert any("open edges" in note.says for note in outcome.notes)
    assert outcome.totals.support_volume_mm3 > 0
    with pytest.raises(OpenSurface, match="open edges") as caught:
        evaluate(model, Plan(model=model.ref, recipe=(cut(),)), printer)
    assert caught.value.kept == "Nothing was cut."


def test_the_quick_answer_is_near_the_full_one(printer):
    model = model_of(sphere(40.0, 6), "Float ball")
    evaluator = Evaluator(model)
    plan = Plan(model=model.ref, recipe=(cut(normal=(0.3, 0, 1), offset=22.0),))
    full, quick = evaluator.evaluate(plan, printer), evaluator.evaluate(plan, printer, detail="quick")
    assert quick.approximate
    assert evaluator.ready(plan) <= 6_000 < len(model.solid.triangles)
    assert quick.totals.pieces == full.totals.pieces == 2
    assert quick.totals.seam_length_mm == pytest.approx(full.totals.seam_length_mm, rel=0.01)
    assert quick.totals.cut_area_mm2 == pytest.approx(full.totals.cut_area_mm2, rel=0.01)
    assert quick.totals.support_volume_mm3 == pytest.approx(full.totals.support_volume_mm3, rel=0.05, abs=300)


def test_stopping_half_way_leaves_nothing_half_made(tee, printer):
    evaluator = Evaluator(tee)
    plan = Plan(model=tee.ref, recipe=(cut(offset=60.0), cut("c2", (1, 0, 0), 10.0)))
    told = []
    for last in (1, 3, 6):
        asked = iter(range(100))
        with pytest.raises(Cancelled):
            evaluator.evaluate(plan, printer, Job(lambda *_: None, lambda last=last, asked=asked: next(asked) >= last))
    outcome = evaluator.evaluate(plan, printer, Job(lambda share, doing: told.append((share, doing))))
    assert outcome.totals == evaluate(tee, plan, printer).totals
    assert all(0 <= share <= 1 for share, _ in told)
    assert [share for share, _ in told] == sorted(share for share, _ in told)
    assert all(doing for _, doing in told)


def test_overlapping_bodies_are_cut_as_one(printer):
    """A torso and an arm that overlap in the file: no piece twice, nothing lost."""
    model = model_of(together(box(40, 40, 80), box(60, 20, 20, at=(20, 10, 30))), "Torso")
    outcome = evaluate(model, Plan(model=model.ref, recipe=(cut(offset=40.0),)), printer)
    assert len(outcome.pieces) == 2
    assert outcome.volume_before_mm3 == pytest.approx(40 * 40 * 80 + 40 * 20 * 20)
    assert sum(piece.figures.volume_mm3 for piece in outcome.pieces) == pytest.approx(outcome.volume_before_mm3)
    assert any("Overlapping bodies" in note.says for note in outcome.notes)
    assert outcome.seams["c1"].in_sight > 0.8 * outcome.seams["c1"].length


def test_same_plan_same_figures(ball, printer):
    plan = Plan(model=ball.ref, recipe=(cut(normal=(0.2, 0.1, 1), offset=4),))
    first, second = evaluate(ball, plan, printer), evaluate(ball, plan, printer)
    assert first.totals == second.totals
    for a, b in zip(first.pieces, second.pieces, strict=True):
        np.testing.assert_array_equal(a.solid.vertices, b.solid.vertices)
        assert a.seat == b.seat


@pytest.mark.parametrize("offset", [12.0, 24.5])
def test_what_is_hard_to_reach_on_a_piece_is_what_looking_at_all_of_it_gives(printer, offset):
    """The inside of a hollow ball is hidden until it is cut, and then seen as far as the opening lets it: inside a
    sphere any point sees a cap by its share of the sphere's area (view factors, any handbook of heat transfer).

    The pieces' figures come from few facets and the stand-in, and are held against all facets of the whole mesh.
    """
    model = model_of(hollow_ball(30, 26, 5))
    cut = StraightCut(id="c1", name="Level", normal=(0, 0, 1), offset=offset)
    evaluator = Evaluator(model)
    whole = evaluator.evaluate(Plan(model=model.ref), printer).pieces[0].figures
    assert whole.support_inside_mm3 > 0.9 * whole.support_on_piece_mm3
    bowl = next(
        p for p in evaluator.evaluate(Plan(model=model.ref, recipe=(cut,)), printer).pieces if p.sides[0].side < 0
    )
    seen = exposure(bowl.solid, 1024)
    inside = (bowl.solid.origin >= 0) & (np.linalg.norm(bowl.solid.centroids, axis=1) < 27)
    assert np.median(seen[inside]) == pytest.approx((26 - offset) / (2 * 26), abs=0.03)
    for tilt in (bowl.seat, Tilt.turn((1, 0, 0), 180.0).after(bowl.seat)):
        plan = Plan(model=model.ref, recipe=(cut,), pieces=(bowl.wish(seat=tilt),))
        figures = next(p for p in evaluator.evaluate(plan, printer).pieces if p.sides == bowl.sides).figures
        wanted = measure(bowl.solid, tilt.rotation, printer=printer, exposed=seen).figures
        assert figures.support_volume_mm3 == pytest.approx(wanted.support_volume_mm3, rel=1e-9)
        off = abs(figures.support_inside_mm3 - wanted.support_inside_mm3)
        assert off <= 0.03 * figures.support_volume_mm3 + 1.0
