"""Drafts: ways to part that are made on the draft mesh, each body in its seats."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..arrays import Bools, Floats, Ints
from ..cuts import Cut
from ..document.marks import Region
from ..errors import CutFailed
from ..evaluate.piece import SearchSubject
from ..figures.base_area import rooms_of_boxes
from ..figures.batch_figures import sketches
from ..figures.default_seats import SeatChoice, hull_corners, hull_of, seats_of
from ..figures.exposure import spread_directions
from ..figures.marked_facets import Marked, facets_taken, joined_marks
from ..figures.piece_figures import REPORT_CELLS
from ..figures.plane_scoring import flat_by_base, in_poses
from ..figures.seams import seam_of
from ..geometry.orientation import Tilt
from ..geometry.place_on_bed import down_to_rotation
from ..mesh.components import shells_of
from ..mesh.solid import Solid
from ..parting.apply_cuts import Stage, cut_all, nameless
from ..parting.bodies import Part
from ..plan.plan import Plan
from ..results.outcome import NOT_BARRED, Piece, Seam
from .cut_map import CutSubject
from .results import CutWishes, Way

_BOX_DOWNS, _BOX_YAW = 80, 15
"""Ways that boxes around a body are turned: directions down, of which half are looked at, and degrees between yaws."""
_ALIKE = 0.01
"""Share by which the volume and the surface of two bodies may differ that are alike."""
_WAVE = np.array([0.31, 0.17, 0.23])
"""1/mm, of no meaning: a wave whose sum over the corners of a body tells its shape from others of the same size."""
LEAST_OF_ALL = 0.0025
"""Of the volume of everything: a smaller body is a crumb, and no piece."""
_LIKELY_POSES = 4
"""Poses of a raster in which a side needs least, that its body is really seated in."""


@dataclass(frozen=True, eq=False)
class Cell:
    """A body of a draft, as something to be parted further.

    Attributes
    ----------
    part : Part
        It.
    seats : SeatChoice
        Its best ones.
    """

    part: Part
    subject: CutSubject
    seats: SeatChoice

    @cached_property
    def _boxes(self) -> int:
        return int(rooms_of_boxes(boxes_around(self.part.solid)[1], self.subject.printer.room).min())

    def rooms(self, flat: bool) -> int:
        """How many times the printer's room it takes: 1 where it fits in that seat, else as blocks of a box around it,
        2 at least.
        """
        return 1 if self.fits(flat) else max(2, self._boxes)

    @property
    def support(self) -> float:
        """mm3 in the seat with the least."""
        return self.seats.least.support

    @property
    def flat(self) -> float:
        """mm3 in the flat seat with the least; inf where it can sit flat on nothing."""
        return self.seats.flat.support if self.seats.flat else np.inf

    def fits(self, flat: bool) -> bool:
        """Whether it fits the printer in that seat."""
        seat = self.seats.flat if flat else self.seats.least
        return seat is not None and seat.fits


@dataclass(frozen=True, eq=False)
class Draft:
    """Cuts that were made one after the other, on the draft mesh.

    Attributes
    ----------
    cells : tuple[Cell, ...]
        All bodies.
    seams : tuple[Seam, ...]
        Of the cuts.
    crumbs : int
        How many the last one left.
    limb : bool
        The first one takes a limb off at its neck.
    """

    cuts: tuple[Cut, ...]
    cells: tuple[Cell, ...]
    seams: tuple[Seam, ...]
    crumbs: int = 0
    limb: bool = False

    @cached_property
    def support(self) -> float:
        """mm3, each body in the seat with the least."""
        return sum(cell.support for cell in self.cells)

    @cached_property
    def flat(self) -> float:
        """mm3 where all sit flat; inf where they cannot."""
        return sum(cell.flat for cell in self.cells)

    @cached_property
    def sight(self) -> float:
        """mm of seam in sight."""
        return sum(seam.in_sight for seam in self.seams)

    @cached_property
    def show(self) -> float:
        """mm of seam across show faces."""
        return sum(seam.on_show for seam in self.seams)

    @cached_property
    def welcome(self) -> float:
        """mm of what is in sight where a seam is welcome."""
        return sum(seam.welcome for seam in self.seams)

    def hidden(self, wishes: CutWishes) -> float:
        """mm; see ``CutWishes.hidden``."""
        return wishes.hidden(self.sight, self.show, self.welcome)

    def left(self, flat: bool) -> float:
        """mm3, all flat or not."""
        return self.flat if flat else self.support

    @cached_property
    def alike(self) -> int:
        """How many bodies are as large as one before them, in volume and surface: of one shape, or mirror images."""
        sizes = np.array([[cell.part.solid.volume, cell.part.solid.areas.sum()] for cell in self.cells])
        return sum(bool((np.abs(size / sizes[:n] - 1.0) < _ALIKE).all(axis=1).any()) for n, size in enumerate(sizes))

    @property
    def smallest(self) -> float:
        """mm3 of its smallest body."""
        return min(cell.part.solid.volume for cell in self.cells)

    def added_to(self, plan: Plan) -> Plan:
        """A plan with its cuts besides."""
        return plan.changed(recipe=(*plan.recipe, *self.cuts))

    @cached_property
    def downs(self) -> Floats:
        """(k, 3) directions down of the seats of its bodies."""
        seats = [seat for cell in self.cells for seat in (cell.seats.least, cell.seats.flat) if seat is not None]
        return distinct(np.array([seat.down for seat in seats]))

    @property
    def leaning_cells(self) -> int:
        """How many bodies can sit flat on nothing."""
        return sum(cell.seats.flat is None for cell in self.cells)

    def misfits(self, flat: bool) -> int:
        """How many bodies do not fit the printer."""
        return sum(not cell.fits(flat) for cell in self.cells)

    def rooms(self, flat: bool) -> int:
        """How many times the printer's room its bodies take."""
        return sum(cell.rooms(flat) for cell in self.cells)


@dataclass(frozen=True, eq=False)
class SearchPieces:
    """What ways to part are looked for on: pieces of a plan, on their draft meshes.

    origins of the parts number the facets of all of them;

    Attributes
    ----------
    exposed : (m,) float64
    marks : Marked
        Of those facets.
    pattern : CutSubject
        One of the pieces, which says how their bodies are judged.
    besides : tuple[Piece, ...]
        Pieces that count too and are not looked at: beyond the most, or others with the sides of the one.
    too_many : list[int]
        How many pieces each cut leaves that leaves more than there may be, crumbs among them.
    """

    wishes: CutWishes
    parts: tuple[Part, ...]
    exposed: Floats
    marks: Marked
    pattern: CutSubject
    besides: tuple[Piece, ...] = ()
    too_many: list[int] = field(default_factory=list)
    _seats: dict[object, SeatChoice] = field(default_factory=dict)
    _regions: dict[Region, Bools] = field(default_factory=dict)

    @classmethod
    def of(
        cls, wishes: CutWishes, pieces: Sequence[Piece], subjects: Sequence[CutSubject], besides: Sequence[Piece] = ()
    ) -> SearchPieces:
        """From pieces of a plan and their draft meshes, in the same order."""
        parts, start = [], 0
        masks = []
        for piece, subject in zip(pieces, subjects, strict=True):
            light, marks = subject.light, subject.subject.light_marks
            count = len(light.triangles)
            own = Solid(light.vertices, light.triangles, start + np.arange(count, dtype=np.int32))
            _ = own.manifold
            parts.append(Part(("ways", piece.number), own, piece.sides, 0))
            # what was a cut face before is no skin of the model: its exposure is 0
            masks.append(marks if wishes.open_shells else replace(marks, never=marks.never | _of_voids(own)))
            start += count
        pattern = subjects[0]
        if not wishes.open_shells:  # it has other marks now, and what was looked at before does not hold
            pattern = replace(pattern, subject=replace(pattern.subject, light_marks=masks[0]))
        exposed = np.concatenate([subject.exposed for subject in subjects])
        return cls(wishes, tuple(parts), exposed, joined_marks(masks), pattern, tuple(besides))

    @cached_property
    def diagonal(self) -> float:
        """mm, of the box around all parts."""
        ends = np.array([part.solid.bounds for part in self.parts])
        return float(np.linalg.norm(ends[:, 1].max(axis=0) - ends[:, 0].min(axis=0)))

    @cached_property
    def volume(self) -> float:
        """mm3 of all parts."""
        return sum(abs(part.solid.volume) for part in self.parts)

    @property
    def most_pieces(self) -> int:
        """How many pieces there may be, besides others; one more at least than are parted."""
        return max(self.wishes.pieces, len(self.parts) + 1)

    def as_wished(self, way: Way) -> bool:
        """Whether a way meets every condition."""
        wishes = self.wishes
        return (
            way.pieces <= self.most_pieces + len(self.besides)
            and (way.all_flat or not wishes.flat)
            and (way.all_fit or not wishes.must_fit)
            and (wishes.seam_limit is None or way.sight <= wishes.seam_limit)
        )

    @cached_property
    def start(self) -> Draft:
        """Nothing cut, every part in its seats."""
        cells = tuple(self.cell(part, None) for part in self.parts)
        if len(cells) == 1:
            # of one piece the pattern is all there is to know, with what was looked at for the cut map
            cells = (replace(cells[0], subject=self.pattern),)
        return Draft((), cells, ())

    def subject(self, solid: Solid) -> CutSubject:
        """A body of the ground, as something to be parted."""
        of = self.pattern.subject
        exposed = np.where(solid.origin >= 0, self.exposed[np.maximum(solid.origin, 0)], 0.0)
        marks = self.marks.of(solid.origin)
        own = SearchSubject(solid, solid, marks, marks, of.threshold, of.lift, of.stood, of.now)
        return replace(self.pattern, subject=own, exposed=exposed)

    def cell(self, part: Part, hints: Floats | None) -> Cell:
        """A body in its seats.

        Parameters
        ----------
        hints : (k, 3) float64
            Directions down that are likely to be good; None: looks everywhere.
        """
        subject = self.subject(part.solid)
        solid = part.solid
        key = like(solid, subject.subject.light_marks)
        if key not in self._seats:
            found = seats_of(solid, subject.seat_wishes, subject.subject.light_marks, free=hints)
            self._seats[key] = _finer(found, solid, subject)
        return Cell(part, subject, self._seats[key])

    def taken(self, region: Region) -> Bools:
        """(m,) the facets of all parts that a region takes."""
        if region not in self._regions:
            ends = np.cumsum([0, *(len(part.solid.triangles) for part in self.parts)])
            exposed = np.split(self.exposed, ends[1:-1])

            def take(number: int, part: Part) -> Bools:
                return facets_taken(part.solid, region, lambda _: exposed[number])

            self._regions[region] = np.concatenate([take(n, part) for n, part in enumerate(self.parts)])
        return self._regions[region]

    def likely(self, subject: CutSubject, normal: Floats, offset: float) -> tuple[Ints, Ints]:
        """(k,) numbers of the poses in which the side ahead, and the one behind, needs little: the best of all, and the
        best of those that sit flat.
        """
        poses, solid = subject.poses, subject.light
        found = in_poses(poses, solid, normal, np.array([offset]), subject.subject.threshold)[..., 0]
        support, base, shadow = found.transpose(1, 2, 0)
        flat = np.where(flat_by_base(base, shadow), support, np.inf)

        def best(side: int) -> Ints:
            few = [np.argsort(values[side], kind="stable")[:_LIKELY_POSES] for values in (support, flat)]
            return np.unique(np.concatenate(few))

        return best(0), best(1)

    def with_cut(
        self, draft: Draft, cut: Cut, hints: tuple[Floats, Floats] | None, beside: Sequence[Cut] = ()
    ) -> Draft | None:
        """A draft with one more cut; None where that parts nothing, or not as wished.

        Parameters
        ----------
        hints : (k, 3)
            Directions for the bodies ahead of it and behind it.
        beside : Sequence[Cut]
            Cuts that are tried in its place, one after the other, where it leaves crumbs.
        """
        made = self._staged(draft, cut)
        if made is None:
            return None
        if made[1].report.crumbs:
            tried = (self._staged(draft, other) for other in beside)
            made = next((one for one in tried if one is not None and not one[1].report.crumbs), made)
        cut, stage, seam = made
        if len(stage.parts) > self.most_pieces:  # crumbs that no cut beside it leaves out: they would count as pieces
            self.too_many.append(len(stage.parts) + len(self.besides))
            return None
        known = {id(cell.part.solid): cell for cell in draft.cells}
        touched = set(stage.touched)
        cells = []
        for number, part in enumerate(stage.parts):
            if number in touched:
                cells.append(self.cell(part, None if hints is None else hints[0 if part.sides[-1].side == 1 else 1]))
            else:
                cells.append(replace(known[id(part.solid)], part=part))
        seams, crumbs = (*draft.seams, seam), len(stage.report.crumbs)
        return Draft((*draft.cuts, cut), tuple(cells), seams, crumbs, draft.limb)

    def sound(self, drafts: Sequence[Draft | None]) -> list[Draft]:
        """Those of some drafts that could be made and have no sliver, as two cuts leave that lie in each other."""
        least = LEAST_OF_ALL * self.volume
        return [draft for draft in drafts if draft is not None and draft.smallest >= least]

    def _staged(self, draft: Draft, cut: Cut) -> tuple[Cut, Stage, Seam] | None:
        """What one more cut makes of a draft, before anything is seated; None where that is not as wished."""
        wishes = self.wishes
        parts = [cell.part for cell in draft.cells]
        key = tuple(nameless(one) for one in (*draft.cuts, cut))
        try:
            stage = cut_all(parts, cut, key, self.volume, self.taken)
        except CutFailed:
            return None
        small = any(part.solid.volume < wishes.least_volume for part in stage.made)
        crumbs = len(stage.report.crumbs)  # no pieces of a way: the cut is made a little beside, where it leaves none
        if not stage.touched or small or len(stage.parts) - crumbs > self.most_pieces:
            return None
        one_side = [part.solid for part in stage.made if not cut.two_sided or part.sides[-1].side == 1]
        seam = seam_of(one_side, cut.id, self.exposed, 1.0 if cut.two_sided else 0.5, self.marks)
        too_much = wishes.seam_limit is not None and draft.sight + seam.in_sight > wishes.seam_limit
        return None if seam.barred >= NOT_BARRED or too_much else (cut, stage, seam)


def distinct(downs: Floats) -> Floats:
    """(k, 3) of some unit vectors (n, 3), those that are the same once."""
    found = np.unique(np.round(downs, 6), axis=0)
    return np.asarray(found / np.linalg.norm(found, axis=1)[:, None])


def like(solid: Solid, marks: Marked) -> tuple[float, ...]:
    """What bodies have in common that sit alike: the same body made another way, or moved, but not its mirror image.
    What is marked on one moves with no other.

    How many triangles, mm3, the sides of its box in mm, sums over its corners; and where it is.

    Parameters
    ----------
    marks : Marked
        Of its facets.
    """
    low = solid.bounds[0]
    phase = (solid.vertices - low) @ _WAVE
    where = low if marks.anything else ()
    figures = (solid.volume, *solid.size, np.cos(phase).sum(), np.sin(phase).sum(), *where)
    return len(solid.triangles), *np.round(figures, 3).tolist()


def _finer(seats: SeatChoice, solid: Solid, subject: CutSubject) -> SeatChoice:
    """Seats with the support of a fine grid: between the columns of the one that they were looked for with a narrow rim
    of a bent face may lie that is all there is to support.
    """
    both = [seats.least, *([seats.flat] if seats.flat is not None else [])]
    rotations = np.array([seat.rotation for seat in both])
    marks, threshold = subject.subject.light_marks, subject.subject.threshold
    support = sketches(solid, rotations, threshold, REPORT_CELLS, marks=marks, layered=False).support_volume_mm3
    least, *flat = (replace(seat, support=float(value)) for seat, value in zip(both, support, strict=True))
    return replace(seats, least=least, flat=flat[0] if flat else None)


def boxes_around(solid: Solid) -> tuple[Floats, Floats]:
    """((n, 3, 3) rotations, (n, 3) mm: the sides of the box around a body turned so). Turned all ways, as far as boxes
    differ.
    """
    rotations = np.array([
        Tilt.turn((0.0, 0.0, 1.0), yaw).rotation @ down_to_rotation(down)
        for down in spread_directions(_BOX_DOWNS) if down[2] <= 0 for yaw in range(0, 90, _BOX_YAW)
    ])
    corners = hull_corners(solid, hull_of(solid))
    low = np.full((len(rotations), 3), np.inf)
    high = -low
    for first in range(0, len(corners), 256):
        turned = np.einsum("kij,nj->kni", rotations, corners[first : first + 256])
        low, high = np.minimum(low, turned.min(axis=1)), np.maximum(high, turned.max(axis=1))
    return rotations, high - low


def _of_voids(solid: Solid) -> Bools:
    """(m,) the facets around closed voids."""
    shells = shells_of(solid)
    return np.asarray(shells.volume[shells.of] < 0)
