"""Reads 3MF: any 3MF as a model, ours as a project.

A project is a valid 3MF: the pieces are its build items, the opened model is an object that no build item uses, and
the plan is a JSON attachment. Format: 3MF Core Specification 1.3 (3MF Consortium), read by its reference library.
"""

from __future__ import annotations

import ctypes
import re
import zipfile
import zlib
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

import lib3mf
import numpy as np

from ..arrays import Floats, Ints32
from ..errors import UnreadableFile
from ..locale.translate import tr
from ..plan.plan import Unit
from ..plan.project import MOST_PROJECT_BYTES, Project, read_project
from .surfaces import KEPT, Contents, Surface, refuse_too_many, shown, surface_of

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

_MM = {0: 0.001, 4: 304.8}
_UNITS: dict[int, Unit] = {1: "mm", 2: "cm", 3: "in", 5: "m"}


def wrapper() -> Any:
    """The 3MF library."""
    return lib3mf.get_wrapper()


def read_3mf(path: Path) -> Contents:
    """Read the model in a 3MF, and the project if it is one of ours.

    Raises
    ------
    UnreadableFile
        It is damaged, too large, or a project from a newer version.
    """
    check_package(path)
    model = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.AddRelationToRead(PLAN_RELATION)
    try:
        reader.ReadFromFile(str(path))
    except lib3mf.ELib3MFException as error:
        raise UnreadableFile(
            tr("“{file}” is a damaged 3MF file ({error}).", file=shown(path), error=error),
            kept=KEPT,
            remedy=tr("Export or save it again."),
        ) from error
    project = _project_in(model)
    if project is not None:
        source, guests = _sources_in(path, model)
        return Contents(source, project, guests)
    return Contents(_build_in(model))


def check_package(path: Path) -> None:
    """Refuse a file that is not a zip, unpacks to too much, declares XML entities (which a 3MF must not), or nests
    objects so deeply that reading it would not end.

    Raises
    ------
    UnreadableFile
        It is one of these.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            entries = archive.infolist()
            _check_sizes(path, entries)
            nesting = _Nesting()
            for entry in entries:
                with archive.open(entry) as part:
                    _look_through(path, entry.filename, part, nesting)
        if nesting.weight() > _MOST_OBJECTS:
            raise UnreadableFile(
                tr(
                    "“{file}” nests objects more than {most_objects:,} times.",
                    file=shown(path),
                    most_objects=_MOST_OBJECTS,
                ),
                kept=KEPT,
            )
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError) as error:
        raise UnreadableFile(
            tr("“{file}” is a damaged 3MF file: {error}.", file=shown(path), error=error),
            kept=KEPT,
            remedy=tr("Copy or export it again."),
        ) from error


def _check_sizes(path: Path, entries: list[zipfile.ZipInfo]) -> None:
    plan = sum(entry.file_size for entry in entries if entry.filename == PLAN_PATH.lstrip("/"))
    if plan > MOST_PROJECT_BYTES:
        raise UnreadableFile(
            tr("The plan in “{file}” has {plan:.0f} MB. At most {most_project_bytes} MB can be read.",
               file=shown(path), plan=plan / 2 ** 20, most_project_bytes=MOST_PROJECT_BYTES >> 20), kept=KEPT,
        )
    total = sum(entry.file_size for entry in entries)
    dense = any(entry.file_size > max(_HARMLESS_BYTES, _MOST_RATIO * max(entry.compress_size, 1)) for entry in entries)
    if total > MOST_FILE_BYTES or dense:
        raise UnreadableFile(
            tr("“{file}” unpacks from {size:.1f} MB to {total:,.0f} MB, so it cannot be a model.", file=shown(path),
               size=path.stat().st_size / 2 ** 20, total=total / 2 ** 20), kept=KEPT,
        )


_TAG = re.compile(
    rb"""<!DOCTYPE|<(?:[\w.-]+:)?(object|component|item)\b((?:[^>"']|"[^"]*"|'[^']*')*)>""", re.IGNORECASE
)
_ATTRIBUTE = re.compile(rb"""([\w.:-]+)\s*=\s*(?:"([^"]*)"|'([^']*)')""")
_LONGEST_TAG = 65_536
_Object = tuple[str, bytes]
"""(the part of the package that an object is in, its number there)"""


@dataclass
class _Nesting:
    """Which objects contain which.

    Attributes
    ----------
    inside : dict[_Object, list[_Object]]
        The components of each object.
    items : list[_Object]
        The objects on the bed.
    """

    inside: dict[_Object, list[_Object]] = field(default_factory=dict)
    items: list[_Object] = field(default_factory=list)

    def weight(self) -> int:
        """How many objects everything on the bed amounts to. Stops above ``_MOST_OBJECTS``, also if an object
        contains itself.
        """
        known: dict[_Object, int] = {}
        for root in self.items:
            waiting = [(root, False)]
            open_now: set[_Object] = set()
            while waiting:
                one, done = waiting.pop()
                parts = self.inside.get(one, [])
                if done:
                    open_now.discard(one)
                    known[one] = min(1 + sum(known.get(part, 1) for part in parts), _MOST_OBJECTS + 1)
                elif one in open_now:
                    return _MOST_OBJECTS + 1
                elif one not in known:
                    open_now.add(one)
                    waiting.append((one, True))
                    waiting += [(part, False) for part in parts]
        return sum(known.get(item, 1) for item in self.items)


def _look_through(path: Path, name: str, part: IO[bytes], nesting: _Nesting) -> None:
    """Record which object contains which, reading the text piecewise. The order of attributes and the names of parts
    mean nothing, so every part that is XML is read.
    """
    current, rest = (name, b""), b""
    first = True
    while chunk := part.read(2**22):
        if first and not chunk.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<"):
            if chunk[:2] in (b"\xff\xfe", b"\xfe\xff"):
                raise UnreadableFile(
                    tr("“{file}” contains text in UTF-16, which cannot be read.", file=shown(path)), kept=KEPT
                )
            return
        first = False
        text = rest + chunk
        # a tag that the chunk cuts in two is looked for again with the next one
        end = max(text.rfind(b">") + 1, len(text) - _LONGEST_TAG)
        for found in _TAG.finditer(text, 0, end):
            if found[1] is None:
                raise UnreadableFile(
                    tr("“{file}” declares XML entities, which a 3MF must not do. It was not read.", file=shown(path)),
                    kept=KEPT,
                )
            given = {key.rsplit(b":", 1)[-1].lower(): a or b for key, a, b in _ATTRIBUTE.findall(found[2])}
            kind = found[1].lower()
            if kind == b"object":
                current = name, given.get(b"id", b"")
                nesting.inside.setdefault(current, [])
                continue
            where = given.get(b"path", b"").decode("utf-8", "replace").lstrip("/") or name
            named = where, given.get(b"objectid", b"")
            if kind == b"item":
                nesting.items.append(named)
            else:
                nesting.inside.setdefault(current, []).append(named)
        rest = text[end:]


def _project_in(model: Any) -> Project | None:
    for number in range(model.GetAttachmentCount()):
        attachment = model.GetAttachment(number)
        if attachment.GetPath() == PLAN_PATH:
            return read_project(bytes(attachment.WriteToBuffer()))
    return None


def mesh_arrays(mesh: Any) -> tuple[Floats, Ints32]:
    """The vertices (n, 3) and triangles (m, 3) of a mesh object. The library's own getters would make a Python
    object of each.
    """
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
        raise UnreadableFile(tr("The project “{file}” contains a plan but no model.", file=shown(path)), kept=KEPT)
    return source, guests


def _matrix(transform: Any) -> Floats:
    """The matrix of a 3MF transform, which acts on row vectors from the right; the last row is the translation.

    Returns
    -------
    (4, 3) float64
    """
    return np.array([list(row) for row in transform.Fields], float)


def strict_reader() -> tuple[Any, Any]:
    """An empty document of the library, and a reader into it that tolerates no error."""
    model: Any = wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    return model, reader


def items_in(model: Any) -> list[tuple[str, Floats, Ints32]]:
    """The meshes on the build platform of a model of the library.

    Returns
    -------
    list of (str, (n, 3) float64, (m, 3) int32)
        The name, the vertices at their place in mm, and the triangles of each.

    Raises
    ------
    UnreadableFile
        The model is nested too deeply, or too large.
    """
    build = _Build(model)
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        matrix = _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else np.eye(4, 3)
        build.collect(item.GetObjectResource(), matrix)
    factor = _MM.get(int(model.GetUnit()), 1.0)
    return [(name, points * factor, faces) for name, points, faces in build.found]


def _build_in(model: Any) -> Surface:
    """Everything on the build platform as one surface; objects keep their names."""
    return surface_of(items_in(model), _UNITS.get(int(model.GetUnit()), "mm"))


class _Build:
    """What is on the bed.

    Attributes
    ----------
    found : list of (str, Floats, Ints32)
        Name, vertices at their place, and triangles of each mesh.
    """

    def __init__(self, model: Any) -> None:
        self._model = model
        self._meshes: dict[int, tuple[str, Floats, Ints32]] = {}
        self.found: list[tuple[str, Floats, Ints32]] = []
        self._triangles = 0

    def _mesh(self, number: int) -> tuple[str, Floats, Ints32]:
        if number not in self._meshes:
            mesh = self._model.GetMeshObjectByID(number)
            self._meshes[number] = (mesh.GetName(), *mesh_arrays(mesh))
        return self._meshes[number]

    def collect(self, resource: Any, matrix: Floats, depth: int = 0) -> None:
        if depth > _DEEPEST:
            raise UnreadableFile(tr("The components of this 3MF are nested too deeply."), kept=KEPT)
        if resource.IsMeshObject():
            name, points, faces = self._mesh(resource.GetResourceID())
            self._triangles += len(faces)
            refuse_too_many(self._triangles)
            if np.linalg.det(matrix[:3]) < 0:
                faces = faces[:, ::-1]
            self.found.append((name, points @ matrix[:3] + matrix[3], faces))
        elif resource.IsComponentsObject():
            whole = self._model.GetComponentsObjectByID(resource.GetResourceID())
            for number in range(whole.GetComponentCount()):
                component = whole.GetComponent(number)
                own = _matrix(component.GetTransform()) if component.HasTransform() else np.eye(4, 3)
                combined = np.vstack([own[:3] @ matrix[:3], own[3] @ matrix[:3] + matrix[3]])
                self.collect(component.GetObjectResource(), combined, depth + 1)
