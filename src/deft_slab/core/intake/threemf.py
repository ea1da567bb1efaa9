"""3MF in: any 3MF as a model, ours as a project.

A project is a valid 3MF: the pieces are its build items, the opened model an object that no build item uses, and the
plan a JSON attachment. Format: 3MF Core Specification 1.3 (3MF Consortium), read by its reference library.
"""

from __future__ import annotations

import ctypes
import re
import zipfile
import zlib
from pathlib import Path
from typing import IO, Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from ..errors import UnreadableFile
from ..plan import MOST_PROJECT_BYTES, Project, read_project
from ..progress import Job
from .surfaces import Contents, Surface, surface_of

PLAN_PATH = "/Metadata/deft-slab-project.json"
PLAN_RELATION = "http://schemas.deft-slab.example/2026/project"
SOURCE_PART_NUMBER = "deft-slab-source-model"
GUEST_PART_NUMBER = "deft-slab-guest-"
"""With the content hash of the guest after it."""

MOST_FILE_BYTES = 4 * 2**30
"""Unpacked size above which a file is refused: it would not fit into memory, or is made to do harm."""
_MOST_RATIO, _HARMLESS_BYTES = 100, 32 * 2**20
"""A part of a 3MF packs to a tenth of its size, hardly to less than a fiftieth; one that packs to less than a
hundredth, and is not small, is made to do harm."""
_DEEPEST = 64
_MOST_OBJECTS = 20_000

_KEPT = "What you have open is untouched."
_MM = {0: 0.001, 4: 304.8}
_UNITS = {1: "mm", 2: "cm", 3: "in", 5: "m"}


def wrapper() -> Any:
    """The 3MF library."""
    return lib3mf.get_wrapper()


def read_3mf(path: Path, job: Job) -> Contents:
    """The model in a 3MF, and the project if it is one of ours.

    Raises
    ------
    UnreadableFile : damaged, too large, or a project from a newer version.
    """
    _checked_package(path)
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.AddRelationToRead(PLAN_RELATION)
    try:
        reader.ReadFromFile(str(path))
    except lib3mf.ELib3MFException as error:
        raise UnreadableFile(
            f"“{path.name}” is a damaged 3MF file ({error}).", kept=_KEPT, remedy="Export or save it again."
        ) from error
    job.step(0.4, "Reading the 3MF's objects")
    project = _project_in(model)
    if project is not None:
        source, guests = _sources_in(path, model)
        return Contents(source, project, guests)
    return Contents(_build_in(model))


def _checked_package(path: Path) -> None:
    """Refuses what is no zip, unpacks to too much, declares XML entities (which a 3MF must not), or puts one object
    into another so often that reading it would not end.

    Raises
    ------
    UnreadableFile : it is one of these.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            entries = archive.infolist()
            _check_sizes(path, entries)
            for entry in entries:
                if entry.filename.lower().endswith((".model", ".rels", ".xml")):
                    with archive.open(entry) as part:
                        _look_through(path, part)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError) as error:
        raise UnreadableFile(
            f"“{path.name}” is a damaged 3MF file: {error}.", kept=_KEPT, remedy="Copy or export it again."
        ) from error


def _check_sizes(path: Path, entries: list[zipfile.ZipInfo]) -> None:
    plan = sum(entry.file_size for entry in entries if entry.filename == PLAN_PATH.lstrip("/"))
    if plan > MOST_PROJECT_BYTES:
        raise UnreadableFile(
            f"The plan in “{path.name}” is {plan / 2**20:.0f} MB, and {MOST_PROJECT_BYTES >> 20} MB is the most that "
            "is read.", kept=_KEPT,
        )  # fmt: skip
    total = sum(entry.file_size for entry in entries)
    dense = any(entry.file_size > max(_HARMLESS_BYTES, _MOST_RATIO * max(entry.compress_size, 1)) for entry in entries)
    if total > MOST_FILE_BYTES or dense:
        raise UnreadableFile(
            f"“{path.name}” unpacks from {path.stat().st_size / 2**20:.1f} MB to {total / 2**20:,.0f} MB; that is no "
            "model.", kept=_KEPT,
        )  # fmt: skip


_TAG = re.compile(rb"<!DOCTYPE|<(?:\w+:)?(object|component)\s[^>]*?\b(?:object)?id\s*=\s*[\"'](\d{1,12})[\"'][^>]*>")
_LONGEST_TAG = 4096


def _look_through(path: Path, part: IO[bytes]) -> None:
    """Follows which object is put into which, in a text that is never held as a whole."""
    inside: dict[bytes, list[bytes]] = {}
    current, rest = b"", b""
    while chunk := part.read(2**22):
        text = rest + chunk
        # a tag that the chunk cuts in two is looked for again with the next one
        end = max(text.rfind(b">") + 1, len(text) - _LONGEST_TAG)
        for found in _TAG.finditer(text, 0, end):
            if found[1] is None:
                raise UnreadableFile(
                    f"“{path.name}” declares XML entities, which no 3MF may; it was not read.", kept=_KEPT
                )
            if found[1] == b"object":
                current = found[2]
                inside.setdefault(current, [])
            elif current:
                inside[current].append(found[2])
        rest = text[end:]
    if max(_weights(inside), default=0) > _MOST_OBJECTS:
        raise UnreadableFile(
            f"“{path.name}” puts one object into another more than {_MOST_OBJECTS:,} times.", kept=_KEPT
        )


def _weights(inside: dict[bytes, list[bytes]]) -> list[int]:
    """How many objects each one comes to, with all that is put into it. Objects are listed after their components, as
    the specification (section 4.2) wants; what comes later, or is not there, counts as one."""
    weight: dict[bytes, int] = {}
    for name, parts in inside.items():
        weight[name] = 1 + sum(weight.get(part, 1) for part in parts)
    return list(weight.values())


def _project_in(model: Any) -> Project | None:
    for number in range(model.GetAttachmentCount()):
        attachment = model.GetAttachment(number)
        if attachment.GetPath() == PLAN_PATH:
            return read_project(bytes(attachment.WriteToBuffer()))
    return None


def mesh_arrays(mesh: Any) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """Vertices and triangles of a mesh object. (The library's own getters make a Python object of each.)"""
    library, check = mesh._wrapper.lib, mesh._wrapper.checkError
    needed = ctypes.c_uint64(0)
    count = mesh.GetVertexCount()
    vertices = (lib3mf.Position * count)()
    check(mesh, library.lib3mf_meshobject_getvertices(mesh._handle, ctypes.c_uint64(count), needed, vertices))
    count = mesh.GetTriangleCount()
    triangles = (lib3mf.Triangle * count)()
    check(mesh, library.lib3mf_meshobject_gettriangleindices(mesh._handle, ctypes.c_uint64(count), needed, triangles))
    return (
        np.frombuffer(vertices, "<f4").reshape(-1, 3).astype(np.float64),
        np.frombuffer(triangles, "<u4").reshape(-1, 3).astype(np.int32),
    )


def _sources_in(path: Path, model: Any) -> tuple[Surface, dict[str, Surface]]:
    """The opened model of a project, and the surfaces of its guests by content hash."""
    source, guests = None, {}
    objects = model.GetMeshObjects()
    while objects.MoveNext():
        mesh = objects.GetCurrentMeshObject()
        number = mesh.GetPartNumber()
        if number == SOURCE_PART_NUMBER:
            source = Surface(*mesh_arrays(mesh), "mm")
        elif number.startswith(GUEST_PART_NUMBER):
            guests[number.removeprefix(GUEST_PART_NUMBER)] = Surface(*mesh_arrays(mesh))
    if source is None:
        raise UnreadableFile(f"The project “{path.name}” holds a plan and no model.", kept=_KEPT)
    return source, guests


def _matrix(transform: Any) -> NDArray[np.float64]:
    """(4, 3): 3MF transforms act on row vectors from the right; the last row moves."""
    return np.array([list(row) for row in transform.Fields], float)


def _build_in(model: Any) -> Surface:
    """Everything on the build platform as one surface; objects keep their names."""
    found: list[tuple[str, NDArray[np.float64], NDArray[np.int32]]] = []
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        matrix = _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else np.eye(4, 3)
        _collect(model, item.GetObjectResource(), matrix, found)
    unit = int(model.GetUnit())
    factor = _MM.get(unit, 1.0)
    named = [(name, points * factor, faces) for name, points, faces in found]
    return surface_of(named, _UNITS.get(unit, "mm"))


def _collect(model: Any, resource: Any, matrix: NDArray[np.float64], found: list[Any], depth: int = 0) -> None:
    if depth > _DEEPEST:
        raise UnreadableFile("The components of this 3MF are nested too deeply.", kept=_KEPT)
    if len(found) > _MOST_OBJECTS:
        raise UnreadableFile(f"This 3MF puts more than {_MOST_OBJECTS:,} objects on the bed.", kept=_KEPT)
    if resource.IsMeshObject():
        mesh = model.GetMeshObjectByID(resource.GetResourceID())
        points, faces = mesh_arrays(mesh)
        if np.linalg.det(matrix[:3]) < 0:
            faces = faces[:, ::-1]
        found.append((mesh.GetName(), points @ matrix[:3] + matrix[3], faces))
    elif resource.IsComponentsObject():
        whole = model.GetComponentsObjectByID(resource.GetResourceID())
        for number in range(whole.GetComponentCount()):
            component = whole.GetComponent(number)
            own = _matrix(component.GetTransform()) if component.HasTransform() else np.eye(4, 3)
            combined = np.vstack([own[:3] @ matrix[:3], own[3] @ matrix[:3] + matrix[3]])
            _collect(model, component.GetObjectResource(), combined, found, depth + 1)
