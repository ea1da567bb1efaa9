"""Splitting at a plane by surgery: what comes out is closed, encloses what there was, and lies on its side."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.core.errors import OpenSurface
from deft_slab.core.geometry import plane_split
from deft_slab.core.geometry.plane_split import split_at_plane
from deft_slab.core.mesh.provenance import Face
from deft_slab.core.mesh.solid import Solid
from tests.shapes import box, hollow_ball, ring, solid_of, sphere

UP = np.array([0.0, 0.0, 1.0])


def surface_only(solid: Solid) -> Solid:
    """Nothing but its facets, so that its edges are looked at."""
    return Solid(solid.vertices, solid.triangles)


def sound(whole: Solid, normal: np.ndarray, offset: float, sides: tuple[Solid | None, Solid | None]) -> None:
    """Both sides are closed, lie on their sides, and enclose together what there was."""
    kept = [side for side in sides if side is not None]
    assert sum(side.volume for side in kept) == pytest.approx(whole.volume, rel=1e-12)
    for side, sign in zip(sides, (1.0, -1.0), strict=True):
        if side is None:
            continue
        assert surface_only(side).defects.closed
        assert (sign * (side.vertices @ normal - offset)).min() > -1e-6


def polycube(cells: np.ndarray) -> Solid:
    """The skin of unit cubes, with corners in common: it touches itself along edges and at corners."""
    filled = np.pad(cells, 1)
    corners = []
    for axis in range(3):
        u, v = np.eye(3)[(axis + 1) % 3], np.eye(3)[(axis + 2) % 3]
        for way in (1, -1):
            for cell in np.argwhere(filled & ~np.roll(filled, -way, axis)):
                low = cell + (np.eye(3)[axis] if way > 0 else 0.0)
                square = [low, low + u, low + u + v, low + v][::way]
                corners += [square[0], square[1], square[2], square[0], square[2], square[3]]
    vertices, triangles = np.unique(np.array(corners), axis=0, return_inverse=True)
    return Solid(vertices, triangles.reshape(-1, 3).astype(np.int32))


@given(
    st.lists(st.booleans(), min_size=27, max_size=27).filter(any),
    st.integers(0, 3), st.sampled_from([(0, 0, 1), (0, 1, 0), (1, 1, 0), (1, 1, 1), (1, -2, 1)]),
    st.sampled_from([0.0, 0.5, 1 / 3]),
)
def test_every_plane_through_cubes_that_touch_gives_closed_sides(cells, place, normal, beside):
    """Planes through corners, edges and faces, or beside them, of bodies that touch themselves."""
    whole = polycube(np.array(cells).reshape(3, 3, 3))
    length = float(np.linalg.norm(normal))
    direction, offset = np.array(normal) / length, (place + 1 + beside) / length
    sides = split_at_plane(whole, direction, offset, "c1")
    sound(whole, direction, offset, sides)
    if normal == (0, 0, 1):
        full = np.array(cells).reshape(3, 3, 3).sum(axis=(0, 1))
        behind = sum(count * np.clip(place + beside - n, 0.0, 1.0) for n, count in enumerate(full))
        assert (sides[1].volume if sides[1] else 0.0) == pytest.approx(behind, abs=1e-9)


@given(st.tuples(st.floats(-1, 1), st.floats(-1, 1), st.floats(-1, 1)), st.floats(-0.9, 0.9))
def test_it_agrees_with_a_boolean_and_with_trimesh(normal, share):
    """Volumes and section as Manifold's split and trimesh's slice have them."""
    if np.linalg.norm(normal) < 0.1:
        return
    direction, whole = np.array(normal) / np.linalg.norm(normal), ring(20.0, 6.0, 40)
    heights = whole.vertices @ direction
    offset = float(np.interp(share, (-1, 1), (heights.min(), heights.max())))
    sides = split_at_plane(whole, direction, offset, "c1")
    sound(whole, direction, offset, sides)
    ahead, behind = whole.manifold.split_by_plane(tuple(direction), offset)
    for side, body in zip(sides, (ahead, behind), strict=True):
        assert (side.volume if side else 0.0) == pytest.approx(body.volume(), abs=1e-6 * whole.volume)
    mesh = trimesh.Trimesh(whole.vertices, whole.triangles, process=False)
    lines = trimesh.intersections.mesh_plane(mesh, direction, direction * offset)
    if sides[0] is not None:
        face = sides[0].picked(sides[0].by("c1"))
        assert len(face.triangles) == 0 or np.linalg.norm(face.defects.segments[:, 1] - face.defects.segments[:, 0],
            axis=1).sum() == pytest.approx(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum(), rel=1e-6)


def test_a_cut_face_is_one_flat_that_belongs_to_the_cut():
    """Both have the section's area, face each other, and the rest keeps its origin."""
    whole = sphere(20.0)
    for side, sign in zip(split_at_plane(whole, UP, 5.0, "c1"), (-1.0, 1.0), strict=True):
        face = side.by("c1")
        assert side.made == (Face("c1"),)
        assert np.allclose(side.normals[face], sign * UP)
        assert side.areas[face].sum() == pytest.approx(np.pi * (20.0**2 - 5.0**2), rel=0.01)
        skin = side.origin[~face]
        # a facet lies in the plane of the one that it is a part of
        assert np.allclose(side.normals[~face], whole.normals[skin], atol=1e-6)


def test_a_plane_through_corners_moves_nothing_and_doubles_nothing():
    """A ball of 20 whose equator is a row of corners: halves of equal volume, each corner there once."""
    whole = sphere(20.0, 3)
    assert np.count_nonzero(np.abs(whole.vertices[:, 2]) < 1e-12) >= 16
    sides = split_at_plane(whole, UP, 0.0, "c1")
    sound(whole, UP, 0.0, sides)
    assert sides[0].volume == pytest.approx(whole.volume / 2)
    for side in sides:
        assert len(np.unique(side.vertices, axis=0)) == len(side.vertices)
        assert side.areas.min() > 1e-3


def test_a_tread_in_the_plane_goes_with_its_step():
    """Stairs cut at the height of a tread: no film lies under what is above."""
    stairs = polycube(np.array([[[True, True]], [[True, False]]]))
    ahead, behind = split_at_plane(stairs, UP, 2.0, "c1")
    assert (ahead.volume, behind.volume) == (pytest.approx(1.0), pytest.approx(2.0))
    assert ahead.areas.sum() == pytest.approx(6.0)
    assert behind.areas.sum() == pytest.approx(10.0)


@pytest.mark.parametrize(("height", "ahead"), [(-10.0, True), (10.0, False), (30.0, False), (-30.0, True)])
def test_what_a_plane_only_touches_stays_whole(height, ahead):
    """A box of 20 about the origin, touched at its top or bottom or missed, is handed back itself."""
    whole = solid_of(box(20.0, 20.0, 20.0))
    sides = split_at_plane(whole, UP, float(whole.bounds.mean(axis=0)[2]) + height, "c1")
    assert (sides[0] is whole, sides[1] is whole) == (ahead, not ahead)


def test_rings_and_voids_keep_their_holes():
    """A ring cut flat has an annulus, a ring cut across two discs, a hollow ball a ring of wall."""
    tyre = ring(20.0, 5.0)
    flat, across = split_at_plane(tyre, UP, 0.0, "c1"), split_at_plane(tyre, np.array([1.0, 0.0, 0.0]), 0.0, "c1")
    sound(tyre, UP, 0.0, flat)
    sound(tyre, np.array([1.0, 0.0, 0.0]), 0.0, across)
    assert flat[0].areas[flat[0].by("c1")].sum() == pytest.approx(np.pi * (25.0**2 - 15.0**2), rel=0.02)
    assert across[0].areas[across[0].by("c1")].sum() == pytest.approx(2 * np.pi * 5.0**2, rel=0.03)
    hollow = hollow_ball(20.0, 15.0)
    sides = split_at_plane(hollow, UP, 1.0, "c1")
    sound(hollow, UP, 1.0, sides)
    wall = np.pi * ((20.0**2 - 1) - (15.0**2 - 1))
    assert sides[0].areas[sides[0].by("c1")].sum() == pytest.approx(wall, rel=0.02)


def test_crowded_edges_close_even_where_nothing_tells_their_facets_apart(monkeypatch):
    """Two cubes that touch along an edge, as if the facets there could not be told apart: closed, and all there."""
    monkeypatch.setattr(plane_split, "unpinched", lambda vertices, triangles: (vertices, triangles))
    cells = np.zeros((2, 2, 2), np.bool_)
    cells[0, 0], cells[1, 1] = True, True
    whole = polycube(cells)
    assert whole.defects.pinched
    sides = split_at_plane(whole, UP, 1.5, "c1")
    sound(whole, UP, 1.5, sides)
    assert sides[0].volume == pytest.approx(3.0)


def test_an_open_surface_is_refused():
    """A box without its lid encloses nothing that could be parted."""
    whole = solid_of(box(20.0, 20.0, 20.0))
    with pytest.raises(OpenSurface):
        split_at_plane(Solid(whole.vertices, whole.triangles[2:]), UP, 1.0, "c1")
