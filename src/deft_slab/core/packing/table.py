"""Packs shapes in one given order: a grid finds where each may lie, and exact distances decide where it does."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import shapely

from ..arrays import Floats, Ints, Ints32
from . import sheet_kernels
from .shapes import Lies, Nested, Shape, Sheet

_CELLS = 256.0
"""Cells along the side of a square sheet of the same area."""
_FINEST, _COARSEST = 0.4, 2.0
"""mm: limits of a cell."""
_FLAT = 0.2
"""mm by which outlines are simplified at most; they keep off by as much more as they were."""
_MOST_ROWS = 60_000
_STEPS = 6
"""Times that a shape is moved by what is missing of its distance."""
_FARTHEST = 1.5
"""Cells that it is moved by at most."""


@dataclass(frozen=True, eq=False)
class _Rings:
    """Closed rings.

    Attributes
    ----------
    corners : (n, 2) float64, mm
        One ring after the other.
    starts : (r + 1,) int64
        Where each ring begins.
    """

    corners: Floats
    starts: Ints

    def moved(self, x: float, y: float) -> _Rings:
        return _Rings(self.corners + [x, y], self.starts)


@dataclass(frozen=True, eq=False)
class _Turned:
    """A shape at one rotation.

    Attributes
    ----------
    outline : _Rings
        Simplified, with its low corner at 0, 0.
    grown : _Rings
        The outline grown by half the gap.
    runs : array of int32
        Its cells when it lies at whole cells.
    size : (2,) float64, mm
        The size of its own bounding box.
    columns, rows : int
        How many places there are for it on a sheet.
    off : float, mm
        By how much it may be larger than its simplified outline.
    """

    turn: float
    outline: _Rings
    grown: _Rings
    runs: Ints32
    size: Floats
    columns: int
    rows: int
    off: float


class PackingTable:
    """What is known about the shapes on a sheet, for any order in which they are packed."""

    def __init__(self, shapes: Sequence[Shape], sheet: Sheet, gap: float) -> None:
        self._shapes, self._sheet, self._gap = shapes, sheet, gap
        room = sheet.wide * (sheet.deep if math.isfinite(sheet.deep) else sheet.wide)
        self._cell = float(np.clip(math.sqrt(room) / _CELLS, _FINEST, _COARSEST))
        # cells begin before a shape by this, and reach as far over the edges of the sheet
        self._before = math.ceil((gap / 2 + _FLAT) / self._cell) * self._cell
        self._turned: dict[tuple[bytes, float], _Turned] = {}
        self._keys = [shapely.to_wkb(shape.outline) for shape in shapes]
        self._even: dict[bytes, tuple[shapely.Geometry, shapely.Geometry, float]] = {}
        self._columns = self._cells(sheet.wide)
        self._rows = self._cells(sheet.deep) if math.isfinite(sheet.deep) else self._rows_without_end()

    def longest(self, n: int) -> float:
        """The longer side of the bounding box of a shape, in mm."""
        return float(np.max(self._in(n, self._shapes[n].turns[0]).size))

    def deepest(self, n: int) -> float:
        """The depth of a shape as it lies first, in mm."""
        return float(self._in(n, self._shapes[n].turns[0]).size[1])

    def _cells(self, length: float) -> int:
        return math.ceil((length + 2 * self._before) / self._cell) + 2

    def _rows_without_end(self) -> int:
        """The rows needed if each shape were alone in its row."""
        each = sum(self._cells(float(self._in(n, shape.turns[0]).size[1])) for n, shape in enumerate(self._shapes))
        return min(_MOST_ROWS, each + 8)

    def _in(self, n: int, turn: float) -> _Turned:
        """A shape at a rotation; equal shapes share it."""
        key = (self._keys[n], turn)
        if key not in self._turned:
            if key[0] not in self._even:
                shape = self._shapes[n]
                even = shape.outline.simplify(_FLAT)
                left_out = shapely.distance(even.boundary, shapely.points(shapely.get_coordinates(shape.outline)))
                grown = even.buffer(max(self._gap / 2, 1e-3), quad_segs=6)
                self._even[key[0]] = even, grown, float(left_out.max())
            even, grown = (shapely.affinity.rotate(one, turn, origin=(0.0, 0.0)) for one in self._even[key[0]][:2])
            x0, y0, x1, y1 = self._shapes[n].turned(turn).bounds
            low = np.array([x0, y0])
            around = _rings(grown, low)
            runs = self._runs(around, 0.0, 0.0)
            # the widest runs are the likeliest to be in the way
            runs = runs[np.argsort(runs[:, 1] - runs[:, 2], kind="stable")]
            size, sheet = np.array([x1 - x0, y1 - y0]), self._sheet
            columns, rows = (
                int((room - long) / self._cell + 1e-6) + 1 if long <= room + 1e-6 else 0
                for room, long in zip((sheet.wide, min(sheet.deep, 1e9)), size.tolist(), strict=True)
            )
            self._turned[key] = _Turned(turn, _rings(even, low), around, runs, size, columns, min(rows, _MOST_ROWS),
                                        self._even[key[0]][2])
        return self._turned[key]

    def _runs(self, grown: _Rings, x: float, y: float) -> Ints32:
        """The cells of a grown outline whose shape has its low corner at x, y mm."""
        moved = grown.moved(x + self._before, y + self._before)
        tall = max(1, math.ceil(float(moved.corners[:, 1].max()) / self._cell) + 1)
        return np.asarray(sheet_kernels.runs_of(moved.corners, moved.starts, self._cell, tall))

    def laid(self, order: Sequence[int]) -> Nested:
        """Pack all shapes, one after the other, each onto the first sheet with room for it."""
        places: list[Lies | None] = [None] * len(self._shapes)
        sheets: list[_Filled] = []
        for n, shape in enumerate(self._shapes):
            if shape.fixed is not None:
                while len(sheets) <= shape.fixed.sheet:
                    sheets.append(self._sheet_for(shape.group))
                sheets[shape.fixed.sheet].group = shape.group
                self._take(sheets[shape.fixed.sheet], self._in(n, shape.fixed.turn), shape.fixed.x, shape.fixed.y)
                places[n] = shape.fixed
        for n in order:
            if places[n] is None:
                places[n] = self._put(n, sheets)
        known = [place for place in places if place is not None]
        used = max((place.sheet for place in known), default=0)
        on_last = [place.y + self._in(n, place.turn).size[1] for n, place in enumerate(known) if place.sheet == used]
        return Nested(tuple(known), used + 1, float(max(on_last, default=0.0)))

    def _sheet_for(self, group: int) -> _Filled:
        filled = _Filled(sheet_kernels.empty_sheet(self._rows, self._columns), group)
        for x, y, wide, deep in self._sheet.kept:
            box = shapely.box(x, y, x + wide, y + deep)
            filled.add(_rings(box, np.zeros(2)), 0.0)
            within = box.buffer(-self._gap / 2, join_style="mitre")
            if not within.is_empty:  # what is nearer is told by its distance
                filled.take(self._runs(_rings(within, np.zeros(2)), 0.0, 0.0))
        return filled

    def _take(self, filled: _Filled, one: _Turned, x: float, y: float) -> None:
        filled.add(one.outline.moved(x, y), self._gap + one.off)
        filled.take(self._runs(one.grown, x, y))

    def _put(self, n: int, sheets: list[_Filled]) -> Lies:
        shape = self._shapes[n]
        fitting = [one for one in (self._in(n, turn) for turn in shape.turns) if one.columns > 0 and one.rows > 0]
        if fitting:
            for number, filled in enumerate(sheets):
                if not filled.closed and filled.group == shape.group:
                    found = self._place(filled, self._keys[n], fitting)
                    if found is not None:
                        return Lies(number, *found)
        sheets.append(self._sheet_for(shape.group))
        found = self._place(sheets[-1], self._keys[n], fitting)
        if found is not None:
            return Lies(len(sheets) - 1, *found)
        # it is too large, or what is kept free is in its way wherever it lies
        sheets[-1].closed = True
        turn = fitting[0].turn if fitting else shape.turns[0]
        return Lies(len(sheets) - 1, turn, 0.0, 0.0, outside=True)

    def _place(self, filled: _Filled, key: bytes, ways: Sequence[_Turned]) -> tuple[float, float, float] | None:
        """The place whose far edge is nearest to the front, which is then taken; None if none is free.

        Returns
        -------
        (turn, x, y) or None
        """
        best: tuple[float, float, _Turned, float, float] | None = None
        for one in ways:
            row, column = filled.reached.get((key, one.turn), (0, 0))
            found = None
            while found is None and (best is None or row * self._cell + one.size[1] <= best[0]):
                row, column = sheet_kernels.first_free(filled.last, filled.used, one.runs, one.rows, one.columns, row,
                                                       column)
                # never before that again: what is taken stays taken
                filled.reached[key, one.turn] = (row, column) if row >= 0 else (one.rows, 0)
                if row < 0:
                    break
                if best is not None and row * self._cell + one.size[1] > best[0]:
                    break
                found = self._settled(filled, one, column * self._cell, row * self._cell)
                column += 1
            if found is None:
                continue
            far = (found[1] + one.size[1], found[0] + one.size[0])
            if best is None or far < (best[0] - 1e-9, best[1]):
                best = (*far, one, *found)
        if best is None:
            return None
        _, _, one, x, y = best
        self._take(filled, one, x, y)
        return one.turn, x, y

    def _settled(self, filled: _Filled, one: _Turned, x: float, y: float) -> tuple[float, float] | None:
        """Where a shape is far enough from all others, moved back or to the right by what is missing, within about a
        cell; None if it is not.
        """
        limits = (self._sheet.wide - one.size[0] + 1e-6, self._sheet.deep - one.size[1] + 1e-6)
        farthest = _FARTHEST * self._cell
        near = filled.near((x, y), one.size, farthest, one.off)
        if not near:
            return (x, y) if x <= limits[0] and y <= limits[1] else None
        first: float | None = None
        for way in ((0.0, 1.0), (1.0, 0.0)):
            moved, short = 0.0, first
            for _ in range(_STEPS):
                if short is None:
                    short = _short_of(one.outline, x + moved * way[0], y + moved * way[1], near)
                    first = short if first is None else first
                if short <= 1e-9:
                    at = (x + moved * way[0], y + moved * way[1])
                    if at[0] <= limits[0] and at[1] <= limits[1]:
                        return at
                    break
                moved, short = moved + short, None
                if moved > farthest:
                    break
        return None


def _rings(shape: shapely.Geometry, low: Floats) -> _Rings:
    """All rings of a shape, relative to a corner."""
    rings = [
        np.asarray(ring.coords)[:-1] - low
        for one in shapely.get_parts(shape) for ring in (one.exterior, *one.interiors)
    ]
    return _Rings(np.concatenate(rings), np.cumsum([0, *(len(ring) for ring in rings)]))


@dataclass(eq=False)
class _Filled:
    """A sheet while it is being filled.

    Attributes
    ----------
    last, used : array of int32
        See ``first_free``.
    closed : bool
        Whether nothing more is packed onto it.
    reached : dict
        For each shape and rotation, the place before which none is free.
    there : list[_Rings]
        What lies there.
    boxes : (k, 5) float64
        For each of these its bounding box, and the distance to keep from it in mm.
    """

    last: Ints32
    group: int
    used: int = 0
    closed: bool = False
    reached: dict[tuple[bytes, float], tuple[int, int]] = field(default_factory=dict)
    there: list[_Rings] = field(default_factory=list)
    boxes: Floats = field(default_factory=lambda: np.empty((0, 5)))

    def take(self, runs: Ints32) -> None:
        """Take the cells of a shape."""
        sheet_kernels.take(self.last, runs, 0, 0)
        self.used = max(self.used, min(len(self.last), int(runs[:, 0].max(initial=-1)) + 1))

    def add(self, shape: _Rings, apart: float) -> None:
        """Add a shape that others keep away from.

        Parameters
        ----------
        apart : float
            The distance in mm.
        """
        self.there.append(shape)
        low, high = shape.corners.min(axis=0), shape.corners.max(axis=0)
        self.boxes = np.vstack([self.boxes, [*low, *high, apart]])

    def near(self, at: tuple[float, float], size: Floats, reach: float, off: float) -> list[tuple[_Rings, float]]:
        """Everything that a shape may come too close to.

        Parameters
        ----------
        reach : float, mm
            How far it may still be moved.
        off : float
            See ``_Turned``.

        Returns
        -------
        list of (_Rings, float)
            What lies there, and the distance to keep from it in mm.
        """
        x0, y0, x1, y1, apart = self.boxes.T
        apart = apart + reach + off
        met = (at[0] - x1 < apart) & (x0 - at[0] - size[0] < apart) & (at[1] - y1 < apart)
        met &= y0 - at[1] - size[1] < apart
        return [(self.there[n], float(self.boxes[n, 4]) + off) for n in np.flatnonzero(met)]


def _short_of(shape: _Rings, x: float, y: float, near: Sequence[tuple[_Rings, float]]) -> float:
    """By how much a shape, moved by x, y, is too close to others, in mm; inf if it crosses one."""
    short = 0.0
    for other, apart in near:
        distance = sheet_kernels.distance(shape.corners, shape.starts, x, y, other.corners, other.starts, apart + 1e-3)
        if distance == 0.0:
            return math.inf
        short = max(short, apart - distance)
    return short
