"""Joins: their measures against handbook formulas and exact distances, and what must hold for any of them."""

from __future__ import annotations

import json
import math
from functools import cache

import igl
import manifold3d
import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_slab.core.cuts import BlockCut, Move, Side, StraightCut
from deft_slab.core.errors import BadPlan
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.geometry.lettering import letters, outlines
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.core.joining import room
from deft_slab.core.joining.apply_joins import KEY, SOCKET
from deft_slab.core.joining.assembly_order import moves_of
from deft_slab.core.joining.coupon import coupon, usual_steps
from deft_slab.core.joining.room import ContactRoom
from deft_slab.core.joins import JOINS, DowelJoin, GlueJoin, KeyJoin, LapJoin, LettersJoin, LooseKeyJoin, SplintJoin
from deft_slab.core.mesh.solid import Solid, spread_points
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.piece_settings import PieceSettings
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.project import Project, project_text, read_project
from deft_slab.core.plan.recipe import Recipe, read_recipe
from deft_slab.core.printers.profile import default_printer, read_printer
from deft_slab.core.progress import QUIET
from deft_slab.core.results.outcome import Outcome
from deft_slab.demo import MODELS
from tests.core.test_commands import answer, call
from tests.recipes import REFUSED, problem_with, random_recipe, sound_model
from tests.shapes import box, joined, model_of, solid_of, tube

PRINTER = default_printer()
ON = {"cut": "c1", "between": (-1, 1)}
HALVES = StraightCut(id="c1", name="Halves", normal=(0, 0, 1), offset=20.0)
ROUND = 48 * math.tan(math.pi / 48) / math.pi
"""Area of the outline of 48 sides around a circle, in circles."""


def block() -> Solid:
    """40 × 40 × 40 mm, standing on z = 0."""
    return joined(box(40, 40, 40, (-20, -20, 0)))


def joined_plan(*joins, solid: Solid | None = None, cut=HALVES, **more) -> tuple[Evaluator, Plan]:
    model = model_of(solid or block())
    return Evaluator(model), Plan(model=model.ref, recipe=(cut,), joins=joins, **more)


def outcome_of(*joins, **how) -> Outcome:
    evaluator, plan = joined_plan(*joins, **how)
    return evaluator.evaluate(plan, PRINTER, detail="figures")


def sound(outcome: Outcome) -> None:
    """All pieces closed, nothing lost, and no two of them in each other."""
    assert all(piece.solid.closed and piece.solid.volume > 0 for piece in outcome.pieces)
    assert outcome.lost_share < 1e-6
    bodies = [piece.solid.manifold for piece in outcome.pieces]
    for n, one in enumerate(bodies):
        for other in bodies[n + 1 :]:
            assert (one ^ other).volume() < 1e-4


def faces_of(solid: Solid, owner: str, role: str) -> Solid:
    return solid.picked(solid.by(owner, role))


def gaps(key: Solid, socket: Solid) -> tuple[np.ndarray, np.ndarray]:
    """(mm from points spread finely over a key's faces to the faces of its socket, normals of the key there)."""
    points, facets = spread_points(key, 8_000)
    squared, _, _ = igl.point_mesh_squared_distance(
        points, np.ascontiguousarray(socket.vertices), socket.triangles.astype(np.int64)
    )
    return np.sqrt(squared), key.normals[facets]


@pytest.mark.parametrize(("width", "height", "draft"), [(10.0, 6.0, 8.0), (6.0, 4.0, 0.0), (12.0, 8.0, 15.0)])
def test_a_round_key_is_a_frustum(width, height, draft):
    """Volume of a frustum, π h (R² + R r + r²) / 3 (Bronshtein and Semendyayev, Handbook of Mathematics), by its
    outline of 48 sides.
    """
    key = KeyJoin(id="j1", at=(0, 0, 20), width=width, height=height, draft=draft, rounding=0, clearance=0.2, **ON)
    made = outcome_of(key)

    def frustum(lower: float, upper: float, high: float) -> float:
        return ROUND * math.pi * high * (lower**2 + lower * upper + upper**2) / 3

    lean = math.tan(math.radians(draft))
    grown = 0.2 / math.cos(math.radians(draft))
    tip = width / 2 - height * lean
    assert made.joins["j1"].added == pytest.approx(frustum(width / 2, tip, height), rel=1e-9)
    deep = height + 0.2
    expected = frustum(width / 2 + grown, width / 2 + grown - deep * lean, deep)
    assert made.joins["j1"].removed == pytest.approx(expected, rel=1e-9)
    upper, lower = made.pieces
    assert lower.solid.volume == pytest.approx(32_000 + made.joins["j1"].added, rel=1e-9)
    assert upper.solid.volume == pytest.approx(32_000 - expected, rel=1e-9)
    sound(made)


def test_a_rounded_rectangle_by_the_prismatoid_formula():
    """V = h (A0 + 4 Am + A1) / 6, exact for bodies whose sections change by squares (the same handbook)."""
    key = KeyJoin(
        id="j1", at=(0, 0, 20), outline="rectangle", width=8, length=14, corner=3, height=6, draft=10, rounding=0, **ON
    )

    def area(z: float) -> float:
        inset = z * math.tan(math.radians(10))
        radius = 3 - inset
        # straight sides stay as long as they are; the corners are arcs in 12 steps, around a circle
        core, corner = (8 - 6) * (14 - 6), ROUND * math.pi * radius**2
        return core + 2 * radius * ((8 - 6) + (14 - 6)) + corner

    expected = 6 * (area(0) + 4 * area(3) + area(6)) / 6
    assert outcome_of(key).joins["j1"].added == pytest.approx(expected, rel=1e-9)


CASES = {
    "round": {"width": 9.0},
    "turned rectangle": {"outline": "rectangle", "width": 7.0, "length": 12.0, "corner": 2.5, "along": (1, 1, 0.3)},
    "keel": {"width": 8.0, "ridges": ((1, 0, 0), (-0.2, -1, 0))},
    "on the upper piece": {"width": 9.0, "carrier": "second", "ridges": ((0, 1, 0),)},
    "rounded tip": {"width": 10.0, "rounding": 1.0},
}


@pytest.mark.parametrize("how", CASES.values(), ids=CASES.keys())
@pytest.mark.parametrize("mirror", [None, "x"])
@pytest.mark.parametrize("clearance", [0.15, 0.3])
def test_clearance_is_the_distance_everywhere(how, mirror, clearance):
    """Signed distances by libigl between seated key and socket: the clearance on sides and tip."""
    key = KeyJoin(id="j1", at=(3, -2, 20), height=6, clearance=clearance, **{"rounding": 0, **how}, **ON)
    evaluator, plan = joined_plan(key)
    made = evaluator.evaluate(plan.sized(mirror=mirror) if mirror else plan, PRINTER, detail="figures")
    sound(made)
    upper, lower = (piece.solid for piece in made.pieces)
    carrier, into = (upper, lower) if how.get("carrier") == "second" else (lower, upper)
    key_faces, socket = faces_of(carrier, "j1", KEY), faces_of(into, "j1", SOCKET)
    distance, normals = gaps(key_faces, socket)
    steep = np.abs(normals[:, 2])
    if how.get("rounding"):
        # the edge of the tip is rounded away from its socket
        assert distance.min() > clearance - 0.02
    else:
        assert distance.min() > clearance - 1e-6
        assert distance.max() < clearance + 0.02
    assert distance[steep > 0.999] == pytest.approx(clearance, abs=0.02)
    assert made.joins["j1"].clearance == clearance


@pytest.mark.parametrize("out", [0.5, 1.0, 3.0])
def test_a_tapered_key_frees_itself_as_it_is_drawn_out(out):
    """Drawn out by s along the way in, the gap at its sides is c + s sin(draft): geometry of a cone's generatrix."""
    draft, clearance = 12.0, 0.2
    key = KeyJoin(id="j1", at=(0, 0, 20), width=12, height=8, draft=draft, rounding=0, clearance=clearance, **ON)
    upper, lower = (piece.solid for piece in outcome_of(key).pieces)
    points, facets = spread_points(faces_of(lower, "j1", KEY), 8_000)
    normals = faces_of(lower, "j1", KEY).normals[facets]
    socket = faces_of(upper, "j1", SOCKET)
    # sides that are still within the socket, below its mouth
    beside = (np.abs(normals[:, 2]) < 0.5) & (points[:, 2] > 20 + out + 0.5) & (points[:, 2] < 27.5)
    squared, _, _ = igl.point_mesh_squared_distance(
        points[beside], np.ascontiguousarray(socket.vertices + [0, 0, out]), socket.triangles.astype(np.int64)
    )
    gap = clearance + out * math.sin(math.radians(draft))
    assert np.sqrt(squared) == pytest.approx(np.full(beside.sum(), gap), abs=0.02)


def test_six_tenths_larger_on_all_axes_is_three_per_side():
    """Common practice: a socket 0.6 mm larger than its key on all three axes, about the key's own middle."""
    key = KeyJoin(id="j1", at=(0, 0, 20), width=10, height=6, draft=0, rounding=0, clearance=0.3, **ON)
    upper, lower = (piece.solid for piece in outcome_of(key).pieces)
    key_size = faces_of(lower, "j1", KEY).size
    socket_size = faces_of(upper, "j1", SOCKET).size
    assert socket_size[:2] - key_size[:2] == pytest.approx([0.6, 0.6], abs=1e-6)
    assert socket_size[2] - key_size[2] == pytest.approx(0.3, abs=1e-6)  # one side of it is the mouth


def test_a_hole_for_a_rod_is_wider_than_the_rod():
    """Common practice: d + 2 c + a, for printed holes come out small."""
    hole = DowelJoin(id="j1", at=(5, 5, 20), diameter=3, depth_first=8, depth_second=6, clearance=0.15, **ON)
    made = outcome_of(hole)
    sound(made)
    upper, lower = (faces_of(piece.solid, "j1", SOCKET) for piece in made.pieces)
    wide = 3 + 0.3 + PRINTER.hole_allowance
    for solid in (upper, lower):
        across = np.hypot(*(solid.centroids[np.abs(solid.normals[:, 2]) < 0.5][:, :2] - 5).T)
        assert across.min() >= wide / 2 - 1e-6
        assert across.max() < wide / 2 * 1.01
    assert lower.size[2] == pytest.approx(8)
    assert upper.size[2] == pytest.approx(6)
    # on one axis in both
    assert upper.bounds[:, :2].mean(axis=0) == pytest.approx(lower.bounds[:, :2].mean(axis=0), abs=1e-6)


def test_a_loose_key_is_a_piece_of_its_own():
    made = outcome_of(
        LooseKeyJoin(
            id="j1", at=(0, 0, 20), width=10, height=6, clearance=0.25, roofed_first=False, roofed_second=False, **ON
        )
    )
    sound(made)
    assert [piece.extra for piece in made.pieces] == ["", "", "loose key"]
    assert made.totals.pieces == 2
    key = made.pieces[-1]
    assert key.name == "Loose key"
    assert key.sides == (Side(cut="j1", side=0),)
    assert key.solid.size[2] == pytest.approx(12)
    # it lies, on a flat along it, and so its layers run along it
    assert key.seat.rotation[2] @ [0, 0, 1] == pytest.approx(0, abs=1e-9)
    assert key.figures.sits_flat
    assert key.figures.support_volume_mm3 < 0.05 * key.solid.volume
    for piece in made.pieces[:2]:
        distance, normals = gaps(faces_of(key.solid, "j1", "loose"), faces_of(piece.solid, "j1", SOCKET))
        towards = 1.0 if piece.solid.bounds[0, 2] >= 20 - 1e-9 else -1.0
        assert distance[normals[:, 2] * towards > 0.999] == pytest.approx(0.25, abs=0.02)
    seated = key.wish(seat=Tilt.from_rotation(np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])))
    evaluator, plan = joined_plan(*made.plan.joins)
    again = evaluator.evaluate(plan.with_wish(seated), PRINTER, detail="figures")
    assert again.pieces[-1].seat_kind == "as you seated it"


def test_roofs_need_no_support():
    """A socket over a base that ends in a cone: no facet of it is past the threshold."""
    for roofed, supported in ((True, False), (False, True)):
        key = KeyJoin(id="j1", at=(0, 0, 20), width=8, height=5, roofed=roofed, **ON)
        made = outcome_of(key, pieces=(PieceSettings(sides=(Side(cut="c1", side=1),), anchor=(0, 0, 30), seat=Tilt()),))
        upper = made.pieces[0]
        assert upper.seat_kind == "as you seated it"
        assert (upper.figures.support_volume_mm3 > 1) is supported


@pytest.mark.parametrize("kind", ["round", "rectangle"])
def test_ridges_print_sideways_without_support(kind):
    """A key and a socket whose axis lies level, in the usual seat: a round one needs support, one with a ridge none."""
    sideways = StraightCut(id="c1", name="Upright", normal=(1, 0, 0), offset=0.0)
    stands = tuple(
        PieceSettings(sides=(Side(cut="c1", side=side),), anchor=(side * 10, 0, 20), seat=Tilt()) for side in (1, -1)
    )
    needed = {}
    for ridges in ((), ((0, 0, 1), (0, 0, -1))):
        size = {"width": 10} if kind == "round" else {"outline": "rectangle", "width": 8, "length": 8, "corner": 2}
        key = KeyJoin(id="j1", at=(0, 0, 20), height=7, ridges=ridges, **size, **ON)
        made = outcome_of(key, cut=sideways, pieces=stands)
        needed[bool(ridges)] = made.totals.support_volume_mm3
    assert needed[False] > 100
    assert needed[True] < 1e-6


@given(
    st.lists(
        st.tuples(
            st.floats(-14, 14), st.floats(-14, 14), st.sampled_from(["key", "dowel hole", "loose key"]),
            st.floats(3, 12), st.floats(2, 14), st.booleans(),
        ), min_size=1, max_size=5,
    ),
    st.floats(0, 0.6), st.sampled_from([0.0, 0.8]),
)
@settings(max_examples=30)
def test_whatever_is_asked_for_pieces_stay_whole(wished, clearance, kerf):
    """Joins that meet, break through or are too tapered are left out with words; what is made loses nothing."""
    joins = []
    for n, (x, y, kind, width, height, on_second) in enumerate(wished):
        where = {"id": f"j{n}", "at": (x, y, 20.0), "clearance": clearance, **ON}
        if kind == "dowel hole":
            joins.append(DowelJoin(diameter=width / 2, depth_first=height, depth_second=height / 2, **where))
        elif kind == "key":
            carrier = "second" if on_second else "first"
            joins.append(KeyJoin(width=width, height=height, carrier=carrier, roofed=on_second, **where))
        else:
            joins.append(LooseKeyJoin(width=width, height=height, roofed_first=on_second, **where))
    made = outcome_of(*joins, cut=HALVES.model_copy(update={"kerf": kerf}))
    assert all(piece.solid.closed for piece in made.pieces)
    assert made.lost_share < 1e-6
    for report in made.joins.values():
        assert bool(report.problem) != (report.added + report.removed > 0)
    if kerf == 0:
        sound(made)


def test_kerf_is_closed_when_the_pieces_meet():
    """With a kerf the key reaches over the gap: put together, its socket is the clearance away on all sides."""
    key = KeyJoin(id="j1", at=(0, 0, 20), width=10, height=6, rounding=0, clearance=0.2, **ON)
    made = outcome_of(key, cut=HALVES.model_copy(update={"kerf": 1.0}))
    assert made.lost_share < 1e-9
    upper, lower = (piece.solid for piece in made.pieces)
    socket = faces_of(upper, "j1", SOCKET)
    met = Solid(socket.vertices - [0, 0, 1.0], socket.triangles)
    distance, _ = gaps(faces_of(lower, "j1", KEY), met)
    assert distance == pytest.approx(np.full(len(distance), 0.2), abs=0.02)


def test_what_breaks_through_is_not_made():
    thin = joined(box(40, 40, 25, (-20, -20, 0)))  # 5 mm over the cut
    for join in (
        KeyJoin(id="j1", at=(0, 0, 20), width=8, height=6, **ON),
        DowelJoin(id="j1", at=(0, 0, 20), diameter=3, depth_second=7, **ON),
    ):
        made = outcome_of(join, solid=thin)
        assert made.joins["j1"].breaks
        assert made.joins["j1"].problem == "It breaks through the surface."
        assert [piece.solid.volume for piece in made.pieces] == pytest.approx([8_000, 32_000])
    wide = KeyJoin(id="j1", at=(17, 0, 20), width=12, height=6, **ON)
    made = outcome_of(wide)
    # it is moved inward until it is within the outline
    assert not made.joins["j1"].problem
    assert made.joins["j1"].moved == pytest.approx(17 - (20 - 0.4 - 6.3), abs=0.05)
    notes = joined_plan(wide)[0].evaluate(joined_plan(wide)[1], PRINTER).notes
    assert any("was moved by 3.7 mm" in note.says for note in notes)


def test_too_much_draft_says_so():
    made = outcome_of(KeyJoin(id="j1", at=(0, 0, 20), width=5, height=10, draft=20, **ON))
    assert "too much draft" in made.joins["j1"].problem
    assert all(piece.solid.closed for piece in made.pieces)


def test_joins_that_meet():
    one = KeyJoin(id="j1", at=(0, 0, 20), width=8, height=6, **ON)
    two = KeyJoin(id="j2", at=(5, 0, 20), width=8, height=6, carrier="second", **ON)
    made = outcome_of(one, two)
    assert not made.joins["j1"].problem
    assert made.joins["j2"].meets == "j1"
    sound(made)


def test_least_wall_is_measured_in_the_body():
    """A socket in a wedge: over it the slope comes nearer than the plane of the cut lets think."""
    corners = np.array([[-20, -20, 0], [20, -20, 0], [20, 20, 0], [-20, 20, 0], [-20, -20, 22], [-20, 20, 22],
                        [20, -20, 40], [20, 20, 40]], float)
    wedge = solid_of(trimesh.Trimesh(corners).convex_hull)
    cut = HALVES.model_copy(update={"offset": 10.0})
    key = KeyJoin(id="j1", at=(-8, 0, 10), width=8, height=10, rounding=0, draft=0, clearance=0.25, **ON)
    made = outcome_of(key, solid=wedge, cut=cut)
    # from the rim of the socket's end, at x = -8 - 4.25, z = 20.25, to the plane through (-20, 22) and (20, 40)
    normal = np.array([-18.0, 40.0]) / math.hypot(18, 40)
    expected = float(normal @ (np.array([-20.0, 22.0]) - [-8 - 4.25, 20.25]))
    assert made.joins["j1"].least_wall == pytest.approx(expected, abs=0.03)


def test_room_map_against_the_distance_to_the_outline():
    """Of a square contact over enough depth: the room is the distance to the nearest side, less the wall."""
    evaluator, plan = joined_plan()
    room = ContactRoom.of(evaluator.contacts(plan)[0])

    def on_grid(values: np.ndarray) -> np.ndarray:
        found = np.full(room.inside.shape, -np.inf)
        found[room.inside] = values
        return found

    largest = on_grid(room.socket("second", 6.0, 0.0, 1.2))
    for x, y in ((0, 0), (10, 3), (-15, -12)):
        expected = 20 - max(abs(x), abs(y)) - 1.2
        frame = evaluator.contacts(plan)[0].frame
        assert room.at(largest, frame[:2] @ [x, y, 20]) == pytest.approx(expected, abs=0.5)
    assert room.at(on_grid(room.socket("second", 19.5, 0.0, 1.2)), np.zeros(2)) < 0  # only 20 mm deep
    assert room.width == pytest.approx(40, abs=0.5)


def test_contacts_are_what_the_cut_has_made():
    """Of all demo models in blocks: the areas of contacts add up to that of the cut faces, and each way in is across
    its face.
    """
    for name in ("lantern", "hook"):
        evaluator, plan = in_blocks(name)
        outcome = evaluator.evaluate(plan, PRINTER, detail="whole")
        total = sum(contact.area for contact in outcome.contacts)
        assert total == pytest.approx(outcome.totals.cut_area_mm2, rel=1e-6)
        assert all(contact.flat and contact.free for contact in outcome.contacts)
        ways = {tuple(np.abs(np.round(contact.way_in)).astype(int)) for contact in outcome.contacts}
        assert ways == {(1, 0, 0), (0, 1, 0), (0, 0, 1)}


def test_facets_that_lie_over_each_other_by_rounding():
    """A face whose facets do not meet edge to edge has the outline of all of them."""
    from deft_slab.core.joining.contacts import _Face, _outline

    corners = np.array([[0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0], [5, 5.00001, 0], [10, 10.00001, 0]], float)
    triangles = np.array([[0, 1, 2], [0, 2, 3], [0, 5, 3], [0, 2, 4]])
    face = _Face(corners, triangles, np.tile([0.0, 0, 1], (4, 1)), np.full(4, 50.0))
    assert _outline(face, np.eye(3)).area == pytest.approx(100, rel=1e-4)


def test_a_t_junction_is_three_contacts():
    cuts = (HALVES, StraightCut(id="c2", name="Upper", normal=(1, 0, 0), offset=5.0,
                                reach={"kind": "piece", "sides": (Side(cut="c1", side=1),)}))
    model = model_of(block())
    evaluator = Evaluator(model)
    outcome = evaluator.evaluate(Plan(model=model.ref, recipe=cuts), PRINTER, detail="whole")
    assert sorted(round(contact.area) for contact in outcome.contacts) == [600, 800, 1000]
    moves = evaluator.dry_fit(outcome.plan, PRINTER).moves
    assert len(moves) == 2
    assert len(moves[1].contacts) == 2  # what the second cut has parted closes on the lower half as one


SOLIDS, SHELLS = ("gull", "hook"), ("helmet", "lantern")


def in_blocks(name: str) -> tuple[Evaluator, Plan]:
    """A demo model of 40,000 triangles in eight parts. (``./deft bench joins`` takes them whole.)"""
    solid = thinned(open_file(MODELS[name]).model.solid, 40_000, QUIET)
    model = Model(name, Solid(solid.vertices, solid.triangles), 1e-6)
    x, y, z = (float(value) for value in model.solid.bounds.mean(axis=0))
    level = StraightCut(id="c1", name="Level", normal=(0, 0, 1), offset=z)
    return Evaluator(model), Plan(model=model.ref, recipe=(level, BlockCut(id="c2", name="B", x=(x,), y=((y,),))))


@pytest.mark.parametrize("name", SOLIDS)
def test_proposed_joins_hold(name):
    """On demo models in eight parts: contacts over 25 mm² of solid bodies get a join that holds, with the walls that
    the printer needs, and the pieces go together.
    """
    evaluator, plan = in_blocks(name)
    joins = evaluator.proposed_joins(plan, PRINTER)
    made = evaluator.evaluate(plan.changed(joins=tuple(joins)), PRINTER, detail="figures")
    sound(made)
    assert not any(report.problem for report in made.joins.values())
    assert all(report.least_wall >= PRINTER.least_wall for report in made.joins.values())
    assert all(join.why for join in joins)
    held = {made.joins[join.id].contact for join in joins if join.holds}
    large = [n for n, contact in enumerate(made.contacts) if contact.area > 25]
    # of the hook's one is 3.5 mm wide, and one belongs to a cap that is 1.3 mm thick on the whole
    assert len([n for n in large if n in held]) >= 0.95 * len(large) - (2 if name == "hook" else 0)
    assert {made.joins[join.id].contact for join in joins} == set(range(len(made.contacts)))
    moves = evaluator.dry_fit(made.plan, PRINTER).moves
    assert sum(len(move.contacts) for move in moves) == len(made.contacts)
    assert [move for move in moves if move.meets and sum(made.contacts[n].area for n in move.contacts) > 25] == []
    assert evaluator.proposed_joins(made.plan, PRINTER) == []


def test_carriers_by_the_seats():
    """Where both pieces lie on the contact a loose key; where one does, the other carries; each says why."""
    down, up = Tilt(), Tilt.from_rotation(np.diag([1.0, -1.0, -1.0]))
    sides = [(Side(cut="c1", side=1),), (Side(cut="c1", side=-1),)]

    def proposed(upper: Tilt, lower: Tilt, offset: float = HALVES.offset) -> list:
        seats = (PieceSettings(sides=sides[0], anchor=(0, 0, 30), seat=upper),
                 PieceSettings(sides=sides[1], anchor=(0, 0, 10), seat=lower))
        evaluator, plan = joined_plan(pieces=seats, cut=HALVES.model_copy(update={"offset": offset}))
        return evaluator.proposed_joins(plan, PRINTER)

    both = proposed(down, up)
    assert {join.kind for join in both} == {"loose key"}
    assert both[0].why == "both pieces have the same shape, and keep it"
    # the upper half lies on its cut face as it stands: the lower one carries
    lower_carries = proposed(down, down)
    assert {(join.kind, join.carrier) for join in lower_carries} == {("key", "first")}
    assert all(join.roofed for join in lower_carries)
    assert "lies on this face" in lower_carries[0].why
    upper_carries = proposed(up, up)
    assert {(join.kind, join.carrier) for join in upper_carries} == {("key", "second")}
    side = Tilt.from_rotation(np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]]))
    halves = proposed(side, side)
    assert all(join.ridges for join in halves)
    assert len({join.width for join in halves}) == 1  # equal, so that the halves stay so
    sideways = proposed(side, side, HALVES.offset + 1)
    assert all(join.ridges for join in sideways)
    assert sideways[-1].width < sideways[0].width  # unlike, so that it goes in only one way round


def test_a_thin_ring_gets_a_splint_and_says_why():
    """A ring 0.8 mm thick, too thin for a key, a rod or a lap: a strip on the inside, a clearance away from it."""
    evaluator, plan = joined_plan(solid=tube(18, 18.8, 40), cut=HALVES.model_copy(update={"offset": 0.0}))
    (join,) = evaluator.proposed_joins(plan, PRINTER)
    assert isinstance(join, SplintJoin)
    assert "too thin" in join.why
    made = evaluator.evaluate(plan.changed(joins=(join,)), PRINTER, detail="figures")
    sound(made)
    strip = made.pieces[2].solid
    radius = np.hypot(*strip.vertices[:, :2].T)
    assert 18 - 0.3 - 0.05 < radius.max() <= 18 - 0.3 + 0.02
    assert radius.min() == pytest.approx(18 - 0.3 - 1.6, abs=0.05)
    assert np.ptp(strip.vertices[:, 2]) == pytest.approx(10.0, abs=0.05)
    assert strip.volume == pytest.approx(math.pi * (17.7**2 - 16.1**2) * 10.0, rel=0.01)


@pytest.mark.parametrize("carrier", ["first", "second"])
@pytest.mark.parametrize("half", ["inner", "outer"])
def test_a_lap_on_a_tube(carrier, half):
    """Rings of a tube: what stands over is half of the wall less the clearance, and what is left out half of it, deeper
    by the clearance (π (R² − r²) h).
    """
    lap = LapJoin(id="j1", at=(20, 0, 0), carrier=carrier, half=half, height=2.0, clearance=0.2, **ON)
    made = outcome_of(lap, solid=tube(18, 23, 40), cut=HALVES.model_copy(update={"offset": 0.0}))
    report = made.joins["j1"]
    inner = half == "inner"
    stands = (18, 20.5 - 0.2) if inner else (20.5 + 0.2, 23)
    left_out = (18, 20.5) if inner else (20.5, 23)
    assert report.added == pytest.approx(math.pi * (stands[1] ** 2 - stands[0] ** 2) * 2.0, rel=0.01)
    assert report.removed == pytest.approx(math.pi * (left_out[1] ** 2 - left_out[0] ** 2) * 2.2, rel=0.01)
    assert report.least_wall == pytest.approx(2.5, abs=0.03)
    assert made.lost_share < 1e-6
    sound(made)
    upper, lower = (piece.solid for piece in made.pieces)
    carries, into = (lower, upper) if carrier == "first" else (upper, lower)
    # the step in the middle of the wall is the clearance away, and so is the tip
    key, socket = faces_of(carries, "j1", KEY), faces_of(into, "j1", SOCKET)
    points, facets = spread_points(key, 4_000)
    steep = np.abs(key.normals[facets][:, 2]) < 0.1
    middle = steep & (np.abs(np.hypot(points[:, 0], points[:, 1]) - 20.5) < 0.3)
    squared, _, _ = igl.point_mesh_squared_distance(
        points[middle], np.ascontiguousarray(socket.vertices), socket.triangles.astype(np.int64)
    )
    assert np.sqrt(squared) == pytest.approx(np.full(middle.sum(), 0.2), abs=0.02)
    evaluator, plan = joined_plan(lap, solid=tube(18, 23, 40), cut=HALVES.model_copy(update={"offset": 0.0}))
    (move,) = evaluator.dry_fit(plan, PRINTER).moves
    assert move.meets is None


def test_laps_of_strips_keep_away_from_where_they_end():
    """A quarter of a tube between two cuts, and one with ends of its own: laps on both, nothing over the ends."""
    walls = BlockCut(id="c1", name="Blocks", y=((0.0,),), z=((0.0,),))
    shell = joined_plan(solid=tube(25, 29, 40), cut=walls)
    contacts = shell[0].contacts(shell[1])
    level = [n for n, contact in enumerate(contacts) if abs(contact.out[2]) > 0.9]
    assert len(level) == 2
    laps = [
        LapJoin(id=f"j{n}", cut="c1", between=contacts[n].between, at=tuple(contacts[n].place), height=1.5)
        for n in level
    ]
    made = shell[0].evaluate(shell[1].changed(joins=tuple(laps)), PRINTER, detail="figures")
    sound(made)
    assert all(not report.problem for report in made.joins.values())
    half = 0.5 * math.pi * (26.7**2 - 25**2) * 1.5
    for report in made.joins.values():
        assert report.added == pytest.approx(half, rel=0.05)
        assert report.least_wall == pytest.approx(2.0, abs=0.05)
    # a strip with round ends, that no cut has parted
    arc = shapely.Point(0, 0).buffer(29, quad_segs=64) - shapely.Point(0, 0).buffer(25, quad_segs=64)
    arc = arc - shapely.box(-40, -40, 0, 40)
    body = trimesh.creation.extrude_polygon(arc, 40)
    body.apply_translation([0, 0, 0])
    lap = LapJoin(id="j1", at=(27, 0, 20), height=1.5, **ON)
    made = outcome_of(lap, solid=solid_of(body))
    sound(made)
    assert not made.joins["j1"].problem
    assert made.joins["j1"].added == pytest.approx(half, rel=0.15)


def test_a_lap_where_there_is_no_wall_says_so():
    made = outcome_of(LapJoin(id="j1", at=(0, 0, 20), **ON))
    assert "wall" in made.joins["j1"].problem
    assert all(piece.solid.closed for piece in made.pieces)


@pytest.mark.parametrize("more", [0.0, 1e-9, -1e-9])
def test_the_last_digits_of_a_volume_do_not_choose_what_moves(more):
    """Of two halves alike the second side of their contact moves; one that is smaller moves whichever side it is."""
    evaluator, plan = joined_plan()
    (contact,) = evaluator.contacts(plan)
    first, second = contact.parts
    low, high = (0.0, 20.0) if contact.out[2] > 0 else (20.0, 0.0)
    for (one, other), moving in (((0.0, 20.0 * more), second), ((0.0, -1.0), second), ((-1.0, 0.0), first)):
        bodies = {first: box(40, 40, 20 + one, (-20, -20, low)), second: box(40, 40, 20 + other, (-20, -20, high))}
        (move,) = moves_of([joined(bodies[n]) for n in range(2)], [contact], [HALVES])
        assert move.pieces == (moving,)


@pytest.mark.parametrize("name", SHELLS)
def test_proposed_joins_on_shells(name):
    """At least 80 % of the contacts over 25 mm² of shells get a join that holds, and all goes together."""
    evaluator, plan = in_blocks(name)
    joins = evaluator.proposed_joins(plan, PRINTER)
    made = evaluator.evaluate(plan.changed(joins=tuple(joins)), PRINTER, detail="figures")
    sound(made)
    assert not any(report.problem for report in made.joins.values())
    held = {made.joins[join.id].contact for join in joins if join.holds}
    large = [n for n, contact in enumerate(made.contacts) if contact.area > 25]
    assert len([n for n in large if n in held]) >= 0.8 * len(large)
    assert all(move.meets is None for move in evaluator.dry_fit(made.plan, PRINTER).moves)


def test_a_dovetail_does_not_go_together_along_its_cut():
    """A hook that grips behind its neighbour: the move is blocked, and the pair is named; the same by booleans of the
    swept body.
    """
    lower = joined(box(40, 40, 20, (-20, -20, 0)), box(10, 40, 30, (-20, -20, 20)), box(20, 40, 6, (-20, -20, 44)))
    upper = joined(box(28, 40, 20, (-8, -20, 20)))
    evaluator, plan = joined_plan(solid=block())
    contact = evaluator.contacts(plan)[0]
    for bodies, blocked in (((upper, lower), True), ((upper, joined(box(40, 40, 20, (-20, -20, 0)))), False)):
        (move,) = moves_of(bodies, [contact], [HALVES])
        swept = [(bodies[0].manifold.translate((0, 0, s)) ^ bodies[1].manifold).volume() for s in (3.0, 6.0, 12.0)]
        apart = bodies[0].bounds[0, 2] >= bodies[1].bounds[1, 2] - 1e-9
        assert (move.meets is not None) == blocked == (not apart and max(swept) > 1)
        if blocked:
            assert set(move.meets) == {0, 1}
            assert move.free == pytest.approx(4.0, abs=0.1)


def test_joins_follow_their_cut():
    key = KeyJoin(id="j1", at=(6, 4, 20), width=8, height=5, **ON)
    evaluator, plan = joined_plan(key)
    tilted = HALVES.model_copy(update={"normal": (0.0, math.sin(0.2), math.cos(0.2)), "offset": 24.0})
    made = evaluator.evaluate(plan.with_cut(tilted), PRINTER, detail="figures")
    sound(made)
    place = np.array(made.joins["j1"].place)
    assert float(place @ tilted.normal) == pytest.approx(24.0)
    assert made.joins["j1"].moved == pytest.approx(0, abs=1e-9)
    off = evaluator.evaluate(plan.with_cut(HALVES.model_copy(update={"on": False})), PRINTER)
    assert "do not meet" in off.joins["j1"].problem
    assert any("j1" in note.says for note in off.notes)
    assert plan.without_cut("c1").joins == ()
    # parted once more, it is on the part that it was on
    more = plan.with_cut(StraightCut(id="c2", name="More", normal=(1, 0, 0), offset=-3.0))
    made = evaluator.evaluate(more, PRINTER, detail="figures")
    contact = made.contacts[made.joins["j1"].contact]
    assert not made.joins["j1"].problem
    assert contact.place[0] > -3
    sound(made)


def test_scaling_scales_keys_and_never_clearance_or_stock():
    key = KeyJoin(id="j1", at=(6, 4, 20), width=8, height=5, clearance=0.2, **ON)
    rod = DowelJoin(id="j2", at=(-8, -8, 20), diameter=3, **ON)
    evaluator, plan = joined_plan(key, rod)
    twice = plan.sized(scale=2.0)
    assert twice.join("j1").width == pytest.approx(16)
    assert twice.join("j1").height == pytest.approx(10)
    assert twice.join("j1").at == pytest.approx((12, 8, 40))
    assert twice.join("j1").clearance == 0.2
    assert twice.join("j2").diameter == 3
    sound(evaluator.evaluate(twice, PRINTER, detail="figures"))


def test_cells_that_are_numbered_anew_in_a_mirror_keep_their_joins():
    walls = BlockCut(id="c1", name="Blocks", x=(0.0, 10.0))
    key = KeyJoin(id="j1", cut="c1", between=(0, 1), at=(0, 3, 12), width=8, height=5)
    evaluator, plan = joined_plan(key, cut=walls)
    before = evaluator.evaluate(plan, PRINTER, detail="figures")
    mirrored = plan.sized(mirror="x")
    after = evaluator.evaluate(mirrored, PRINTER, detail="figures")
    sound(after)
    carries = [max(outcome.pieces, key=lambda one: one.solid.by("j1", KEY).sum()) for outcome in (before, after)]
    middle = [float(piece.solid.bounds[:, 0].mean()) for piece in carries]
    assert middle[1] == pytest.approx(-middle[0])
    assert mirrored.sized(mirror=None).join("j1") == key
    assert key.carried(Move(np.eye(3)), {}) == key


def test_joins_are_kept_in_recipes_and_projects():
    joins = (
        KeyJoin(id="j1", at=(0, 0, 20), width=8, height=5, ridges=((1, 0, 0),), why="because", **ON),
        DowelJoin(id="j2", at=(9, 9, 20), diameter=3, **ON), GlueJoin(id="j3", at=(0, 0, 20), **ON),
        LooseKeyJoin(id="j4", at=(-9, 9, 20), width=6, height=4, outline="rectangle", length=9, **ON),
    )
    recipe = Recipe(cuts=(HALVES,), joins=joins)
    assert read_recipe(recipe.model_dump_json().encode()) == recipe
    _, plan = joined_plan(*joins)
    project = Project(title="Joined", plan=plan)
    assert read_project(project_text(project)).plan == plan
    assert read_recipe(recipe.model_dump_json(exclude={"joins"}).encode()).joins == ()
    assert set(JOINS) >= {"key", "loose key", "dowel hole", "glue"}


@pytest.mark.parametrize("wrong", [
    {"kind": "rivet"}, {"kind": "key", "width": -1}, {"kind": "key", "between": (1, -1)},
    {"kind": "key", "outline": "rectangle", "width": 5}, {"kind": "dowel hole"}, {"kind": "key", "ridges": "up"},
])
def test_what_makes_no_join_is_refused(wrong):
    given = {"id": "j1", "at": [0, 0, 20], "width": 8, "height": 5, **ON, **wrong}
    text = json.dumps({"version": 1, "cuts": [], "joins": [given]})
    with pytest.raises(BadPlan):
        read_recipe(text.encode())


def test_two_of_the_same_id_are_refused():
    _, plan = joined_plan()
    with pytest.raises(BadPlan, match="same id"):
        plan.with_join(KeyJoin(id="c1", at=(0, 0, 20), width=8, height=5, **ON))


def test_warnings():
    for how, word in (({"clearance": 0.0}, "own size"), ({"clearance": 0.1}, "less than"), ({"draft": 0}, "jam")):
        key = KeyJoin(id="j1", at=(0, 0, 20), width=8, height=5, **how, **ON)
        assert any(word in warning for warning in key.warnings(PRINTER.clearance)), word
    assert KeyJoin(id="j1", at=(0, 0, 20), width=8, height=5, **ON).warnings(PRINTER.clearance) == ()


def test_an_edit_of_one_join_makes_two_pieces_anew():
    walls = BlockCut(id="c1", name="Blocks", x=(-8.0, 8.0))
    keys = [
        KeyJoin(id=f"j{n}", cut="c1", between=(n, n + 1), at=(16 * n - 8, 0, 12), width=6, height=3) for n in (0, 1)
    ]
    evaluator, plan = joined_plan(*keys, solid=joined(box(48, 40, 40, (-24, -20, 0))), cut=walls)
    before = evaluator.evaluate(plan, PRINTER, detail="figures")
    after = evaluator.evaluate(plan.with_join(keys[1].model_copy(update={"height": 4.0})), PRINTER, detail="figures")
    same = [one.solid is other.solid for one, other in zip(before.pieces, after.pieces, strict=True)]
    assert same == [True, False, False]


def test_join_by_command(tmp_path):
    path = tmp_path / "block.stl"
    trimesh.Trimesh(block().vertices, block().triangles).export(path)
    found = answer("join", path, "--straight", 0, 0, 1, 20, "--auto", "--out", tmp_path / "out")
    (contact,) = found["contacts"]
    assert contact["area_mm2"] == pytest.approx(1600)
    assert contact["pieces"] == [2, 1]
    assert contact["way_in"] == [0, 0, -1]
    assert all(join["made"] and join["why"] for join in contact["joins"])
    assert contact["least_wall_mm"] >= 1.2
    volume = 0.0
    for name in [*(one["file"] for one in found["pieces"]), *(one["file"] for one in found["extras"])]:
        mesh = trimesh.load(tmp_path / "out" / name)
        assert mesh.is_watertight
        assert mesh.bounds[0, 2] == pytest.approx(0, abs=1e-6)
        volume += mesh.volume
    assert volume == pytest.approx(64_000 + found["joins_volume_mm3"], rel=1e-6)
    assert [move["pieces"] for move in found["dry_fit"]] == [[1]]
    assert found["blocked"] == []
    where = tmp_path / "assembled"
    answer("join", path, "--straight", 0, 0, 1, 20, "--auto", "--assembled", "--out", where)
    meshes = [trimesh.load(file) for file in sorted(where.glob("*.stl"))]
    together = trimesh.util.concatenate(meshes)
    assert together.bounds == pytest.approx(block().bounds, abs=1e-4)
    bodies = [manifold3d.Manifold(manifold3d.Mesh64(mesh.vertices, mesh.faces.astype(np.uint64))) for mesh in meshes]
    assert max((one ^ other).volume() for n, one in enumerate(bodies) for other in bodies[n + 1 :]) < 1e-3
    refused = call("join", path, "--straight", 0, 0, 1, 20, "--out", tmp_path / "out")
    assert refused.returncode == 1
    assert "replace" in refused.stderr
    assert call("join", path, "--auto", "--out", tmp_path / "none").returncode == 2


def test_a_coupon_has_a_hole_for_each_clearance(tmp_path):
    """Written as STL and 3MF and read back by trimesh; the holes are the key's size and the clearance, in order."""
    for name in ("coupon.stl", "coupon.3mf"):
        found = answer("coupon", "--key", 8, "--clearances", 0.1, 0.2, 0.3, "--out", tmp_path / name)
        assert found["clearances_mm"] == [0.1, 0.2, 0.3]
        mesh = trimesh.load(tmp_path / name, force="mesh")
        assert mesh.is_watertight
        assert mesh.volume == pytest.approx(found["volume_mm3"], rel=1e-5)
        bodies = sorted(mesh.split(), key=lambda one: -one.volume)
        assert len(bodies) == 2
        bar, key = bodies
        # at the mouth of the holes, which open upward; under the figures in relief
        level = bar.bounds[1, 2] - 0.6
        section = bar.section(plane_origin=(0, 0, level - 1e-4), plane_normal=(0, 0, 1))
        loops = sorted((shapely.Polygon(loop[:, :2]) for loop in section.discrete), key=lambda one: -one.area)
        holes = sorted(loops[1:], key=lambda one: one.centroid.x)
        across = [2 * math.sqrt(hole.area / (math.pi * ROUND)) for hole in holes]
        grown = [8 + 2 * c / math.cos(math.radians(8)) for c in (0.1, 0.2, 0.3)]
        assert across == pytest.approx(grown, abs=0.01)
        assert key.bounds[0, 2] == pytest.approx(0, abs=1e-6)
        # the key goes into the widest hole as deep as it is high
        assert key.bounds[1, 2] == pytest.approx(5 + 4.8, abs=1e-4)
    rods = answer("coupon", "--rod", 3, "--out", tmp_path / "rods.stl")
    assert rods["clearances_mm"] == [0.2, 0.25, 0.3, 0.35, 0.4]
    assert len(trimesh.load(tmp_path / "rods.stl").split()) == 1
    for wrong in (("--clearances", *range(13)), ("--clearances", -0.1), ("--key", 0.2)):
        refused = call("coupon", *wrong, "--out", tmp_path / "wrong.stl")
        assert refused.returncode in (1, 2)
        assert not (tmp_path / "wrong.stl").exists()


@pytest.mark.parametrize("join", [
    KeyJoin(id="j1", at=(0, 0, 20), width=10, height=6, roofed=True, carrier="second", ridges=((1, 0, 0),), **ON),
    LooseKeyJoin(id="j1", at=(0, 0, 20), width=10, height=6, **ON),
    LooseKeyJoin(id="j1", at=(0, 0, 20), outline="rectangle", width=12, length=40, height=6, **ON),
    DowelJoin(id="j1", at=(0, 0, 20), diameter=3, depth_second=20, roofed_second=True, **ON),
])
def test_the_holes_of_a_coupon_end_in_the_bar(join):
    """Whatever roofs a join has on the prop: its bar has a floor, and the key lies beside it."""
    made = coupon(join, PRINTER, usual_steps(PRINTER))
    bodies = made.manifold.decompose()
    assert len(bodies) == (1 if join.kind == "dowel hole" else 2)
    bar = max(bodies, key=lambda one: one.volume())
    assert bar.genus() == 0  # no hole goes through
    floor = bar.slice(0.8)
    assert len(floor.to_polygons()) == 1


def test_what_fitted_best_is_kept_in_the_profile(tmp_path):
    path = tmp_path / "mine.json"
    kept = answer("coupon", "--fitted", 0.25, "--material", "PLA", "--out", path)
    assert kept["clearance_mm"] == 0.25
    printer = read_printer(path.read_bytes())
    assert printer.clearance == 0.25
    assert "PLA" in printer.fitted
    assert printer.fitted.startswith("0.25 mm per side fitted best, 20")
    # joins that state no clearance take it
    key = KeyJoin(id="j1", at=(0, 0, 20), width=10, height=6, **ON)
    evaluator, plan = joined_plan(key)
    assert evaluator.evaluate(plan, printer, detail="figures").joins["j1"].clearance == 0.25


def test_letters_are_the_outlines_of_the_typeface():
    """A section at half their depth is what the outlines enclose, by shapely; capitals are as high as asked for."""
    for text in ("0.25", "A-8 B"):
        rings, width = outlines(text, 5.0)
        body, same = letters(text, 5.0, 0.6)
        assert width == same
        enclosed = shapely.Polygon()
        for ring in rings:  # counters turn the other way, and lie in their letter
            enclosed = enclosed.symmetric_difference(shapely.Polygon(ring))
        section = shapely.union_all([shapely.Polygon(ring) for ring in body.slice(0.3).to_polygons()])
        assert body.volume() == pytest.approx(0.6 * enclosed.area, rel=1e-6)
        assert section.bounds == pytest.approx(enclosed.bounds, abs=1e-6)
    rings, _ = outlines("H", 5.0)
    assert np.concatenate(rings)[:, 1].max() == pytest.approx(5.0, abs=0.01)
    # a stroke of a figure on a coupon is printable: two lines of 0.4 mm
    assert shapely.Polygon(outlines("1", 4.0)[0][0]).buffer(-0.25).area > 0


@pytest.mark.parametrize("name", ["gull", "helmet"])
@example(seed=241)  # a crumb given to its neighbour: it must not leave films, on which joins would be made
@given(seed=st.integers(0, 2**20))
@settings(max_examples=2)
def test_random_recipes_with_joins_lose_nothing(name, seed):
    """``./deft torture --joins`` makes 500 of these."""
    model = light(name)
    assert problem_with(model, random_recipe(model.solid, seed, 3), seed) in ("", REFUSED)


@cache
def light(name: str):
    """A demo model of few triangles, without facets that run through each other."""
    return model_of(sound_model(open_file(MODELS[name]).model.solid), name)


def test_letters_are_sunk_the_right_way_round():
    """A section at half their depth equals the letters' outlines (by shapely), read from outside each face, on both."""
    join = LettersJoin(id="j1", at=(2, 3, 20), text_first="2F", text_second="1F", height=6, depth=0.6, **ON)
    made = outcome_of(join)
    sound(made)
    assert made.totals.joined == 0  # letters hold nothing
    upper, lower = (piece.solid for piece in made.pieces)
    frame = joined_plan()[0].contacts(joined_plan()[1])[0].frame
    for solid, text, z, away in ((lower, "2F", 19.7, 1.0), (upper, "1F", 20.3, -1.0)):
        plain = manifold3d.Manifold.cube((40, 40, 40)).translate((-20, -20, 0))
        sunk = (plain.split_by_plane((0, 0, away), 20.0 * away)[1] - solid.manifold).slice(z)
        section = shapely.union_all([shapely.Polygon(ring) for ring in sunk.to_polygons()])
        enclosed = shapely.Polygon()
        rings, width = outlines(text, 6)
        u = frame[0][:2]
        v = np.array([-u[1], u[0]]) * away  # up, as it is seen from outside: right-handed about the way out of the face
        for ring in rings:
            at = (ring - [width / 2, 3]) @ np.stack([u, v]) + [2, 3]
            enclosed = enclosed.symmetric_difference(shapely.Polygon(at))
        assert section.area == pytest.approx(enclosed.area, rel=0.01)
        assert section.symmetric_difference(enclosed).area < 0.02 * enclosed.area


def test_letters_for_all_contacts_keep_away_from_joins():
    evaluator, plan = in_blocks("gull")
    plan = plan.changed(joins=tuple(evaluator.proposed_joins(plan, PRINTER)))
    found = evaluator.lettered(plan, PRINTER)
    made = evaluator.evaluate(plan.changed(joins=(*plan.joins, *found)), PRINTER, detail="figures")
    sound(made)
    assert not any(report.problem for report in made.joins.values())
    assert len(found) >= 8
    assert len({join.text_first[-1] for join in found}) == len(found)
    for join in found:
        first, second = made.contacts[made.joins[join.id].contact].pieces
        assert (join.text_first[:-1], join.text_second[:-1]) == (str(first + 1), str(second + 1))
        assert join.text_first[-1] == join.text_second[-1]
    # with letters only, a contact still has no join
    bare = plan.changed(joins=tuple(found))
    assert {join.kind for join in evaluator.proposed_joins(bare, PRINTER)} != set()
    assert evaluator.lettered(made.plan, PRINTER) == [] or len(found) < len(made.contacts)


def test_the_least_over_a_surface_is_never_above_the_truth():
    """A tilted round key beside a wall, a plane: the distance is known at every place, and the points of the key's
    surface miss the nearest one.
    """
    for seed in range(20):
        random = np.random.default_rng(seed)
        body = manifold3d.Manifold.cylinder(8, 4, 3, 7).rotate(tuple(random.uniform(0, 360, 3)))
        normal = random.normal(size=3)
        normal /= np.linalg.norm(normal)
        truth = 9.0 + min(float((np.asarray(body.to_mesh64().vert_properties)[:, :3] @ normal).min()), 0.0)
        found = room._least_over(*room._facets_of(body), lambda points, n=normal: 9.0 + points @ n)
        assert truth - 0.0101 <= found <= truth + 1e-9
        # round, and of points alone: a ball's nearest place lies between the corners of a coarse body
        centre = random.uniform(-3, 3, 3) + [14, 0, 0]
        corners, facets = room._facets_of(manifold3d.Manifold.cube((10, 10, 10), True))
        near = np.abs(np.clip(centre, -5, 5) - centre)
        found = room._least_over(corners, facets, lambda points, c=centre: np.linalg.norm(points - c, axis=1))
        assert np.linalg.norm(near) - 0.0101 <= found <= np.linalg.norm(near) + 1e-9
