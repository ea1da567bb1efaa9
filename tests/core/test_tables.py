"""What commands show a person: tables in chosen words and units, how far they are, help, examples and completions."""

from __future__ import annotations

import argparse
import io
import json
import os
import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest
import trimesh

from deft_slab.commands import tables
from deft_slab.commands.parser import EXAMPLES, parser
from deft_slab.commands.showing import ProgressLine
from deft_slab.core.locale import preferences, text
from deft_slab.core.printers.profile import shipped_printers
from tests.core.test_commands import answer, call
from tests.core.test_json import schema_of
from tests.shapes import write_bodies

RAW = re.compile(r"\w_(mm[23]?|g|deg|seconds|share|n)\b|\bNone\b|\bTrue\b|\bFalse\b|\{|\}")
"""Of what programs read: names of figures with units, and Python's own words."""
BASH = Path(__file__).parents[2] / "share/bash-completion/completions/deft-slab"


@pytest.fixture(scope="module")
def post(tmp_path_factory):
    """A post with a roof, 20 by 30 by 60 mm."""
    path = tmp_path_factory.mktemp("post") / "post.stl"
    body = trimesh.creation.box((20, 30, 60)).union(trimesh.creation.box((60, 30, 6)).apply_translation((0, 0, 27)))
    body.export(path)
    return path


CALLS = (
    ("measure", "POST", "--wall", 2),
    ("check", "POST", "--straight", 0, 0, 1, 0),
    ("hollow", "POST", "--wall", 2, "-o", "hollow"),
    ("posts", "POST", "--printer", "small-resin", "-o", "posts"),
    ("mend", "POST", "-o", "mended.stl"),
    ("tilt", "POST", "--top", 2),
    ("cut", "POST", "--straight", 0, 0, 1, 0, "-o", "cut"),
    ("join", "POST", "--straight", 0, 0, 1, 0, "--auto", "-o", "join"),
    ("handoff", "POST", "--straight", 0, 0, 1, 0, "--quick", "-o", "beds"),
    ("coupon", "-o", "coupon.stl"),
    ("sweep", "POST", "--normal", 0, 0, 1, "--places", 4),
    ("batch", "FOLDER", "-o", "batch", "--", "--quick"),
)


@pytest.mark.parametrize("words", CALLS, ids=lambda words: words[0])
def test_people_read_words_and_units(words, post, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    places = {"POST": post, "FOLDER": post.parent}
    done = call(*(places.get(word, word) for word in words))
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip()
    assert not RAW.findall(done.stdout)
    assert all(line == line.rstrip() for line in done.stdout.splitlines())
    assert max(map(len, done.stdout.splitlines())) < 200


def test_every_figure_has_a_word_and_is_in_the_answer():
    used = set()
    for command, parts in tables._SHOWN.items():
        said = json.dumps(schema_of(command))
        for part in parts:
            names = part.columns if hasattr(part, "columns") else () if part in tables._LINES else (part,)
            used |= set(names)
            for name in (*names, *([part.of] if hasattr(part, "of") else [])):
                assert f'"{name}"' in said, (command, name)
    assert used | {"name", "kind"} == set(tables.WORDS)


def test_figures_are_those_of_the_answer(post):
    found, shown = answer("measure", post), call("measure", post).stdout
    for label, value in (("Volume", text.volume(found["volume_mm3"])),
                         ("Support", text.volume(found["support_volume_mm3"])),
                         ("Size", text.box(tuple(found["size_mm"]))), ("Base area", text.area(found["base_area_mm2"])),
                         ("Print time", text.hours(found["print_seconds"]))):
        assert re.search(rf"^{label} +{re.escape(value)}$", shown, re.M), shown


def test_long_lists_are_counted():
    rows = [{"offset": float(n), "fits": True} for n in range(60)]
    lines = tables.lines_of("sweep", {"places": rows, "valleys": [-1.0, 2.5]})
    assert lines[0] == "Places"
    assert lines[-3:] == ["Best places", "  −1.0 mm", "  2.5 mm"]
    assert "  and 20 more" in lines


def run(*words: object, **env: str) -> subprocess.CompletedProcess:
    """In a process of its own: language and units are decided when it starts."""
    kept = {name: value for name, value in os.environ.items() if name not in (preferences.UNITS, preferences.NUMBERS)}
    return subprocess.run([sys.executable, "-m", "deft_slab.cli", *map(str, words)], capture_output=True,
                          encoding="utf-8", check=True, env={**kept, **env})


def test_language_units_and_signs_are_those_that_were_chosen(post, tmp_path):
    by_settings = {"language": "de", "units": "in", "numbers": "1.234,5"}
    (tmp_path / "settings.json").write_text(json.dumps(by_settings))
    worn = {"DEFT_SLAB_HOME": str(tmp_path), "LANGUAGE": "en"}
    said = run("measure", post, **worn).stdout
    assert re.search(r"^Größe +2,36 × 1,18 × 2,36 in$", said, re.M), said
    # what programs read does not hang on them
    found = json.loads(run("measure", post, "--json", **worn).stdout)
    assert found["size_mm"] == pytest.approx([60, 30, 60])


def test_what_mending_left_out_and_what_it_moved_are_told_apart(tmp_path):
    """A box without a lid, which is closed by a face 10 mm from its middle to its rim, and a speck beside it."""
    bin_ = trimesh.creation.box((20, 20, 20))
    bin_.update_faces(bin_.face_normals[:, 2] < 0.9)
    speck = trimesh.creation.icosphere(1, 0.1).apply_translation((40, 0, 0))
    write_bodies(tmp_path / "bin.3mf", {"Bin": bin_, "Speck": speck})
    done = call("mend", tmp_path / "bin.3mf", "--drop-specks", "-o", tmp_path / "closed.stl")
    assert re.search(r"^Stray specks left +0$", done.stdout, re.M)
    assert "left out" in done.stdout
    assert "from the old surface" not in done.stdout.replace("Distance from the old surface, including holes", "")


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def reported(stream: io.StringIO, **how: bool) -> str:
    shows = ProgressLine(stream, **{"quiet": False, "detailed": False, **how})
    for n in range(4):
        shows.job.step(n / 4, "Cutting")
    shows.job.step(0.5, "Seating")
    shows.say("A line that stays.")
    shows.end()
    return stream.getvalue()


def test_how_far_it_is_on_a_terminal_only(monkeypatch):
    monkeypatch.setenv("TERM", "xterm")
    seen = reported(Terminal())
    assert "Cutting … 0 %" in seen
    assert "Seating … 50 %" in seen
    assert "\n" not in seen.replace("A line that stays.\n", "")
    # the line that is written over is gone where one stays, and at the end
    assert seen.endswith("\r\x1b[KA line that stays.\n")
    for stream, how in ((io.StringIO(), {}), (Terminal(), {"quiet": True}), (io.StringIO(), {"quiet": True})):
        assert reported(stream, **how) == "A line that stays.\n"
    lines = reported(io.StringIO(), detailed=True).splitlines()
    assert [re.sub(r"\d+\.\d", "N", line) for line in lines] == [
        "deft-slab: N s: Cutting", "deft-slab: N s: Seating", "A line that stays.",
    ]
    monkeypatch.setenv("TERM", "dumb")
    assert reported(Terminal()) == "A line that stays.\n"


def test_a_piped_command_says_nothing_of_how_far_it_is(post):
    assert call("measure", post).stderr == ""
    assert "deft-slab: " in call("measure", post, "-v").stderr
    assert json.loads(call("measure", post, "-v", "-j").stdout)["closed"]


def commands() -> dict[str, argparse.ArgumentParser]:
    found = next(one for one in parser()._actions if isinstance(one.choices, dict))
    return dict(found.choices)


def test_every_command_says_what_its_arguments_are_and_how_it_ends():
    assert set(commands()) == set(EXAMPLES)
    for name, command in commands().items():
        for action in command._actions:
            assert action.help, (name, action.dest)
        said = command.format_help()
        assert f"usage: deft-slab {name}" in said
        assert "exit codes:" in said
        assert "docs/" not in said  # which is not installed with the program
        for line in EXAMPLES[name]:
            words, _, rest = line.partition(" -- ")
            parser().parse_args(shlex.split(words))
            assert not rest or name == "batch"
            assert f"deft-slab {line}" in said
    whole = parser().format_help()
    assert "[FILE | --demo] [--shot PNG]" in whole


def completed(*words: str) -> set[str]:
    """What bash offers for the last word."""
    line = " ".join(f"'{word}'" for word in words)
    script = f"source {BASH}; COMP_WORDS=({line}); COMP_CWORD={len(words) - 1}; _shtab_deft_slab; " \
             'printf "%s\\n" "${COMPREPLY[@]}"'
    done = subprocess.run(["bash", "-c", script], capture_output=True, text=True, check=True)
    return set(done.stdout.split())


def test_shells_complete_commands_options_and_profiles():
    assert "measure" in completed("deft-slab", "mea")
    assert {"--demo", "--shot"} <= completed("deft-slab", "--")
    assert {"--out", "--quiet", "-o"} <= completed("deft-slab", "cut", "x.stl", "-")
    resin = {name for name in shipped_printers() if name.startswith("small")}
    assert resin <= completed("deft-slab", "measure", "x.stl", "--printer", "small")
    assert resin <= completed("deft-slab", "propose", "x.stl", "--fit", "small")
