"""Beds as layers: pictures read by PIL, polygons read by lib3mf and lxml, areas by hand."""

from __future__ import annotations

import io
import json
import math
import zipfile
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import etree
from PIL import Image, ImageDraw

from deft_slab.core.errors import BadPlan, Cancelled, OpenSurface, SaveFailed
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import lay_out
from deft_slab.core.exporting.slices import images, polygons
from deft_slab.core.exporting.slices.image_kernels import filled
from deft_slab.core.exporting.slices.images import png_of, write_layers
from deft_slab.core.exporting.slices.layers import stack_of
from deft_slab.core.exporting.slices.polygons import sliced_bytes, slices_in
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.core.progress import Job
from tests.core.test_commands import answer, call
from tests.shapes import box, cone, joined, model_of, solid_of, sphere, without_facets

RESIN = shipped_printers()["small-resin"]
SMALL = RESIN.changed(bed_x=40.0, bed_y=30.0, line_width=0.1, layer_heights=(0.05,))


def stack_for(solid, printer=SMALL, thickness=0.5, copies=1):
    printer = printer.changed(layer_heights=(thickness,))
    model = model_of(solid)
    pieces = Evaluator(model).evaluate(Plan(model=model.ref), printer).pieces
    laid = lay_out(pieces, printer, copies)
    return stack_of(pieces, laid, printer), laid


def pictures(stack, printer=SMALL):
    file = io.BytesIO()
    areas = write_layers(stack, printer, "Thing", file)
    with zipfile.ZipFile(file) as archive:
        assert archive.testzip() is None
        names = archive.namelist()
        about = json.loads(archive.read("layers.json"))
        found = [Image.open(io.BytesIO(archive.read(name))) for name in names if name.endswith(".png")]
    assert names == [*(f"{n + 1:05d}.png" for n in range(about["layers"])), "layers.json"]
    assert about["areas_mm2"] == pytest.approx(areas)
    return about, found, areas


def test_a_box_on_the_plate_pixel_by_pixel():
    stack, laid = stack_for(solid_of(box(10, 6, 4)))
    about, found, areas = pictures(stack)
    assert (about["columns"], about["rows"], about["pixel_mm"], about["layer_mm"]) == (400, 300, 0.1, 0.5)
    assert about["layers"] == len(found) == 8
    x0, y0, x1, y1 = laid[0].outline.bounds
    for picture, area in zip(found, areas, strict=True):
        assert picture.mode == "1"
        assert picture.size == (400, 300)
        white = np.asarray(picture)
        assert white.sum() * 0.01 == pytest.approx(60.0, abs=1.7) == area
        rows, columns = np.flatnonzero(white.any(axis=1)), np.flatnonzero(white.any(axis=0))
        assert (columns[0] / 10, (columns[-1] + 1) / 10) == pytest.approx((x0, x1), abs=0.11)
        # the first row is at the back
        assert ((300 - rows[-1] - 1) / 10, (300 - rows[0]) / 10) == pytest.approx((y0, y1), abs=0.11)


@pytest.mark.parametrize(
    ("solid", "radius"),
    [(cone(9, 12), lambda z: 9 * (1 - z / 12)), (sphere(9.0), lambda z: math.sqrt(max(81 - (z - 9) ** 2, 0)))],
)
def test_layers_of_round_bodies_have_their_areas(solid, radius):
    stack, _ = stack_for(solid)
    _, _, areas = pictures(stack)
    for z, area in zip(stack.levels.middles, areas, strict=True):
        assert area == pytest.approx(math.pi * radius(z) ** 2, rel=0.02, abs=0.4)
    assert sum(areas) * 0.5 == pytest.approx(solid.volume, rel=0.01)


def test_747_layers_and_copies():
    """37.35 mm in layers of 0.05 mm: 747 of them (common practice)."""
    stack, _ = stack_for(solid_of(box(3, 3, 37.35)), thickness=0.05, copies=4)
    assert stack.levels.count == 747
    layer = next(stack.layers())
    assert len(layer.start) - 1 == 4
    assert layer.area == pytest.approx(36.0)
    assert layer.around == pytest.approx(48.0)


def test_polygons_in_a_3mf_read_back_by_others():
    stack, _ = stack_for(cone(9, 12), copies=2)
    content = sliced_bytes(stack, ["One", "Two"], "Thing", "Bed 1")
    read = list(slices_in(content))
    assert len(read) == 2
    for body in read:
        assert len(body) == stack.levels.count
        for (top, area), middle in zip(body, stack.levels.middles, strict=True):
            assert area == pytest.approx(math.pi * (9 * (1 - middle / 12)) ** 2, rel=0.001)
            assert top == pytest.approx(middle + 0.25, abs=1e-5)
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        model = etree.fromstring(archive.read("3D/3dmodel.model"))
    space = "{http://schemas.microsoft.com/3dmanufacturing/slice/2015/07}"
    stacks = list(model.iter(f"{space}slicestack"))
    assert len(stacks) == 2
    for one in stacks:
        tops = [float(layer.get("ztop")) for layer in one.iter(f"{space}slice")]
        assert float(one.get("zbottom", 0)) == 0.0
        assert all(low < high for low, high in pairwise(tops))
        for polygon in one.iter(f"{space}polygon"):
            assert polygon.get("startv") == polygon[-1].get("v2")  # closed
    assert "s" in model.get("requiredextensions", "s").split() or model.get("recommendedextensions")


@given(st.lists(st.tuples(st.floats(-5, 25), st.floats(-5, 25)), min_size=3, max_size=12), st.integers(3, 40))
@settings(max_examples=80, deadline=None)
def test_any_polygon_is_filled_as_another_program_fills_it(corners, wide):
    """By the winding number at the middle of each pixel, also beyond the picture; against a count in numpy."""
    points = np.array(corners)
    bits, count = filled(points, np.array([0, len(points)]), 1.0, wide, 20)
    found = np.unpackbits(bits, axis=1)[::-1, :wide].astype(bool)
    assert found.sum() == count
    following = np.roll(points, -1, axis=0)
    for row in range(20):
        for column in range(wide):
            x, y = column + 0.5, row + 0.5
            winding, near = 0, math.inf
            for (ax, ay), (bx, by) in zip(points, following, strict=True):
                if (ay <= y) != (by <= y):
                    at = ax + (y - ay) / (by - ay) * (bx - ax)
                    near = min(near, abs(at - x))
                    winding += (1 if by > ay else -1) * (at > x)
                near = min(near, abs(ay - y))
            if near > 1e-6:
                assert found[row, column] == (winding != 0)


def test_pixels_of_a_polygon_are_those_of_the_usual_library():
    """PIL fills whole pixels, edges too: away from edges both agree."""
    ring = np.array([[3.0, 2.0], [37.0, 5.0], [30.0, 27.0], [8.0, 21.0]])
    bits, _ = filled(ring, np.array([0, 4]), 1.0, 40, 30)
    ours = np.unpackbits(bits, axis=1)[::-1, :40].astype(bool)
    image = Image.new("1", (40, 30))
    ImageDraw.Draw(image).polygon([(x - 0.5, y - 0.5) for x, y in ring], 1)
    theirs = np.asarray(image)
    assert (ours ^ theirs).sum() <= 102  # at most the pixels of the outline, which is 102 mm long
    assert ours.sum() == pytest.approx(578.5, abs=5)  # by the shoelace formula
    with Image.open(io.BytesIO(png_of(bits, 40))) as read:
        assert np.array_equal(np.asarray(read)[::-1], ours)


def test_thin_slices_far_from_the_corner_are_rounded_and_wrong_ones_refused(monkeypatch):
    """The library writes six digits: a sliver of 0.02 mm at 120 mm reads 2 % otherwise, which is rounding; a slice that
    was moved is not.
    """
    wide = RESIN.changed(layer_heights=(0.5,), margin=2.0)
    stack, _ = stack_for(joined(box(123.4567, 0.02, 1), box(0.02, 20, 1)), wide)
    for (_, area), layer in zip(
        next(slices_in(sliced_bytes(stack, ["Sliver"], "T", "B"))), stack.layers(), strict=True
    ):
        assert area == pytest.approx(layer.area, rel=0.05)
    right = polygons._slice
    monkeypatch.setattr(polygons, "_slice", lambda one: (right(one)[0], 1.1 * right(one)[1]))
    with pytest.raises(SaveFailed, match="Slice 1 of Sliver reads"):
        sliced_bytes(stack, ["Sliver"], "T", "B")


def test_bad_surfaces_pictures_that_differ_and_cancel(monkeypatch):
    open_ = solid_of(box(10, 6, 4))
    with pytest.raises(OpenSurface, match="Mend it"):
        stack_for(without_facets(open_, np.arange(12) == 0))
    with pytest.raises(BadPlan, match="would be cut off"):
        stack_for(solid_of(box(41, 6, 4)))
    stack, _ = stack_for(open_)
    calls = iter(range(100))
    with pytest.raises(Cancelled):
        write_layers(stack, SMALL, "Thing", io.BytesIO(), Job(lambda *_: None, lambda: next(calls) > 4))
    right = images.filled
    monkeypatch.setattr(images, "filled", lambda *given: (right(*given)[0] & 0, right(*given)[1]))
    with pytest.raises(SaveFailed, match="reads back as 0.00 mm²"):
        write_layers(stack, SMALL, "Thing", io.BytesIO())


def test_by_command(tmp_path):
    block, out, profile = tmp_path / "block.stl", tmp_path / "out", tmp_path / "printer.json"
    box(20, 10, 3).export(block)
    profile.write_text(SMALL.model_dump_json())
    found = answer("handoff", block, "--printer", profile, "--layers", "--out", out)
    bed = found["beds"][0]
    assert (bed["file"], bed["layers"]) == ("bed-1.3mf", "bed-1-layers.zip")
    assert {"bed-1-layers.zip", "bed-1-layers.3mf"} <= set(found["files"])
    with zipfile.ZipFile(out / "bed-1-layers.zip") as archive:
        assert len(archive.namelist()) == 61
    listed = {one["file"]: one for one in json.loads((out / "job.json").read_text())["files"]}
    assert listed["bed-1-layers.zip"]["volume_mm3"] == pytest.approx(600, rel=0.03)
    assert listed["bed-1-layers.3mf"]["size_mm"] == pytest.approx([20, 10, 3], abs=1e-3)
    refused = call("handoff", block, "--layers", "--out", tmp_path / "filament")
    assert refused.returncode == 1
    assert "cannot use pictures of layers" in refused.stderr
    assert not (tmp_path / "filament").exists()


def test_a_piece_on_posts_stands_on_the_plate_with_them():
    model = model_of(solid_of(box(6, 6, 3)))
    printer = SMALL.changed(layer_heights=(0.5,))
    piece = Evaluator(model).evaluate(Plan(model=model.ref, lift=2.0), printer).pieces[0]
    laid = lay_out([piece], printer)
    layers = list(stack_of([piece], laid, printer).layers())
    assert len(layers) == 10
    assert [layer.area for layer in layers[:4]] == [0.0] * 4
    assert [layer.area for layer in layers[4:]] == pytest.approx([36.0] * 6)
    stands = replace(piece, lift=0.0)
    assert next(stack_of([stands], laid, printer).layers()).area == pytest.approx(36.0)
