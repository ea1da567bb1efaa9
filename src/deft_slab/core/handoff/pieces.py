"""Pieces as files: one STL each, or all in one 3MF; and the project, a 3MF with the plan inside."""

from __future__ import annotations

import ctypes
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType
from typing import Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from ..errors import BadPlan, SaveFailed
from ..intake.threemf import GUEST_PART_NUMBER, PLAN_PATH, PLAN_RELATION, SOURCE_PART_NUMBER, wrapper
from ..judge.tilts import set_down
from ..outcome import Model, Piece
from ..plan import Project, project_text
from ..printer import Printer
from ..progress import QUIET, Job
from ..solid import Solid
from .beds import lay_out
from .equal import each_once
from .saving import refuse_existing, write_whole

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Written:
    """path : the file; pieces : how many are in it, or are to be printed of it; beds : how many beds they take"""

    path: Path
    pieces: int
    beds: int


def file_name(piece: Piece, count: int = 1) -> str:
    """A file name without what file systems refuse: "2-lower-lantern.stl", "3-upper-wing-print-2-times.stl"."""
    times = f"-print-{count}-times" if count > 1 else ""
    return f"{piece.number}-{_slug(piece.name)}{times}.stl"


def _slug(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "piece"


def stl_bytes(solid: Solid, rotation: Floats, lift: float = 0.0) -> bytes:
    """Binary STL of a piece in its seat: mm, lowest point at z = lift, centred on the origin in x and y."""
    vertices = set_down(solid.vertices, rotation, lift)
    middle = (vertices[:, :2].min(axis=0) + vertices[:, :2].max(axis=0)) / 2
    vertices[:, :2] -= middle
    return _stl(vertices, solid.triangles, solid.normals @ rotation.T, "Deft Slab piece, millimetres")


def _stl(vertices: Floats, triangles: NDArray[np.int32], normals: Floats, title: str) -> bytes:
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    facets = np.zeros(len(triangles), record)
    facets["normal"] = normals
    facets["corners"] = vertices[triangles]
    return title.encode().ljust(80, b"\0") + len(facets).to_bytes(4, "little") + facets.tobytes()


def write_stls(
    pieces: Sequence[Piece], folder: Path, job: Job = QUIET, *, equal_once: bool = False, replace: bool = False
) -> list[Written]:  # fmt: skip
    """Writes each piece, seated, as a binary STL of its own.

    equal_once : only the first of equal pieces, with how many there are in its name
    replace : whether files of these names may be replaced

    Raises
    ------
    WouldReplace : some are there, and they may not; nothing was written.
    SaveFailed : the folder cannot be made or written; files from before are whole.
    Cancelled : the job is no longer wanted; files written so far stay.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveFailed(f"The folder {folder} cannot be made: {error.strerror or error}.") from error
    written = []
    counted = each_once(pieces) if equal_once else [(piece, 1) for piece in pieces]
    refuse_existing([folder / file_name(piece, count) for piece, count in counted], replace=replace)
    for number, (piece, count) in enumerate(counted):
        job.step(number / len(counted), f"Writing {piece.name}")
        path = folder / file_name(piece, count)
        write_whole(path, stl_bytes(piece.solid, piece.seat.rotation, piece.lift), replace=replace)
        written.append(Written(path, count, 1))
    return written


def write_3mf(
    pieces: Sequence[Piece], printer: Printer, title: str, path: Path, job: Job = QUIET, *, copies: int = 1,
    equal_once: bool = False, replace: bool = False,
) -> Written:  # fmt: skip
    """Writes all pieces into one 3MF, seated and laid out side by side on beds; copies share their meshes.

    equal_once : equal pieces are copies of the first of them, in its seat
    replace : whether a file of that name may be replaced

    Raises
    ------
    WouldReplace : there is one, and it may not.
    SaveFailed : the file cannot be written; one from before is whole.
    Cancelled : the job is no longer wanted.
    """
    refuse_existing([path], replace=replace)
    model = _new_model(title)
    if equal_once:
        pieces = [piece for piece, count in each_once(pieces) for _ in range(count)]
    beds = _add_pieces(model, pieces, printer, copies, job)
    _write(model, path, job, replace)
    return Written(path, copies * len(pieces), beds)


def write_project(
    project: Project, opened: Model, pieces: Sequence[Piece], printer: Printer, path: Path, job: Job = QUIET,
    guests: Mapping[str, Solid] = MappingProxyType({}), *, replace: bool = False,
) -> Written:  # fmt: skip
    """Saves a project: the opened model, the pieces as build items, the plan as an attachment.

    guests : the surfaces of guests that are models, by content hash; those that the project names are saved with it
    replace : whether a file of that name may be replaced

    Raises
    ------
    WouldReplace : there is one, and it may not.
    SaveFailed : the file cannot be written; one from before is whole.
    Cancelled : the job is no longer wanted.
    """
    refuse_existing([path], replace=replace)
    plan = project_text(project)
    model = _new_model(project.title)
    source = _add_mesh(model, opened.solid.vertices, opened.solid.triangles, f"{opened.name} (as opened)")
    source.SetPartNumber(SOURCE_PART_NUMBER)
    for sha in sorted({guest.model.sha256 for guest in project.all_guests if guest.model} & set(guests)):
        mesh = _add_mesh(model, guests[sha].vertices, guests[sha].triangles, "Guest")
        mesh.SetPartNumber(GUEST_PART_NUMBER + sha)
    copies = project.plan.copies
    beds = _add_pieces(model, pieces, printer, copies, job, whole=source)
    attachment = model.AddAttachment(PLAN_PATH, PLAN_RELATION)
    attachment.ReadFromBuffer(plan)
    _write(model, path, job, replace)
    return Written(path, copies * len(pieces), beds)


_SURFACES = ("stl", "3mf", "ply", "obj", "off")


def write_solid(solid: Solid, name: str, path: Path, *, replace: bool = False) -> None:
    """Writes a surface, mm, as it lies in its own frame; the ending says the format.

    replace : whether a file of that name may be replaced

    Raises
    ------
    WouldReplace : there is one, and it may not.
    BadPlan : no format of that ending is written.
    SaveFailed : the file cannot be written; one from before is whole.
    """
    ending = path.suffix.lower().lstrip(".")
    if ending not in _SURFACES:
        known = ", ".join(f".{known}" for known in _SURFACES)
        raise BadPlan(f"“{path.name}” has no known ending.", kept="Nothing was written.", remedy=f"Use {known}.")
    if ending == "3mf":
        write_surface(Model(name, solid, 0.0), path, replace=replace)
        return
    if ending == "stl":
        content: bytes | str = _stl(solid.vertices, solid.triangles, solid.normals, "Deft Slab, millimetres")
    else:
        import trimesh  # slow to load, and seldom needed

        content = trimesh.Trimesh(solid.vertices, solid.triangles, process=False).export(file_type=ending)
    write_whole(path, content.encode() if isinstance(content, str) else content, replace=replace)


def write_surface(model: Model, path: Path, *, replace: bool = False) -> None:
    """Writes a model as a plain 3MF, in mm, as it lies in its own frame.

    Raises
    ------
    SaveFailed : the file cannot be written; one from before is whole.
    """
    document = _new_model(model.name)
    mesh = _add_mesh(document, model.solid.vertices, model.solid.triangles, model.name)
    document.AddBuildItem(mesh, wrapper().GetIdentityTransform())
    _write(document, path, QUIET, replace)


def _new_model(title: str) -> Any:
    model = wrapper().CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    metadata = model.GetMetaDataGroup()
    metadata.AddMetaData("", "Title", title, "xs:string", True)
    metadata.AddMetaData("", "Application", "Deft Slab", "xs:string", True)
    return model


def _add_mesh(model: Any, vertices: Floats, triangles: NDArray[np.int32], name: str) -> Any:
    mesh = model.AddMeshObject()
    mesh.SetName(name)
    points = np.ascontiguousarray(vertices, "<f4")
    faces = np.ascontiguousarray(triangles, "<u4")
    # the library's own setter makes a Python object of each corner
    status = mesh._wrapper.lib.lib3mf_meshobject_setgeometry(
        mesh._handle,
        ctypes.c_uint64(len(points)), (lib3mf.Position * len(points)).from_buffer(points),
        ctypes.c_uint64(len(faces)), (lib3mf.Triangle * len(faces)).from_buffer(faces),
    )  # fmt: skip
    mesh._wrapper.checkError(mesh, status)
    return mesh


def _add_pieces(
    model: Any, pieces: Sequence[Piece], printer: Printer, copies: int, job: Job, whole: Any = None
) -> int:  # fmt: skip
    """Adds a build item for each piece and copy; returns how many beds they take.

    whole : the mesh object of the opened model; a piece that is the model as it came is that object again, resized by
        its transform
    """
    laid = lay_out(pieces, printer, copies)
    meshes: dict[int, tuple[Any, float]] = {}
    for number, piece in enumerate(pieces):
        job.step(0.6 * number / len(pieces), f"Writing {piece.name}")
        if piece.number in meshes:
            continue
        if whole is not None and piece.as_opened is not None:
            meshes[piece.number] = whole, piece.as_opened
        else:
            meshes[piece.number] = _add_mesh(model, piece.solid.vertices, piece.solid.triangles, piece.name), 1.0
    for number, place in enumerate(laid):
        mesh, factor = meshes[pieces[number % len(pieces)].number]
        transform = lib3mf.Transform()
        for row in range(3):
            for column in range(3):
                transform.Fields[row][column] = factor * place.rotation[column, row]
        for column in range(3):
            transform.Fields[3][column] = place.shift[column]
        model.AddBuildItem(mesh, transform)
    return max(place.bed for place in laid) + 1


def _write(model: Any, path: Path, job: Job, replace: bool) -> None:
    job.step(0.7, f"Packing {path.name}")
    writer = model.QueryWriter("3mf")
    writer.SetDecimalPrecision(9)
    content = bytes(writer.WriteToBuffer())
    job.step(0.95, f"Saving {path.name}")
    write_whole(path, content, replace=replace)
