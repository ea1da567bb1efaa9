"""Surfaces that touch themselves along edges: cut, and written, without a mm3 lost."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis.extra.numpy import arrays
from scipy import ndimage

from deft_slab.core.cuts import StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.geometry.bodies import fragments
from deft_slab.core.mesh.edges import edge_numbers
from deft_slab.core.mesh.non_manifold import unpinched
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer

_SQUARE = ((0, 0), (1, 0), (1, 1), (0, 1))
_FACES = {
    (axis, way): [
        np.insert(np.array(corner), axis, (way + 1) // 2)
        for corner in (_SQUARE if (way > 0) != (axis == 1) else _SQUARE[::-1])
    ]
    for axis in range(3)
    for way in (-1, 1)
}
"""Corners of the sides of a unit cube, counter-clockwise seen from outside."""


def of_cubes(filled):
    """The surface of unit cubes, corners at one place joined: diagonal ones share edges of four facets."""
    around = np.pad(filled, 1)
    corners, triangles = [], []
    for cube in np.argwhere(filled):
        for (axis, way), face in _FACES.items():
            beside = cube + 1
            beside[axis] += way
            if not around[tuple(beside)]:
                n = len(corners)
                corners += [cube + corner for corner in face]
                triangles += [(n, n + 1, n + 2), (n, n + 2, n + 3)]
    places, number = np.unique(np.array(corners), axis=0, return_inverse=True)
    return Solid(places.astype(float), number.reshape(-1)[np.array(triangles)].astype(np.int32))


def uses(triangles, count):
    return np.unique(np.unique(edge_numbers(triangles, count)[0], return_counts=True)[1]).tolist()


grids = arrays(np.bool_, (3, 3, 3)).filter(lambda filled: filled.any())


@settings(max_examples=60, deadline=None)
@given(grids)
def test_each_edge_gets_two_facets_and_nothing_moves(filled):
    solid = of_cubes(filled)
    assert solid.volume == pytest.approx(filled.sum())
    vertices, triangles = unpinched(solid.vertices, solid.triangles)
    assert uses(triangles, len(vertices)) == [2]
    np.testing.assert_array_equal(vertices[triangles], solid.vertices[solid.triangles])
    mesh = trimesh.Trimesh(vertices, triangles, process=False)
    assert mesh.is_watertight
    assert mesh.is_winding_consistent


@settings(max_examples=60, deadline=None)
@given(grids)
def test_the_boolean_library_has_all_of_it(filled):
    """Cubes that meet in an edge or a corner alone do not hang together; scipy labels those that share a side."""
    solid = of_cubes(filled)
    assert solid.manifold.volume() == pytest.approx(filled.sum(), rel=1e-12)
    outer = [part for part in fragments(solid.manifold) if part.volume() > 0]
    assert len(outer) == ndimage.label(filled)[1]


def test_a_cut_loses_nothing_of_two_bars_that_touch_along_an_edge(tmp_path):
    filled = np.zeros((2, 2, 8), np.bool_)
    filled[0, 0] = filled[1, 1] = True
    bars = of_cubes(filled).resized(np.full(3, 5.0))
    assert bars.defects.pinched == 8
    assert uses(bars.triangles, len(bars.vertices)) == [2, 4]
    model = Model("Bars", bars, 1e-6)
    cut = StraightCut(id="c1", name="Cut", normal=(0.2, 0.1, 1.0), offset=19.0)
    outcome = Evaluator(model).evaluate(Plan(model=model.ref).with_cut(cut), default_printer(), detail="figures")
    assert len(outcome.pieces) == 4
    assert outcome.lost_share == pytest.approx(0.0, abs=1e-12)
    for ending in ("stl", "obj", "3mf"):
        path = tmp_path / f"bars.{ending}"
        write_solid(bars, "bars", path)
        read = trimesh.load(path, force="mesh")
        assert read.is_watertight
        assert read.volume == pytest.approx(bars.volume, rel=1e-5)
