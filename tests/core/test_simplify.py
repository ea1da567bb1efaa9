"""Simplified and refined surfaces: what must be kept, on meshes that break the quicker of two libraries."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import igl
import numpy as np
import pytest

from deft_slab.core.geometry.simplify import refined, thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.demo import MODELS
from tests.core.test_borders import dumbbell
from tests.shapes import box, solid_of, without_facets


@pytest.mark.parametrize("triangles", [6_000, 2_000])
def test_needles_do_not_break_what_is_simplified(triangles):
    """Bodies that were united have needles where they meet: a third of this one's volume was lost, and it was drawn
    beyond its bounds.
    """
    solid = dumbbell(6.0)
    light = thinned(solid, triangles)
    assert light.closed
    assert len(light.triangles) <= 1.5 * triangles
    assert light.volume == pytest.approx(solid.volume, rel=0.01)
    assert np.abs(light.bounds - solid.bounds).max() < 0.005 * solid.diagonal


def test_what_neither_library_can_do_is_left_to_the_boolean_library(monkeypatch):
    """As where more than two facets meet at an edge: the second one then gives nothing back."""
    nothing = np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64)
    monkeypatch.setattr(igl, "qslim", lambda *_: nothing)
    solid = dumbbell(6.0)
    light = thinned(solid, 6_000)
    assert light.closed
    assert len(light.triangles) <= 2 * 6_000
    assert light.volume == pytest.approx(solid.volume, rel=0.02)


def test_needles_do_not_break_an_open_surface():
    solid = dumbbell(6.0)
    opened = without_facets(solid, solid.centroids[:, 0] > 55.0)
    light = thinned(opened, 4_000)
    assert len(light.triangles) <= 1.5 * 4_000
    assert light.areas.sum() == pytest.approx(opened.areas.sum(), rel=0.02)
    assert light.bounds[1, 0] == pytest.approx(55.0, abs=2.0)
    assert light.bounds[0] == pytest.approx(solid.bounds[0], abs=1.0)


@pytest.mark.parametrize("name", sorted(MODELS))
def test_demo_models_keep_their_volume(name):
    solid = open_file(MODELS[name]).model.solid
    light = thinned(solid, 7_000)
    assert len(light.triangles) <= 7_000
    assert light.volume == pytest.approx(solid.volume, rel=0.005)


def test_threads_do_not_take_triangles_from_each_other():
    solids = [thinned(open_file(MODELS[name]).model.solid, 7_000) for name in ("gull", "hook", "lantern")]
    alone = [thinned(solid, 2_000) for solid in solids]
    with ThreadPoolExecutor(4) as pool:
        for number, light in enumerate(pool.map(lambda solid: thinned(solid, 2_000), solids * 20)):
            assert np.array_equal(light.vertices, alone[number % 3].vertices)


def test_few_triangles_are_left_alone_and_an_open_surface_stays_open():
    solid = solid_of(box(10, 10, 10))
    assert thinned(solid, 100) is solid
    fine, _ = refined(solid, 0.5)
    opened = without_facets(fine, fine.normals[:, 2] > 0.9)
    light = thinned(opened, 500)
    assert not light.closed
    assert len(light.triangles) < 1_000


def test_a_finer_surface_is_the_same_and_knows_its_facets():
    solid = solid_of(box(30, 10, 20))
    fine, of = refined(solid, 2.0)
    edges = np.linalg.norm(np.diff(fine.vertices[fine.triangles[:, [0, 1, 2, 0]]], axis=1), axis=2)
    assert edges.max() <= 2 * 2.0
    assert fine.volume == pytest.approx(solid.volume)
    assert np.bincount(of, fine.areas) == pytest.approx(solid.areas)
    assert np.allclose(fine.normals, solid.normals[of])
