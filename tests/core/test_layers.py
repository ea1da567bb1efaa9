"""Layers: exact sections, what begins in the air, what is closed in. Checked against trimesh, shapely, a raster by
scipy and handbook formulas.
"""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage
from shapely import Polygon

from deft_slab import cli
from deft_slab.core.cuts import StraightCut
from deft_slab.core.document.marks import LeftAlone, Mark
from deft_slab.core.errors import Cancelled
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.importing.readers import open_file
from deft_slab.core.inspection.findings import LayerTotals
from deft_slab.core.inspection.inspect import check
from deft_slab.core.layers.regions import regions_of
from deft_slab.core.layers.sections import Levels, Slicer, beginnings
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.core.progress import Job
from deft_slab.demo import MODELS
from tests.shapes import box, bundled, hollow_ball, joined, model_of, solid_of, sphere, together, tube

RESIN = shipped_printers()["small-resin"]


def on_bed(solid: Solid) -> np.ndarray:
    return solid.vertices - [0.0, 0.0, solid.bounds[0, 2]]


def looked_at(solid: Solid, printer=RESIN, layer: float | None = 0.2, **plan):
    """What is found of a body as it stands."""
    model = model_of(solid)
    whole = Plan(model=model.ref, **plan)
    (found,) = check(Evaluator(model), whole, printer, layer)
    return found


def comb(teeth: int, drop: float = 12.0) -> Solid:
    """A bar on two legs, with teeth that hang down from it and end 3 mm over the bed."""
    length = 10.0 * (teeth + 1) + 6
    bar = box(length, 8, 6, (0, 0, 15))
    legs = [box(3, 8, 16, (x, 0, 0)) for x in (0.0, length - 3.0)]
    return joined(bar, *legs, *(box(3, 3, drop + 1, (10.0 * n + 6, 2.5, 15.0 - drop)) for n in range(1, teeth + 1)))


# sections


@pytest.mark.parametrize("z", [0.05, 17.3, 60.0, 93.77, 120.4])
def test_sections_are_those_of_trimesh_and_shapely(z):
    solid = open_file(MODELS["gull"]).model.solid
    vertices = on_bed(solid)
    mesh = trimesh.Trimesh(vertices, solid.triangles, process=False)
    theirs = [Polygon(line[:, :2]) for line in mesh.section([0, 0, 1], [0, 0, z]).discrete]
    odd = Polygon()
    for polygon in theirs:
        odd = odd.symmetric_difference(polygon)
    ours = Slicer.of(solid, vertices).at(z)
    assert ours.areas.sum() == pytest.approx(odd.area, rel=1e-6)
    assert len(ours.areas) == len(theirs)
    assert np.abs(ours.areas) == pytest.approx([Polygon(line).area for line in ours.lines(0)], rel=1e-9)


def test_layers_of_a_figure_of_the_trade():
    """747 layers of 0.05 mm are 37.35 mm; layer 367 of them lies at 18.35 mm (common practice)."""
    levels = Levels(0.0, 0.05, 37.35)
    assert levels.count == 747
    assert levels.bottom(367) == pytest.approx(18.35)


def test_a_level_through_corners_and_flats_closes_all_lines():
    """A level at the very height of corners and of a flat top: nothing is met twice or lost."""
    solid = joined(box(20, 20, 10), box(6, 6, 10, (2, 2, 10)), box(4, 4, 10, (12, 12, 10)))
    slicer = Slicer.of(solid, solid.vertices)
    assert slicer.at(10.0).areas.sum() == pytest.approx(400.0)
    assert slicer.at(10.0 + 1e-9).areas.sum() == pytest.approx(36 + 16)
    assert slicer.at(0.0).areas.sum() == pytest.approx(0.0)


def test_memory_stays_flat_over_many_layers():
    """20 µm layers of a tall body come in runs."""
    solid = sphere(60.0, 4)
    slicer = Slicer.of(solid, on_bed(solid))
    levels = Levels(0.0, 0.002, 120.0)
    sizes = [(len(run), len(run.points)) for run in slicer.runs(levels.middles)]
    assert sum(count for count, _ in sizes) == levels.count == 60_000
    assert len(sizes) >= 3
    assert max(points for _, points in sizes) <= 3_100_000


# islands


@pytest.mark.parametrize("teeth", [1, 4, 9])
def test_each_tooth_of_a_comb_is_an_island(teeth):
    found = looked_at(comb(teeth))
    islands = found.unheld
    teeth_only = [one for one in islands if one.area == pytest.approx(9.0)]
    assert len(teeth_only) == teeth
    assert all(one.z == pytest.approx(3.0, abs=0.2) and one.meets for one in teeth_only)
    # 12 mm of 0.2 mm until they meet the bar, which begins in the air itself between them: it hangs on the legs
    assert {one.hangs for one in teeth_only} == {60}
    assert len(islands) == teeth


def test_a_table_has_none_and_stands_on_four():
    legs = [box(4, 4, 20, (x, y, 0)) for x in (0, 36) for y in (0, 26)]
    found = looked_at(joined(box(40, 30, 3, (0, 0, 20)), *legs))
    assert not found.islands
    (neck,) = found.necks
    assert neck.area == pytest.approx(64.0)
    assert neck.above == pytest.approx(1200.0)
    (jump,) = found.jumps
    assert jump.growth == pytest.approx(1200.0 - 64.0)
    assert jump.z == pytest.approx(20.0)


def test_an_upside_down_table_begins_four_times_when_lifted():
    legs = [box(4, 4, 20, (x, y, 0)) for x in (0, 36) for y in (0, 26)]
    found = looked_at(joined(box(40, 30, 3, (0, 0, 20)), *legs), lift=5.0)
    # three legs meet the one that the rest hangs by
    assert [(one.hangs, one.meets) for one in found.unheld] == [(115, False), *[(100, True)] * 3]
    assert all(one.z == pytest.approx(5.0) for one in found.unheld)


def test_a_spiral_stair_hangs_by_its_post():
    """Steps that stand out of a post: none begins alone. Balls on their tips, hanging a little lower: each does."""
    post = trimesh.creation.cylinder(4.0, 60.0, sections=48)
    post.apply_translation([0, 0, 30])
    steps, balls = [], []
    for n in range(8):
        turn = trimesh.transformations.rotation_matrix(n * math.pi / 4, [0, 0, 1])
        step = box(20, 6, 2, (0, -3, 8 + 6 * n))
        ball = trimesh.creation.icosphere(3, 2.5)
        ball.apply_translation([20, 0, 8 + 6 * n - 0.5])
        steps.append(step.apply_transform(turn))
        balls.append(ball.apply_transform(turn))
    assert not looked_at(joined(post, *steps)).islands
    found = looked_at(joined(post, *steps, *balls))
    assert len(found.islands) == 8
    # each hangs from 3 mm under its middle to the underside of its step, 0.5 mm over its middle
    assert sorted({one.hangs for one in found.islands})[-1] <= 16


def test_a_body_apart_never_meets_the_rest():
    found = looked_at(together(box(20, 20, 10), box(5, 5, 5, (7, 7, 14))))
    (island,) = found.islands
    assert not island.meets
    assert island.hangs == 25
    assert island.area == pytest.approx(25.0)


def test_support_and_its_refusal_decide_on_filament():
    """A tooth is held where it gets support, and not where that is refused; on resin nothing holds it but posts."""
    solid = comb(2)
    printer = default_printer()
    assert not looked_at(solid, printer).unheld
    held = looked_at(solid, printer).islands
    assert [one.held for one in held] == ["support", "support"]
    clear = Mark(meaning="clear", shape="box", places=((17.5, 4.0, 3.0),), half=(4.0, 4.0, 1.0))
    (left,) = looked_at(solid, printer, marks=(clear,)).unheld
    assert left.at[0] == pytest.approx(17.5, abs=1.6)
    assert len(looked_at(solid).unheld) == 2


def test_a_steep_tip_is_an_island_though_no_facet_is_past_the_threshold():
    cone = trimesh.creation.cone(4.0, 20.0, sections=64)
    cone.apply_transform(trimesh.transformations.rotation_matrix(math.pi, [1, 0, 0]))
    cone.apply_translation([20, 5, 25])
    solid = joined(cone, box(26, 10, 4, (0, 0, 24)), box(4, 10, 24))
    (tip,) = looked_at(solid, default_printer()).unheld
    assert tip.at[:2] == pytest.approx((20.0, 5.0), abs=0.2)
    assert tip.area < 0.01 < 10 < tip.grows
    hold = Mark(meaning="hold", shape="ball", places=((20.0, 5.0, 6.0),), half=(6.0, 6.0, 16.0))
    assert not looked_at(solid, default_printer(), marks=(hold,)).unheld


def _by_raster(solid: Solid, vertices: np.ndarray, levels: Levels, cell: float) -> list[tuple[int, float]]:
    """(layer, mm2) of islands, by columns of embree's rays and scipy's labels: shares no code with the program."""
    mesh = trimesh.Trimesh(vertices, solid.triangles, process=False)
    low, high = mesh.bounds
    xs = np.arange(low[0] + 0.377 * cell, high[0], cell)
    ys = np.arange(low[1] + 0.377 * cell, high[1], cell)
    grid = np.stack(np.meshgrid(xs, ys, indexing="ij"), axis=-1).reshape(-1, 2)
    starts = np.column_stack([grid, np.full(len(grid), low[2] - 1.0)])
    places, rays, _ = mesh.ray.intersects_location(starts, np.tile([0.0, 0.0, 1.0], (len(grid), 1)))
    middles = levels.middles
    inside = np.zeros((len(grid), levels.count + 1), np.int32)
    order = np.lexsort([places[:, 2], rays])
    number = np.zeros(len(order), np.int64)
    start = np.r_[0, np.cumsum(np.bincount(rays, minlength=len(grid)))]
    number[order] = np.arange(len(order)) - start[rays[order]]
    np.add.at(inside, (rays, np.searchsorted(middles, places[:, 2])), np.where(number % 2 == 0, 1, -1))
    full = np.cumsum(inside, axis=1)[:, :-1].T.reshape(levels.count, len(xs), len(ys)) > 0
    found = []
    for layer in range(1, levels.count):
        of, count = ndimage.label(full[layer], structure=np.ones((3, 3)))
        if count:
            touched = ndimage.maximum(full[layer - 1], of, np.arange(1, count + 1))
            sizes = np.bincount(of.ravel())[1:] * cell**2
            found += [(layer, float(size)) for size, below in zip(sizes, touched, strict=True) if not below]
    return found


@pytest.mark.parametrize("name", ["ant.ply", "hook", "gull"])
def test_islands_of_open_meshes_are_those_of_a_raster(name):
    """An open mesh of the pyvista wheel, its overlapping bodies united, and props of the demo; every island of some
    size is in both lists.
    """
    if name in MODELS:
        solid = open_file(MODELS[name]).model.solid.resized(np.array([1.0, -1.0, -1.0]))
    else:
        raw = bundled(name)
        solid = joined(*trimesh.Trimesh(raw.vertices, raw.triangles, process=True).split(only_watertight=True))
    solid = solid.resized(np.full(3, 60.0 / solid.size.max()))
    vertices = on_bed(solid)
    levels = Levels(0.0, 0.4, float(vertices[:, 2].max()))
    cell = 0.15
    slicer = Slicer.of(solid, vertices)
    ours = regions_of(slicer, levels, 0.1).solid
    begun = np.flatnonzero((np.diff(ours.over) == 0) & (ours.layer > 0))
    mine = {(int(ours.layer[n]), float(ours.area[n])) for n in begun}
    theirs = _by_raster(solid, vertices, levels, cell)
    large = 25 * cell**2
    for layer, area in mine:
        if area > large:
            assert any(one == layer and abs(size - area) < 0.5 * area for one, size in theirs), (layer, area)
    for layer, size in theirs:
        if size > large and not any(one == layer and abs(size - area) < 0.5 * area for one, area in mine):
            # by exact polygons it lies over a scrap that the raster is too coarse to see
            below, here = (_polygon(slicer, levels.middles[k]) for k in (layer - 1, layer))
            shared = [part.intersection(below).area for part in getattr(here, "geoms", [here])]
            assert any(0 < area < 2 * cell**2 for area in shared), (layer, size)
    assert any(area > large for _, area in mine)


def _polygon(slicer: Slicer, z: float) -> Polygon:
    """A section by shapely, where an odd number of lines encloses it."""
    found = Polygon()
    for line in slicer.at(z).lines(0):
        found = found.symmetric_difference(Polygon(line))
    return found


# what begins, at once


def test_what_begins_and_how_long_it_hangs():
    solid = comb(5)
    where, hangs = beginnings(solid, on_bed(solid))
    lasting = hangs > 0.2
    assert np.count_nonzero(lasting) == 5 + 2  # the legs begin on the bed
    teeth = where[:, 2] > 1
    assert hangs[teeth & lasting] == pytest.approx([12.0] * 5)
    assert np.count_nonzero(np.isinf(hangs)) == 1


def test_a_pit_is_no_beginning():
    """Inside a cup the surface has a lowest place too, but solid lies under it."""
    cup = joined(trimesh.boolean.difference([box(20, 20, 20), box(16, 16, 16, (2, 2, 4.5))], engine="manifold"))
    where, hangs = beginnings(cup, on_bed(cup))
    assert len(where[hangs > 0.1]) == 1


# pockets


def beaker(up: bool, inner: float = 13.0, depth: float = 28.0) -> Solid:
    outside = trimesh.creation.cylinder(15.0, 30.0, sections=256)
    hole = trimesh.creation.cylinder(inner, depth, sections=256)
    hole.apply_translation([0, 0, (30.0 - depth) / 2 if up else -(30.0 - depth) / 2])
    return joined(trimesh.boolean.difference([outside, hole], engine="manifold"))


def test_cup_of_a_beaker_by_formula():
    """An open beaker: pi r^2 of area, times its depth of volume; open at its top."""
    (cup,) = looked_at(beaker(up=True)).pockets
    assert cup.area == pytest.approx(math.pi * 13.0**2, rel=2e-3)
    assert cup.volume == pytest.approx(math.pi * 13.0**2 * 28.0, rel=0.01)
    assert cup.becomes == "open at its top"
    assert cup.opens == pytest.approx(30.0, abs=0.2)
    assert cup.pull == pytest.approx(0.1 * cup.area)


def test_an_upside_down_beaker_is_sealed_by_the_plate_until_it_is_lifted():
    (cup,) = looked_at(beaker(up=False)).pockets
    assert cup.becomes == "sealed by the plate"
    assert cup.opens is None
    assert not looked_at(beaker(up=False), lift=5.0).pockets


def test_a_vent_lets_the_cup_go():
    """A hole through the foot of the beaker, and no cup is left once it does not stand on the plate with it."""
    vent = trimesh.creation.cylinder(1.5, 40.0, sections=32)
    mesh = beaker(up=True)
    solid = joined(trimesh.boolean.difference([trimesh.Trimesh(mesh.vertices, mesh.triangles), vent],
                                              engine="manifold"))
    assert not looked_at(solid, lift=5.0).pockets
    assert len(looked_at(solid).pockets) == 1


def test_a_hole_in_the_side_opens_it_at_its_height():
    hole = trimesh.creation.cylinder(2.0, 20.0, sections=32)
    hole.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, [0, 1, 0]))
    hole.apply_translation([12, 0, 0])
    mesh = beaker(up=True)
    solid = joined(trimesh.boolean.difference([trimesh.Trimesh(mesh.vertices, mesh.triangles), hole],
                                              engine="manifold"))
    (cup,) = looked_at(solid).pockets
    assert cup.becomes == "opens"
    assert cup.opens == pytest.approx(13.0, abs=0.2)  # 2 mm under the middle of 30


def test_a_closed_void_is_trapped():
    (void,) = looked_at(hollow_ball(20.0, 15.0, 5)).pockets
    assert void.becomes == "trapped"
    assert void.volume == pytest.approx(4 / 3 * math.pi * 15.0**3, rel=0.02)
    assert void.area == pytest.approx(math.pi * 15.0**2, rel=0.01)


def test_thin_walls_do_not_leak():
    """Walls far thinner than the rows by which layers are laid over each other."""
    shell = trimesh.boolean.difference([box(20, 20, 10), box(19.98, 19.98, 10, (0.01, 0.01, 1))], engine="manifold")
    turned = shell.apply_transform(trimesh.transformations.rotation_matrix(0.3, [0, 0, 1]))
    (cup,) = looked_at(joined(turned)).pockets
    assert cup.area == pytest.approx(19.98**2, rel=1e-3)


@given(st.integers(1, 6), st.floats(0.0, 3.0))
def test_each_pit_is_a_pocket_of_its_own(pits, turn):
    """A turned block with pits of different depth: as many pockets, each with its area and its volume."""
    width = 8.0 * pits + 2
    holes = [box(6, 6, 30, (2 + 8 * n, 2, 10 - 1.5 * (n + 1))) for n in range(pits)]
    mesh = trimesh.boolean.difference([box(width, 10, 10), *holes], engine="manifold")
    mesh.apply_transform(trimesh.transformations.rotation_matrix(turn, [0, 0, 1]))
    found = sorted(looked_at(solid_of(mesh)).pockets, key=lambda one: one.volume)
    assert [one.area for one in found] == pytest.approx([36.0] * pits, rel=1e-4)
    assert [one.volume for one in found] == pytest.approx([36 * 1.5 * (n + 1) for n in range(pits)], abs=36 * 0.21)


# walls and standing


def test_thin_walls_are_found_and_their_edges_are_not():
    fin = box(0.5, 20, 15, (10, 0, 4.9))
    found = looked_at(joined(box(30, 20, 5), fin), default_printer())
    (wall,) = found.thin
    assert wall.least == pytest.approx(0.5, abs=1e-3)
    assert wall.area == pytest.approx(2 * 20 * 15, rel=0.02)
    assert not looked_at(sphere(15.0), default_printer()).thin


def test_a_pillar_is_tipped_by_the_push_that_statics_says():
    """Weight times half its foot, over its height."""
    found = looked_at(box_solid(10, 20, 100), default_printer())
    steady = found.steadiness
    grams = 10 * 20 * 100 / 1000 * default_printer().material_density
    assert steady.slender == pytest.approx(10.0)
    assert steady.push == pytest.approx(grams * 9.81e-3 * 5.0 / 100.0, rel=1e-6)
    assert steady.tips == pytest.approx(math.degrees(math.atan2(5.0, 50.0)))


def box_solid(x: float, y: float, z: float) -> Solid:
    return joined(box(x, y, z))


# left on purpose, plans, bad input


def test_what_is_left_on_purpose_is_remembered_and_survives_edits(tmp_path):
    solid = comb(3)
    model = model_of(solid)
    shop, plan = Evaluator(model), Plan(model=model.ref)
    (found,) = check(shop, plan, RESIN, 0.2)
    first = min(found.unheld, key=lambda one: one.at[0])
    plan = plan.changed(left=(LeftAlone(kind="island", place=first.place),))
    assert [one.left for one in check(shop, plan, RESIN, 0.2)[0].islands].count(True) == 1
    assert len(check(shop, plan, RESIN, 0.2)[0].unheld) == 2
    # twice as large, at another layer height, with a piece cut off: it is the same tooth
    larger = plan.sized(scale=2.0).with_cut(StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=38.0))
    wishes = tuple(piece.wish(seat=Tilt()) for piece in shop.evaluate(larger, RESIN).pieces)
    pieces = check(shop, larger.changed(pieces=wishes), RESIN, 0.3)
    assert sum(len(piece.unheld) for piece in pieces) == 2
    assert [one.left for piece in pieces for one in piece.islands].count(True) == 1
    assert Plan.model_validate_json(plan.model_dump_json()) == plan
    assert LayerTotals.of(check(shop, plan, RESIN, 0.2), RESIN.cup_depth).islands == 2


def test_another_seat_finds_other_islands():
    solid = comb(4)
    upside_down = Tilt.from_rotation(np.diag([1.0, -1.0, -1.0]))
    assert not looked_at(solid, tilt=upside_down).islands


def test_an_open_surface_is_said_to_be_open():
    solid = tube(5, 8, 20)
    model = model_of(Solid(solid.vertices, solid.triangles[:-3]))
    (found,) = check(Evaluator(model), Plan(model=model.ref), RESIN)
    assert "not closed" in found.problem
    assert found.layers == 0


def test_it_can_be_stopped():
    solid = sphere(40.0, 6)
    asked = []

    def unwanted() -> bool:
        asked.append(1)
        return len(asked) > 30

    model = model_of(solid)
    with pytest.raises(Cancelled):
        check(Evaluator(model), Plan(model=model.ref), RESIN, 0.05, Job(unwanted=unwanted))


def test_by_command(tmp_path, capsys):
    write_solid(comb(3), "Comb", tmp_path / "comb.stl", replace=False)
    assert cli.main(["check", str(tmp_path / "comb.stl"), "--layer", "0.2", "--printer", "small-resin", "--json"]) == 0
    (piece,) = json.loads(capsys.readouterr().out)["pieces"]
    assert piece["layers"] == 105
    assert [one["hangs_layers"] for one in piece["islands"]] == [60, 60, 60]
    assert {round(one["z_mm"], 3) for one in piece["islands"]} == {3.0}
    assert piece["pockets"] == piece["voids"] == piece["held"] == []
    assert cli.main(["check", str(tmp_path / "comb.stl"), "--layer", "0.2", "--json"]) == 0
    (piece,) = json.loads(capsys.readouterr().out)["pieces"]
    assert piece["islands"] == []
    assert [one["by"] for one in piece["held"]] == ["support"] * 3
    assert cli.main(["check", str(tmp_path / "comb.stl"), "--layer", "0"]) != 0
    assert "--layer must be between" in capsys.readouterr().err
    assert cli.main(["check", str(tmp_path / "comb.stl"), "--straight", "0", "0", "1", "50"]) != 0
    assert "passes beside the model" in capsys.readouterr().err


# taking it off


def test_a_seam_in_a_groove_is_out_of_reach_of_a_file():
    """A block with a slot all round, narrower than the file: the seam at its bottom is shut, one beside it is not."""
    slot = trimesh.boolean.difference([box(44, 44, 3), box(30, 30, 3, (7, 7, 0))], engine="manifold")
    slot.apply_translation([-2, -2, 18.5])
    solid = joined(trimesh.boolean.difference([box(40, 40, 40), slot], engine="manifold"))
    model = model_of(solid)
    shop = Evaluator(model)
    lengths = []
    for offset in (20.0, 8.0):
        cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=offset)
        found = check(shop, Plan(model=model.ref, recipe=(cut,)), default_printer(), 0.4)
        lengths.append(sum(one.length for piece in found for one in piece.grooves))
        assert all(one.cut == "c1" for piece in found for one in piece.grooves)
    assert lengths == pytest.approx([4 * 30.0, 0.0], abs=6.0)
    fine = default_printer().changed(file=1.5)
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=20.0)
    found = check(shop, Plan(model=model.ref, recipe=(cut,)), fine, 0.4)
    assert not any(piece.grooves for piece in found)


def test_support_on_a_thin_wall_is_said():
    fin = box(20, 20, 0.5, (5, 0, 12))
    held = looked_at(joined(box(5, 20, 20), fin), default_printer())
    (wall,) = held.thin
    assert wall.held
    upright = looked_at(joined(box(30, 20, 5), box(0.5, 20, 15, (10, 0, 4.9))), default_printer())
    assert not upright.thin[0].held
