"""3MF in: any 3MF as a model, ours as a project.

A project is a valid 3MF: the pieces are its build items, the opened model an object that no build item uses, and the
plan a JSON attachment. Format: 3MF Core Specification 1.3 (3MF Consortium), read by its reference library.
"""

from __future__ import annotations

import ctypes
import zipfile
from pathlib import Path
from typing import Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from ..errors import UnreadableFile
from ..plan import Project, read_project
from ..progress import Job
from .surfaces import Surface

PLAN_PATH = "/Metadata/deft-slab-project.json"
PLAN_RELATION = "http://schemas.deft-slab.example/2026/project"
SOURCE_PART_NUMBER = "deft-slab-source-model"

MOST_PLAN_BYTES = 8 * 2**20
MOST_FILE_BYTES = 4 * 2**30
"""Unpacked size above which a file is refused: it would not fit into memory, or is made to do harm."""

_KEPT = "What you have open is untouched."
_MM = {0: 0.001, 4: 304.8}
_UNITS = {1: "mm", 2: "cm", 3: "in", 5: "m"}


def wrapper() -> Any:
    """The 3MF library."""
    return lib3mf.get_wrapper()


def read_3mf(path: Path, job: Job) -> tuple[Surface, Project | None]:
    """The model in a 3MF, and the project if it is one of ours.

    Raises
    ------
    UnreadableFile : damaged, too large, or a project from a newer version.
    """
    _check_sizes(path)
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
        return _source_in(path, model), project
    return _build_in(model), None


def _check_sizes(path: Path) -> None:
    try:
        with zipfile.ZipFile(path) as archive:
            sizes = {entry.filename: entry.file_size for entry in archive.infolist()}
    except zipfile.BadZipFile as error:
        raise UnreadableFile(
            f"“{path.name}” is a damaged 3MF file: {error}.", kept=_KEPT, remedy="Copy or export it again."
        ) from error
    if sizes.get(PLAN_PATH.lstrip("/"), 0) > MOST_PLAN_BYTES:
        raise UnreadableFile(
            f"The plan in “{path.name}” is {sizes[PLAN_PATH.lstrip('/')] / 2**20:.0f} MB, and {MOST_PLAN_BYTES >> 20} "
            "MB is the most that is read.", kept=_KEPT,
        )  # fmt: skip
    if sum(sizes.values()) > MOST_FILE_BYTES:
        raise UnreadableFile(f"“{path.name}” unpacks to {sum(sizes.values()) / 2**30:.1f} GB.", kept=_KEPT)


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


def _source_in(path: Path, model: Any) -> Surface:
    objects = model.GetMeshObjects()
    while objects.MoveNext():
        mesh = objects.GetCurrentMeshObject()
        if mesh.GetPartNumber() == SOURCE_PART_NUMBER:
            return Surface(*mesh_arrays(mesh), "mm")
    raise UnreadableFile(f"The project “{path.name}” holds a plan and no model.", kept=_KEPT)


def _matrix(transform: Any) -> NDArray[np.float64]:
    """(4, 3): 3MF transforms act on row vectors from the right; the last row moves."""
    return np.array([list(row) for row in transform.Fields], float)


def _build_in(model: Any) -> Surface:
    """Everything on the build platform as one surface."""
    found: list[tuple[NDArray[np.float64], NDArray[np.int32]]] = []
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        matrix = _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else np.eye(4, 3)
        _collect(model, item.GetObjectResource(), matrix, found)
    unit = int(model.GetUnit())
    factor = _MM.get(unit, 1.0)
    start, vertices, triangles = 0, [np.empty((0, 3))], [np.empty((0, 3), np.int32)]
    for points, faces in found:
        vertices.append(points * factor)
        triangles.append(faces + np.int32(start))
        start += len(points)
    return Surface(np.concatenate(vertices), np.concatenate(triangles), _UNITS.get(unit, "mm"))


def _collect(model: Any, resource: Any, matrix: NDArray[np.float64], found: list[Any], depth: int = 0) -> None:
    if depth > 64:
        raise UnreadableFile("The components of this 3MF are nested too deeply.", kept=_KEPT)
    if resource.IsMeshObject():
        points, faces = mesh_arrays(model.GetMeshObjectByID(resource.GetResourceID()))
        if np.linalg.det(matrix[:3]) < 0:
            faces = faces[:, ::-1]
        found.append((points @ matrix[:3] + matrix[3], faces))
    elif resource.IsComponentsObject():
        whole = model.GetComponentsObjectByID(resource.GetResourceID())
        for number in range(whole.GetComponentCount()):
            component = whole.GetComponent(number)
            own = _matrix(component.GetTransform()) if component.HasTransform() else np.eye(4, 3)
            combined = np.vstack([own[:3] @ matrix[:3], own[3] @ matrix[:3] + matrix[3]])
            _collect(model, component.GetObjectResource(), combined, found, depth + 1)
