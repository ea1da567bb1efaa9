"""Picking rays against trimesh's, and the demo against its generator."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.core.errors import DeftError, OpenSurface, SaveFailed
from deft_slab.core.figures.default_seats import SeatWishes, candidates, seats_of
from deft_slab.core.figures.ray_pick import first_hit
from deft_slab.core.importing.readers import open_file
from deft_slab.demo import MODELS
from deft_slab.demo.make import make
from deft_slab.demo.props import helmet, lantern
from tests.shapes import box, cone, joined, ring, solid_of

RING = ring(30, 8, 60)
TREE = trimesh.Trimesh(RING.vertices, RING.triangles, process=False).ray


@given(st.tuples(*[st.floats(-60, 60)] * 3), st.tuples(*[st.floats(-20, 20)] * 3))
def test_the_nearest_facet_is_the_one_that_embree_finds(start, target):
    origin = np.array(start) + [0, 0, 100.0]
    towards = np.array(target) - origin
    found = first_hit(RING.vertices, RING.triangles, origin, towards)
    places, _, facets = TREE.intersects_location([origin], [towards / np.linalg.norm(towards)], multiple_hits=False)
    if found is None or not len(facets):
        # a ray along an edge may be counted by one and not by the other
        assert (found is None) == (not len(facets)) or _near_an_edge(origin, towards)
        return
    place = origin + found[1] * towards
    assert place == pytest.approx(places[0], abs=1e-2) or _near_an_edge(origin, towards)


def _near_an_edge(origin, towards) -> bool:
    """Whether shaking the ray a little changes what it meets."""
    random = np.random.default_rng(0)
    met = {first_hit(RING.vertices, RING.triangles, origin, towards + random.normal(0, 1e-4, 3)) for _ in range(8)}
    return len({hit and hit[0] for hit in met}) > 1


def test_a_ray_that_misses():
    assert first_hit(RING.vertices, RING.triangles, np.array([0, 0, 50.0]), np.array([0, 0, -1.0])) is None


def test_candidates_differ_and_hold_the_obvious_ones():
    """A box has six ways to lie; a cone on its base is found among its seats and is the best."""
    tried = candidates(solid_of(box(10, 20, 30)), np.eye(3))
    assert len(tried) == 6
    downs = np.array([candidate.down for candidate in tried])
    assert ((downs @ downs.T) < 0.999).sum() == 30
    tilted = candidates(cone(20, 15), np.diag([1.0, -1.0, -1.0]))
    assert tilted[0].kind == "as the model stood"
    best = seats_of(cone(20, 15), SeatWishes(np.diag([1.0, -1.0, -1.0]), 45.0)).chosen()
    assert best.down == pytest.approx((0, 0, -1), abs=1e-6)
    table = joined(box(60, 40, 5, at=(0, 0, 40)), *(box(6, 6, 41, at=(x, y, 0)) for x in (0, 54) for y in (0, 34)))
    assert seats_of(table, SeatWishes(np.eye(3), 45.0)).chosen().down == pytest.approx((0, 0, 1), abs=1e-6)


@pytest.mark.parametrize("build", [helmet, lantern])
def test_what_is_shipped_is_what_its_generator_makes(build):
    made, shipped = make(build), open_file(MODELS[build.__name__]).model.solid
    assert len(made.solid.triangles) == pytest.approx(len(shipped.triangles), rel=0.01)
    assert made.solid.volume == pytest.approx(trimesh.Trimesh(shipped.vertices, shipped.triangles).volume, rel=1e-3)


def test_errors_travel_between_processes_with_all_their_words():
    import pickle

    for kind in (DeftError, OpenSurface, SaveFailed):
        error = pickle.loads(pickle.dumps(kind("It broke.", kept="Nothing lost.", remedy="Try again.")))
        assert type(error) is kind
        assert str(error) == "It broke. Nothing lost. Try again."
