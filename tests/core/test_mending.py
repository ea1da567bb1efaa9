"""Mending: damage done on purpose to sound surfaces, and what comes back."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_slab.core.errors import BadPlan, Cancelled, OpenSurface
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.solid import Solid, side_by_side
from deft_slab.core.plan.plan import Mending
from deft_slab.core.progress import Job
from deft_slab.core.repair import kernels
from deft_slab.core.repair.clean import clean, open_edges
from deft_slab.core.repair.holes import close_holes, loops_of, patch_for
from deft_slab.core.repair.mend import advised, mended, tangled_share
from deft_slab.core.repair.orientation import oriented
from deft_slab.core.repair.rewrap import rewrapped
from deft_slab.demo import MODELS, TROUBLED
from tests.shapes import box, bundled, cone, hollow_ball, ring, solid_of, sphere, together, tube, without_facets

ONE = np.ones(3)
CYLINDER = solid_of(trimesh.creation.cylinder(10, 40, sections=96))
GENTLE = Mending(clean=True, orient=True, close=True)


def mend(solid: Solid, mending: Mending = GENTLE):
    return mended(solid, mending, ONE)


def turned(solid: Solid, which: np.ndarray) -> Solid:
    return Solid(solid.vertices, np.where(which[:, None], solid.triangles[:, ::-1], solid.triangles))


def soup(solid: Solid, fray: float, seed: int = 1) -> Solid:
    """Each facet with corners of its own, moved a little."""
    corners = solid.vertices[solid.triangles].reshape(-1, 3)
    moved = corners + np.random.default_rng(seed).uniform(-fray, fray, corners.shape)
    return Solid(moved, np.arange(len(moved)).reshape(-1, 3))


def patches_off(solid: Solid, count: int, reach: float, seed: int = 1) -> Solid:
    """Without the facets around some places."""
    random = np.random.default_rng(seed)
    gone = np.zeros(len(solid.triangles), bool)
    for at in solid.centroids[random.choice(len(solid.triangles), count)]:
        gone |= np.linalg.norm(solid.centroids - at, axis=1) < reach * random.uniform(0.3, 1.0)
    return solid.picked(~gone)


# outside check: open meshes inside the pyvista wheel (its examples), damaged on purpose, volume back within 0.5 %


@pytest.mark.parametrize("name", ["nut.ply", "ant.ply", "sphere.ply"])
@pytest.mark.parametrize("damage", ["removed", "flipped", "doubled", "frayed"])
def test_volume_comes_back_on_open_meshes(name, damage):
    sound, _ = mend(bundled(name))
    assert not sound.defects.sentence()
    random = np.random.default_rng(3)
    count = len(sound.triangles)
    if damage == "removed":
        spoilt = without_facets(sound, random.random(count) < 0.03)
    elif damage == "flipped":
        spoilt = turned(sound, random.random(count) < 0.25)
    elif damage == "doubled":
        extra = sound.triangles[random.choice(count, count // 5, replace=False)]
        spoilt = Solid(sound.vertices, np.concatenate([sound.triangles, extra]))
    else:
        spoilt = soup(sound, 2e-6 * sound.diagonal)
    assert spoilt.defects.sentence()
    found, report = mend(spoilt)
    assert not found.defects.sentence()
    assert found.volume == pytest.approx(sound.volume, rel=0.005)
    assert report.changed
    assert report.volume_before is None or damage == "doubled"
    assert report.volume_after == pytest.approx(found.volume)


@pytest.mark.parametrize("name", ["nut.ply", "sphere.ply"])
def test_overlapped_shells_become_one(name):
    """The mesh and a copy pushed half its width aside: the union by the boolean library is the judge."""
    sound, _ = mend(bundled(name))
    aside = Solid(sound.vertices + 0.31 * sound.size * [1, 0, 0], sound.triangles)
    found, report = mend(side_by_side([sound, aside]), Mending())
    want = (sound.manifold + aside.manifold).volume()
    assert found.volume == pytest.approx(want, rel=1e-6)
    assert [step.kind for step in report.steps] == ["join"]
    assert len(report.steps[0].places)
    assert "2 became 1" in report.steps[0].sentence()


def test_a_bundled_mesh_that_came_open_is_closed():
    """The aeroplane of the pyvista examples came open, with pieces that touch; trimesh agrees that it was."""
    plane = bundled("airplane.ply")
    assert not trimesh.Trimesh(plane.vertices, plane.triangles, process=False).is_watertight
    found, report = mend(plane)
    assert found.defects.closed
    assert report.volume_before is None
    assert len(found.triangles) > len(plane.triangles)


def test_the_scanned_gull_of_the_demo_comes_back():
    sound = open_file(MODELS["gull"]).model.solid
    scan = open_file(TROUBLED["damaged"]).model
    plain = GENTLE.model_copy(update={"drop_specks": True})
    found, report = mended(scan.solid, plain, np.full(3, 25.4))
    assert not found.defects.sentence()
    assert found.volume * 25.4**3 == pytest.approx(sound.volume, rel=0.005)
    assert [step.kind for step in report.steps] == ["clean", "orient", "specks", "close"]
    assert all(step.changed for step in report.steps)
    assert report.tangled < 0.005
    in_mm = report.resized(np.full(3, 25.4))
    assert "9 stray specks" in in_mm.steps[2].sentence()
    assert in_mm.volume_after == pytest.approx(found.volume * 25.4**3)
    low, high = sound.bounds
    for step in in_mm.steps:
        assert len(step.places)
        assert (step.places >= low - 3).all()
        assert (step.places <= high + 3).all()


# the steps, each by itself


def test_clean_drops_doubles_membranes_and_strays():
    ball = sphere(20, 2)
    double = Solid(ball.vertices, np.concatenate([ball.triangles, ball.triangles[:30], ball.triangles[:10]]))
    found = clean(double)
    assert found.doubled == 40
    assert found.solid.volume == pytest.approx(ball.volume)
    membrane = Solid(ball.vertices, np.concatenate([ball.triangles, [[0, 5, 9], [0, 9, 5]]]))
    assert clean(membrane).doubled == 2
    assert len(clean(membrane).solid.triangles) == len(ball.triangles)
    stray = Solid(np.concatenate([ball.vertices, [[90, 0, 0], [91, 0, 0], [92, 0, 0]]]),
                  np.concatenate([ball.triangles, len(ball.vertices) + np.array([[0, 1, 2]])]))
    found = clean(stray)
    assert found.flat == 1
    assert found.solid.size.max() == pytest.approx(40, rel=0.01)


def test_cracks_are_closed_up_to_their_reach_and_not_wider():
    ball = sphere(20, 3)
    found = clean(soup(ball, 5e-4))
    assert not found.solid.defects.sentence()
    assert 0 < found.widest < 2e-3
    wide = clean(soup(ball, 0.2))
    assert wide.solid.defects.open_edges > 0


def test_facets_are_turned_back_and_voids_stay_voids():
    ball = sphere(20, 3)
    some = np.random.default_rng(2).random(len(ball.triangles)) < 0.4
    found, which = oriented(turned(ball, some))
    np.testing.assert_array_equal(which, some)
    assert found.volume == pytest.approx(ball.volume)
    found, which = oriented(turned(ball, np.ones(len(some), bool)))
    assert which.all()
    assert found.volume > 0
    hollow = hollow_ball()
    assert not oriented(hollow)[1].any()
    # the ball inside faces outward: that is a body in a body, and not for this step to judge
    assert oriented(together(trimesh.creation.icosphere(3, 30), trimesh.creation.icosphere(3, 20)))[1].sum() == 0


@pytest.mark.parametrize(
    ("whole", "drop", "how", "within"),
    [
        (tube(10, 14, 40), lambda s: np.zeros(len(s.triangles), bool), None, 1e-12),
        (CYLINDER, lambda s: np.abs(s.normals[:, 2]) > 0.9, "flat", 1e-6),
        (sphere(30, 5), lambda s: s.normals[:, 2] > 0.95, "smooth", 5e-3),
        (ring(30, 10), lambda s: np.linalg.norm(s.centroids - [40, 0, 0], axis=1) < 7, "smooth", 5e-3),
        (solid_of(box(20, 20, 20)), lambda s: np.arange(12) == 3, "flat", 1e-9),
        (cone(20, 30, 96), lambda s: s.normals[:, 2] < -0.9, "flat", 1e-6),
    ],
)
def test_holes_are_closed_as_the_surface_around_them_asks(whole, drop, how, within):
    """Lids flat; a lost piece of a rounded skin smooth. A foot that flares outward is a lid too."""
    found, holes = close_holes(without_facets(whole, drop(whole)))
    assert not found.defects.sentence()
    assert found.volume == pytest.approx(whole.volume, rel=within)
    assert {hole.how for hole in holes} == ({how} if how else set())


def test_smooth_patches_go_on_as_the_surface_does():
    """A sphere has lost a cap; flat over the hole would lose 1.7 % of it (cap formula), smooth hardly anything."""
    whole = sphere(30, 5)
    rim = 0.9
    found, _ = close_holes(without_facets(whole, whole.normals[:, 2] > rim))
    height = 30 * (1 - rim)
    cap = np.pi * height**2 * (90 - height) / 3
    assert cap / whole.volume > 0.006
    assert whole.volume - found.volume < 0.15 * cap
    patch = found.triangles[len(whole.triangles) - int((whole.normals[:, 2] > rim).sum()) :]
    assert np.linalg.norm(found.vertices[patch], axis=2) == pytest.approx(30, abs=0.6)


def test_loops_that_meet_in_a_corner_are_told_apart():
    """Two facets that touch in one corner taken out of a fine ball."""
    ball = sphere(20, 3)
    at = ball.triangles[0, 0]
    around = np.flatnonzero((ball.triangles == at).any(axis=1))
    open_ball = without_facets(ball, np.isin(np.arange(len(ball.triangles)), around[[0, 2]]))
    loops = loops_of(open_ball.triangles)
    assert sorted(len(loop) for loop in loops) == [3, 3] or sorted(len(loop) for loop in loops) == [6]
    assert not close_holes(open_ball)[0].defects.sentence()


@given(st.integers(0, 10_000), st.floats(0.01, 0.6))
@settings(max_examples=25)
def test_closing_always_closes(seed, share):
    """Whatever is left of a surface: as each facet walks a closed way, the open edges always fall into loops."""
    ball = sphere(20, 2)
    left = without_facets(ball, np.random.default_rng(seed).random(len(ball.triangles)) < share)
    if not len(left.triangles):
        return
    assert len(open_edges(left.triangles)) == left.defects.open_edges
    assert close_holes(left)[0].defects.closed


@given(st.integers(0, 10_000))
@example(2260)  # patches that lie on facets which face alike
@settings(max_examples=25)
def test_mending_a_mended_surface_changes_nothing(seed):
    """And a surface that is mended is closed, faces outward, and encloses something."""
    random = np.random.default_rng(seed)
    ball = ring(20, 8, 48)
    spoilt = without_facets(ball, random.random(len(ball.triangles)) < 0.1)
    spoilt = turned(spoilt, random.random(len(spoilt.triangles)) < 0.2)
    once, report = mend(spoilt)
    assert not once.defects.sentence()
    assert report.changed
    again, report = mend(once)
    assert not report.changed
    np.testing.assert_array_equal(again.triangles, once.triangles)


def test_a_surface_that_lost_two_fifths_faces_outward_once_closed():
    """What is outside cannot be seen through so many holes; it is looked at again once they are closed."""
    for seed in (3, 19, 65, 95):
        random = np.random.default_rng(seed)
        ball = ring(20, 8, 48)
        spoilt = without_facets(ball, random.random(len(ball.triangles)) < 0.4)
        once, _ = mend(turned(spoilt, random.random(len(spoilt.triangles)) < 0.2))
        assert not once.defects.sentence()


def test_least_area_compiled_and_plain_agree_and_are_least():
    """Against all ways to divide a polygon of six corners (the Catalan number of them: 14)."""
    random = np.random.default_rng(4)
    rim = np.stack([np.cos(np.arange(6)), np.sin(np.arange(6)), random.normal(0, 0.6, 6)], axis=1)
    costs = []
    for least in (kernels.least_area, kernels.least_area.py_func):
        choice, cost = np.zeros((6, 6), np.int64), np.zeros((6, 6))
        least(rim, choice, cost)
        costs.append(cost[0, 5])

    def ways(corners):
        if len(corners) < 3:
            return [0.0]
        first, last = corners[0], corners[-1]
        found = []
        for k in range(1, len(corners) - 1):
            a, b, c = rim[first], rim[corners[k]], rim[last]
            area = 0.5 * np.linalg.norm(np.cross(b - a, c - a))
            found += [area + x + y for x in ways(corners[: k + 1]) for y in ways(corners[k:])]
        return found

    every = ways(list(range(6)))
    assert len(every) == 14
    assert costs == pytest.approx([min(every)] * 2)


def test_a_long_ragged_loop_is_still_closed():
    n = 900
    turn = 2 * np.pi * np.arange(n) / n
    rim = np.stack([30 * np.cos(turn), 30 * np.sin(turn), 12 * np.sin(9 * turn)], axis=1)
    patch = patch_for(rim, lambda: (np.empty((0, 3)), np.empty((0, 2), np.int64)))
    edges = np.sort(np.concatenate([patch.triangles[:, [k, (k + 1) % 3]] for k in range(3)]), axis=1)
    _, uses = np.unique(edges, axis=0, return_counts=True)
    assert (uses == 1).sum() == n


# rewrapping


@pytest.mark.parametrize(
    ("whole", "cells"), [(sphere(30, 5), 70), (ring(30, 10), 80), (tube(16, 22, 40), 70), (hollow_ball(), 80)]
)
def test_rewrapping_keeps_the_volume(whole, cells):
    found = rewrapped(whole, float(whole.size.max()) / cells)
    assert not found.defects.sentence()
    assert found.volume == pytest.approx(whole.volume, rel=0.02)
    assert tangled_share(found) == 0


def test_rewrapping_closes_what_has_holes_and_runs_through_itself():
    """Two balls through each other, pieces of both gone: volume against the closed form of their union."""
    radius, apart = 20.0, 24.0
    pair = together(
        trimesh.creation.icosphere(4, radius), trimesh.creation.icosphere(4, radius).apply_translation([apart, 0, 0])
    )
    spoilt = patches_off(pair, 12, 4.0)
    found, report = mend(spoilt, Mending(orient=True, rewrap=0.4))
    half = apart / 2
    lens = 2 * np.pi * (radius - half) ** 2 * (2 * radius + half) / 3
    want = 2 * 4 / 3 * np.pi * radius**3 - lens
    assert not found.defects.sentence()
    assert found.volume == pytest.approx(want, rel=0.015)
    assert "0.4 mm" in report.steps[-1].sentence()
    assert tangled_share(pair) > 0.1
    assert report.tangled == 0


def test_rewrapping_refuses_what_makes_no_sense():
    ball = sphere(20, 2)
    for fineness in (20.0, 0.001):
        with pytest.raises(BadPlan, match="out of range"):
            rewrapped(ball, fineness)
    sheet = solid_of(trimesh.Trimesh([[0, 0, 0], [9, 0, 0], [0, 9, 0]], [[0, 1, 2]]))
    with pytest.raises(OpenSurface, match="encloses nothing"):
        rewrapped(sheet, 0.2)


# thinning, specks, reports


def test_thinning_stays_closed_and_says_how_far_it_moved():
    whole = sphere(30, 6)
    found, report = mend(whole, Mending(thin_to=4000))
    assert not found.defects.sentence()
    assert len(found.triangles) <= 8000
    assert report.steps[0].kind == "thin"
    # a sphere of N triangles: the largest sagitta of an even net is about 7.3 R / N (flat hexagons)
    assert 0.3 * 7.3 * 30 / 4000 < report.deviation < 6 * 7.3 * 30 / 4000
    assert thinned(whole, 10**7) is whole


def test_specks_are_told_by_the_crumb_limit():
    """The limit is 1 % of the volume and 20 mm across, whichever is smaller (definitions)."""
    ball = trimesh.creation.icosphere(4, 50)
    small = trimesh.creation.icosphere(1, 2).apply_translation([70, 0, 0])
    bar = box(60, 2, 2, (-30, 80, 0))
    pair = together(ball, small, bar)
    found, report = mend(pair, Mending())
    assert report.specks == 1
    assert report.speck_size == pytest.approx(4, rel=0.05)
    found, report = mend(pair, Mending(drop_specks=True))
    assert report.steps[0].kind == "specks"
    assert found.volume == pytest.approx(solid_of(ball).volume + 240)
    # in another unit they are all large
    assert mended(pair, Mending(), np.full(3, 25.4))[1].specks == 0


def test_a_sound_surface_needs_nothing():
    for whole in (sphere(), ring(30, 10), hollow_ball(), solid_of(box(1, 2, 3))):
        assert advised(whole) == Mending()
        found, report = mend(whole, Mending())
        assert found is whole
        assert not report.changed
        assert report.deviation == 0
        assert report.volume_before == report.volume_after


def test_the_report_says_how_far_a_patch_is_from_the_old_surface():
    lid = solid_of(trimesh.creation.cylinder(10, 40, sections=96))
    open_end = without_facets(lid, lid.normals[:, 2] > 0.9)
    _, report = mend(open_end)
    # from the middles of the lid's facets to its rim: less than the radius, more than half of it
    assert 5 < report.deviation < 10
    assert report.steps[-1].sentence() == "One hole closed (1 flat); it is 20 mm across."


@pytest.mark.parametrize("stop_at", range(4))
def test_mending_stops_when_asked(stop_at):
    calls = []

    def unwanted() -> bool:
        calls.append(1)
        return len(calls) > stop_at

    with pytest.raises(Cancelled):
        mended(patches_off(sphere(30, 4), 20, 3), Mending(clean=True, orient=True, close=True, rewrap=0.6), ONE,
               Job(unwanted=unwanted))


@pytest.mark.parametrize("mending", [GENTLE, Mending(rewrap=2.0), Mending(thin_to=100), Mending(drop_specks=True)])
def test_odd_surfaces_give_a_surface_or_a_message(mending):
    """One facet; a ribbon; facets in one point; huge and tiny ones."""
    flat = [[0, 0, 0], [30, 0, 0], [30, 30, 0], [0, 30, 0]]
    for vertices, triangles in (
        (flat, [[0, 1, 2]]),
        (flat, [[0, 1, 2], [0, 2, 3]]),
        (flat, [[0, 1, 2], [0, 2, 1]]),
        (np.array(flat) * 1e-5 + 7.0, [[0, 1, 2], [0, 2, 3]]),
        (np.array(flat) * 1e5, [[0, 1, 2], [2, 1, 0], [0, 1, 3]]),
    ):
        try:
            found, _ = mend(Solid(np.array(vertices, float), np.array(triangles, np.int32)), mending)
        except (OpenSurface, BadPlan) as error:
            assert str(error)  # noqa: PT017 - one of two ways that are both right
        else:
            assert np.isfinite(found.vertices).all()
