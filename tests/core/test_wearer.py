"""Wearers' forms, the room around guests, and the scale at which a clearance is kept."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh

from deft_slab.core.errors import BadPlan, Cancelled
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Guest, Plan
from deft_slab.core.progress import Job
from deft_slab.core.wearer.clearance import (
    guest_solid,
    room_around,
    scale_with_clearance,
    settled_place,
    signed_distance,
)
from deft_slab.core.wearer.forms import MAKERS, ring_length
from deft_slab.core.wearer.measures import FORMS
from tests.shapes import hollow_ball, model_of, solid_of, sphere, tube

ONE = np.ones(3)


def girth_at(solid: Solid, height: float) -> float:
    """Length of the outline of the section at a height: by trimesh."""
    section = trimesh.Trimesh(solid.vertices, solid.triangles).section([0, 0, 1], [0, 0, height])
    return max(ring_length(np.asarray(line)[:-1]) for line in section.discrete)


@pytest.mark.parametrize("key", sorted(FORMS))
def test_forms_are_closed_and_of_their_measure(key):
    form = FORMS[key]
    assert set(MAKERS) == set(FORMS)
    for measure in (form.least, form.usual, form.most):
        solid = MAKERS[key](measure)
        assert not solid.defects.sentence()
        assert len(solid.manifold.decompose()) == 1
        if key == "hand":
            assert solid.bounds[1][2] == pytest.approx(measure)
        elif key == "head":
            assert girth_at(solid, 1e-6) == pytest.approx(measure, rel=2e-3)
        else:
            heights = np.linspace(5, 0.8 * solid.size[2], 40)
            assert max(girth_at(solid, float(z)) for z in heights) == pytest.approx(measure, rel=5e-3)


def test_the_head_against_published_measures():
    """Gordon et al. 2014, 2012 Anthropometric Survey of U.S. Army Personnel (NATICK/TR-15/007), means as remembered:
    men, girth 574, length 199, breadth 154, chin to top 232 mm; women, girth 561, length 187, breadth 147 mm. (The
    women's head is shorter in proportion; the form has the men's proportions, hence 6 % there.)
    """
    for girth, length, breadth, within in ((574, 199, 154, 0.02), (561, 187, 147, 0.06)):
        solid = MAKERS["head"](girth)
        band = solid.vertices[np.abs(solid.vertices[:, 2]) < 8]
        # the nose and the ears do not reach up to the brow
        assert np.ptp(band[:, 1]) == pytest.approx(length, rel=within)
        assert np.ptp(band[:, 0]) == pytest.approx(breadth, rel=within)
    tall = MAKERS["head"](574)
    chin = -0.239 * 574
    assert tall.bounds[1][2] - chin == pytest.approx(232, rel=0.02)


@pytest.mark.parametrize(("hat", "girth"), [(7, 558.6), (8, 638.4)])
def test_hat_sizes(hat, girth):
    """Common practice: a hat size is the girth in inches over pi."""
    assert hat * math.pi * 25.4 == pytest.approx(girth, abs=0.1)
    solid = MAKERS["head"](girth)
    assert girth_at(solid, 1e-6) / 25.4 / math.pi == pytest.approx(hat, rel=2e-3)


def test_hand_and_forearm_against_published_measures():
    """The same source: men's hand length 194 and breadth 88 (without the thumb), forearm girth 310, wrist girth 176."""
    hand = MAKERS["hand"](194)
    palm = hand.vertices[(hand.vertices[:, 2] > 95) & (hand.vertices[:, 2] < 110) & (hand.vertices[:, 0] < 50)]
    assert np.ptp(palm[:, 0]) == pytest.approx(88, rel=0.08)
    arm = MAKERS["forearm"](310)
    assert girth_at(arm, float(arm.bounds[1][2]) - 1) == pytest.approx(176, rel=0.05)


def ball_guest(radius: float, **update) -> tuple[Guest, Solid]:
    """A guest that is a model: a ball."""
    solid = sphere(radius, 3)
    ref = Model("Ball", solid, 1e-6).ref
    fields = {"id": "g1", "name": "Ball", "form": "model", "model": ref, "clearance": 5.0} | update
    return Guest(**fields), solid


def test_room_around_a_ball_in_a_ball():
    """Radii 10 in a hollow of 24: 14 mm of air in the middle; 4 less when moved by 4."""
    shell = hollow_ball(30, 24, 4)
    for at, want in ((0.0, 14.0), (4.0, 10.0)):
        guest, model = ball_guest(10, place=(at, 0.0, 0.0))
        room = room_around(shell, guest, ONE, model)
        assert room.clearance == pytest.approx(want, abs=0.2)
        assert room.poking_area == 0
        assert not len(room.poking)
    assert room.at[0] == pytest.approx(24, abs=0.5)


def test_a_guest_that_pokes_through():
    """A ball of 24 in a tube of inner radius 20: the deepest place of the wall is 4 mm inside, the band of wall that
    is inside is 2 sqrt(24^2 - 20^2) high (Pythagoras), all around.
    """
    pipe = tube(20, 22, 40, 160)
    pipe = Solid(pipe.vertices - pipe.bounds.mean(axis=0), pipe.triangles)
    guest, model = ball_guest(24)
    room = room_around(pipe, guest, ONE, model)
    assert room.clearance == pytest.approx(-4, abs=0.2)
    outer = 2 * math.pi * 22 * 2 * math.sqrt(24**2 - 22**2)
    inner = 2 * math.pi * 20 * 2 * math.sqrt(24**2 - 20**2)
    assert room.poking_area == pytest.approx(inner + outer, rel=0.05)
    assert (np.linalg.norm(room.poking, axis=1) < 24).all()


def test_a_guest_far_away_has_no_room():
    guest, model = ball_guest(5, place=(500.0, 0.0, 0.0))
    assert room_around(sphere(20), guest, ONE, model).clearance is None


@pytest.mark.parametrize(
    ("radius", "clearance", "inches"), [(10, 5, False), (10, 5, True), (10, 0, False), (28, 5, True)]
)
def test_the_scale_that_keeps_a_clearance(radius, clearance, inches):
    """A ball in a hollow ball: (radius + clearance) / hollow, whatever the unit and wherever both are."""
    unit = 25.4 if inches else 1.0
    away = np.array([40.0, -25.0, 12.0])
    shell = hollow_ball(30, 24, 4)
    shell = Solid(shell.vertices + away, shell.triangles)
    guest, model = ball_guest(radius, clearance=clearance, place=tuple((away / unit).tolist()))
    factors = np.full(3, unit)
    scale = scale_with_clearance(shell, guest, factors, model)
    assert scale == pytest.approx((radius + clearance) / 24, rel=5e-3)
    after = room_around(shell.resized(np.full(3, scale)), guest, factors * scale, model)
    assert after.clearance == pytest.approx(clearance, abs=0.1)


def test_no_scale_frees_a_guest_that_stands_in_the_wall():
    """Its place is on the prop, and stays in the wall at any scale; in a pipe that is too long it pokes out at any."""
    guest, model = ball_guest(5, place=(27.0, 0.0, 0.0))
    with pytest.raises(BadPlan, match="is inside the wall of the prop"):
        scale_with_clearance(hollow_ball(30, 24, 4), guest, ONE, model)
    small, model = ball_guest(1, place=(27.0, 0.0, 0.0))
    assert room_around(hollow_ball(30, 24, 4), small, ONE, model).clearance < 0
    edge, model = ball_guest(5, place=(24.0, 0.0, 0.0))
    with pytest.raises(BadPlan, match="No scale up to 20|inside the wall"):
        scale_with_clearance(hollow_ball(30, 24, 4), edge, ONE, model)


def test_settling_finds_the_middle():
    guest, model = ball_guest(10, place=(6.0, -5.0, 4.0))
    place = settled_place(hollow_ball(30, 24, 4), guest, ONE, model)
    assert np.linalg.norm(place) < 1.5


def test_a_mirrored_and_stretched_prop_keeps_the_guest_at_its_place():
    shell = hollow_ball(30, 24, 4)
    shell = Solid(shell.vertices + [50, 0, 0], shell.triangles)
    factors = np.array([-2.0, 1.0, 1.0])
    guest, model = ball_guest(10, place=(50.0, 0.0, 0.0))
    assert room_around(shell.resized(factors), guest, factors, model).clearance == pytest.approx(14, abs=0.2)


def test_guests_turn_and_have_their_own_unit():
    ruler = trimesh.creation.box((0.1, 0.02, 0.002))
    solid = solid_of(ruler)
    guest = Guest(id="g1", name="Ruler", form="model", model=Model("Ruler", solid, 1e-6).ref, unit="m",
                  turn=Tilt.turn((0, 0, 1), 90))
    assert guest_solid(guest, solid).size == pytest.approx([20, 100, 2])
    with pytest.raises(BadPlan, match="is missing"):
        guest_solid(guest, None)


def test_signed_distance_of_a_ball():
    points = np.array([[0, 0, 0], [25, 0, 0], [0, 40, 0]], float)
    assert signed_distance(sphere(30, 5), points) == pytest.approx([-30, -5, 10], abs=0.05)


def test_searches_stop_when_asked():
    guest, model = ball_guest(10)
    stopped = Job(unwanted=lambda: True)
    for search in (scale_with_clearance, settled_place, room_around):
        with pytest.raises(Cancelled):
            search(hollow_ball(30, 24, 3), guest, ONE, model, stopped)


def test_an_evaluated_plan_has_the_room_of_its_guests(printer):
    model = model_of(hollow_ball(60, 52, 4), "Hood")
    guest, ball = ball_guest(20)
    hidden = Guest(id="g2", name="Hand", form="hand", measure=80.0, shown=False)
    plan = Plan(model=model.ref).with_guest(guest).with_guest(hidden)
    evaluator = Evaluator(model)
    sha = guest.model.sha256
    assert evaluator.evaluate(plan, printer).guests == {}  # its surface is is missing
    rooms = evaluator.evaluate(plan, printer, guests={sha: ball}).guests
    assert set(rooms) == {"g1"}
    assert rooms["g1"].clearance == pytest.approx(32, abs=0.3)
