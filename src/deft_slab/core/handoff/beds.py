"""Pieces side by side on beds, none overlapping: laid by their footprints, or where the plan says."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from weakref import WeakKeyDictionary

import numpy as np
import shapely
from numpy.typing import NDArray

from ..lying import BedsBy, Lying
from ..nesting.footprint import footprint
from ..nesting.shapes import Lies, Nested, Shape, Sheet
from ..outcome import Outcome, Piece
from ..printer import Printer
from ..progress import QUIET, Job
from ..reports import PostsReport
from ..solid import Solid
from ..tilt import Tilt
from .job import PrintJob, bed_seconds, job_of
from .laid import Laid, numbered

Floats = NDArray[np.float64]

_BETWEEN = 20.0
"""mm between beds in one file."""
ROUNDS = 60
"""Orders that are tried when beds are laid thoroughly: 40 pieces take some seconds then (measured)."""
_AROUND = tuple(22.5 * n for n in range(16))
"""Degrees by which pieces are turned then."""
_sketches: WeakKeyDictionary[PostsReport, Solid] = WeakKeyDictionary()


def lay_out(
    pieces: Sequence[Piece], printer: Printer, copies: int = 1, *, lying: Sequence[Lying] = (),
    posts: Mapping[str, PostsReport] | None = None, beds_by: BedsBy = "fewest", rounds: int = 0, job: Job = QUIET,
) -> list[Laid]:  # fmt: skip
    """Lays pieces out on as few beds as they need, a gap apart; all pieces of the first copy come first in the list,
    then those of the second, and so on. A piece that is too large for the bed gets one to itself, centred.

    lying : where some are to lie, which the others are laid around; posts : of the pieces, whose footprints they widen
    beds_by : which pieces share a bed, and which bed comes first; beds that are named in ``lying`` keep their numbers
    rounds : how many orders are tried, with pieces turned in steps; 0: only the usual one, as they sit or turned by a
    quarter

    Raises
    ------
    Cancelled : the job is no longer wanted.
    """
    from ..nesting.nest import least_sheets, nested  # slow to load, and what writes pieces is known to the window

    apart = beds_by == "piece"
    shapes, sheet = _shapes(pieces, printer, copies, posts or {}, lying, apart=apart), _sheet(printer)
    found = nested(shapes, sheet, printer.gap)
    # fewer beds there cannot be: pieces are not turned this way and that for nothing
    if rounds and (printer.endless or found.sheets > least_sheets(shapes, sheet, printer.gap)):
        turned = _shapes(pieces, printer, copies, posts or {}, lying, apart=apart, thorough=True)
        tried = nested(turned, sheet, printer.gap, rounds=rounds, job=job)
        if tried.cost < found.cost:
            shapes, found = turned, tried
    if not lying:
        found = _in_order(found, pieces, printer, beds_by)
    return _as_laid(pieces, printer, shapes, found, centred=not printer.kept_free and not lying)


def _in_order(found: Nested, pieces: Sequence[Piece], printer: Printer, beds_by: BedsBy) -> Nested:
    """The same with its beds numbered as they are to be printed."""
    on: list[list[int]] = [[] for _ in range(found.sheets)]
    for n, place in enumerate(found.places):
        on[place.sheet].append(n % len(pieces))
    if beds_by == "piece":
        order = sorted(range(found.sheets), key=lambda bed: (min(on[bed]), bed))
    elif beds_by == "hours":
        order = sorted(range(found.sheets), key=lambda bed: (-bed_seconds([pieces[n] for n in on[bed]], printer), bed))
    else:
        return found
    number = {bed: after for after, bed in enumerate(order)}
    return replace(found, places=tuple(replace(place, sheet=number[place.sheet]) for place in found.places))


def laid_with_job(
    outcome: Outcome, printer: Printer, *, rounds: int = 0, job: Job = QUIET
) -> tuple[list[Laid], PrintJob]:  # fmt: skip
    """(where the pieces and copies of a plan lie, see ``lay_out``; what printing them takes). Raises Cancelled."""
    pieces, plan, posts = outcome.pieces, outcome.plan, outcome.posts
    laid = lay_out(pieces, printer, plan.copies, lying=plan.lying, posts=posts, beds_by=plan.beds_by, rounds=rounds,
                   job=job)  # fmt: skip
    return laid, job_of(outcome, laid, printer, least_beds(pieces, printer, plan.copies, posts, plan.beds_by))


def least_beds(
    pieces: Sequence[Piece], printer: Printer, copies: int = 1, posts: Mapping[str, PostsReport] | None = None,
    beds_by: BedsBy = "fewest",
) -> int:  # fmt: skip
    """No fewer beds can hold them, by the area of their footprints."""
    from ..nesting.nest import least_sheets

    shapes = _shapes(pieces, printer, copies, posts or {}, (), apart=beds_by == "piece", thorough=True)
    return least_sheets(shapes, _sheet(printer), printer.gap)


def _sheet(printer: Printer) -> Sheet:
    """The room on a bed, as the nesting has it: an endless axis is the second one."""
    room_x, room_y, _ = printer.room
    kept = tuple((x - printer.margin, y - printer.margin, w, d) for x, y, w, d in printer.kept_free)
    if printer.endless == "x":
        return Sheet(room_y, room_x, tuple((y, x, d, w) for x, y, w, d in kept))
    return Sheet(room_x, room_y, kept)


def _shapes(
    pieces: Sequence[Piece], printer: Printer, copies: int, posts: Mapping[str, PostsReport], lying: Sequence[Lying],
    *, apart: bool = False, thorough: bool = False,
) -> list[Shape]:  # fmt: skip
    """One for each piece and copy, turned as its seat is, before it is turned about the vertical. apart : no two pieces
    share a bed, but copies of one do"""
    outlines = [_outline(number, piece, posts) for number, piece in enumerate(pieces)]
    where = numbered(pieces, lying)
    shapes = []
    for copy in range(copies):
        for number, piece in enumerate(pieces):
            yaw = piece.fit.yaw if piece.fit.fits else 0.0
            turns = tuple(dict.fromkeys((yaw, yaw + 90.0, *((yaw + turn) for turn in _AROUND if thorough))))
            fixed = where.get(copy * len(pieces) + number)
            outline = outlines[number]
            if printer.endless == "x":  # the other way round, and turned the other way
                outline = _swapped(outline)
                turns = tuple(-turn for turn in turns)
            lies = None if fixed is None else _in_sheet(fixed, printer)
            shapes.append(Shape(outline, turns, fixed=lies, group=number if apart else 0))
    return shapes


def _in_sheet(one: Lying, printer: Printer) -> Lies:
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
    """The same solid each time, whose footprint is kept with it."""
    if posts not in _sketches:
        _sketches[posts] = Solid(posts.vertices, posts.triangles)
    return _sketches[posts]


def _as_laid(
    pieces: Sequence[Piece], printer: Printer, shapes: Sequence[Shape], found: Nested, *, centred: bool
) -> list[Laid]:  # fmt: skip
    """Where the nesting has put them, on the printer's beds."""
    boxes = []
    for shape, place in zip(shapes, found.places, strict=True):
        x0, y0, x1, y1 = shape.turned(place.turn).bounds
        boxes.append((place.x, place.y, x1 - x0, y1 - y0))
    swapped = printer.endless == "x"
    if swapped:
        boxes = [(y, x, deep, wide) for x, y, wide, deep in boxes]
    room = printer.room[:2]
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
    for number, (place, box) in enumerate(zip(found.places, boxes, strict=True)):
        piece, turn = pieces[number % len(pieces)], -place.turn if swapped else place.turn
        rotation = Tilt.turn((0.0, 0.0, 1.0), turn).rotation @ piece.seat.rotation
        x, y = (box[k] + shift[place.sheet][k] for k in (0, 1))
        own_outline = shapes[number].outline
        shape = shapely.affinity.rotate(_swapped(own_outline) if swapped else own_outline, turn, origin=(0.0, 0.0))
        low_x, low_y, _, _ = shape.bounds
        up = piece.lift - float((piece.solid.vertices @ rotation[2]).min())
        bed_x = place.sheet * pitch
        laid.append(Laid(rotation, np.array([x - low_x + bed_x, y - low_y, up]), place.sheet, bed_x, turn,
                         shapely.affinity.translate(shape, x - low_x, y - low_y)))  # fmt: skip
    return laid


def _swapped(outline: shapely.MultiPolygon) -> shapely.MultiPolygon:
    """With its axes the other way round."""
    return shapely.transform(outline, lambda corners: corners[:, ::-1])
