"""Cuts: nothing lost, everything closed, origins kept; sections against outside references."""

from __future__ import annotations

import math
import pickle

import manifold3d
import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPlane, vtkPolyData
from vtkmodules.vtkFiltersCore import vtkCutter

from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import OpenSurface
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.figures.exposure import exposure, spread_directions
from deft_slab.core.figures.seams import seam_of
from deft_slab.core.geometry.bodies import bodies_of, united
from deft_slab.core.mesh.provenance import Face
from deft_slab.core.mesh.solid import Solid, side_by_side
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from tests.shapes import (
    box,
    bundled,
    cone,
    hollow_ball,
    joined,
    model_of,
    ring,
    solid_of,
    sphere,
    together,
    tube,
    without_facets,
)

ZOO = {
    "ball": sphere(20.0, 4),
    "ring": ring(30, 8),
    "hollow": hollow_ball(30, 24),
    "two apart": together(box(10, 10, 10), box(10, 10, 10, at=(30, 0, 0))),
    "touching": together(box(10, 10, 10), box(10, 10, 10, at=(10, 0, 0))),
    "overlapping": united(together(box(10, 10, 10), box(10, 10, 10, at=(5, 3, 2)))),
    "plate": solid_of(box(80, 60, 0.2)),
    "tiny": solid_of(box(1e-3, 2e-3, 1e-3)),
    "huge": sphere(5e4, 3),
    "ant": united(bundled("ant.ply")),
}


def straight(normal, offset, cut_id="c1"):
    return StraightCut(id=cut_id, name="Cut", normal=normal, offset=offset)


def split(solid: Solid, cut) -> tuple[Solid | None, Solid | None]:
    """What is ahead of a cut and what is behind it."""
    sides = dict(cut.part(solid).sides)
    return sides.get(1), sides.get(-1)


def is_closed(solid: Solid) -> bool:
    """By trimesh, and by the program's own count of edges, from nothing."""
    mesh = trimesh.Trimesh(solid.vertices, solid.triangles, process=False)
    return mesh.is_watertight and mesh.is_winding_consistent and Solid(solid.vertices, solid.triangles).defects.closed


@pytest.mark.parametrize("name", sorted(ZOO))
@settings(max_examples=20, deadline=None)
@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.1), st.floats(-0.2, 1.2))
def test_nothing_is_lost_and_pieces_are_closed(name, normal, share):
    solid = ZOO[name]
    solid = Solid(solid.vertices, solid.triangles)  # numbered anew, as an opened model is
    unit = np.array(normal) / math.hypot(*normal)
    along = solid.vertices @ unit
    offset = float(along.min() + share * (along.max() - along.min()))
    sides = [side for side in split(solid, straight(normal, offset)) if side is not None]
    parts = [part for side in sides for part in bodies_of(side)]
    assert math.fsum(part.volume for part in parts) == pytest.approx(solid.volume, rel=1e-6)
    for part in parts:
        assert part.volume > 0
        assert is_closed(part)
        assert (part.origin >= -1).all()
        assert part.origin.max(initial=-1) < len(solid.triangles)
        # a triangle that says where it came from lies in the plane of that triangle
        skin = np.flatnonzero(part.origin >= 0)
        source = solid.triangles[part.origin[skin], 0]
        off = np.einsum("ij,ij->i", part.centroids[skin] - solid.vertices[source], solid.normals[part.origin[skin]])
        assert np.abs(off).max(initial=0.0) < 1e-5 * solid.diagonal


def test_spherical_cap():
    """Cap of height h: pi h^2 (3R - h) / 3, cut area pi h (2R - h) (geometry handbooks)."""
    radius, height = 30.0, 12.0
    cap, rest = split(sphere(radius, 6), straight((0, 0, 1), radius - height))
    assert cap.volume == pytest.approx(math.pi * height**2 * (3 * radius - height) / 3, rel=2e-3)
    seam = seam_of([cap], "c1", np.ones(len(sphere(radius, 6).triangles)))
    assert seam.cut_area == pytest.approx(math.pi * height * (2 * radius - height), rel=2e-3)
    assert seam.length == pytest.approx(2 * math.pi * math.sqrt(height * (2 * radius - height)), rel=2e-3)
    assert seam.in_sight == pytest.approx(seam.length)
    assert cap.volume + rest.volume == pytest.approx(sphere(radius, 6).volume, rel=1e-9)


@pytest.mark.parametrize(("normal", "offset"), [((0, 0, 1), 1.0), ((1, 2, 3), 3.0), ((1, 0, 0), -19.0)])
@pytest.mark.parametrize("name", ["ring", "ball"])
def test_sections_agree_with_trimesh_shapely_and_vtk(name, normal, offset):
    """Cut area and seam length against trimesh's section (area by shapely's polygons) and VTK's cutter."""
    solid = ZOO[name]
    unit = np.array(normal) / math.hypot(*normal)
    ahead, _ = split(solid, straight(normal, offset))
    seam = seam_of([ahead], "c1", None)
    mesh = trimesh.Trimesh(solid.vertices, solid.triangles)
    lines = trimesh.intersections.mesh_plane(mesh, plane_normal=unit, plane_origin=offset * unit)
    assert seam.length == pytest.approx(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum(), rel=1e-5)
    flat = np.round(lines @ np.linalg.svd(unit[None])[2][1:].T, 7)
    rings = shapely.polygonize([shapely.LineString(line) for line in flat]).geoms
    outlines = [shapely.Polygon(ring.exterior) for ring in rings]
    # a region of the section is material when an odd number of outlines is around it
    area = sum(
        ring.area for ring in rings if sum(outline.contains(ring.representative_point()) for outline in outlines) % 2
    )
    assert seam.cut_area == pytest.approx(area, rel=1e-5)
    assert seam.length == pytest.approx(_vtk_section_length(solid, unit, offset), rel=1e-4)


def _vtk_section_length(solid, unit, offset):
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.array(solid.vertices), deep=True))
    cells = vtkCellArray()
    cells.SetData(3, numpy_to_vtkIdTypeArray(solid.triangles.astype(np.int64).ravel(), deep=True))
    data = vtkPolyData()
    data.SetPoints(points)
    data.SetPolys(cells)
    plane = vtkPlane()
    plane.SetNormal(*unit)
    plane.SetOrigin(*(offset * unit))
    cutter = vtkCutter()
    cutter.SetInputData(data)
    cutter.SetCutFunction(plane)
    cutter.Update()
    found = cutter.GetOutput()
    ends = vtk_to_numpy(found.GetPoints().GetData())[vtk_to_numpy(found.GetLines().GetConnectivityArray())]
    return float(np.linalg.norm(ends[0::2] - ends[1::2], axis=1).sum())


def test_cut_face_of_a_shell_is_a_ring():
    solid = tube(20, 24, 40)
    ahead, behind = split(solid, straight((0, 0, 1), 0.0))
    seam = seam_of([ahead], "c1", exposure(solid))
    assert seam.cut_area == pytest.approx(math.pi * (24**2 - 20**2), rel=2e-3)
    assert seam.length == pytest.approx(2 * math.pi * (24 + 20), rel=2e-3)
    assert 0.4 * seam.length < seam.in_sight < 0.95 * seam.length  # the inner circle is seen less
    assert is_closed(ahead)
    assert is_closed(behind)


def test_two_crossing_full_cuts_through_a_shell_make_four_pieces():
    """Common practice; also when a part of them is cut again."""
    pieces = [tube(20, 24, 40)]
    for number, normal in enumerate(((1, 0, 0), (0, 1, 0))):
        pieces = [
            part
            for piece in pieces
            for side in split(piece, straight(normal, 0, f"c{number}"))
            for part in bodies_of(side)
        ]
    assert len(pieces) == 4
    assert [piece.made for piece in pieces] == [(Face("c0"), Face("c1"))] * 4
    assert all(piece.by("c0").any() and piece.by("c1").any() for piece in pieces)


def test_who_made_a_face_stays_with_it():
    """In another order of the recipe, and where solids that different cuts have made are put side by side."""
    model = model_of(solid_of(box(30, 20, 10)))
    cuts = (straight((1, 0, 0), 12, "a"), straight((0, 0, 1), 4, "b"))
    areas = []
    for recipe in (cuts, cuts[::-1]):
        pieces = Evaluator(model).evaluate(Plan(model=model.ref, recipe=recipe), default_printer()).pieces
        areas.append([sum(p.solid.areas[p.solid.by(cut)].sum() for p in pieces) for cut in "ab"])
    assert areas[0] == pytest.approx([2 * 20 * 10, 2 * 30 * 20])
    assert areas[1] == pytest.approx(areas[0])
    (left, _), (_, top) = (split(solid_of(box(30, 20, 10)), cut) for cut in cuts)
    both = side_by_side([left, top])
    assert both.areas[both.by("a")].sum() == pytest.approx(20 * 10)
    assert both.areas[both.by("b")].sum() == pytest.approx(30 * 20)
    assert both.areas[both.origin >= 0].sum() == pytest.approx(both.areas.sum() - 20 * 10 - 30 * 20)


def test_abutting_boxes():
    """Common practice: boxes of 25 x 25 x 50 from a larger one fill it without a gap."""
    pieces = [solid_of(box(50, 50, 100))]
    for number, (normal, offset) in enumerate((((1, 0, 0), 25), ((0, 1, 0), 25), ((0, 0, 1), 50))):
        pieces = [side for piece in pieces for side in split(piece, straight(normal, offset, f"c{number}"))]
    assert len(pieces) == 8
    for piece in pieces:
        assert sorted(piece.size.tolist()) == pytest.approx([25, 25, 50])
    assert sum(piece.volume for piece in pieces) == pytest.approx(50 * 50 * 100, rel=1e-12)


def test_a_cut_that_misses_or_lies_in_a_face():
    cube = solid_of(box(10, 10, 10))
    for offset in (-5.0, 15.0, 0.0, 10.0):
        sides = split(cube, straight((0, 0, 1), offset))
        assert sum(side is None for side in sides) == 1
        assert next(side for side in sides if side is not None).volume == pytest.approx(1000)


def test_a_cut_through_corners_and_edges():
    ahead, behind = split(solid_of(box(10, 10, 10)), straight((1, 1, 0), 10 / math.sqrt(2)))
    assert ahead.volume == pytest.approx(500)
    assert behind.volume == pytest.approx(500)
    assert is_closed(ahead)


def test_a_void_stays_with_what_is_around_it():
    ball = hollow_ball(30, 24)
    assert len(bodies_of(ball)) == 1
    both = together(
        *(
            trimesh.Trimesh(s.vertices, s.triangles, process=False)
            for s in (ball, Solid(ball.vertices + [80, 0, 0], ball.triangles))
        )
    )
    parts = bodies_of(both)
    assert [part.volume for part in parts] == pytest.approx([ball.volume] * 2)


def test_bodies_that_overlap_get_one_skin_and_those_that_touch_do_not():
    assert len(bodies_of(ZOO["overlapping"])) == 1
    assert ZOO["overlapping"].volume == pytest.approx(2000 - 5 * 7 * 8)
    assert ZOO["overlapping"].origin.max() < 24
    assert united(ZOO["touching"]) is ZOO["touching"]
    assert len(bodies_of(ZOO["touching"])) == 2
    assert len(bodies_of(ZOO["two apart"])) == 2
    mixed = together(box(10, 10, 10), box(10, 10, 10, at=(5, 3, 2)), box(4, 4, 4, at=(40, 0, 0)))
    assert [part.volume for part in bodies_of(united(mixed))] == pytest.approx([1720, 64])


def test_halves_of_a_bipyramid_need_no_support():
    """Common practice: halves along the plane of symmetry of a body with level wings need none."""
    from deft_slab.core.figures.default_seats import SeatWishes, seats_of
    from deft_slab.core.figures.piece_figures import measure

    upper = cone(30, 20).manifold
    body = upper + upper.mirror((0, 0, 1))
    whole = Solid.from_manifold(body, {})
    whole = Solid(whole.vertices, whole.triangles)
    assert measure(whole, np.eye(3)).figures.support_volume_mm3 > 1000
    for half in split(whole, straight((0, 0, 1), 0)):
        seat = seats_of(half, SeatWishes(np.eye(3), 45.0)).chosen()
        assert seat.kind == "cut face down"
        found = measure(half, seat.rotation).figures
        assert found.support_volume_mm3 == 0
        assert found.sits_flat


def test_an_open_surface_is_refused_with_what_is_wrong():
    opened = without_facets(sphere(20, 3), sphere(20, 3).normals[:, 2] > 0.95)
    assert not opened.defects.closed
    assert opened.defects.open_edges == len(opened.defects.segments)
    with pytest.raises(OpenSurface, match="open edges"):
        split(opened, straight((0, 0, 1), 0))


def test_a_flipped_facet_and_an_inside_out_body_are_noticed():
    ball = sphere(20, 3)
    triangles = np.array(ball.triangles)
    triangles[7] = triangles[7, ::-1]
    assert Solid(ball.vertices, triangles).defects.flipped_edges == 3
    inside_out = Solid(ball.vertices, ball.triangles[:, ::-1])
    assert inside_out.defects.closed
    assert inside_out.defects.inside_out
    assert "inward" in inside_out.defects.sentence()


def test_a_solid_travels_and_its_arrays_are_read_only():
    ahead, _ = split(sphere(20, 3), straight((0, 0, 1), 3, "c4"))
    again = pickle.loads(pickle.dumps(ahead))
    np.testing.assert_array_equal(again.origin, ahead.origin)
    assert again.manifold.volume() == pytest.approx(ahead.volume)
    # and a body built anew from its arrays still knows its cut faces
    deeper, _ = split(again, straight((1, 0, 0), 0, "c5"))
    assert deeper.made == (Face("c4"), Face("c5"))
    assert deeper.by("c4").any()
    assert deeper.by("c5").any()
    assert not deeper.by("c6").any()
    assert not deeper.by("c4", "key").any()
    with pytest.raises(ValueError, match="read-only"):
        ahead.vertices[0, 0] = 1


def test_exposure_at_the_bottom_of_a_well():
    """View factor of a disc seen from the middle of a parallel disc (heat-transfer tables): R^2 / (R^2 + h^2)."""
    radius, depth = 10.0, 12.0
    block = manifold3d.Manifold.cube((80, 80, 30), True).translate((0, 0, -15))
    well = manifold3d.Manifold.cylinder(depth + 1, radius, radius, 96).translate((0, 0, -depth))
    body = (block - well).refine_to_length(2.0)
    solid = Solid.from_manifold(body, {})
    seen = exposure(solid, directions=512, cells=384)
    middle = (np.linalg.norm(solid.centroids[:, :2], axis=1) < 2) & (np.abs(solid.centroids[:, 2] + depth) < 1e-6)
    assert middle.any()
    assert seen[middle].mean() == pytest.approx(radius**2 / (radius**2 + depth**2), abs=0.03)
    top = (np.abs(solid.centroids[:, 2]) < 1e-6) & (np.linalg.norm(solid.centroids[:, :2], axis=1) > 14)
    assert seen[top].min() > 0.97


def test_exposure_in_a_groove():
    """V-groove of opening 2 a: at its very bottom the cosine-weighted sky seen from a wall is (1 + cos of the angle
    between the walls) / 2... for the infinite wedge F = 1 - sin(a) is what the walls see of each other (tables).
    """
    half = math.radians(30)
    width, deep, long = 20 * math.tan(half), 20.0, 400.0
    profile = [[-40, 0], [-width, 0], [0, -deep], [width, 0], [40, 0], [40, -40], [-40, -40]]
    section = manifold3d.CrossSection([profile[::-1]])
    body = section.extrude(long).rotate((90, 0, 0)).refine_to_length(4.0)
    solid = Solid.from_manifold(body, {})
    seen = exposure(solid, directions=512, cells=512)
    wall = (solid.centroids[:, 2] < -0.5) & (np.abs(solid.centroids[:, 0]) < width) & (solid.normals[:, 2] > 0.1)
    wall &= (solid.centroids[:, 2] > -deep) & (np.abs(solid.centroids[:, 1] - solid.centroids[:, 1].mean()) < 60)
    # mean over the whole walls: they see each other by 1 - sin(a), the sky by sin(a)
    assert np.average(seen[wall], weights=solid.areas[wall]) == pytest.approx(math.sin(half), abs=0.03)


def test_directions_are_spread_evenly():
    directions = spread_directions(200)
    np.testing.assert_allclose(np.linalg.norm(directions, axis=1), 1)
    assert np.abs(directions.mean(axis=0)).max() < 0.01
    nearest = np.sort(directions @ directions.T, axis=1)[:, -2]
    assert np.degrees(np.arccos(nearest)).min() > 7


def test_joined_letters_have_the_volume_of_their_boxes():
    assert joined(box(10, 10, 40), box(50, 10, 10, at=(-20, 0, 30))).volume == pytest.approx(
        10 * 10 * 30 + 50 * 10 * 10
    )
