"""Support volume and overhang area against closed forms, sums of boxes, and rays."""

from __future__ import annotations

import math

import manifold3d
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_slab.core.figures import column_kernels
from deft_slab.core.figures.column_field import column_field
from deft_slab.core.figures.exposure import exposure
from deft_slab.core.figures.piece_figures import measure
from deft_slab.core.figures.support_skin import support_skin
from deft_slab.core.geometry.place_on_bed import down_to_rotation, unit
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid
from deft_slab.demo import MODELS
from tests.shapes import (
    box,
    bundled,
    cone,
    hollow_ball,
    joined,
    ray_estimate,
    ring,
    solid_of,
    sphere,
    together,
    without_facets,
)

UP = np.eye(3)


def figures(solid, down=(0, 0, -1), **options):
    return measure(solid, down_to_rotation(unit(down)), **options).figures


def test_sphere_has_the_closed_form():
    """Spherical zone under 45 degrees (geometry handbooks; definitions.md), less what the bed tolerance takes off."""
    radius = 30.0
    a = radius * math.sin(math.pi / 4)
    volume = math.pi * a * a * radius - 2 / 3 * math.pi * (radius**3 - (radius**2 - a * a) ** 1.5)
    area = 2 * math.pi * radius**2 * (1 - math.cos(math.pi / 4))
    # the cap of height 0.2 mm rests on the bed: its area is 2 pi R h; the gap under it, V_cap of the same height
    rests_area = 2 * math.pi * radius * 0.2
    chord = 2 * radius * 0.2 - 0.2**2
    rests_volume = math.pi * chord * radius - 2 / 3 * math.pi * (radius**3 - (radius**2 - chord) ** 1.5)
    found = figures(sphere(radius, 7))
    assert found.support_volume_mm3 == pytest.approx(volume - rests_volume, rel=0.01)
    assert found.overhang_area_mm2 == pytest.approx(area - rests_area, rel=0.01)
    assert found.landing_area_mm2 == 0.0
    assert found.support_on_bed_mm3 == pytest.approx(found.support_volume_mm3)


def test_cone_on_its_tip():
    """A cone of half angle 60 degrees on its tip: all its side needs support; V = cylinder less cone."""
    radius, height = 30.0, 30.0 / math.tan(math.radians(60))
    found = figures(cone(radius, height, 512), down=(0, 0, 1))
    assert found.support_volume_mm3 == pytest.approx(2 / 3 * math.pi * radius**2 * height, rel=0.01)
    assert found.overhang_area_mm2 == pytest.approx(math.pi * radius * math.hypot(radius, height), rel=0.005)
    assert not found.sits_flat


def test_steep_cone_on_its_tip_needs_none():
    found = figures(cone(20.0, 40.0), down=(0, 0, 1))
    assert found.support_volume_mm3 == 0.0
    assert found.overhang_area_mm2 == 0.0


def test_lying_ring():
    """Torus on its side; Pappus' theorem for the surface of revolution of the strip steeper than 45 degrees."""
    major, minor = 30.0, 8.0
    # the strip from -45 to +45 degrees about straight down, gap r - r cos t, at radius R + r sin t
    t = np.linspace(-math.pi / 4, math.pi / 4, 200_001)
    gap = minor * (1 - np.cos(t))
    rests = gap <= 0.2
    wide = 2 * math.pi * (major + minor * np.sin(t)) * minor
    volume = np.trapezoid(np.where(rests, 0, gap * wide * np.cos(t)), t)
    area = np.trapezoid(np.where(rests, 0, wide), t)
    found = figures(ring(major, minor, 800))
    assert found.support_volume_mm3 == pytest.approx(volume, rel=0.015)
    assert found.overhang_area_mm2 == pytest.approx(area, rel=0.02)


def test_standing_ring_against_rays():
    solid = ring(30.0, 8.0, 240)
    expected, error = ray_estimate(solid, (1, 0, 0), 45.0, 200_000)
    found = figures(solid, down=(1, 0, 0))
    assert found.support_volume_mm3 == pytest.approx(expected, rel=0.01, abs=4 * error)
    assert found.support_on_piece_mm3 > 0.3 * found.support_volume_mm3


def test_table_on_four_legs():
    """Sum of boxes: the slab's underside less its legs, times the height of the legs."""
    legs = [box(6, 6, 41, at=(x, y, 0)) for x in (0, 54) for y in (0, 34)]
    found = figures(joined(box(60, 40, 5, at=(0, 0, 40)), *legs))
    assert found.support_volume_mm3 == pytest.approx((60 * 40 - 4 * 36) * 40, rel=1e-3)
    assert found.overhang_area_mm2 == pytest.approx(60 * 40 - 4 * 36, rel=1e-6)
    assert found.base_area_mm2 == pytest.approx(4 * 36, rel=1e-6)


@pytest.mark.parametrize(
    ("parts", "volume", "landing"),
    [
        pytest.param([box(10, 10, 40), box(50, 10, 10, at=(-20, 0, 30))], 40 * 10 * 30, 0.0, id="T"),
        pytest.param([box(10, 10, 40), box(40, 10, 10, at=(0, 0, 30))], 30 * 10 * 30, 0.0, id="L upside down"),
        pytest.param([box(10, 10, 50), box(40, 10, 10), box(30, 10, 10, at=(0, 0, 40))], 20 * 10 * 30, 20 * 10, id="C"),
    ],
)
def test_letters_from_boxes(parts, volume, landing):
    found = figures(joined(*parts))
    assert found.support_volume_mm3 == pytest.approx(volume, rel=0.01)
    assert found.landing_area_mm2 == pytest.approx(landing, rel=0.01, abs=1e-9)
    on_piece = volume if landing else 0.0
    assert found.support_on_piece_mm3 == pytest.approx(on_piece, rel=0.01, abs=1e-9)


def test_overlapping_and_touching_bodies_count_like_their_union():
    """Winding numbers: a stack that touches and a pair that overlaps hide each other's undersides."""
    stacked = [box(20, 20, 10), box(20, 20, 10, at=(0, 0, 10))]
    overlapping = [box(20, 20, 12), box(20, 20, 10, at=(0, 0, 8))]
    for bodies in (stacked, overlapping):
        assert figures(together(*bodies)).support_volume_mm3 == pytest.approx(0.0, abs=1e-6)
    bridge = [box(10, 10, 30), box(40, 10, 10, at=(-15, 0, 25))]
    apart, united = figures(together(*bridge)), figures(joined(*bridge))
    assert apart.support_volume_mm3 == pytest.approx(united.support_volume_mm3, rel=0.01)


def test_support_in_a_closed_cavity_is_inside():
    """A hollow ball: what stands in its void, and nothing else, can never be taken out."""
    solid = hollow_ball(30, 24)
    found = figures(solid, exposed=exposure(solid))
    outside = figures(sphere(30.0, 4))
    assert found.support_inside_mm3 == pytest.approx(found.support_volume_mm3 - outside.support_volume_mm3, rel=0.02)
    # full chords of the void over its ceiling past 45 degrees: twice the gap of the sphere's closed form
    a2 = (24 * math.sin(math.pi / 4)) ** 2
    assert found.support_inside_mm3 == pytest.approx(4 / 3 * math.pi * (24**3 - (24**2 - a2) ** 1.5), rel=0.02)
    assert found.volume_mm3 == pytest.approx(4 / 3 * math.pi * (30**3 - 24**3), rel=0.01)


def test_raising_the_limit_makes_less_support():
    """Common practice: a support limit of 70 degrees makes less than a smaller one; angles from the vertical."""
    solid = sphere(30.0)
    volumes = [figures(solid, threshold=limit).support_volume_mm3 for limit in (30, 45, 60, 70, 80)]
    assert volumes == sorted(volumes, reverse=True)
    assert volumes[-1] < 0.05 * volumes[0]


def test_slope_of_exactly_the_threshold_needs_nothing():
    corners = [[0, 0, 0], [0, 10, 0], [10, 0, 10], [10, 10, 10], [0, 0, 10], [0, 10, 10]]
    wedge = trimesh.Trimesh(corners).convex_hull
    assert wedge.is_volume
    found = figures(solid_of(wedge))
    assert found.overhang_area_mm2 == 0.0
    assert found.near_threshold_share > 0.05
    assert figures(solid_of(wedge), threshold=44.9).overhang_area_mm2 == pytest.approx(10 * math.hypot(10, 10))


@pytest.mark.parametrize("down", [(0, 0, -1), (0.3, -0.5, -0.8), (1, 0.2, 0.1)])
def test_bundled_mesh_against_rays(down):
    """The ant that ships in the pyvista wheel, its overlapping bodies united; embree's rays as the judge."""
    bodies = bundled("ant.ply").manifold.decompose()
    united = manifold3d.Manifold.batch_boolean(bodies, manifold3d.OpType.Add)
    solid = Solid.from_manifold(united, {})
    solid = Solid(solid.vertices * 150.0 / solid.size.max(), solid.triangles)
    expected, error = ray_estimate(solid, down, 45.0, 150_000)
    assert error < 0.005 * expected
    assert figures(solid, down=down).support_volume_mm3 == pytest.approx(expected, rel=0.01, abs=4 * error)


@pytest.mark.parametrize("key", sorted(MODELS))
def test_demo_models_against_rays(key):
    surface = open_file(MODELS[key]).model.solid
    solid = Solid(surface.vertices, surface.triangles)
    for down in ((0, 0, -1), (0.2, 0.9, -0.4)):
        expected, error = ray_estimate(solid, down, 45.0, 60_000)
        assert figures(solid, down=down).support_volume_mm3 == pytest.approx(expected, rel=0.01, abs=4 * error)


@settings(max_examples=25, deadline=None)
@given(st.floats(-180, 180), st.floats(-1, 1), st.floats(-1, 1))
def test_turning_about_the_vertical_changes_no_figure(yaw, x, y):
    solid = TABLE
    rotation = down_to_rotation(unit((x, y, -1.2)))
    turn = math.radians(yaw)
    about = np.array([[math.cos(turn), -math.sin(turn), 0], [math.sin(turn), math.cos(turn), 0], [0, 0, 1]])
    plain, turned = measure(solid, rotation).figures, measure(solid, about @ rotation).figures
    assert turned.support_volume_mm3 == pytest.approx(plain.support_volume_mm3, rel=0.02, abs=30)
    assert turned.overhang_area_mm2 == pytest.approx(plain.overhang_area_mm2, rel=1e-6)
    assert turned.base_area_mm2 == pytest.approx(plain.base_area_mm2, rel=1e-6, abs=1e-6)


TABLE = joined(box(60, 40, 5, at=(0, 0, 40)), *(box(6, 6, 41, at=(x, y, 0)) for x in (0, 54) for y in (0, 34)))


def test_columns_close_over_any_closed_surface():
    """Half-open edges: along each column the winding number returns to 0, with no edge counted twice."""
    for solid in (sphere(20.0, 4), TABLE, ring(20, 6), hollow_ball()):
        rotation = down_to_rotation(unit((0.3, 0.4, -0.7)))
        vertices = np.ascontiguousarray(solid.vertices @ rotation.T)
        columns = column_field(vertices, solid.triangles, 100)
        steps = np.where(columns.facets >= 0, -1, 1)
        ends = np.add.reduceat(np.r_[steps, 0], columns.start[:-1])[np.diff(columns.start) > 0]
        assert not ends.any()
        inside = np.diff(columns.heights)[steps[:-1] == 1]
        assert (inside >= 0).all()


def test_column_volume_is_the_volume():
    """Lengths inside the columns times the cell area, against trimesh's volume."""
    solid = ring(20, 6)
    columns = column_field(solid.vertices, solid.triangles, 256)
    sides = np.where(columns.facets >= 0, 1.0, -1.0)
    volume = float(sides @ columns.heights) * columns.cell**2
    assert volume == pytest.approx(trimesh.Trimesh(solid.vertices, solid.triangles).volume, rel=0.005)


def test_kernels_compiled_and_plain_agree():
    solid = sphere(10.0, 2)
    placed = column_kernels.to_grid(solid.vertices, -11.0, -11.0, 1.37)
    compiled = column_kernels.into_columns(*column_kernels.scan(placed, solid.triangles, 17, 17), 17 * 17)
    plain = column_kernels.into_columns.py_func(*column_kernels.scan.py_func(placed, solid.triangles, 17, 17), 17 * 17)
    for a, b in zip(compiled, plain, strict=True):
        np.testing.assert_allclose(a, b, rtol=0, atol=1e-12)


def test_open_surface_is_measured_as_far_as_can_be():
    solid = sphere(30.0, 4)
    opened = without_facets(solid, solid.normals[:, 2] > 0.97)
    found = figures(opened)
    assert not found.closed
    assert found.volume_mm3 is None
    assert found.support_volume_mm3 == pytest.approx(figures(solid).support_volume_mm3, rel=0.01)


def test_skin_surrounds_the_support():
    measured = measure(TABLE, UP, cells=120)
    vertices, triangles = support_skin(measured.columns, measured.floors)
    assert len(triangles)
    assert vertices[:, 2].min() == pytest.approx(0.0, abs=1e-9)
    assert vertices[:, 2].max() == pytest.approx(40.0, abs=0.01)
    floor = vertices[triangles][(vertices[triangles][:, :, 2] == 0).all(axis=1)]
    area = np.linalg.norm(np.cross(floor[:, 1] - floor[:, 0], floor[:, 2] - floor[:, 0]), axis=1).sum() / 2
    assert area == pytest.approx(60 * 40 - 4 * 36, rel=0.05)


def test_skin_is_empty_where_nothing_needs_support():
    measured = measure(solid_of(box(10, 10, 10)), UP)
    vertices, triangles = support_skin(measured.columns, measured.floors)
    assert len(vertices) == 0
    assert len(triangles) == 0
