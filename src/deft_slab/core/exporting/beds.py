"""Lays pieces out on beds without overlap, by their footprints, or where the plan puts them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from weakref import WeakKeyDictionary

import numpy as np
import shapely

from ..geometry.orientation import Tilt
from ..joins.reports import PostsReport
from ..mesh.solid import Solid
from ..packing.footprint import footprint
from ..packing.shapes import Lies, Nested, Shape, Sheet
from ..plan.coupon import COUPON
from ..plan.placements import BedsBy, Placement
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Outcome, Piece
from .layout import Laid, numbered
from .print_job import PrintJob, bed_seconds, job_of

_BETWEEN = 20.0
"""mm between beds in one file."""
ROUNDS = 42
"""Orders that are tried when beds are laid thoroughly: 40 pieces take 3.3 s on beds, 5.0 s on a belt (measured)."""
_AROUND = tuple(22.5 * n for n in range(16))
"""Degrees by which pieces are turned then."""
_sketches: WeakKeyDictionary[PostsReport, Solid] = WeakKeyDictionary()


def lay_out(
    pieces: Sequence[Piece], printer: Printer, copies: int = 1, *, lying: Sequence[Placement] = (),
    posts: Mapping[str, PostsReport] | None = None, beds_by: BedsBy = "fewest", rounds: int = 0, job: Job = QUIET,
) -> list[Laid]:
    """Lay pieces out on as few beds as needed, a gap apart. All pieces of the first copy come first in the list,
    then those of the second, and so on. A piece that is too large for the bed gets one to itself, centred. The
    beds of a second printer follow those of the first. Different materials do not share a bed.

    Parameters
    ----------
    lying : Sequence[Placement]
        Where some pieces must lie; the others are laid around them.
    posts : Mapping[str, PostsReport] | None
        The posts of the pieces, which enlarge their footprints.
    beds_by : BedsBy
        Which pieces share a bed, and which bed comes first. Beds named in ``lying`` keep their numbers.
    rounds : int
        How many orders are tried, with pieces rotated in steps; 0: only the usual order, with pieces as they sit
        or rotated by a quarter.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    return BedSearch(pieces, printer, copies, lying=lying, posts=posts, beds_by=beds_by).go_on(rounds, job)


class BedSearch:
    """A search for fewer beds that can be continued at will; for the arguments see ``lay_out``."""

    def __init__(
        self, pieces: Sequence[Piece], printer: Printer, copies: int = 1, *, lying: Sequence[Placement] = (),
        posts: Mapping[str, PostsReport] | None = None, beds_by: BedsBy = "fewest",
    ) -> None:
        loads = _loads(pieces, printer, copies, lying, posts or {}, beds_by)
        self._loads = [_Laying(load, beds_by) for load in loads]

    @property
    def laid(self) -> list[Laid]:
        """The best layout so far."""
        found: list[Laid] = []
        beds, begins = 0, 0.0
        for one in self._loads:
            found += one.laid(beds, begins)
            beds = 1 + max(place.bed for place in found)
            begins = _BETWEEN + max(place.bed_x + max(one.load.printer.bed_x, place.outline.bounds[2])
                                    for place in found)
        return sorted(found, key=lambda place: (place.copy, place.piece))

    @property
    def least(self) -> int:
        """A lower bound for the number of beds, from the areas of the footprints."""
        return sum(one.least for one in self._loads)

    @property
    def done(self) -> bool:
        """Whether fewer beds are impossible, and no belt could be used less."""
        return all(one.done for one in self._loads)

    def go_on(self, rounds: int, job: Job = QUIET) -> list[Laid]:
        """Try so many orders more, and return the best layout of all.

        Raises
        ------
        Cancelled
            The job is no longer wanted; what was tried counts.
        """
        for number, one in enumerate(self._loads):
            if rounds and not one.done:
                step = job.part(number / len(self._loads), (number + 1) / len(self._loads))
                one.go_on(rounds, step)
        return self.laid


@dataclass(frozen=True)
class _Load:
    """What goes onto the beds of one printer.

    Attributes
    ----------
    all : list of (int, int)
        The copy and the piece number of each.
    pieces : Sequence[Piece]
        All pieces, by number.
    outlines, groups : dict[int, shapely.MultiPolygon]
        Outlines by piece number; pieces of different groups do not share a bed.
    where : dict[tuple[int, int], Placement]
        Those whose place is given.
    """

    printer: Printer
    all: tuple[tuple[int, int], ...]
    pieces: Sequence[Piece]
    outlines: dict[int, shapely.MultiPolygon]
    groups: dict[int, int]
    where: dict[tuple[int, int], Placement]


def _loads(
    pieces: Sequence[Piece], printer: Printer, copies: int, lying: Sequence[Placement],
    posts: Mapping[str, PostsReport], beds_by: BedsBy,
) -> Iterator[_Load]:
    """The load of each printer that is used."""
    where = numbered(pieces, lying)
    for second in (False, True):
        numbers = [n for n, piece in enumerate(pieces) if piece.second == second]
        if not numbers:
            continue
        known = list(dict.fromkeys(pieces[n].on(printer).material for n in numbers))
        groups = {n: known.index(pieces[n].on(printer).material) for n in numbers}
        if beds_by == "piece":
            groups = {n: n * len(known) + group for n, group in groups.items()}
        # one coupon tells as much as several
        every = tuple((copy, n) for copy in range(copies) for n in numbers if copy == 0 or pieces[n].extra != COUPON)
        mine = {key: where[key] for key in every if key in where}
        outlines = {n: _outline(n, pieces[n], posts) for n in numbers}
        yield _Load(pieces[numbers[0]].on(printer), every, pieces, outlines, groups, mine)


class _Laying:
    """The layout on one printer: first with pieces as they sit or rotated by a quarter, then also rotated in steps."""

    def __init__(self, load: _Load, beds_by: BedsBy) -> None:
        from ..packing.nest import Nesting  # slow to load, and what writes pieces is known to the window

        self.load, self._beds_by = load, beds_by
        self._shapes, self._sheet = _shapes(load), _sheet(load.printer)
        self._found = Nesting(self._shapes, self._sheet, load.printer.gap).best
        self._turned: tuple[list[Shape], Nesting] | None = None

    @cached_property
    def least(self) -> int:
        from ..packing.nest import least_sheets

        return least_sheets(_shapes(self.load, thorough=True), self._sheet, self.load.printer.gap)

    @property
    def done(self) -> bool:
        return self.load.printer.endless is None and self._found.sheets <= self.least

    def go_on(self, rounds: int, job: Job) -> None:
        from ..packing.nest import Nesting

        if self._turned is None:
            shapes = _shapes(self.load, thorough=True)
            self._turned = shapes, Nesting(shapes, self._sheet, self.load.printer.gap)
        shapes, search = self._turned
        try:
            search.go_on(rounds, job)
        finally:
            if search.best.cost < self._found.cost:
                self._shapes, self._found = shapes, search.best

    def laid(self, first: int, begins: float) -> list[Laid]:
        """The layout.

        Parameters
        ----------
        first : int
            The number of its first bed.
        begins : float, mm
            Where that bed begins.
        """
        found = self._found if self.load.where else _in_order(self._found, self.load, self._beds_by)
        return _as_laid(self.load, self._shapes, found, first, begins)


def _in_order(found: Nested, load: _Load, beds_by: BedsBy) -> Nested:
    """The same with its beds numbered in the order of printing."""
    on: list[list[int]] = [[] for _ in range(found.sheets)]
    for (_, n), place in zip(load.all, found.places, strict=True):
        on[place.sheet].append(n)
    if beds_by == "piece":
        order = sorted(range(found.sheets), key=lambda bed: (min(on[bed]), bed))
    elif beds_by == "colour":
        order = sorted(range(found.sheets), key=lambda bed: (load.groups[on[bed][0]], bed))
    elif beds_by == "hours":
        hours = [bed_seconds([load.pieces[n] for n in own], load.printer) for own in on]
        order = sorted(range(found.sheets), key=lambda bed: (-hours[bed], bed))
    else:
        return found
    number = {bed: after for after, bed in enumerate(order)}
    return replace(found, places=tuple(replace(place, sheet=number[place.sheet]) for place in found.places))


def laid_with_job(
    outcome: Outcome, printer: Printer, *, rounds: int = 0, job: Job = QUIET
) -> tuple[list[Laid], PrintJob]:
    """Where the pieces and copies of a plan lie (see ``lay_out``), and what printing them takes.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    plan = outcome.plan
    search = BedSearch(outcome.pieces, printer, plan.copies, lying=plan.lying, posts=outcome.posts,
                       beds_by=plan.beds_by)
    laid = search.go_on(rounds, job)
    return laid, job_of(outcome, laid, printer, search.least)


def _sheet(printer: Printer) -> Sheet:
    """The room on a bed for nesting, with an endless axis as the second one."""
    room_x, room_y, _ = printer.room
    kept = tuple((x - printer.margin, y - printer.margin, w, d) for x, y, w, d in printer.kept_free)
    if printer.endless == "x":
        return Sheet(room_y, room_x, tuple((y, x, d, w) for x, y, w, d in kept))
    return Sheet(room_x, room_y, kept)


def _shapes(load: _Load, *, thorough: bool = False) -> list[Shape]:
    """One shape for each piece and copy, in its seat, before it is rotated about the vertical."""
    printer, shapes = load.printer, []
    for copy, number in load.all:
        piece, outline = load.pieces[number], load.outlines[number]
        yaw = piece.fit.yaw if piece.fit.fits else 0.0
        turns = tuple(dict.fromkeys((yaw, yaw + 90.0, *((yaw + turn) for turn in _AROUND if thorough))))
        fixed = load.where.get((copy, number))
        if printer.endless == "x":  # the other way round, and turned the other way
            outline = _swapped(outline)
            turns = tuple(-turn for turn in turns)
        lies = None if fixed is None else _in_sheet(fixed, printer)
        shapes.append(Shape(outline, turns, fixed=lies, group=load.groups[number]))
    return shapes


def _in_sheet(one: Placement, printer: Printer) -> Lies:
    x, y = one.x - printer.margin, one.y - printer.margin
    return Lies(one.bed, -one.turn, y, x) if printer.endless == "x" else Lies(one.bed, one.turn, x, y)


def _outline(number: int, piece: Piece, posts: Mapping[str, PostsReport]) -> shapely.MultiPolygon:
    """The footprint of a piece in its seat, with its posts."""
    outline = footprint(piece.solid, piece.seat.rotation)
    sketches = [one for one in posts.values() if one.piece == number and len(one.triangles)]
    if not sketches:
        return outline
    feet = [footprint(_sketch(one), piece.seat.rotation) for one in sketches]
    both = shapely.union_all([outline, *feet])
    return shapely.MultiPolygon([part for part in shapely.get_parts(both) if part.geom_type == "Polygon"])


def _sketch(posts: PostsReport) -> Solid:
    """The posts as a solid; the same object each time, so that its footprint is cached with it."""
    if posts not in _sketches:
        _sketches[posts] = Solid(posts.vertices, posts.triangles)
    return _sketches[posts]


def _as_laid(
    load: _Load, shapes: Sequence[Shape], found: Nested, first: int, begins: float
) -> list[Laid]:
    """The result of nesting as places on the printer's beds."""
    printer, boxes = load.printer, []
    for shape, place in zip(shapes, found.places, strict=True):
        x0, y0, x1, y1 = shape.turned(place.turn).bounds
        boxes.append((place.x, place.y, x1 - x0, y1 - y0))
    swapped = printer.endless == "x"
    if swapped:
        boxes = [(y, x, deep, wide) for x, y, wide, deep in boxes]
    room, centred = printer.room[:2], not printer.kept_free and not load.where
    shift = {}
    for bed in range(found.sheets):
        own = [box for box, place in zip(boxes, found.places, strict=True) if place.sheet == bed]
        outside = any(place.outside for place in found.places if place.sheet == bed)
        used = [max((box[k] + box[k + 2] for box in own), default=0.0) for k in (0, 1)]
        # what does not fit lies over all edges alike; along an endless axis a bed begins at its margin
        shift[bed] = [
            printer.margin + ((room[k] - used[k]) / 2 if math.isfinite(room[k]) and (centred or outside) else 0.0)
            for k in (0, 1)
        ]
    pitch = max(printer.bed_x, max((box[2] for box in boxes), default=0.0)) + _BETWEEN
    laid = []
    for (copy, number), place, box in zip(load.all, found.places, boxes, strict=True):
        piece, turn = load.pieces[number], -place.turn if swapped else place.turn
        rotation = Tilt.turn((0.0, 0.0, 1.0), turn).rotation @ piece.seat.rotation
        x, y = (box[k] + shift[place.sheet][k] for k in (0, 1))
        shape = shapely.affinity.rotate(load.outlines[number], turn, origin=(0.0, 0.0))
        low_x, low_y, _, _ = shape.bounds
        up = piece.lift - float((piece.solid.vertices @ rotation[2]).min())
        bed_x = begins + place.sheet * pitch
        moved = np.array([x - low_x + bed_x, y - low_y, up])
        outline = shapely.affinity.translate(shape, x - low_x, y - low_y)
        laid.append(Laid(rotation, moved, first + place.sheet, bed_x, turn, outline, place.sheet, number, copy))
    return laid


def _swapped(outline: shapely.MultiPolygon) -> shapely.MultiPolygon:
    """An outline with its axes exchanged."""
    return shapely.transform(outline, lambda corners: corners[:, ::-1])
