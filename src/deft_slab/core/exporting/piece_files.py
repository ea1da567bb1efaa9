"""Pieces as files: one STL each, or all in one 3MF; and the project, a 3MF with the plan inside."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from ..arrays import AnyInts, Floats
from ..document.migrations import as_object
from ..errors import BadPlan
from ..formats import WRITTEN
from ..geometry.place_on_bed import set_down
from ..importing.threemf import GUEST_PART_NUMBER, PLAN_PATH, PLAN_RELATION, SOURCE_PART_NUMBER, wrapper
from ..joins.reports import PostsReport
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..plan.model import Model
from ..plan.placements import BedsBy, Placement
from ..plan.project import PROJECTS, Project, project_text
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Piece
from .beds import lay_out
from .colours import colour_of, rgb_of
from .container_3mf import packed, part_of
from .equal_pieces import each_once
from .file_grid import two_sided
from .layout import Laid
from .naming import slug, times_said
from .safe_writing import keep_beside, make_folder, refuse_existing, write_each, write_whole
from .surface_files import in_file, surface_bytes
from .written_file import Written


def file_name(piece: Piece, count: int = 1) -> str:
    """A file name without what file systems refuse: "2-lower-lantern.stl", "3-upper-wing-print-2-times.stl"."""
    return f"{piece.number}-{slug(piece.name)}{times_said(count)}.stl"


def stl_where_it_is(solid: Solid) -> bytes:
    """A binary STL of a piece where it belongs on the prop, in mm, model frame. Raises as ``stl_bytes``."""
    corners, triangles = two_sided(solid)
    return surface_bytes(corners, triangles, "stl", "Deft Slab piece in its place, millimetres", closed=solid.closed)


def stl_bytes(solid: Solid, rotation: Floats, lift: float = 0.0) -> bytes:
    """A binary STL of a piece in its seat, in mm, with its lowest point at z = lift, centred on the origin in x and
    y.

    Parameters
    ----------
    rotation : (3, 3) float64

    Raises
    ------
    SaveFailed
        The piece is closed, but would not be in the file.
    """
    corners, triangles = two_sided(solid)
    vertices = centred(corners, rotation, lift)
    return surface_bytes(vertices, triangles, "stl", "Deft Slab piece, millimetres", closed=solid.closed)


def centred(corners: Floats, rotation: Floats, lift: float) -> Floats:
    """Points in their seat, with the lowest at z = lift, and their bounding box over the origin.

    Parameters
    ----------
    rotation : (3, 3) float64

    Returns
    -------
    (n, 3) float64, mm
    """
    vertices = set_down(corners, rotation, lift)
    vertices[:, :2] -= (vertices[:, :2].min(axis=0) + vertices[:, :2].max(axis=0)) / 2
    return vertices


def write_stls(
    pieces: Sequence[Piece], folder: Path, job: Job = QUIET, *, equal_once: bool = False, replace: bool = False,
    assembled: bool = False,
) -> list[Written]:
    """Write each piece, seated, as a binary STL of its own.

    Parameters
    ----------
    equal_once : bool
        Whether only the first of equal pieces is written, with the count in its name.
    replace : bool
        Whether existing files may be replaced.
    assembled : bool
        Whether they are written where they belong on the prop, and not in their seats.

    Raises
    ------
    WouldReplace
        Some files exist and may not be replaced; nothing was written.
    SaveFailed
        The folder cannot be made or written; older files are untouched.
    Cancelled
        The job is no longer wanted; files written so far stay.
    """
    make_folder(folder)
    counted = each_once(pieces) if equal_once else [(piece, 1) for piece in pieces]
    refuse_existing([folder / file_name(piece, count) for piece, count in counted], replace=replace)

    def files() -> Iterator[tuple[Path, bytes]]:
        for number, (piece, count) in enumerate(counted):
            job.step(number / len(counted), tr("Writing {name}", name=piece.name))
            yield folder / file_name(piece, count), stl_where_it_is(piece.solid) if assembled else stl_bytes(
                piece.solid, piece.seat.rotation, piece.lift
            )

    write_each(files(), replace=replace)
    return [Written(folder / file_name(piece, count), count, 1) for piece, count in counted]


def write_3mf(
    pieces: Sequence[Piece], printer: Printer, title: str, path: Path, job: Job = QUIET, *, copies: int = 1,
    lying: Sequence[Placement] = (), posts: Mapping[str, PostsReport] = MappingProxyType({}),
    beds_by: BedsBy = "fewest", equal_once: bool = False, replace: bool = False,
) -> Written:
    """Write all pieces into one 3MF, seated and laid out on beds; copies share their meshes.

    Parameters
    ----------
    lying, posts, beds_by : Sequence[Placement]
        See ``lay_out``.
    equal_once : bool
        Whether equal pieces become copies of the first of them, in its seat.
    replace : bool
        Whether an existing file may be replaced.

    Raises
    ------
    WouldReplace
        The file exists and may not be replaced.
    SaveFailed
        The file cannot be written; an older one is untouched.
    Cancelled
        The job is no longer wanted.
    """
    refuse_existing([path], replace=replace)
    model = new_model(title)
    if equal_once:
        pieces, posts = [piece for piece, count in each_once(pieces) for _ in range(count)], {}
    laid = lay_out(pieces, printer, copies, lying=lying, posts=posts, beds_by=beds_by)
    beds, transforms = _add_pieces(model, pieces, laid, printer, job)
    _write(model, path, job, replace, transforms)
    return Written(path, copies * len(pieces), beds)


def together_bytes(
    pieces: Sequence[Piece], laid: Sequence[Laid], printer: Printer, title: str, about: Mapping[str, str],
    job: Job = QUIET, *, picture: bytes = b"",
) -> bytes:
    """A 3MF of pieces where they lie, each in the colour of its material, if that has one.

    Parameters
    ----------
    laid : Sequence[Laid]
        The place of each piece, in the same order.
    printer : Printer
        The printer that the plan is judged by.
    about : Mapping[str, str]
        Further metadata, by name.
    picture : bytes
        A PNG for its thumbnail.

    Raises
    ------
    SaveFailed
        A piece would not be closed in the file.
    Cancelled
        The job is no longer wanted.
    """
    model = new_model(title)
    group = model.GetMetaDataGroup()
    for name, value in about.items():
        group.AddMetaData("", name, value, "xs:string", True)
    _, transforms = _add_pieces(model, pieces, laid, printer, job)
    if picture:
        add_thumbnail(model, picture)
    return packed_model(model, transforms)


def write_project(
    project: Project, opened: Model, pieces: Sequence[Piece], printer: Printer, path: Path, job: Job = QUIET,
    guests: Mapping[str, Solid] = MappingProxyType({}), *, posts: Mapping[str, PostsReport] = MappingProxyType({}),
    replace: bool = False,
) -> Written:
    """Save a project: the opened model, the pieces as build items, and the plan as an attachment. If it replaces a
    project of an older version, that is kept beside it as "name-version-1.3mf".

    Parameters
    ----------
    guests : Mapping[str, Solid]
        The surfaces of guests that are models, by content hash. Those that the project uses are saved with it.
    posts : Mapping[str, PostsReport]
        The posts of the pieces; see ``lay_out``.
    replace : bool
        Whether an existing file may be replaced.

    Raises
    ------
    WouldReplace
        The file exists and may not be replaced.
    SaveFailed
        The file cannot be written; an older one is untouched.
    Cancelled
        The job is no longer wanted.
    """
    refuse_existing([path], replace=replace)
    written = project_text(project)
    older = _older_version(path)
    if older is not None:
        keep_beside(path, f"version-{older}")
    model = new_model(project.title)
    source = add_mesh(model, opened.solid.vertices, opened.solid.triangles, tr("{name} (as opened)", name=opened.name))
    source.SetPartNumber(SOURCE_PART_NUMBER)
    for sha in sorted({guest.model.sha256 for guest in project.all_guests if guest.model} & set(guests)):
        mesh = add_mesh(model, guests[sha].vertices, guests[sha].triangles, "Guest")
        mesh.SetPartNumber(GUEST_PART_NUMBER + sha)
    plan, copies = project.plan, project.plan.copies
    laid = lay_out(pieces, printer, copies, lying=plan.lying, posts=posts, beds_by=plan.beds_by)
    beds, transforms = _add_pieces(model, pieces, laid, printer, job, whole=source)
    model.AddCustomContentType("json", "application/json")
    attachment = model.AddAttachment(PLAN_PATH, PLAN_RELATION)
    attachment.ReadFromBuffer(written)
    _write(model, path, job, replace, transforms)
    return Written(path, copies * len(pieces), beds)


def _older_version(path: Path) -> int | None:
    """The version of the project in a file, if it is older than what is written now."""
    plan = part_of(path, PLAN_PATH)
    try:
        version = PROJECTS.now if plan is None else PROJECTS.of(as_object(plan))
    except ValueError:
        return None  # damaged: whoever replaces it has been asked
    return version if version < PROJECTS.now else None


def write_solid(solid: Solid, name: str, path: Path, *, replace: bool = False) -> None:
    """Write a surface in its own frame, in mm. The ending determines the format.

    Parameters
    ----------
    replace : bool
        Whether an existing file may be replaced.

    Raises
    ------
    WouldReplace
        The file exists and may not be replaced.
    BadPlan
        No format with that ending can be written.
    SaveFailed
        The file cannot be written; an older one is untouched.
    """
    ending = path.suffix.lower().lstrip(".")
    if ending not in WRITTEN:
        known = ", ".join(f".{known}" for known in WRITTEN)
        raise BadPlan(
            tr("“{name}” has no known ending.", name=path.name),
            kept=tr("Nothing was written."),
            remedy=tr("Use {known}.", known=known),
        )
    if ending == "3mf":
        write_surface(Model(name, solid, 0.0), path, replace=replace)
        return
    content = surface_bytes(*two_sided(solid), ending, "Deft Slab, millimetres", closed=solid.closed)
    write_whole(path, content, replace=replace)


def write_surface(model: Model, path: Path, *, replace: bool = False) -> None:
    """Write a model as a plain 3MF in its own frame, in mm.

    Raises
    ------
    SaveFailed
        The file cannot be written; an older one is untouched.
    """
    document = new_model(model.name)
    corners, triangles = in_file(*two_sided(model.solid), closed=model.solid.closed)
    mesh = add_mesh(document, corners, triangles, model.name)
    document.AddBuildItem(mesh, wrapper().GetIdentityTransform())
    _write(document, path, QUIET, replace, [np.eye(4, 3)])


def new_model(title: str) -> Any:
    """A document of the library in mm, with its title."""
    model = wrapper().CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    metadata = model.GetMetaDataGroup()
    metadata.AddMetaData("", "Title", title, "xs:string", True)
    metadata.AddMetaData("", "Application", "Deft Slab", "xs:string", True)
    return model


def add_mesh(model: Any, vertices: NDArray[np.floating], triangles: AnyInts, name: str) -> Any:
    """Add a surface to a document of the library.

    Parameters
    ----------
    vertices : (n, 3), mm
    triangles : (m, 3) int
    """
    mesh = model.AddMeshObject()
    mesh.SetName(name)
    points = np.ascontiguousarray(vertices, "<f4")
    faces = np.ascontiguousarray(triangles, "<u4")
    # the library's own setter makes a Python object of each corner
    status = mesh._wrapper.lib.lib3mf_meshobject_setgeometry(
        mesh._handle,
        ctypes.c_uint64(len(points)), (lib3mf.Position * len(points)).from_buffer(points),
        ctypes.c_uint64(len(faces)), (lib3mf.Triangle * len(faces)).from_buffer(faces),
    )
    mesh._wrapper.checkError(mesh, status)
    return mesh


def _add_pieces(
    model: Any, pieces: Sequence[Piece], laid: Sequence[Laid], printer: Printer, job: Job, whole: Any = None
) -> tuple[int, list[Floats]]:
    """Add a build item for each piece and copy; returns how many beds they take, and the transform of each item.

    Parameters
    ----------
    laid : Sequence[Laid]
        Where each lies; see ``lay_out``.
    whole : Any
        The mesh object of the opened model. A piece that is the unchanged model is that object again, resized by
        its transform.
    """
    meshes: dict[int, tuple[Any, float, NDArray[np.floating]]] = {}
    colours = _Colours(model)
    for number, piece in enumerate(pieces):
        job.step(0.6 * number / len(pieces), tr("Writing {name}", name=piece.name))
        if piece.number in meshes:
            continue
        if whole is not None and piece.as_opened is not None:
            meshes[piece.number] = whole, piece.as_opened, piece.solid.vertices / piece.as_opened
        else:
            corners, triangles = in_file(*two_sided(piece.solid), closed=piece.solid.closed)
            mesh = add_mesh(model, corners, triangles, piece.name)
            if len(pieces) > 1:
                colours.give(mesh, piece, piece.on(printer))
            meshes[piece.number] = mesh, 1.0, corners
    transforms = []
    for place in laid:
        piece = pieces[place.piece]
        mesh, factor, corners = meshes[piece.number]
        model.AddBuildItem(mesh, wrapper().GetIdentityTransform())
        matrix = np.vstack([factor * place.rotation.T, place.shift])
        # as it is in the file, and not as it was before rounding, it stands on the bed
        matrix[3, 2] = piece.lift - float((corners @ matrix[:3, 2]).min())
        transforms.append(matrix)
    return max(place.bed for place in laid) + 1, transforms


class _Colours:
    """The colours of pieces in a document of the library: base materials, one for each mesh (3MF Core Specification
    1.3, section 5).
    """

    def __init__(self, model: Any) -> None:
        self._model: Any = model
        self._group: Any = None
        self._known: dict[tuple[str, tuple[int, int, int]], int] = {}

    def give(self, mesh: Any, piece: Piece, printer: Printer) -> None:
        """Give a mesh its material and colour; without one, the colour that the window shows it in."""
        colour = rgb_of(printer.material_colour) if printer.material_colour else colour_of(piece.number)
        key = (printer.material, colour)
        if self._group is None:
            self._group = self._model.AddBaseMaterialGroup()
        if key not in self._known:
            shade = wrapper().RGBAToColor(*colour, 255)
            name = printer.material or tr("Piece colour {count}", count=len(self._known) + 1)
            self._known[key] = self._group.AddMaterial(name, shade)
        mesh.SetObjectLevelProperty(self._group.GetResourceID(), self._known[key])


def add_thumbnail(model: Any, png: bytes) -> None:
    """Give a document of the library its picture (Open Packaging Conventions, ISO/IEC 29500-2, thumbnails)."""
    model.CreatePackageThumbnailAttachment().ReadFromBuffer(png)


def _write(model: Any, path: Path, job: Job, replace: bool, transforms: Sequence[Floats]) -> None:
    job.step(0.7, tr("Packing {name}", name=path.name))
    content = packed_model(model, transforms)
    job.step(0.95, tr("Saving {name}", name=path.name))
    write_whole(path, content, replace=replace)


def packed_model(model: Any, transforms: Sequence[Floats]) -> bytes:
    """A document of the library as a file.

    Parameters
    ----------
    transforms : sequence of (4, 3) float64
        See ``container_3mf.packed``.
    """
    writer = model.QueryWriter("3mf")
    writer.SetDecimalPrecision(9)
    return packed(bytes(writer.WriteToBuffer()), transforms)
