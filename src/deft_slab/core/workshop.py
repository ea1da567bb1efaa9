"""evaluate(model, plan) -> pieces + figures. Each stage is cached by the content it depends on."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from functools import partial
from typing import TypeVar

import fast_simplification
import numpy as np
from numpy.typing import NDArray

from .errors import CutFailed, OpenSurface
from .judge.base import fit
from .judge.exposure import exposure
from .judge.figures import measure, support
from .judge.overhang import need
from .judge.seam import seam_of
from .judge.seats import SEARCH_CELLS, best_seat
from .judge.skin import support_skin
from .judge.tilts import set_down
from .outcome import Figures, Model, Outcome, Piece, Seam, Totals
from .plan import Cut, PieceWish, Plan, Side, Tilt
from .printer import Printer
from .progress import QUIET, Job
from .shape.bodies import bodies_of, united
from .shape.cuts import split
from .solid import Solid

Floats = NDArray[np.float64]
T = TypeVar("T")

STAND_IN_TRIANGLES = 10_000
"""Size of the simplified mesh that answers while a handle is dragged; its figures are marked as approximate."""

KEPT_TRIANGLES = 6_000_000
"""Of all that a workshop keeps; a triangle with what is derived from it takes about 250 bytes."""
KEPT_THINGS = 2_000

DRAG_CELLS = 80
SKIN_CELLS = 144
CRUMB_SHARE = 0.01
CRUMB_SIZE = 20.0
"""mm across: a fragment under both limits is a crumb."""


@dataclass(eq=False)
class Workshop:
    """Evaluates plans for one model and keeps what it has made. For one thread at a time."""

    model: Model
    _kept: OrderedDict[Hashable, tuple[object, int]] = field(default_factory=OrderedDict)
    _triangles: int = 0

    def _once(self, key: Hashable, make: Callable[[], T], triangles: int = 0) -> T:
        """What ``make`` makes, made once for a key. ``triangles`` says how much memory it takes.

        The oldest things are let go when all together have more than KEPT_TRIANGLES.
        """
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key][0]  # type: ignore[return-value]
        made = make()
        self._kept[key] = (made, triangles)
        self._triangles += triangles
        while len(self._kept) > 2 and (self._triangles > KEPT_TRIANGLES or len(self._kept) > KEPT_THINGS):
            _, (_, freed) = self._kept.popitem(last=False)
            self._triangles -= freed
        return made

    def stand_in(self, job: Job = QUIET) -> Workshop:
        """A workshop for a simplified mesh of the same model."""
        return self._once("stand-in", lambda: Workshop(_simplified(self.model, job)))

    def evaluate(self, plan: Plan, printer: Printer, job: Job = QUIET, *, quick: bool = False) -> Outcome:
        """Pieces and figures of a plan.

        quick : for dragging: few seats tried, a coarse grid, no exposure and no support skin

        Raises
        ------
        OpenSurface : the plan cuts a model that is not closed.
        CutFailed : the boolean library could not make a cut.
        Cancelled : the job is no longer wanted.
        """
        base = self._once(
            ("solid", plan.factor),
            lambda: one_skin(self.model.solid).scaled(plan.factor),
            len(self.model.solid.triangles),
        )
        notes = [base.defects.sentence()] if base.defects.sentence() else []
        if len(base.triangles) != len(self.model.solid.triangles):
            notes.append("Bodies of this model overlap; they are taken as one where they do.")
        parts, missed = self._parts(plan, base, job.part(0.0, 0.4))
        notes += missed
        exposed = None if quick else self._exposed_source(plan, base, job.part(0.4, 0.5))
        names = _piece_names(plan, parts)
        wishes = _matched(plan.pieces, parts)
        pieces = []
        for number, (part, name) in enumerate(zip(parts, names, strict=True)):
            step = job.part(0.5 + 0.5 * number / len(parts), 0.5 + 0.5 * (number + 1) / len(parts))
            pieces.append(self._piece(plan, printer, part, number, name, wishes.get(number), quick, step))
        seams = _seams(plan, parts, exposed)
        before = base.volume if base.defects.closed else None
        if not quick:
            notes += _remarks(pieces, wishes, plan)
        return Outcome(plan, tuple(pieces), seams, _totals(pieces, seams), tuple(notes), base.defects, before, quick)

    def _parts(self, plan: Plan, base: Solid, job: Job) -> tuple[list[_Part], list[str]]:
        """The model parted by the recipe, and a sentence for each cut that parts nothing."""
        parts = [_Part(("whole", plan.factor), base, ())]
        missed = []
        active = [(number, cut) for number, cut in enumerate(plan.recipe) if cut.on]
        if active and base.defects.sentence():
            raise OpenSurface(
                base.defects.sentence(), kept="Nothing was cut.", remedy="Close the surface before you cut it."
            )
        key: tuple[Hashable, ...] = ("parts", plan.factor)
        for done, (number, cut) in enumerate(active):
            job.step(done / len(active), f"Cutting: {cut.name}")
            key = (*key, (number, cut.id, cut.kind, cut.normal, cut.offset))
            parts = self._once(key, partial(_cut_all, parts, cut, number, key), len(base.triangles))
            if not any(_both_sides(parts, cut.id)):
                still = f"{len(parts)} piece{'s' if len(parts) > 1 else ''}"
                missed.append(f"“{cut.name}” passes beside the model: still {still}.")
        return parts, missed

    def _exposed_source(self, plan: Plan, base: Solid, job: Job) -> Floats:
        """(triangles of the opened model,) exposure on the whole model; 0 for what is not on its skin."""
        exposed = self._exposed(("whole", plan.factor), base, job)
        by_source = np.zeros(len(self.model.solid.triangles))
        np.maximum.at(by_source, base.origin, exposed)
        return by_source

    def _exposed(self, key: Hashable, solid: Solid, job: Job) -> Floats:
        return self._once(("exposure", key), lambda: exposure(solid, job=job), len(solid.triangles) // 16)

    def _piece(
        self, plan: Plan, printer: Printer, part: _Part, number: int, name: str, wish: PieceWish | None, quick: bool,
        job: Job,
    ) -> Piece:  # fmt: skip
        job.step(0.0, f"Seating {name}")
        if wish is not None and wish.seat is not None:
            tilt, kind = wish.seat, "as you seated it"
        elif not any(cut.on for cut in plan.recipe):
            tilt, kind = plan.tilt, "as the model stands"
        else:
            stood = plan.tilt.rotation
            found = self._once(
                ("seat", part.key, plan.tilt, plan.threshold, quick),
                lambda: best_seat(
                    part.solid,
                    stood,
                    plan.threshold,
                    thorough=not quick,
                    cells=DRAG_CELLS if quick else SEARCH_CELLS,
                    job=job.part(0.0, 0.6),
                ),  # fmt: skip,
            )
            tilt, kind = Tilt.from_rotation(found.rotation), found.kind
        exposed = None if quick else self._exposed(part.key, part.solid, job.part(0.6, 1.0))
        figures, past, skin = self._once(
            ("figures", part.key, tilt, plan.threshold, quick),
            lambda: _measured(part.solid, tilt, plan.threshold, exposed, quick),
            len(part.solid.triangles) // 4,
        )
        within = self._once(
            ("fit", part.key, tilt, printer), lambda: fit(set_down(part.solid.vertices, tilt.rotation), printer)
        )
        whole_volume = abs(self.model.solid.volume) * plan.factor**3
        crumb = part.solid.volume < CRUMB_SHARE * whole_volume and max(part.solid.size) < CRUMB_SIZE
        return Piece(
            number + 1, wish.name if wish and wish.name else name, part.solid, part.sides, part.anchor, tilt, kind,
            figures, within, crumb and bool(part.sides), plan.factor, wish, past, skin,
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Part:
    """A solid on its way through the recipe. ``key`` names its content."""

    key: Hashable
    solid: Solid
    sides: tuple[Side, ...]

    @property
    def anchor(self) -> tuple[float, float, float]:
        """The centre of mass, rounded to a micrometre so that it reads the same from a file."""
        x, y, z = (round(float(value), 3) for value in self.solid.centre_of_mass)
        return x, y, z


def one_skin(solid: Solid) -> Solid:
    """The solid with one skin where its bodies overlap; an open one as it is."""
    return solid if solid.defects.sentence() else united(solid)


def _cut_all(parts: list[_Part], cut: Cut, number: int, key: Hashable) -> list[_Part]:
    after: list[_Part] = []
    for part in parts:
        ahead, behind = split(part.solid, cut, number)
        for half, side in ((ahead, Side(cut=cut.id, side=1)), (behind, Side(cut=cut.id, side=-1))):
            if half is None:
                continue
            sides = (*part.sides, side)
            for body in bodies_of(half):
                after.append(_Part((key, len(after)), body, sides))
    if not after:
        raise CutFailed(f"Nothing is left after “{cut.name}”.", kept="The cut was not made.")
    return after


def _both_sides(parts: list[_Part], cut_id: str) -> list[bool]:
    """For each group of pieces that agree on all other cuts: whether both sides of this one are there."""
    groups: dict[tuple[tuple[str, int], ...], set[int]] = {}
    for part in parts:
        others = tuple((side.cut, side.side) for side in part.sides if side.cut != cut_id)
        groups.setdefault(others, set()).update(side.side for side in part.sides if side.cut == cut_id)
    return [len(found) == 2 for found in groups.values()]


def _measured(
    solid: Solid, tilt: Tilt, threshold: float, exposed: Floats | None, quick: bool
) -> tuple[Figures, NDArray[np.float32], tuple[Floats, NDArray[np.int32]]]:
    if quick:
        trusted = solid.from_booleans
        found = measure(solid, tilt.rotation, threshold=threshold, cells=DRAG_CELLS, trusted=trusted)
        return found.figures, found.past_threshold, (np.empty((0, 3)), np.empty((0, 3), np.int32))
    found = measure(solid, tilt.rotation, threshold=threshold, exposed=exposed)
    weight = need(found.seated.angles, found.seated.rests, threshold)
    coarse, columns = support(solid, found.seated, weight, None, SKIN_CELLS)
    return found.figures, found.past_threshold, support_skin(columns, coarse.floors)


def _seams(plan: Plan, parts: list[_Part], exposed: Floats | None) -> dict[str, Seam]:
    seams = {}
    for number, cut in enumerate(plan.recipe):
        if cut.on:
            ahead = [part.solid for part in parts if Side(cut=cut.id, side=1) in part.sides]
            seams[cut.id] = seam_of(ahead, number, exposed)
    return seams


def _totals(pieces: list[Piece], seams: dict[str, Seam]) -> Totals:
    figures = [piece.figures for piece in pieces]
    return Totals(
        pieces=len(pieces),
        overhang_area_mm2=math.fsum(f.overhang_area_mm2 for f in figures),
        support_volume_mm3=math.fsum(f.support_volume_mm3 for f in figures),
        support_inside_mm3=math.fsum(f.support_inside_mm3 for f in figures),
        landing_area_mm2=math.fsum(f.landing_area_mm2 for f in figures),
        seam_length_mm=math.fsum(seam.length for seam in seams.values()),
        seam_in_sight_mm=math.fsum(seam.in_sight for seam in seams.values()),
        cut_area_mm2=math.fsum(seam.cut_area for seam in seams.values()),
        tallest_mm=max(f.height_mm for f in figures),
        flat_pieces=sum(f.sits_flat for f in figures),
        fitting_pieces=sum(piece.fit.fits for piece in pieces),
    )


def _remarks(pieces: list[Piece], wishes: dict[int, PieceWish], plan: Plan) -> list[str]:
    remarks = []
    crumbs = [piece for piece in pieces if piece.crumb]
    if crumbs:
        worst = max(max(piece.solid.size) for piece in crumbs)
        remarks.append(f"{len(crumbs)} of the pieces are crumbs (up to {worst:.1f} mm across).")
    remarks += [
        f"{piece.name} does not fit the printer: {piece.fit.sentence()}." for piece in pieces if not piece.fit.fits
    ]
    near = [piece for piece in pieces if piece.figures.near_threshold_share > 0.05]
    if near:
        names = ", ".join(piece.name for piece in near)
        remarks.append(
            f"{names}: more than 5 % of the surface lies within 1° of the threshold; small changes there change the "
            "figures much."
        )
    on = {cut.id for cut in plan.recipe if cut.on}
    lost = [wish for wish in plan.pieces if {s.cut for s in wish.sides} <= on and wish not in wishes.values()]
    for wish in lost:
        what = f"“{wish.name}”" if wish.name else "A piece that you seated"
        remarks.append(f"{what} no longer exists with these cuts; its seat and name are kept in case it comes back.")
    return remarks


def _matched(wishes: tuple[PieceWish, ...], parts: list[_Part]) -> dict[int, PieceWish]:
    """Which part each wish is for: same sides, nearest anchor; a part takes the nearest of several."""
    found: dict[int, tuple[float, PieceWish]] = {}
    for wish in wishes:
        alike = [
            (math.dist(wish.anchor, part.anchor), number)
            for number, part in enumerate(parts)
            if part.sides == wish.sides
        ]
        if alike:
            distance, number = min(alike)
            if number not in found or distance < found[number][0]:
                found[number] = (distance, wish)
    return {number: wish for number, (_, wish) in found.items()}


_SIDE_WORDS = (("right", "left"), ("back", "front"), ("upper", "lower"))


def _piece_names(plan: Plan, parts: list[_Part]) -> list[str]:
    """Names by where a piece lies on the standing model, and its last word: "Upper left lantern"."""
    short = plan.model.name.split()[-1].lower()
    on = [cut for cut in plan.recipe if cut.on]
    if not on:
        return [plan.model.name] * len(parts)
    rotation = plan.tilt.rotation
    axis = {}
    for cut in on:
        normal = rotation @ np.array(cut.normal)
        largest = int(np.argmax(np.abs(normal)))
        axis[cut.id] = (largest, 1 if normal[largest] > 0 else -1)
    names = []
    for part in parts:
        said: list[str] = []
        for side in part.sides:
            largest, sign = axis[side.cut]
            word = _SIDE_WORDS[largest][0 if side.side * sign > 0 else 1]
            if word not in said:
                said.append(word)
        names.append(" ".join([*said, short]).capitalize())
    repeated = {name for name in names if names.count(name) > 1}
    counts: dict[str, int] = {}
    for number, name in enumerate(names):
        if name in repeated:
            counts[name] = counts.get(name, 0) + 1
            names[number] = f"{name} {counts[name]}"
    return names


def _simplified(model: Model, job: Job) -> Model:
    solid = model.solid
    if len(solid.triangles) <= STAND_IN_TRIANGLES:
        return model
    job.step(0.0, "Making a lighter stand-in of the model")
    vertices, triangles = fast_simplification.simplify(
        solid.vertices.astype(np.float32), np.array(solid.triangles), target_count=STAND_IN_TRIANGLES
    )
    light = Solid(np.asarray(vertices, float), triangles)
    if solid.defects.closed and light.defects.sentence():
        # the simplifier may break a closed surface; the boolean library's own never does, but is slower to converge
        body, tolerance = solid.manifold, 1e-4 * solid.diagonal
        while body.num_tri() > 2 * STAND_IN_TRIANGLES and tolerance < 0.02 * solid.diagonal:
            job.step(0.5, "Making a lighter stand-in of the model")
            body = solid.manifold.simplify(tolerance)
            tolerance *= 1.6
        light = Solid.from_manifold(body, solid.runs)
        light = Solid(light.vertices, light.triangles)
    return Model(model.name, light, model.grid, model.unit)


def evaluate(model: Model, plan: Plan, printer: Printer, job: Job = QUIET) -> Outcome:
    """Pieces and figures of a plan, from nothing. See ``Workshop.evaluate``."""
    return Workshop(model).evaluate(plan, printer, job)
