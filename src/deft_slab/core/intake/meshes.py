"""Mesh formats without units or plans, read by trimesh."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh

from ..plan import Project
from ..progress import Job
from .surfaces import Surface


def _read(path: Path, kind: str) -> Surface:
    # coordinates that are no numbers are refused later, with a sentence of our own
    with path.open("rb") as file, np.errstate(invalid="ignore", over="ignore"):
        loaded = trimesh.load(file, file_type=kind, process=False)
        if isinstance(loaded, trimesh.Scene):
            loaded = loaded.to_mesh()
    faces = getattr(loaded, "faces", np.empty((0, 3)))
    return Surface(np.asarray(loaded.vertices, float), np.asarray(faces, np.int32).reshape(-1, 3))


def read_stl(path: Path, job: Job) -> tuple[Surface, Project | None]:
    return _read(path, "stl"), None


def read_ply(path: Path, job: Job) -> tuple[Surface, Project | None]:
    return _read(path, "ply"), None


def read_obj(path: Path, job: Job) -> tuple[Surface, Project | None]:
    return _read(path, "obj"), None
