"""Many props: hands off a folder of models, each in a process of its own, with one report on all of them."""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import json
import os
import subprocess
import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

from pydantic_core import from_json

from .. import __version__
from ..core.document.regular_files import read_regular
from ..core.errors import BadPlan, DeftError, SaveFailed
from ..core.exporting.container_3mf import part_of
from ..core.exporting.csv_tables import as_csv
from ..core.exporting.naming import slug
from ..core.exporting.safe_writing import make_folder, write_whole
from ..core.exporting.sheet.blocks import Block, Heading, Points, SheetTable, Words
from ..core.exporting.sheet.html import as_html
from ..core.formats import READ
from ..core.importing.meshes import buffers_beside
from ..core.importing.surfaces import shown
from ..core.importing.threemf import PLAN_PATH
from ..core.locale import preferences, text
from ..core.locale.translate import tr
from ..core.printers.profile import shipped_printers
from .arguments import BadArgument

REPORT = ("report.html", "report.csv")
_KEPT = "batch.json"
"""The report on a model, in its folder: it is not done again while nothing of it has changed."""
_FIELDS = ("file", "state", "pieces", "beds", "hours", "material_g", "cost", "problem", "folder")


def run(arguments: argparse.Namespace) -> dict[str, object]:
    models = _models(arguments.folder)
    part, parts = _part(arguments.part)
    own = models[part - 1 :: parts]
    folders = _folders(models, arguments.out)[part - 1 :: parts]
    make_folder(arguments.out)
    say = partial(_say, len(own), arguments)
    with ThreadPoolExecutor(arguments.jobs or os.cpu_count() or 1) as pool:
        rows = list(pool.map(lambda one: say(_one(one[0], one[1], arguments)), zip(own, folders, strict=True)))
    arguments.failed = any(row["state"] == "failed" for row in rows)
    if parts == 1:
        write_whole(arguments.out / REPORT[0], _as_html(rows, arguments))
        write_whole(arguments.out / REPORT[1], _as_csv(rows))
    counts = {state: sum(row["state"] == state for row in rows) for state in ("done", "kept", "failed")}
    return {"models": rows, **counts, "report": None if parts > 1 else REPORT[0]}


def _models(folder: Path) -> list[Path]:
    try:
        found = sorted(path for path in folder.iterdir() if path.suffix.lower() in READ and path.is_file())
    except OSError as error:
        raise BadPlan(tr("The folder {folder} cannot be read ({why}).", folder=folder, why=error.strerror)) from error
    if not found:
        raise BadPlan(
            tr("There is no model in {folder}.", folder=folder),
            remedy=tr("Models end in {list}.", list=", ".join(READ)),
        )
    return found


def _part(given: str | None) -> tuple[int, int]:
    """The part to do and the number of parts, from "3/10"."""
    if given is None:
        return 1, 1
    which, _, of = given.partition("/")
    if not (which.isdecimal() and of.isdecimal() and 1 <= int(which) <= int(of) <= 100_000):
        raise BadArgument(tr("--part needs the number of the part and the number of parts, such as 3/10; got "
                             "{given}.", given=given))
    return int(which), int(of)


def _folders(models: Sequence[Path], out: Path) -> list[Path]:
    """A folder for each model, named after it; with the file's ending where two models have the same name."""
    names = [slug(path.stem) for path in models]
    return [
        out / (name if names.count(name) == 1 else f"{name}-{path.suffix[1:].lower()}")
        for name, path in zip(names, models, strict=True)
    ]


def _say(count: int, arguments: argparse.Namespace, row: dict[str, Any]) -> dict[str, Any]:
    """Report a finished model on stderr."""
    took = (
        tr("{beds} beds, {time}", beds=row["beds"], time=text.hours(3600 * row["hours"]))
        if row["state"] != "failed"
        else row["problem"]
    )
    if not arguments.quiet:
        said = tr("deft-slab: {file}: {state}, {took} (of {count})", file=row["file"], state=row["state"], took=took,
                  count=count)
        arguments.shows.say(said)
    return row


def _one(path: Path, folder: Path, arguments: argparse.Namespace) -> dict[str, Any]:
    """The result for a model. A model that fails does not prevent the others."""
    row: dict[str, Any] = dict.fromkeys(_FIELDS) | {"file": shown(path), "folder": folder.name}
    try:
        key = _key(path, arguments)
        kept = _kept(folder, key)
        if kept is not None and not arguments.again:
            return row | kept | {"state": "kept"}
        make_folder(folder)
        listed = _handed(path, folder, arguments)
        own = {
            "pieces": sum(len(bed["pieces"]) for bed in listed["beds"]), "beds": len(listed["beds"]),
            "hours": listed["job"]["hours"], "material_g": listed["job"]["material_g"], "cost": listed["job"]["cost"],
            "problem": "; ".join(note["says"] for note in listed["notes"]) or None, "state": "done",
        }
        files = [*listed["files"], "job.json", "pieces.csv"]
        write_whole(folder / _KEPT, json.dumps({"key": key, "row": own, "files": files}, indent=1).encode())
    except (DeftError, OSError) as error:
        return row | {"state": "failed", "problem": str(error)}
    return row | own


def _key(path: Path, arguments: argparse.Namespace) -> str:
    """A digest of everything that the output depends on: the model and the files it refers to, every file named in
    the arguments, the shipped profiles, and the format of figures and words.
    """
    named = [*arguments.rest, arguments.printer, arguments.recipe]
    words = [word for one in named if one is not None for word in (str(one), str(one).partition("=")[2])]
    found = hashlib.sha256()
    for file in [path, *_beside(path), *(Path(word) for word in words if word)]:
        found.update(str(file).encode(errors="surrogateescape"))
        with contextlib.suppress(OSError, ValueError):  # most words are no files
            found.update(read_regular(file))
    settled = [__version__, arguments.propose, arguments.recipe_scaled, arguments.rest, preferences.spoken()]
    profiles = {name: printer.model_dump_json() for name, printer in shipped_printers().items() if name in words}
    found.update(json.dumps([settled, profiles]).encode())
    return found.hexdigest()


def _beside(path: Path) -> list[Path]:
    """The files that contain parts of a model; none where the model cannot be read, which the reader reports later."""
    try:
        return buffers_beside(path, from_json(read_regular(path))) if path.suffix.lower() == ".gltf" else []
    except (OSError, ValueError, AttributeError, TypeError):
        return []


def _kept(folder: Path, key: str) -> dict[str, Any] | None:
    """The earlier report on a model; None if anything has changed since."""
    try:
        found = from_json((folder / _KEPT).read_bytes())
        whole = all((folder / name).is_file() for name in found["files"])
        return dict(found["row"]) if found["key"] == key and whole else None
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _handed(path: Path, folder: Path, arguments: argparse.Namespace) -> dict[str, Any]:
    printer = [] if arguments.printer is None else ["--printer", arguments.printer]
    rest = [*arguments.rest, "--out", str(folder), "--replace", "--json"]
    if part_of(path, PLAN_PATH) is not None:
        return _called(["run", str(path), *printer, *rest])
    recipe = arguments.recipe
    if arguments.propose is not None:
        fit = ["--fit", arguments.printer] if arguments.printer is not None else []
        found = _called(
            ["propose", str(path), "--pieces", str(arguments.propose), *fit, "--top", "1", "--mend", "--json"]
        )
        if not found["front"]:
            raise BadPlan(found["why_none"] or tr("No plan was found."))
        recipe = folder / "recipe.json"
        write_whole(recipe, json.dumps(found["front"][0]["recipe"], indent=1).encode())
    cuts = [] if recipe is None else ["--recipe", str(recipe)]
    if arguments.recipe is not None and arguments.recipe_scaled is not None:
        cuts += ["--recipe-scaled", arguments.recipe_scaled]
    return _called(["handoff", str(path), *cuts, *printer, "--mend", *rest])


def _called(words: Sequence[str]) -> dict[str, Any]:
    """Run a command in a process of its own, so that a crash affects nothing else.

    Raises
    ------
    SaveFailed
        The command ended with an error.
    """
    # whatever letters the terminal knows, the two processes speak UTF-8
    done = subprocess.run([sys.executable, "-m", "deft_slab.cli", *words], capture_output=True, encoding="utf-8",
                          env={**os.environ, "PYTHONIOENCODING": "utf-8"}, check=False)
    if done.returncode not in (0, 3):
        said = done.stderr.strip().splitlines()
        raise SaveFailed(
            said[-1].removeprefix("deft-slab: ")
            if said
            else tr("It ended with exit code {returncode}.", returncode=done.returncode)
        )
    return dict(json.loads(done.stdout))


def _as_csv(rows: Sequence[dict[str, Any]]) -> bytes:
    return as_csv([_FIELDS, *([row[name] for name in _FIELDS] for row in rows)]).encode(errors="replace")


def _as_html(rows: Sequence[dict[str, Any]], arguments: argparse.Namespace) -> bytes:
    done = [row for row in rows if row["state"] != "failed"]
    failed = [row for row in rows if row["state"] == "failed"]
    lines = [
        (row["file"], f"{row['pieces']}", f"{row['beds']}", text.hours(3600 * row["hours"]),
         text.grams(row["material_g"]), f"{row['cost']:,.2f}", row["folder"])
        for row in done
    ]
    lines.append((
        tr("Total"), f"{sum(row['pieces'] for row in done)}", f"{sum(row['beds'] for row in done)}",
        text.hours(3600 * sum(row["hours"] for row in done)), text.grams(sum(row["material_g"] for row in done)),
        f"{sum(row['cost'] for row in done):,.2f}", "",
    ))
    how = tr("uncut") if arguments.propose is None and arguments.recipe is None else (
        tr("by the plan with the least support left, in at most {propose} pieces", propose=arguments.propose)
        if arguments.propose is not None
        else tr("by {name}", name=arguments.recipe.name)
    )
    blocks: list[Block] = [
        Heading(tr("{name}: {count} models", name=arguments.folder.name, count=len(rows)), level=1),
        Words(tr("Cut: {how}.", how=how)),
        SheetTable((tr("model"), tr("pieces"), tr("beds"), tr("time"), tr("material"), tr("cost"), tr("folder")),
              tuple(lines), (3, 1, 1, 1, 1, 1, 3),
              frozenset(range(1, 6)), frozenset({len(lines) - 1})),
    ]
    if failed:
        blocks += [
            Heading(tr("Failed")),
            Points(tuple(f"{row['file']}: {row['problem']}" for row in failed)),
        ]
    noted = [row for row in done if row["problem"]]
    if noted:
        blocks += [Heading(tr("Worth knowing")), Points(tuple(f"{row['file']}: {row['problem']}" for row in noted))]
    return as_html(blocks, tr("{name}: report", name=arguments.folder.name))
