"""Kinds of cut on the desk are found through one register, and each has all of its parts."""

from __future__ import annotations

import importlib

import numpy as np
import pytest

from deft_slab.core.cuts import KINDS
from deft_slab.desk.cuts import ON_DESK, GripDrag, on_desk
from deft_slab.desk.scene.hints import HINTS
from tests.core.test_registry import FIELDS
from tests.desk.conftest import words

BOX = (np.array([-20.0, -20, -20]), np.array([20.0, 20, 20]))

NO_SEAM = np.empty((0, 2, 3))


def test_each_kind_of_the_core_is_on_the_desk():
    assert set(ON_DESK) == set(KINDS)
    assert len({here.rank for here in ON_DESK.values()}) == len(ON_DESK)


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_has_all_of_its_parts_on_the_desk(kind):
    cut = KINDS[kind](id="c1", name="Cut", **FIELDS[kind])
    here = on_desk(cut)
    assert here.word
    assert here.tip.endswith(".")
    assert not here.pointed or HINTS[here.pointed]
    assert here.outline(cut, BOX).shape[1:] == (2, 3)
    for field in here.fields(cut, BOX):
        assert field.tip.endswith(".")
        type(cut).model_validate({**cut.model_dump(), **field.update(cut, field.value(cut))})
    for grip, place in here.grips(cut, BOX, NO_SEAM).items():
        assert HINTS[grip.split()[0]]
        moved = type(cut).model_validate({**cut.model_dump(), **here.pulled(cut, GripDrag(grip, place, place))})
        again = here.grips(moved, BOX, NO_SEAM)[grip]
        np.testing.assert_allclose(again, place, atol=0.02)
        way = here.way_of(cut, grip)
        assert way is None or np.linalg.norm(way) == pytest.approx(1)


def test_a_new_kind_is_one_new_module_on_the_desk(desk, tee):
    """It is added by its button, shown in its row and typed; the worker process knows its kind by the same module."""
    toy = importlib.import_module("tests.toys.layer_cut").LayerCut
    KINDS["toy layer"] = toy
    kept = dict(ON_DESK)
    importlib.import_module("tests.toys.layer_on_desk")
    try:
        desk.open(tee)
        desk.go(3)
        desk.settle()
        buttons = {b.text(): b for b in desk.window.findChildren(type(desk.window.frame.below)) if b.isVisible()}
        desk.click(buttons["+ Layer"])
        desk.settle()
        assert desk.state.history.undo_text == "add a cut"
        assert any("Layer of the" in piece.name for piece in desk.state.pieces)
        this = desk.window.panels["Cut"].this
        desk.reveal(this)
        field = next(shown for one, shown in this._fields if one.name == "Upper")
        desk.type(field, "52")
        desk.settle()
        assert desk.state.cut.high == pytest.approx(52)
        assert "toy" not in words(desk.window)
        desk.undo()
        desk.undo()
        desk.settle()
        assert desk.state.plan.recipe == ()
    finally:
        del KINDS["toy layer"]
        ON_DESK.clear()
        ON_DESK.update(kept)
