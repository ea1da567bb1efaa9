"""Kinds of cut are found through one register, and each has all of its parts."""

from __future__ import annotations

import importlib
import inspect

import numpy as np
import pytest

from deft_slab.core.cuts import KINDS, Cut, LiftOffCut, Move, StraightCut
from deft_slab.core.document.marks import Region, Stroke
from deft_slab.core.errors import BadPlan
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import Recipe, read_recipe
from deft_slab.core.search.seam_settling import SETTLERS
from tests.shapes import box, model_of, solid_of

LOOP = ((10.0, 0.0, 5.0), (0.0, 10.0, 5.0), (-10.0, 0.0, 5.0), (0.0, -10.0, 5.0))
UPSIDE_DOWN = Move.mirror(np.array([0.0, 0.0, 1.0]), 4.0)
FIELDS = {
    "straight": {"normal": (0, 0.6, 0.8), "offset": 3.0},
    "block": {"x": (1.0, 5.0), "y": ((2.0,), (), (3.0,))},
    "box": {"centre": (1, 2, 3), "half": (4, 5, 6)},
    "bent": {"line": LOOP, "closed": True},
    "scoop": {"centre": (1, 2, 3), "half": (4, 5, 6)},
    "lift-off": {"region": Region(shape="ball", places=((0, 0, 0),), reach=5)},
    "patch": {"strokes": (Stroke(shape="ball", places=((0, 0, 0),), half=(5, 5, 5)),)},
    "bodies": {},
}


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_has_all_of_its_parts(kind):
    cut = KINDS[kind](id="c1", name="Cut", **FIELDS[kind])
    assert not inspect.isabstract(KINDS[kind])
    assert KINDS[kind].__doc__
    assert cut.why_not()
    assert {cut.side_word(side, np.eye(3)) for side in (1, -1)} - {""} or not cut.two_sided
    assert (type(cut) in SETTLERS) == cut.settles
    there = cut.carried(UPSIDE_DOWN)
    assert type(there) is type(cut)
    assert there.carried(UPSIDE_DOWN) == cut
    recipe = Recipe(cuts=(cut,))
    assert read_recipe(recipe.model_dump_json().encode()) == recipe


def test_a_kind_without_a_part_cannot_be_made():
    class Half(Cut):
        kind: str = "toy half"

    try:
        with pytest.raises(TypeError, match="abstract"):
            Half(id="a", name="a")
    finally:
        del KINDS["toy half"]


def test_a_new_kind_is_one_new_module(printer):
    """It is cut, named, sized, saved and read, and nothing else knows of it."""
    toy = importlib.import_module("tests.toys.layer_cut").LayerCut
    KINDS["toy layer"] = toy
    try:
        model = model_of(solid_of(box(20, 20, 30)), "Post")
        cut = toy(id="c1", name="Middle", low=10, high=16, kerf=1.0)
        plan = Plan(model=model.ref, recipe=(cut,))
        assert Plan.model_validate_json(plan.model_dump_json()) == plan
        outcome = Evaluator(model).evaluate(plan, printer)
        assert sorted(round(piece.solid.volume / 400, 6) for piece in outcome.pieces) == [5.0, 9.5, 13.5]
        assert "Layer of the post" in [piece.name for piece in outcome.pieces]
        assert outcome.kerf_mm3 == pytest.approx(2 * 400)
        assert outcome.lost_share == pytest.approx(0, abs=1e-9)
        assert outcome.seams["c1"].length == pytest.approx(2 * 80)
        mirrored = plan.sized(scale=2.0, mirror="z")
        assert (mirrored.recipe[0].low, mirrored.recipe[0].high) == (-32, -20)
        text = Recipe(cuts=(cut,)).model_dump_json()
    finally:
        del KINDS["toy layer"]
    with pytest.raises(BadPlan, match="no kind of cut 'toy layer'"):
        read_recipe(text.encode())


def test_a_damaged_cut_says_where():
    with pytest.raises(BadPlan, match=r"cuts\.0: .*offset: Field required"):
        read_recipe(b'{"cuts": [{"kind": "straight", "id": "a", "name": "a", "normal": [0, 0, 1]}]}')
    assert issubclass(StraightCut, Cut)
    assert issubclass(LiftOffCut, Cut)
