"""A cut into cells between walls."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field, model_validator

from ..arrays import Floats
from ..geometry.orientation import Tilt
from ..locale.translate import tr
from ..progress import QUIET, Job
from .kind import Cut, no_region
from .move import Move
from .reach import Picked

if TYPE_CHECKING:
    from ..geometry.splitting import Parted
    from ..mesh.solid import Solid


MOST_WALLS = 60
MOST_CELLS = 1000


class BlockCut(Cut):
    """A cut into cells between walls.

    Attributes
    ----------
    turn : Tilt
        Rotation from the model's axes to those of the cells.
    x : tuple[float, ...]
        The places of the walls across its first axis.
    y : tuple[tuple[float, ...], ...]
        The places of the walls across the second axis: one list for all slabs, or one for each.
    z : tuple[tuple[float, ...], ...]
        The places of the walls across the third axis: one list for all columns, or one for each, in the order of
        x and then y.
    """

    kind: Literal["block"] = "block"
    turn: Tilt = Tilt()
    x: tuple[float, ...] = Field(default=(), max_length=MOST_WALLS)
    y: tuple[tuple[float, ...], ...] = ((),)
    z: tuple[tuple[float, ...], ...] = ((),)

    two_sided: ClassVar[bool] = False
    settles: ClassVar[bool] = True

    @model_validator(mode="after")
    def _has_walls(self) -> BlockCut:
        for walls in (self.x, *self.y, *self.z):
            if len(walls) > MOST_WALLS:
                raise ValueError(tr("at most {most_walls} walls along an axis", most_walls=MOST_WALLS))
            if any(b - a <= 1e-9 for a, b in zip(walls, walls[1:], strict=False)):
                raise ValueError(tr("the walls of a block cut must be in rising order, with space between them"))
        if len(self.y) not in (1, len(self.x) + 1):
            raise ValueError(tr("the walls across the second axis must be one list, or a list for each slab"))
        if len(self.z) != 1 and len(self.z) != sum(len(self.y_of(slab)) + 1 for slab in range(len(self.x) + 1)):
            raise ValueError(tr("the walls across the third axis must be one list, or a list for each column"))
        if not any((self.x, *self.y, *self.z)):
            raise ValueError(tr("a block cut needs a wall"))
        if self.cells > MOST_CELLS:
            raise ValueError(
                tr(
                    "a block cut has at most {most_cells:,} cells; these walls make {cells:,}",
                    most_cells=MOST_CELLS,
                    cells=self.cells,
                )
            )
        return self

    @property
    def cells(self) -> int:
        """The number of cells."""
        columns = sum(len(self.y_of(slab)) + 1 for slab in range(len(self.x) + 1))
        return sum(len(self.z_of(column)) + 1 for column in range(columns))

    def walls(self, axis: int) -> tuple[tuple[float, ...], ...]:
        """The lists of walls across one of its axes: one for all, or one for each slab or column."""
        return (self.x,) if axis == 0 else (self.y, self.z)[axis - 1]

    def y_of(self, slab: int) -> tuple[float, ...]:
        """The walls across the second axis in a slab."""
        return self.y[slab if len(self.y) > 1 else 0]

    def z_of(self, column: int) -> tuple[float, ...]:
        """The walls across the third axis in a column."""
        return self.z[column if len(self.z) > 1 else 0]

    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        """The cells, numbered along x, then y, then z. What is out of reach is the side -1."""
        from ..geometry.splitting import Parted, slices, split_by_body, taken_over, with_something

        half = self.kerf / 2
        kerf: list[float] = []
        inside: Solid | None = solid
        rest: list[tuple[int, Solid | None]] = []
        if self.reach is not None and self.bounded:
            reach = self.reach
            within, without, lost = split_by_body(solid.manifold, lambda grow: reach.body(solid, picked, grow), half)
            sides = dict(taken_over(solid, [(0, within), (-1, without)], self.id, self.name))
            inside, rest = sides.get(0), [(-1, sides.get(-1))]
            kerf.append(lost)
        axes = self.turn.rotation
        found: list[tuple[int, Solid | None]] = []
        column = 0
        for slab, slice_ in enumerate(slices(inside, axes[0], self.x, half, self.id, kerf)):
            for row in slices(slice_, axes[1], self.y_of(slab), half, self.id, kerf):
                job.step(len(found) / self.cells, tr("Cutting: {name}", name=self.name))
                cells = slices(row, axes[2], self.z_of(column), half, self.id, kerf)
                found += enumerate(cells, start=len(found))
                column += 1
        return Parted(with_something(solid, [*found, *rest]), math.fsum(kerf))

    def side_word(self, side: int, rotation: Floats) -> str:
        return tr("block {side}", side=side + 1) if side >= 0 else ""

    def moved(self, move: Move) -> dict[str, Any]:
        turn, scale, flips, start = move.axes(self.turn)
        x, y, z = self.x, self.y, self.z
        if any(flips):  # cells would be numbered anew; a mirrored frame is carried as a turned one
            x, y, z = _flipped(self, flips)
        return {
            "turn": turn, "x": _along(x, scale[0], start[0]), "y": tuple(_along(w, scale[1], start[1]) for w in y),
            "z": tuple(_along(w, scale[2], start[2]) for w in z),
        }

    def renumbered(self, move: Move) -> dict[int, int]:
        """Cells are numbered along the axes, and a mirror reverses some of these."""
        _, _, flips, _ = move.axes(self.turn)
        x, y, z = _flipped(self, flips)
        new = {place: n for n, place in enumerate(_cell_places(self.model_copy(update={"x": x, "y": y, "z": z})))}
        found = {}
        for number, (i, j, k) in enumerate(_cell_places(self)):
            rows = len(self.y_of(i)) + 1
            column = sum(len(self.y_of(slab)) + 1 for slab in range(i)) + j
            levels = len(self.z_of(column)) + 1
            place = (
                len(self.x) - i if flips[0] else i, rows - 1 - j if flips[1] else j, levels - 1 - k if flips[2] else k
            )
            if new[place] != number:
                found[number] = new[place]
        return found

    def planes(self) -> list[tuple[Floats, float]]:
        through = [self.walls(axis)[0] if len(self.walls(axis)) == 1 else () for axis in range(3)]
        return [(normal, wall) for normal, own in zip(self.turn.rotation, through, strict=True) for wall in own]


def walls_as(axis: int, lists: tuple[tuple[float, ...], ...]) -> dict[str, Any]:
    """The fields of a block cut for other lists of walls across one of its axes."""
    return {"xyz"[axis]: lists[0] if axis == 0 else lists}


def _cell_places(cut: BlockCut) -> list[tuple[int, int, int]]:
    """Slab, row and level of each cell, in the order of the cell numbers."""
    found, column = [], 0
    for i in range(len(cut.x) + 1):
        for j in range(len(cut.y_of(i)) + 1):
            found += [(i, j, k) for k in range(len(cut.z_of(column)) + 1)]
            column += 1
    return found


def _along(walls: Iterable[float], scale: float, start: float) -> tuple[float, ...]:
    return tuple(scale * wall + start for wall in walls)


def _flipped(cut: BlockCut, flips: tuple[bool, bool, bool]) -> tuple[Any, Any, Any]:
    """The walls with some axes reversed, and their lists in the new order."""

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
    )
