"""What is cut and written, read back by readers that are not ours: closed, nothing lost, in its place."""

from __future__ import annotations

import io
import shutil
import subprocess
from functools import partial

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_slab.core.cuts import BentCut, BlockCut, LiftOffCut, PieceReach, Side, StraightCut
from deft_slab.core.document.base import triple
from deft_slab.core.document.marks import Region
from deft_slab.core.errors import CutFailed
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.equal_pieces import each_once
from deft_slab.core.exporting.file_grid import on_grid, two_sided, watertight
from deft_slab.core.exporting.piece_files import stl_bytes, write_3mf, write_project
from deft_slab.core.figures.batch_figures import sketches
from deft_slab.core.figures.congruence import same_shapes
from deft_slab.core.figures.default_seats import SeatWishes, seats_of
from deft_slab.core.figures.exposure import spread_directions
from deft_slab.core.figures.marked_facets import facets_taken
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.geometry.place_on_bed import down_to_rotation
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.core.mesh.components import shells_of
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.piece_settings import PieceSettings
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Project
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.progress import QUIET
from deft_slab.demo import MODELS
from tests.shapes import box, joined, model_of, solid_of, sphere, together

TURN = Tilt.of(0.3, -0.5, 0.2, 0.8)
PRINTER = default_printer()


def reread(content: bytes) -> trimesh.Trimesh:
    """By trimesh, which joins corners that are equal."""
    return trimesh.load(io.BytesIO(content), file_type="stl")


@pytest.fixture(scope="module")
def hook():
    return open_file(MODELS["hook"]).model


def loop_at(solid: Solid, seed: int) -> tuple[BentCut, float] | None:
    """A loop along a section of the model, and how long that section is."""
    rng = np.random.default_rng(seed)
    normal = rng.normal(size=3)
    normal /= np.linalg.norm(normal)
    mesh = trimesh.Trimesh(solid.vertices, solid.triangles, process=False)
    section = mesh.section(solid.vertices[rng.integers(len(solid.vertices))] + 0.01 * normal, normal)
    for line in section.discrete if section is not None else ():
        length = float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())
        if 0.2 * solid.diagonal < length < solid.diagonal:
            few = np.linspace(0, len(line) - 1, 25).astype(int)[:-1]
            return BentCut(id="c1", name="Loop", line=tuple(triple(one) for one in line[few]), closed=True), length
    return None


# loops


@pytest.mark.parametrize("seed", [7, 34])  # the long torture draws hundreds of them
def test_a_loop_leaves_no_films_and_no_stray_shells(hook, seed):
    """Both sides read as watertight, hang together, add up, and the printed seam is the one of the loop."""
    cut, length = loop_at(hook.solid, seed)
    plan = Plan(model=hook.ref, recipe=(cut,))
    outcome = Evaluator(hook).evaluate(plan, PRINTER, detail="figures")
    assert len(outcome.pieces) == 2
    assert outcome.lost_share < 1e-6
    for piece in outcome.pieces:
        mesh = reread(stl_bytes(piece.solid, piece.seat.rotation))
        assert mesh.is_watertight
        assert mesh.body_count == 1
        assert mesh.volume == pytest.approx(piece.solid.volume, rel=1e-6)
        # no facet lies on another: nowhere does the surface fold back onto itself, but for needles that rounding turns
        # over; two facets lie on each other by no more than the smaller of them
        folds = mesh.face_adjacency_angles > np.radians(179)
        assert mesh.area_faces[mesh.face_adjacency[folds]].min(axis=1).sum() < 1e-2
    assert outcome.seams["c1"].length == pytest.approx(length, rel=0.03)
    areas = [p.solid.areas[p.solid.origin < 0].sum() for p in outcome.pieces]
    assert areas[0] == pytest.approx(areas[1], rel=1e-6)


def test_a_loop_with_a_kerf_takes_the_kerf(hook):
    cut, _ = loop_at(hook.solid, 7)
    cut = cut.model_copy(update={"kerf": 0.4})
    outcome = Evaluator(hook).evaluate(Plan(model=hook.ref, recipe=(cut,)), PRINTER, detail="figures")
    assert len(outcome.pieces) == 2
    assert outcome.kerf_mm3 == pytest.approx(0.4 * outcome.seams["c1"].cut_area, rel=0.1)
    assert outcome.lost_share < 1e-9


def test_a_loop_beside_another_limb_leaves_that_alone():
    """Two fingers close together: the sheet reaches into the second one, and cuts the first only."""
    hand = joined(box(60, 20, 10), box(10, 10, 40, at=(5, 5, 5)), box(10, 10, 40, at=(16.5, 5, 5)))
    turn = np.linspace(0, 2 * np.pi, 17)[:-1]
    ring = [(10 + 6.5 * np.cos(t), 10 + 6.5 * np.sin(t), 25.0) for t in turn]
    cut = BentCut(id="c1", name="Loop", line=tuple(triple(one) for one in ring), closed=True)
    limb, rest = (solid for _, solid in cut.part(hand).sides)
    assert limb.volume == pytest.approx(10 * 10 * 20, rel=1e-4)
    assert rest.volume == pytest.approx(hand.volume - 2000, rel=1e-4)
    assert limb.bounds[1, 0] == pytest.approx(15)


def test_a_cut_that_takes_off_next_to_nothing_says_so():
    model = model_of(solid_of(box(60, 60, 60)))
    cut = StraightCut(id="c1", name="Shave", normal=triple(np.ones(3) / np.sqrt(3)), offset=179.0 / np.sqrt(3))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), PRINTER)
    assert any("cuts off only 7.7e-05 % of the model" in note.says for note in outcome.notes) or any(
        "cuts off only less than" in note.says for note in outcome.notes
    )
    half = cut.model_copy(update={"offset": 90.0 / np.sqrt(3)})
    outcome = Evaluator(model).evaluate(Plan(model=model.ref, recipe=(half,)), PRINTER)
    assert not any("cuts off only" in note.says for note in outcome.notes)


# shells that enclose nothing


@pytest.mark.parametrize("seed", range(4))
def test_lifting_off_ships_no_shell_that_encloses_nothing(hook, seed):
    solid = hook.solid
    rng = np.random.default_rng(seed)
    place = triple(solid.vertices[rng.integers(len(solid.vertices))])
    region = Region(shape="ball", places=(place,), half=(0.12 * solid.diagonal,) * 3)
    sides = LiftOffCut(id="c1", name="Lift", region=region).part(solid, partial(facets_taken, solid, seen=None)).sides
    areas = {}
    for side, body in sides:
        assert np.abs(shells_of(body).volume).min() > 1e-9 * solid.volume
        assert reread(stl_bytes(body, np.eye(3))).is_watertight
        areas[side] = float(body.areas[body.origin < 0].sum())
    assert areas[1] == pytest.approx(areas[-1], rel=2e-3)
    assert sum(body.volume for _, body in sides) == pytest.approx(solid.volume, rel=1e-6)


# equal pieces


def halves_with_a_hole(scale: float) -> list[Solid]:
    """Two halves of a plate, one with a hole of 3 x 3.5 mm through it, at a scale."""
    plain = box(60, 40, 10)
    drilled = trimesh.boolean.difference([plain, box(3, 3.5, 20, at=(12, 9, -5))], engine="manifold")
    return [solid_of(mesh.copy().apply_scale(scale)) for mesh in (plain, drilled, plain)]


@pytest.mark.parametrize("scale", [0.3, 1.0, 3.0])
def test_a_hole_makes_a_piece_another_one_at_any_size(scale):
    solids = halves_with_a_hole(scale)
    assert same_shapes(solids) == [(0, False), (1, False), (0, False)]
    assert same_shapes(solids[::-1]) == [(0, False), (1, False), (0, False)]


def test_a_blind_hole_a_bump_and_a_finer_mesh():
    ball = trimesh.creation.icosphere(4, 30)
    dent = trimesh.boolean.difference([ball, trimesh.creation.icosphere(2, 2).apply_translation([29.5, 3, 3])])
    bump = trimesh.boolean.union([ball, trimesh.creation.icosphere(2, 2).apply_translation([0.5, 29, 3])])
    turned = Solid(np.array(bump.vertices) @ TURN.rotation.T + [5, 6, 7], np.array(bump.faces))
    finer = solid_of(bump.subdivide())
    found = same_shapes([solid_of(ball), solid_of(dent), solid_of(bump), turned, finer])
    assert [first for first, _ in found] == [0, 1, 2, 2, 2]


@settings(max_examples=8)
@given(st.integers(0, 10_000))
def test_what_is_turned_and_moved_stays_equal(seed):
    rng = np.random.default_rng(seed)
    corners = rng.normal(size=(12, 3)) * [30, 20, 10]
    hull = trimesh.convex.convex_hull(corners)
    turn = Tilt.of(*rng.normal(size=4)).rotation
    again = Solid(np.array(hull.vertices) @ turn.T + rng.normal(size=3) * 50, np.array(hull.faces))
    image = Solid(np.array(hull.vertices) * [-1, 1, 1], np.array(hull.faces)[:, ::-1])
    assert [first for first, _ in same_shapes([solid_of(hull), again, image])] == [0, 0, 0]


def test_equal_once_prints_the_right_one():
    model = model_of(together(box(60, 40, 10), box(60, 40, 10, at=(70, 0, 0))))
    hole = joined(box(60, 40, 10, at=(140, 0, 0)))
    assert hole.volume == pytest.approx(24_000)
    plan = Plan(model=model.ref, recipe=(StraightCut(id="c1", name="Cut", normal=(1, 0, 0), offset=65),))
    pieces = Evaluator(model).evaluate(plan, PRINTER).pieces
    assert [count for _, count in each_once(pieces)] == [2]


# seats


@pytest.mark.parametrize("name", ["helmet", "gull"])
def test_seats_of_pieces_are_as_good_as_what_looking_everywhere_finds(name):
    """Within 5 % (or a thousandth of the volume) of 500 directions, by the same measure."""
    solid = thinned(open_file(MODELS[name]).model.solid, 6000, QUIET)
    low, high = solid.bounds
    cut = BlockCut(id="c1", name="Block", x=(float(low[0] + 0.45 * (high - low)[0]),),
                   z=((float(low[2] + 0.6 * (high - low)[2]),),))
    for _, cell in cut.part(Solid(solid.vertices, solid.triangles)).sides:
        found = seats_of(cell, SeatWishes(np.eye(3), 45.0))
        turned = np.array([down_to_rotation(down) for down in spread_directions(500)])
        tried = sketches(cell, turned, 45.0, 72)
        flat = tried.support_volume_mm3[tried.sits_flat > 0]
        for seat, best in ((found.least, tried.support_volume_mm3.min()), (found.flat, flat.min(initial=np.inf))):
            if np.isfinite(best):
                assert seat is not None
                assert seat.support <= max(1.05 * best, best + 1e-3 * cell.volume, 0.02 * cell.volume)


# as files hold it


def test_surfaces_that_touch_are_kept_apart_in_a_file():
    """Boxes that share an edge, and a needle and a film finer than float32: each edge has two facets when read."""
    touching = together(box(20, 20, 20, at=(200, 0, 0)), box(20, 20, 20, at=(220, 20, 0)))
    one = joined(box(20, 20, 20, at=(200, 0, 0)), box(20, 20, 20, at=(220, 20, 0)))
    slit = solid_of(trimesh.boolean.difference(
        [box(60, 60, 60, at=(200, 0, 0)), box(30, 30, 2e-6, at=(215, 15, 30))], engine="manifold"))
    for solid in (touching, one, slit):
        mesh = reread(stl_bytes(solid, np.eye(3)))
        assert mesh.is_watertight
        assert mesh.volume == pytest.approx(solid.volume, rel=1e-6)


@settings(max_examples=25)
@given(st.integers(0, 10_000), st.floats(1e-7, 1e-4), st.floats(-300, 300))
def test_corners_nearer_than_the_grid_still_give_a_closed_file(seed, near, away):
    """A ball some of whose corners are drawn together to distances that float32 cannot tell apart."""
    rng = np.random.default_rng(seed)
    ball = sphere(20, 3)
    vertices = np.array(ball.vertices)
    for facet in rng.integers(len(ball.triangles), size=12):
        a, b, c = ball.triangles[facet]
        vertices[b] = vertices[a] + near * rng.normal(size=3)
        if rng.random() < 0.5:
            vertices[c] = vertices[a] + near * rng.normal(size=3)
    corners, triangles = on_grid(vertices + away, ball.triangles)
    assert corners.dtype == np.float32
    assert watertight(triangles, len(corners))
    assert len(np.unique(corners, axis=0)) == len(corners)
    back = Solid(corners.astype(float), triangles)
    assert back.volume == pytest.approx(Solid(vertices, ball.triangles).volume, rel=1e-4)


def test_an_edge_of_four_facets_is_two_edges_in_a_file():
    """Closed, as each edge is walked as often one way as the other, and no reader takes it for watertight."""
    a, b = box(10, 10, 10), box(10, 10, 10, at=(10, 10, 0))
    mesh = trimesh.util.concatenate([a, b])
    mesh.merge_vertices()
    solid = solid_of(mesh)
    assert solid.defects.closed
    assert not mesh.is_watertight
    corners, triangles = on_grid(*two_sided(solid))
    assert watertight(triangles, len(corners))
    assert reread(stl_bytes(solid, np.eye(3))).is_watertight


def test_3mf_stands_on_the_bed_is_the_same_each_time_and_opens_elsewhere(hook, tmp_path):
    """Read by lib3mf (strict), trimesh, and assimp where there is one."""
    cut = StraightCut(id="c1", name="Cut", normal=(0.48, 0.6, 0.64), offset=20.3)
    plan = Plan(model=hook.ref, recipe=(cut,), tilt=TURN)
    pieces = Evaluator(hook).evaluate(plan, PRINTER).pieces
    path, project = tmp_path / "pieces.3mf", tmp_path / "project.3mf"
    write_3mf(pieces, PRINTER, "Hook", path)
    write_project(Project(title="Hook", plan=plan), hook, pieces, PRINTER, project)
    first = path.read_bytes()
    write_3mf(pieces, PRINTER, "Hook", path, replace=True)
    assert path.read_bytes() == first
    scene = trimesh.load(path)
    by_name = {piece.name: piece for piece in pieces}
    for node in scene.graph.nodes_geometry:
        matrix, geometry = scene.graph[node]
        mesh = scene.geometry[geometry].copy().apply_transform(matrix)
        assert mesh.is_watertight
        assert mesh.bounds[0, 2] == pytest.approx(0, abs=2e-6)
        assert mesh.volume == pytest.approx(by_name[node].solid.volume, rel=1e-6)
    for written in (path, project):
        reader = lib3mf.get_wrapper().CreateModel().QueryReader("3mf")
        reader.SetStrictModeActive(True)
        reader.ReadFromFile(str(written))
        assert reader.GetWarningCount() == 0
        if shutil.which("assimp"):
            done = subprocess.run(["assimp", "info", str(written)], capture_output=True, encoding="utf-8", check=False)
            assert done.returncode == 0, done.stderr
            assert "Meshes:" in done.stdout


# what else was wrong


@settings(max_examples=12)
@given(st.integers(0, 10_000))
def test_cells_and_what_lies_between_them_add_up(seed):
    """A rough body with a kerf: what is ahead of each wall, in it and behind it come from the same cuts."""
    rng = np.random.default_rng(seed)
    ball = sphere(50, 4)
    solid = Solid(ball.vertices * (1 + 0.02 * rng.normal(size=(len(ball.vertices), 1))), ball.triangles)

    def walls() -> tuple[float, ...]:
        return tuple(np.sort(rng.uniform(-45, 45, rng.integers(0, 3))).tolist())

    cut = BlockCut(id="c1", name="Block", x=(*walls(), 46.0), y=(walls(),), z=(walls(),), turn=TURN, kerf=0.5)
    made = cut.part(solid)
    assert sum(side.volume for _, side in made.sides) + made.kerf == pytest.approx(solid.volume, rel=1e-9)


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_mirroring_takes_reaches_and_wishes_of_cells_along(axis):
    """Cells get other numbers in a mirror: what names them names the same ones still."""
    solid = solid_of(box(60, 30, 20))
    model = model_of(solid)
    block = BlockCut(id="c1", name="Block", x=(20.0, 45.0), y=((15.0,), (8.0, 22.0), (12.0,)),
                     z=((10.0,), (5.0,), (7.0, 12.0), (9.0,), (3.0,), (4.0,), (11.0,)))
    for number, cell in block.part(solid).sides:
        middle = cell.bounds.mean(axis=0)
        side = Side(cut="c1", side=number)
        bounded = StraightCut(id="c2", name="Cut", normal=(0, 0, 1), offset=float(middle[2]),
                              reach=PieceReach(sides=(side,)))
        wish = PieceSettings(sides=(side,), anchor=triple(middle), name="Mine")
        plan = Plan(model=model.ref, recipe=(block, bounded), pieces=(wish,)).sized(mirror=axis)
        image = Solid(solid.vertices * plan.factors, solid.triangles[:, ::-1])
        cells = dict(plan.recipe[0].part(image).sides)
        (now,) = plan.pieces[0].sides
        assert plan.recipe[1].reach.sides == (now,)
        assert cells[now.side].bounds.mean(axis=0) == pytest.approx(middle * plan.factors)
        back = plan.sized(mirror=None)
        assert back.pieces[0].sides == (side,)


def test_how_a_gltf_was_opened_is_saved(tmp_path):
    path = tmp_path / "ball.glb"
    trimesh.creation.icosphere(2, 0.02).export(path)
    model = open_file(path).model
    assert model.up_stated
    plan = Plan(model=model.ref, unit="m")
    pieces = Evaluator(model).evaluate(plan, PRINTER).pieces
    write_project(Project(title="Ball", plan=plan), model, pieces, PRINTER, tmp_path / "ball.3mf")
    again = open_file(tmp_path / "ball.3mf").model
    assert again.up_stated
    assert again.sha256 == model.sha256


def test_sizes_are_of_the_mended_model_as_it_stands_and_is_mirrored():
    solid = joined(box(40, 20, 10), box(10, 10, 30))
    model = model_of(solid)
    tilt = Tilt.turn((1, 2, 3), 40)
    for mirror in (None, "x"):
        plan = Plan(model=model.ref, tilt=tilt, mirror=mirror, stretch=(1, 1.5, 1), scale=2)
        spans = Evaluator(model).evaluate(plan, PRINTER).spans
        assert spans[0] == pytest.approx(np.ptp(solid.vertices * plan.factors @ tilt.rotation.T, axis=0), rel=1e-5)
        assert spans[1] == pytest.approx([80, 60, 60], rel=1e-5)


def test_too_many_cells_and_pieces_are_refused_in_words():
    walls = tuple(float(n) for n in range(1, 15))
    with pytest.raises(ValueError, match="a block cut has at most 1,000 cells; these walls make 3,375"):
        BlockCut(id="c1", name="Block", x=walls, y=(walls,), z=(walls,))
    assert BlockCut(id="c1", name="Block", x=walls[:9], y=(walls[:9],), z=(walls[:9],)).cells == 1000


def test_a_cut_through_very_many_bodies_is_refused_in_words():
    ball = trimesh.creation.icosphere(0, 1.0)
    places = np.array([(x, y, 0.0) for x in range(34) for y in range(34)]) * 3.0
    vertices = (np.array(ball.vertices)[None] + places[:, None]).reshape(-1, 3)
    faces = (np.array(ball.faces)[None] + np.arange(len(places))[:, None, None] * len(ball.vertices)).reshape(-1, 3)
    model = model_of(Solid(vertices, faces))
    cut = StraightCut(id="c1", name="Cut", normal=(0, 0, 1), offset=0.1)
    with pytest.raises(CutFailed, match="leaves more than 1,000 pieces"):
        Evaluator(model).evaluate(Plan(model=model.ref, recipe=(cut,)), PRINTER)
