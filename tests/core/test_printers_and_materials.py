"""Two printers at once, and several materials in one prop."""

from __future__ import annotations

import csv
import io
import itertools
import json
import math

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import BadPlan
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import BedSearch, laid_with_job, lay_out
from deft_slab.core.exporting.delivery import deliver, write_bed
from deft_slab.core.exporting.layout import bed_printer, collisions, kept_as
from deft_slab.core.exporting.options import Wished
from deft_slab.core.exporting.sheet.build import sheet_for
from deft_slab.core.exporting.two_printers import _estimated, _shared, _Task, shared_out
from deft_slab.core.figures.print_time import layer_count
from deft_slab.core.importing.threemf import wrapper
from deft_slab.core.inspection.inspect import check
from deft_slab.core.joins import GlueJoin
from deft_slab.core.plan.coupon import COUPON, CouponWish
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Project, project_text, read_project
from deft_slab.core.plan.recipe import Recipe
from deft_slab.core.printers.profile import Material, default_printer, shipped_printers
from deft_slab.standin.loads import load_of, picture
from tests.core.test_commands import answer, call
from tests.shapes import box, model_of, solid_of, together

RED = Material(name="Red", price=30.0, density=1.24, colour="#aa2211")
GLASS = Material(name="Glass filled", price=50.0, density=1.6, shrinkage=0.008)
PRINTER = default_printer().changed(material="Grey", materials=(RED, GLASS))
RESIN = shipped_printers()["small-resin"]
TOWER = model_of(solid_of(box(40, 30, 80)))
CUTS = tuple(StraightCut(id=f"c{n}", name=f"Cut {n}", normal=(0, 0, 1), offset=20.0 * n) for n in (1, 2, 3))


def tower(**what):
    """A tower of four equal blocks."""
    return Plan(model=TOWER.ref, recipe=CUTS, **what)


def wished(plan, printer, **what):
    """With a wish for each of some pieces, by number from 1 on."""
    pieces = Evaluator(TOWER).evaluate(plan, printer, detail="figures").pieces
    for number, wish in what.items():
        piece = pieces[int(number[1:]) - 1]
        plan = plan.with_wish(piece.wish(**wish), piece.wished)
    return plan


def test_each_material_has_its_own_mass_price_and_size(tmp_path):
    """By hand, for a solid block: mass = volume x density, size x 1 / (1 - s), cost = mass x price + hours x price."""
    printer = PRINTER.changed(infill=1.0, failed_share=0.1)
    plan = wished(tower(), printer, p2={"material": "Red"}, p3={"material": "Glass filled"})
    outcome = Evaluator(TOWER).evaluate(plan, printer)
    masses = [piece.figures.material_g for piece in outcome.pieces]
    assert masses == pytest.approx([24 * 1.24, 24 * 1.24, 24 * 1.6, 24 * 1.24])
    assert [piece.on(printer).material for piece in outcome.pieces] == ["Grey", "Red", "Glass filled", "Grey"]
    laid, work = laid_with_job(outcome, printer)
    assert [bed.printer.material for bed in work.beds] == ["Grey", "Red", "Glass filled"]
    assert work.materials == pytest.approx({"Grey": 2 * 24 * 1.24, "Red": 24 * 1.24, "Glass filled": 24 * 1.6})
    hours = [bed.seconds / 3600 for bed in work.beds]
    each = [0.05952 * 25 + hours[0] * 0.1, 0.02976 * 30 + hours[1] * 0.1, 0.0384 * 50 + hours[2] * 0.1]
    assert [bed.cost for bed in work.beds] == pytest.approx([1.1 * one for one in each])
    assert work.cost == pytest.approx(1.1 * sum(each))
    handed = deliver(outcome.pieces, laid, printer, "Tower", tmp_path, Wished(pieces=("stl",), beds=("3mf",)), work)
    read = [trimesh.load_mesh(one.path) for one in handed if one.piece is not None]
    grown = 1 / (1 - 0.008)
    assert [mesh.extents for mesh in read] == [
        pytest.approx(np.array([40, 30, 20]) * factor, rel=1e-6) for factor in (1, 1, grown, 1)
    ]
    assert all(mesh.is_watertight for mesh in read)
    rows = list(csv.DictReader(io.StringIO((tmp_path / "pieces.csv").read_text())))
    assert [row["material"] for row in rows] == ["Grey", "Red", "Glass filled", "Grey"]
    listed = json.loads((tmp_path / "job.json").read_text())
    assert [bed["material"] for bed in listed["beds"]] == ["Grey", "Red", "Glass filled"]
    # the colour of a material is that of its pieces in the file, as lib3mf reads it
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(str(tmp_path / "bed-2.3mf"))
    assert reader.GetWarningCount() == 0
    assert isinstance(model, lib3mf.Model)
    assert model.GetBuildItems().Count() == 1


def test_a_file_of_several_materials_names_them(tmp_path):
    plan = wished(tower(), PRINTER, p2={"material": "Red"})
    pieces = Evaluator(TOWER).evaluate(plan, PRINTER).pieces
    from deft_slab.core.exporting.piece_files import write_3mf

    write_3mf(pieces, PRINTER, "Tower", tmp_path / "all.3mf")
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(str(tmp_path / "all.3mf"))
    groups = model.GetBaseMaterialGroups()
    assert groups.MoveNext()
    group = groups.GetCurrentBaseMaterialGroup()
    found = {}
    for ident in group.GetAllPropertyIDs():
        shade = group.GetDisplayColor(ident)
        found.setdefault(group.GetName(ident), []).append((shade.Red, shade.Green, shade.Blue))
    assert found["Red"] == [(0xAA, 0x22, 0x11)]
    assert len(found["Grey"]) == 3  # no colour of its own: those that the window shows the pieces in


def test_beds_of_one_colour_follow_each_other():
    small = PRINTER.changed(bed_x=60, bed_y=50)
    plan = wished(tower(beds_by="colour"), small, p2={"material": "Red"}, p4={"material": "Red"})
    outcome = Evaluator(TOWER).evaluate(plan, small)
    laid, work = laid_with_job(outcome, small)
    assert [bed.printer.material for bed in work.beds] == ["Grey", "Grey", "Red", "Red"]
    assert not collisions(laid, small, outcome.pieces)
    # in the order of the pieces they would alternate
    usual = lay_out(outcome.pieces, small)
    assert sorted(one.bed for one in usual) == [0, 1, 2, 3]


def test_one_bed_of_two_materials_is_told():
    plan = wished(tower(), PRINTER, p2={"material": "Red"})
    outcome = Evaluator(TOWER).evaluate(plan, PRINTER)
    lying = kept_as(outcome.pieces, lay_out(outcome.pieces, PRINTER))
    on_one = [one.model_copy(update={"bed": 0, "x": 5.0 + 45 * n, "y": 5.0}) for n, one in enumerate(lying)]
    laid = lay_out(outcome.pieces, PRINTER, lying=on_one)
    assert {one.bed for one in laid} == {0}
    assert collisions(laid, PRINTER, outcome.pieces) == [(0, 1)]


def test_a_material_that_is_not_there_is_told():
    plan = wished(tower(), PRINTER, p1={"material": "Gold"})
    outcome = Evaluator(TOWER).evaluate(plan, PRINTER)
    assert [note for note in outcome.notes if note.code == "printer.no_material"]
    assert outcome.pieces[0].on(PRINTER) == PRINTER
    with pytest.raises(BadPlan, match="no material “Gold”"):
        PRINTER.loaded_with("Gold")
    with pytest.raises(BadPlan, match="two materials"):
        PRINTER.changed(materials=(RED, RED))


def test_pieces_on_two_printers(tmp_path):
    """Each is judged, laid, counted and written by its own printer: layers of the resin one, none of the other."""
    plan = tower(second=RESIN, copies=2)
    plan = wished(plan, PRINTER, p2={"second": True}, p3={"second": True})
    evaluator = Evaluator(TOWER)
    outcome = evaluator.evaluate(plan, PRINTER)
    assert [piece.second for piece in outcome.pieces] == [False, True, True, False]
    assert [piece.figures.layers for piece in outcome.pieces] == [
        layer_count(20, printer) for printer in (PRINTER, RESIN, RESIN, PRINTER)
    ]
    laid, work = laid_with_job(outcome, PRINTER)
    assert [bed.second for bed in work.beds] == [False, True]
    assert [bed_printer(outcome.pieces, laid, bed, PRINTER).name for bed in (0, 1, 2)] == [
        PRINTER.name, RESIN.name, PRINTER.name,
    ]
    assert [one.of_printer for one in laid] == [0] * 8
    assert not collisions(laid, PRINTER, outcome.pieces)
    for one in laid:
        on = work.beds[one.bed].printer
        x0, y0, x1, y1 = one.outline.bounds
        assert min(x0, y0) >= on.margin - 1e-6
        assert max(x1 - on.bed_x, y1 - on.bed_y) <= -on.margin + 1e-6
    # all four resin blocks take as long as one; both printers work at once
    layers = layer_count(20, RESIN)
    alone = 5 * 30.0 + (layers - 5) * 9.6
    assert work.beds[1].seconds == pytest.approx(alone)
    assert work.seconds == pytest.approx(work.beds[0].seconds + alone)
    assert work.elapsed == pytest.approx(max(work.beds[0].seconds, alone))
    totals = outcome.totals
    singly = [piece.figures.print_seconds for piece in outcome.pieces]
    assert totals.print_seconds == pytest.approx(singly[0] + singly[3] + alone)
    wish = Wished(pieces=(), beds=("3mf",), layers=True)
    handed = deliver(outcome.pieces, laid, PRINTER, "Tower", tmp_path, wish, work)
    assert {one.path.name for one in handed} == {"bed-1.3mf", "bed-2.3mf", "bed-2-layers.zip", "bed-2-layers.3mf"}
    sheet = sheet_for(evaluator, outcome, PRINTER, "Tower", laid, work, (), "a4")
    said = sheet.html.decode()
    assert RESIN.name in said
    assert "With both printers at once" in said
    # where they lie is kept with the number of the bed among those of its printer, and found again
    kept = kept_as(outcome.pieces, laid)
    again = lay_out(outcome.pieces, PRINTER, 2, lying=kept)
    for before, after in zip(laid, again, strict=True):
        assert (before.bed, before.turn) == (after.bed, after.turn)
        assert after.shift == pytest.approx(before.shift, abs=1e-3)


def test_what_is_on_no_second_printer_is_on_the_first():
    plan = wished(tower(second=RESIN), PRINTER, p2={"second": True})
    outcome = Evaluator(TOWER).evaluate(plan.changed(second=None), PRINTER)
    assert not any(piece.second for piece in outcome.pieces)
    assert [note for note in outcome.notes if note.code == "printer.no_second"]


def test_shared_out_so_that_it_ends_soonest():
    """Four equal blocks on two equal printers: two each. On one that is too low for any, none goes there."""
    evaluator = Evaluator(TOWER)
    other = PRINTER.changed(name="Other")
    plan = shared_out(evaluator, tower(second=other), PRINTER)
    outcome = evaluator.evaluate(plan, PRINTER)
    assert sum(piece.second for piece in outcome.pieces) == 2
    _, alone = laid_with_job(evaluator.evaluate(tower(), PRINTER), PRINTER)
    _, work = laid_with_job(outcome, PRINTER)
    # what is lost at a layer is lost on each of both
    assert work.elapsed == pytest.approx((alone.seconds + layer_count(20, PRINTER) * PRINTER.layer_seconds) / 2)
    low = other.changed(height=10.0)
    plan = shared_out(evaluator, tower(second=low), PRINTER)
    assert not any(piece.second for piece in evaluator.evaluate(plan, PRINTER).pieces)
    # what one alone has is printed there
    plan = wished(tower(second=RESIN), PRINTER, p1={"material": "Red"})
    fast = PRINTER.changed(speed=1.0)
    outcome = evaluator.evaluate(shared_out(evaluator, plan, fast), fast)
    assert [piece.second for piece in outcome.pieces] == [False, True, True, True]
    with pytest.raises(BadPlan, match="no second printer"):
        shared_out(evaluator, tower(), PRINTER)


@given(st.lists(st.tuples(st.integers(1, 50), st.integers(1, 50)), min_size=1, max_size=7))
def test_sharing_is_near_the_best_of_all(hours):
    """Against every way to share them: never worse than 4/3 of the best (Graham 1969, for equal machines), and what is
    found cannot be bettered by moving one piece.
    """
    other = PRINTER.changed(name="Other")
    tasks = [_Task((float(a), float(b)), (1.0, 1.0), (True, True), 1) for a, b in hours]

    def ends(goes):
        both = [[task for task, there in zip(tasks, goes, strict=True) if there == side] for side in (False, True)]
        return max(_estimated(own, side, (PRINTER, other)[side]) for side, own in enumerate(both))

    found = _shared(tasks, PRINTER, other)
    best = min(ends(goes) for goes in itertools.product((False, True), repeat=len(tasks)))
    assert ends(found) <= 4 / 3 * best + 1e-9
    for n in range(len(tasks)):
        moved = [there != (k == n) for k, there in enumerate(found)]
        assert ends(moved) >= ends(found) - 1e-9


def test_resin_beds_take_as_long_as_their_tallest():
    """Eight areas of half a full bed each: four beds, the tallest two together."""
    half = RESIN.bed_x * RESIN.bed_y * 0.6 / 2
    tasks = [_Task((9.0, float(n)), (half, half), (True, True), 2) for n in (10, 40, 20, 30)]
    assert _estimated(tasks, True, RESIN) == 40 + 30 + 20 + 10


def test_by_command(tmp_path):
    path, profile = tmp_path / "tower.stl", tmp_path / "own.json"
    box(40, 30, 80).export(path)
    profile.write_text(PRINTER.model_dump_json())
    cuts = [word for cut in CUTS for word in ("--straight", 0, 0, 1, cut.offset)]
    found = answer("handoff", path, *cuts, "--printer", profile, "--second", "small-resin", "--material", 1, "Red",
                   "--out", tmp_path / "out", "--pieces", "stl")
    assert {bed["printer"] for bed in found["beds"]} == {PRINTER.name, RESIN.name}
    assert "Red" in found["materials_g"]
    assert found["job"]["elapsed_hours"] < found["job"]["hours"]
    for wrong in (("--material", 9, "Red"), ("--material", 1, "Gold"), ("--second", "none-such")):
        done = call("handoff", path, *cuts, "--printer", profile, *wrong, "--out", tmp_path / "no")
        assert done.returncode == 2
        assert "Traceback" not in done.stderr
    assert not (tmp_path / "no").exists()


def test_they_are_kept_in_a_project():
    plan = wished(tower(second=RESIN), PRINTER, p1={"second": True, "material": ""}, p2={"material": "Red"})
    project = Project(title="Tower", plan=plan, printer=PRINTER)
    assert read_project(project_text(project)) == project
    resized = plan.sized(scale=2.0)
    assert [wish.material for wish in resized.pieces] == [wish.material for wish in plan.pieces]
    assert resized.second == RESIN


@given(st.integers(0, 15), st.integers(1, 3), st.sampled_from(["fewest", "piece", "hours", "colour"]))
def test_all_is_laid_once_however_it_is_shared(mask, copies, beds_by):
    """No two materials on a bed, no bed of two printers, all copies somewhere, and never fewer beds than the bound."""
    model = TOWER
    evaluator = _EVALUATOR
    plan = tower(second=RESIN.changed(bed_x=60, bed_y=45), copies=copies, beds_by=beds_by)
    pieces = evaluator.evaluate(plan, PRINTER, detail="figures").pieces
    for n, piece in enumerate(pieces):
        wish = {"second": True} if mask >> n & 1 else {"material": ("", "Red")[n % 2]}
        plan = plan.with_wish(piece.wish(**wish), piece.wished)
    outcome = evaluator.evaluate(plan, PRINTER, detail="figures")
    laid, work = laid_with_job(outcome, PRINTER)
    assert len(laid) == copies * 4
    assert sorted(n for bed in work.beds for n in bed.pieces) == list(range(len(laid)))
    assert len(work.beds) >= work.least == BedSearch(outcome.pieces, PRINTER, copies, beds_by=beds_by).least
    for bed in work.beds:
        own = [outcome.pieces[n % 4] for n in bed.pieces]
        assert len({(piece.second, piece.on(PRINTER).material) for piece in own}) == 1
    assert [bed.second for bed in work.beds] == sorted(bed.second for bed in work.beds)
    assert not collisions(laid, PRINTER, outcome.pieces)
    assert math.isclose(work.material, copies * sum(piece.figures.material_g for piece in outcome.pieces))
    assert model.ref == plan.model


_EVALUATOR = Evaluator(TOWER)
"""What it makes is kept from one example to the next."""


def test_two_bodies_that_touch_nothing_share_a_printer():
    """Bodies of one file that are pieces of their own may be of different materials too."""
    model = model_of(together(box(20, 20, 20), box(20, 20, 20, (40.0, 0.0, 0.0))))
    plan = Plan(model=model.ref)
    pieces = Evaluator(model).evaluate(plan, PRINTER).pieces
    plan = plan.with_wish(pieces[0].wish(material="Red"), pieces[0].wished)
    assert Evaluator(model).evaluate(plan, PRINTER).pieces[0].on(PRINTER).material == "Red"


def test_one_coupon_is_laid_with_all_copies():
    """It is closed, lies on a bed once, has its own mass, and changes nothing of what is told of the pieces."""
    evaluator = Evaluator(TOWER)
    bare = evaluator.evaluate(tower(copies=3), PRINTER)
    join = evaluator.proposed_joins(tower(), PRINTER)[0]
    plan = tower(copies=3, coupon=CouponWish(join=join, steps=(0.1, 0.2, 0.3)))
    outcome = evaluator.evaluate(plan, PRINTER)
    piece = outcome.pieces[-1]
    assert piece.extra == COUPON
    assert trimesh.Trimesh(piece.solid.vertices, piece.solid.triangles).is_watertight
    assert piece.figures.sits_flat
    assert outcome.totals.pieces == bare.totals.pieces == 4
    assert outcome.lost_share == pytest.approx(bare.lost_share, abs=1e-9)
    laid, work = laid_with_job(outcome, PRINTER)
    assert [(one.copy, one.piece) for one in laid] == [
        (0, 0), (0, 1), (0, 2), (0, 3), (0, 4), (1, 0), (1, 1), (1, 2), (1, 3), (2, 0), (2, 1), (2, 2), (2, 3),
    ]
    assert not collisions(laid, PRINTER, outcome.pieces)
    own = math.fsum(one.figures.material_g for one in outcome.pieces[:4])
    assert work.material == pytest.approx(3 * own + piece.figures.material_g)
    assert kept_as(outcome.pieces, laid)[4].bed == laid[4].of_printer
    again = lay_out(outcome.pieces, PRINTER, 3, lying=kept_as(outcome.pieces, laid))
    assert [(one.piece, one.bed) for one in again] == [(one.piece, one.bed) for one in laid]
    assert not check(evaluator, plan, PRINTER)[-1].thin
    pages = sheet_for(evaluator, outcome, PRINTER, "Tower", laid, work, (), "a4").html.decode()
    assert "1 ×" in pages
    assert "3 ×</td><td>coupon" not in pages
    glued = plan.changed(coupon=CouponWish(join=GlueJoin(**join.model_dump(include=_ON)), steps=(0.1,)))
    without = evaluator.evaluate(glued, PRINTER)
    assert len(without.pieces) == 4
    assert [note for note in without.notes if note.code == "printer.no_coupon"]


_ON = {"id", "cut", "between", "at"}


@pytest.mark.parametrize("axis", ["x", "y"])
def test_slanting_layers_of_a_belt_by_hand(axis, tmp_path):
    """A box of a x b x c, b along the belt: at a slope s layers take b sin s + c cos s. The outlines of all of them
    have the area of its sides x sqrt(1 - (n . way)2), by the coarea formula.
    """
    belt = shipped_printers()["belt"].changed(endless=axis, slope=30.0, bed_x=250.0, bed_y=250.0)
    sides = np.array([20.0, 60.0, 30.0]) if axis == "y" else np.array([60.0, 20.0, 30.0])
    model = model_of(solid_of(box(*sides)))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, copies=3), belt)
    (piece,) = outcome.pieces
    s, t, w = math.radians(30), belt.layer_height, belt.line_width
    layers = math.ceil((60 * math.sin(s) + 30 * math.cos(s)) / t)
    assert piece.figures.layers == layers
    wall = 2 * (60 * 30) + 2 * (20 * 30) * math.cos(s) + 2 * (20 * 60) * math.sin(s)
    shell = wall * belt.wall_lines * w
    laid = shell + belt.infill * (20 * 60 * 30 - shell)
    seconds = laid / (t * w) / belt.speed + layers * belt.layer_seconds
    assert piece.figures.print_seconds == pytest.approx(seconds, rel=1e-9)
    laid_, work = laid_with_job(outcome, belt)
    assert work.seconds == pytest.approx(3 * seconds)
    assert [note for note in outcome.notes if note.code == "printer.belt"]
    # a stand-in reads the same of the written file
    write_bed(outcome.pieces, laid_, 0, belt, "Box", tmp_path / "bed.3mf")
    load = load_of(tmp_path / "bed.3mf", belt)
    reach = np.ptp([corner for one in laid_ for corner in one.outline.bounds["xy".index(axis) :: 2]])
    assert load.layers == math.ceil((reach * math.sin(s) + 30 * math.cos(s)) / t - 1e-6)
    with Image.open(io.BytesIO(picture(tmp_path / "bed.3mf", belt, load.layers // 2))) as shown:
        assert np.array(shown.convert("L")).any()


def test_only_a_belt_has_slanting_layers():
    with pytest.raises(BadPlan, match="only a belt"):
        PRINTER.changed(slope=45.0)
    assert PRINTER.upward == (0.0, 0.0, 1.0)


def test_a_coupon_by_command(tmp_path):
    path, recipe = tmp_path / "tower.stl", tmp_path / "recipe.json"
    box(40, 30, 80).export(path)
    joins = Evaluator(TOWER).proposed_joins(tower(), PRINTER)
    recipe.write_text(Recipe(cuts=CUTS, joins=tuple(joins)).model_dump_json())
    found = answer("handoff", path, "--recipe", recipe, "--copies", 2, "--coupon", "--out", tmp_path / "out")
    names = [piece["name"] for bed in found["beds"] for piece in bed["pieces"]]
    assert names.count("Coupon") == 1
    assert [name for name in found["files"] if "coupon" in name]
    done = call("handoff", path, "--straight", 0, 0, 1, 20, "--coupon", "--out", tmp_path / "no")
    assert done.returncode == 1
    assert "no join" in done.stderr.lower()
