"""Random recipes of all kinds of cuts, for a solid; and the torture: a thousand of them (``./deft torture``)."""

from __future__ import annotations

import argparse
import io
import math
import sys
import time
from collections import Counter
from collections.abc import Sequence

import manifold3d
import numpy as np
import trimesh

from deft_slab.core.cuts import (
    BentCut,
    BlockCut,
    BodiesCut,
    BoxCut,
    BoxReach,
    Cut,
    LiftOffCut,
    OutlineReach,
    PatchCut,
    RegionReach,
    ScoopCut,
    StraightCut,
)
from deft_slab.core.document.base import triple
from deft_slab.core.document.marks import Region, Stroke
from deft_slab.core.errors import CutFailed
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.piece_files import stl_bytes
from deft_slab.core.geometry.bodies import united, within
from deft_slab.core.geometry.orientation import Tilt
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.importing.readers import open_file
from deft_slab.core.joining.contacts import Contact
from deft_slab.core.joins import (
    BandJoin,
    DowelJoin,
    GlueJoin,
    Join,
    KeyJoin,
    LapJoin,
    LettersJoin,
    LooseKeyJoin,
    PivotJoin,
    SplintJoin,
)
from deft_slab.core.mesh.solid import Solid, spread_points
from deft_slab.core.plan.hollow import Hollow, Vent
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import Recipe
from deft_slab.core.plan.supports import Post, PostSet
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.core.progress import QUIET
from deft_slab.core.results.outcome import Piece
from deft_slab.core.supports.piece_posts import in_bodies
from deft_slab.demo import MODELS
from tests.shapes import bundled, model_of

_MOST_FILM = 5e-3
"""Share of a surface: slivers between near facets come to less; the film of a touching piece to a whole cut face."""
REFUSED = "(refused)"
KINDS = ("straight", "block", "box", "bent", "loop", "scoop", "lift-off", "patch", "bodies")


class _Dice:
    def __init__(self, solid: Solid, seed: int) -> None:
        self.rng, self.solid = np.random.default_rng(seed), solid

    def place(self):
        """Somewhere in the box of the solid, or a little beside it."""
        low, high = self.solid.bounds
        return triple(low + self.rng.uniform(-0.1, 1.1, 3) * (high - low))

    def corner(self):
        return self.solid.vertices[int(self.rng.integers(len(self.solid.vertices)))]

    def direction(self):
        """Any; often along an axis, or a facet's normal, where cuts coincide with what is there."""
        kind = self.rng.integers(3)
        if kind == 0:
            return triple(np.eye(3)[int(self.rng.integers(3))])
        if kind == 1:
            normal = self.solid.normals[int(self.rng.integers(len(self.solid.normals)))]
            if np.linalg.norm(normal) > 0.5:
                return triple(normal)
        vector = self.rng.normal(size=3)
        return triple(vector / np.linalg.norm(vector))

    def turn(self) -> Tilt:
        return Tilt.of(*self.rng.normal(size=4)) if self.rng.random() < 0.6 else Tilt()

    def half(self):
        return triple(self.rng.uniform(0.05, 0.6, 3) * self.solid.size + 1e-3)

    def region(self) -> Region:
        if self.rng.random() < 0.3:
            return Region(shape="grown", places=(triple(self.corner()),), limit=float(self.rng.uniform(5, 60)),
                          reach=float(0.3 * self.solid.diagonal))
        return Region(shape="ball", places=(triple(self.corner()),), half=self.half())

    def reach(self):
        kind = int(self.rng.integers(8))
        if kind == 0:
            return BoxReach(centre=self.place(), half=self.half(), turn=self.turn())
        if kind == 1:
            at = np.array(self.place())
            turns = np.sort(self.rng.uniform(0, 2 * np.pi, 6))
            ring = 0.3 * self.solid.diagonal * np.stack([np.cos(turns), np.sin(turns), 0 * turns], axis=1)
            return OutlineReach(points=tuple(triple(at + one) for one in ring), view=(0.0, 0.0, -1.0))
        if kind == 2:
            return RegionReach(region=self.region(), margin=float(0.02 * self.solid.diagonal + 0.1))
        return None

    def around(self):
        """Points of a loop along a section of the solid, as a person draws it around a limb; None where none is."""
        normal = np.array(self.direction())
        mesh = trimesh.Trimesh(self.solid.vertices, self.solid.triangles, process=False)
        section = mesh.section(np.array(self.corner()) + 0.01 * normal, normal)
        lines = [line for line in section.discrete if len(line) > 8] if section is not None else []
        if not lines:
            return None
        line = lines[int(self.rng.integers(len(lines)))]
        return tuple(triple(line[n]) for n in np.linspace(0, len(line) - 1, 17).astype(int)[:-1])

    def walls(self, low: float, high: float) -> tuple[float, ...]:
        return tuple(np.unique(np.round(self.rng.uniform(low, high, int(self.rng.integers(0, 3))), 3)).tolist())

    def cut(self, number: int) -> Cut:
        rng = self.rng
        kind = KINDS[int(rng.integers(len(KINDS)))]
        shared = {
            "id": f"c{number}", "name": f"{kind} {number}", "reach": self.reach() if kind not in ("bodies",) else None,
            "kerf": float(rng.choice([0.0, 0.0, 0.0, 0.004])) * self.solid.diagonal,
            "crumbs": str(rng.choice(["keep", "drop", "neighbour"])),
        }
        low, high = self.solid.bounds
        match kind:
            case "straight":
                normal = np.array(self.direction())
                # often exactly through a corner
                at = self.corner() if rng.random() < 0.5 else np.array(self.place())
                return StraightCut(**shared, normal=triple(normal), offset=float(normal @ at))
            case "block":
                x = self.walls(low[0], high[0]) or (float(low[0] + high[0]) / 2,)
                y = tuple(self.walls(low[1], high[1]) for _ in range(len(x) + 1))
                return BlockCut(**shared, x=x, y=y, z=(self.walls(low[2], high[2]),))
            case "box":
                return BoxCut(**shared, centre=self.place(), half=self.half(), turn=self.turn())
            case "bent":
                along = np.linspace(low[0], high[0], int(rng.integers(2, 7)))
                middle = self.place()[2]
                line = [(float(x), 0.0, float(middle + rng.normal() * 0.08 * self.solid.size[2])) for x in along]
                return BentCut(**shared, line=tuple(line), view=(0.0, 1.0, 0.0), splay=float(rng.choice([0, 0, 5])))
            case "loop":
                turns = np.linspace(0, 2 * np.pi, int(rng.integers(3, 12)), endpoint=False)
                radius = rng.uniform(0.1, 0.7) * self.solid.size.max() / 2
                at, turn = np.array(self.place()), self.turn().rotation
                ring = np.stack([np.cos(turns), np.sin(turns), 0.1 * np.cos(2 * turns)], axis=1) * radius
                shared["reach"] = None
                around = self.around() if rng.random() < 0.7 else None
                line = around or tuple(triple(at + turn @ one) for one in ring)
                return BentCut(**shared, line=line, closed=True)
            case "scoop":
                shape = str(rng.choice(["ball", "round-ended", "region"]))
                region = {"region": self.region()} if shape == "region" else {}
                return ScoopCut(**shared, shape=shape, centre=self.place(), half=self.half(), turn=self.turn(),
                                margin=float(0.04 * self.solid.diagonal + 0.1), **region)
            case "lift-off":
                return LiftOffCut(
                    **shared, region=self.region(), pocket=float(rng.choice([0.0, 0.01])) * self.solid.diagonal
                )
            case "patch":
                strokes = [
                    Stroke(**self.region().model_dump(), erase=bool(n and rng.random() < 0.3))
                    for n in range(int(rng.integers(1, 4)))
                ]
                return PatchCut(**shared, strokes=tuple(strokes), depth=float(rng.choice([0.0, 0.0, 0.5, -0.8])),
                                flat=float(rng.choice([0.0, 0.0, 0.6])))
        return BodiesCut(**shared)


def random_recipe(solid: Solid, seed: int, most: int) -> Recipe:
    dice = _Dice(solid, seed)
    return Recipe(cuts=tuple(dice.cut(number) for number in range(int(dice.rng.integers(1, most + 1)))))


_KINDS = ("key", "key", "loose key", "dowel hole", "lap", "splint", "band", "letters", "swivel", "knuckle", "glue")


def random_joins(contacts: Sequence[Contact], seed: int) -> tuple[Join, ...]:
    """Joins of all kinds and of sizes that mostly, but not always, have room, on half of the contacts."""
    rng = np.random.default_rng(seed)
    found: list[Join] = []
    for contact in contacts:
        for _ in range(int(rng.choice([0, 0, 1, 1, 2]))):
            scale = 0.3 * math.sqrt(contact.area)
            at = np.array(contact.place) + rng.normal(0, scale, 3)
            where = {
                "id": f"j{len(found)}", "cut": contact.cut, "between": contact.between,
                "at": tuple(float(value) for value in at), "clearance": float(rng.choice([0.0, 0.2, 0.4])),
            }
            width = float(np.clip(rng.uniform(0.3, 1.5) * scale, 0.6, 30))
            peg = {
                "width": width, "height": float(np.clip(rng.uniform(0.3, 1.2) * width, 0.3, 30)),
                "draft": float(rng.choice([0, 8, 15])), "rounding": float(rng.choice([0, 0.5])),
                "outline": str(rng.choice(["round", "rectangle", "contact"])), "length": 1.4 * width,
                "corner": max(0.3 * width, 0.1), "inset": float(rng.uniform(0.5, 4)),
            }
            if rng.random() < 0.4:
                ridge = rng.normal(size=3)
                peg["ridges"] = (tuple(float(value) for value in ridge / np.linalg.norm(ridge)),)
            carrier, roofed = str(rng.choice(["first", "second"])), bool(rng.random() < 0.3)
            strip = {"width": float(rng.uniform(4, 12)), "thickness": float(rng.uniform(1, 3))}
            match str(rng.choice(_KINDS)):
                case "key":
                    found.append(KeyJoin(**where, **peg, carrier=carrier, roofed=roofed))
                case "loose key":
                    found.append(LooseKeyJoin(**where, **peg, roofed_first=roofed, roofed_second=not roofed))
                case "dowel hole":
                    found.append(DowelJoin(**where, diameter=width / 2, depth_first=1.5 * width, depth_second=width))
                case "lap":
                    found.append(LapJoin(**where, carrier=carrier, height=float(rng.uniform(0.5, 3))))
                case "splint":
                    found.append(SplintJoin(**where, **strip, parts=int(rng.integers(1, 4))))
                case "band":
                    found.append(BandJoin(**where, **strip, follows=str(rng.choice(["seam", "axis", "spot"]))))
                case "letters":
                    found.append(LettersJoin(**where, text_first="1A", text_second="2A", height=max(width, 1.0)))
                case "swivel":
                    found.append(PivotJoin(**where, carrier=carrier, pin=max(0.4 * width, 0.3), depth_first=width))
                case "knuckle":
                    found.append(PivotJoin(
                        **where, form="knuckle", carrier=carrier, pin=max(0.3 * width, 0.3), span=max(1.5 * width, 3.0),
                        radius_of_leaves=max(0.15 * width, 0.15) + max(0.4 * width, 1.0),
                        leaves=int(rng.choice([2, 3])), turns_back=float(rng.uniform(0, 70)),
                        turns_on=float(rng.uniform(0, 70)),
                    ))
                case _:
                    found.append(GlueJoin(**where))
    return tuple(found)


def random_hollows(pieces: Sequence[Piece], seed: int) -> tuple[tuple[Hollow, ...], tuple[PostSet, ...]]:
    """Hollows of most pieces, with vents that mostly reach, and posts anywhere on the surface."""
    rng = np.random.default_rng(seed)
    hollows, posts = [], []
    for n, piece in enumerate(piece for piece in pieces if not piece.extra):
        where = {"sides": piece.sides, "anchor": piece.anchor}
        points, facets = spread_points(piece.solid, 40)
        chosen = rng.choice(len(points), 6, replace=False)
        at = [tuple(float(value) for value in points[k]) for k in chosen]
        if rng.random() < 0.7:
            wall = float(rng.uniform(1.0, 4.0))
            outer = float(rng.uniform(0.5, 2.5))
            vents = tuple(
                Vent(id=f"v{k}", place=at[k], along=tuple(-piece.solid.normals[facets[chosen[k]]]), outer=outer,
                     inner=outer * float(rng.uniform(0.4, 1.0)), plug=bool(rng.random() < 0.5))
                for k in range(int(rng.integers(0, 4)))
            )
            hollows.append(Hollow(
                id=f"h{n}", **where, wall=wall, down=piece.seat.down, least=20.0, vents=vents,
                spacing=float(rng.choice([0, 8, 12])) or None, solid_below=float(rng.choice([0, 0, 5])),
                keyed=bool(rng.random() < 0.5),
            ))
        if rng.random() < 0.5:
            made = tuple(Post(id=f"p{k}", at=at[k]) for k in range(6))
            posts.append(PostSet(id=f"s{n}", **where, posts=made, stem=float(rng.uniform(0.4, 2.0))))
    return tuple(hollows), tuple(posts)


def problem_with_hollows(model, recipe: Recipe, seed: int) -> str:
    """The same of a recipe whose pieces are hollow, vented, plugged and put on posts."""
    plan = Plan(model=model.ref, recipe=recipe.cuts, lift=5.0)
    evaluator, printer = Evaluator(model), shipped_printers()["large-resin"]
    try:
        hollows, posts = random_hollows(evaluator.evaluate(plan, printer, detail="figures").pieces, seed)
        plan = plan.changed(hollows=hollows, posts=posts)
        outcome = evaluator.evaluate(plan, printer, detail="figures")
    except CutFailed as error:
        return REFUSED if error.what else "an error without words"
    if outcome.lost_share > 1e-6:
        return f"volume lost: {outcome.lost_share:.2e}"
    for report in outcome.hollows.values():
        if not report.problem and report.least_wall < 0.7 * min(one.wall for one in plan.hollows):
            return f"a wall of {report.least_wall:.2f} mm"
    for piece in [*outcome.pieces, *in_bodies(plan.posts, outcome.pieces)]:
        if not Solid(piece.solid.vertices, piece.solid.triangles).defects.closed:
            return f"{piece.name} is not closed"
        problem = problem_as_written(piece)
        if problem and not (problem.startswith("read back: stands at") and piece.lift > 0):
            return f"{piece.name}, {problem}"
    return ""


def problem_with(model, recipe: Recipe, joins: int | None = None) -> str:
    """What is wrong with the outcome of a recipe; empty when nothing is; REFUSED where it is refused with words.

    joins : a seed for joins on its contacts
    """
    plan = Plan(model=model.ref, recipe=recipe.cuts)
    evaluator = Evaluator(model)
    try:
        outcome = evaluator.evaluate(plan, default_printer(), detail="figures")
        if joins is not None:
            plan = plan.changed(joins=random_joins(evaluator.contacts(plan), joins))
            outcome = evaluator.evaluate(plan, default_printer(), detail="figures")
    except CutFailed as error:
        return REFUSED if error.what else "an error without words"
    if outcome.lost_share > 1e-6:
        return f"volume lost: {outcome.lost_share:.2e}"
    for piece in outcome.pieces:
        if not Solid(piece.solid.vertices, piece.solid.triangles).defects.closed:
            return f"{piece.name} is not closed"
        if piece.solid.volume <= 0:
            return f"{piece.name} has no volume"
        if not piece.extra and film_of(piece.solid) > max(
            10.0, _MOST_FILM * float(piece.solid.areas.sum())
        ):  # a strip may fold where the surface is sharp
            return f"{piece.name} has {film_of(piece.solid):.1f} mm2 of films"
        problem = problem_as_written(piece)
        if problem:
            return f"{piece.name}, {problem}"
    # strips lie where pieces meet: with a kerf between them these are not shown where they meet
    met = not any(cut.kerf for cut in recipe.cuts)
    pieces = [piece for piece in outcome.pieces if met or piece.extra in ("", "loose key")]
    return _overlapping(pieces) if joins is not None else ""


def film_of(solid: Solid) -> float:
    """mm2 of facets that have no material behind them, or some in front: films of no thickness, as booleans of faces
    that lie in each other may leave (by winding numbers of libigl).
    """
    looked_at, step = solid.areas > 1e-4, 1e-6 * solid.diagonal
    at, way = solid.centroids[looked_at], solid.normals[looked_at]
    if not len(at):
        return 0.0
    wrong = within(solid, at + step * way) | ~within(solid, at - step * way)
    return float(solid.areas[looked_at][wrong].sum())


def _overlapping(pieces) -> str:
    """Whether pieces, where they belong, are in each other by more than 0.02 mm; empty where none are."""
    for n, one in enumerate(pieces):
        for other in pieces[n + 1 :]:
            low = np.maximum(one.solid.bounds[0], other.solid.bounds[0])
            if np.any(low >= np.minimum(one.solid.bounds[1], other.solid.bounds[1])):
                continue
            both = one.solid.manifold ^ other.solid.manifold
            if both.volume() > 1e-6 and 2 * both.volume() / both.surface_area() > 0.02:
                return f"{one.name} and {other.name} are in each other: {both.volume():.4f} mm3"
    return ""


def problem_as_written(piece: Piece) -> str:
    """What is wrong with the STL of a piece as trimesh reads it; empty when nothing is."""
    mesh = trimesh.load(io.BytesIO(stl_bytes(piece.solid, piece.seat.rotation)), file_type="stl")
    if not mesh.is_watertight:
        return "read back: not watertight"
    # corners are rounded to a step of float32's grid; of a crumb that may be much of its volume
    step = max(2.0 ** (math.frexp(float(np.abs(mesh.bounds).max()))[1] - 23), 2.0**-20)
    rounding = step * float(mesh.area)
    if abs(mesh.volume - piece.solid.volume) > 1e-6 * piece.solid.volume + rounding:
        return f"read back: {mesh.volume} mm3 for {piece.solid.volume}"
    if abs(float(mesh.bounds[0, 2])) > 1e-4:
        return f"read back: stands at z = {mesh.bounds[0, 2]}"
    return ""


def sound_model(solid: Solid) -> Solid:
    """A demo model, thinned as far as it goes without running through itself, which would count volume twice."""
    for triangles in (15_000, 30_000, 60_000):
        thin = thinned(solid, triangles, QUIET)
        around = manifold3d.Manifold.cube((1e4, 1e4, 1e4), True)
        if abs((thin.manifold ^ around).volume() / thin.volume - 1.0) < 1e-9:
            return Solid(thin.vertices, thin.triangles)
    return solid


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--joins", action="store_true", help="with joins on the contacts")
    parser.add_argument("--hollow", action="store_true", help="with hollows, vents, plugs and posts")
    wanted = parser.parse_args()
    models = {name: open_file(path).model for name, path in MODELS.items()}
    models = {name: model_of(sound_model(model.solid), name) for name, model in models.items()}
    models |= {name: model_of(united(bundled(f"{name}.ply")), name) for name in ("ant", "nut")}
    kinds: Counter[str] = Counter()
    wrong, refused, slowest = 0, 0, 0.0
    for number in range(wanted.count):
        name = sorted(models)[number % len(models)]
        recipe = random_recipe(models[name].solid, wanted.seed * 1_000_003 + number, 4)
        started = time.monotonic()
        try:
            seed = wanted.seed * 1_000_003 + number if wanted.joins else None
            problem = (
                problem_with_hollows(models[name], recipe, wanted.seed * 1_000_003 + number)
                if wanted.hollow
                else problem_with(models[name], recipe, seed)
            )
        except Exception as error:  # noqa: BLE001 - whatever it is, it is a crash, and is counted
            problem = f"{type(error).__name__}: {error}"
        slowest = max(slowest, time.monotonic() - started)
        kinds.update(cut.kind for cut in recipe.cuts)
        if problem == REFUSED:
            refused += 1
        elif problem:
            wrong += 1
            print(f"{name}, recipe {number}: {problem}\n  {recipe.model_dump_json()}", flush=True)
        if number % 50 == 49:
            print(f"{number + 1} of {wanted.count}", file=sys.stderr)
    print(f"{wanted.count} recipes, {sum(kinds.values())} cuts {dict(kinds)}: {refused} refused with words, "
          f"{wrong} wrong; the slowest took {slowest:.1f} s")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
