"""Cuts carried along when the model is stretched, mirrored or moved: points p become M p + t."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .cutting import (
    BentCut,
    BlockCut,
    BoxCut,
    BoxReach,
    Cut,
    LiftOffCut,
    OutlineReach,
    PieceReach,
    Reach,
    RegionReach,
    ScoopCut,
    StraightCut,
)
from .documents import Triple, triple
from .marking import Region
from .tilt import Tilt

Floats = NDArray[np.float64]


def carried(cut: Cut, matrix: Floats, shift: Floats | None = None) -> Cut:
    """The same cut on the moved model.

    matrix : (3, 3), invertible; shift : (3,) mm. What has axes of its own (boxes, balls) can follow a stretch only
    along them: where it is stretched askew, it keeps right angles and the lengths of its axes.
    """
    moved = _Carried(np.asarray(matrix, float), np.zeros(3) if shift is None else np.asarray(shift, float))
    update: dict[str, Any] = {}
    if cut.reach is not None:
        update["reach"] = moved.reach(cut.reach)
    match cut:
        case StraightCut():
            normal, offset = moved.plane(np.array(cut.normal), cut.offset)
            update |= {"normal": normal, "offset": offset}
        case BlockCut():
            turn, scale, flips, start = moved.axes(cut.turn)
            x, y, z = cut.x, cut.y, cut.z
            if any(flips):  # cells would be numbered anew; a mirrored frame is carried as a turned one
                x, y, z = _flipped(cut, flips)
            update |= {
                "turn": turn, "x": _along(x, scale[0], start[0]), "y": tuple(_along(w, scale[1], start[1]) for w in y),
                "z": tuple(_along(w, scale[2], start[2]) for w in z),
            }  # fmt: skip
        case BoxCut():
            update |= moved.box(cut.centre, cut.half, cut.turn)
        case BentCut():
            # in a mirror left is right: the line is walked the other way, and its left side stays the side +1
            line = tuple(reversed(cut.line)) if np.linalg.det(moved.matrix) < 0 else cut.line
            update |= {"line": moved.points(line), "view": moved.direction(cut.view)}
        case ScoopCut():
            update |= moved.box(cut.centre, cut.half, cut.turn)
            if cut.region is not None:
                update |= {"region": moved.region(cut.region), "margin": cut.margin * moved.size}
        case LiftOffCut():
            update |= {"region": moved.region(cut.region), "pocket": cut.pocket * moved.size}
            if cut.direction is not None:
                update["direction"] = moved.direction(cut.direction)
    return type(cut).model_validate({**cut.model_dump(), **update})


def renumbered(cut: Cut, matrix: Floats) -> dict[int, int]:
    """What becomes of the sides of a cut that is carried along: the new number of each that gets another one. The cells
    of a block are numbered along its axes, some of which turn round in a mirror."""
    if not isinstance(cut, BlockCut):
        return {}
    _, _, flips, _ = _Carried(np.asarray(matrix, float), np.zeros(3)).axes(cut.turn)
    old = _cell_places(cut)
    x, y, z = _flipped(cut, flips)
    new = {place: n for n, place in enumerate(_cell_places(cut.model_copy(update={"x": x, "y": y, "z": z})))}
    found = {}
    for number, (i, j, k) in enumerate(old):
        rows = len(cut.y_of(i)) + 1
        column = sum(len(cut.y_of(slab)) + 1 for slab in range(i)) + j
        levels = len(cut.z_of(column)) + 1
        place = (
            len(cut.x) - i if flips[0] else i, rows - 1 - j if flips[1] else j, levels - 1 - k if flips[2] else k
        )  # fmt: skip
        if new[place] != number:
            found[number] = new[place]
    return found


def _cell_places(cut: BlockCut) -> list[tuple[int, int, int]]:
    """(slab, row, level) of each cell, in the order of their numbers."""
    found, column = [], 0
    for i in range(len(cut.x) + 1):
        for j in range(len(cut.y_of(i)) + 1):
            found += [(i, j, k) for k in range(len(cut.z_of(column)) + 1)]
            column += 1
    return found


def _along(walls: Iterable[float], scale: float, start: float) -> tuple[float, ...]:
    return tuple(scale * wall + start for wall in walls)


def _flipped(cut: BlockCut, flips: tuple[bool, bool, bool]) -> tuple[Any, Any, Any]:
    """The walls with some axes turned round, their lists in the new order."""

    def turned(walls: tuple[float, ...], flip: bool) -> tuple[float, ...]:
        return tuple(-wall for wall in reversed(walls)) if flip else walls

    slabs = range(len(cut.x) + 1)
    columns, number = [], 0
    for slab in slabs:
        cells = len(cut.y_of(slab)) + 1
        columns.append([turned(cut.z_of(number + cell), flips[2]) for cell in range(cells)])
        number += cells
    y = [turned(cut.y_of(slab), flips[1]) for slab in slabs]
    if flips[1]:
        columns = [list(reversed(column)) for column in columns]
    if flips[0]:
        y, columns = list(reversed(y)), list(reversed(columns))
    z = [walls for column in columns for walls in column]
    return (
        turned(cut.x, flips[0]), tuple(y) if len(cut.y) > 1 else (y[0],), tuple(z) if len(cut.z) > 1 else (z[0],)
    )  # fmt: skip


class _Carried:
    """The map, and how each kind of thing follows it."""

    def __init__(self, matrix: Floats, shift: Floats) -> None:
        self.matrix, self.shift = matrix, shift
        self.size = float(abs(np.linalg.det(matrix)) ** (1 / 3))

    def points(self, places: Iterable[Triple]) -> tuple[Triple, ...]:
        return tuple(triple(self.matrix @ np.array(place) + self.shift) for place in places)

    def direction(self, direction: Triple) -> Triple:
        moved = self.matrix @ np.array(direction)
        return triple(moved / np.linalg.norm(moved))

    def plane(self, normal: Floats, offset: float) -> tuple[Triple, float]:
        """n . p = d becomes m . q = d / |n M^-1| + m . t, with m the unit vector along n M^-1."""
        row = normal @ np.linalg.inv(self.matrix)
        length = float(np.linalg.norm(row))
        return triple(row / length), offset / length + float(row / length @ self.shift)

    def axes(self, turn: Tilt) -> tuple[Tilt, Floats, tuple[bool, bool, bool], Floats]:
        """(turn of the moved axes, (3,) how much longer each is, which were turned round so that they stay a
        right-handed turn, (3,) mm by which places along each have moved)."""
        own = turn.rotation
        moved = self.matrix @ own.T  # columns: where the axes go
        scale = np.linalg.norm(moved, axis=0)
        u, _, vt = np.linalg.svd(moved / scale)  # the nearest right-angled axes
        square = u @ vt
        flips = (False, False, False)
        if np.linalg.det(square) < 0:
            flips = (True, False, False)
            square[:, 0] *= -1.0
        return Tilt.from_rotation(square.T), scale, flips, square.T @ self.shift

    def box(self, centre: Triple, half: Triple, turn: Tilt) -> dict[str, Any]:
        turned, scale, _, _ = self.axes(turn)
        return {
            "centre": self.points([centre])[0], "half": triple(scale * np.array(half)), "turn": turned
        }  # fmt: skip

    def region(self, region: Region) -> Region:
        facing = tuple(self.plane(np.array(one), 0.0)[0] for one in region.facing)
        half = triple(np.abs(self.matrix) @ np.array(region.half))
        return region.model_copy(update={
            "places": self.points(region.places), "facing": facing, "half": half, "reach": region.reach * self.size,
        })  # fmt: skip

    def reach(self, reach: Reach) -> Reach:
        match reach:
            case PieceReach():
                return reach
            case BoxReach():
                return reach.model_copy(update=self.box(reach.centre, reach.half, reach.turn))
            case OutlineReach():
                return reach.model_copy(
                    update={"points": self.points(reach.points), "view": self.direction(reach.view)}
                )
            case RegionReach():
                return reach.model_copy(
                    update={"region": self.region(reach.region), "margin": reach.margin * self.size}
                )


def mirrored(cut: Cut, normal: Floats, offset: float) -> Cut:
    """A cut mirrored at the plane normal . p = offset; normal of length 1."""
    matrix = np.eye(3) - 2.0 * np.outer(normal, normal)
    return carried(cut, matrix, 2.0 * offset * normal)
