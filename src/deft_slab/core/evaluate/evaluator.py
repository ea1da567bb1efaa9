"""evaluate(model, plan) -> pieces + figures. Each stage is cached by the content it depends on."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from types import MappingProxyType
from typing import TypeVar

import numpy as np

from ..arrays import Bools, Floats
from ..cache import Cache
from ..cuts import Cut, Side
from ..document.marks import Mark, Region
from ..errors import OpenSurface
from ..figures.base_area import fit
from ..figures.default_seats import SEARCH_CELLS, SeatWishes, seats_of
from ..figures.marked_facets import Marked, facets_at, joined_marks, marked, taken, unmarked
from ..figures.seams import seam_of
from ..figures.support_scars import scarred
from ..geometry.orientation import Tilt
from ..geometry.place_on_bed import down_to_rotation, set_down
from ..joining.apply_joins import Joined
from ..joining.contacts import Contact
from ..joining.plan_joints import Joinery
from ..joining.room import ContactRoom
from ..joins import STOCK, Join
from ..joins.reports import DryFit
from ..locale.translate import tr
from ..mesh.components import shells_of, specks_among
from ..mesh.solid import Solid, side_by_side
from ..parting.apply_cuts import Stage, cut_all, nameless, proven
from ..parting.bodies import DRAG_TRIANGLES, STAND_IN_TRIANGLES, Part, Uncut, as_opened, mended_groups, spans
from ..plan.model import MendReport, Model
from ..plan.piece_settings import PieceSettings, made_on
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread
from ..repair.simplify import thinned
from ..results.outcome import Outcome, Piece, Seam, Totals
from ..supports.piece_posts import with_posts
from .exposure_cache import Exposures
from .finishing import Finishing
from .piece import DRAG_CELLS, SUBJECT_TRIANGLES, Detail, SearchSubject, lift_of, matched, measured
from .remarks import about_cuts, about_hollows, about_joins, about_model, piece_names, remarks

T = TypeVar("T")

_NO_GUESTS: Mapping[str, Solid] = MappingProxyType({})

_ALIKE = 0.1
"""Share by which the volume of a part and of its stand-in may differ."""


@dataclass(eq=False)
class Evaluator:
    """Evaluates plans for one model and keeps what it has made.

    spread : see ``progress.Spread``; threads of one each take a copy that spreads nothing, and keeps its things here
    """

    model: Model
    spread: Spread = map
    _sat: dict[tuple[Side, ...], tuple[float, float, float]] = field(default_factory=dict)
    """How the piece on some sides sat when it was last measured exactly: down directions, to try while dragging."""
    kept: Cache = field(default_factory=Cache)

    @property
    def _exposures(self) -> Exposures:
        return Exposures(self.kept, self.spread)

    def _once(self, key: Hashable, make: Callable[[], T], triangles: int = 0) -> T:
        """What ``make`` makes, made once for a key; see ``Cache``."""
        return self.kept.once(key, make, triangles)

    def ready(self, plan: Plan, job: Job = QUIET) -> int:
        """Makes the stand-ins: one answers while a handle is dragged, and its number of triangles is returned."""
        uncut = self._base(plan, job.part(0.0, 0.4))
        self._light(uncut, STAND_IN_TRIANGLES, job.part(0.4, 0.7))
        return self._light(uncut, DRAG_TRIANGLES, job.part(0.7, 1.0)).triangles

    def mended(self, plan: Plan, job: Job = QUIET) -> tuple[Solid, MendReport]:
        """The bodies of a plan, mended and at their size (mm), and what that took. Raises as ``evaluate``."""
        uncut = self._base(plan, job)
        whole = side_by_side([group.solid for group in uncut.groups])
        return whole.resized(plan.factors), uncut.report.resized(plan.factors)

    def evaluate(
        self, plan: Plan, printer: Printer, job: Job = QUIET, *, detail: Detail = "whole",
        guests: Mapping[str, Solid] = _NO_GUESTS,
    ) -> Outcome:
        """Pieces and figures of a plan.

        detail : "quick" for dragging: few seats tried, a coarse grid, no exposure and no support skin; "figures" for
        comparing: all figures but support inside, and nothing to draw; "exact": all figures, and nothing to draw
        guests : the surfaces of guests that are models, in their units, by content hash

        Raises
        ------
        OpenSurface : the plan cuts a model that is not closed, or rewraps one that encloses nothing.
        CutFailed : the boolean library could not make a cut.
        BadPlan : the plan cannot be carried out on this model.
        Cancelled : the job is no longer wanted.
        """
        quick = detail == "quick"
        opened = uncut = self._base(plan, job.part(0.0, 0.3))
        if quick:
            uncut = self._light(uncut, DRAG_TRIANGLES, job)
        marks = self._marks(plan, uncut, job.part(0.3, 0.3))
        uncut = self._sized(plan, uncut)
        parts, stages = self._parts(plan, uncut, job.part(0.3, 0.37))
        joined, hollows = Joined(parts, []), {}
        if detail == "whole" or plan.joins or plan.hollows or plan.coupon:
            step = job.part(0.37, 0.38)
            done = Finishing(self.kept, self.spread).done(plan, parts, stages, printer, step, hollow=not quick)
            joined, hollows, parts = done.joined, done.hollows, done.joined.parts
        tried_on = [(part.solid, marks.of(part.solid.origin)) for part in parts]
        reports = {cut.id: stage.report for cut, stage in stages}
        if not quick and stages:
            tried_on, light_stages = self._stand_ins(plan, opened, parts, tried_on, printer, job.part(0.38, 0.4))
            if detail == "whole":
                limit = printer.thinnest_wall
                reports = {cut.id: proven(self.kept, cut, reports[cut.id], stage, limit) for cut, stage in light_stages}
        exposed = None if quick else self._exposures.of_source(uncut, plan.audience, job.part(0.4, 0.5))
        parting = [cut for cut, stage in stages if stage.report.parts]
        names = piece_names(plan, parting, uncut, parts, joined.names)
        wishes = matched(plan.pieces, parts)
        pieces = []
        for number, (part, name) in enumerate(zip(parts, names, strict=True)):
            step = job.part(0.5 + 0.5 * number / len(parts), 0.5 + 0.5 * (number + 1) / len(parts))
            wish = wishes.get(number)
            piece = self._piece(
                plan, printer, uncut, marks, part, tried_on[number], number, name, wish, bool(parting), detail, step
            )
            pieces.append(replace(piece, extra=joined.kinds.get(number, "")))
        pieces, posts = with_posts(() if quick else plan.posts, pieces, printer, self.kept)
        pieces, scar = scarred(pieces, posts, exposed)
        seams = {cut.id: self._seam(plan, uncut, cut, stage, exposed, marks) for cut, stage in stages}
        report = uncut.report.resized(plan.factors)
        notes, rooms = about_cuts(plan, reports, seams), {}
        if detail == "whole":
            notes = [*about_model(self.model, plan, uncut, report), *notes, *about_joins(plan, joined.reports),
                     *about_hollows(hollows), *remarks(pieces, wishes, plan, printer, hollows)]
            if plan.guests:
                from ..wearer.guest_rooms import rooms_around  # slow to load, and few props have a guest

                rooms = rooms_around(plan, [group.solid for group in uncut.groups], uncut.key, guests, self.kept, job)
        before = math.fsum(group.solid.volume for group in uncut.groups) if uncut.defects.closed else None
        bare = plan.changed(joins=()) if plan.joins and not quick else None
        plain = () if bare is None else self.evaluate(bare, printer, job.silent, detail="figures").pieces
        totals = Totals.of(pieces, seams.values(), printer, len(joined.contacts), joined.reports.values(), plain, scar)
        key = ("spans", uncut.key, tuple(plan.factors), plan.tilt)
        return Outcome(
            plan, tuple(pieces), seams, totals, tuple(notes), uncut.defects, before, report, rooms, reports, quick,
            self._once(key, lambda: spans(uncut, plan.tilt.rotation)),
            tuple(contact.found for contact in joined.contacts), joined.reports, hollows, posts,
        )

    def subject(
        self, plan: Plan, number: int, job: Job = QUIET, triangles: int = SUBJECT_TRIANGLES,
        printer: Printer | None = None,
    ) -> SearchSubject:
        """What a search for a piece's seat, or for cuts through it, looks at. Raises as ``evaluate``.

        number : of the piece, from 0 on; triangles : of its stand-in; printer : with its joins, as this one needs them;
        None: without
        """
        raw, part, wish = self.part_of(plan, number, job.part(0.0, 0.6), printer)
        light = self._once(
            ("subject", part.key, triangles), lambda: thinned(part.solid, triangles, job.part(0.6, 0.8)), triangles
        )
        full = self._marks(plan, raw, job.part(0.8, 0.9)).of(part.solid.origin)
        few = unmarked(len(light.triangles))
        if full.anything:
            few = full if light is part.solid else full.picked(facets_at(part.solid, light.centroids))
        now = wish.seat if wish and wish.seat else plan.tilt
        return SearchSubject(part.solid, light, full, few, plan.threshold, lift_of(plan, wish), plan.tilt.rotation, now)

    def piece_on(self, plan: Plan, sides: tuple[Side, ...], job: Job = QUIET) -> int:
        """The number, from 0 on, of the largest piece that lies on some sides of the cuts; 0 where none does. Raises as
        ``evaluate``."""
        parts, _ = self._parts(plan, self._sized(plan, self._base(plan, job)), job)
        on = [number for number, part in enumerate(parts) if set(sides) <= set(part.sides)]
        return max(on, key=lambda number: parts[number].solid.volume, default=0)

    def exposed_light(self, plan: Plan, subject: SearchSubject, job: Job = QUIET) -> Floats:
        """(m,) exposure to the audience of the facets of the stand-in of a piece, on the uncut model; 0 for what lies
        on its cut faces. Raises as ``evaluate``."""
        uncut = self._sized(plan, self._base(plan, job.part(0.0, 0.2)))
        by_source = self._exposures.of_source(uncut, plan.audience, job.part(0.2, 0.8))
        origin = subject.solid.origin
        seen = np.where(origin >= 0, by_source[np.maximum(origin, 0)], 0.0)
        return seen if subject.light is subject.solid else seen[facets_at(subject.solid, subject.light.centroids)]

    def exposed_piece(self, plan: Plan, number: int, job: Job = QUIET, printer: Printer | None = None) -> Floats:
        """(m,) exposure of the facets of a piece, from everywhere. printer : as for ``subject``. Raises as
        ``evaluate``."""
        _, part, _ = self.part_of(plan, number, job, printer)
        return self._exposures.of(part.key, part.solid, job)

    def part_of(
        self, plan: Plan, number: int, job: Job = QUIET, printer: Printer | None = None
    ) -> tuple[Uncut, Part, PieceSettings | None]:
        """(the bodies in units of the file, a piece by its number, the wish that is for it). printer : as for
        ``subject``. Raises as ``evaluate``."""
        raw = self._base(plan, job.part(0.0, 0.8))
        parts, stages = self._parts(plan, self._sized(plan, raw), job.part(0.8, 0.9))
        if printer is not None:
            parts = Finishing(self.kept, self.spread).done(plan, parts, stages, printer, job).joined.parts
        number = min(number, len(parts) - 1)
        return raw, parts[number], matched(plan.pieces, parts).get(number)

    def _sized(self, plan: Plan, uncut: Uncut) -> Uncut:
        factors = plan.factors
        return self._once(("sized", uncut.key, tuple(factors)), partial(uncut.resized, factors), uncut.triangles)

    def _marks(self, plan: Plan, uncut: Uncut, job: Job) -> Marked:
        """The marks on all triangles of the uncut, which is in units of the file."""
        if not plan.marks:
            return unmarked(uncut.triangles)

        def take(key: Hashable, solid: Solid, mark: Mark) -> Bools:
            # each mark by itself, so that a stroke more does not cost all strokes anew
            seen = partial(self._exposures.of, key, solid, job)
            count = len(solid.triangles)
            return self._once(("taken", key, mark), lambda: taken(solid, mark, seen), count // 250)

        found = []
        for number, group in enumerate(uncut.groups):
            one = partial(take, (uncut.key, number), group.solid)
            found.append(marked(len(group.solid.triangles), plan.marks, one))
        return joined_marks(found)

    def _base(self, plan: Plan, job: Job) -> Uncut:
        """The bodies of a plan, mended, in units of the file."""
        shells = self._once("shells", lambda: shells_of(self.model.solid))
        specks = specks_among(shells, plan.factors)
        key = ("base", plan.roles, plan.mending, specks.tobytes())
        return self._once(key, lambda: mended_groups(self.model, plan, key, job), len(self.model.solid.triangles))

    def _light(self, uncut: Uncut, triangles: int, job: Job) -> Uncut:
        """A simplified stand-in of the bodies, for dragging."""
        return self._once(("light", triangles, uncut.key), lambda: uncut.lighter(triangles, job))

    def _seam(
        self, plan: Plan, uncut: Uncut, cut: Cut, stage: Stage, exposed: Floats | None, marks: Marked
    ) -> Seam:
        """The seam of a cut, as it is when the cut has been made: what later cuts do to the pieces changes nothing."""
        made = stage.made
        solids = [part.solid for part in made if not cut.two_sided or part.sides[-1].side == 1]
        audience = plan.audience if exposed is not None else None
        key = ("seam", tuple(part.key for part in made), audience, uncut.key, plan.marks)
        share = 1.0 if cut.two_sided else 0.5
        return self._once(key, lambda: seam_of(solids, cut.id, exposed, share, marks))

    def _parts(self, plan: Plan, uncut: Uncut, job: Job) -> tuple[list[Part], list[tuple[Cut, Stage]]]:
        """The model parted by the recipe, and for each cut that is on, what there is after it."""
        parts = [Part((uncut.key, number), group.solid, (), number) for number, group in enumerate(uncut.groups)]
        active = [cut for cut in plan.recipe if cut.on]
        problem = uncut.defects.sentence()
        if active and problem:
            raise OpenSurface(problem, kept=tr("Nothing was cut."), remedy=tr("Close the surface before you cut it."))
        whole = math.fsum(abs(group.solid.volume) for group in uncut.groups)
        key: tuple[Hashable, ...] = ("parts", uncut.key)
        stages = []
        for done, cut in enumerate(active):
            key = (*key, nameless(cut))
            step = job.part(done / len(active), (done + 1) / len(active))
            stage = self._once(
                key, partial(cut_all, parts, cut, key, whole, partial(self._region, uncut), step), uncut.triangles
            )
            parts = stage.parts
            stages.append((cut, stage))
        return parts, stages

    @property
    def _joinery(self) -> Joinery:
        return Joinery(self.kept, self.spread)

    def _parted(self, plan: Plan, job: Job) -> tuple[list[Part], list[tuple[Cut, Stage]]]:
        return self._parts(plan, self._sized(plan, self._base(plan, job.part(0.0, 0.5))), job.part(0.5, 1.0))

    def contacts(self, plan: Plan, job: Job = QUIET) -> list[Contact]:
        """Where the pieces of a plan meet, as its cuts leave them. Raises as ``evaluate``."""
        return self._joinery.contacts(*self._parted(plan, job))

    def room_of(self, plan: Plan, join: Join, job: Job = QUIET) -> tuple[int, ContactRoom] | None:
        """(the number of the contact that a join is on, the room there); None where it is on none. Raises as
        ``evaluate``."""
        return self._joinery.room_of(join, *self._parted(plan, job))

    def dry_fit(self, plan: Plan, printer: Printer, job: Job = QUIET) -> DryFit:
        """How the pieces of a plan go together, with their joins. Raises as ``evaluate``."""
        return self._joinery.dry_fit(plan, *self._parted(plan, job.part(0.0, 0.4)), printer, job.part(0.4, 1.0))

    def lettered(self, plan: Plan, printer: Printer, job: Job = QUIET) -> list[Join]:
        """Numbers and letters for the contacts that have none. Raises as ``evaluate``."""
        return self._joinery.lettered(plan, self.contacts(plan, job.part(0.0, 0.5)), printer, job.part(0.5, 1.0))

    def proposed_joins(
        self, plan: Plan, printer: Printer, job: Job = QUIET, only: int | None = None, stock: Sequence[float] = STOCK
    ) -> list[Join]:
        """Joins for the contacts that have none, by how the pieces of the plan sit. only : the number of the one that
        is meant; stock : mm, of the rods that there are. Raises as ``evaluate``."""
        contacts = self.contacts(plan, job.part(0.0, 0.2))
        pieces = self.evaluate(plan.changed(joins=()), printer, job.part(0.2, 0.6), detail="figures").pieces
        return self._joinery.proposed(plan, contacts, pieces, printer, only, stock, job.part(0.6, 1.0))

    def _region(self, uncut: Uncut, region: Region) -> Bools:
        """(triangles of the uncut,) those that a region takes; uncut : at its size, as cuts are."""

        def take(number: int, solid: Solid) -> Bools:
            return taken(solid, region, partial(self._exposures.of, (uncut.key, number), solid, QUIET))

        def all_groups() -> Bools:
            return np.concatenate([take(number, group.solid) for number, group in enumerate(uncut.groups)])

        return self._once(("region", uncut.key, region), all_groups, uncut.triangles // 250)

    def _stand_ins(
        self, plan: Plan, opened: Uncut, parts: list[Part], own: list[tuple[Solid, Marked]], printer: Printer, job: Job
    ) -> tuple[list[tuple[Solid, Marked]], list[tuple[Cut, Stage]]]:
        """(for each part, the same part of the simplified model, with its marks: seats are looked for there, and a part
        that has none is its own; the cuts of that model)."""
        light = self._light(opened, STAND_IN_TRIANGLES, job.part(0.0, 0.4))
        marks = self._marks(plan, light, job.part(0.4, 0.5))
        others, stages = self._parts(plan, self._sized(plan, light), job.part(0.5, 0.9))
        others = self._joinery.joined(plan, others, stages, printer, job.part(0.9, 1.0)).parts if plan.joins else others
        found = []
        for part, itself in zip(parts, own, strict=True):
            alike = [
                (math.dist(part.anchor, other.anchor), other.solid)
                for other in others
                if other.sides == part.sides and abs(other.solid.volume / part.solid.volume - 1.0) < _ALIKE
            ]
            solid = min(alike, key=lambda one: one[0])[1] if alike else None
            found.append(itself if solid is None else (solid, marks.of(solid.origin)))
        return found, stages

    def _piece(
        self, plan: Plan, printer: Printer, uncut: Uncut, all_marks: Marked, part: Part, tried_on: tuple[Solid, Marked],
        number: int, name: str, wish: PieceSettings | None, parted: bool, detail: Detail, job: Job,
    ) -> Piece:
        job.step(0.0, tr("Seating {name}", name=name))
        quick, usual, (printer, second) = detail == "quick", printer, made_on(wish, printer, plan.second)
        # what is printed apart, and is no part of the model, lies on the bed
        marks = all_marks.of(part.solid.origin)
        lift = lift_of(plan, wish) if part.down is None or wish is not None else 0.0
        if wish is not None and wish.seat is not None:
            tilt, kind = wish.seat, tr("as you seated it")
        elif part.down is not None:
            tilt, kind = Tilt.from_rotation(down_to_rotation(np.array(part.down))), tr("lying, which makes it strong")
        elif not parted:
            tilt, kind = plan.tilt, tr("as the model stands")
        else:
            before = self._sat.get(part.sides) if quick else None
            cells = DRAG_CELLS if quick else SEARCH_CELLS
            found = self._once(
                ("seats", part.key, plan.tilt, plan.threshold, plan.marks, quick, before, printer.room, lift),
                lambda: seats_of(
                    tried_on[0],
                    SeatWishes(plan.tilt.rotation, plan.threshold, printer.room, lift, cells),
                    tried_on[1],
                    thorough=not quick,
                    free=None if before is None else np.array([before]),
                    whole=None if quick else (part.solid, marks),
                    job=job.part(0.0, 0.6),
                    spread=map if quick else self.spread,
                ),
            ).taken(plan.leaning)
            tilt, kind = Tilt.from_rotation(found.rotation), found.kind
            if detail == "whole":
                self._sat[part.sides] = tilt.down
        exact = detail in ("exact", "whole")
        exposed = self._exposures.of_piece(uncut, part, tried_on[0], job.part(0.6, 1.0)) if exact else None
        seated = self._once(
            ("figures", part.key, tilt, plan.threshold, lift, plan.marks, printer, detail),
            lambda: measured(part.solid, tilt, plan.threshold, printer, marks, lift, exposed, detail),
            len(part.solid.triangles) // 4,
        )
        within = self._once(
            ("fit", part.key, tilt, lift, printer),
            lambda: fit(printer.growth * set_down(part.solid.vertices, tilt.rotation, lift), printer),
        )
        alone = len(uncut.groups) == 1 and not parted
        return Piece(
            number + 1, wish.name if wish and wish.name else name, part.solid, part.sides, part.anchor, tilt, kind,
            seated.figures, within, part.crumb, alone, as_opened(plan, uncut) if alone else None, wish,
            seated.past, seated.skin, lift, marks.bits, seated.spots, seated.layers,
            made_on=printer if printer != usual else None, second=second,
        )


def evaluate(model: Model, plan: Plan, printer: Printer, job: Job = QUIET) -> Outcome:
    """Pieces and figures of a plan, from nothing. See ``Evaluator.evaluate``."""
    return Evaluator(model).evaluate(plan, printer, job)
