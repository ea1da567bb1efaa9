"""Damages the demo props on purpose, in the ways in which files arrive in real life."""

from __future__ import annotations

import numpy as np
import trimesh

from ..core.geometry.simplify import thinned
from ..core.mesh.solid import Solid, side_by_side
from ..core.mesh.stl import FACET


def scanned_gull(gull: Solid) -> bytes:
    """A binary STL in unstated inches, with holes, flipped and doubled facets, stray specks, and corners that no
    longer meet.
    """
    solid = thinned(gull, 60_000)
    random = np.random.default_rng(7)
    middle = solid.centroids
    gone = np.zeros(len(middle), np.bool_)
    # the scanner saw neither under the foot nor the tip of a wing
    gone |= middle[:, 2] < 0.4
    gone |= np.linalg.norm(middle - [-36.0, 92.0, 91.0], axis=1) < 9.0
    for at in middle[random.choice(len(middle), 14)]:
        gone |= np.linalg.norm(middle - at, axis=1) < random.uniform(0.8, 2.4)
    kept = solid.picked(~gone)
    turned = np.linalg.norm(kept.centroids - [20.0, 30.0, 100.0], axis=1) < 14.0
    triangles = np.where(turned[:, None], kept.triangles[:, ::-1], kept.triangles)
    triangles = np.concatenate([triangles, triangles[1000:1200]])
    specks = []
    for _ in range(9):
        speck = trimesh.creation.icosphere(0, random.uniform(0.2, 0.7))
        place = [random.uniform(-70, 70), random.uniform(-80, 80), random.uniform(5, 120)]
        specks.append(Solid(np.asarray(speck.vertices) + place, np.asarray(speck.faces, np.int32)))
    whole = side_by_side([Solid(kept.vertices, triangles), *specks])
    corners = whole.vertices[whole.triangles]
    # each facet has its own corners in an STL, and a careless writer rounds them one by one
    frayed = np.linalg.norm(corners.mean(axis=1) - [50.0, 0.0, 118.0], axis=1) < 12.0
    corners[frayed] += random.uniform(-0.002, 0.002, corners[frayed].shape)
    record = np.zeros(len(corners), FACET)
    record["corners"] = corners / 25.4
    return b"scan".ljust(80, b" ") + len(record).to_bytes(4, "little") + record.tobytes()


def lantern_in_parts(lantern: Solid) -> bytes:
    """An OBJ with several objects: the lantern, a wall bracket that intersects it, a hook beside it, and generated
    support posts.
    """
    body = thinned(lantern, 24_000)
    bar = trimesh.creation.box((16, 110, 14))
    bar.apply_translation([0, 100, 275])
    plate = trimesh.creation.cylinder(34, 10, sections=64)
    plate.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0]))
    plate.apply_translation([0, 158, 275])
    ring = trimesh.creation.torus(12, 3.2, major_sections=64, minor_sections=24)
    ring.apply_translation([110, 0, 3.2])
    posts = []
    for x in (-60, -30, 30, 60):
        post = trimesh.creation.cylinder(1.2, 180, sections=12)
        post.apply_translation([x, 70.0 - abs(x) / 2, 90])
        posts.append(post)
    parts = {
        "Lantern": (body.vertices, body.triangles), "Wall bracket": _plain(trimesh.util.concatenate([bar, plate])),
        "Spare ring": _plain(ring), "Supports": _plain(trimesh.util.concatenate(posts)),
    }
    lines, start = ["# harbour lantern, exported in parts"], 1
    for name, (vertices, triangles) in parts.items():
        lines.append(f"o {name}")
        lines += [f"v {x:.3f} {y:.3f} {z:.3f}" for x, y, z in vertices.tolist()]
        lines += [f"f {a} {b} {c}" for a, b, c in (np.asarray(triangles) + start).tolist()]
        start += len(vertices)
    return ("\n".join(lines) + "\n").encode()


def _plain(mesh: trimesh.Trimesh) -> tuple[np.ndarray, np.ndarray]:
    return np.asarray(mesh.vertices), np.asarray(mesh.faces)


def hook_on_y(hook: Solid) -> bytes:
    """A GLB in metres with +Y up, as its specification requires."""
    light = thinned(hook, 30_000)
    vertices = light.vertices[:, [0, 2, 1]] * [0.001, 0.001, -0.001]
    return trimesh.Scene({"Tentacle hook": trimesh.Trimesh(vertices, light.triangles, process=False)}).export(
        file_type="glb"
    )
