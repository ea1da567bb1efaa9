"""How long checks and hollowing take: layers, islands, cups, minima, voids, vents. ``./deft bench check`` runs these
alone.
"""

from __future__ import annotations

import os
import resource
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import numpy as np
from report import loaded, say, summed_up

from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.hollowing.voids import least_wall, voids_of
from deft_slab.core.inspection.inspect import check, section_face
from deft_slab.core.layers.pockets import closed_air
from deft_slab.core.layers.regions import regions_of
from deft_slab.core.layers.sections import Levels, Slicer, beginnings
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.hollow import Hollow
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.core.search.vents import proposed_vents
from deft_slab.core.warm import warm

T = TypeVar("T")
_LONGEST = 150.0
"""mm: what the goals are stated for."""


def _timed(work: Callable[[], T], times: int = 3) -> tuple[float, T]:
    """(s, the least of some runs; what it made)."""
    least = np.inf
    for _ in range(times):
        start = time.perf_counter()
        found = work()
        least = min(least, time.perf_counter() - start)
    return least, found


def checking(key: str = "gull") -> None:
    """A demo model 150 mm long against what was asked for."""
    solid = loaded(key)
    solid = Solid(solid.vertices * (_LONGEST / solid.size.max()), solid.triangles)
    vertices = solid.vertices - [0.0, 0.0, solid.bounds[0, 2]]
    height, about = float(vertices[:, 2].max()), f"{key}, {len(solid.triangles):,} triangles"
    took, _ = _timed(lambda: beginnings(solid, vertices))
    per = took * 200_000 / len(solid.triangles)
    say(f"minima and their merge tree, {about}", f"{took:.3f} s, {per:.3f} s for 200,000", "0.1 s", per <= 0.1)
    slicer = Slicer.of(solid, vertices)
    for layer, row, goal in ((0.2, 0.2, 0.6), (0.05, 0.1, 2.0)):
        levels = Levels(0.0, layer, height)
        took, regions = _timed(lambda levels=levels, row=row: regions_of(slicer, levels, row))
        say(f"regions of {levels.count:,} layers of {layer} mm, {about}", f"{took:.2f} s", f"{goal} s", took <= goal)
        more, _ = _timed(lambda levels=levels, regions=regions: closed_air(regions, levels, 1, 1.0))
        say(f"cups of the same, {about}", f"{took + more:.2f} s", "4 s", took + more <= 4.0)
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    say("memory so far", f"{used:.2f} GB", "1.5 GB", used <= 1.5)
    took, voids = _timed(lambda: voids_of(solid, 2.0, 0.5, 100.0), 1)
    wall = least_wall(solid, voids)
    say(f"hollowing at 2 mm, {about}", f"{took:.1f} s, {len(voids)} voids, thinnest wall {wall:.2f} mm", "10 s, 1.5 mm",
        took <= 10 and wall >= 1.5)
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    say("memory so far", f"{used:.2f} GB", "1.2 GB", used <= 1.2)
    _whole(key, solid)


def _whole(key: str, solid: Solid) -> None:
    """What a person waits for."""
    printer = shipped_printers()["large-resin"]
    model = Model(key, solid, 1e-6)
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        shop, plan = Evaluator(model, pool.map), Plan(model=model.ref, lift=5.0)
        piece = shop.evaluate(plan, printer, detail="figures").pieces[0]
        took, _ = _timed(lambda: section_face(piece, 0.5 * piece.figures.height_mm))
        say(f"an exact section with its face, {key}", f"{1000 * took:.0f} ms", "300 ms", took <= 0.3)
        took, found = _timed(lambda: check(shop, plan, printer), 1)
        say(f"all that is checked of a piece, {found[0].layers:,} layers, {key}", f"{took:.1f} s", "6 s", took <= 6.0)
        hollow = Hollow(id="h1", anchor=piece.anchor, wall=2.0, down=piece.seat.down)
        plan = plan.with_hollow(hollow)
        shop.evaluate(plan, printer, detail="figures")
        took, vents = _timed(lambda: proposed_vents(shop, plan, "h1", printer), 1)
        plan = plan.with_hollow(hollow.model_copy(update={"vents": vents}))
        cup = max((pocket.area for pocket in check(shop, plan, printer)[0].pockets), default=0.0)
        say(f"vents proposed, {key}", f"{took:.1f} s, {len(vents)} vents, largest cup left {cup:.0f} mm²",
            f"10 s, {printer.most_cup:g} mm²", took <= 10 and cup <= printer.most_cup)


def main(names: list[str]) -> int:
    warm()
    for name in names or ["gull", "hook"]:
        checking(name)
    return summed_up()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
