"""Splits solids. Nothing is lost: the sides, the kerf between them and what is set aside make up the solid."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import manifold3d
import numpy as np

from ..arrays import Floats
from ..errors import CutFailed
from ..locale.translate import tr
from ..mesh.provenance import Face
from ..mesh.solid import Solid
from .bodies import without_nothing
from .plane_split import split_at_plane


@dataclass(frozen=True, eq=False)
class Parted:
    """What a cut makes of one solid.

    Attributes
    ----------
    sides : list of (int, Solid)
        The number of each side, and its solid.
    kerf : float, mm3
        The volume that the cut removed.
    bridge : (k, 2, 3) float64
        Places in mm where material continues around a loop that cuts nothing, and the outward directions there.
    """

    sides: list[tuple[int, Solid]]
    kerf: float
    bridge: Floats = field(default_factory=lambda: np.empty((0, 2, 3)))


def taken_over(
    solid: Solid, sides: Iterable[tuple[int, manifold3d.Manifold]], owner: str, name: str
) -> list[tuple[int, Solid]]:
    """The sides of a cut that are not empty, converted from the boolean library. The new faces belong to the owner.

    Parameters
    ----------
    owner : str
        The id of the cut.
    name : str
        The name of the cut, for the error message.

    Raises
    ------
    CutFailed
        The boolean library could not make a side.
    """
    known = solid.runs
    found: list[tuple[int, Solid | None]] = []
    for side, body in sides:
        if body.status() != manifold3d.Error.NoError:
            raise CutFailed(tr("The cut “{name}” could not be made ({name2}).", name=name, name2=body.status().name))
        if body.is_empty():
            continue
        fresh = {int(run): Face(owner) for run in body.to_mesh64().run_original_id if int(run) not in known}
        found.append((side, Solid.from_manifold(body, known | fresh)))
    return with_something(solid, found)


def split_by_body(
    whole: manifold3d.Manifold, body: Callable[[float], manifold3d.Manifold], half: float
) -> tuple[manifold3d.Manifold, manifold3d.Manifold, float]:
    """Split a body into what is inside and what is outside of another.

    Parameters
    ----------
    body : Callable[[float], manifold3d.Manifold]
        Gives the other body, larger by so many mm.
    half : float
        Half the kerf, in mm.

    Returns
    -------
    Manifold, Manifold, float
        Inside, outside, and the volume of the kerf in mm3.
    """
    inside, outside = whole.split(body(half))
    if half == 0:
        return inside, outside, 0.0
    inside, between = inside.split(body(-half))
    return inside, outside, float(between.volume())


def split_by_plane(
    solid: Solid, normal: Floats, offset: float, half: float, owner: str
) -> tuple[Solid | None, Solid | None, float]:
    """Split a body at a plane. Raises as ``split_at_plane``.

    Parameters
    ----------
    normal : (3,) float64
        The plane's unit normal.
    offset : float, mm
        Its distance from the origin along the normal.
    half : float, mm
        Half the kerf.
    owner : str
        The id of the cut.

    Returns
    -------
    Solid | None, Solid | None, float
        What is ahead of the plane and what is behind it, if anything is, and the volume of the kerf in mm3.
    """
    ahead, rest = split_at_plane(solid, normal, offset + half, owner)
    if half == 0 or rest is None:
        return ahead, rest, 0.0
    # one after the other, and not each from the whole: what is ahead of a wall and what is behind it come from one cut
    between, behind = split_at_plane(rest, normal, offset - half, owner)
    return ahead, behind, between.volume if between is not None else 0.0


def slices(
    solid: Solid | None, normal: Floats, walls: tuple[float, ...], half: float, owner: str, kerf: list[float]
) -> list[Solid | None]:
    """The parts of a body between parallel walls, in rising order; None where there is nothing.

    Parameters
    ----------
    normal : (3,) float64
        The direction across the walls, of length 1.
    walls : tuple of float, mm
        The places of the walls along it.
    half : float, mm
        Half the kerf.
    owner : str
        The id of the cut.
    kerf : list[float]
        The volume of each kerf is appended to this list.
    """
    found: list[Solid | None] = []
    for wall in walls:
        behind = None
        if solid is not None:
            solid, behind, lost = split_by_plane(solid, normal, wall, half, owner)
            kerf.append(lost)
        found.append(behind)
    return [*found, solid]


def with_something(solid: Solid, sides: Iterable[tuple[int, Solid | None]]) -> list[tuple[int, Solid]]:
    """The sides of a cut through a solid that are not empty, without shells that enclose nothing."""
    found = []
    for side, body in sides:
        made = without_nothing(body, solid.volume) if body is not None else None
        if made is not None:
            found.append((side, made))
    return found


def own_walls(solid: Solid, body: manifold3d.Manifold, normal: Floats, offset: float) -> float:
    """How much of a body's own surface runs through a solid, not counting what lies in its plane normal . p =
    offset.

    Parameters
    ----------
    normal : (3,) float64

    Returns
    -------
    float, mm2
    """
    piece = solid.manifold ^ body
    if piece.is_empty():
        return float(np.inf)
    mesh = piece.to_mesh64()
    ends = np.asarray(mesh.run_index).astype(np.int64) // 3
    own = np.zeros(len(mesh.tri_verts), np.bool_)
    for number, run in enumerate(mesh.run_original_id):
        if int(run) not in solid.runs:
            own[ends[number] : ends[number + 1]] = True
    corners = np.asarray(mesh.vert_properties)[:, :3][np.asarray(mesh.tri_verts).astype(np.int64)[own]]
    vectors = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) / 2
    lengths = np.linalg.norm(vectors, axis=1)
    flat = np.abs(vectors @ normal) > 0.999999 * lengths
    at_plane = np.abs(corners.mean(axis=1) @ normal - offset) < 1e-6 * solid.diagonal
    return float(lengths[~(flat & at_plane)].sum())
