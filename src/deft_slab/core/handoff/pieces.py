"""Pieces as files: one STL each, or all in one 3MF; and the project, a 3MF with the plan inside."""

from __future__ import annotations

import ctypes
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from ..errors import SaveFailed
from ..intake.threemf import PLAN_PATH, PLAN_RELATION, SOURCE_PART_NUMBER, wrapper
from ..judge.tilts import set_down
from ..outcome import Model, Piece
from ..plan import Project
from ..printer import Printer
from ..progress import QUIET, Job
from ..solid import Solid
from .beds import lay_out
from .saving import write_whole

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Written:
    """path : the file; pieces : how many are in it; beds : how many beds they take"""

    path: Path
    pieces: int
    beds: int


def file_name(piece: Piece) -> str:
    """A file name without what file systems refuse: "2-lower-lantern.stl"."""
    return f"{piece.number}-{_slug(piece.name)}.stl"


def _slug(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "piece"


def stl_bytes(solid: Solid, rotation: Floats) -> bytes:
    """Binary STL of a piece in its seat: mm, lowest point at z = 0, centred on the origin in x and y."""
    vertices = set_down(solid.vertices, rotation)
    middle = (vertices[:, :2].min(axis=0) + vertices[:, :2].max(axis=0)) / 2
    vertices[:, :2] -= middle
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    facets = np.zeros(len(solid.triangles), record)
    facets["normal"] = solid.normals @ rotation.T
    facets["corners"] = vertices[solid.triangles]
    head = b"Deft Slab piece, millimetres".ljust(80, b"\0")
    return head + len(facets).to_bytes(4, "little") + facets.tobytes()


def write_stls(pieces: Sequence[Piece], folder: Path, job: Job = QUIET) -> list[Written]:
    """Writes each piece, seated, as a binary STL of its own.

    Raises
    ------
    SaveFailed : the folder cannot be made or written; files from before are whole.
    Cancelled : the job is no longer wanted; files written so far stay.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveFailed(f"The folder {folder} cannot be made: {error.strerror or error}.") from error
    written = []
    for number, piece in enumerate(pieces):
        job.step(number / len(pieces), f"Writing {piece.name}")
        path = folder / file_name(piece)
        write_whole(path, stl_bytes(piece.solid, piece.seat.rotation))
        written.append(Written(path, 1, 1))
    return written


def write_3mf(pieces: Sequence[Piece], printer: Printer, title: str, path: Path, job: Job = QUIET) -> Written:
    """Writes all pieces into one 3MF, seated and laid out side by side on beds.

    Raises
    ------
    SaveFailed : the file cannot be written; one from before is whole.
    Cancelled : the job is no longer wanted.
    """
    model = _new_model(title)
    beds = _add_pieces(model, pieces, printer, job)
    _write(model, path, job)
    return Written(path, len(pieces), beds)


def write_project(
    project: Project, opened: Model, pieces: Sequence[Piece], printer: Printer, path: Path, job: Job = QUIET
) -> Written:
    """Saves a project: the opened model, the pieces as build items, the plan as an attachment.

    Raises
    ------
    SaveFailed : the file cannot be written; one from before is whole.
    Cancelled : the job is no longer wanted.
    """
    model = _new_model(project.title)
    source = _add_mesh(model, opened.solid.vertices, opened.solid.triangles, f"{opened.name} (as opened)")
    source.SetPartNumber(SOURCE_PART_NUMBER)
    beds = _add_pieces(model, pieces, printer, job, whole=source)
    attachment = model.AddAttachment(PLAN_PATH, PLAN_RELATION)
    attachment.ReadFromBuffer(project.model_dump_json(indent=1).encode())
    _write(model, path, job)
    return Written(path, len(pieces), beds)


def write_surface(model: Model, path: Path) -> None:
    """Writes a model as a plain 3MF, in mm, as it lies in its own frame.

    Raises
    ------
    SaveFailed : the file cannot be written; one from before is whole.
    """
    document = _new_model(model.name)
    mesh = _add_mesh(document, model.solid.vertices, model.solid.triangles, model.name)
    document.AddBuildItem(mesh, wrapper().GetIdentityTransform())
    _write(document, path, QUIET)


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


def _add_pieces(model: Any, pieces: Sequence[Piece], printer: Printer, job: Job, whole: Any = None) -> int:
    """Adds a build item for each piece; returns how many beds they take.

    whole : the mesh object of the opened model; an uncut piece is that object again, resized by its transform
    """
    laid = lay_out(pieces, printer)
    for number, (piece, place) in enumerate(zip(pieces, laid, strict=True)):
        job.step(0.6 * number / len(pieces), f"Writing {piece.name}")
        factor = 1.0
        if whole is not None and not piece.sides:
            mesh, factor = whole, piece.factor
        else:
            mesh = _add_mesh(model, piece.solid.vertices, piece.solid.triangles, piece.name)
        transform = lib3mf.Transform()
        for row in range(3):
            for column in range(3):
                transform.Fields[row][column] = factor * place.rotation[column, row]
        for column in range(3):
            transform.Fields[3][column] = place.shift[column]
        model.AddBuildItem(mesh, transform)
    return max(place.bed for place in laid) + 1


def _write(model: Any, path: Path, job: Job) -> None:
    job.step(0.7, f"Packing {path.name}")
    writer = model.QueryWriter("3mf")
    writer.SetDecimalPrecision(9)
    content = bytes(writer.WriteToBuffer())
    job.step(0.95, f"Saving {path.name}")
    write_whole(path, content)
