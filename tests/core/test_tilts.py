"""Finding a seat: closed forms, what is known of plain bodies, and what must always hold."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation, Slerp

from deft_slab.core.document.marks import Mark
from deft_slab.core.errors import Cancelled
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures import column_kernels, section_kernels
from deft_slab.core.figures.batch_figures import sketches
from deft_slab.core.figures.column_field import column_field
from deft_slab.core.figures.default_seats import around
from deft_slab.core.figures.exposure import spread_directions
from deft_slab.core.figures.overhang import LEVEL, hard_rule, soft_rule
from deft_slab.core.figures.overhang_regions import overhang_spots
from deft_slab.core.figures.piece_figures import layer_areas, measure, seat
from deft_slab.core.figures.print_time import layer_count, print_seconds
from deft_slab.core.geometry.orientation import Tilt, between
from deft_slab.core.geometry.place_on_bed import down_to_rotation, downs_to_rotations, seated_on, unit
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.core.progress import Job
from deft_slab.core.search.direction_figures import sweep
from deft_slab.core.search.seats import leaning, searched, seats_worth_trying
from deft_slab.core.search.weighing import PRESETS, Weights, blend, parts_of
from deft_slab.demo import MODELS
from tests.shapes import box, cone, joined, model_of, ring, solid_of, sphere, together

UP = np.eye(3)
TURN = Tilt.of(0.3, -0.5, 0.2, 0.8)
PRINTER = default_printer()
directions = st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.05)


def subject_of(solid: Solid, **plan):
    model = model_of(solid)
    return Evaluator(model).subject(Plan(model=model.ref, **plan), 0)


def cylinder(radius=15.0, height=40.0) -> Solid:
    return solid_of(trimesh.creation.cylinder(radius, height, sections=128))


def table() -> Solid:
    legs = [box(6, 6, 41, at=(x, y, 0)) for x in (0, 54) for y in (0, 34)]
    return joined(box(60, 40, 5, at=(0, 0, 40)), *legs)


# what is known of plain bodies


def test_no_direction_of_a_ball_differs():
    found = sweep(subject_of(sphere(30, 5)), spread_directions(60), PRINTER)
    for figure in (found.support_volume_mm3, found.overhang_area_mm2, found.largest_layer_mm2, found.print_seconds):
        assert np.ptp(figure) < 0.03 * figure.mean()


@pytest.mark.parametrize(
    ("solid", "downs"),
    [
        pytest.param(cylinder(), [(0, 0, 1), (0, 0, -1)], id="cylinder on either end"),
        pytest.param(cone(20, 15), [(0, 0, -1)], id="cone on its base"),
        pytest.param(solid_of(box(20, 30, 40)), [(0, 0, 1), (0, 0, -1), (1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0)],
                     id="box on any face"),
    ],
)
def test_the_best_of_a_plain_body_needs_no_support_and_sits_flat(solid, downs):
    seats, figures = seats_worth_trying(subject_of(solid), PRINTER, Weights(), None)
    best = min(seats, key=lambda one: one.figures.support_volume_mm3)
    assert best.figures.support_volume_mm3 == pytest.approx(0.0, abs=1e-6)
    flat = next(one for one in seats if one.figures.sits_flat)
    assert max(float(np.dot(flat.tilt.down, down)) for down in downs) > 1 - 1e-6
    assert flat.figures.support_volume_mm3 == pytest.approx(0.0, abs=1e-6)


def test_a_ring_lies_down():
    """Of all ways for a torus to sit, on its side is the least (its closed form is checked with the support)."""
    found = searched(subject_of(ring(30, 8)), PRINTER, Weights(support=100, clean=0, quick=0, steady=0))
    best = found.down[int(np.argmin(found.support_volume_mm3))]
    assert abs(best[2]) > math.cos(math.radians(12))


def test_an_l_prism_is_steady_by_hand():
    """Two boxes, 30 x 10 x 10 and 10 x 10 x 20 on it: centre of mass at x = (15 * 3 + 5 * 2) / 5 = 11 and
    z = (5 * 3 + 20 * 2) / 5 = 11; the nearest edge is the front one, 5 mm away; it tips at atan(5 / 11).
    """
    solid = joined(box(30, 10, 10), box(10, 10, 20, at=(0, 0, 10)))
    found = measure(solid, UP).figures
    assert found.steadiness_mm == pytest.approx(5.0)
    assert found.tipping_deg == pytest.approx(math.degrees(math.atan2(5, 11)))
    assert found.base_area_mm2 == pytest.approx(300)


def test_turning_between_seats_is_scipys_slerp():
    start, end = Tilt.turn((1, 2, 0.5), 30), Tilt.turn((0.3, -1, 1), 170)
    known = Slerp([0, 1], Rotation.from_quat([[t.x, t.y, t.z, t.w] for t in (start, end)]))
    for share in (0.0, 0.3, 0.5, 1.0):
        np.testing.assert_allclose(between(start, end, share).rotation, known(share).as_matrix(), atol=1e-9)
    assert between(start, start, 0.5) == start


# layers, time


def test_layers_of_a_ball_and_a_cone():
    """Areas of sections: pi (R^2 - z^2) of a ball, pi (r (1 - z/h))^2 of a cone (geometry handbooks); by Cavalieri they
    add up to the volume.
    """
    for solid, area in (
        (sphere(20, 6), lambda z: math.pi * (400 - (z - 20) ** 2)),
        (cone(20, 40), lambda z: math.pi * (20 * (1 - z / 40)) ** 2),
    ):
        areas = layer_areas(solid, seat(solid, UP, hard_rule(45)), 0.5, 80)
        middles = (np.arange(80) + 0.5) * 0.5
        np.testing.assert_allclose(areas, [area(z) for z in middles], atol=0.001 * areas.max())
        assert areas.sum() * 0.5 == pytest.approx(solid.volume, rel=0.001)


@pytest.mark.parametrize(("size", "layer"), [((200, 1, 50), 200.0), ((0.8, 200, 20), 160.0), ((30, 20, 0.08), 600.0)])
def test_thin_plates_have_the_area_that_they_have(size, layer):
    """Also one that stands, and one that is lower than half a layer."""
    found = measure(solid_of(box(*size)), UP).figures
    assert found.largest_layer_mm2 == pytest.approx(layer, rel=1e-9)
    assert found.projected_area_mm2 == pytest.approx(size[0] * size[1], rel=1e-9)
    assert found.layer_growth_mm2 == pytest.approx(0, abs=1e-6)
    turned = Solid(solid_of(box(*size)).vertices @ TURN.rotation.T, solid_of(box(*size)).triangles)
    assert measure(turned, TURN.rotation.T).figures.largest_layer_mm2 == pytest.approx(layer, rel=1e-6)


@pytest.mark.parametrize("name", ["hook", "lantern"])
def test_layers_and_shadow_are_those_of_the_boolean_library(name):
    """Real sections and the real outline from above, by manifold3d; also of a hollow model with windows."""
    solid = open_file(MODELS[name]).model.solid
    rotation = down_to_rotation(unit((0.3, -0.5, -0.8)))
    seated = seat(solid, rotation, hard_rule(45))
    found = measure(solid, rotation)
    body = Solid(seated.vertices, solid.triangles).manifold
    height = default_printer().layer_height
    for layer in range(3, len(found.layers), len(found.layers) // 7):
        assert found.layers[layer] == pytest.approx(body.slice((layer + 0.5) * height).area(), rel=1e-6)
    assert found.figures.projected_area_mm2 == pytest.approx(body.project().area(), rel=5e-4)


def test_sections_of_skins_that_enclose_something_twice_count_it_once():
    overlapping = together(box(20, 20, 20), box(20, 20, 20, at=(10, 0, 0)))
    found = measure(overlapping, UP).figures
    assert found.largest_layer_mm2 == pytest.approx(600, rel=0.02)
    touching = together(box(20, 20, 20), box(20, 20, 20, at=(20, 0, 0)))
    assert measure(touching, UP).figures.largest_layer_mm2 == pytest.approx(800, rel=1e-9)


def test_section_kernels_compiled_and_plain_agree():
    solid = table()
    seated = seat(solid, down_to_rotation(unit((0.3, 0.2, -0.8))), hard_rule(45))
    vertices, heights = seated.vertices, np.ascontiguousarray(seated.vertices[:, 2])
    everything = np.ones(len(solid.triangles), np.bool_)
    columns = column_field(vertices, solid.triangles, 60)
    for kernel, with_ in (
        (section_kernels.section_areas, (heights, solid.triangles, seated.normals_z * solid.areas, 0.0, 0.7, 50, 34.8)),
        (section_kernels.shadow_area, (vertices, solid.triangles, everything, float(vertices[:, 1].min()), 0.5, 80)),
        (section_kernels.doubled_share, (columns.start, columns.heights, columns.facets)),
    ):
        np.testing.assert_allclose(kernel(*with_), kernel.py_func(*with_))


def test_a_mushroom_grows_suddenly():
    """A cap 40 x 40 on a stem 10 x 10: the largest layer is the cap, and it grows by the difference at once."""
    solid = joined(box(10, 10, 20, at=(15, 15, 0)), box(40, 40, 10, at=(0, 0, 20)))
    found = measure(solid, UP).figures
    assert found.largest_layer_mm2 == pytest.approx(1600, rel=0.02)
    assert found.layer_growth_mm2 == pytest.approx(1500, rel=0.02)
    assert found.level_underside_mm2 == pytest.approx(1500)
    assert found.layers == 150


def test_resin_takes_as_long_as_its_layers():
    """Common practice: 747 layers of 0.05 mm are 37.35 mm and take about 2 h, 9.6 s a layer, however many copies."""
    resin = shipped_printers()["small-resin"].changed(layer_heights=(0.05,), bottom_layers=0)
    assert layer_count(37.35, resin) == 747
    assert print_seconds(resin, 37.35, 1e3, 1e3, 0.0) == pytest.approx(747 * 9.6)
    assert print_seconds(resin, 37.35, 4e3, 4e3, 9e9) == pytest.approx(2 * 3600, rel=0.01)


def test_filament_lays_walls_and_infill():
    """A cylinder by hand: 2 pi r of wall in each of h / t layers, three lines each; the rest filled to 15 %."""
    radius, height = 15.0, 40.0
    solid = cylinder(radius, height)
    walls = 3 * 2 * math.pi * radius * height * 0.4
    laid = walls + 0.15 * (solid.volume - walls)
    expected = laid / (0.2 * 0.4) / 65 + 200 * 3
    assert measure(solid, UP).figures.print_seconds == pytest.approx(expected, rel=0.005)


@pytest.mark.parametrize(("height", "thickness", "layers"), [(75, 0.175, 429), (37.5, 0.175, 215)])
def test_layers_are_counted_up(height, thickness, layers):
    """Common practice: 75 mm at 0.175 mm are 429 layers, half of it 215."""
    assert layer_count(height, PRINTER.changed(layer_heights=(thickness,))) == layers


# lifted, held, kept clear


def test_a_lifted_box_stands_on_its_shadow():
    found = measure(solid_of(box(20, 30, 40)), UP, lift=5.0).figures
    assert found.support_volume_mm3 == pytest.approx(20 * 30 * 5)
    assert found.height_mm == pytest.approx(45)
    assert found.base_area_mm2 == 0
    assert not found.sits_flat
    assert found.layers == 225


def test_the_lift_is_kept_through_pieces_beds_and_fit():
    model = model_of(solid_of(box(20, 30, 240)))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, lift=15.0), PRINTER)
    (piece,) = outcome.pieces
    assert piece.lift == 15
    assert piece.fit.over[2] == pytest.approx(5.0)
    assert piece.skin[0][:, 2].max() == pytest.approx(15.0, abs=0.01)


def test_a_clear_spot_is_left_in_the_air_and_a_hold_spot_is_held():
    solid = table()
    model = model_of(solid)
    under = Mark(meaning="clear", shape="box", places=((30, 20, 40),), half=(40, 40, 1))
    found = Evaluator(model).evaluate(Plan(model=model.ref, marks=(under,)), PRINTER)
    figures = found.pieces[0].figures
    assert figures.support_volume_mm3 == pytest.approx(0, abs=1e-6)
    assert figures.unheld_area_mm2 == pytest.approx(60 * 40 - 4 * 36)
    assert figures.overhang_area_mm2 == pytest.approx(60 * 40 - 4 * 36)
    assert any("hang in the air" in note.says for note in found.notes)
    # a leaning wall of 30 degrees needs nothing until it is held
    profile = trimesh.creation.extrude_polygon(
        trimesh.path.polygons.Polygon([(0, 0), (20, 0), (20 + 40 * math.tan(math.radians(30)), 40), (0, 40)]), 10
    )
    wedge = solid_of(profile.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, [1, 0, 0])))
    model = model_of(wedge)
    plain = Evaluator(model).evaluate(Plan(model=model.ref), PRINTER).pieces[0].figures
    held = Mark(meaning="hold", shape="box", places=((40, -5, 20),), half=(25, 20, 30))
    figures = Evaluator(model).evaluate(Plan(model=model.ref, marks=(held,)), PRINTER).pieces[0].figures
    assert plain.support_volume_mm3 == 0
    # the triangle beside the wall: half its width times its height, 10 deep
    assert figures.support_volume_mm3 == pytest.approx(0.5 * 40 * 40 * math.tan(math.radians(30)) * 10, rel=0.01)
    assert figures.overhang_area_mm2 == 0


# spots


def test_spots_of_letters():
    """A table has one; a T has two, equal; a C's lies over itself."""
    found = measure(table(), UP)
    (spot,) = overhang_spots(table(), found, None)
    assert spot.area == pytest.approx(60 * 40 - 4 * 36)
    assert spot.gap == pytest.approx(40)
    assert spot.past == pytest.approx(45)
    assert not spot.on_piece
    tee = joined(box(10, 10, 40), box(50, 10, 10, at=(-20, 0, 30)))
    spots = overhang_spots(tee, measure(tee, UP), None)
    assert [one.area for one in spots] == pytest.approx([200, 200])
    see = joined(box(10, 10, 50), box(40, 10, 10), box(30, 10, 10, at=(0, 0, 40)))
    show = np.zeros(len(see.triangles), np.bool_)
    (spot,) = overhang_spots(see, measure(see, UP), show)
    assert spot.on_piece
    assert spot.gap == pytest.approx(30, rel=0.02)
    assert not spot.on_show
    show[spot.facets[0]] = True
    assert overhang_spots(see, measure(see, UP), show)[0].on_show
    assert overhang_spots(solid_of(box(5, 5, 5)), measure(solid_of(box(5, 5, 5)), UP), None) == ()


def test_spots_add_up_to_the_overhang():
    solid = open_file(MODELS["hook"]).model.solid
    found = measure(solid, UP)
    spots = overhang_spots(solid, found, None)
    assert sum(one.area for one in spots) == pytest.approx(found.figures.overhang_area_mm2, rel=0.01)
    assert [one.area for one in spots] == sorted((one.area for one in spots), reverse=True)


# the search


def test_the_stand_in_tells_what_the_whole_mesh_tells():
    model = open_file(MODELS["gull"]).model
    subject = Evaluator(model).subject(Plan(model=model.ref), 0)
    assert len(subject.light.triangles) == pytest.approx(12_000, rel=0.02)
    light = sweep(subject, spread_directions(12), PRINTER)
    for n, down in enumerate(light.down):
        full = sketches(subject.solid, down_to_rotation(down)[None], 45.0, 256)
        assert light.support_volume_mm3[n] == pytest.approx(full.support_volume_mm3[0], rel=0.04)
        assert light.print_seconds[n] == pytest.approx(full.print_seconds[0], rel=0.04)


def test_the_search_finds_what_trying_everything_finds():
    """Within 5 % of the best of 600 directions, on the same stand-in; the bench does it with 20,000."""
    model = open_file(MODELS["hook"]).model
    subject = Evaluator(model).subject(Plan(model=model.ref), 0)
    with ThreadPoolExecutor(2) as pool:
        found = searched(subject, PRINTER, Weights(), spread=pool.map)
        everything = sweep(subject, spread_directions(600), PRINTER, spread=pool.map)
    assert found.support_volume_mm3.min() <= 1.05 * everything.support_volume_mm3.min()


def test_seats_are_apart_measured_and_sorted():
    model = open_file(MODELS["gull"]).model
    subject = Evaluator(model).subject(Plan(model=model.ref), 0)
    weights = PRESETS["filament"]
    seats, figures = seats_worth_trying(subject, PRINTER, weights, None)
    assert 5 <= len(seats) <= 8
    assert [one.score for one in seats] == sorted(one.score for one in seats)
    downs = np.array([one.tilt.down for one in seats])
    assert (downs @ downs.T)[~np.eye(len(seats), dtype=bool)].max() < math.cos(math.radians(18)) + 1e-9
    assert any(one.figures.sits_flat for one in seats)
    again = measure(subject.solid, seats[0].tilt.rotation, printer=PRINTER).figures
    assert seats[0].figures.support_volume_mm3 == pytest.approx(again.support_volume_mm3)
    assert len(figures) > 600


def test_a_seat_says_whether_it_fits_and_one_that_does_is_among_them():
    """A pole with a foot, longer than the bed: it stands well and needs nothing, and fits only lying."""
    solid = joined(box(20, 20, 300), box(60, 60, 8, at=(-20, -20, 0)))
    low = PRINTER.model_copy(update={"bed_x": 400.0, "bed_y": 400.0, "height": 120.0})
    weights = Weights(support=100, clean=0, quick=0, steady=50)
    for printer, fit in ((PRINTER.model_copy(update={"bed_x": 400.0, "height": 400.0}), True), (low, False)):
        seats, _ = seats_worth_trying(subject_of(solid), printer, weights, None)
        assert seats[0].fit.fits == fit
        for one in seats:
            size = np.ptp(solid.vertices @ one.tilt.rotation.T, axis=0)
            if one.fit.fits:
                assert size[2] <= printer.height + 1e-6
            elif not fit:
                assert size[2] > printer.height - 1e-6
    assert any(one.fit.fits and "best that fits" in one.kind for one in seats)
    assert seats[0].fit.sentence() == "180.0 mm too high"


def test_threads_change_nothing():
    subject = subject_of(ring(20, 6, 60))
    plain = sweep(subject, spread_directions(40), PRINTER)
    with ThreadPoolExecutor(2) as pool:
        spread = sweep(subject, spread_directions(40), PRINTER, spread=pool.map)
    np.testing.assert_array_equal(plain.support_volume_mm3, spread.support_volume_mm3)


def test_a_head_leans_back_so_that_its_face_is_clean():
    """Common practice. A ball with a nose and a chin to the front; the face is marked as seen from there."""
    bumps = [trimesh.creation.icosphere(3, r).apply_translation(at) for r, at in ((6, (0, -30, 2)), (8, (0, -25, -16)))]
    solid = joined(trimesh.creation.icosphere(4, 30), *bumps)
    front = Mark(meaning="show", shape="ball", places=((0, -32, 0),), half=(22, 14, 26))
    subject = subject_of(solid, marks=(front,))
    seats, _ = seats_worth_trying(subject, PRINTER, Weights(clean=100, support=20, quick=0, steady=0), None)
    upright = measure(solid, UP, marks=subject.marks).figures
    best = seats[0]
    assert best.tilt.down[1] > 0.1  # the back of the head goes down
    assert best.figures.show_scar_mm2 < 0.2 * upright.show_scar_mm2
    assert upright.show_scar_mm2 > 50


def test_leaning_off_a_flat_seat_makes_smaller_layers():
    """A plate lying flat on a resin printer: the lean makes the largest layer much smaller, and costs support."""
    resin = shipped_printers()["large-resin"]
    ways = leaning(subject_of(solid_of(box(60, 40, 4))), resin, PRESETS["resin"], None, 5.0)
    as_now, lean, lifted, lifted_lean = (way.figures for way in ways)
    assert [way.lift for way in ways] == [0, 0, 5, 5]
    assert as_now.largest_layer_mm2 == pytest.approx(2400, rel=0.02)
    assert lean.largest_layer_mm2 < 0.5 * as_now.largest_layer_mm2
    assert lean.support_volume_mm3 > as_now.support_volume_mm3 == pytest.approx(0, abs=1e-6)
    assert lifted.support_volume_mm3 == pytest.approx(2400 * 5)
    assert lifted_lean.height_mm == pytest.approx(5 + lean.height_mm, rel=0.2)


def test_a_search_that_nobody_wants_stops():
    asked = []

    def unwanted():
        asked.append(1)
        return len(asked) > 3

    with pytest.raises(Cancelled):
        searched(subject_of(sphere(20, 3)), PRINTER, Weights(), Job(unwanted=unwanted))


@given(directions, st.floats(1, 60))
def test_directions_around_one_are_so_far_from_it(centre, degrees):
    centre = unit(centre)
    found = around(centre, degrees)
    np.testing.assert_allclose(found @ centre, math.cos(math.radians(degrees)), atol=1e-9)
    np.testing.assert_allclose(np.linalg.norm(found, axis=1), 1.0)


@settings(max_examples=20, deadline=None)
@given(directions)
def test_the_turn_to_a_direction_brings_it_down(down):
    subject = SUBJECT
    tilt = seated_on(subject.now, unit(down))
    assert tilt.down == pytest.approx(tuple(unit(down)), abs=1e-9)


SUBJECT = subject_of(table())


@given(st.integers(0, 100), st.integers(0, 100), st.floats(0.1, 10))
def test_a_blend_is_a_mean_of_its_parts(support, steady, factor):
    figures = FIGURES
    parts = parts_of(figures, has_show_faces=False)
    weights = Weights(support=support, clean=0, quick=0, steady=steady, small_layers=0)
    found = blend(parts, weights)
    low, high = np.minimum(parts["support"], parts["steady"]), np.maximum(parts["support"], parts["steady"])
    if support + steady:
        assert (found >= low - 1e-9).all()
        assert (found <= high + 1e-9).all()
    else:
        assert not found.any()
    assert np.median(parts["support"]) == pytest.approx(1.0)


FIGURES = sweep(SUBJECT, spread_directions(30), PRINTER)


def test_weighing_steadiness_brings_the_flat_seat_first():
    subject = subject_of(joined(box(30, 10, 10), box(10, 10, 50, at=(0, 0, 10))))
    steady, _ = seats_worth_trying(subject, PRINTER, Weights(support=0, clean=0, quick=0, steady=100), None)
    assert steady[0].figures.sits_flat
    assert steady[0].figures.tipping_deg == pytest.approx(max(one.figures.tipping_deg for one in steady), abs=12)


def test_weighing_kernels_compiled_and_plain_agree():
    solid = table()
    seated = seat(solid, down_to_rotation(unit((0.3, 0.2, -0.8))), soft_rule(45))
    nobody = np.zeros(len(solid.triangles), np.bool_)
    results = []
    for weigh in (column_kernels.weigh_facets, column_kernels.weigh_facets.py_func):
        weight = np.empty(len(solid.triangles))
        sums = weigh(np.ascontiguousarray(seated.vertices[:, 2]), solid.triangles, seated.normals_z, solid.areas,
                     *soft_rule(45), 0.2, False, LEVEL, nobody, nobody, nobody, weight)
        results.append((sums, weight))
    np.testing.assert_allclose(results[0][0], results[1][0])
    np.testing.assert_allclose(results[0][1], results[1][1])
    columns = column_field(seated.vertices, solid.triangles, 60)
    cells = [
        count(columns.start, columns.heights, columns.facets, 0.0, 1.0, 50)
        for count in (column_kernels.section_cells, column_kernels.section_cells.py_func)
    ]
    np.testing.assert_array_equal(*cells)


def test_many_directions_are_turned_down_as_one_is():
    """Also the one that points up already, and those next to it."""
    downs = np.concatenate([spread_directions(200), np.eye(3), -np.eye(3), [unit((1e-7, 0, 1))]])
    turned = downs_to_rotations(downs)
    np.testing.assert_allclose(turned, [down_to_rotation(down) for down in downs], atol=1e-12)
    np.testing.assert_allclose(
        np.einsum("kij,kj->ki", turned, downs), np.tile([0, 0, -1.0], (len(downs), 1)), atol=1e-9
    )
