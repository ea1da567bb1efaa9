"""Answers what Cut asks for: the cut map, sweeps, ways to part, settling, symmetry, equal pieces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...core.arrays import Bytes
from ...core.cuts import Side
from ...core.document.base import Triple
from ...core.errors import BadPlan, CutFailed
from ...core.exporting.beds import lay_out
from ...core.exporting.layout import Laid
from ...core.figures.congruence import same_shapes, symmetry_planes
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ...core.progress import Job
from ...core.results.outcome import Outcome
from ...core.search.cut_map import (
    CUT_TRIANGLES,
    NORMALS,
    CutSubject,
    as_map,
    half_sphere,
    likely_normals,
    looked_along,
    swept,
    turned,
)
from ...core.search.joint_refinement import ground_of, settled_together
from ...core.search.results import CutMap, Sweep, Turned, Way
from ...core.search.seam_settling import settled
from ...core.search.ways import WaySearch
from ..messages.replies import Evaluated, Settled, WaysFound, WayShown
from ..messages.requests import (
    FindAlike,
    FindSymmetry,
    LookForCuts,
    LookForWays,
    MoreLikeWay,
    SettleCut,
    SettlePlan,
    SweepCut,
    TurnCut,
)
from ..pictures import picture_of
from ..scene.scene import scene_of
from ..scene.subject import SceneSubject
from .shop import Shop, judged

_MOST_SEGMENTS = 3000
"""Of the seams of a way that are drawn."""
_DRAWN_AT_ONCE = 12
"""Pictures of ways that are drawn from the draft mesh after a step of the search: each takes about 50 ms, a step some
seconds.
"""


class CutAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._to_cut: tuple[object, CutSubject] | None = None
        self._ways: tuple[LookForWays, WaySearch] | None = None
        self._shown: dict[Plan, WayShown] = {}
        self._drawn: dict[Plan, Bytes | None] = {}

    def _cut_subject(self, plan: Plan, printer: Printer, sides: tuple[Side, ...], job: Job) -> tuple[int, CutSubject]:
        """The piece of a plan on some sides of its cuts (the first piece, if none is on them), prepared for being
        parted.
        """
        evaluator = self._shop.evaluator(plan)
        number = evaluator.piece_on(plan, sides, job.part(0.0, 0.3))
        subject = evaluator.subject(plan, number, job.part(0.3, 0.7), CUT_TRIANGLES)
        key = (judged(subject, printer), plan.audience, plan.leaning, subject.stood.tobytes(), subject.now)
        if self._to_cut is None or self._to_cut[0] != key:
            exposed = evaluator.exposed_light(plan, subject, job.part(0.7, 1.0))
            self._to_cut = (key, CutSubject(subject, exposed, printer, plan.leaning))
        return number, self._to_cut[1]  # its poses are rastered once

    def cut_map(self, asked: LookForCuts, job: Job) -> CutMap:
        """Figures of planes through a piece. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.2))
        # those along which ways are looked for: what was scored there is known
        normals = np.concatenate([half_sphere(NORMALS), likely_normals(subject)])
        return as_map(looked_along(subject, normals, job.part(0.2, 1.0), self._shop.spread))

    def sweep(self, asked: SweepCut, job: Job) -> Sweep:
        """The figures of a cut at all places along its normal. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return swept(subject, np.array(asked.normal), job.part(0.3, 1.0))

    def turned(self, asked: TurnCut, job: Job) -> Turned:
        """The figures of a cut turned both ways. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return turned(subject, np.array(asked.normal), asked.offset, job.part(0.3, 1.0), self._shop.spread)

    def ways(self, asked: LookForWays, job: Job) -> WaysFound:
        """The ways to part a piece, or all, after one step more. Raises Cancelled, OpenSurface, CutFailed."""
        if self._ways is None or self._ways[0] != asked:
            number, subject = self._cut_subject(asked.plan, asked.printer, asked.sides or (), job.part(0.0, 0.1))
            search = WaySearch(
                self._shop.evaluator(asked.plan), asked.plan, asked.printer, asked.wishes,
                None if asked.sides is None else number, self._shop.spread, subject=subject,
            )
            self._ways, self._shown, self._drawn = (asked, search), {}, {}
        self._ways[1].advance(job)
        return self._ways_found(self._ways[1], asked.printer)

    def more_like(self, asked: MoreLikeWay, job: Job) -> WaysFound:
        """The ways found so far, with further steps that search around one of them. Raises Cancelled."""
        job.step(0.0, tr("Measuring what is around it"))
        if self._ways is None or self._ways[0] != asked.asked:
            return self.ways(asked.asked, job)
        search = self._ways[1]
        for way in search.front.ways:
            if way.plan == asked.way:
                search.more_like(way)
        return self._ways_found(search, asked.asked.printer)

    def _ways_found(self, search: WaySearch, printer: Printer) -> WaysFound:
        front = search.front
        near = [way.plan for way in front.ways if not way.measured and way.plan not in self._drawn]
        for plan in near[:_DRAWN_AT_ONCE]:
            self._drawn[plan] = self._draft_picture(plan, printer)
        shown = tuple(self._shown_of(way, front.whole, search.parts, printer) for way in front.ways)
        return WaysFound(shown, front.whole, front.done, front.short_of, front.least_pieces)

    def _shown_of(self, way: Way, whole: float, parts: int, printer: Printer) -> WayShown:
        """A way for the window. Its picture is drawn twice: from the draft mesh, and when it is measured."""
        if way.measured and way.plan in self._shown:
            return self._shown[way.plan]
        segments = np.concatenate([np.empty((0, 2, 3)), *(seam.segments for seam in way.seams)])
        shown = WayShown(
            way.plan, len(way.cuts), way.pieces, way.flat, way.fitting, way.support,
            way.support / whole if whole > 0 else 0.0, way.sight, way.show, way.pieces - parts,
            segments[:: max(1, len(segments) // _MOST_SEGMENTS)], alike=way.alike, picture=self._drawn.get(way.plan),
        )
        if not way.measured:
            return shown
        # it was measured a moment ago, and is still there
        outcome = self._shop.evaluator(way.plan).evaluate(way.plan, printer, detail="figures")
        pieces = outcome.pieces
        laid = tuple(lay_out(pieces, printer))
        shown = replace(
            shown, names=tuple(f"{piece.name}: {piece.seat_kind}" for piece in pieces),
            beds=1 + max(place.bed for place in laid), seconds=outcome.totals.print_seconds,
            picture=_picture(outcome, printer, laid),
        )
        self._shown[way.plan] = shown
        return shown

    def _draft_picture(self, plan: Plan, printer: Printer) -> Bytes | None:
        """A picture of a plan cut from the draft mesh; None if it cannot be cut there."""
        try:
            outcome = self._shop.evaluator(plan).evaluate(plan, printer, detail="quick")
        except (CutFailed, BadPlan):
            return None
        return _picture(outcome, printer, tuple(lay_out(outcome.pieces, printer)))

    def settle(self, asked: SettleCut, job: Job) -> Settled:
        """The place near a cut's own where its seam is least seen. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        cut, before, after = settled(subject, asked.cut, asked.limits, job.part(0.3, 1.0), self._shop.spread)
        return Settled((cut,), before, after)

    def settle_all(self, asked: SettlePlan, job: Job) -> Settled:
        """Where the seams of all cuts are seen least together. Raises Cancelled, OpenSurface, CutFailed."""
        plan, shop = asked.plan, self._shop
        ground = ground_of(shop.evaluator(plan), plan.changed(recipe=()), asked.printer, job.part(0.0, 0.2))
        cuts = [cut for cut in plan.recipe if cut.on]
        return Settled(
            *settled_together(ground, cuts, asked.limits, plan.leaning, job.part(0.2, 1.0), shop.spread)
        )

    def symmetry(self, asked: FindSymmetry, job: Job) -> tuple[tuple[Triple, float], ...]:
        """The unit normals and offsets (mm) of the planes of symmetry of the model, best first. Raises Cancelled."""
        found = symmetry_planes(self._shop.few(asked.plan, job.part(0.0, 0.8)))
        return tuple(((float(n[0]), float(n[1]), float(n[2])), offset) for n, offset in found)

    def alike(self, asked: FindAlike, job: Job) -> tuple[tuple[int, bool], ...]:
        """For each piece the first piece of the same shape, and whether it is a mirror image of that."""
        return tuple(same_shapes([piece.solid for piece in self._shop.pieces(asked.plan, asked.printer, job)]))


def _picture(outcome: Outcome, printer: Printer, laid: tuple[Laid, ...]) -> Bytes:
    return picture_of(scene_of(SceneSubject(printer, Evaluated(outcome, printer, laid, None))))
