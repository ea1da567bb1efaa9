"""A zoo of shapes, and a ray estimate of support volume that shares no code with the program."""

from __future__ import annotations

import math
from collections.abc import Mapping
from pathlib import Path

import numpy as np
import pyvista
import trimesh

from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import write_project, write_surface
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.core.importing.surfaces import Surface, tidy
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.model import Model
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.progress import QUIET
from deft_slab.core.search.effort import Effort
from deft_slab.demo import MODELS, PROJECT

BRIEF = Effort(
    normals=60, later_normals=12, later_likely=8, each=1, flat_tries=3, beam=1, limbs=1, fewest=4, hung=1, paired=4,
    cells=2, finalists=2, again=1,
)
"""Where it matters what is done with ways, and not how good they are. (How good they are is measured by ``./deft bench
ways``, and here for the hook.)"""


def solid_of(mesh: trimesh.Trimesh) -> Solid:
    return Solid(np.array(mesh.vertices), np.array(mesh.faces))


def model_of(solid: Solid, name: str = "Thing") -> Model:
    surface = tidy(Surface(solid.vertices, solid.triangles))
    return Model(name, Solid(surface.vertices, surface.triangles), surface.grid)


def box(x: float, y: float, z: float, at=(0.0, 0.0, 0.0)) -> trimesh.Trimesh:
    """A box with its lowest corner at a place."""
    mesh = trimesh.creation.box((x, y, z))
    mesh.apply_translation(np.array(at) + np.array([x, y, z]) / 2)
    return mesh


def joined(*meshes: trimesh.Trimesh) -> Solid:
    """The union of bodies, by the boolean library."""
    return solid_of(trimesh.boolean.union(list(meshes), engine="manifold"))


def together(*meshes: trimesh.Trimesh) -> Solid:
    """Bodies in one surface, not united: they may touch or overlap."""
    return solid_of(trimesh.util.concatenate(list(meshes)))


def sphere(radius: float = 30.0, fine: int = 5) -> Solid:
    return solid_of(trimesh.creation.icosphere(fine, radius))


def ring(major: float, minor: float, fine: int = 160) -> Solid:
    return solid_of(trimesh.creation.torus(major, minor, major_sections=fine, minor_sections=fine // 2))


def cone(radius: float, height: float, sections: int = 256) -> Solid:
    """Point up, base at z = 0."""
    return solid_of(trimesh.creation.cone(radius, height, sections=sections))


def hollow_ball(outer: float = 30.0, inner: float = 24.0, fine: int = 4) -> Solid:
    inside = trimesh.creation.icosphere(fine, inner)
    inside.invert()
    return together(trimesh.creation.icosphere(fine, outer), inside)


def tube(inner: float, outer: float, height: float, sections: int = 128) -> Solid:
    return solid_of(trimesh.creation.annulus(inner, outer, height, sections=sections))


def without_facets(solid: Solid, drop: np.ndarray) -> Solid:
    return Solid(solid.vertices, solid.triangles[~drop])


def bundled(name: str) -> Solid:
    """An open mesh that ships inside the pyvista wheel (its examples folder)."""
    data = pyvista.read(Path(pyvista.__file__).parent / "examples" / name).triangulate()
    surface = tidy(Surface(np.array(data.points, float), data.faces.reshape(-1, 4)[:, 1:].astype(np.int32)))
    return Solid(surface.vertices, surface.triangles)


def write_bodies(path: Path, bodies: Mapping[str, trimesh.Trimesh]) -> Path:
    """A file of named bodies, where its format has names."""
    scene = trimesh.Scene()
    for name, mesh in bodies.items():
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    scene.export(path)
    return path


def light_model(name: str, folder: Path, triangles: int = 15_000) -> Path:
    """A demo model of few triangles, as a file: for tests of what is done with it and not of its figures."""
    model = open_file(MODELS[name]).model
    light = thinned(model.solid, triangles, QUIET)
    write_surface(Model(model.name, Solid(light.vertices, light.triangles), model.grid), folder / MODELS[name].name)
    return folder / MODELS[name].name


def light_project(folder: Path) -> Path:
    """The demo project with its choices, of few triangles."""
    project = open_file(PROJECT).project
    model = open_file(light_model("gull", folder)).model
    plans = {choice.id: choice.plan.changed(model=model.ref) for choice in project.choices}
    choices = tuple(choice.model_copy(update={"plan": plans[choice.id]}) for choice in project.choices)
    project = project.changed(plan=project.plan.changed(model=model.ref), choices=choices)
    pieces = Evaluator(model).evaluate(project.plan, default_printer()).pieces
    write_project(project, model, pieces, default_printer(), folder / "project.3mf")
    return folder / "project.3mf"


def ray_estimate(solid: Solid, down, threshold: float, rays: int, seed: int = 1) -> tuple[float, float]:
    """(support volume, its standard error), mm3, by shooting rays down from random points of the needy facets.

    Points are drawn by area seen from above; each ray is followed to the next surface below or to the bed. Everything
    is computed anew here from the mesh by trimesh and embree.
    """
    mesh = trimesh.Trimesh(solid.vertices, solid.triangles, process=False)
    down = np.asarray(down, float) / np.linalg.norm(down)
    mesh.apply_transform(trimesh.geometry.align_vectors(down, [0, 0, -1]))
    mesh.apply_translation([0, 0, -mesh.vertices[:, 2].min()])
    nz = mesh.face_normals[:, 2]
    rests = (mesh.vertices[mesh.faces][:, :, 2] <= 0.2).all(axis=1)
    needy = np.flatnonzero((nz < -math.sin(math.radians(threshold)) - 1e-9) & ~rests)
    if not len(needy):
        return 0.0, 0.0
    seen = mesh.area_faces[needy] * -nz[needy]
    random = np.random.default_rng(seed)
    face = needy[random.choice(len(needy), rays, p=seen / seen.sum())]
    u, v = random.random(rays), random.random(rays)
    flip = u + v > 1
    u[flip], v[flip] = 1 - u[flip], 1 - v[flip]
    a, b, c = (mesh.vertices[mesh.faces[face, k]] for k in range(3))
    start = a + u[:, None] * (b - a) + v[:, None] * (c - a)
    from trimesh.ray.ray_pyembree import RayMeshIntersector

    origins = start - [0, 0, 1e-3]
    places, index, _ = RayMeshIntersector(mesh).intersects_location(
        origins, np.tile([0.0, 0.0, -1.0], (rays, 1)), multiple_hits=False
    )
    gap = start[:, 2].copy()
    gap[index] = start[index, 2] - places[:, 2]
    return float(seen.sum() * gap.mean()), float(seen.sum() * gap.std() / math.sqrt(rays))
