"""Opens files: a model, or a project with a model in it.

``READERS`` is the registry of readers: what a format is called, how to recognise it by its content, and how to read
it.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np

from ..document.regular_files import open_regular
from ..errors import UnreadableFile
from ..formats import names
from ..locale.translate import tr
from ..mesh.solid import Solid
from ..plan.model import Model
from ..plan.plan import ModelRef
from ..plan.project import Project
from ..progress import QUIET, Job
from .bodies import in_bodies
from .fineness import FINENESS
from .limited_process import confined
from .meshes import is_binary_stl, read_gltf, read_obj, read_off, read_ply, read_stl
from .step import read_step
from .surfaces import KEPT, Contents, Surface, shown, snapped, tidy
from .threemf import read_3mf
from .units import stands_on_y


@dataclass(frozen=True, eq=False)
class Opened:
    """What was in a file: one model, and the project if it is one of ours.

    Attributes
    ----------
    guests : dict[str, Solid]
        The surfaces of the project's guests that are models, by content hash.
    exact : bool
        Whether the file contains exact surfaces, converted to triangles with some accuracy.
    """

    model: Model
    project: Project | None
    guests: dict[str, Solid]
    exact: bool = False


def _is_stl(head: bytes, size: int, ending: str) -> bool:
    text = head.lstrip()[:5].lower() == b"solid" and b"facet" in head.lower()
    # a wrong count is forgiven to a file that is called an STL and is no text
    binary = ending == ".stl" and size >= 134 and (b"\0" in head[80:] or is_binary_stl(head, size))
    known = any(head.startswith(sign) for sign, _ in _SIGNS)
    return not known and (text or binary or is_binary_stl(head, size))


@dataclass(frozen=True)
class Reader:
    """How files of one format are recognised and read.

    Attributes
    ----------
    title : str
        The name of the format, as in ``formats``.
    knows : Callable[[bytes, int, str], bool]
        Given the first 4 KiB, the size in bytes and the ending (lower case), tells whether this is the format.
    read : Callable[[Path, float], Contents]
        Reads a file, given its path and the accuracy in mm for exact surfaces.
    seconds_per_mb : float
        Processor time that reading may take.
    """

    title: str
    knows: Callable[[bytes, int, str], bool]
    read: Callable[[Path, float], Contents]
    seconds_per_mb: float = 4.0


_LEAST_SECONDS = 10.0
"""Of work that reading any file may take."""


def _mesh(read: Callable[[Path], Surface]) -> Callable[[Path, float], Contents]:
    return lambda path, fineness: Contents(read(path))


def _by_ending(*endings: str, sign: bytes) -> Callable[[bytes, int, str], bool]:
    return lambda head, size, ending: ending in endings and head.lstrip().startswith(sign)


_OBJ_WORD = re.compile(rb"\A(?:[ \t\r]*(?:#[^\n]*)?\n)*[ \t\r]*(?:(?:v|vn|vt|vp|o|g|s|f|l|p|mtllib|usemtl)[ \t]|#|\Z)")


def _is_obj(head: bytes, size: int, ending: str) -> bool:
    """Recognise an OBJ by its first word. A header of comments may be longer than what is examined."""
    return ending == ".obj" and b"\0" not in head and _OBJ_WORD.match(head) is not None


READERS: tuple[Reader, ...] = (
    Reader("3MF", lambda head, size, ending: head[:4] == b"PK\x03\x04", lambda path, f: read_3mf(path)),
    Reader("GLB", lambda head, size, ending: head[:4] == b"glTF", _mesh(read_gltf)),
    Reader("PLY", lambda head, size, ending: head[:4] in (b"ply\n", b"ply\r"), _mesh(read_ply)),
    Reader(
        "STEP", lambda head, size, ending: head.lstrip().startswith(b"ISO-10303-21;"),
        lambda path, fineness: Contents(read_step(path, fineness), exact=True), seconds_per_mb=40.0,
    ),
    Reader("OFF", _by_ending(".off", sign=b"OFF"), _mesh(read_off)),
    Reader("glTF", _by_ending(".gltf", sign=b"{"), _mesh(read_gltf)),
    Reader("OBJ", _is_obj, _mesh(read_obj)),
    Reader("STL", _is_stl, _mesh(read_stl)),
)


def open_file(path: Path, job: Job = QUIET, *, fineness: float = FINENESS) -> Opened:
    """Read a model or a project.

    Parameters
    ----------
    fineness : float, mm
        How far triangles may be off, for formats with exact surfaces.

    Raises
    ------
    UnreadableFile
        The file is missing, empty, not a mesh, damaged, or from a newer version.
    Cancelled
        The job is no longer wanted.
    """
    job.step(0.0, tr("Reading {file}", file=shown(path)))
    try:
        with open_regular(path) as file:
            size = os.fstat(file.fileno()).st_size
            head = file.read(4096)
    except (OSError, ValueError) as error:
        reason = (error.strerror if isinstance(error, OSError) else "") or error
        raise UnreadableFile(
            tr("“{file}” cannot be read: {reason}.", file=shown(path), reason=reason), kept=KEPT
        ) from error
    if size == 0:
        raise UnreadableFile(
            tr("“{file}” is empty.", file=shown(path)), kept=KEPT, remedy=tr("Copy or download it again.")
        )
    reader = next((reader for reader in READERS if reader.knows(head, size, path.suffix.lower())), None)
    if reader is None:
        raise UnreadableFile(_what_it_is(path, head), kept=KEPT, remedy=tr("Open one of these: {list}.", list=names()))
    seconds = _LEAST_SECONDS + reader.seconds_per_mb * size / 2**20
    contents = confined(partial(reader.read, path, fineness), path, reader.title, seconds, job.part(0.0, 0.6))
    job.step(0.6, tr("Joining the facets"))
    if contents.project is not None:
        return _as_saved(contents, contents.project)
    return Opened(_model_in(path, contents.surface), None, {}, contents.exact)


def _as_saved(contents: Contents, project: Project) -> Opened:
    """A project's model and guests. They were tidied before they were saved, so only their coordinates are restored
    exactly.
    """

    def exact(surface: Surface, ref: ModelRef) -> Solid:
        return Solid(snapped(surface.vertices, ref.grid), surface.triangles)

    ref = project.plan.model
    count = sum(body.triangles for body in ref.bodies)
    if ref.bodies and count != len(contents.surface.triangles):
        raise UnreadableFile(
            tr(
                "The project is damaged: it names bodies of {count:,} triangles, but its model has {count2:,}.",
                count=count,
                count2=len(contents.surface.triangles),
            ),
            kept=KEPT,
            remedy=tr("Open the model with another 3MF reader."),
        )
    refs = {guest.model.sha256: guest.model for guest in project.all_guests if guest.model}
    guests = {sha: exact(surface, refs[sha]) for sha, surface in contents.guests.items() if sha in refs}
    model = Model.from_ref(ref, exact(contents.surface, ref), contents.surface.unit)
    return Opened(model, project, guests)


def _model_in(path: Path, surface: Surface) -> Model:
    """The model of a file that is not a project: tidied, with its bodies told apart."""
    tidied = _checked(path, surface)
    name = shown(Path(path.stem)).replace("_", " ").replace("-", " ").strip() or tr("Model")
    name = (name[:1].upper() + name[1:])[:120]
    solid, bodies, said = in_bodies(tidied, name)
    y_up = tidied.y_up or stands_on_y(solid)
    notes = (*tidied.notes, *said)
    return Model(name, solid, tidied.grid, tidied.unit, bodies, notes, y_up, tidied.y_up, tidied.complete)


def _checked(path: Path, surface: Surface) -> Surface:
    """The same surface, once it is known to have usable facets.

    Raises
    ------
    UnreadableFile
        There are no facets, or coordinates that are not numbers.
    """
    if not len(surface.triangles):
        raise UnreadableFile(
            tr("“{file}” contains no triangles.", file=shown(path)), kept=KEPT, remedy=tr("Export the model as a mesh.")
        )
    bad = int(np.count_nonzero(~np.isfinite(surface.vertices).all(axis=1)))
    if bad:
        raise UnreadableFile(
            tr("“{file}” is damaged: the coordinates of {bad:,} corners are not numbers.", file=shown(path),
               bad=bad),
            kept=KEPT, remedy=tr("Export it again."),
        )
    if np.abs(surface.vertices).max() > 1e9:
        raise UnreadableFile(
            tr("“{file}” is damaged: it has coordinates beyond a billion.", file=shown(path)), kept=KEPT
        )
    tidied = tidy(surface)
    if not len(tidied.triangles):
        raise UnreadableFile(tr("“{file}” contains only triangles without area.", file=shown(path)), kept=KEPT)
    return tidied


_SIGNS = ((b"\x89PNG", tr("a PNG picture")), (b"\xff\xd8\xff", tr("a JPEG picture")), (b"%PDF", tr("a PDF document")))


def _what_it_is(path: Path, head: bytes) -> str:
    for sign, what in _SIGNS:
        if head.startswith(sign):
            return tr("“{file}” is not a model: it is {what}.", file=shown(path), what=what)
    if head.lstrip()[:1] == b"<":
        return tr("“{file}” is not a model: it is a web page or XML text.", file=shown(path))
    kind = tr("plain text") if b"\0" not in head else tr("of an unknown kind")
    return tr("“{file}” is not a model: it is {kind}.", file=shown(path), kind=kind)
