"""Plans: values that round-trip, are checked at the border, and find their pieces again."""

from __future__ import annotations

import json
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from deft_slab.core.cuts import Side, StraightCut
from deft_slab.core.errors import BadPlan, UnreadableFile
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.plan.piece_settings import PieceSettings
from deft_slab.core.plan.plan import ModelRef, Plan
from deft_slab.core.plan.project import Choice, Project, read_project
from deft_slab.core.printers.profile import Printer, default_printer

REF = ModelRef(name="Gull", sha256="0" * 64, grid=2**-12)
numbers = st.floats(-1e4, 1e4, allow_subnormal=False)
triples = st.tuples(numbers, numbers, numbers)
directions = triples.filter(lambda v: math.hypot(*v) > 1e-3)
names = st.text(min_size=1, max_size=20).filter(lambda text: text.isprintable())
tilts = st.tuples(*[st.floats(-1, 1)] * 4).filter(lambda q: math.hypot(*q) > 0.1).map(lambda q: Tilt.of(*q))


@st.composite
def plans(draw):
    count = draw(st.integers(0, 4))
    recipe = tuple(
        StraightCut(id=f"c{n}", name=draw(names), normal=draw(directions), offset=draw(numbers), on=draw(st.booleans()))
        for n in range(count)
    )
    wishes = tuple(
        PieceSettings(sides=(Side(cut=f"c{n}", side=draw(st.sampled_from([1, -1]))),), anchor=draw(triples),
                  seat=draw(st.none() | tilts), name=draw(st.none() | names))
        for n in range(count)
    )
    return Plan(model=REF, unit=draw(st.sampled_from(["mm", "cm", "m", "in"])), scale=draw(st.floats(0.01, 50)),
                tilt=draw(tilts), threshold=draw(st.floats(0, 89)), recipe=recipe, pieces=wishes)


@settings(max_examples=60)
@given(plans())
def test_a_project_round_trips(plan):
    project = Project(title="T", plan=plan, choices=(Choice(id="k1", name="One", plan=plan),), pinned="k1")
    assert read_project(project.model_dump_json().encode()) == project
    assert hash(plan) == hash(Plan.model_validate_json(plan.model_dump_json()))


def test_units_and_scale():
    """One inch is 25.4 mm, 12 inches 304.8; 116 % is 1.561 times the volume (common practice)."""
    plan = Plan(model=REF, unit="in")
    assert plan.factors == pytest.approx([25.4] * 3)
    assert 12 * plan.factors == pytest.approx([304.8] * 3)
    for percent, volume in ((105, 1.158), (110, 1.331), (112, 1.405), (116, 1.561)):
        assert (percent / 100) ** 3 == pytest.approx(volume, abs=5e-4)
        assert plan.changed(scale=percent / 100).factors / plan.factors == pytest.approx([percent / 100] * 3)


def test_resizing_keeps_cuts_and_anchors_on_the_model():
    plan = Plan(model=REF, recipe=(StraightCut(id="c1", name="A", normal=(0, 0, 2), offset=30),),
                pieces=(PieceSettings(sides=(Side(cut="c1", side=1),), anchor=(1, 2, 3)),))
    assert plan.recipe[0].normal == (0, 0, 1)
    bigger = plan.sized(unit="in", scale=2.0)
    assert bigger.recipe[0].offset == pytest.approx(30 * 50.8)
    assert bigger.pieces[0].anchor == pytest.approx((50.8, 101.6, 152.4))
    assert bigger.sized(unit="mm", scale=1.0).recipe[0].offset == pytest.approx(30)


@pytest.mark.parametrize(
    "bad",
    [{"scale": 0}, {"scale": -1}, {"scale": math.nan}, {"unit": "furlong"}, {"threshold": 90}, {"threshold": -1}],
)
def test_what_makes_no_sense_is_refused(bad):
    with pytest.raises(BadPlan):
        Plan(model=REF).changed(**bad)


def test_cuts_are_checked():
    with pytest.raises(ValidationError, match="must not be zero"):
        StraightCut(id="c1", name="A", normal=(0, 0, 0), offset=1)
    with pytest.raises(ValidationError):
        StraightCut(id="c1", name="A", normal=(0, 0, 1), offset=math.inf)
    twice = StraightCut(id="c1", name="A", normal=(0, 0, 1), offset=1)
    with pytest.raises(ValidationError, match="same id"):
        Plan(model=REF, recipe=(twice, twice))
    with pytest.raises(ValidationError, match="length 1"):
        Tilt(w=2)
    with pytest.raises(BadPlan, match="no cut"):
        Plan(model=REF).cut("c9")


def test_editing_the_recipe():
    a, b = (StraightCut(id=i, name=i, normal=(0, 0, 1), offset=1) for i in ("c1", "c2"))
    plan = Plan(model=REF).with_cut(a).with_cut(b)
    moved = plan.with_cut(a.model_copy(update={"offset": 5.0}))
    assert [cut.offset for cut in moved.recipe] == [5.0, 1.0]
    assert plan.recipe[0].offset == 1.0
    assert [cut.id for cut in plan.without_cut("c1").recipe] == ["c2"]
    assert plan.fresh_id() == "c3"
    assert plan.without_cut("c1").fresh_id() == "c1"
    wish = PieceSettings(sides=(Side(cut="c7", side=1),), anchor=(0, 0, 0))
    renamed = wish.model_copy(update={"name": "Head"})
    assert plan.with_wish(wish).with_wish(renamed, wish).pieces == (renamed,)


def test_a_newer_project_and_a_damaged_one_say_so():
    text = Project(title="T", plan=Plan(model=REF)).model_dump_json()
    newer = json.loads(text) | {"version": 2, "hologram": True}
    with pytest.raises(UnreadableFile, match="newer version") as caught:
        read_project(json.dumps(newer).encode())
    assert "unchanged" in caught.value.kept
    for damaged in (b"", b"{", b"[]", b"\xff\xfe", text.replace('"offset"', '"off').encode()[:-9], b'{"version": 1}'):
        with pytest.raises(UnreadableFile, match="damaged"):
            read_project(damaged)


def test_the_shipped_printer():
    printer = default_printer()
    assert (printer.bed_x, printer.bed_y, printer.height) == (220, 220, 250)
    with pytest.raises(ValidationError):
        Printer(name="x", kind="filament", bed_x=0, bed_y=1, height=1)
