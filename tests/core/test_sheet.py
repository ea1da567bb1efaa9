"""The sheet: what it says, read back by pypdf and lxml; its drawings and what holds while glue sets, by hand."""

from __future__ import annotations

import base64
import io
import math
from pathlib import Path

import numpy as np
import pypdf
import pytest
from fontTools.ttLib import TTFont
from lxml import html
from PIL import Image

from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import Cancelled
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import laid_with_job
from deft_slab.core.exporting.sheet import pdf
from deft_slab.core.exporting.sheet.blocks import Cards, Points, SheetTable
from deft_slab.core.exporting.sheet.build import sheet_of
from deft_slab.core.exporting.sheet.clamping import holding
from deft_slab.core.exporting.sheet.content import blocks_of
from deft_slab.core.exporting.sheet.drawing import DrawnBody, drawn, plan_of, view_from
from deft_slab.core.exporting.sheet.stock import rods
from deft_slab.core.exporting.sheet.subject import gathered
from deft_slab.core.geometry.lettering import FONT
from deft_slab.core.joins.dowel import DowelJoin
from deft_slab.core.joins.loose_key import LooseKeyJoin
from deft_slab.core.locale import text
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.progress import Job
from tests.core.test_commands import answer, call
from tests.shapes import box, model_of, solid_of, sphere, without_facets

PRINTER = default_printer()
CUT = StraightCut(id="c1", name="Level", normal=(0, 0, 1), offset=20)
ROD = DowelJoin(id="j1", cut="c1", between=(-1, 1), at=(10, 15, 20), diameter=3, depth_first=8, depth_second=8)
PAPER = {"a4": (210, 297), "letter": (215.9, 279.4)}
"""mm: ISO 216, and ANSI/ASME Y14.1."""


def subject_of(body, title="Small crate", others=(), printer=PRINTER, **what):
    model = model_of(body)
    evaluator = Evaluator(model)
    plan = Plan(model=model.ref, **what)
    outcome = evaluator.evaluate(plan, printer)
    laid, work = laid_with_job(outcome, printer)
    named = [(name, plan.changed(**other)) for name, other in others]
    return gathered(evaluator, outcome, printer, title, laid, work, named)


@pytest.fixture(scope="module")
def crate():
    """A block in two pieces on two rods of 3 mm, printed twice; the other choice is to cut it higher up."""
    more = ROD.model_copy(update={"id": "j2", "at": (30, 15, 20)})
    higher = CUT.model_copy(update={"offset": 40.0})
    return subject_of(solid_of(box(40, 30, 60)), recipe=(CUT,), joins=(ROD, more), copies=2,
                      others=[("Cut higher", {"recipe": (higher,), "joins": ()})])


@pytest.fixture(scope="module")
def sheet(crate):
    return sheet_of(crate)


def pages_of(pdf):
    return pypdf.PdfReader(io.BytesIO(pdf), strict=True).pages


def words_of(pdf):
    return " ".join(" ".join(page.extract_text().split()) for page in pages_of(pdf))


@pytest.mark.parametrize("paper", PAPER)
def test_pages_have_the_size_of_their_paper(crate, paper):
    for page in pages_of(sheet_of(crate, paper).pdf):
        width, height = (float(side) / 72 * 25.4 for side in (page.mediabox.width, page.mediabox.height))
        assert (width, height) == pytest.approx(PAPER[paper], abs=0.1)
        assert page.extract_text().strip()


def test_it_says_what_to_print_and_how_to_put_it_together(crate, sheet):
    said, work = words_of(sheet.pdf), crate.work
    assert "Small crate" in said
    assert "40 × 30 × 60 mm as it stands · 2 pieces · 2 times" in said
    for bed in work.beds:
        assert f"Bed {bed.bed + 1}" in said
        assert text.hours(bed.seconds) in said
    assert f"{work.cost:,.2f}" in said
    assert "print 2 times" in said
    # two contacts of 40 × 30 mm: the section of the block
    assert "Glue 12.0 cm² in 1 face" in said
    assert "2 × dowel hole for 3 mm, 8 mm and 8 mm deep" in said
    # 8 and 8 mm deep, a clearance of 0.3 mm shorter at each end; two for each copy
    assert "2 rods of 3 mm, 15.4 mm long" in said
    assert "4 ×" in said
    assert "61.6 mm of rod in total" in said
    assert "Clearance of keys and holes: 0.3 mm per side" in said
    # the seam goes around the block: 2 · (40 + 30) mm
    assert "Level 140 mm" in said
    assert "Piece 1 onto piece 2" in said or "Piece 2 onto piece 1" in said


def test_choices_stand_beside_each_other(crate, sheet):
    rows = {row[0]: row for block in blocks_of(crate) if isinstance(block, SheetTable) and "pieces" in block.head
            for row in block.rows}
    assert list(rows) == ["This plan", "As opened, uncut", "Cut higher"]
    assert [row[1] for row in rows.values()] == ["2", "1", "2"]
    assert rows["This plan"][4] == rows["Cut higher"][4] == "12.0 cm²"
    assert rows["As opened, uncut"][4] == "–"
    assert rows["This plan"][8] == f"{crate.work.cost:,.2f}"
    assert "Cut higher" in words_of(sheet.pdf)


def test_a_choice_that_cannot_be_carried_out_is_told_of(crate):
    block = CUT.model_copy(update={"offset": 5000.0})
    found = subject_of(solid_of(box(40, 30, 60)), recipe=(CUT,), others=[("Gone", {"unit": "m", "recipe": (block,)})])
    assert [one.name for one in found.compared] == ["This plan", "As opened, uncut", "Gone"]
    whole = solid_of(box(40, 30, 60))
    found = subject_of(without_facets(whole, np.arange(12) == 0), others=[("Cut it", {"recipe": (CUT,)})])
    assert "not closed" in found.compared[-1].problem
    said = [line for block in blocks_of(found) if isinstance(block, Points) for line in block.words]
    assert any(line.startswith("The figures of “Cut it” are unknown") for line in said)


def test_the_screen_has_the_same_words_and_drawings(sheet):
    page = html.fromstring(sheet.html)
    on_paper, on_screen = words_of(sheet.pdf), page.text_content()
    for node in page.iter("h1", "h2", "h3", "td"):
        assert " ".join(node.text_content().split()) in on_paper
    assert "utf-8" in page.xpath("//meta/@charset")
    pictures = [one.get("src") for one in page.iter("img")]
    drawn_on_paper = sum(len(one.images) for one in pages_of(sheet.pdf))
    assert len(pictures) == drawn_on_paper == 2 + 1 + 4 + 1  # the prop twice, a bed, two of each piece, one step
    for source in pictures:
        with Image.open(io.BytesIO(base64.b64decode(source.removeprefix("data:image/png;base64,")))) as picture:
            assert picture.mode == "L"  # black and white
            assert min(picture.size) > 60
            assert np.asarray(picture).min() < 60
    assert "<script" not in on_screen


def test_the_same_plan_gives_the_same_bytes(crate, sheet):
    again = sheet_of(crate)
    assert (again.pdf, again.html) == (sheet.pdf, sheet.html)


def test_foreign_names_are_no_mark_up_and_letters_that_the_typeface_lacks_are_marked():
    found = sheet_of(subject_of(solid_of(box(20, 20, 20)), title="<b>Größe & 舵</b>"))
    assert "<b>Größe & ?</b>" in words_of(found.pdf)
    assert "&lt;b&gt;Größe &amp; 舵&lt;/b&gt;" in found.html.decode()


def test_what_is_left_on_purpose_and_loose_keys_are_named():
    key = LooseKeyJoin(id="j1", cut="c1", between=(-1, 1), at=(20, 15, 20), height=6.0)
    found = list(blocks_of(subject_of(solid_of(box(40, 30, 60)), recipe=(CUT,), joins=(key,))))
    cards = [card for block in found if isinstance(block, Cards) for card in block.cards]
    step = next(card for card in cards if card.beside)
    assert any(line.endswith(": piece 3.") for line in step.words), step.words
    stock = next(block for block in found if isinstance(block, SheetTable) and block.head[0] == "how many")
    assert stock.rows[0][:2] == ("1 ×", "loose key, printed: piece 3")


def test_rods_by_contact(crate):
    assert [(one.diameter, one.length, one.count) for one in rods(crate.outcome)] == [(3, 15.4, 2)]
    assert rods(crate.outcome, frozenset({5})) == ()


def test_a_clamp_holds_a_block_and_a_band_a_ball():
    block = subject_of(solid_of(box(40, 30, 60)), recipe=(CUT,))
    move = block.dry.moves[0]
    held = holding([piece.solid for piece in block.outcome.pieces], move, np.array(block.outcome.contacts[0].place))
    assert held.by_clamp
    assert held.squeezed == pytest.approx(40 * 30, rel=0.03)  # all of both ends
    assert held.girth == pytest.approx(2 * (30 + 60), rel=1e-6)  # the shorter way around
    ball = subject_of(sphere(20.0), recipe=(CUT.model_copy(update={"offset": 0.0}),))
    move = ball.dry.moves[0]
    held = holding([piece.solid for piece in ball.outcome.pieces], move, np.zeros(3))
    assert held.girth == pytest.approx(2 * math.pi * 20, rel=0.01)
    assert held.squeezed < 0.05 * math.pi * 20**2  # a cap of 8 degrees: sin² 8° = 2 % of the circle


def test_a_drawing_is_to_scale_and_shows_faces_of_a_cut():
    block = solid_of(box(40, 30, 60))
    front = drawn([DrawnBody(block.vertices, block.triangles, "7")], view_from(0, 0), 400, 600)
    seen = front.pixels < 255
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    wide, high = np.ptp(columns) + 1, np.ptp(rows) + 1
    assert high == pytest.approx(596, abs=4)
    assert wide / high == pytest.approx(40 / 60, rel=0.01)
    above = drawn([DrawnBody(block.vertices, block.triangles)], view_from(0, 90), 400, 600)
    assert above.aspect == pytest.approx(40 / 30, rel=0.02)
    top = block.normals[:, 2] > 0.5
    plain = drawn([DrawnBody(block.vertices, block.triangles)], view_from(30, 30), 300, 300).pixels
    hatched = drawn([DrawnBody(block.vertices, block.triangles, hatched=top)], view_from(30, 30), 300, 300).pixels
    half = len(plain) // 2
    assert (plain != hatched)[:half].mean() > 0.05  # only above
    assert (plain != hatched)[half + 60 :].mean() == 0.0
    with Image.open(io.BytesIO(front.png)) as picture:
        assert np.array_equal(np.asarray(picture), front.pixels)


def test_a_bed_is_drawn_to_scale_from_above(crate):
    lies = [("1", crate.laid[0].outline)]
    pixels = plan_of(220, 220, lies, [(0, 0, 20, 20)], 442, 442).pixels
    assert pixels.shape == pytest.approx((442, 442), abs=2)
    x0, y0, x1, y1 = (2 * value for value in crate.laid[0].outline.bounds)
    inside = pixels[int(442 - y1) + 4 : int(442 - y0) - 4, int(x0) + 4 : int(x1) - 4]
    assert np.median(inside) == 235
    assert np.median(pixels[405:438, 4:36]) == 225  # what is kept free, at the front left


def test_the_typeface_keeps_its_widths():
    made, own = TTFont(Path(pdf.__file__).with_name("fonts") / "strong.ttf"), TTFont(FONT)
    has = set(map(chr, made.getBestCmap()))
    assert set("Größe Łódź Ωмм² □ − ≥ “x”") <= has
    assert "舵" not in has
    assert made["maxp"].tableVersion == 0x00010000
    for letter in has:
        wide = [font["hmtx"][font.getBestCmap()[ord(letter)]][0] for font in (made, own)]
        assert wide[0] == wide[1]


def test_cancelled_half_way_nothing_is_written(crate):
    calls = iter(range(10**6))
    with pytest.raises(Cancelled):
        sheet_of(crate, job=Job(lambda *_: None, lambda: next(calls) > 3))


def test_by_command_beside_the_beds(tmp_path):
    block, out = tmp_path / "block.stl", tmp_path / "out"
    box(40, 30, 60).export(block)
    found = answer("handoff", block, "--straight", 0, 0, 1, 20, "--sheet", "letter", "--out", out)
    assert found["sheet"] == "sheet.pdf"
    assert {"sheet.pdf", "sheet.html"} <= {file.name for file in out.iterdir()}
    assert float(pages_of((out / "sheet.pdf").read_bytes())[0].mediabox.width) == pytest.approx(612)
    before = {file.name: file.read_bytes() for file in out.iterdir()}
    for name in ("job.json", "pieces.csv", "bed-1.3mf"):
        (out / name).unlink()
    for file in out.glob("*.stl"):
        file.unlink()
    assert call("handoff", block, "--straight", 0, 0, 1, 20, "--sheet", "--out", out).returncode == 1
    assert {file.name: file.read_bytes() for file in out.iterdir()} == {
        name: before[name] for name in ("sheet.pdf", "sheet.html")
    }
    again = answer("handoff", block, "--straight", 0, 0, 1, 20, "--out", out / "plain")
    assert again["sheet"] is None
