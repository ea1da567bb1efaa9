"""What commands print with --json is as docs/schemas says, and all of them have a schema there."""

from __future__ import annotations

import json
import shlex
import shutil
import threading
from pathlib import Path

import jsonschema
import pytest

from deft_slab.commands.parser import parser
from deft_slab.core.cuts import StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_project, write_solid
from deft_slab.core.importing.readers import open_file
from deft_slab.core.joins import KeyJoin
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Choice, Project
from deft_slab.core.plan.recipe import Recipe
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.standin.machine import Machine
from deft_slab.standin.server import Server
from tests.core.test_commands import call
from tests.shapes import box, hollow_ball, joined, sphere

SCHEMAS = Path(__file__).parents[2] / "docs/schemas"
CUT = ("--straight", 0, 0, 1, 40)
COMMANDS = (
    "batch", "check", "coupon", "cut", "handoff", "hollow", "join", "measure", "mend", "posts", "propose", "run",
    "sweep", "tilt",
)
"""Those that end by themselves and need nothing that listens."""


def files(folder: Path) -> dict[str, Path]:
    """Some models, and a project."""
    lamp = joined(box(40, 40, 60), box(80, 30, 20, (0.0, 0.0, 40.0)))
    found = {name: folder / f"{name}.stl" for name in ("lamp", "ball", "cup", "open", "hung")}
    write_solid(lamp, "Lamp", found["lamp"])
    write_solid(sphere(20.0, 3), "Ball", found["ball"])
    write_solid(hollow_ball(20.0, 17.0, 3), "Cup", found["cup"])
    # a tongue that hangs from a plate, and begins in the air
    hung = joined(box(10, 10, 40), box(60, 10, 4, (20.0, 0.0, 38.0)), box(4, 4, 20, (40.0, 0.0, 20.0)))
    write_solid(hung, "Hung", found["hung"])
    whole = box(30, 30, 30)
    whole.update_faces([True] * (len(whole.faces) - 1) + [False])
    whole.export(found["open"])
    model = open_file(found["lamp"]).model
    plan = Plan(model=model.ref, recipe=(StraightCut(id="c1", name="Waist", normal=(0, 0, 1), offset=40.0),))
    printer = default_printer()
    pieces = Evaluator(model).evaluate(plan, printer).pieces
    project = Project(
        title="Lamp", plan=plan, printer=printer, choices=(Choice(id="k1", name="Whole", plan=plan.as_it_came),
                 Choice(id="k2", name="Two halves, level", plan=plan)),
    )
    found["project"] = folder / "lamp-project.3mf"
    write_project(project, model, pieces, printer, found["project"])
    (folder / "many").mkdir()
    found["many"] = folder / "many"
    write_solid(lamp, "Lamp", folder / "many/lamp.stl")
    (folder / "many/broken.stl").write_bytes(b"nothing")
    return found


def samples(at: dict[str, Path], out: Path) -> dict[str, list[tuple[object, ...]]]:
    """Calls of each command that between them say all that it may say."""
    o = iter(out / str(n) for n in range(100))
    return {
        "measure": [
            (at["lamp"],), (at["lamp"], "--unit", "in"), (at["project"],), (at["open"], "--wall", 1),
            (at["open"], "--mend"),
            (at["cup"], "--wearer", "head", 570, "--wall", 2),
        ],
        "check": [(at["lamp"],), (at["cup"], "--printer", "small-resin"), (at["hung"], "--printer", "small-resin")],
        "hollow": [(at["ball"], "--wall", 2, "--plugs", "--lift", 5, "--printer", "small-resin", "--out", next(o))],
        "posts": [(at["ball"], "--printer", "small-resin", "--out", next(o))],
        "mend": [(at["open"], "--out", out / "mended.stl"), (at["ball"], "--out", out / "ball.stl", "--thin", 200)],
        "tilt": [(at["lamp"], "--top", 3, "--map", 20), (at["open"],)],
        "cut": [(at["lamp"], *CUT, "--out", next(o)), (at["lamp"], *CUT, "--equal-once", "--out", next(o))],
        "join": [
            (at["lamp"], *CUT, "--auto", "--letters", "--out", next(o)),
            (at["ball"], "--straight", 0, 0, 1, 0, "--auto", "--out", next(o)),  # keys, which have a carrier
        ],
        "coupon": [
            ("--out", out / "coupon.stl"), ("--rod", 4, "--out", out / "rod.3mf"),
            ("--fitted", 0.25, "--out", out / "mine.json"),
        ],
        "handoff": [
            (at["lamp"], *CUT, "--copies", 2, "--sheet", "--out", next(o)),
            (at["ball"], "--scale", 0.3, "--printer", "small-resin", "--layers", "--pieces", "--out", next(o)),
            (at["lamp"], *CUT, "--second", "large-filament", "--beds", "--out", next(o)),
        ],
        "run": [
            (at["project"], "--beds", "--pieces", "--out", next(o)),
            (at["project"], "--choice", "Whole", "--sheet", "--out", next(o)),
        ],
        "sweep": [(at["lamp"], "--normal", 0, 0, 1, "--places", 12)],
        "propose": [(at["lamp"], "--top", 2), (at["ball"], "--flat", "--seam-limit", 0.001, "--top", 1)],
        "batch": [(at["many"], "--out", next(o))],
    }


def printed(command: str, *arguments: object) -> object:
    done = call(command, *arguments, "--json")
    assert done.returncode in (0, 1 if command == "batch" else 0), done.stderr
    return json.loads(done.stdout)


def schema_of(command: str) -> dict:
    return json.loads((SCHEMAS / f"{command}.json").read_text("utf-8"))


@pytest.fixture(scope="module")
def at(tmp_path_factory):
    return files(tmp_path_factory.mktemp("models"))


@pytest.mark.parametrize("command", COMMANDS)
def test_what_is_printed_is_as_its_schema_says(at, tmp_path, command):
    schema = schema_of(command)
    jsonschema.Draft202012Validator.check_schema(schema)
    for arguments in samples(at, tmp_path)[command]:
        jsonschema.validate(printed(command, *arguments), schema)


PAGE = Path(__file__).parents[2] / "docs/commands.md"


def examples() -> list[list[str]]:
    """The commands of the page of commands, in their order."""
    lines = PAGE.read_text("utf-8").splitlines()
    return [shlex.split(line)[1:] for line in lines if line.startswith("    deft-slab ")]


def test_the_examples_of_the_page_of_commands_work_in_one_folder_in_their_order(at, tmp_path, monkeypatch):
    """Each prints what its schema says; the files that they name lie there."""
    monkeypatch.chdir(tmp_path)
    write_solid(joined(box(16, 16, 20), box(26, 10, 6, (0.0, 0.0, 14.0))), "Prop", Path("prop.stl"))
    for name, given in (("helmet.3mf", hollow_ball(120.0, 112.0, 3)), ("scan.stl", None)):
        write_solid(given, "Helmet", Path(name)) if given else shutil.copyfile(at["open"], name)
    shutil.copyfile(at["project"], "project.3mf")
    shutil.copytree(at["many"], "models")
    Path("models/broken.stl").unlink()
    Path("token").write_text("secret")
    cut = StraightCut(id="c1", name="Waist", normal=(0, 0, 1), offset=10.0)
    key = KeyJoin(id="j1", cut="c1", between=(-1, 1), at=(8.0, 8.0, 10.0), height=3.0)
    Path("recipe.json").write_text(Recipe(cuts=(cut,), joins=(key,)).model_dump_json())
    printer = None
    asked = examples()
    assert {words[0] for words in asked} == {*COMMANDS, "printer", "send"}
    try:
        for words in asked:
            if words[0] == "printer":
                machine = Machine(shipped_printers()["small-resin"], tmp_path / "kept", speed=1e6)
                printer = Server(machine, "secret", tmp_path / "kept")
                threading.Thread(target=printer.serve_forever, daemon=True).start()
                continue
            if printer is not None:
                words = [printer.url if word.startswith("http:") else word for word in words]
            at_end = words.index("--") if "--" in words else len(words)
            json_too = words if "--json" in words else [*words[:at_end], "--json", *words[at_end:]]
            done = call(*json_too)
            assert done.returncode == 0, (words, done.stderr)
            jsonschema.validate(json.loads(done.stdout), schema_of(words[0]))
    finally:
        if printer is not None:
            printer.shutdown()
            printer.server_close()


def test_what_is_sent(at, tmp_path):
    """And what the printer itself says of the job, which is the same."""
    bed = tmp_path / "out/bed-1.3mf"
    printed("handoff", at["ball"], "--out", tmp_path / "out")
    machine = Machine(default_printer(), tmp_path / "kept", speed=1e6)
    with Server(machine, "token", tmp_path / "kept") as server:
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        found = printed("send", bed, "--to", server.url, "--token", "token", "--wait")
        server.shutdown()
        thread.join()
    jsonschema.validate(found, schema_of("send"))
    assert found["state"] == "done"


def test_every_command_that_prints_json_has_a_schema():
    (commands,) = (one.choices for one in parser()._actions if isinstance(one.choices, dict))
    with_json = {name for name, one in commands.items() if any("--json" in two.option_strings for two in one._actions)}
    assert with_json == {path.stem for path in SCHEMAS.glob("*.json")}


def test_a_schema_refuses_what_is_not_so(at):
    found = printed("measure", at["ball"])
    schema = schema_of("measure")
    for wrong in ({**found, "colour": "red"}, {name: value for name, value in found.items() if name != "size_mm"}):
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(wrong, schema)
    assert shipped_printers()
