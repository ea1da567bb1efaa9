"""Opening a file: a model, or a project with a model in it.

``READERS`` is the registry of formats: what to call it, how to know it by its content, and how to read it.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..errors import DeftError, UnreadableFile
from ..plan import Project
from ..progress import QUIET, Job
from .meshes import read_obj, read_ply, read_stl
from .surfaces import Surface, snapped, tidy
from .threemf import read_3mf

KEPT = "What you have open is untouched."
_log = logging.getLogger(__name__)


@dataclass(frozen=True, eq=False)
class Opened:
    """What was in a file: one surface in the file's unit, and the project if it is one of ours."""

    name: str
    surface: Surface
    project: Project | None


def _is_binary_stl(head: bytes, size: int) -> bool:
    return size >= 84 and 84 + 50 * int.from_bytes(head[80:84], "little") == size


def _is_text_stl(head: bytes, size: int) -> bool:
    return head.lstrip()[:5].lower() == b"solid" and b"facet" in head.lower()


@dataclass(frozen=True)
class Reader:
    """One format. ``knows`` gets the first 4 KiB, the size in bytes and the file's ending (lower case)."""

    title: str
    endings: tuple[str, ...]
    knows: Callable[[bytes, int, str], bool]
    read: Callable[[Path, Job], tuple[Surface, Project | None]]


READERS: tuple[Reader, ...] = (
    Reader("3MF", (".3mf",), lambda head, size, ending: head[:4] == b"PK\x03\x04", read_3mf),
    Reader(
        "STL", (".stl",), lambda head, size, ending: _is_binary_stl(head, size) or _is_text_stl(head, size), read_stl
    ),
    Reader("PLY", (".ply",), lambda head, size, ending: head[:4] in (b"ply\n", b"ply\r"), read_ply),
    Reader(
        "OBJ", (".obj",), lambda head, size, ending: ending == ".obj" and b"\0" not in head and b"v " in head, read_obj
    ),
)


def open_file(path: Path, job: Job = QUIET) -> Opened:
    """Reads a model or a project.

    Raises
    ------
    UnreadableFile : it is missing, empty, no mesh, cut short, damaged, or from a newer version.
    Cancelled : the job is no longer wanted.
    """
    job.step(0.0, f"Reading {path.name}")
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(4096)
    except OSError as error:
        raise UnreadableFile(f"“{path.name}” cannot be read: {error.strerror or error}.", kept=KEPT) from error
    if size == 0:
        raise UnreadableFile(f"“{path.name}” is empty.", kept=KEPT, remedy="Copy or download it again.")
    reader = next((reader for reader in READERS if reader.knows(head, size, path.suffix.lower())), None)
    if reader is None:
        raise UnreadableFile(_what_it_is(path, head, size), kept=KEPT, remedy="Open an STL, 3MF, PLY or OBJ file.")
    try:
        surface, project = reader.read(path, job)
    except DeftError:
        raise
    except MemoryError as error:
        raise UnreadableFile(f"“{path.name}” is too large for this machine's memory.", kept=KEPT) from error
    except Exception as error:  # noqa: BLE001 - the border of foreign readers, which raise anything on damaged files
        _log.warning("%s reader failed on %s", reader.title, path, exc_info=True)
        raise UnreadableFile(
            f"“{path.name}” is a damaged {reader.title} file: {error}.", kept=KEPT, remedy="Export it again."
        ) from error
    job.step(0.6, "Joining the facets")
    name = project.title if project else path.stem.replace("_", " ").replace("-", " ").strip() or "Model"
    return Opened(
        name[:1].upper() + name[1:], _as_saved(surface, project) if project else _checked(path, surface), project
    )


def _as_saved(surface: Surface, project: Project) -> Surface:
    """The source model of a project: tidied before it was saved, so only its coordinates are made exact again."""
    grid = project.plan.model.grid
    return Surface(snapped(surface.vertices, grid), surface.triangles, surface.unit, grid)


def _checked(path: Path, surface: Surface) -> Surface:
    """The surface, tidied.

    Raises
    ------
    UnreadableFile : no facets, or coordinates that are no numbers.
    """
    if not len(surface.triangles):
        raise UnreadableFile(f"“{path.name}” holds no triangles.", kept=KEPT, remedy="Export the model as a mesh.")
    bad = int(np.count_nonzero(~np.isfinite(surface.vertices).all(axis=1)))
    if bad:
        raise UnreadableFile(
            f"“{path.name}” is damaged: {bad:,} of its corners have coordinates that are no numbers.",
            kept=KEPT, remedy="Export it again.",
        )  # fmt: skip
    if np.abs(surface.vertices).max() > 1e9:
        raise UnreadableFile(f"“{path.name}” has coordinates beyond a billion; it is damaged.", kept=KEPT)
    tidied = tidy(surface)
    if not len(tidied.triangles):
        raise UnreadableFile(f"“{path.name}” holds only triangles without area.", kept=KEPT)
    return tidied


_SIGNS = ((b"\x89PNG", "a PNG picture"), (b"\xff\xd8\xff", "a JPEG picture"), (b"%PDF", "a PDF document"))


def _what_it_is(path: Path, head: bytes, size: int) -> str:
    for sign, what in _SIGNS:
        if head.startswith(sign):
            return f"“{path.name}” is not a model: it is {what}."
    if head.lstrip()[:1] == b"<":
        return f"“{path.name}” is not a model: it is a web page or XML text."
    text = b"\0" not in head
    if path.suffix.lower() == ".stl" and not text and size >= 84:
        said = int.from_bytes(head[80:84], "little")
        return (
            f"“{path.name}” is cut short or damaged: it says that it holds {said:,} triangles, "
            f"and has room for {(size - 84) // 50:,}."
        )
    kind = "plain text" if text else "of no kind that is known here"
    return f"“{path.name}” is not a model: it is {kind}."
