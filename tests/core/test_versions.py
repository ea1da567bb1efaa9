"""What older versions have kept is read, copied before it is written anew, and what newer ones kept is left alone."""

from __future__ import annotations

import pytest

from deft_slab.core.document import migrations
from deft_slab.core.document.marks import Mark
from deft_slab.core.document.migrations import NewerVersion, Versions
from deft_slab.core.errors import BadPlan, UnreadableFile
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_project
from deft_slab.core.exporting.safe_writing import keep_beside
from deft_slab.core.importing.readers import open_file
from deft_slab.core.plan import project as project_module
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Choice, Project, read_project
from deft_slab.core.plan.recipe import read_recipe
from deft_slab.core.printers.profile import default_printer, read_printer
from tests.shapes import box, model_of, solid_of

MARK = Mark(meaning="show", shape="ball", places=((1.0, 2.0, 3.0),), reach=4.0)


@pytest.fixture
def toy():
    kind = Versions("toy", 3)

    @kind.step(1)
    def renamed(data):
        return {**{name: value for name, value in data.items() if name != "big"}, "size": data["big"]}

    @kind.step(2)
    def in_mm(data):
        return {**data, "size": 10 * data["size"]}

    yield kind
    del migrations.KINDS["toy"]


def test_every_version_of_every_kind_has_a_step_to_the_next():
    import deft_slab.desk.storage.presets  # noqa: F401
    import deft_slab.desk.storage.settings  # noqa: F401 - they register their kinds

    assert set(migrations.KINDS) == {"project", "recipe", "printer profile", "settings", "preset"}
    assert [kind.name for kind in migrations.KINDS.values() if kind.missing] == []


def test_steps_follow_each_other_and_change_nothing_that_they_are_given(toy):
    first = {"big": 2}
    assert toy.brought_up(first) == {"size": 20, "version": 3}
    assert first == {"big": 2}
    assert toy.brought_up({"size": 2, "version": 2}) == {"size": 20, "version": 3}
    assert toy.brought_up({"size": 2, "version": 3}) == {"size": 2, "version": 3}
    with pytest.raises(NewerVersion):
        toy.brought_up({"version": 4})
    for wrong in (True, 0, -1, "2", 1.5, None):
        with pytest.raises(ValueError, match="not a version"):
            toy.brought_up({"version": wrong})


@pytest.mark.parametrize("read", [read_project, read_recipe, read_printer])
def test_newer_ones_are_said_to_be_newer(read):
    with pytest.raises((UnreadableFile, BadPlan), match="newer version"):
        read(b'{"version": 99}')


@pytest.fixture
def project():
    model = model_of(solid_of(box(20, 20, 20)), "Cube")
    plan = Plan(model=model.ref, marks=(MARK,))
    kept = Choice(id="k1", name="Kept", plan=plan.changed(scale=2.0))
    return model, Project(title="Cube", plan=plan, choices=(kept,))


def test_a_saved_project_of_an_older_version_is_kept_beside_the_new_one(project, tmp_path, monkeypatch):
    model, now = project
    pieces = Evaluator(model).evaluate(now.plan, default_printer()).pieces
    path = tmp_path / "cube.3mf"
    write_project(now, model, pieces, default_printer(), path)
    before = path.read_bytes()
    with monkeypatch.context() as patched:
        patched.setattr(project_module.PROJECTS, "now", 2)
        write_project(now, model, pieces, default_printer(), path, replace=True)
    assert (tmp_path / "cube-version-1.3mf").read_bytes() == before
    write_project(now, model, pieces, default_printer(), path, replace=True)  # of this version: no copy more
    assert sorted(one.name for one in tmp_path.iterdir()) == ["cube-version-1.3mf", "cube.3mf"]
    assert open_file(path).project == now


def test_copies_beside_never_replace_each_other(tmp_path):
    path = tmp_path / "a.3mf"
    for content in (b"one", b"two", b"two", b"one"):
        path.write_bytes(content)
        keep_beside(path, "version-1")
    assert {one.name: one.read_bytes() for one in tmp_path.iterdir() if one != path} == {
        "a-version-1.3mf": b"one", "a-version-1-2.3mf": b"two",
    }
