"""The patch cut: the smooth face under a marked patch against analytic ones, and what must always hold of it."""

from __future__ import annotations

import io

import igl
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.polynomial import legendre

from deft_slab.core.cuts import Move, PatchCut
from deft_slab.core.document.base import triple
from deft_slab.core.document.marks import Region, Stroke
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import stl_bytes
from deft_slab.core.figures.marked_facets import facets_taken
from deft_slab.core.geometry.harmonic_face import StrokePatch, harmonic, patch_body
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.plan import Plan
from tests.shapes import box, joined, model_of, ring, solid_of, sphere


def corners_of(body) -> np.ndarray:
    return np.asarray(body.to_mesh64().vert_properties)[:, :3]


def patch_of(solid: Solid, facets: np.ndarray) -> StrokePatch:
    """Some facets (m,) as a patch."""
    return StrokePatch(solid, (Stroke(shape="grown"),), (facets,))


def face_of(solid: Solid, patch, depth: float = 0.0, flat: float = 0.0) -> tuple[np.ndarray, float]:
    """(corners of the face that lie well within the solid, volume under the patch)."""
    piece = solid.manifold ^ patch_body(patch_of(solid, patch), depth, flat, 0.0, "Patch")
    corners = corners_of(piece)
    faces = np.ascontiguousarray(solid.triangles, np.int64)
    squared = igl.point_mesh_squared_distance(corners, np.array(solid.vertices), faces)[0]
    return corners[squared > 1.0], piece.volume()


def patched(solid: Solid, *strokes: Stroke, printer, leaning: float = 0.5, **fields):
    model = model_of(solid)
    cut = PatchCut(id="c1", name="Patch", strokes=strokes, **fields)
    return Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,), leaning=leaning), printer)


def ball_at(place, reach: float, **fields) -> Stroke:
    return Stroke(shape="ball", places=(triple(np.array(place, float)),), half=(reach,) * 3, **fields)


# against fields that are known


def test_half_a_sphere_has_a_flat_face():
    """By symmetry the field is 0 in the plane between the halves."""
    solid = sphere(40.0)
    corners, volume = face_of(solid, solid.centroids[:, 2] > 0)
    inner = corners[np.hypot(corners[:, 0], corners[:, 1]) < 30.0]  # half a cell; beside the border it follows facets
    assert np.abs(inner[:, 2]).max() < 0.6
    assert volume / solid.volume == pytest.approx(0.5, abs=0.006)


@pytest.mark.parametrize(("cosine", "depth"), [(0.5, 0.0), (0.8, 0.0), (0.5, 0.4), (0.0, -0.5)])
def test_the_face_under_a_cap_of_a_sphere_is_as_deep_as_legendre_says(cosine: float, depth: float):
    """+1 on a cap and -1 elsewhere: u(r) on the axis = sum a_n (r / R)^n with a_0 = -cos t and a_n = P_(n-1)(cos t) -
    P_(n+1)(cos t); e.g. Jackson, Classical Electrodynamics, ch. 3.3, given from memory.
    """
    radius, terms = 40.0, 400
    legendres = [float(legendre.legval(cosine, [0.0] * n + [1.0])) for n in range(terms + 2)]
    series = np.array([-cosine] + [legendres[n - 1] - legendres[n + 1] for n in range(1, terms)])
    along = np.linspace(-0.98, 0.98, 20_000)
    on_axis = np.polynomial.polynomial.polyval(along, series)
    expected = radius * float(along[np.argmin(np.abs(on_axis + depth))])
    solid = sphere(radius, 6)
    corners, _ = face_of(solid, solid.centroids[:, 2] > cosine * radius, depth)
    middle = corners[np.hypot(corners[:, 0], corners[:, 1]) < 3.0]
    assert middle[:, 2].mean() == pytest.approx(expected, abs=0.5)


def test_between_two_spheres_the_face_is_where_their_potentials_balance():
    """u = a + b / r between concentric spheres: 0 at r = 2 r1 r2 / (r1 + r2)."""
    outer, inner = trimesh.creation.icosphere(5, 40.0), trimesh.creation.icosphere(5, 16.0)
    inner.invert()
    solid = solid_of(trimesh.util.concatenate([outer, inner]))
    corners, volume = face_of(solid, np.linalg.norm(solid.centroids, axis=1) > 30.0)
    balance = 2 * 40.0 * 16.0 / 56.0
    assert np.linalg.norm(corners, axis=1) == pytest.approx(np.full(len(corners), balance), abs=0.5)
    assert volume == pytest.approx(4 / 3 * np.pi * (40.0**3 - balance**3), rel=0.02)


def test_a_slab_is_halved_between_its_faces_and_a_frustum_across_its_axis():
    """Far from its rim the field of a slab is linear. In a cone that is marked beyond a distance from its tip nothing
    tells one place along it from another but the distance, so the face is nearly a sphere around the tip.
    """
    slab = solid_of(box(80, 80, 12).subdivide_to_size(2.0))
    corners, _ = face_of(slab, slab.centroids[:, 2] > 11.9)
    middle = corners[np.abs(corners[:, :2] - 40.0).max(axis=1) < 20.0]
    assert middle[:, 2] == pytest.approx(np.full(len(middle), 6.0), abs=0.3)
    frustum = trimesh.creation.revolve(np.array([[0, 20], [4, 20], [16, 80], [0, 80]], float), sections=96)
    frustum = solid_of(frustum.subdivide_to_size(2.0))
    far = np.linalg.norm(frustum.centroids, axis=1) > 50.0
    corners, _ = face_of(frustum, far)
    assert np.abs(np.linalg.norm(corners, axis=1) - 50.0).max() < 1.5


# figures of its document


def test_deeper_takes_more_and_a_flat_middle_lies_in_a_plane():
    solid = sphere(40.0)
    patch = solid.centroids[:, 2] > 20.0
    volumes = [face_of(solid, patch, depth)[1] for depth in (-0.6, 0.0, 0.6)]
    assert volumes[0] < 0.8 * volumes[1] < 0.8 * 0.8 * volumes[2]
    bowl, plain = face_of(solid, patch)
    flat, volume = face_of(solid, patch, flat=0.6)
    near = [one[np.hypot(one[:, 0], one[:, 1]) < 15.0][:, 2] for one in (bowl, flat)]
    assert np.ptp(near[1]) < 0.3 * np.ptp(near[0])
    assert volume == pytest.approx(plain, rel=0.12)


def test_a_flat_middle_carries_the_piece(printer):
    solid = sphere(40.0)
    bowl, flat = (
        patched(solid, ball_at((0, 0, 40), 34.0), printer=printer, leaning=1.0, flat=share).pieces[0].figures
        for share in (0.0, 0.7)
    )
    assert flat.sits_flat
    assert flat.base_area_mm2 > 0.4 * np.pi * 30.0**2 > 10 * bowl.base_area_mm2
    assert flat.support_volume_mm3 < 0.4 * bowl.support_volume_mm3


def test_strokes_act_in_their_order(printer):
    solid = sphere(30.0)
    marked = [ball_at((0, 0, 30), 20.0), ball_at((0, 0, 30), 10.0, erase=True)]
    ringed = patched(solid, *marked, printer=printer)
    assert ringed.seams["c1"].length > 1.2 * patched(solid, marked[0], printer=printer).seams["c1"].length
    again = patched(solid, *marked, ball_at((0, 0, 30), 12.0), printer=printer)
    assert sum(piece.solid.volume for piece in again.pieces) == pytest.approx(solid.volume, rel=1e-6)


def test_a_kerf_is_taken_from_between_and_a_mirror_image_fits_the_mirror(printer):
    solid = joined(box(60, 40, 30), box(20, 20, 30, at=(5, 10, 25)))
    solid = solid_of(trimesh.Trimesh(solid.vertices, solid.triangles).subdivide_to_size(4.0))
    stroke = ball_at((15, 20, 55), 20.0)
    plain, with_kerf = (patched(solid, stroke, printer=printer, kerf=kerf) for kerf in (0.0, 1.0))
    area = plain.pieces[0].solid.areas[plain.pieces[0].solid.by("c1")].sum()
    lost = sum(piece.solid.volume for piece in plain.pieces) - sum(p.solid.volume for p in with_kerf.pieces)
    assert lost == pytest.approx(area, rel=0.1)
    assert with_kerf.cuts["c1"].kerf == pytest.approx(lost, rel=1e-3)
    mirror = Move.mirror(np.array([1.0, 0.0, 0.0]), 30.0)
    model = model_of(Solid(solid.vertices * [-1, 1, 1] + [60, 0, 0], solid.triangles[:, [0, 2, 1]]))
    cut = PatchCut(id="c1", name="Patch", strokes=(stroke,)).carried(mirror)
    image = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), printer)
    assert sorted(p.solid.volume for p in image.pieces) == pytest.approx(
        sorted(p.solid.volume for p in plain.pieces), rel=0.01
    )


def test_large_facets_are_marked_in_part(printer):
    """A ball at a corner of a box takes an eighth of a ball, and a brush on its top a dish of its reach."""
    solid = solid_of(box(60, 40, 30))
    piece = min(patched(solid, ball_at((0, 0, 30), 15.0), printer=printer).pieces, key=lambda one: one.solid.volume)
    assert np.abs(piece.solid.size - 15.0).max() < 1.0
    stroke = Stroke(shape="brush", places=((30, 20, 30),), facing=((0, 0, 1),), reach=10.0)
    outcome = patched(solid, stroke, printer=printer)
    assert outcome.seams["c1"].length == pytest.approx(2 * np.pi * 10.0, rel=0.03)
    dish = min(outcome.pieces, key=lambda one: one.solid.volume).solid
    assert np.sort(dish.size)[1:] == pytest.approx([20.0, 20.0], abs=0.8)


# what must always hold


@settings(max_examples=12, deadline=None)
@given(
    at=st.integers(0, 10_000), reach=st.floats(4.0, 25.0), depth=st.sampled_from([-0.9, 0.0, 0.7]),
    flat=st.sampled_from([0.0, 0.5, 0.9]), shape=st.sampled_from(["ring", "chair"]),
)
def test_nothing_is_lost_whatever_is_marked(printer, at, reach, depth, flat, shape):
    solid = (
        ring(25.0, 8.0, 64)
        if shape == "ring"
        else joined(box(30, 30, 5), box(30, 5, 40), box(4, 4, 20, at=(26, 26, -20)))
    )
    corner = solid.vertices[at % len(solid.vertices)]
    outcome = patched(solid, ball_at(corner, reach), printer=printer, depth=depth, flat=flat)
    assert sum(piece.solid.volume for piece in outcome.pieces) == pytest.approx(solid.volume, rel=1e-6)
    for piece in outcome.pieces:
        mesh = trimesh.load(io.BytesIO(stl_bytes(piece.solid, piece.seat.rotation)), file_type="stl")
        assert mesh.is_watertight
        assert mesh.volume == pytest.approx(piece.solid.volume, rel=1e-3, abs=1.0)


@pytest.mark.parametrize("reach", [500.0, 1e-6])
def test_everything_or_nothing_marked_parts_nothing_and_says_so(printer, reach: float):
    solid = sphere(20.0, 3)
    place = (0, 0, 0) if reach > 1 else (500, 0, 0)
    outcome = patched(solid, ball_at(place, reach), printer=printer)
    assert len(outcome.pieces) == 1
    assert not outcome.cuts["c1"].parts
    assert "mark only a part" in PatchCut(id="a", name="a", strokes=(ball_at(place, reach),)).why_not()


# a border that was found on another mesh


def border_of(solid: Solid, patch, reach: float) -> Region:
    points, normals = solid.centroids, solid.normals
    near = np.abs(points[:, 2] - 12.0) < reach
    inner, outer = np.flatnonzero(near & patch), np.flatnonzero(near & ~patch)
    facing = tuple(triple(one) for one in normals[np.r_[inner, outer]])
    return Region(shape="border", places=tuple(triple(one) for one in points[inner]),
                  beyond=tuple(triple(one) for one in points[outer]), facing=facing, reach=reach)


def test_a_border_means_the_same_on_a_finer_mesh():
    coarse, fine = sphere(40.0, 4), sphere(40.0, 6)
    border = border_of(coarse, coarse.centroids[:, 2] > 12.0, 6.0)
    found = facets_taken(fine, border, lambda _: np.zeros(len(fine.triangles)))
    meant = fine.centroids[:, 2] > 12.0
    assert (fine.areas * (found != meant)).sum() < 0.02 * fine.areas.sum()
    assert found[np.argmax(fine.centroids[:, 2])]
    assert not found[np.argmin(fine.centroids[:, 2])]


def test_a_border_on_one_skin_of_a_shell_leaves_the_other_alone():
    outer, inner = trimesh.creation.icosphere(5, 40.0), trimesh.creation.icosphere(5, 38.0)
    inner.invert()
    shell = solid_of(trimesh.util.concatenate([outer, inner]))
    skin = np.linalg.norm(shell.centroids, axis=1) > 39.0
    upper = sphere(40.0, 4)
    found = facets_taken(shell, border_of(upper, upper.centroids[:, 2] > 12.0, 6.0), lambda _: np.zeros(len(skin)))
    assert not found[~skin].any()
    assert shell.areas[found].sum() == pytest.approx(shell.areas[skin & (shell.centroids[:, 2] > 12)].sum(), rel=0.05)


def test_a_coarser_grid_of_the_same_patch_is_nearly_the_same():
    solid = sphere(40.0)
    patch = solid.centroids[:, 2] > 20.0
    volumes = []
    for nodes in (60_000, 500_000):
        found = harmonic(patch_of(solid, patch), nodes)
        assert found is not None
        volumes.append((solid.manifold ^ found.body(0.0, "Patch")).volume())
    assert volumes[0] == pytest.approx(volumes[1], rel=0.03)
