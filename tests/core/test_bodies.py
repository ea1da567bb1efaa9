"""Bodies of a file: what is proposed for them, and what they are called once it is cut."""

from __future__ import annotations

import manifold3d
import numpy as np
import pytest
import trimesh

from deft_slab.core.cuts import StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.importing.readers import open_file
from deft_slab.core.plan.plan import Mending, Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.demo import TROUBLED
from tests.shapes import box, write_bodies

OWN, REST, OUT = "on its own", "with the rest", "left out"


def evaluated(model, **plan):
    return Evaluator(model).evaluate(Plan(model=model.ref, **plan), default_printer())


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
)
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
    assert any("The model has 5 bodies that do not touch" in note.says for note in whole.notes)
    apart = evaluated(model, roles=whole.report.roles)
    assert not apart.report.roles
    assert apart.report.loose == 1
    assert not any("do not touch" in note.says for note in apart.notes)
    assert [piece.name for piece in apart.pieces] == ["Lantern", "Wall bracket", "Spare ring"]
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=182.0)
    parted = Evaluator(model).evaluate(apart.plan.with_cut(cut), default_printer())
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


def rod(x: float, y: float, top: float) -> manifold3d.Manifold:
    """A support as it is made everywhere: a round rod with a cone for its tip (common practice)."""
    low = manifold3d.Manifold.cylinder(top - 2, 0.8, 0.8, 16)
    return (low + manifold3d.Manifold.cylinder(2, 0.8, 0.2, 16).translate((0, 0, top - 2))).translate((x, y, 0))


def held_up(touch: float, *, raft: bool) -> tuple[manifold3d.Manifold, list[manifold3d.Manifold]]:
    """A ball of 30 mm radius, and 14 rods under it that end ``touch`` mm inside it, on a raft or without."""
    ball = manifold3d.Manifold.sphere(30, 96).translate((0, 0, 45))
    rods = []
    for n in range(14):
        out = 6 if n % 2 else 14
        turn = 2 * np.pi * n / 14
        rods.append(rod(out * np.cos(turn), out * np.sin(turn), 45 - np.sqrt(30**2 - out**2) + touch))
    return ball, [*rods, *([manifold3d.Manifold.cube((50, 50, 1.2)).translate((-25, -25, 0))] if raft else [])]


def as_mesh(*bodies: manifold3d.Manifold) -> trimesh.Trimesh:
    parts = [body.to_mesh() for body in bodies]
    return trimesh.util.concatenate([trimesh.Trimesh(one.vert_properties[:, :3], one.tri_verts) for one in parts])


@pytest.mark.parametrize("raft", [True, False])
@pytest.mark.parametrize("lies", [(0, 0), (90, 0), (180, 0), (0, 90)])
def test_supports_are_known_by_their_shape(raft, lies, tmp_path):
    """Rods that stand apart, whichever way the file holds them: a question, and never left out by itself."""
    ball, rods = held_up(-0.05, raft=raft)
    mesh = as_mesh(ball, *rods)
    for degrees, axis in zip(lies, ((1, 0, 0), (0, 1, 0)), strict=True):
        mesh.apply_transform(trimesh.transformations.rotation_matrix(np.radians(degrees), axis))
    mesh.export(tmp_path / "ball.stl")
    model = open_file(tmp_path / "ball.stl").model
    assert [(body.name, body.rods, body.specks) for body in model.bodies] == [
        ("Body 1", 0, False), ("Likely supports", 14, False),
    ]
    made = evaluated(model)
    assert made.report.roles == (REST, OUT)
    assert len(made.pieces) == 1  # nothing is left out before somebody says so
    assert any("14 slender rods that end on one plane" in note.says for note in made.notes)
    assert made.report.specks == 0
    kept = evaluated(model, mending=Mending(drop_specks=True))
    assert kept.pieces[0].solid.volume == pytest.approx(made.pieces[0].solid.volume, rel=1e-9)
    without = evaluated(model, roles=(REST, OUT))
    assert without.pieces[0].solid.volume == pytest.approx(ball.volume(), rel=1e-3)
    assert not any("slender rods" in note.says for note in without.notes)


def test_supports_on_one_raft_and_in_a_named_body(tmp_path):
    """All of them of one shell; and in a body of which the name says nothing."""
    ball, rods = held_up(-0.05, raft=True)
    together = rods[0].batch_boolean(rods, manifold3d.OpType.Add)
    as_mesh(ball, together).export(tmp_path / "ball.stl")
    assert [body.rods for body in open_file(tmp_path / "ball.stl").model.bodies] == [0, 14]
    write_bodies(tmp_path / "named.3mf", {"Object 1": as_mesh(ball), "Object 2": as_mesh(together)})
    model = open_file(tmp_path / "named.3mf").model
    assert [(body.name, body.rods) for body in model.bodies] == [("Object 1", 0), ("Object 2", 14)]
    assert evaluated(model).report.roles == (REST, OUT)


@pytest.mark.parametrize("raft", [True, False])
def test_supports_that_run_into_the_model_are_asked_about(raft, tmp_path):
    ball, rods = held_up(0.3, raft=raft)
    as_mesh(ball + rods[0].batch_boolean(rods, manifold3d.OpType.Add)).export(tmp_path / "ball.stl")
    model = open_file(tmp_path / "ball.stl").model
    assert model.bodies == ()
    said = [note.says for note in evaluated(model).notes]
    assert any("14 slender rods end on one plane and run into the model" in one for one in said)


def test_teeth_of_a_comb_and_legs_are_no_supports(tmp_path):
    """Rods without thinner tips, and too few of them."""
    comb = manifold3d.Manifold.cube((60, 5, 8), True)
    for n in range(12):
        comb += manifold3d.Manifold.cylinder(30, 1, 1, 24).translate((5 * n - 27.5, 0, 3))
    few, legs = held_up(0.3, raft=True)
    for name, body in (("comb", comb), ("stool", few + legs[0] + legs[3] + legs[6] + legs[9])):
        as_mesh(body).export(tmp_path / f"{name}.stl")
        model = open_file(tmp_path / f"{name}.stl").model
        assert model.bodies == ()
        assert not any("slender" in note.says for note in evaluated(model).notes)
