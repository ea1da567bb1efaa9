"""Recipes on other models: places scale, measures of their own stay, what does not fit is said."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.core.cuts import Side, StraightCut
from deft_slab.core.errors import BadPlan
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.evaluate.recipe_reuse import misfits, recipe_from, used_on, way_over
from deft_slab.core.joins import DowelJoin, KeyJoin
from deft_slab.core.plan.hollow import Hollow, Vent
from deft_slab.core.plan.piece_settings import PieceSettings
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import MadeFor, Recipe, read_recipe
from deft_slab.core.plan.supports import Post, PostSet
from deft_slab.core.printers.profile import default_printer
from tests.core.test_commands import answer, call
from tests.shapes import box, model_of, solid_of

UP = Side(cut="c1", side=1)
BOX = np.array([[0.0, 0.0, 0.0], [40.0, 30.0, 60.0]])


def block_evaluator(x, y, z):
    """(evaluator, plan) of a block."""
    model = model_of(solid_of(box(x, y, z)))
    return Evaluator(model), Plan(model=model.ref)


def of_block(plan):
    """A recipe with one of everything, on a block of 40 x 30 x 60 mm."""
    return plan.changed(
        recipe=(StraightCut(id="c1", name="Waist", normal=(0, 0, 1), offset=30.0),),
        joins=(
            KeyJoin(id="j1", cut="c1", between=(-1, 1), at=(12, 15, 30), width=8, height=6, clearance=0.2),
            DowelJoin(id="j2", cut="c1", between=(-1, 1), at=(28, 15, 30), diameter=6),
        ),
        pieces=(PieceSettings(sides=(UP,), anchor=(20, 15, 45), name="Head"),),
        hollows=(Hollow(id="h1", sides=(UP,), anchor=(20, 15, 45), wall=2.0,
                        vents=(Vent(id="v1", place=(20, 0, 50), along=(0, 1, 0)),)),),
        posts=(PostSet(id="s1", sides=(UP,), anchor=(20, 15, 45), posts=(Post(id="p1", at=(10, 10, 30)),)),),
    )


def recipe_of_block():
    evaluator, plan = block_evaluator(40, 30, 60)
    return recipe_from(of_block(plan), evaluator.mended(plan)[0].bounds, "Waist and neck")


def test_places_scale_and_what_is_bought_by_size_stays():
    """On a block twice as large: the cut twice as high, the key twice as wide; rod, clearance and wall as they were."""
    recipe = recipe_of_block()
    evaluator, plan = block_evaluator(80, 60, 120)
    own, left_out = used_on(plan, recipe, lambda: np.array([[0, 0, 0], [80.0, 60.0, 120.0]]), "evenly")
    assert left_out == ()
    key, dowel = own.joins
    assert own.recipe[0].offset == pytest.approx(60)
    assert key.at == pytest.approx((24, 30, 60))
    assert (key.width, key.clearance) == (pytest.approx(16), 0.2)
    assert dowel.diameter == 6
    assert own.hollows[0].wall == 2.0
    assert own.hollows[0].vents[0].place == pytest.approx((40, 0, 100))
    assert own.hollows[0].vents[0].outer == 2.0
    assert own.posts[0].posts[0].at == pytest.approx((20, 20, 60))
    outcome = evaluator.evaluate(own, default_printer())
    assert [piece.name for piece in outcome.pieces] == ["Head", "Lower thing"]
    assert misfits(outcome) == ()


def test_each_axis_by_its_own_or_moved_only():
    """The box of the second model stands elsewhere and has other proportions."""
    recipe = recipe_of_block()
    _, plan = block_evaluator(40, 30, 60)
    elsewhere = np.array([[100.0, -15, 5], [140.0, 45, 125]])
    stretched, _ = used_on(plan, recipe, lambda: elsewhere, "each axis")
    assert stretched.recipe[0].offset == pytest.approx(65)
    assert stretched.joins[0].at == pytest.approx((112, 15, 65))
    moved, _ = used_on(plan, recipe, lambda: elsewhere, "same size")
    assert moved.recipe[0].offset == pytest.approx(35)
    assert moved.joins[0].at == pytest.approx((112, 15, 35))
    assert moved.joins[0].width == 8


def test_what_does_not_fit_is_said():
    """On a flat plate, unscaled: the cut misses, and all that was meant for the upper piece has none."""
    recipe = recipe_of_block()
    evaluator, plan = block_evaluator(40, 30, 20)
    own, _ = used_on(plan, recipe, lambda: np.array([[0, 0, 0], [40.0, 30.0, 20.0]]), "same size")
    said = " ".join(note.says for note in misfits(evaluator.evaluate(own, default_printer())))
    assert "“Waist” passes beside the model" in said
    assert "Key j1 is not made" in said
    assert "There is no piece for the seat of “Head”" in said
    assert "Hollow h1" in said
    assert "There is no piece for one post" in said


def test_a_post_off_the_surface_is_said():
    recipe = recipe_of_block()
    off = recipe.posts[0].model_copy(update={"posts": (Post(id="p1", at=(10, 10, 45)),)})
    evaluator, plan = block_evaluator(40, 30, 60)
    own, _ = used_on(plan, recipe.model_copy(update={"posts": (off,), "hollows": ()}), lambda: BOX, "evenly")
    said = [note.says for note in misfits(evaluator.evaluate(own, default_printer()))]
    assert said == ["One post is not on the surface of “Head” and was not made."]


def test_a_join_that_would_be_too_small_is_left_out_and_said():
    """A key of 8 mm on a model of a twentieth the size; to scale the prop itself so far is refused in words."""
    recipe = recipe_of_block()
    _, plan = block_evaluator(2, 1.5, 3)
    own, left_out = used_on(plan, recipe, lambda: BOX / 20, "evenly")
    assert [join.id for join in own.joins] == ["j2"]
    assert [note.says for note in left_out] == ["Key j1 cannot be that small or large. It was left out."]
    with pytest.raises(BadPlan, match="Key j1"):
        of_block(plan).sized(scale=0.01)


def test_a_recipe_that_does_not_say_what_it_was_made_for_is_used_as_it_is():
    old = read_recipe(json.dumps({"version": 1, "cuts": [
        {"kind": "straight", "id": "c1", "name": "Waist", "normal": [0, 0, 1], "offset": 30}]}).encode())
    _, plan = block_evaluator(40, 30, 60)
    assert used_on(plan, old, lambda: BOX, "as it is")[0].recipe == old.cuts
    with pytest.raises(BadPlan, match="how large"):
        used_on(plan, old, lambda: BOX, "evenly")


@given(
    st.tuples(*[st.floats(-50, 50)] * 3), st.tuples(*[st.floats(10, 300)] * 3), st.sampled_from(("evenly", "each axis"))
)
def test_there_and_back_is_where_it_was(low, size, scaling):
    """A recipe taken over to another box and back; evenly only for boxes that are alike."""
    low, size = np.array(low), np.array(size)
    if scaling == "evenly":
        size = (BOX[1] - BOX[0]) * size[0] / 40
    other = np.array([low, low + size])
    _, plan = block_evaluator(40, 30, 60)
    there, _ = used_on(plan, recipe_of_block(), lambda: other, scaling)
    again = recipe_from(there, other)
    back, _ = used_on(plan, again, lambda: BOX, scaling)
    assert back.recipe[0].offset == pytest.approx(30)
    assert back.joins[0].at == pytest.approx((12, 15, 30), abs=1e-6)
    assert back.posts[0].posts[0].at == pytest.approx((10, 10, 30), abs=1e-6)


def test_a_flat_box_and_one_the_wrong_way_round():
    with pytest.raises(ValueError, match="size along each axis"):
        MadeFor(low=(0, 0, 0), high=(1, 1, 0))
    made = MadeFor(low=(0, 0, 0), high=(1, 1, 1))
    with pytest.raises(BadPlan):
        way_over(made, np.array([[0.0, 0, 0], [1, 1, 0]]), "evenly")


def test_by_command(tmp_path):
    """The recipe of one model cuts another, twice as large; without being told to scale, it is used as it stands."""
    recipe = recipe_of_block()
    path = tmp_path / "waist.json"
    path.write_text(Recipe(name="Waist", made_for=recipe.made_for, cuts=recipe.cuts).model_dump_json())
    box(80, 60, 120).export(tmp_path / "large.stl")
    large = ("cut", tmp_path / "large.stl", "--recipe", path)
    found = answer(*large, "--recipe-scaled", "evenly", "--out", tmp_path / "a")
    assert [piece["volume_mm3"] for piece in found["pieces"]] == pytest.approx([80 * 60 * 60] * 2)
    found = answer(*large, "--out", tmp_path / "b")
    assert sorted(piece["volume_mm3"] for piece in found["pieces"]) == pytest.approx([80 * 60 * 30, 80 * 60 * 90])
    found = answer(*large, "--recipe-scaled", "each-axis", "--out", tmp_path / "d")
    assert [piece["volume_mm3"] for piece in found["pieces"]] == pytest.approx([80 * 60 * 60] * 2)
    done = call("cut", tmp_path / "large.stl", "--recipe-scaled", "evenly", "--straight", 0, 0, 1, 30, "--out",
                tmp_path / "c")
    assert done.returncode == 1
    assert "how large" in done.stderr
