"""Makes the demo files again: ``python -m deft_slab.demo.make``."""

from __future__ import annotations

import sys

import numpy as np

from ..core.cuts import StraightCut
from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.piece_files import write_project, write_surface
from ..core.exporting.safe_writing import write_whole
from ..core.geometry.orientation import Tilt
from ..core.importing.surfaces import Surface, tidy
from ..core.mesh.solid import Solid
from ..core.plan.model import Model
from ..core.plan.plan import Plan
from ..core.plan.project import Choice, Project
from ..core.printers.profile import default_printer
from . import MODELS, PROJECT, TROUBLED
from .exact import ring_step
from .props import gull, helmet, hook, lantern, puppet
from .troubled import hook_on_y, lantern_in_parts, scanned_gull

_FINENESS = 0.012
"""mm: how far thinning may move the surface; flats lose most of their triangles to it."""


def make(build) -> Model:
    """Build one prop: closed and slightly simplified, with coordinates as they come back from a file."""
    vertices, triangles, name = build()
    body = Solid(vertices, triangles).manifold.simplify(_FINENESS)
    parts = sorted(body.decompose(), key=lambda part: -part.volume())
    light = Solid.from_manifold(parts[0], {})
    # hundredths of a millimetre keep the files small
    surface = tidy(Surface(np.round(light.vertices, 2), light.triangles))
    solid = Solid(surface.vertices, surface.triangles)
    if solid.defects.sentence():
        raise SystemExit(f"{name}: {solid.defects.sentence()}")
    return Model(name, solid, surface.grid)


def gull_project(model: Model) -> Project:
    """A project with two choices: standing on its tail, and level halves through the wings."""
    stands = Plan(model=model.ref)
    tail = stands.changed(tilt=Tilt.turn((0, 1, 0), -100))
    cut = StraightCut(id="c1", name="Through the wings", normal=(0, 0, 1), offset=95.0)
    halves = stands.with_cut(cut)
    choices = (
        Choice(id="k1", name="On the tail", plan=tail),
        Choice(id="k2", name="Two halves, level", plan=halves),
    )
    return Project(title="Gull figurehead", plan=stands, choices=choices)


def main() -> int:
    models = {}
    for key, build in (("gull", gull), ("lantern", lantern), ("hook", hook), ("helmet", helmet),
                       ("puppet", puppet)):
        model = models[key] = make(build)
        write_surface(model, MODELS[key])
        size = " x ".join(f"{value:.0f}" for value in model.solid.size)
        size_on_disk = MODELS[key].stat().st_size
        print(f"{model.name}: {len(model.solid.triangles):,} triangles, {size} mm, {size_on_disk:,} bytes")
        if key == "gull":
            project, printer = gull_project(model), default_printer()
            pieces = Evaluator(model).evaluate(project.plan, printer).pieces
            write_project(project, model, pieces, printer, PROJECT)
    write_whole(TROUBLED["damaged"], scanned_gull(models["gull"].solid))
    write_whole(TROUBLED["bodies"], lantern_in_parts(models["lantern"].solid))
    write_whole(TROUBLED["exact"], ring_step(58.0, 50.0, 9.0).encode())
    write_whole(TROUBLED["standing-on-y"], hook_on_y(models["hook"].solid))
    return 0


if __name__ == "__main__":
    sys.exit(main())
