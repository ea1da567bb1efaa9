"""The worked example of docs/python.md, run as it stands."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import trimesh

from deft_slab.core.exporting.piece_files import write_solid
from tests.shapes import box, joined, solid_of

PAGE = Path(__file__).parents[2] / "docs/python.md"


def test_the_worked_example_runs(tmp_path):
    """In a process of its own, which loads neither Qt nor VTK; what it writes is read by trimesh."""
    blocks = re.findall(r"```python\n(.*?)```", PAGE.read_text("utf-8"), re.S)
    assert len(blocks) == 2
    lamp = joined(box(40, 40, 60), box(80, 30, 20, (0.0, 0.0, 40.0)))
    write_solid(lamp, "Prop", tmp_path / "prop.stl", replace=False)
    last = 'import sys\nassert not [name for name in sys.modules if name.startswith(("PySide6", "vtk"))]\n'
    done = subprocess.run(
        [sys.executable, "-c", "\n".join([*blocks, last])],
        cwd=tmp_path,
        capture_output=True,
        encoding="utf-8",
        check=False,
    )
    assert done.returncode == 0, done.stderr
    lines = done.stdout.splitlines()
    assert lines[0].startswith("whole: ")
    assert [line.split()[0] for line in lines[1:3]] == ["1", "2"]
    assert " beds, " in done.stdout
    written = sorted((tmp_path / "out").glob("*.stl"))
    assert len(written) >= 2
    assert all(trimesh.load(path).is_watertight for path in written)
    assert solid_of(trimesh.load(tmp_path / "prop.stl")).closed
