"""Ways to part a model: whole plans, from one cut on, that no other plan beats in support and visible seam with as
few pieces that sit as flat and fit as well.

The search adds cut after cut, in steps that get more expensive and fewer. Rasters score some 19,000 planes through
every body of the drafts so far, with its sides in fifty poses. The best for each amount of seam are improved in their
neighbourhood and made on the draft mesh, with each body in its best seats. The best of those are measured on the full
mesh, and are the drafts in which a further cut is searched. Seats are chosen freely, and again with all pieces flat,
so that neither is a price of the other.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import chain, pairwise
from typing import TypeAlias

import numpy as np

from ..arrays import Floats
from ..cuts import Cut, PatchCut
from ..evaluate.evaluator import Evaluator
from ..figures.base_area import least_rooms
from ..geometry.orientation import Tilt
from ..locale.translate import tr
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread
from ..results.outcome import Piece
from .block_cuts import blocks_for, off_detail
from .cut_map import CutSubject, cut_subject, half_sphere, likely_normals, looked_along
from .cut_options import BINS, Scored, best_options, dearest, scored
from .draft_cuts import all_made, best_made
from .drafts import Cell, Draft, SearchPieces
from .effort import USUAL, Effort
from .fronts import foremost, spaced, unbeaten, unlike
from .joint_refinement import moved_together
from .limbs import limbs_off, limbs_too
from .loosening import in_vain_of, why_none
from .results import CutWishes, Front, Way
from .symmetric_pairs import in_pairs, planes_of
from .way_figures import drafted_way, measured_way, on_sides

_LITTLE, _SHORT = 0.002, 0.005
"""Shares of the support and of the diagonal: ways that differ by less are as good as each other."""
_WALLS = 0.04
"""Of the diagonal, by which walls of blocks are moved off detail."""
_AT_ONCE = 4
"""Cuts and sets of cuts that are measured between two looks at what there is."""
_MOST_PARTS = 24
"""Pieces that are looked at where there are more: those with the most support."""


_Step: TypeAlias = "Callable[[], list[_Step]]"


@dataclass(eq=False)
class WaySearch:
    """Searches for ways to part a piece of a plan, or all pieces, step by step. ``front`` holds what was found so
    far.

    Attributes
    ----------
    number : int
        The number of the piece, from 0 on; None: all pieces.
    """

    evaluator: Evaluator
    plan: Plan
    printer: Printer
    wishes: CutWishes
    number: int | None = None
    spread: Spread = map
    effort: Effort = USUAL
    subject: CutSubject | None = None
    """The piece that is parted, where it is one and is there already."""
    front: Front = field(init=False, default=Front((), 0.0, False))
    _job: Job = field(init=False, default=QUIET)
    _steps: list[_Step] = field(init=False)
    _pieces: list[Piece] = field(init=False, default_factory=list)
    _ground_of: SearchPieces | None = field(init=False, default=None)
    _tables: list[Scored] = field(init=False, default_factory=list)
    _drafts: list[Draft] = field(init=False, default_factory=list)
    _measured: list[Way] = field(init=False, default_factory=list)
    _refused: list[Way] = field(init=False, default_factory=list)
    _known: set[Plan] = field(init=False, default_factory=set)
    _planes: list[tuple[Floats, float]] | None = field(init=False, default=None)
    _stands: Way = field(init=False)
    """What is parted, as it is now."""

    def __post_init__(self) -> None:
        self._steps = [self._begin]

    def advance(self, job: Job = QUIET) -> Front:
        """Run one step, and return what there is then. A step that was cancelled is run again.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        OpenSurface
            The model is not closed.
        CutFailed, BadPlan
            The plan that the search continues cannot be made.
        """
        self._job = job
        if self._steps:
            self._steps[:1] = self._steps[0]()
        self.front = replace(self.front, done=not self._steps)
        return self.front

    def more_like(self, way: Way) -> None:
        """In the next steps, move and rotate the cuts of a way together."""
        ground = self._ground_of
        same = [draft for draft in self._drafts if draft.cuts == way.cuts]
        if ground is not None and same and way.cuts:
            self._steps = [partial(self._together, ground, same[0], way.plan.leaning == 1.0), *self._steps]
            self.front = replace(self.front, done=False)

    @property
    def parts(self) -> int:
        """How many pieces are parted."""
        return len(self._pieces)

    def to_end(self, job: Job = QUIET) -> Front:
        """Run all remaining steps. Raises as ``advance``."""
        while not self.advance(job).done:
            pass
        return self.front

    def cut_short(self, job: Job = QUIET) -> Front:
        """What there is when no time is left: the whole in its best seats, and the best ways that were drafted,
        measured on the full mesh. Raises as ``advance``.
        """
        self._job = job
        ground = self._ground_of or self._ground()
        if not any(not way.cuts for way in (*self._measured, *self._refused)):
            self._uncut(ground)
        for way in self._finalists(ground, 1, 0.0)[:_AT_ONCE]:
            self._keep(ground, self._way(way.plan, way.cuts, self.evaluator, job))
        self._show(ground, near=False)
        return self.front

    # the steps: each gives those that come in its place

    def _begin(self) -> list[_Step]:
        """The first plans: one cut, along likely normals."""
        ground = self._ground()
        cells = dearest(ground.start, self.effort.cells)
        self._look(ground, [(cell, likely_normals(cell.subject)) for cell in cells])
        blocks, rest = partial(self._blocks, ground), partial(self._everywhere, ground, cells)
        necks = [partial(self._necks, ground, cell) for cell in cells]
        return [blocks, rest, partial(self._uncut, ground), *necks, partial(self._follow, ground, 1)]

    def _everywhere(self, ground: SearchPieces, cells: list[Cell]) -> list[_Step]:
        """One cut along all other normals."""
        self._look(ground, [(cell, half_sphere(self.effort.normals)) for cell in cells])
        return []

    def _look(self, ground: SearchPieces, along: list[tuple[Cell, Floats]]) -> None:
        """Score places for a first cut of bodies along normals, and make the best for each amount of seam."""
        tables = []
        for n, (cell, normals) in enumerate(along):
            job = self._job.part(0.2 + 0.6 * n / len(along), 0.2 + 0.6 * (n + 1) / len(along))
            tables.append(scored(ground, ground.start, cell, looked_along(cell.subject, normals, job, self.spread)))
        best = list(chain(*best_options(ground, tables, 1, flat=False, fitting=False)))
        made = all_made(ground, self.plan, best, self._job, self.spread)
        self._drafts = [*self._drafts, *(draft for draft in made if draft is not None)]
        self._tables = [*self._tables, *tables]
        self._show(ground, near=True)

    def _blocks(self, ground: SearchPieces) -> list[_Step]:
        """Block cuts of a single piece that does not fit the printer: evenly, and with walls off detail."""
        cell = ground.start.cells[0]
        if len(ground.parts) == 1 and not cell.fits(False):
            even = blocks_for(cell.part, self.printer.room, len(self.plan.recipe) + 1)
            moved = off_detail(cell.subject, even, _WALLS * ground.diagonal, self._job, self.spread)
            made = [ground.with_cut(ground.start, cut, None) for cut in (*even, *moved)]
            self._drafts = [*self._drafts, *(draft for draft in made if draft is not None)]
        return []

    def _uncut(self, ground: SearchPieces) -> list[_Step]:
        """What is to be parted, as it sits now; if that is a whole model, also in its best seats."""
        plans = [self.plan]
        if len(self._pieces) == 1 and self._pieces[0].alone:
            seats = ground.start.cells[0].seats
            plans += [
                self.plan.changed(tilt=Tilt.from_rotation(seat.rotation)) for seat in (seats.least, seats.flat) if seat
            ]
        for plan in plans:
            self._keep(ground, self._way(plan, (), self.evaluator, self._job))
        self._show(ground, near=True)
        return []

    def _necks(self, ground: SearchPieces, cell: Cell) -> list[_Step]:
        """The limbs of a body taken off at their necks, as drafts."""
        self._drafts = [*self._drafts, *limbs_off(ground, cell, self.plan, self._job, self.spread)]
        self._show(ground, near=True)
        return []

    def _follow(self, ground: SearchPieces, cuts: int) -> list[_Step]:
        """Make the best places that were scored and better ones around them, which gives drafts of so many cuts;
        then measure the unbeaten ones on the full mesh.
        """
        drafts = best_made(ground, self.plan, self._tables, self.effort, self._job, self.spread)
        self._drafts = [*self._drafts, *drafts]
        self._show(ground, near=True)
        return [
            *self._measuring(ground, self._finalists(ground, self.effort.finalists, self.effort.least_gain)),
            partial(self._again, ground, cuts),
        ]

    def _again(self, ground: SearchPieces, cuts: int) -> list[_Step]:
        """Reconsider drafts that were beaten by one that promised more than it keeps."""
        return [
            *self._measuring(ground, self._finalists(ground, self.effort.again, self.effort.least_gain)),
            partial(self._further, ground, cuts),
        ]

    def _finalists(self, ground: SearchPieces, most: int, least_gain: float) -> list[Way]:
        """The ways that are worth measuring: some of those that lean, as many with all pieces flat, and half as many
        of either with bent cuts. Bent cuts keep less of what they promise, and must not hide flat ones.
        """
        chosen: list[Way] = []
        near = self._near(ground)
        for bent, count in ((False, most), (True, most // 2)):
            alike = [way for way in near if bent == any(isinstance(cut, PatchCut) for cut in way.cuts)]
            front = self._unbeaten([*alike, *self._measured], ground)
            for flat in (False, True):
                mine = [way for way in front if way.all_flat is flat]
                new, known = ([way for way in mine if way.measured is not of] for of in (True, False))
                chosen += foremost(new, known, count, self._stands.support, least_gain)
        return chosen

    def _together(self, ground: SearchPieces, draft: Draft, flat: bool) -> list[_Step]:
        """Make drafts around one, and measure the unbeaten ones on the full mesh."""
        self._drafts = [*self._drafts, *moved_together(ground, draft, flat, self._job, self.spread)]
        self._show(ground, near=True)
        # whoever asks for more like one way wants the small gains too
        ways = self._finalists(ground, self.effort.finalists, 0.0)
        return [*self._measuring(ground, ways), partial(self._rest, ground)]

    def _measuring(self, ground: SearchPieces, ways: list[Way]) -> list[_Step]:
        """The steps that measure some ways, a few each."""
        of_cuts: dict[tuple[Cut, ...], list[Way]] = {}
        for way in ways:
            of_cuts.setdefault(way.cuts, []).append(way)
        groups = list(of_cuts.values())
        return [
            partial(self._measure, ground, groups[n : n + _AT_ONCE], n / len(groups))
            for n in range(0, len(groups), _AT_ONCE)
        ]

    def _rest(self, ground: SearchPieces) -> list[_Step]:
        """The end: only what was measured is shown."""
        self._show(ground, near=False)
        return []

    def _measure(self, ground: SearchPieces, groups: list[list[Way]], share: float) -> list[_Step]:
        """Measure ways on the full mesh. Those of one group have the same cuts."""
        self._job.step(share, tr("Measuring the best ways on the full mesh"))
        aside = replace(self.evaluator, spread=map), self._job.silent
        for ways in self.spread(lambda group: [self._way(way.plan, way.cuts, *aside) for way in group], groups):
            for way in ways:
                self._keep(ground, way)
        self._show(ground, near=True)
        return []

    def _further(self, ground: SearchPieces, cuts: int) -> list[_Step]:
        """Continue with one more cut, if more pieces are allowed."""
        self._show(ground, near=False)
        self._tables = []
        beam = self._beam(ground, cuts)
        if beam:
            looks: list[_Step] = [partial(self._look_in, ground, draft, n / len(beam)) for n, draft in enumerate(beam)]
            paired = partial(self._pairs, ground, beam)
            limbs = partial(self._limbs_too, ground, beam)
            return [*looks, paired, limbs, partial(self._follow, ground, cuts + 1)]
        if not any(way.cuts for way in self.front.ways):
            refused = [*self._near(ground, all_of_them=True), *self._refused]

            def exact(way: Way) -> Way:
                return way if way.measured else self._way(way.plan, way.cuts, self.evaluator, self._job)

            in_vain = [way for way in (*self._measured, *self._near(ground)) if way.cuts]
            if in_vain:
                said = in_vain_of(exact(min(in_vain, key=lambda way: way.support)), self._stands)
            else:
                said = why_none(ground, refused, exact)
            self.front = replace(self.front, short_of=said)
        return []

    def _look_in(self, ground: SearchPieces, draft: Draft, share: float) -> list[_Step]:
        """Score places for a further cut of a draft."""
        tables = []
        for cell in dearest(draft, self.effort.cells):
            self._job.step(share, tr("Searching for a further cut"))
            likely = likely_normals(cell.subject)[: self.effort.later_likely]
            normals = np.concatenate([half_sphere(self.effort.later_normals), likely])
            found = looked_along(cell.subject, normals, QUIET, self.spread)
            tables.append(scored(ground, draft, cell, found))
        self._tables = [*self._tables, *tables]
        return []

    def _pairs(self, ground: SearchPieces, beam: list[Draft]) -> list[_Step]:
        """The best drafts with the mirror images of their last cuts, if the model is symmetric."""
        if self._planes is None:
            self._job.step(0.0, tr("Looking for symmetry"))
            self._planes = planes_of([part.solid for part in ground.parts])
        best = spaced(sorted(beam, key=lambda one: one.hidden(self.wishes)), self.effort.paired)
        made = in_pairs(ground, best, self._planes, self.plan, self._job, self.spread)
        self._drafts = [*self._drafts, *made]
        return []

    def _limbs_too(self, ground: SearchPieces, beam: list[Draft]) -> list[_Step]:
        """The best drafts with one of the best limbs off as well."""
        off = [draft for draft in self._drafts if draft.limb and len(draft.cuts) == 1]
        off = sorted(off, key=lambda one: one.support * one.hidden(self.wishes))
        best = spaced(sorted(beam, key=lambda one: one.hidden(self.wishes)), self.effort.paired // 2)
        limbs = unlike(off, self.wishes, _LITTLE * self._stands.support, _SHORT * ground.diagonal)[: self.effort.hung]
        made = limbs_too(ground, best, limbs, self.plan, self._job, self.spread)
        self._drafts = [*self._drafts, *made]
        return []

    def _ground(self) -> SearchPieces:
        evaluator, plan, job = self.evaluator, self.plan, self._job
        outcome = evaluator.evaluate(plan, self.printer, job.part(0.0, 0.2), detail="figures")
        pieces = list(outcome.pieces)
        if self.number is not None:
            pieces = [pieces[min(self.number, len(pieces) - 1)]]
        pieces = sorted(pieces, key=lambda one: -one.figures.support_volume_mm3)[:_MOST_PARTS]
        if self.subject is not None and len(pieces) == 1:
            subjects = [self.subject]
        else:
            subjects = [cut_subject(evaluator, plan, piece.number - 1, self.printer, job) for piece in pieces]
        counted = on_sides(outcome.pieces, [piece.sides for piece in pieces])
        looked_at = {piece.number for piece in pieces}
        self._pieces = pieces
        self._stands = measured_way(plan, (), outcome, [piece.sides for piece in pieces], self.wishes)
        besides = [piece for piece in counted if piece.number not in looked_at]
        ground = SearchPieces.of(self.wishes, pieces, subjects, besides)
        least = sum(
            least_rooms(
                np.concatenate([part.solid.vertices, part.solid.centroids]), self.printer.room, part.solid.volume
            )
            for part in ground.parts
        )
        self.front = replace(self.front, least_pieces=least)
        self._ground_of = ground
        return ground

    def _beam(self, ground: SearchPieces, cuts: int) -> list[Draft]:
        """The best drafts of each bin with so many cuts, in which a further cut may be made."""
        room = [one for one in self._drafts if len(one.cells) < ground.most_pieces and len(one.cuts) == cuts]
        chosen: dict[int, Draft] = {}
        for low, high in pairwise(np.array(BINS) * ground.diagonal):
            inside = [one for one in room if low <= one.hidden(self.wishes) < high]
            # in lists of their own: neither kind of first cut says what a second one makes of it
            for limb, most in ((False, self.effort.beam), (True, self.effort.limbs)):
                mine = [one for one in inside if one.limb is limb]
                for flat in (False, True):
                    ranked = sorted(mine, key=lambda one: (one.left(flat), one.misfits(flat)))
                    chosen |= {id(one): one for one in ranked[:most] if np.isfinite(one.left(flat))}
            for lacking in (lambda one: (one.rooms(False), one.support), lambda one: one.leaning_cells):
                chosen |= {id(one): one for one in sorted(inside, key=lacking)[:1]}
        little, short = _LITTLE * self._stands.support, _SHORT * ground.diagonal
        found = unlike(list(chosen.values()), self.wishes, little, short)
        # what takes more rooms than there may be pieces comes to nothing, as far as boxes tell
        return sorted(found, key=lambda one: one.rooms(False))[: self.effort.fewest] if self.wishes.must_fit else found

    # what is shown

    def _keep(self, ground: SearchPieces, way: Way) -> None:
        if way.plan not in self._known:
            self._known.add(way.plan)
            (self._measured if ground.as_wished(way) else self._refused).append(way)

    def _way(self, plan: Plan, cuts: tuple[Cut, ...], evaluator: Evaluator, job: Job) -> Way:
        """A plan measured on the full mesh."""
        outcome = evaluator.evaluate(plan, self.printer, job, detail="figures")
        return measured_way(plan, cuts, outcome, [piece.sides for piece in self._pieces], self.wishes)

    def _near(self, ground: SearchPieces, *, all_of_them: bool = False) -> list[Way]:
        """Drafts as ways whose figures come from the draft mesh, free and, where possible, with all pieces flat.

        Parameters
        ----------
        all_of_them : bool
            Whether to include those that violate a condition.
        """
        ways = [drafted_way(self.plan, draft, flat, ground) for draft in self._drafts for flat in (False, True)]
        new = [way for way in ways if way is not None and way.plan not in self._known]
        return [way for way in new if all_of_them or ground.as_wished(way)]

    def _show(self, ground: SearchPieces, *, near: bool) -> None:
        ways = [*self._measured, *(self._near(ground) if near else ())]
        self.front = replace(self.front, ways=tuple(self._unbeaten(ways, ground)), whole=self._stands.support)

    def _unbeaten(self, ways: list[Way], ground: SearchPieces) -> list[Way]:
        little = _LITTLE * self._stands.support
        good = [way for way in ways if not way.cuts or not way.no_better(self._stands, little)]
        return unbeaten(good, little, _SHORT * ground.diagonal)
