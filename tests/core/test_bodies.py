"""Bodies of a file: what is proposed for them, and what they are called once it is cut."""

from __future__ import annotations

import pytest

from deft_slab.core.cuts import StraightCut
from deft_slab.core.intake.files import open_file
from deft_slab.core.plan import Mending, Plan
from deft_slab.core.printer import default_printer
from deft_slab.core.workshop import Workshop
from deft_slab.demo import TROUBLED
from tests.shapes import box, write_bodies

OWN, REST, OUT = "on its own", "with the rest", "left out"


def evaluated(model, **plan):
    return Workshop(model).evaluate(Plan(model=model.ref, **plan), default_printer())


@pytest.mark.parametrize(
    ("bodies", "roles"),
    [
        ({"Head": box(10, 10, 10), "Hand": box(5, 5, 5, at=(20, 0, 0))}, (OWN, OWN)),
        ({"Head": box(10, 10, 10), "Hat": box(5, 5, 5, at=(2, 2, 8))}, ()),
        ({"Head": box(10, 10, 10), "Hat": box(5, 5, 5, at=(2, 2, 8)), "Hand": box(5, 5, 5, at=(20, 0, 0))},
         (REST, REST, OWN)),
        ({"Head": box(10, 10, 10), "Supports 1": box(1, 1, 30, at=(20, 0, 0))}, (REST, OUT)),
        ({"Head": box(10, 10, 10), "Stützen": box(1, 1, 30, at=(5, 5, 0))}, (REST, OUT)),
        ({"Head": box(10, 10, 10), "Supporting arm": box(5, 5, 5, at=(20, 0, 0))}, (OWN, OWN)),
        ({"Support": box(10, 10, 10), "support": box(5, 5, 5, at=(20, 0, 0))}, ()),
    ],
)  # fmt: skip
def test_what_is_proposed_for_bodies(bodies, roles, tmp_path):
    model = open_file(write_bodies(tmp_path / "bodies.3mf", bodies)).model
    assert [body.name for body in model.bodies] == list(bodies)
    report = evaluated(model).report
    assert report.roles == roles
    overlap = len({"Hat", "Stützen"} & set(bodies))
    assert report.loose == len(bodies) - overlap


def test_a_lantern_in_parts_comes_apart_and_keeps_its_names():
    model = open_file(TROUBLED["bodies"]).model
    whole = evaluated(model)
    assert whole.report.roles == (OWN, OWN, OWN, OUT)
    assert any("It falls in 5 bodies that do not touch" in note for note in whole.notes)
    apart = evaluated(model, roles=whole.report.roles)
    assert not apart.report.roles
    assert apart.report.loose == 1
    assert not any("do not touch" in note for note in apart.notes)
    assert [piece.name for piece in apart.pieces] == ["Lantern", "Wall bracket", "Spare ring"]
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=182.0)
    parted = Workshop(model).evaluate(apart.plan.with_cut(cut), default_printer())
    assert [piece.name for piece in parted.pieces] == ["Upper lantern", "Lower lantern", "Wall bracket", "Spare ring"]
    # its file is rounded so that it touches itself along twelve edges
    assert parted.defects.pinched == 12
    assert parted.lost_share == pytest.approx(0.0, abs=1e-9)


def test_nothing_is_proposed_for_one_body_with_specks():
    model = open_file(TROUBLED["damaged"]).model
    gentle = Mending(clean=True, orient=True, close=True)
    report = evaluated(model, unit="in", mending=gentle).report
    assert report.roles == ()
    assert (report.specks, report.loose) == (9, 1)
