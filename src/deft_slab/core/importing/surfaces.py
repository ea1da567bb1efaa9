"""A surface as a file contained it, and the same with its vertices merged."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from ..arrays import Floats, Ints32
from ..errors import UnreadableFile
from ..locale.preferences import written
from ..locale.text import harmless
from ..locale.translate import tr
from ..mesh.corners import have_three, in_use
from ..mesh.union_find import same_rows
from ..plan.plan import Unit
from ..plan.project import Project

KEPT = tr("Your open project is unchanged.")
_GRID_BITS = 20
MOST_TRIANGLES = 12_000_000
"""More than this are not read: what is worked out from them would not fit into memory."""
_FAR = 100.0
"""So many times its own size away from the origin, a model is moved there, or its coordinates would be too coarse."""


def shown(path: Path) -> str:
    """The name of a file, made printable: whatever is not text in it is replaced."""
    name = path.name.encode("utf-8", "replace").decode("utf-8", "replace")
    return harmless(name)


def refuse_too_many(triangles: int) -> None:
    """Refuse a file with more triangles than are read.

    Raises
    ------
    UnreadableFile
        There are too many.
    """
    if triangles > MOST_TRIANGLES:
        raise UnreadableFile(
            tr("The file has {triangles:,} triangles. At most {most_triangles:,} can be read.",
               triangles=triangles, most_triangles=MOST_TRIANGLES),
            kept=KEPT, remedy=tr("Reduce its triangles in another program, or use fewer copies of its parts."),
        )


@dataclass(frozen=True, eq=False)
class Surface:
    """A surface as a file contained it.

    Attributes
    ----------
    vertices : (n, 3) float64
        In ``unit``.
    triangles : (m, 3) int32
    unit : Unit | None
        The unit that the file states; None if it states none.
    grid : float
        Once tidied, all coordinates are whole multiples of this; 0 before.
    parts : tuple of (str, int)
        The name and the number of triangles of each named object, in the order of the triangles. Empty if the
        file names none.
    y_up : bool
        Whether the format says that +Y is up.
    notes : tuple[str, ...]
        What is odd about the file, a sentence each.
    complete : bool
        Whether everything that the file announces was there.
    """

    vertices: Floats
    triangles: Ints32
    unit: Unit | None = None
    grid: float = 0.0
    parts: tuple[tuple[str, int], ...] = ()
    y_up: bool = False
    notes: tuple[str, ...] = ()
    complete: bool = True


@dataclass(frozen=True, eq=False)
class Contents:
    """What a reader found.

    Attributes
    ----------
    project : Project | None
        The project, if the file is one of ours, with the surfaces of its guests by content hash.
    exact : bool
        Whether the file contains exact surfaces, converted to triangles with some accuracy.
    """

    surface: Surface
    project: Project | None = None
    guests: dict[str, Surface] = field(default_factory=dict)
    exact: bool = False


def surface_of(
    named: Sequence[tuple[str, Floats, Ints32]], unit: Unit | None = None, *, y_up: bool = False,
    notes: tuple[str, ...] = (),
) -> Surface:
    """One surface made of named objects.

    Parameters
    ----------
    named : Sequence[tuple[str, Floats, Ints32]]
        Name, vertices (n, 3) and triangles (m, 3) of each.

    Raises
    ------
    UnreadableFile
        There are too many triangles.
    """
    refuse_too_many(sum(len(faces) for _, _, faces in named))
    start, vertices, triangles = 0, [np.empty((0, 3))], [np.empty((0, 3), np.int32)]
    for _, points, faces in named:
        vertices.append(points)
        triangles.append((faces + start).astype(np.int32))
        start += len(points)
    parts = tuple((name, len(faces)) for name, _, faces in named) if len(named) > 1 else ()
    return Surface(np.concatenate(vertices), np.concatenate(triangles), unit, parts=parts, y_up=y_up, notes=notes)


def grid_for(vertices: Floats) -> float:
    """A power of two, about a millionth of the largest coordinate, but not finer than for a model of a millionth of
    a unit.

    Parameters
    ----------
    vertices : (n, 3) float64
    """
    largest = max(float(np.abs(vertices).max()), 1e-6)
    return math.ldexp(1.0, math.frexp(largest)[1] - _GRID_BITS)


def snapped(vertices: Floats, grid: float) -> Floats:
    """Coordinates rounded to whole multiples of a grid.

    3MF stores coordinates as decimal text, and its library reads them back with the last bits of a float32 changed. A
    grid slightly coarser than those bits lets a project open with exactly the model that was saved.

    Parameters
    ----------
    vertices : (n, 3) float64
        So is what is given.
    """
    return np.round(np.asarray(vertices, float) / grid) * grid + 0.0  # adding 0 makes one zero of -0 and 0


def _near_origin(surface: Surface) -> Surface:
    """A model that lies far away, moved to where its coordinates can be stored exactly, with a note about it."""
    stands = np.zeros(len(surface.vertices), np.bool_)
    stands[surface.triangles] = True
    if not stands.any():
        return surface
    used = surface.vertices[stands]
    low, high = used.min(axis=0), used.max(axis=0)
    if max(np.abs(low).max(), np.abs(high).max()) <= _FAR * max(float((high - low).max()), 1e-12):
        return surface
    shift = -(low + high) / 2
    x, y, z = (written(f"{value:.6g}") for value in -shift)
    note = tr(
        "The model was far from the origin of its file, and was moved there. Its middle was at {x}, {y}, {z}.",
        x=x,
        y=y,
        z=z,
    )
    return replace(surface, vertices=surface.vertices + shift, notes=(*surface.notes, note))


def tidy(surface: Surface) -> Surface:
    """Merge vertices at the same place, and drop facets without three different vertices, unused vertices, and
    objects without facets. Vertices of different named objects stay apart.
    """
    surface = _near_origin(surface)
    grid = grid_for(surface.vertices)
    counts = [count for _, count in surface.parts] or [len(surface.triangles)]
    vertices, triangles, kept, start = [], [], [], 0
    for faces in np.split(surface.triangles, np.cumsum(counts)[:-1]):
        points, found = _tidied(surface.vertices, faces, grid)
        vertices.append(points)
        triangles.append(found + np.int32(start))
        kept.append(len(found))
        start += len(points)
    parts = tuple((name, count) for (name, _), count in zip(surface.parts, kept, strict=False) if count)
    return replace(
        surface, vertices=np.concatenate(vertices), triangles=np.concatenate(triangles), grid=grid,
        parts=parts if len(parts) > 1 else (),
    )


def _tidied(vertices: Floats, triangles: Ints32, grid: float) -> tuple[Floats, Ints32]:
    vertices, triangles = in_use(vertices, triangles)
    points = snapped(vertices, grid)
    # in their order: neighbours in the file stay neighbours in memory, which the kernels are glad of
    first, number = same_rows(points)
    faces = number[triangles].astype(np.int32)
    return in_use(points[first], faces[have_three(faces)])
