"""Mesh formats without plans: STL, OBJ, PLY, OFF, GLB and glTF. Most are read by trimesh.

GLB and glTF use metres, with +Y up (Khronos glTF 2.0 specification, section 3.4). The others state no unit.
"""

from __future__ import annotations

import os
import re
from dataclasses import replace
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import manifold3d
import numpy as np
from pydantic_core import from_json

from ..arrays import Floats, Ints, Ints32
from ..document.regular_files import open_regular
from ..errors import UnreadableFile
from ..locale.translate import tr
from ..mesh.stl import FACET
from .surfaces import KEPT, Surface, refuse_too_many, surface_of

Named = list[tuple[str, Floats, Ints32]]


def _loaded(source: Any, kind: str, **options: Any) -> Any:
    import trimesh  # half a second to load, and binary STL needs it not

    # coordinates that are no numbers are refused later, with a sentence of our own
    with np.errstate(all="ignore"):
        return trimesh.load(source, file_type=kind, process=False, **options)


def _stream(content: bytes | str) -> BytesIO | StringIO:
    return StringIO(content) if isinstance(content, str) else BytesIO(content)


def _named(loaded: Any) -> Named:
    """The meshes that trimesh has read, each at its place. Whatever is not a mesh is left out."""
    if not hasattr(loaded, "graph"):
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


def _arrays(mesh: Any) -> tuple[Floats, Ints32]:
    faces = np.asarray(mesh.faces, np.int64).reshape(-1, 3)
    vertices = np.asarray(mesh.vertices, float).reshape(-1, 3)
    if len(faces) and (faces.min() < 0 or faces.max() >= len(vertices)):
        raise UnreadableFile(tr("The file is damaged: it has facets with missing corners."), kept=KEPT)
    return vertices, faces.astype(np.int32)


def is_binary_stl(head: bytes, size: int) -> bool:
    """Whether a file of a given size is exactly as long as the count in its header says.

    Parameters
    ----------
    head : bytes
        The first bytes of the file.
    size : int
        The size of the file in bytes.
    """
    return size >= 84 and 84 + 50 * int.from_bytes(head[80:84], "little") == size


def read_stl(path: Path) -> Surface:
    """Read an STL, binary or text. The two are told apart by the whole content rather than by how it begins. A wrong
    count is noticed.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(4096)
    if not is_binary_stl(head, size) and head.lstrip()[:5].lower() == b"solid" and b"\0" not in head:
        content, complete = _whole_facets(path.read_bytes())
        surface = surface_of(_named(_loaded(_stream(content), "stl_ascii")))
        return surface if complete else _cut_short(surface, tr("The text ends in the middle of its facets"))
    said, room = int.from_bytes(head[80:84], "little"), (size - 84) // 50
    refuse_too_many(room)
    facets = np.fromfile(path, FACET, count=room, offset=84)
    vertices = facets["corners"].reshape(-1, 3).astype(np.float64)
    faces = np.arange(len(vertices), dtype=np.int32).reshape(-1, 3)
    surface = Surface(vertices, faces)
    if said > room:
        return _cut_short(
            surface, tr("The file says that it holds {said:,} triangles and ends after {room:,}", said=said, room=room)
        )
    if said < room:
        note = tr(
            "The file says that it contains {said:,} triangles, but it has {room:,}. All of them were "
            "read.", said=said, room=room
        )
        return replace(surface, notes=(note,))
    return surface


def _cut_short(surface: Surface, why: str) -> Surface:
    """What there is of a file that ends too early."""
    return replace(surface, complete=False, notes=(*surface.notes, tr("{why}: it was cut short.", why=why)))


def _whole_facets(content: bytes) -> tuple[bytes, bool]:
    """The text of an STL and whether it is complete; if it was cut short, only its complete facets."""
    low = content.lower()
    end = low.rfind(b"endfacet") + len(b"endfacet")
    if low.rfind(b"endsolid") >= end:
        return content, True
    return content[:end] + b"\nendsolid\n", False


def read_ply(path: Path) -> Surface:
    """Read a PLY.

    Raises
    ------
    UnreadableFile
        It is damaged.
    """
    with path.open("rb") as file:
        header = file.read(65_536).partition(b"end_header")[0]
        counts = {kind: int(count) for kind, count in _ELEMENT.findall(header)}
        refuse_too_many(counts.get(b"face", 0))
        file.seek(0)
        surface = surface_of(_named(_loaded(file, "ply")))
    if b"format ascii" in header:
        has = _lines(path.read_bytes().partition(b"end_header")[2].partition(b"\n")[2])
        if has < sum(counts.values()):
            return _cut_short(
                surface,
                tr("The file announces {sum:,} lines and ends after {has:,}", sum=sum(counts.values()), has=has),
            )
    return surface


_ELEMENT = re.compile(rb"^[ \t]*element[ \t]+(\w+)[ \t]+(\d{1,12})", re.M)


def _lines(content: bytes) -> int:
    """How many lines of a text are not empty."""
    return sum(1 for line in content.split(b"\n") if line.strip())


def read_off(path: Path) -> Surface:
    """Read an OFF.

    Raises
    ------
    UnreadableFile
        It is damaged.
    """
    content = path.read_bytes()
    lines = [line for line in (line.partition(b"#")[0].strip() for line in content.split(b"\n")) if line]
    header = 1 if lines[0][3:].split() else 2  # the counts stand behind the word, or in the line after it
    vertices, faces = (int(count) for count in b" ".join(lines[:header])[3:].split()[:2])
    refuse_too_many(faces)
    surface = surface_of(_named(_loaded(_stream(content), "off")))
    said, has = vertices + faces, len(lines) - header
    return (
        surface
        if has >= said
        else _cut_short(surface, tr("The file announces {said:,} lines and ends after {has:,}", said=said, has=has))
    )


_DEEPEST = 200
"""Nodes of a glTF inside one another."""


def read_gltf(path: Path) -> Surface:
    """Read a glTF, in binary or in text form. Other files that the text form refers to must lie beside it."""
    _check_gltf(path)
    found = _named(_loaded(str(path), path.suffix.lower().lstrip(".") or "glb"))
    return surface_of(found, "m", y_up=True)


def _check_gltf(path: Path) -> None:
    """Refuse a glTF with too many triangles, or nested too deeply, before anything is built."""
    with path.open("rb") as file:
        head = file.read(20)
        binary = head[:4] == b"glTF"
        text = file.read(int.from_bytes(head[12:16], "little")) if binary else head + file.read()
    document = from_json(text)
    for beside in buffers_beside(path, document):
        with open_regular(beside):  # a pipe would be waited for
            pass
    nodes, meshes = document.get("nodes", []), document.get("meshes", [])
    accessors = document.get("accessors", [])

    def triangles(mesh: dict[str, Any]) -> int:
        total = 0
        for part in mesh.get("primitives", []):
            number = part.get("indices", part.get("attributes", {}).get("POSITION"))
            total += int(accessors[number]["count"]) if number is not None else 0
        return total // 3

    sizes = [triangles(mesh) for mesh in meshes]
    refuse_too_many(sum(sizes[node["mesh"]] for node in nodes if "mesh" in node))
    parents = {child: number for number, node in enumerate(nodes) for child in node.get("children", [])}
    depth: dict[int, int] = {}
    for node in range(len(nodes)):
        chain: list[int] = []
        number: int | None = node
        while number is not None and number not in depth and len(chain) <= _DEEPEST:
            chain.append(number)
            number = parents.get(number)
        below = depth.get(number, 0) if number is not None else 0
        for steps, one in enumerate(reversed(chain), 1):
            depth[one] = below + steps
        if len(chain) > _DEEPEST or below + len(chain) > _DEEPEST:
            raise UnreadableFile(
                tr("The nodes of this glTF are nested too deeply."), kept=KEPT, remedy=tr("Export it flat.")
            )


def buffers_beside(path: Path, document: dict[str, Any]) -> list[Path]:
    """The existing files beside a glTF that contain parts of it (glTF 2.0 specification, 3.6.1.1).

    Parameters
    ----------
    document : dict[str, Any]
        The JSON of the glTF.
    """
    named = [one.get("uri") for kind in ("buffers", "images") for one in document.get(kind, [])]
    places = [uri for uri in named if isinstance(uri, str) and not uri.startswith("data:")]
    found = {path.parent / one for uri in places for one in (uri, unquote(uri))}
    return sorted(one for one in found if os.path.lexists(one))


def read_obj(path: Path) -> Surface:
    """Read an OBJ. Its objects are kept apart. Faces with more than four corners are triangulated in their own
    plane, because they may be concave.
    """
    content = _without_polygons(path.read_bytes())
    loaded = _loaded(_stream(content), "obj", split_objects=True, group_material=False, skip_materials=True)
    names = [name.strip().decode("utf-8", "replace") for name in re.findall(rb"^[ \t]*o[ \t]+(.*)$", content, re.M)]
    order = {name: number for number, name in reversed(list(enumerate(names)))}
    return surface_of(sorted(_named(loaded), key=lambda part: order.get(part[0], len(order))))


_MOST_CORNERS = 5_000
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
        if len(given) > _MOST_CORNERS:
            raise UnreadableFile(
                tr("The OBJ file has a face with {count:,} corners. At most {most_corners:,} can be read.",
                   count=len(given), most_corners=_MOST_CORNERS),
                kept=KEPT, remedy=tr("Export it as triangles."),
            )
        before = int(np.searchsorted(starts, found.start()))
        corners = np.array([before + number if number < 0 else number - 1 for number in given])
        if corners.min() < 0 or corners.max() >= len(points):
            raise UnreadableFile(
                tr("The OBJ file is damaged: it has faces with missing corners."), kept=KEPT
            )
        return b"\n".join(
            b"f %d %d %d" % tuple(corners[triangle] + 1) for triangle in _polygon_triangles(points[corners])
        )

    return _POLYGON.sub(divided, content)


def _polygon_triangles(rim: Floats) -> Ints:
    """The triangles of a nearly flat polygon, with the same orientation.

    Parameters
    ----------
    rim : (n, 3) float64
        Its corners in order.

    Returns
    -------
    (n - 2, 3) int64
    """
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
