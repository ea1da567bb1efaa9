"""Rules of the house: which way imports go, and what gets loaded."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


def loaded_by(statement: str) -> set[str]:
    """Top-level names of the modules that a fresh interpreter has loaded after a statement."""
    program = f"{statement}\nimport sys\nprint(' '.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, encoding="utf-8", check=True)
    return set(done.stdout.split())


def test_imports_go_one_way():
    program = Path(sys.executable).with_name("lint-imports")
    done = subprocess.run([program], cwd=ROOT, capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == 0, done.stdout
    assert "3 kept, 0 broken" in done.stdout


@pytest.mark.parametrize("module", ["deft_slab.core.workshop", "deft_slab.core.handoff.pieces", "deft_slab.commands"])
def test_core_and_commands_load_no_toolkit(module):
    loaded = loaded_by(f"import {module}")
    assert not {name for name in loaded if name.split(".")[0] in ("PySide6", "vtkmodules", "vtk", "pyvista")}


def test_the_window_starts_without_what_is_slow_to_load():
    loaded = {name.split(".")[0] for name in loaded_by("import deft_slab.desk.app")}
    assert "PySide6" in loaded
    assert not loaded & {"vtkmodules", "numba", "scipy", "trimesh"}


def test_what_is_asked_and_answered_is_light_to_load():
    loaded = {name.split(".")[0] for name in loaded_by("import deft_slab.desk.requests, deft_slab.core.handoff.pieces")}
    assert not loaded & {"numba", "scipy", "trimesh", "PySide6"}
