"""Drafts: ways to part that were made on the draft mesh, with each body in its best seats."""

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
    """A body of a draft that can be parted further.

    Attributes
    ----------
    part : Part
        The body.
    seats : SeatChoice
        Its best seats.
    """

    part: Part
    subject: CutSubject
    seats: SeatChoice

    @cached_property
    def _boxes(self) -> int:
        return int(rooms_of_boxes(boxes_around(self.part.solid)[1], self.subject.printer.room).min())

    def rooms(self, flat: bool) -> int:
        """How many printer's rooms it takes: 1 if it fits in that seat; else as many as the blocks of a box around
        it, at least 2.

        Parameters
        ----------
        flat : bool
            Whether it is in its flat seat.
        """
        return 1 if self.fits(flat) else max(2, self._boxes)

    @property
    def support(self) -> float:
        """The support in the seat with the least, in mm3."""
        return self.seats.least.support

    @property
    def flat(self) -> float:
        """The support in the flat seat with the least, in mm3; inf if it can sit flat nowhere."""
        return self.seats.flat.support if self.seats.flat else np.inf

    def fits(self, flat: bool) -> bool:
        """Whether it fits the printer in that seat."""
        seat = self.seats.flat if flat else self.seats.least
        return seat is not None and seat.fits


@dataclass(frozen=True, eq=False)
class Draft:
    """Cuts that were made one after the other on the draft mesh.

    Attributes
    ----------
    cells : tuple[Cell, ...]
        All bodies.
    seams : tuple[Seam, ...]
        The seams of the cuts.
    crumbs : int
        How many crumbs the last cut left.
    limb : bool
        Whether the first cut takes a limb off at its neck.
    """

    cuts: tuple[Cut, ...]
    cells: tuple[Cell, ...]
    seams: tuple[Seam, ...]
    crumbs: int = 0
    limb: bool = False

    @cached_property
    def support(self) -> float:
        """The support with each body in the seat with the least, in mm3."""
        return sum(cell.support for cell in self.cells)

    @cached_property
    def flat(self) -> float:
        """The support with all bodies flat, in mm3; inf if that is impossible."""
        return sum(cell.flat for cell in self.cells)

    @cached_property
    def sight(self) -> float:
        """The length of seam in sight, in mm."""
        return sum(seam.in_sight for seam in self.seams)

    @cached_property
    def show(self) -> float:
        """The length of seam across show faces, in mm."""
        return sum(seam.on_show for seam in self.seams)

    @cached_property
    def welcome(self) -> float:
        """The length in sight where a seam is welcome, in mm."""
        return sum(seam.welcome for seam in self.seams)

    def hidden(self, wishes: CutWishes) -> float:
        """The weighted length of visible seam in mm; see ``CutWishes.hidden``."""
        return wishes.hidden(self.sight, self.show, self.welcome)

    def left(self, flat: bool) -> float:
        """The support in mm3, with all bodies flat or not."""
        return self.flat if flat else self.support

    @cached_property
    def alike(self) -> int:
        """How many bodies have the same volume and surface area as one before them: they have one shape, or are
        mirror images.
        """
        sizes = np.array([[cell.part.solid.volume, cell.part.solid.areas.sum()] for cell in self.cells])
        return sum(bool((np.abs(size / sizes[:n] - 1.0) < _ALIKE).all(axis=1).any()) for n, size in enumerate(sizes))

    @property
    def smallest(self) -> float:
        """The volume of its smallest body, in mm3."""
        return min(cell.part.solid.volume for cell in self.cells)

    def added_to(self, plan: Plan) -> Plan:
        """A plan with these cuts added."""
        return plan.changed(recipe=(*plan.recipe, *self.cuts))

    @cached_property
    def downs(self) -> Floats:
        """The downward directions of the seats of its bodies.

        Returns
        -------
        (k, 3) float64
        """
        seats = [seat for cell in self.cells for seat in (cell.seats.least, cell.seats.flat) if seat is not None]
        return distinct(np.array([seat.down for seat in seats]))

    @property
    def leaning_cells(self) -> int:
        """How many bodies can sit flat nowhere."""
        return sum(cell.seats.flat is None for cell in self.cells)

    def misfits(self, flat: bool) -> int:
        """How many bodies do not fit the printer."""
        return sum(not cell.fits(flat) for cell in self.cells)

    def rooms(self, flat: bool) -> int:
        """How many printer's rooms its bodies take."""
        return sum(cell.rooms(flat) for cell in self.cells)


@dataclass(frozen=True, eq=False)
class SearchPieces:
    """The pieces of a plan, on their draft meshes, for which ways to part are searched. Origins of the parts number
    the facets of all of them.

    Attributes
    ----------
    exposed : (m,) float64
        The exposure of those facets.
    marks : Marked
        The marks on those facets.
    pattern : CutSubject
        One of the pieces, which says how their bodies are judged.
    besides : tuple[Piece, ...]
        Pieces that count but are not examined: those beyond the limit, or others on the same sides.
    too_many : list[int]
        How many pieces, crumbs included, each cut leaves that leaves more than allowed.
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
        """The pieces of a plan and their draft meshes, in the same order."""
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
        """The diagonal of the bounding box of all parts, in mm."""
        ends = np.array([part.solid.bounds for part in self.parts])
        return float(np.linalg.norm(ends[:, 1].max(axis=0) - ends[:, 0].min(axis=0)))

    @cached_property
    def volume(self) -> float:
        """The volume of all parts, in mm3."""
        return sum(abs(part.solid.volume) for part in self.parts)

    @property
    def most_pieces(self) -> int:
        """How many pieces there may be, apart from ``besides``; at least one more than are parted."""
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
        """The draft without any cut, every part in its seats."""
        cells = tuple(self.cell(part, None) for part in self.parts)
        if len(cells) == 1:
            # of one piece the pattern is all there is to know, with what was looked at for the cut map
            cells = (replace(cells[0], subject=self.pattern),)
        return Draft((), cells, ())

    def subject(self, solid: Solid) -> CutSubject:
        """A body prepared for being parted."""
        of = self.pattern.subject
        exposed = np.where(solid.origin >= 0, self.exposed[np.maximum(solid.origin, 0)], 0.0)
        marks = self.marks.of(solid.origin)
        own = SearchSubject(solid, solid, marks, marks, of.threshold, of.lift, of.stood, of.now)
        return replace(self.pattern, subject=own, exposed=exposed)

    def cell(self, part: Part, hints: Floats | None) -> Cell:
        """A body in its best seats.

        Parameters
        ----------
        hints : (k, 3) float64
            Downward directions that are likely to be good; None: search everywhere.
        """
        subject = self.subject(part.solid)
        solid = part.solid
        key = like(solid, subject.subject.light_marks)
        if key not in self._seats:
            found = seats_of(solid, subject.seat_wishes, subject.subject.light_marks, free=hints)
            self._seats[key] = _finer(found, solid, subject)
        return Cell(part, subject, self._seats[key])

    def taken(self, region: Region) -> Bools:
        """The facets of all parts that a region covers.

        Returns
        -------
        (m,) bool
        """
        if region not in self._regions:
            ends = np.cumsum([0, *(len(part.solid.triangles) for part in self.parts)])
            exposed = np.split(self.exposed, ends[1:-1])

            def take(number: int, part: Part) -> Bools:
                return facets_taken(part.solid, region, lambda _: exposed[number])

            self._regions[region] = np.concatenate([take(n, part) for n, part in enumerate(self.parts)])
        return self._regions[region]

    def likely(self, subject: CutSubject, normal: Floats, offset: float) -> tuple[Ints, Ints]:
        """The poses in which the side ahead of a plane, and the side behind it, need little support: the best of
        all, and the best that sit flat.

        Returns
        -------
        (k,) int64, (k,) int64
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
        """A draft with one more cut; None if that cuts nothing or violates a condition.

        Parameters
        ----------
        hints : (k, 3) float64 twice, or None
            Likely downward directions for the bodies ahead of the cut and behind it.
        beside : Sequence[Cut]
            Cuts to try in its place, one after the other, if it leaves crumbs.
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
        """Those drafts that could be made and have no sliver, as two cuts leave that almost coincide."""
        least = LEAST_OF_ALL * self.volume
        return [draft for draft in drafts if draft is not None and draft.smallest >= least]

    def _staged(self, draft: Draft, cut: Cut) -> tuple[Cut, Stage, Seam] | None:
        """What one more cut makes of a draft, before anything is seated; None if a condition is violated."""
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
    """Unit vectors without repetition.

    Returns
    -------
    (k, 3) float64
    """
    found = np.unique(np.round(downs, 6), axis=0)
    return np.asarray(found / np.linalg.norm(found, axis=1)[:, None])


def like(solid: Solid, marks: Marked) -> tuple[float, ...]:
    """A signature that bodies share if they sit in the same seats: the same body made in another way, or moved, but
    not its mirror image. A body with marks only matches itself.

    It consists of the number of triangles, the volume, the sides of the bounding box, and sums over the vertices;
    with marks also of the place.

    Parameters
    ----------
    marks : Marked
        The marks on its facets.
    """
    low = solid.bounds[0]
    phase = (solid.vertices - low) @ _WAVE
    where = low if marks.anything else ()
    figures = (solid.volume, *solid.size, np.cos(phase).sum(), np.sin(phase).sum(), *where)
    return len(solid.triangles), *np.round(figures, 3).tolist()


def _finer(seats: SeatChoice, solid: Solid, subject: CutSubject) -> SeatChoice:
    """Seats with their support measured on a fine grid. The columns of the coarse grid of the search may miss a
    narrow rim of a bent face, which may be all there is to support.
    """
    both = [seats.least, *([seats.flat] if seats.flat is not None else [])]
    rotations = np.array([seat.rotation for seat in both])
    marks, threshold = subject.subject.light_marks, subject.subject.threshold
    support = sketches(solid, rotations, threshold, REPORT_CELLS, marks=marks, layered=False).support_volume_mm3
    least, *flat = (replace(seat, support=float(value)) for seat, value in zip(both, support, strict=True))
    return replace(seats, least=least, flat=flat[0] if flat else None)


def boxes_around(solid: Solid) -> tuple[Floats, Floats]:
    """Bounding boxes of a body in all orientations, as far as they differ.

    Returns
    -------
    (n, 3, 3) float64, (n, 3) float64
        Rotations, and the sides of the boxes in mm.
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
    """The facets around closed voids.

    Returns
    -------
    (m,) bool
    """
    shells = shells_of(solid)
    return np.asarray(shells.volume[shells.of] < 0)
