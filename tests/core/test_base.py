"""Sitting flat, steadiness, fitting the bed, and the conventions of turning."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from shapely.geometry import Polygon

from deft_slab.core.errors import BadPlan
from deft_slab.core.figures.base_area import fit, outline, steadiness
from deft_slab.core.figures.overhang import hard_rule, overhang_angles, soft_rule
from deft_slab.core.figures.piece_figures import measure, seat
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.geometry.place_on_bed import down_to_rotation, unit
from deft_slab.core.mesh.solid import Solid
from tests.shapes import box, cone, joined, solid_of, sphere

UP = np.eye(3)
directions = st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.05)


def test_box_by_hand():
    """Statics: a 20 x 30 x 40 box is steady by half its width, tips at atan(10 / 20)."""
    found = measure(solid_of(box(20, 30, 40)), UP).figures
    assert found.base_area_mm2 == pytest.approx(600)
    assert found.steadiness_mm == pytest.approx(10)
    assert found.tipping_deg == pytest.approx(math.degrees(math.atan(10 / 20)))
    assert found.sits_flat
    assert found.size_mm == pytest.approx((20, 30, 40))
    assert found.volume_mm3 == pytest.approx(24_000)


def test_l_prism_by_hand():
    """An L of a foot 40 x 10 x 10 and a leg 10 x 10 x 50: centroid by moments."""
    foot, leg = 40 * 10 * 10, 10 * 10 * 40
    x = (foot * 20 + leg * 5) / (foot + leg)
    z = (foot * 5 + leg * 30) / (foot + leg)
    found = measure(joined(box(40, 10, 10), box(10, 10, 50)), UP).figures
    assert found.steadiness_mm == pytest.approx(min(x, 40 - x, 5))
    assert found.tipping_deg == pytest.approx(math.degrees(math.atan2(5, z)))


def test_leaning_tower_falls_over():
    tower = joined(box(10, 10, 10), box(40, 10, 10, at=(0, 0, 10)))
    found = measure(tower, UP).figures
    assert found.steadiness_mm == pytest.approx(-((1000 * 5 + 4000 * 20) / 5000 - 10))
    assert found.tipping_deg < 0
    assert not found.sits_flat


def test_what_stands_on_a_point_or_an_edge_does_not_sit_flat():
    for solid, down in ((cone(10, 30), (0, 0, 1)), (solid_of(box(20, 20, 20)), (0, 1, -1)), (sphere(20), (0, 0, -1))):
        found = measure(solid, down_to_rotation(unit(down))).figures
        assert not found.sits_flat
        assert found.steadiness_mm < 3.0


def test_bottom_that_only_looks_flat():
    """Common practice: a bottom rounded by more than a first layer touches in the middle only."""
    round_bottom = sphere(400.0, 6).manifold.trim_by_plane((0, 0, -1), 394.0)
    from deft_slab.core.mesh.solid import Solid

    found = measure(Solid.from_manifold(round_bottom, {}), UP)
    shadow = math.pi * (400**2 - 394**2)
    assert found.figures.base_area_mm2 < 0.06 * shadow


@given(directions)
def test_down_direction_turns_to_the_bed(direction):
    down = unit(direction)
    rotation = down_to_rotation(down)
    np.testing.assert_allclose(rotation @ down, [0, 0, -1], atol=1e-9)
    np.testing.assert_allclose(rotation @ rotation.T, np.eye(3), atol=1e-9)
    assert np.linalg.det(rotation) == pytest.approx(1)


@given(directions, st.floats(-360, 360), directions, st.floats(-360, 360))
def test_tilts_follow_scipys_rotations(axis_a, degrees_a, axis_b, degrees_b):
    """scipy.spatial.transform.Rotation as the outside reference for quaternions, order of turns and matrices."""
    ours = Tilt.turn(axis_b, degrees_b).after(Tilt.turn(axis_a, degrees_a))
    a = Rotation.from_rotvec(np.radians(degrees_a) * unit(axis_a))
    b = Rotation.from_rotvec(np.radians(degrees_b) * unit(axis_b))
    np.testing.assert_allclose(ours.rotation, (b * a).as_matrix(), atol=1e-9)
    np.testing.assert_allclose(Tilt.from_rotation(ours.rotation).rotation, ours.rotation, atol=1e-9)
    np.testing.assert_allclose(ours.rotation @ ours.down, [0, 0, -1], atol=1e-9)


def test_eighteen_steps_of_five_degrees_are_a_right_angle():
    """Common practice: people turn in steps of 5 degrees."""
    tilt = Tilt()
    for _ in range(18):
        tilt = Tilt.turn((1, 0, 0), 5).after(tilt)
    np.testing.assert_allclose(tilt.rotation, Tilt.turn((1, 0, 0), 90).rotation, atol=1e-12)


def test_overhang_angles_count_from_the_vertical():
    assert overhang_angles(np.array([0.0, -1.0, 1.0, -math.sqrt(0.5)])) == pytest.approx([0, 90, -90, 45])


def test_the_need_rises_over_one_degree_on_either_side_for_searches():
    """A wedge under each angle, with its lower side past, at and before the threshold; the bed side needs none."""
    for angle, soft, hard in ((43.9, 0, 0), (45.0, 0.5, 0), (45.5, 0.75, 1), (46.1, 1, 1), (80.0, 1, 1)):
        reach = 10 * math.tan(math.radians(angle))
        profile = np.array([[0, 0], [5, 0], [5 + reach, 10], [0, 10]], float)
        wedge = solid_of(trimesh.creation.extrude_polygon(Polygon(profile), 8))
        upright = wedge.vertices[:, [0, 2, 1]] * [1, 1, 1]
        solid = Solid(upright, wedge.triangles[:, ::-1])
        slope = solid.normals[:, 2] < -0.1
        for rule, expected in ((soft_rule(45.0), soft), (hard_rule(45.0), hard)):
            weight = seat(solid, UP, rule).weight
            rests = np.isclose(solid.vertices[solid.triangles][:, :, 2], 0).all(axis=1)
            assert weight[slope & ~rests] == pytest.approx(expected, abs=0.01)
            assert not weight[rests].any()


@pytest.mark.parametrize("direction", [(0, 0, 0), (math.nan, 0, 1), (1, 2), (math.inf, 0, 0)])
def test_a_direction_without_length_is_refused(direction):
    with pytest.raises(BadPlan, match="three numbers"):
        unit(direction)


def test_fits_by_turning(printer):
    """A bar of 290 mm fits a bed of 220 x 220 less 2 mm all round only across its corners."""
    long = solid_of(box(290, 8, 20))
    found = fit(long.vertices, printer)
    assert found.fits
    assert 30 < abs(found.yaw) < 60
    assert fit(solid_of(box(200, 200, 20)).vertices, printer).yaw == 0.0


def test_what_does_not_fit_says_by_how_much(printer):
    found = fit(solid_of(box(216 + 7, 216 + 7, 310)).vertices, printer)
    assert not found.fits
    assert found.over == pytest.approx((7, 7, 60), abs=0.01)
    assert "60.0 mm too high" in found.sentence()
    assert fit(solid_of(box(216, 216, 250)).vertices, printer).fits


@given(st.lists(st.tuples(st.floats(-50, 50), st.floats(-50, 50)), min_size=1, max_size=12))
def test_outline_agrees_with_shapely(points):
    from shapely import MultiPoint, Point

    hull = outline(np.array(points))
    reference = MultiPoint(points).convex_hull
    if reference.geom_type == "Polygon" and reference.area > 1e-3:
        from shapely import Polygon

        assert Polygon(hull).area == pytest.approx(reference.area, rel=1e-6)
        inside = np.array(reference.centroid.coords[0])
        assert steadiness(inside, hull) == pytest.approx(Point(inside).distance(reference.exterior), abs=1e-6)
    assert steadiness(np.array([1000.0, 0.0]), hull) < 0


def test_centre_of_mass_agrees_with_trimesh():
    solid = joined(box(40, 10, 10), box(10, 10, 50), box(10, 30, 5))
    mesh = trimesh.Trimesh(solid.vertices, solid.triangles)
    np.testing.assert_allclose(solid.centre_of_mass, mesh.center_mass, atol=1e-6)
    assert solid.volume == pytest.approx(mesh.volume)
