"""The pipeline: from a model and a plan to pieces, figures and notes.

Each stage is cached by the content that it depends on:

1. mend the bodies, size them, and find the marks on them (``parting_stages``);

2. cut them into parts (``parting_stages``);

3. add joins, hollows and the coupon (``finishing``);

4. do the same on a draft mesh, on which seats are searched and lengthy checks are made (``_drafts``);

5. seat each piece and measure it (``seating``), add its posts, and find what support leaves on it;

6. find the seams, the notes, the room around guests and the totals.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TYPE_CHECKING

import numpy as np

from ..arrays import Floats
from ..cache import Cache
from ..cuts import Cut, Side
from ..figures.marked_facets import Marked, facets_at, unmarked
from ..figures.support_scars import scarred
from ..geometry.simplify import thinned
from ..joining.joined import Joined
from ..joins import STOCK, Join
from ..joins.reports import DryFit, HollowReport, PostsReport
from ..mesh.solid import Solid, side_by_side
from ..parting.apply_cuts import Stage, proven
from ..parting.bodies import DRAFT_TRIANGLES, DRAG_TRIANGLES, Part, Uncut, spans
from ..plan.model import MendReport, Model
from ..plan.piece_settings import PieceSettings
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread
from ..results.notes import Note
from ..results.outcome import CutReport, Outcome, Piece, Room, Scar, Seam, Totals
from .exposure_cache import Exposures
from .finishing import Finishing
from .parting_stages import Cutting, PartingStages
from .piece import SUBJECT_TRIANGLES, Detail, SearchSubject, lift_of, matched
from .remarks import about_cuts, about_hollows, about_joins, about_model, piece_names, remarks
from .seating import Seating, ToSeat, Whole

if TYPE_CHECKING:
    from ..joining.contacts import Contact
    from ..joining.plan_joints import Joinery
    from ..joining.room import ContactRoom

_NO_GUESTS: Mapping[str, Solid] = MappingProxyType({})

_ALIKE = 0.1
"""Share by which the volume of a part and of its draft may differ: drafts of thin parts lose some of theirs."""


@dataclass(frozen=True, eq=False)
class _Draft:
    """The draft mesh of each part, with its marks. A part without one stands for itself.

    Attributes
    ----------
    proofs : list[tuple[Cut, Stage]]
        What there is after each cut of the draft mesh; empty if nothing was cut.
    """

    of_part: list[tuple[Solid, Marked]]
    proofs: list[tuple[Cut, Stage]]


@dataclass(frozen=True, eq=False)
class _Finished:
    """A plan carried out: its pieces finished, seated and measured.

    Attributes
    ----------
    marks : Marked
        The marks on all triangles of the bodies.
    draft : _Draft
        The draft meshes of the parts.
    exposed : (triangles of the bodies,) float64
        Exposure to the audience; None while something is dragged.
    wishes : dict[int, PieceSettings]
        The settings of the pieces, by piece number from 0 on.
    posts : dict[str, PostsReport]
        The report on the posts, by the id of their set.
    """

    cutting: Cutting
    marks: Marked
    joined: Joined
    hollows: dict[str, HollowReport]
    draft: _Draft
    exposed: Floats | None
    wishes: dict[int, PieceSettings]
    pieces: list[Piece]
    posts: dict[str, PostsReport]
    scar: Scar


@dataclass(eq=False)
class Evaluator:
    """Evaluates plans for one model, and caches what it has computed.

    Attributes
    ----------
    spread : Spread
        See ``progress.Spread``. Work on several threads uses copies of the evaluator that do not spread further
        and share its cache.
    """

    model: Model
    spread: Spread = map
    _seated: dict[tuple[Side, ...], tuple[float, float, float]] = field(default_factory=dict)
    kept: Cache = field(default_factory=Cache)

    def __post_init__(self) -> None:
        self.kept.suit(len(self.model.solid.triangles))

    @property
    def _stages(self) -> PartingStages:
        return PartingStages(self.model, self.kept, self.spread)

    @property
    def _exposures(self) -> Exposures:
        return Exposures(self.kept, self.spread)

    @property
    def _joinery(self) -> Joinery:
        from ..joining.plan_joints import Joinery  # quite some modules, which figures of a whole model do not need

        return Joinery(self.kept, self.spread)

    def ready(self, plan: Plan, job: Job = QUIET) -> int:
        """Make the draft meshes ahead of use. Returns the number of triangles of the one that is used while a handle
        is dragged.
        """
        stages = self._stages
        uncut = stages.bodies(plan, job.part(0.0, 0.4))
        stages.light(uncut, DRAFT_TRIANGLES, job.part(0.4, 0.7))
        return stages.light(uncut, DRAG_TRIANGLES, job.part(0.7, 1.0)).triangles

    def mended(self, plan: Plan, job: Job = QUIET) -> tuple[Solid, MendReport]:
        """The bodies of a plan, mended and at their size in mm, and the report of the mending. Raises as
        ``evaluate``.
        """
        uncut = self._stages.bodies(plan, job)
        whole = side_by_side([group.solid for group in uncut.groups])
        return whole.resized(plan.factors), uncut.report.resized(plan.factors)

    def evaluate(
        self, plan: Plan, printer: Printer, job: Job = QUIET, *, detail: Detail = "whole",
        guests: Mapping[str, Solid] = _NO_GUESTS,
    ) -> Outcome:
        """Compute the pieces and figures of a plan.

        Parameters
        ----------
        plan : Plan
            The plan.
        printer : Printer
            The printer that it is judged by.
        job : Job
            Reports the progress and can cancel the work.
        detail : Detail
            "quick", for dragging: few seats are tried, the grid is coarse, and there is no exposure and no
            support skin. "figures", for comparing: all figures but support inside, and nothing to draw. "exact":
            all figures, and nothing to draw. "whole": everything.
        guests : Mapping[str, Solid]
            The surfaces of guests that are models, in their own units, by content hash.

        Raises
        ------
        OpenSurface
            The plan cuts a model that is not closed, or rewraps one that encloses nothing.
        CutFailed
            The boolean library could not make a cut.
        BadPlan
            The plan cannot be carried out on this model.
        Cancelled
            The job is no longer wanted.
        """
        done = self._carried_out(plan, printer, detail, job)
        uncut, joined = done.cutting.uncut, done.joined
        reports = self._cut_reports(done, printer, detail)
        seams = self._stages.seams(plan, done.cutting, done.exposed, done.marks)
        bare: Sequence[Piece] = ()
        if plan.joins and detail != "quick":
            # for its base area, which no post changes, so none is routed for it
            bare = self._carried_out(plan.changed(joins=(), posts=()), printer, "figures", job.silent).pieces
        totals = Totals.of(
            done.pieces, seams.values(), printer, len(joined.contacts), joined.reports.values(), bare, done.scar
        )
        closed = uncut.defects.closed
        return Outcome(
            plan, tuple(done.pieces), seams, totals,
            notes=tuple(self._notes(plan, printer, done, reports, seams, detail)),
            defects=uncut.defects,
            volume_before_mm3=math.fsum(group.solid.volume for group in uncut.groups) if closed else None,
            report=uncut.report.resized(plan.factors),
            guests=self._rooms(plan, uncut, guests, job) if detail == "whole" else {},
            cuts=reports,
            approximate=detail == "quick",
            spans=self.kept.once(
                ("spans", uncut.key, tuple(plan.factors), plan.tilt), lambda: spans(uncut, plan.tilt.rotation)
            ),
            contacts=tuple(contact.found for contact in joined.contacts),
            joins=joined.reports,
            hollows=done.hollows,
            posts=done.posts,
        )

    def _carried_out(self, plan: Plan, printer: Printer, detail: Detail, job: Job) -> _Finished:
        """Stages 1 to 5: the pieces of a plan, finished and seated, with their posts and scars."""
        quick, stages = detail == "quick", self._stages
        opened = uncut = stages.bodies(plan, job.part(0.0, 0.3))
        if quick:
            uncut = stages.light(uncut, DRAG_TRIANGLES, job)
        marks = stages.marks(plan, uncut, job.part(0.3, 0.3))
        cutting = stages.cut(plan, stages.sized(plan, uncut), job.part(0.3, 0.37))
        joined, hollows = self._finish(plan, cutting, printer, detail, job.part(0.37, 0.38))
        draft = _Draft([(part.solid, marks.of(part.solid.origin)) for part in joined.parts], [])
        if cutting.stages and not quick:
            draft = self._drafts(plan, opened, joined.parts, draft, printer, job.part(0.38, 0.4))
        exposed = None if quick else self._exposures.of_source(cutting.uncut, plan.audience, job.part(0.4, 0.5))
        wishes = matched(plan.pieces, joined.parts)
        whole = Whole(plan, printer, cutting.uncut, marks, bool(cutting.parting), detail)
        pieces = self._seat_all(whole, cutting, joined, draft, wishes, job.part(0.5, 1.0))
        posts: dict[str, PostsReport] = {}
        if plan.posts and not quick:
            from ..supports.piece_posts import with_posts

            pieces, posts = with_posts(plan.posts, pieces, printer, self.kept)
        pieces, scar = scarred(pieces, posts, exposed)
        return _Finished(cutting, marks, joined, hollows, draft, exposed, wishes, pieces, posts, scar)

    def _finish(
        self, plan: Plan, cutting: Cutting, printer: Printer, detail: Detail, job: Job
    ) -> tuple[Joined, dict[str, HollowReport]]:
        """Stage 3: add joins, hollows and the coupon. If a plan has none of these, only "whole" computes its
        contacts, if it has cuts.
        """
        if not ((detail == "whole" and cutting.stages) or plan.joins or plan.hollows or plan.coupon):
            return Joined(cutting.parts, []), {}
        finishing = Finishing(self.kept, self.spread)
        done = finishing.finish(plan, cutting.parts, cutting.stages, printer, job, hollow=detail != "quick")
        return done.joined, done.hollows

    def _drafts(
        self, plan: Plan, opened: Uncut, parts: list[Part], own: _Draft, printer: Printer, job: Job
    ) -> _Draft:
        """Stage 4: find for each part the same part of the draft mesh, on which seats are searched.

        Parameters
        ----------
        opened : Uncut
            The bodies in units of the file.
        own : _Draft
            Each part with its marks, to be used for a part without a draft.
        """
        stages = self._stages
        light = stages.light(opened, DRAFT_TRIANGLES, job.part(0.0, 0.4))
        marks = stages.marks(plan, light, job.part(0.4, 0.5))
        cutting = stages.cut(plan, stages.sized(plan, light), job.part(0.5, 0.9))
        others = cutting.parts
        if plan.joins:
            others = self._joinery.joined(plan, others, cutting.stages, printer, job.part(0.9, 1.0)).parts
        found = []
        for part, itself in zip(parts, own.of_part, strict=True):
            alike = [
                (math.dist(part.anchor, other.anchor), other.solid)
                for other in others
                if other.sides == part.sides and abs(other.solid.volume / part.solid.volume - 1.0) < _ALIKE
            ]
            solid = min(alike, key=lambda one: one[0])[1] if alike else None
            found.append(itself if solid is None else (solid, marks.of(solid.origin)))
        return _Draft(found, cutting.stages)

    def _seat_all(
        self, whole: Whole, cutting: Cutting, joined: Joined, draft: _Draft, wishes: dict[int, PieceSettings], job: Job
    ) -> list[Piece]:
        """Stage 5: seat each piece and measure it."""
        seating = Seating(self.kept, self.spread, self._seated)
        names = piece_names(whole.plan, cutting.parting, cutting.uncut, joined.parts, joined.names)
        pieces = []
        for number, (part, name) in enumerate(zip(joined.parts, names, strict=True)):
            step = job.part(number / len(names), (number + 1) / len(names))
            solid, marks = draft.of_part[number]
            extra = joined.kinds.get(number, "")
            pieces.append(
                seating.piece(whole, ToSeat(number, name, part, solid, marks, wishes.get(number), extra), step)
            )
        return pieces

    def _cut_reports(self, done: _Finished, printer: Printer, detail: Detail) -> dict[str, CutReport]:
        """What each cut did, by its id. With "whole" this includes where it leaves too little material, which is
        found on the draft mesh.
        """
        reports = {cut.id: stage.report for cut, stage in done.cutting.stages}
        if detail != "whole":
            return reports
        limit = printer.thinnest_wall
        proofs = {cut.id: proven(self.kept, cut, reports[cut.id], stage, limit) for cut, stage in done.draft.proofs}
        return reports | proofs

    def _notes(
        self, plan: Plan, printer: Printer, done: _Finished, reports: dict[str, CutReport], seams: dict[str, Seam],
        detail: Detail,
    ) -> list[Note]:
        """The notes on a plan: first those about the model."""
        notes = about_cuts(plan, reports, seams)
        if detail != "whole":
            return notes
        uncut = done.cutting.uncut
        return [
            *about_model(self.model, plan, uncut, uncut.report.resized(plan.factors)), *notes,
            *about_joins(plan, done.joined.reports), *about_hollows(done.hollows),
            *remarks(done.pieces, done.wishes, plan, printer, done.hollows),
        ]

    def _rooms(self, plan: Plan, uncut: Uncut, guests: Mapping[str, Solid], job: Job) -> dict[str, Room]:
        """The room around each guest that is shown, by its id."""
        if not plan.guests:
            return {}
        from ..wearer.guest_rooms import rooms_around  # slow to load, and few props have a guest

        return rooms_around(plan, [group.solid for group in uncut.groups], uncut.key, guests, self.kept, job)

    def subject(
        self, plan: Plan, number: int, job: Job = QUIET, triangles: int = SUBJECT_TRIANGLES,
        printer: Printer | None = None,
    ) -> SearchSubject:
        """A piece prepared for a search for its seat, or for cuts through it. Raises as ``evaluate``.

        Parameters
        ----------
        number : int
            The number of the piece, from 0 on.
        triangles : int
            About how many triangles its draft mesh has.
        printer : Printer | None
            With its joins, made for this printer; None: without joins.
        """
        raw, part, wish = self.part_of(plan, number, job.part(0.0, 0.6), printer)
        light = self.kept.once(
            ("subject", part.key, triangles), lambda: thinned(part.solid, triangles, job.part(0.6, 0.8)), triangles
        )
        full = self._stages.marks(plan, raw, job.part(0.8, 0.9)).of(part.solid.origin)
        few = unmarked(len(light.triangles))
        if full.anything:
            few = full if light is part.solid else full.picked(facets_at(part.solid, light.centroids))
        now = wish.seat if wish and wish.seat else plan.tilt
        return SearchSubject(part.solid, light, full, few, plan.threshold, lift_of(plan, wish), plan.tilt.rotation, now)

    def piece_on(self, plan: Plan, sides: tuple[Side, ...], job: Job = QUIET) -> int:
        """The number, from 0 on, of the largest piece on some sides of the cuts; 0 if there is none. Raises as
        ``evaluate``.
        """
        parts = self._stages.parted(plan, job).parts
        on = [number for number, part in enumerate(parts) if set(sides) <= set(part.sides)]
        return max(on, key=lambda number: parts[number].solid.volume, default=0)

    def exposed_light(self, plan: Plan, subject: SearchSubject, job: Job = QUIET) -> Floats:
        """The exposure of a piece's draft mesh to the audience, as part of the uncut model; 0 for its cut faces.
        Raises as ``evaluate``.

        Returns
        -------
        (m,) float64
        """
        uncut = self._stages.sized(plan, self._stages.bodies(plan, job.part(0.0, 0.2)))
        by_source = self._exposures.of_source(uncut, plan.audience, job.part(0.2, 0.8))
        origin = subject.solid.origin
        seen = np.where(origin >= 0, by_source[np.maximum(origin, 0)], 0.0)
        return seen if subject.light is subject.solid else seen[facets_at(subject.solid, subject.light.centroids)]

    def exposed_piece(self, plan: Plan, number: int, job: Job = QUIET, printer: Printer | None = None) -> Floats:
        """The exposure of a piece on its own, seen from everywhere. Raises as ``evaluate``.

        Parameters
        ----------
        number : int
            The number of the piece, from 0 on.
        printer : Printer | None
            As for ``subject``.

        Returns
        -------
        (m,) float64
        """
        _, part, _ = self.part_of(plan, number, job, printer)
        return self._exposures.of(part.key, part.solid, job)

    def part_of(
        self, plan: Plan, number: int, job: Job = QUIET, printer: Printer | None = None
    ) -> tuple[Uncut, Part, PieceSettings | None]:
        """The bodies in units of the file, one piece of them, and the settings of that piece. Raises as
        ``evaluate``.

        Parameters
        ----------
        number : int
            The number of the piece, from 0 on.
        printer : Printer | None
            As for ``subject``.
        """
        stages = self._stages
        raw = stages.bodies(plan, job.part(0.0, 0.8))
        cutting = stages.cut(plan, stages.sized(plan, raw), job.part(0.8, 0.9))
        parts = cutting.parts
        if printer is not None:
            parts = Finishing(self.kept, self.spread).finish(plan, parts, cutting.stages, printer, job).joined.parts
        number = min(number, len(parts) - 1)
        return raw, parts[number], matched(plan.pieces, parts).get(number)

    def contacts(self, plan: Plan, job: Job = QUIET) -> list[Contact]:
        """The contacts where the pieces of a plan meet, before any joins. Raises as ``evaluate``."""
        cutting = self._stages.parted(plan, job)
        return self._joinery.contacts(cutting.parts, cutting.stages)

    def room_of(self, plan: Plan, join: Join, job: Job = QUIET) -> tuple[int, ContactRoom] | None:
        """The number of the contact that a join is on, and the room there; None if it is on none. Raises as
        ``evaluate``.
        """
        cutting = self._stages.parted(plan, job)
        return self._joinery.room_of(join, cutting.parts, cutting.stages)

    def dry_fit(self, plan: Plan, printer: Printer, job: Job = QUIET) -> DryFit:
        """How the pieces of a plan go together, with their joins. Raises as ``evaluate``."""
        cutting = self._stages.parted(plan, job.part(0.0, 0.4))
        return self._joinery.dry_fit(plan, cutting.parts, cutting.stages, printer, job.part(0.4, 1.0))

    def lettered(self, plan: Plan, printer: Printer, job: Job = QUIET) -> list[Join]:
        """Numbers and letters for the contacts that have none. Raises as ``evaluate``."""
        return self._joinery.lettered(plan, self.contacts(plan, job.part(0.0, 0.5)), printer, job.part(0.5, 1.0))

    def proposed_joins(
        self, plan: Plan, printer: Printer, job: Job = QUIET, only: int | None = None, stock: Sequence[float] = STOCK
    ) -> list[Join]:
        """Joins for the contacts that have none, suited to the seats of the pieces. Raises as ``evaluate``.

        Parameters
        ----------
        only : int
            The number of the one contact to propose for; None: all.
        stock : sequence of float, mm
            The diameters of the rods at hand.
        """
        contacts = self.contacts(plan, job.part(0.0, 0.2))
        pieces = self._carried_out(plan.changed(joins=()), printer, "figures", job.part(0.2, 0.6)).pieces
        return self._joinery.proposed(plan, contacts, pieces, printer, only, stock, job.part(0.6, 1.0))


def evaluate(model: Model, plan: Plan, printer: Printer, job: Job = QUIET) -> Outcome:
    """Compute the pieces and figures of a plan with an empty cache; see ``Evaluator.evaluate``."""
    return Evaluator(model).evaluate(plan, printer, job)
