"""How well and how fast pieces are laid on beds, and files written. ``./deft bench beds`` runs these alone."""

from __future__ import annotations

import math
import sys
import tempfile
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import shapely
from report import loaded, say, summed_up

from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import ROUNDS, BedSearch, lay_out
from deft_slab.core.exporting.delivery import deliver
from deft_slab.core.exporting.options import Wished
from deft_slab.core.exporting.print_job import job_of
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.packing.footprint import footprint
from deft_slab.core.packing.nest import nested
from deft_slab.core.packing.shapes import Shape, Sheet
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.warm import warm
from deft_slab.demo import MODELS

_COUNT = 40
_TURNS = tuple(22.5 * n for n in range(16))
_LONG = 300.0
"""s that the search takes against which the usual one is measured."""


def _shapes() -> list[Shape]:
    """Footprints of the demo models in random seats, 40 to 120 mm long."""
    rng, solids = np.random.default_rng(7), [loaded(key) for key in sorted(MODELS)]
    found = []
    for n in range(_COUNT):
        solid = solids[n % len(solids)]
        x, y, z = rng.normal(size=3)
        outline = footprint(solid, Tilt.turn((x, y, z), float(rng.uniform(0, 360))).rotation)
        x0, y0, x1, y1 = outline.bounds
        factor = float(rng.uniform(40, 120)) / max(x1 - x0, y1 - y0)
        found.append(Shape(shapely.affinity.scale(outline, factor, factor, origin=(0, 0)), _TURNS))
    return found


def nesting(long: float) -> None:
    """The usual search against one that takes much longer, on beds and along one without end."""
    shapes, gap = _shapes(), 4.0
    for name, sheet in (("beds of 216 x 216 mm", Sheet(216.0, 216.0)), ("a bed without end", Sheet(216.0, math.inf))):
        start = time.perf_counter()
        found = nested(shapes, sheet, gap, rounds=ROUNDS)
        took = time.perf_counter() - start
        say(f"{_COUNT} pieces on {name}", f"{took:.1f} s", "5 s", took <= 5)
        best, rounds, seed, end = found, ROUNDS, 1, time.perf_counter() + long / 2
        while time.perf_counter() < end:
            other = nested(shapes, sheet, gap, rounds=10 * rounds, seed=seed)
            best, seed = min(best, other, key=lambda one: one.cost), seed + 1
        more = _area(found.sheets, found.fill, sheet) / _area(best.sheets, best.fill, sheet) - 1
        said = f"{100 * more:.1f} % ({found.sheets} beds, {found.fill:.0f} mm of the last)"
        say(f"more bed than the best of {seed - 1} searches ten times as long, {name}", said, "10 %", more <= 0.10)


def _area(sheets: int, fill: float, sheet: Sheet) -> float:
    """Of the beds that are used, the last one as far as it is."""
    return ((sheets - 1) * (sheet.deep if math.isfinite(sheet.deep) else 0.0) + fill) * sheet.wide


def writing() -> None:
    """A bed of two million triangles, written and read again."""
    solid, printer = loaded("gull"), default_printer().changed(bed_x=2000, bed_y=2000)
    while len(solid.triangles) < 500_000:
        solid = _finer(solid)
    model = Model("gull", solid, 1e-6)
    outcome = Evaluator(model).evaluate(Plan(model=model.ref), printer, detail="figures")
    pieces = [replace(outcome.pieces[0], number=n + 1, name=f"Gull {n + 1}") for n in range(4)]
    whole = replace(outcome, pieces=tuple(pieces))
    laid = lay_out(pieces, printer)
    work = job_of(whole, laid, printer, BedSearch(pieces, printer).least)
    with tempfile.TemporaryDirectory() as folder:
        start = time.perf_counter()
        (bed,) = deliver(pieces, laid, printer, "Gulls", Path(folder), Wished(pieces=(), beds=("3mf",)), work)
        took = time.perf_counter() - start
    per = took * 2e6 / bed.triangles
    said = f"{took:.1f} s, {per:.1f} s for 2 million"
    say(f"a 3MF of {bed.triangles:,} triangles, read again", said, "8 s", per <= 8)


def _finer(solid: Solid) -> Solid:
    """Each triangle in four."""
    import trimesh

    vertices, triangles = trimesh.remesh.subdivide(solid.vertices, solid.triangles)
    return Solid(vertices, triangles.astype(np.int32))


def main(given: Sequence[str]) -> int:
    warm()
    nesting(float(given[0]) if given else _LONG)
    writing()
    return summed_up()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
