"""What docs/extending.md says is done: its code is taken out of the page and run, its changes are made to a copy."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
import trimesh

import deft_slab
from deft_slab.core.cuts import KINDS, StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.joins import JOINS
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import Recipe, read_recipe
from deft_slab.core.printers.profile import default_printer
from tests.shapes import box, model_of, solid_of

ROOT = Path(__file__).parent.parent
PAGE = (ROOT / "docs/extending.md").read_text("utf-8")


def block(language, name):
    """A block of the page, by the words behind its fence."""
    found = re.search(rf"^```{language} {name}\n(.*?)^```$", PAGE, re.M | re.S)
    assert found is not None
    return found[1]


def run_of(name):
    """What a block of Python defines."""
    made = {"__name__": f"docs_{name}"}
    exec(compile(block("python", name), f"extending.md, {name}", "exec", dont_inherit=True), made)
    return made


def test_a_cut():
    """A post of 20 x 20 x 30 mm with a slice from 10 to 16 taken out of it: cut, named, saved and read."""
    toy = run_of("cut")["SliceCut"]
    try:
        model = model_of(solid_of(box(20, 20, 30)), "Post")
        plan = Plan(model=model.ref, recipe=(toy(id="c1", name="Slice", low=10, high=16),))
        outcome = Evaluator(model).evaluate(plan, default_printer())
        assert sorted(round(piece.solid.volume) for piece in outcome.pieces) == [2400, 4000, 5600]
        assert "Slice of the post" in [piece.name for piece in outcome.pieces]
        assert read_recipe(Recipe(cuts=plan.recipe).model_dump_json().encode()).cuts == plan.recipe
    finally:
        del KINDS["slice"]


def test_a_join():
    """A magnet of 6 x 2 mm in the faces of two halves: each loses a cylinder, and the halves stay closed."""
    toy = run_of("join")["MagnetJoin"]
    try:
        model = model_of(solid_of(box(30, 30, 40)), "Post")
        printer = default_printer()
        cut = StraightCut(id="c1", name="Waist", normal=(0, 0, 1), offset=20)
        join = toy(id="j1", cut="c1", between=(-1, 1), at=(15, 15, 20), diameter=6, thickness=2)
        plan = Plan(model=model.ref, recipe=(cut,), joins=(join,))
        outcome = Evaluator(model).evaluate(plan, printer)
        assert outcome.joins["j1"].problem == ""
        radius = 3 + printer.clearance + printer.hole_allowance / 2
        lost = 3.14159 * radius**2 * (2 + printer.clearance)
        for piece in outcome.pieces:
            assert 30 * 30 * 20 - piece.solid.volume == pytest.approx(lost, rel=0.02)
            assert trimesh.Trimesh(piece.solid.vertices, piece.solid.triangles).is_watertight
        assert plan.sized(scale=2.0).joins[0].diameter == 6
    finally:
        del JOINS["magnet"]


def changed_copy(folder, name):
    """A copy of the program with the changes of a block: a line that begins with a blank is where, with − it goes,
    with + it comes.
    """
    shutil.copytree(Path(deft_slab.__file__).parent, folder / "deft_slab",
                    ignore=shutil.ignore_patterns("__pycache__", "models"))
    for part in re.split(r"^--- src/", block("diff", name), flags=re.M)[1:]:
        path, _, changes = part.partition("\n")
        old = "\n".join(line[1:] for line in changes.splitlines() if line[0] in " -")
        new = "\n".join(line[1:] for line in changes.splitlines() if line[0] in " +")
        file = folder / path
        text = file.read_text("utf-8")
        assert text.count(old) == 1, (path, old)
        file.write_text(text.replace(old, new), "utf-8")
    return folder


ASKED = """
import json
import os
import sys
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from deft_slab.desk.messages.jobs import Jobs
from deft_slab.desk.ledger.model import COLUMNS
from deft_slab.desk.worker.process import run_process
from deft_slab.desk.desk_state import DeskState
from deft_slab.desk.window.window import Window

if __name__ == "__main__":
    app = QApplication([])
    state = DeskState(Jobs(run_process))
    window = Window(state)
    window.show()
    state.go_to(state_step := window.strip._steps.buttons()[-1].text())
    titles = [column.title for column in COLUMNS]
    head = window.ledger.table.model().headerData(1 + titles.index("glue"), Qt.Orientation.Horizontal,
                                                  Qt.ItemDataRole.ToolTipRole) if "glue" in titles else ""
    keys = window._actions.get("step_7")
    print(json.dumps([[tab.text() for tab in window.strip._steps.buttons()], titles, head,
                      keys.shortcut().toString() if keys else "", list(window.panels)]))
    state.jobs.close()
    state.close()
    sys.stdout.flush()
    os._exit(0)  # what Qt lets go of at the end is not what is asked
"""


def asked(folder):
    """What the window of a copy has."""
    (folder / "asked.py").write_text(ASKED, "utf-8")
    env = {**os.environ, "PYTHONPATH": str(folder), "QT_QPA_PLATFORM": "offscreen",
           "DEFT_SLAB_HOME": str(folder / "home")}
    done = subprocess.run([sys.executable, str(folder / "asked.py")], capture_output=True, encoding="utf-8", env=env,
                          check=False)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_a_figure(tmp_path):
    _, titles, head, _, _ = asked(changed_copy(tmp_path, "figure"))
    assert titles[titles.index("cut area") + 1] == "glue"
    assert "How: Cut area times a film of 0.2 mm." in head


def test_a_step(tmp_path):
    tabs, _, _, keys, panels = asked(changed_copy(tmp_path, "step"))
    assert tabs[-1] == "Paint"
    assert "Paint" in panels
    assert keys == "Ctrl+7"
