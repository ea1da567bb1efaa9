"""Joins that keep pieces of one shape alike: by the program's own comparison, and by an independent one of volumes and
of moments of inertia.
"""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from deft_slab.core.cuts import BodiesCut, Cut, Move, StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.congruence import same_shapes
from deft_slab.core.joining.equal_contacts import NOWHERE, Carry, Orbit
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.results.outcome import Outcome
from tests.shapes import box, joined, model_of, solid_of, sphere

PRINTER = default_printer()


def across(cut: str, normal: tuple[float, float, float], offset: float = 0.0, kerf: float = 0.0) -> StraightCut:
    return StraightCut(id=cut, name=cut, normal=normal, offset=offset, kerf=kerf)


def bench() -> Solid:
    legs = [box(20, 20, 70, at=(x, y, 0)) for x in (0, 100) for y in (0, 100)]
    return joined(box(120, 120, 15, at=(0, 0, 60)), *legs)


def cross() -> Solid:
    return joined(box(160, 40, 40, at=(-80, -20, -20)), box(40, 160, 40, at=(-20, -80, -20)))


def with_joins(solid: Solid, *cuts: Cut) -> tuple[Outcome, Outcome]:
    """(the pieces without joins, with those that are proposed)."""
    model = model_of(solid)
    shop, plan = Evaluator(model), Plan(model=model.ref, recipe=cuts)
    joins = tuple(shop.proposed_joins(plan, PRINTER))
    return shop.evaluate(plan, PRINTER, detail="figures"), shop.evaluate(plan.changed(joins=joins), PRINTER)


def inertia(solid: Solid) -> np.ndarray:
    """(3,) principal moments, by trimesh."""
    mesh = trimesh.Trimesh(solid.vertices, solid.triangles)
    return np.sort(np.linalg.eigvalsh(mesh.moment_inertia))


CASES = {
    "two halves": (lambda: solid_of(box(120, 60, 50)), (across("c1", (1, 0, 0), 60),)),
    "two halves with a kerf": (lambda: solid_of(box(120, 60, 50)), (across("c1", (1, 0, 0), 60, 0.4),)),
    "four quarters": (
        lambda: solid_of(box(160, 120, 50)), (across("c1", (1, 0, 0), 80), across("c2", (0, 1, 0), 60))
    ),
    "four arms of a cross": (cross, (across("c1", (1, 1, 0)), across("c2", (1, -1, 0)))),
    "halves of a ball": (lambda: sphere(50, 4), (across("c1", (0, 0, 1)),)),
    "four legs": (bench, (across("c1", (0, 0, 1), 60), BodiesCut(id="c2", name="c2"))),
}


@pytest.mark.parametrize("case", CASES)
def test_pieces_of_one_shape_stay_so(case):
    shape, cuts = CASES[case]
    before, after = with_joins(shape(), *cuts)
    was, now = ([piece.solid for piece in one.pieces if not piece.extra] for one in (before, after))
    classes = same_shapes(was)
    assert any(first != number for number, (first, _) in enumerate(classes))
    assert same_shapes(now) == classes
    assert not any(report.problem for report in after.joins.values())
    assert after.joins
    assert all(report.least_wall > PRINTER.least_wall for report in after.joins.values())
    for number, (first, mirrored) in enumerate(classes):
        if not mirrored:
            assert now[number].volume == pytest.approx(now[first].volume, rel=2e-3)
            assert inertia(now[number]) == pytest.approx(inertia(now[first]), rel=4e-3)
    # whatever keeps pieces alike, they hold by more than glue
    assert all(any(join.holds for join in after.plan.joins if after.joins[join.id].contact == n)
               for n in range(len(after.contacts)))


def test_what_is_lost_is_said_where_they_cannot_stay_so(monkeypatch):
    """Of two halves whose contact follows from itself by a move that leads off it, so that no counterpart has room."""
    off = Carry(Move(np.diag([-1.0, -1.0, 1.0]), np.array([120.0, 500.0, 0.0])), turns=True)
    orbit = Orbit({0: NOWHERE}, (off,), (0, 1))
    monkeypatch.setattr("deft_slab.core.joining.plan_joints.orbits_of", lambda contacts, pieces: [orbit])
    _, after = with_joins(solid_of(box(120, 60, 50)), across("c1", (1, 0, 0), 60))
    assert "pieces 1, 2 had the same shape and no longer do" in after.plan.joins[0].why
    assert any(join.holds for join in after.plan.joins)


def test_a_contact_with_joins_of_its_own_binds_no_other():
    """Of four quarters with a key that somebody placed on one contact, the others are joined by themselves."""
    model = model_of(solid_of(box(160, 120, 50)))
    shop = Evaluator(model)
    plan = Plan(model=model.ref, recipe=(across("c1", (1, 0, 0), 80), across("c2", (0, 1, 0), 60)))
    all_of_them = shop.proposed_joins(plan, PRINTER)
    first = all_of_them[0].model_copy(update={"width": 7.0})
    more = shop.proposed_joins(plan.changed(joins=(first,)), PRINTER)
    outcome = shop.evaluate(plan.changed(joins=(first, *more)), PRINTER)
    assert len({report.contact for report in outcome.joins.values()}) == 4
    assert not any(report.problem for report in outcome.joins.values())
