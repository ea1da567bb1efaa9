"""Mesh formats without plans: STL, OBJ, PLY, OFF, GLB and glTF. Most are read by trimesh.

GLB and glTF: the specification (Khronos glTF 2.0, section 3.4) sets metres as the unit and +Y as up. The others state
no unit.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
import trimesh
from numpy.typing import NDArray

from ..errors import UnreadableFile
from .surfaces import Surface, surface_of

Named = list[tuple[str, NDArray[np.float64], NDArray[np.int32]]]

_KEPT = "What you have open is untouched."
_STL_FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def _loaded(source: Any, kind: str, **options: Any) -> Any:
    # coordinates that are no numbers are refused later, with a sentence of our own
    with np.errstate(all="ignore"):
        return trimesh.load(source, file_type=kind, process=False, **options)


def _named(loaded: Any) -> Named:
    """The meshes of what trimesh has read, each at its place; what is no mesh is left out."""
    if not isinstance(loaded, trimesh.Scene):
        return [("", *_arrays(loaded))] if hasattr(loaded, "faces") else []
    found = []
    for node in loaded.graph.nodes_geometry:
        matrix, geometry = loaded.graph[node]
        mesh = loaded.geometry[geometry]
        if not hasattr(mesh, "faces"):
            continue
        vertices, faces = _arrays(mesh)
        if np.linalg.det(matrix[:3, :3]) < 0:
            faces = faces[:, ::-1]
        found.append((str(node), vertices @ matrix[:3, :3].T + matrix[:3, 3], faces))
    return found


def _arrays(mesh: Any) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    faces = np.asarray(mesh.faces, np.int64).reshape(-1, 3)
    vertices = np.asarray(mesh.vertices, float).reshape(-1, 3)
    if len(faces) and (faces.min() < 0 or faces.max() >= len(vertices)):
        raise UnreadableFile("The file is damaged: it has facets with corners that are not there.", kept=_KEPT)
    return vertices, faces.astype(np.int32)


def is_binary_stl(head: bytes, size: int) -> bool:
    return size >= 84 and 84 + 50 * int.from_bytes(head[80:84], "little") == size


def read_stl(path: Path) -> Surface:
    """Binary or text, told apart by what is in it and not by how it begins; a wrong count is noticed."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(4096)
    if not is_binary_stl(head, size) and head.lstrip()[:5].lower() == b"solid" and b"\0" not in head:
        content = _whole_facets(path.read_bytes())
        return surface_of(_named(_loaded(trimesh.util.wrap_as_stream(content), "stl_ascii")))
    said, room = int.from_bytes(head[80:84], "little"), (size - 84) // 50
    notes = []
    if said > room:
        notes.append(f"The file says that it holds {said:,} triangles and ends after {room:,}: it was cut short.")
    elif said < room:
        notes.append(f"The file says that it holds {said:,} triangles and has {room:,}; all were read.")
    facets = np.fromfile(path, _STL_FACET, count=room, offset=84)
    vertices = facets["corners"].reshape(-1, 3).astype(np.float64)
    faces = np.arange(len(vertices), dtype=np.int32).reshape(-1, 3)
    return Surface(vertices, faces, notes=tuple(notes))


def _whole_facets(content: bytes) -> bytes:
    """The text of an STL; of one that was cut short, what there is of whole facets."""
    low = content.lower()
    end = low.rfind(b"endfacet") + len(b"endfacet")
    return content if low.rfind(b"endsolid") >= end else content[:end] + b"\nendsolid\n"


def read_ply(path: Path) -> Surface:
    with path.open("rb") as file:
        return surface_of(_named(_loaded(file, "ply")))


def read_off(path: Path) -> Surface:
    with path.open("rb") as file:
        return surface_of(_named(_loaded(file, "off")))


def read_gltf(path: Path) -> Surface:
    """Both the binary form and the one in text, whose other files must lie beside it."""
    found = _named(_loaded(str(path), path.suffix.lower().lstrip(".") or "glb"))
    return surface_of(found, "m", y_up=True)


def read_obj(path: Path) -> Surface:
    """Objects are kept apart; faces of more than four corners are divided in their own plane, as they may be
    concave."""
    content = _without_polygons(path.read_bytes())
    loaded = _loaded(
        trimesh.util.wrap_as_stream(content), "obj", split_objects=True, group_material=False, skip_materials=True
    )
    names = [name.strip().decode("utf-8", "replace") for name in re.findall(rb"^\s*o[ \t]+(.*)$", content, re.M)]
    order = {name: number for number, name in reversed(list(enumerate(names)))}
    return surface_of(sorted(_named(loaded), key=lambda part: order.get(part[0], len(order))))


_POLYGON = re.compile(rb"^[ \t]*f((?:[ \t]+[-\d/]+){5,})[ \t]*\r?$", re.M)
_CORNER = re.compile(rb"^[ \t]*v[ \t]+(\S+)[ \t]+(\S+)[ \t]+(\S+)", re.M)


def _without_polygons(content: bytes) -> bytes:
    """The text of an OBJ with each face of more than four corners divided into triangles."""
    if _POLYGON.search(content) is None:
        return content
    places, starts = [], []
    for found in _CORNER.finditer(content):
        places.append([float(value) for value in found.groups()])
        starts.append(found.start())
    points = np.array(places, float).reshape(-1, 3)

    def divided(found: re.Match[bytes]) -> bytes:
        given = [int(corner.split(b"/")[0]) for corner in found[1].split()]
        before = int(np.searchsorted(starts, found.start()))
        corners = np.array([before + number if number < 0 else number - 1 for number in given])
        if corners.min() < 0 or corners.max() >= len(points):
            raise UnreadableFile("The OBJ file is damaged: it has faces with corners that are not there.", kept=_KEPT)
        return b"\n".join(
            b"f %d %d %d" % tuple(corners[triangle] + 1) for triangle in _polygon_triangles(points[corners])
        )

    return _POLYGON.sub(divided, content)


def _polygon_triangles(rim: NDArray[np.float64]) -> NDArray[np.int64]:
    """(n - 2, 3) triangles of a nearly flat polygon, its corners in order, the same way round."""
    following = np.roll(rim, -1, axis=0)
    normal = np.cross(rim, following).sum(axis=0)
    length = float(np.linalg.norm(normal))
    fan = np.array([[0, k, k + 1] for k in range(1, len(rim) - 1)])
    if not np.isfinite(rim).all() or length <= 0:
        return fan
    normal = normal / length
    first = np.eye(3)[int(np.argmin(np.abs(normal)))]
    across = np.cross(normal, first)
    across /= np.linalg.norm(across)
    flat = np.stack([rim @ across, rim @ np.cross(normal, across)], axis=1)
    found = np.asarray(manifold3d.triangulate([np.ascontiguousarray(flat - flat.mean(axis=0))]), np.int64)
    return found if len(found) == len(rim) - 2 else fan
