"""What Cut asks: the cut map, sweeps, cuts worth making, settling, symmetry, equal pieces."""

from __future__ import annotations

import numpy as np

from ...core.cuts import Side
from ...core.documents import Triple
from ...core.handoff.beds import lay_out
from ...core.judge.alike import same_shapes, symmetry_planes
from ...core.plan import Plan
from ...core.printer import Printer
from ...core.progress import Job
from ...core.search.found import CutMap, Proposal, Sweep, Turned
from ...core.search.places import CutSubject, cut_map, half_sphere, likely_normals, swept, turned
from ...core.search.proposals import proposals
from ...core.search.settling import settled
from ..pictures import picture_of
from ..replies import CutShown, Evaluated, Settled
from ..requests import FindAlike, FindSymmetry, LookForCuts, ProposeCuts, SettleCut, SweepCut, TurnCut
from ..scene.scene import scene_of
from ..scene.showing import Showing
from .shop import Shop, judged

_CUT_ROUNDS = (60, 250)
"""Normals of each round of the cut map."""


class Cuts:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._to_cut: tuple[object, CutSubject] | None = None

    def _cut_subject(self, plan: Plan, printer: Printer, sides: tuple[Side, ...], job: Job) -> tuple[int, CutSubject]:
        """The piece of a plan on some sides of its cuts (the first one, where none is), as something to be parted."""
        workshop = self._shop.workshop(plan)
        number = workshop.piece_on(plan, sides, job.part(0.0, 0.3))
        subject = workshop.subject(plan, number, job.part(0.3, 0.7))
        key = (judged(subject, printer), plan.audience, subject.stood.tobytes(), subject.now)
        if self._to_cut is None or self._to_cut[0] != key:
            exposed = workshop.exposed_light(plan, subject, job.part(0.7, 1.0))
            self._to_cut = (key, CutSubject(subject, exposed, printer))
        return number, self._to_cut[1]  # its poses are rastered once

    def cut_round(self, asked: LookForCuts, job: Job) -> CutMap:
        """Figures of planes through a piece, more in the second round. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.2))
        normals = half_sphere(_CUT_ROUNDS[asked.round_number])
        if asked.round_number == 0:
            normals = np.concatenate([likely_normals(subject), normals])
        return cut_map(subject, normals, job.part(0.2, 1.0), self._shop.spread)

    def sweep(self, asked: SweepCut, job: Job) -> Sweep:
        """The figures of a cut at all places along its normal. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return swept(subject, np.array(asked.normal), job.part(0.3, 1.0), self._shop.spread)

    def turned(self, asked: TurnCut, job: Job) -> Turned:
        """The figures of a cut turned both ways. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return turned(subject, np.array(asked.normal), asked.offset, job.part(0.3, 1.0), self._shop.spread)

    def proposals(self, asked: ProposeCuts, job: Job) -> tuple[CutShown, ...]:
        """Cuts worth making through a piece, least support left first. Raises Cancelled, OpenSurface, CutFailed."""
        number, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.1))
        found = proposals(
            self._shop.workshop(asked.plan),
            asked.plan,
            number,
            subject,
            asked.wishes,
            asked.known,
            job.part(0.1, 0.95),
            self._shop.spread,
        )
        return tuple(_cut_shown(one, asked.printer) for one in found)

    def settle(self, asked: SettleCut, job: Job) -> Settled:
        """The place near a cut's own where its seam is least seen. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return Settled(*settled(subject, asked.cut, asked.limits, job.part(0.3, 1.0), self._shop.spread))

    def symmetry(self, asked: FindSymmetry, job: Job) -> tuple[tuple[Triple, float], ...]:
        """(unit normal, offset in mm) of the planes that the model is symmetric at, best first. Raises Cancelled."""
        found = symmetry_planes(self._shop.few(asked.plan, job.part(0.0, 0.8)))
        return tuple(((float(n[0]), float(n[1]), float(n[2])), offset) for n, offset in found)

    def alike(self, asked: FindAlike, job: Job) -> tuple[tuple[int, bool], ...]:
        """For each piece, the number of the first of the same shape, and whether it is its mirror image."""
        return tuple(same_shapes([piece.solid for piece in self._shop.pieces(asked.plan, asked.printer, job)]))


def _cut_shown(one: Proposal, printer: Printer) -> CutShown:
    pieces = one.pieces
    evaluated = Evaluated(one.outcome, printer, tuple(lay_out(pieces, printer)), None)
    picture = picture_of(scene_of(Showing(printer, evaluated)))
    names = tuple(f"{piece.name}: {piece.seat_kind}" for piece in pieces)
    return CutShown(
        one.cut, one.plan, one.left, one.support, sum(piece.figures.overhang_area_mm2 for piece in pieces), one.sight,
        one.show, one.outcome.seams[one.cut.id].cut_area, one.fits, one.flat, names, picture,
    )  # fmt: skip
