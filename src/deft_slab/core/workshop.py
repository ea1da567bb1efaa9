"""evaluate(model, plan) -> pieces + figures. Each stage is cached by the content it depends on."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from functools import partial
from types import MappingProxyType
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from .errors import CutFailed, OpenSurface
from .groups import Base, Part, as_opened, mended_groups
from .judge.base import fit
from .judge.exposure import EVERYWHERE, exposure
from .judge.figures import REPORT_CELLS, measure, support
from .judge.marks import Marked, facets_at, joined_marks, marked, taken, unmarked
from .judge.seam import seam_of
from .judge.seats import SEARCH_CELLS, best_seat
from .judge.skin import support_skin
from .judge.spots import overhang_spots
from .judge.tilts import set_down
from .marking import Audience, Mark
from .mend.thin import thinned
from .outcome import Figures, MendReport, Model, Outcome, OverhangSpot, Piece, Room, Seam, Totals
from .plan import Cut, PieceWish, Plan, Side, Tilt
from .printer import Printer
from .progress import QUIET, Job
from .remarks import about_model, piece_names, remarks
from .shape.bodies import bodies_of
from .shape.cuts import split
from .shells import CRUMB_SHARE, CRUMB_SIZE, shells_of, specks_among
from .solid import Solid, side_by_side
from .wearer.room import room_around

Floats = NDArray[np.float64]
T = TypeVar("T")

_NO_GUESTS: Mapping[str, Solid] = MappingProxyType({})

SUBJECT_TRIANGLES = 12_000
"""Size of the simplified mesh that a search looks at. (On a grid of 128 cells its support volume is within 0.3 % of the
whole mesh's in the median, 1.9 % at worst; 20,000 are no surer than 0.2 % and 1.4 %.)"""

KEPT_TRIANGLES = 6_000_000
"""Of all that a workshop keeps; a triangle with what is derived from it takes about 250 bytes."""
KEPT_THINGS = 2_000

DRAG_CELLS = 80
SKIN_CELLS = 144


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

    def ready(self, plan: Plan, job: Job = QUIET) -> int:
        """Makes the stand-in that answers while a handle is dragged; returns its number of triangles."""
        return self._light(self._base(plan, job), job).triangles

    def mended(self, plan: Plan, job: Job = QUIET) -> tuple[Solid, MendReport]:
        """The bodies of a plan, mended and at their size (mm), and what that took. Raises as ``evaluate``."""
        base = self._base(plan, job)
        whole = side_by_side([group.solid for group in base.groups])
        return whole.resized(plan.factors), base.report.resized(plan.factors)

    def evaluate(
        self, plan: Plan, printer: Printer, job: Job = QUIET, *, quick: bool = False,
        guests: Mapping[str, Solid] = _NO_GUESTS,
    ) -> Outcome:  # fmt: skip
        """Pieces and figures of a plan.

        quick : for dragging: few seats tried, a coarse grid, no exposure and no support skin
        guests : the surfaces of guests that are models, in their units, by content hash

        Raises
        ------
        OpenSurface : the plan cuts a model that is not closed, or rewraps one that encloses nothing.
        CutFailed : the boolean library could not make a cut.
        BadPlan : the plan cannot be carried out on this model.
        Cancelled : the job is no longer wanted.
        """
        base = self._base(plan, job.part(0.0, 0.3))
        if quick:
            base = self._light(base, job)
        marks = self._marks(plan, base, job.part(0.3, 0.4))
        base = self._sized(plan, base)
        parts, missed = self._parts(plan, base, job.part(0.3, 0.4))
        exposed = None if quick else self._exposed_source(base, plan.audience, job.part(0.4, 0.5))
        names = piece_names(plan, base, parts)
        wishes = _matched(plan.pieces, parts)
        pieces = []
        for number, (part, name) in enumerate(zip(parts, names, strict=True)):
            step = job.part(0.5 + 0.5 * number / len(parts), 0.5 + 0.5 * (number + 1) / len(parts))
            wish = wishes.get(number)
            pieces.append(self._piece(plan, printer, base, marks, part, number, name, wish, quick, step))
        seams = _seams(plan, parts, exposed)
        report = base.report.resized(plan.factors)
        notes, rooms = missed, {}
        if not quick:
            notes = [*about_model(self.model, plan, base, report), *missed, *remarks(pieces, wishes, plan)]
            rooms = self._rooms(plan, base, guests, job)
        before = math.fsum(group.solid.volume for group in base.groups) if base.defects.closed else None
        return Outcome(
            plan, tuple(pieces), seams, _totals(pieces, seams, printer), tuple(notes), base.defects, before, report,
            rooms, quick,
        )  # fmt: skip

    def subject(self, plan: Plan, number: int, job: Job = QUIET) -> Subject:
        """What a search for a piece's seat looks at. Raises as ``evaluate``.

        number : of the piece, from 0 on
        """
        raw, part, wish = self._part(plan, number, job.part(0.0, 0.6))
        light = self._once(
            ("subject", part.key), lambda: thinned(part.solid, SUBJECT_TRIANGLES, job.part(0.6, 0.8)), SUBJECT_TRIANGLES
        )
        full = self._marks(plan, raw, job.part(0.8, 0.9)).of(part.solid.origin)
        few = unmarked(len(light.triangles))
        if full.anything:
            few = full if light is part.solid else full.picked(facets_at(part.solid, light.centroids))
        now = wish.seat if wish and wish.seat else plan.tilt
        return Subject(part.solid, light, full, few, plan.threshold, _lift(plan, wish), plan.tilt.rotation, now)

    def exposed_piece(self, plan: Plan, number: int, job: Job = QUIET) -> Floats:
        """(m,) exposure of the facets of a piece, from everywhere. Raises as ``evaluate``."""
        _, part, _ = self._part(plan, number, job)
        return self._exposed(part.key, part.solid, job)

    def _part(self, plan: Plan, number: int, job: Job) -> tuple[Base, Part, PieceWish | None]:
        """(the bodies in units of the file, a piece by its number, the wish that is for it)."""
        raw = self._base(plan, job.part(0.0, 0.8))
        parts, _ = self._parts(plan, self._sized(plan, raw), job.part(0.8, 1.0))
        number = min(number, len(parts) - 1)
        return raw, parts[number], _matched(plan.pieces, parts).get(number)

    def _sized(self, plan: Plan, base: Base) -> Base:
        factors = plan.factors
        return self._once(("sized", base.key, tuple(factors)), partial(base.resized, factors), base.triangles)

    def _marks(self, plan: Plan, base: Base, job: Job) -> Marked:
        """The marks on all triangles of the base, which is in units of the file."""
        if not plan.marks:
            return unmarked(base.triangles)

        def take(key: Hashable, solid: Solid, mark: Mark) -> NDArray[np.bool_]:
            # each mark by itself, so that a stroke more does not cost all strokes anew
            seen = partial(self._exposed, key, solid, job)
            count = len(solid.triangles)
            return self._once(("taken", key, mark), lambda: taken(solid, mark, seen), count // 250)

        found = []
        for number, group in enumerate(base.groups):
            one = partial(take, (base.key, number), group.solid)
            found.append(marked(len(group.solid.triangles), plan.marks, one))
        return joined_marks(found)

    def _base(self, plan: Plan, job: Job) -> Base:
        """The bodies of a plan, mended, in units of the file."""
        shells = self._once("shells", lambda: shells_of(self.model.solid))
        specks = specks_among(shells, plan.factors)
        key = ("base", plan.roles, plan.mending, specks.tobytes())
        return self._once(key, lambda: mended_groups(self.model, plan, key, job), len(self.model.solid.triangles))

    def _light(self, base: Base, job: Job) -> Base:
        """A simplified stand-in of the bodies, for dragging."""
        return self._once(("light", base.key), lambda: base.lighter(job))

    def _rooms(self, plan: Plan, base: Base, guests: Mapping[str, Solid], job: Job) -> dict[str, Room]:
        """The room around each guest that is shown. A guest whose surface is not at hand has none."""
        prop = None
        found = {}
        for guest in plan.guests:
            model = guests.get(guest.model.sha256) if guest.model else None
            if not guest.shown or (guest.model is not None and model is None):
                continue
            prop = prop or side_by_side([group.solid for group in base.groups])
            key = ("room", base.key, guest.model_copy(update={"name": "", "clearance": 0.0}))
            found[guest.id] = self._once(key, partial(room_around, prop, guest, plan.factors, model, job))
        return found

    def _parts(self, plan: Plan, base: Base, job: Job) -> tuple[list[Part], list[str]]:
        """The model parted by the recipe, and a sentence for each cut that parts nothing."""
        parts = [Part((base.key, number), group.solid, (), number) for number, group in enumerate(base.groups)]
        missed = []
        active = [(number, cut) for number, cut in enumerate(plan.recipe) if cut.on]
        problem = base.defects.sentence()
        if active and problem:
            raise OpenSurface(problem, kept="Nothing was cut.", remedy="Close the surface before you cut it.")
        key: tuple[Hashable, ...] = ("parts", base.key)
        for done, (number, cut) in enumerate(active):
            job.step(done / len(active), f"Cutting: {cut.name}")
            key = (*key, (number, cut.id, cut.kind, cut.normal, cut.offset))
            parts = self._once(key, partial(_cut_all, parts, cut, number, key), base.triangles)
            if not any(_both_sides(parts, cut.id)):
                still = f"{len(parts)} piece{'s' if len(parts) > 1 else ''}"
                missed.append(f"“{cut.name}” passes beside the model: still {still}.")
        return parts, missed

    def _exposed_source(self, base: Base, audience: Audience, job: Job) -> Floats:
        """(triangles of the base,) exposure to the audience on the uncut model; 0 for what is not on its skin."""
        by_source = np.zeros(base.triangles)
        for number, group in enumerate(base.groups):
            share = job.part(number / len(base.groups), (number + 1) / len(base.groups))
            np.maximum.at(
                by_source, group.solid.origin, self._exposed((base.key, number), group.solid, share, audience)
            )
        return by_source

    def _exposed(self, key: Hashable, solid: Solid, job: Job, audience: Audience = EVERYWHERE) -> Floats:
        # a narrow audience needs more directions for as many to look from
        directions = 256 if audience.looking == "everywhere" else 512
        return self._once(
            ("exposure", key, audience), lambda: exposure(solid, directions, job=job, audience=audience),
            len(solid.triangles) // 16,
        )  # fmt: skip

    def _piece(
        self, plan: Plan, printer: Printer, base: Base, all_marks: Marked, part: Part, number: int, name: str,
        wish: PieceWish | None, quick: bool, job: Job,
    ) -> Piece:  # fmt: skip
        job.step(0.0, f"Seating {name}")
        marks, lift = all_marks.of(part.solid.origin), _lift(plan, wish)
        if wish is not None and wish.seat is not None:
            tilt, kind = wish.seat, "as you seated it"
        elif not any(cut.on for cut in plan.recipe):
            tilt, kind = plan.tilt, "as the model stands"
        else:
            stood = plan.tilt.rotation
            found = self._once(
                ("seat", part.key, plan.tilt, plan.threshold, plan.marks, quick),
                lambda: best_seat(
                    part.solid,
                    stood,
                    plan.threshold,
                    marks,
                    thorough=not quick,
                    cells=DRAG_CELLS if quick else SEARCH_CELLS,
                    job=job.part(0.0, 0.6),
                ),  # fmt: skip
            )
            tilt, kind = Tilt.from_rotation(found.rotation), found.kind
        exposed = None if quick else self._exposed(part.key, part.solid, job.part(0.6, 1.0))
        seated = self._once(
            ("figures", part.key, tilt, plan.threshold, lift, plan.marks, printer, quick),
            lambda: _measured(part.solid, tilt, plan.threshold, printer, marks, lift, exposed, quick),
            len(part.solid.triangles) // 4,
        )
        within = self._once(
            ("fit", part.key, tilt, lift, printer),
            lambda: fit(set_down(part.solid.vertices, tilt.rotation, lift), printer),
        )
        whole_volume = math.fsum(abs(group.solid.volume) for group in base.groups)
        crumb = part.solid.volume < CRUMB_SHARE * whole_volume and max(part.solid.size) < CRUMB_SIZE
        alone = len(base.groups) == 1 and not any(cut.on for cut in plan.recipe)
        return Piece(
            number + 1, wish.name if wish and wish.name else name, part.solid, part.sides, part.anchor, tilt, kind,
            seated.figures, within, crumb and bool(part.sides), alone, as_opened(plan, base) if alone else None, wish,
            seated.past, seated.skin, lift, marks.bits, seated.spots, seated.layers,
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Subject:
    """A piece whose seat is looked for: the whole of it, and a simplified stand-in. mm, model frame.

    marks, light_marks : of the facets of each; threshold : degrees; lift : mm; stood : (3, 3), how the model stands
    now : its seat, as far as it is decided
    """

    solid: Solid
    light: Solid
    marks: Marked
    light_marks: Marked
    threshold: float
    lift: float
    stood: Floats
    now: Tilt


def _cut_all(parts: list[Part], cut: Cut, number: int, key: Hashable) -> list[Part]:
    after: list[Part] = []
    for part in parts:
        ahead, behind = split(part.solid, cut, number)
        for half, side in ((ahead, Side(cut=cut.id, side=1)), (behind, Side(cut=cut.id, side=-1))):
            if half is None:
                continue
            sides = (*part.sides, side)
            for body in bodies_of(half):
                after.append(Part((key, len(after)), body, sides, part.group))
    if not after:
        raise CutFailed(f"Nothing is left after “{cut.name}”.", kept="The cut was not made.")
    return after


def _both_sides(parts: list[Part], cut_id: str) -> list[bool]:
    """For each group of pieces that agree on all other cuts: whether both sides of this one are there."""
    groups: dict[tuple[object, ...], set[int]] = {}
    for part in parts:
        others = (part.group, *((side.cut, side.side) for side in part.sides if side.cut != cut_id))
        groups.setdefault(others, set()).update(side.side for side in part.sides if side.cut == cut_id)
    return [len(found) == 2 for found in groups.values()]


@dataclass(frozen=True, eq=False)
class _Found:
    """What measuring a piece in its seat gives; see ``Piece``."""

    figures: Figures
    past: NDArray[np.float32]
    skin: tuple[Floats, NDArray[np.int32]]
    spots: tuple[OverhangSpot, ...]
    layers: Floats


def _measured(
    solid: Solid, tilt: Tilt, threshold: float, printer: Printer, marks: Marked, lift: float, exposed: Floats | None,
    quick: bool,
) -> _Found:  # fmt: skip
    cells = DRAG_CELLS if quick else REPORT_CELLS
    found = measure(
        solid, tilt.rotation, threshold=threshold, printer=printer, marks=marks, lift=lift, exposed=exposed,
        cells=cells, trusted=quick and solid.from_booleans,
    )  # fmt: skip
    if quick:
        nothing = (np.empty((0, 3)), np.empty((0, 3), np.int32))
        return _Found(found.figures, found.past_threshold, nothing, (), found.layers)
    spots = overhang_spots(solid, found, marks.show)
    coarse, columns = support(solid, found.seated, None, None, SKIN_CELLS)
    return _Found(found.figures, found.past_threshold, support_skin(columns, coarse.floors), spots, found.layers)


def _seams(plan: Plan, parts: list[Part], exposed: Floats | None) -> dict[str, Seam]:
    seams = {}
    for number, cut in enumerate(plan.recipe):
        if cut.on:
            ahead = [part.solid for part in parts if Side(cut=cut.id, side=1) in part.sides]
            seams[cut.id] = seam_of(ahead, number, exposed)
    return seams


def _totals(pieces: list[Piece], seams: dict[str, Seam], printer: Printer) -> Totals:
    # pieces on one resin plate take no longer than the longest of them
    hours = max if printer.kind == "resin" else math.fsum
    figures = [piece.figures for piece in pieces]
    return Totals(
        pieces=len(pieces),
        overhang_area_mm2=math.fsum(f.overhang_area_mm2 for f in figures),
        support_volume_mm3=math.fsum(f.support_volume_mm3 for f in figures),
        support_inside_mm3=math.fsum(f.support_inside_mm3 for f in figures),
        touched_area_mm2=math.fsum(f.touched_area_mm2 for f in figures),
        show_scar_mm2=math.fsum(f.show_scar_mm2 for f in figures),
        seam_length_mm=math.fsum(seam.length for seam in seams.values()),
        seam_in_sight_mm=math.fsum(seam.in_sight for seam in seams.values()),
        cut_area_mm2=math.fsum(seam.cut_area for seam in seams.values()),
        tallest_mm=max(f.height_mm for f in figures),
        print_seconds=hours([f.print_seconds for f in figures]),
        flat_pieces=sum(f.sits_flat for f in figures),
        fitting_pieces=sum(piece.fit.fits for piece in pieces),
    )


def _matched(wishes: tuple[PieceWish, ...], parts: list[Part]) -> dict[int, PieceWish]:
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


def _lift(plan: Plan, wish: PieceWish | None) -> float:
    return wish.lift if wish is not None and wish.lift is not None else plan.lift


def evaluate(model: Model, plan: Plan, printer: Printer, job: Job = QUIET) -> Outcome:
    """Pieces and figures of a plan, from nothing. See ``Workshop.evaluate``."""
    return Workshop(model).evaluate(plan, printer, job)
