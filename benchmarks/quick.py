"""What a user feels, as ratios within one run: ``./deft bench quick`` (one to two minutes).

Each line is the processor time of a piece of work over that of a yardstick on the same machine in the same run: the
packages' own imports, a plain boolean, or the kernels alone. The last figures are kept in ``quick.json``; a line that
takes half as long again, twice in a row, fails. ``--keep`` writes the figures of this run there.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
import trimesh
from report import best_of, loaded, say, summed_up

from deft_slab.core.cuts import StraightCut
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.batch_figures import sketches
from deft_slab.core.figures.exposure import exposure, spread_directions
from deft_slab.core.figures.piece_figures import measure
from deft_slab.core.geometry.place_on_bed import downs_to_rotations
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.inspection.inspect import check
from deft_slab.core.layers.regions import regions_of
from deft_slab.core.layers.sections import Levels, Slicer
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.progress import QUIET
from deft_slab.core.search.results import CutWishes
from deft_slab.core.search.ways import WaySearch

KEPT = Path(__file__).with_name("quick.json")
WORSE = 1.5
"""What fails, as a multiple of the figure that is kept: machines differ by less, regressions that are felt by more."""


def of_programs() -> float:
    """The processor time of all programs that were started and have ended, in s."""
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def own(work: Callable[[], object], times: int = 3) -> float:
    """The least processor time of this process for some work, in s."""
    return best_of(times, work, time.process_time)


def child(*words: str, times: int = 3) -> float:
    """The least processor time of a Python program, in s."""
    started = partial(subprocess.run, [sys.executable, *words], check=True, stdout=subprocess.DEVNULL)
    return best_of(times, started, of_programs)


def program(*words: str, times: int = 3) -> float:
    return child("-m", "deft_slab.cli", *words, times=times)


def commands(folder: Path) -> dict[str, float]:
    """Commands and the start, against importing the packages that no command does without."""
    small, large = folder / "rod.stl", folder / "ball.stl"
    trimesh.creation.cylinder(8, 30).export(small)
    ball = trimesh.creation.icosphere(8, 60.0)
    ball.export(large)
    imports = child("-c", "import numba, numpy")
    loading = "import deft_slab.core.warm as warm; warm.warm()"
    solid = Solid(np.array(ball.vertices), np.array(ball.faces))
    kernels = own(lambda: measure(solid, np.eye(3), exposed=exposure(solid)), 1)
    return {
        "measure of a small STL / importing numba and numpy": program("measure", str(small)) / imports,
        "seats of a small STL / importing numba and numpy": program("tilt", str(small)) / imports,
        "loading all compiled kernels / importing numba and numpy": child("-c", loading) / imports,
        "loading the window / importing numba and numpy": child("-c", "import deft_slab.desk.start") / imports,
        "measure of 1.3 million triangles / its kernels alone": program("measure", str(large), times=1) / kernels,
    }


def figures() -> dict[str, float]:
    """Figures after an edit, against a plain boolean; searches and checks, against the kernels alone."""
    printer, solid = default_printer(), loaded("gull")
    model = Model("Gull", solid, 1e-6)
    evaluator, plan = Evaluator(model), Plan(model=model.ref)
    middle = float(solid.bounds[:, 2].mean())

    def cut(z: float) -> Plan:
        return plan.changed(recipe=(StraightCut(id="c1", name="Cut", normal=(0.0, 0.2, 1.0), offset=z),))

    evaluator.evaluate(plan, printer)
    evaluator.ready(plan)
    places = iter(np.linspace(middle - 5.0, middle + 5.0, 40).tolist())
    boolean = own(lambda: [part.num_tri() for part in solid.manifold.split_by_plane((0.0, 0.2, 1.0), middle)])
    exact = own(lambda: evaluator.evaluate(cut(next(places)), printer))
    live = own(lambda: evaluator.evaluate(cut(next(places)), printer, detail="quick"))
    light = thinned(loaded("hook"), 4_000, QUIET)
    rotations = downs_to_rotations(spread_directions(200))
    sketched = own(lambda: sketches(light, rotations, 45.0, 72))
    hook = Model("Hook", Solid(light.vertices, light.triangles), 1e-6)

    def ways() -> None:
        fresh, uncut = Evaluator(hook), Plan(model=hook.ref)
        WaySearch(fresh, uncut, printer, CutWishes(pieces=2)).to_end()

    slicer = Slicer.of(solid, solid.vertices - [0.0, 0.0, solid.bounds[0, 2]])
    layers = own(lambda: regions_of(slicer, Levels(0.0, 0.2, float(solid.size[2])), 0.2))
    return {
        "exact figures after a cut, gull / a boolean split of it": exact / boolean,
        "live figures of a dragged cut, gull / a boolean split of it": live / boolean,
        "plans of two pieces, hook of 4,000 triangles / 200 seats of it sketched": own(ways, 1) / sketched,
        "check of a gull / its layers alone": own(lambda: check(Evaluator(model), plan, printer)) / layers,
    }


def main(given: list[str]) -> int:
    """1 if a line got worse."""
    kept = json.loads(KEPT.read_text("utf-8")) if KEPT.exists() else {}
    with tempfile.TemporaryDirectory() as folder:
        parts = (partial(commands, Path(folder)), figures)
        found: dict[str, float] = {}
        for part in parts:
            once = part()
            if any(once[name] > WORSE * kept.get(name, np.inf) for name in once):
                again = part()  # a busy machine can slow down one half of a ratio, but hardly the same one twice
                once = {name: min(once[name], again[name]) for name in once}
            for name, ratio in once.items():
                before = kept.get(name, ratio)
                goal = f"at most half as much again as the {before:.2f} that are kept"
                say(name, f"{ratio:.2f}", goal, ratio <= WORSE * before)
            found |= once
    if "--keep" in given:
        KEPT.write_text(json.dumps({name: round(ratio, 2) for name, ratio in found.items()}, indent=2) + "\n", "utf-8")
    return summed_up()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
