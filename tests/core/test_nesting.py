"""Nesting: gaps by shapely's own distances, known packings, bounds by area; and pieces on beds by their footprints."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_slab.core.errors import Cancelled
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import BedSearch, lay_out
from deft_slab.core.exporting.layout import collisions, kept_as
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.importing.readers import open_file
from deft_slab.core.packing.footprint import footprint
from deft_slab.core.packing.nest import least_sheets, nested
from deft_slab.core.packing.shapes import Lies, Shape, Sheet
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.core.progress import Job
from deft_slab.demo import MODELS
from tests.shapes import box, bundled, model_of, solid_of, tube

QUARTERS = (0.0, 90.0, 180.0, 270.0)
AROUND = tuple(22.5 * n for n in range(16))


def polygon(*rings) -> shapely.MultiPolygon:
    return shapely.MultiPolygon([shapely.Polygon(ring) for ring in rings])


def rectangle(wide: float, deep: float) -> shapely.MultiPolygon:
    return shapely.MultiPolygon([shapely.box(0, 0, wide, deep)])


def star(radius: float, rng: np.random.Generator) -> shapely.MultiPolygon:
    """An outline with bays, as the shadows of props have them."""
    angles = np.sort(rng.uniform(0, 2 * np.pi, int(rng.integers(5, 40))))
    reach = radius * rng.uniform(0.4, 1.3, len(angles))
    ring = np.column_stack([reach * np.cos(angles), reach * np.sin(angles)])
    shape = shapely.Polygon(ring).buffer(1.0)
    return shapely.MultiPolygon([one for one in shapely.get_parts(shape) if one.geom_type == "Polygon"])


def as_laid(shapes, found) -> list[shapely.MultiPolygon]:
    """Where the shapes lie on their sheets, by shapely alone."""
    placed = []
    for shape, lies in zip(shapes, found.places, strict=True):
        turned = shapely.affinity.rotate(shape.outline, lies.turn, origin=(0, 0))
        x, y, _, _ = turned.bounds
        placed.append(shapely.affinity.translate(turned, lies.x - x, lies.y - y))
    return placed


def assert_apart(shapes, found, sheet: Sheet, gap: float) -> None:
    placed = as_laid(shapes, found)
    for n, one in enumerate(placed):
        if found.places[n].outside:
            assert sum(lies.sheet == found.places[n].sheet for lies in found.places) == 1
            continue
        x0, y0, x1, y1 = one.bounds
        assert x0 >= -1e-6
        assert y0 >= -1e-6
        assert x1 <= sheet.wide + 1e-6
        assert y1 <= sheet.deep + 1e-6
        for other in range(n):
            if found.places[other].sheet == found.places[n].sheet:
                assert one.distance(placed[other]) >= gap


@settings(max_examples=25)
@given(st.integers(0, 2**20), st.integers(1, 25), st.floats(0, 10), st.sampled_from([0, 3]))
def test_shapes_are_always_a_gap_apart(seed, count, gap, rounds):
    rng = np.random.default_rng(seed)
    shapes = [Shape(star(float(rng.uniform(3, 70)), rng), AROUND[: int(rng.integers(1, 16))]) for _ in range(count)]
    sheet = Sheet(130.0, 90.0)
    found = nested(shapes, sheet, gap, rounds=rounds, seed=seed)
    assert_apart(shapes, found, sheet, gap)
    assert found.sheets == 1 + max(lies.sheet for lies in found.places)
    assert found.sheets >= least_sheets(shapes, sheet, gap)


def test_known_packings():
    """Four squares that fill a sheet, gaps included; two L that make a square; what goes into a ring."""
    four = [Shape(rectangle(48, 48))] * 4
    assert nested(four, Sheet(100, 100), 4.0).sheets == 1
    assert nested([*four, Shape(rectangle(4, 4))], Sheet(100, 100), 4.0).sheets == 2
    assert least_sheets([*four, Shape(rectangle(4, 4))], Sheet(100, 100), 4.0) == 2
    # 14 of 15 cells of 30 x 18 on a sheet of 94 x 94: three across, five deep, one left free
    cells = [Shape(rectangle(28, 15), QUARTERS)] * 15
    assert nested(cells, Sheet(92, 91), 4.0).sheets == 1
    # an L of arms 20 wide and 60 long: two of them interlock on 84 x 64
    ell = polygon([(0, 0), (60, 0), (60, 20), (20, 20), (20, 60), (0, 60)])
    assert nested([Shape(ell, QUARTERS)] * 2, Sheet(86, 62), 2.0).sheets == 1
    assert nested([Shape(ell)] * 2, Sheet(86, 62), 2.0).sheets == 2  # not without turning
    ring = shapely.MultiPolygon([shapely.Point(0, 0).buffer(45) - shapely.Point(0, 0).buffer(30)])
    inside = [Shape(ring), Shape(rectangle(36, 36))]
    assert nested(inside, Sheet(92, 92), 3.0).sheets == 1


def test_more_orders_are_never_worse_and_the_same_every_time():
    rng = np.random.default_rng(3)
    shapes = [Shape(star(float(rng.uniform(8, 40)), rng), AROUND) for _ in range(20)]
    sheet = Sheet(120.0, 120.0)
    once = nested(shapes, sheet, 3.0)
    better = nested(shapes, sheet, 3.0, rounds=15)
    assert better.cost <= nested(shapes, sheet, 3.0, rounds=5).cost <= once.cost
    assert nested(shapes, sheet, 3.0, rounds=15).places == better.places
    with pytest.raises(Cancelled):
        nested(shapes, sheet, 3.0, rounds=15, job=Job(unwanted=lambda: True))


def test_what_is_fixed_or_kept_free_is_laid_around():
    shapes = [Shape(rectangle(40, 30), fixed=Lies(0, 0.0, 30.3, 20.7)), *[Shape(rectangle(25, 25))] * 5]
    sheet = Sheet(100.0, 100.0, kept=((0.0, 60.0, 100.0, 40.0),))
    found = nested(shapes, sheet, 3.0)
    assert found.places[0] == shapes[0].fixed
    assert_apart(shapes, found, sheet, 3.0 - 1e-9)
    kept = shapely.box(0, 60, 100, 100)
    for one, lies in zip(as_laid(shapes, found), found.places, strict=True):
        assert one.distance(kept) > 0 or lies.sheet > 0
    # a sheet of which nothing is left
    none = nested([Shape(rectangle(25, 25))], Sheet(100.0, 100.0, kept=((0.0, 0.0, 100.0, 100.0),)), 3.0)
    assert none.places[0].outside


def test_groups_have_sheets_of_their_own():
    found = nested([Shape(rectangle(10, 10), group=n % 2) for n in range(6)], Sheet(100.0, 100.0), 3.0)
    assert [lies.sheet for lies in found.places] in ([0, 1, 0, 1, 0, 1], [1, 0, 1, 0, 1, 0])


def test_an_endless_sheet_takes_all():
    rng = np.random.default_rng(5)
    shapes = [Shape(star(float(rng.uniform(8, 40)), rng), AROUND) for _ in range(30)]
    sheet = Sheet(150.0, math.inf)
    found = nested(shapes, sheet, 4.0)
    assert found.sheets == 1
    assert_apart(shapes, found, sheet, 4.0)
    assert found.fill < sum(shape.outline.bounds[3] - shape.outline.bounds[1] for shape in shapes)


# footprints


def test_a_footprint_is_the_shadow():
    """Against the union of all triangles as shapely has it, on a prop and on a ring, in any turn."""
    turn = Tilt.turn((1.0, 2.0, 0.5), 40.0).rotation
    for solid in (bundled("ant.ply"), tube(20, 28, 5, 64)):
        for rotation in (np.eye(3), turn):
            flat = (solid.vertices @ rotation[:2].T)[solid.triangles]
            areas = shapely.area(shapely.polygons(flat))
            wanted = shapely.union_all(shapely.polygons(flat[areas > 1e-9]), grid_size=1e-6)
            shadow = footprint(solid, rotation)
            assert shadow.area == pytest.approx(wanted.area, rel=1e-4)
            assert shadow.symmetric_difference(wanted).area < 1e-3 * wanted.area
    assert footprint(tube(20, 28, 5, 64), np.eye(3)).area == pytest.approx(math.pi * (28**2 - 20**2), rel=0.01)


def test_an_open_surface_has_the_shadow_of_its_hull():
    mesh = box(20, 10, 5)
    open_ = solid_of(trimesh.Trimesh(mesh.vertices, mesh.faces[1:], process=False))
    assert footprint(open_, np.eye(3)).area == pytest.approx(200.0)


# pieces on beds


def seated(solid, **what):
    model = model_of(solid)
    plan = Plan(model=model.ref, **what)
    return Evaluator(model).evaluate(plan, default_printer(), detail="figures").pieces


@pytest.mark.parametrize("printer", [default_printer(), shipped_printers()["belt"]])
@pytest.mark.parametrize("rounds", [0, 2])
def test_copies_of_a_prop_lie_on_their_beds(printer, rounds):
    pieces = seated(bundled("ant.ply"))
    laid = lay_out(pieces, printer, 9, rounds=rounds)
    assert len(laid) == 9
    assert not collisions(laid, printer)
    assert 1 + max(one.bed for one in laid) >= BedSearch(pieces, printer, 9).least
    for one in laid:
        points = one.placed(pieces[0].solid.vertices)
        assert points[:, 2].min() == pytest.approx(0.0, abs=1e-9)
        own = points[:, :2] - [one.bed_x, 0]
        assert one.outline.bounds == pytest.approx((*own.min(axis=0), *own.max(axis=0)), abs=1e-6)


def test_an_endless_axis_may_be_either_one():
    belt = shipped_printers()["belt"]
    across = belt.changed(endless="x" if belt.endless == "y" else "y", bed_x=belt.bed_y, bed_y=belt.bed_x)
    pieces = seated(bundled("ant.ply"))
    along = {}
    for printer in (belt, across):
        laid = lay_out(pieces, printer, 5)
        assert not collisions(laid, printer)
        ends = np.array([one.outline.bounds for one in laid])
        along[printer.endless] = float(ends[:, 3 if printer.endless == "y" else 2].max())
    assert along["x"] == pytest.approx(along["y"], abs=30.0)


def test_where_pieces_lie_is_kept_and_found_again():
    printer = default_printer()
    pieces = seated(solid_of(box(60, 40, 20)))
    laid = lay_out(pieces, printer, 3)
    kept = kept_as(pieces, laid)
    again = lay_out(pieces, printer, 3, lying=kept)
    for one, other in zip(laid, again, strict=True):
        assert one.placed(pieces[0].solid.vertices) == pytest.approx(other.placed(pieces[0].solid.vertices), abs=1e-3)
    # one that was moved by hand stays, and the others are laid around it
    own = kept[1].model_copy(update={"x": 100.0, "y": 100.0, "turn": 30.0, "by_hand": True})
    moved = lay_out(pieces, printer, 3, lying=(own,))
    assert not collisions(moved, printer)
    assert moved[1].outline.bounds[:2] == pytest.approx((100.0, 100.0))
    assert moved[1].turn == 30.0
    # two on one place are told of, and one that leaves the bed
    far = kept[2].model_copy(update={"x": 100.0, "y": 100.0, "by_hand": True})
    assert collisions(lay_out(pieces, printer, 3, lying=(own, far)), printer) == [(1, 2)]
    out = kept[2].model_copy(update={"x": -30.0})
    assert (2, 2) in collisions(lay_out(pieces, printer, 3, lying=(out,)), printer)


def test_kept_free_room_of_a_bed():
    printer = default_printer().changed(kept_free=((0.0, 0.0, 220.0, 160.0),))
    pieces = seated(solid_of(box(60, 40, 20)))
    laid = lay_out(pieces, printer, 6)
    assert not collisions(laid, printer)
    assert min(one.outline.bounds[1] for one in laid) >= 160
    assert 1 + max(one.bed for one in laid) > 1 == BedSearch(pieces, default_printer(), 6).least


def test_a_piece_larger_than_any_bed_is_alone_and_five_hundred_copies_are_laid():
    pieces = seated(solid_of(box(400, 40, 20)))
    laid = lay_out(pieces, default_printer(), 2)
    assert [one.bed for one in laid] == [0, 1]
    small = seated(solid_of(box(30, 20, 20)))
    many = lay_out(small, default_printer(), 500)
    beds = 1 + max(one.bed for one in many)
    # 34 x 24 each on 220 x 220 with the gaps: 6 x 9 at least
    assert math.ceil(500 * 30 * 20 / 216**2) <= beds <= math.ceil(500 / 54)
    assert beds >= BedSearch(small, default_printer(), 500).least
    assert not collisions(many, default_printer())


def test_a_lifted_piece_with_another_footprint_lies_as_it_sits():
    """The footprint is that of the seat, not of the model as it came."""
    piece = seated(open_file(MODELS["hook"]).model.solid)[0]
    shape = footprint(piece.solid, piece.seat.rotation)
    (laid,) = lay_out([replace(piece, lift=3.0)], default_printer())
    assert laid.outline.area == pytest.approx(shape.area)
    assert laid.placed(piece.solid.vertices)[:, 2].min() == pytest.approx(3.0)
