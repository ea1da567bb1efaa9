"""The walk-through of the README: each of its commands is run, and prints each of its lines."""

from __future__ import annotations

import re
import shlex
import shutil
from pathlib import Path

import pytest

from deft_slab.demo import MODELS
from tests.core.test_commands import call

ROOT = Path(__file__).parent.parent
BLOCKS = re.findall(r"```console\n\$ deft-slab (.+)\n((?:.+\n)+)```", (ROOT / "README.md").read_text("utf-8"))


def test_the_walk_through_has_its_four_steps():
    assert [command.split()[0] for command, _ in BLOCKS] == ["measure", "tilt", "cut", "run"]


@pytest.mark.parametrize(("command", "said"), BLOCKS)
def test_what_the_readme_shows_is_what_is_printed(command, said, tmp_path, monkeypatch):
    for name in ("gull-figurehead.3mf", "gull-figurehead-project.3mf"):
        shutil.copy(MODELS["gull"].parent / name, tmp_path)
    monkeypatch.chdir(tmp_path)
    done = call(*shlex.split(command))
    assert done.returncode == 0, done.stderr
    printed = done.stdout.splitlines()
    assert [line for line in said.splitlines() if line not in printed] == []
