"""The block cut in the window."""

from __future__ import annotations

from functools import partial

import numpy as np

from ...core.arrays import Floats
from ...core.cuts import MOST_WALLS, BlockCut, walls_as
from ...core.geometry.orientation import turned_box
from ...core.locale.translate import tr
from ..fields import Field, Update, replaced
from ..widgets.basics import button, row
from .context import CutContext
from .kind import Box, GripDrag, OnDesk, Parts, Tools
from .outlines import ring

_BEDS = 0.92
"""Share of the bed that a cell of a block cut may take, so that walls can move a little."""
_ROOM = 0.5
"""mm that a wall which is dragged keeps from its neighbours."""


class BlockOnDesk(OnDesk[BlockCut]):
    kind = "block"
    word = tr("Block")
    tip = tr("Divides a large prop into cells: as many equal ones as it needs to fit the bed.")
    rank = 2

    def placed(self, ground: CutContext, at: Floats | None) -> BlockCut:
        """Cells along the model's own axes, along each as many equal ones as the printer needs."""
        low, high = ground.box
        size = high - low
        room = sorted(min(value, 1e6) * _BEDS for value in ground.room)
        counts = np.ones(3, int)
        # the longest side of a cell may be as long as the longest of the printer
        for place, axis in enumerate(np.argsort(size)):
            counts[axis] = int(np.ceil(size[axis] / room[place]))
        if counts.prod() == 1:
            counts[int(np.argmax(size))] = 2
        walls = [
            tuple(float(low[axis] + size[axis] * k / counts[axis]) for k in range(1, counts[axis])) for axis in range(3)
        ]
        return BlockCut(**ground.named(self.word), x=walls[0], y=(walls[1],), z=(walls[2],))

    def fields(self, cut: BlockCut, box: Box) -> list[Field]:
        return [*_part_fields(*turned_box(*box, cut.turn.rotation)), *_wall_fields(cut)]

    def outline(self, cut: BlockCut, box: Box) -> Floats:
        return np.concatenate([ring(corners) for corners in _walls(cut, *box).values()])

    def grips(self, cut: BlockCut, box: Box, seam: Floats) -> dict[str, Floats]:
        # on their edges, where those of walls across other axes are not
        return {name: (corners[2] + corners[3]) / 2 for name, corners in _walls(cut, *box).items()}

    def pulled(self, cut: BlockCut, pull: GripDrag) -> Update:
        axis, of, n = (int(word) for word in pull.grip.split()[1:])
        return moved_wall(cut, axis, of, n, float(pull.place @ cut.turn.rotation[axis]))

    def way_of(self, cut: BlockCut, grip: str) -> Floats | None:
        return np.asarray(cut.turn.rotation[int(grip.split()[1])])

    def tools(self, parts: Parts) -> BlockTools:
        return BlockTools(parts, self)


class BlockTools(Tools[BlockCut]):
    def __init__(self, parts: Parts, kind: BlockOnDesk) -> None:
        super().__init__()
        self._parts, self._kind = parts, kind
        self.for_bed = button(
            tr("Fit cells to the bed"), tr("Makes as many equal cells along the model's own axes as the printer "
                                           "needs."),
            self._cells_for_bed,
        )
        self.stagger = button(tr("Stagger"), tr("Shifts the walls across Y by half a cell in every second slab, "
                                                "like bricks."),
                              self._stagger)
        beside = row(self.for_bed, self.stagger, 1)
        beside.setContentsMargins(0, 0, 0, 0)
        self.setLayout(beside)

    def show_cut(self, cut: BlockCut) -> None:
        self.stagger.setEnabled(len(cut.x) > 0 and len(cut.y) == 1 and len(cut.y[0]) > 0)

    def _cells_for_bed(self) -> None:
        block = self._kind.placed(self._parts.ground(), None)
        self._parts.cutting.change(tr("make cells for the bed"), turn=block.turn, x=block.x, y=block.y, z=block.z)

    def _stagger(self) -> None:
        """Make T-junctions in place of crossings; these are stronger when glued."""
        cut = self._parts.desk.cut
        if isinstance(cut, BlockCut):
            low, high = turned_box(*self._parts.desk.box, cut.turn.rotation)
            self._parts.cutting.change(tr("stagger the cells"), y=staggered(cut, float(low[1]), float(high[1])))


def _walls(cut: BlockCut, low: Floats, high: Floats) -> dict[str, Floats]:
    """The corners (4, 3) of each wall, by the name of its grip. "cell 1 2 0" is the first wall of the third list
    across the second axis.

    A wall that belongs to one slab or column ends where that does.
    """
    start, end = turned_box(low, high, cut.turn.rotation)
    xs, found = [start[0], *cut.x, end[0]], {}

    def put(axis: int, of: int, walls: tuple[float, ...], low: Floats, high: Floats) -> None:
        i, j = (k for k in range(3) if k != axis)
        for n, wall in enumerate(walls):
            corners = np.full((4, 3), wall)
            corners[:, i] = [low[i], high[i], high[i], low[i]]
            corners[:, j] = [low[j], low[j], high[j], high[j]]
            found[f"cell {axis} {of} {n}"] = corners @ cut.turn.rotation

    put(0, 0, cut.x, start, end)
    column = 0
    for slab in range(len(cut.x) + 1):
        low, high = start.copy(), end.copy()
        if len(cut.y) > 1 or len(cut.z) > 1:
            low[0], high[0] = xs[slab], xs[slab + 1]
        if len(cut.y) > 1 or slab == 0:
            put(1, slab, cut.y[slab], low if len(cut.y) > 1 else start, high if len(cut.y) > 1 else end)
        ys = [start[1], *cut.y_of(slab), end[1]]
        for level in range(len(ys) - 1):
            if len(cut.z) > 1:
                low[1], high[1] = ys[level], ys[level + 1]
                put(2, column, cut.z[column], low, high)
            column += 1
    if len(cut.z) == 1:
        put(2, 0, cut.z[0], start, end)
    return found


def moved_wall(cut: BlockCut, axis: int, of: int, n: int, place: float) -> Update:
    """The change to a block cut when a wall is moved. The wall stays between its neighbours.

    Parameters
    ----------
    of : int
        The number of its list.
    """
    lists = list(cut.walls(axis))
    walls = list(lists[of])
    low = walls[n - 1] + _ROOM if n else -np.inf
    high = walls[n + 1] - _ROOM if n + 1 < len(walls) else np.inf
    walls[n] = round(float(np.clip(place, low, high)), 2)
    lists[of] = tuple(walls)
    return walls_as(axis, tuple(lists))


def _part_fields(low: Floats, high: Floats) -> list[Field]:
    """Fields for the number of equal parts along each axis. The number along the first axis decides how many lists
    the others have.
    """

    def update(axis: int, cut: BlockCut, count: float) -> Update:
        parts = round(count)
        walls = tuple(np.round(np.linspace(low[axis], high[axis], parts + 1)[1:-1], 3).tolist())
        others = {"xyz"[k]: cut.walls(k)[:1] for k in (1, 2) if k >= axis}
        return {**others, **walls_as(axis, (walls,))}

    def field(axis: int) -> Field:
        return Field(tr("Parts {axis}", axis='XYZ'[axis]), tr("The number of equal parts along this axis of the "
                                                              "cut."), "",
                     lambda cut: max(len(walls) for walls in cut.walls(axis)) + 1, partial(update, axis), 1,
                     MOST_WALLS + 1)

    return [field(axis) for axis in range(3)]


def staggered(cut: BlockCut, low: float, high: float) -> tuple[tuple[float, ...], ...]:
    """The walls across the second axis for each slab. In every second slab they are shifted by half a cell.

    Parameters
    ----------
    low, high : float, mm
        Where the model ends along that axis, in mm.
    """
    walls = np.array(cut.y[0])
    ends = np.concatenate([[low], walls, [high]])
    between = tuple(np.round((ends[:-1] + ends[1:]) / 2, 3).tolist())
    return tuple(between if slab % 2 else cut.y[0] for slab in range(len(cut.x) + 1))


def _wall_fields(cut: BlockCut) -> list[Field]:
    """A field for each wall that goes through everything."""

    def field(axis: int, k: int) -> Field:
        def moved(one: BlockCut, wanted: float) -> Update:
            return walls_as(axis, (tuple(sorted(replaced(one.walls(axis)[0], k, wanted))),))

        name = tr("Wall {axis}{number}", axis="XYZ"[axis], number=k + 1)
        tip = tr("The place of this wall on the cut's own axis.")
        return Field(name, tip, "mm", lambda one: one.walls(axis)[0][k], moved)

    through = [(axis, cut.walls(axis)[0]) for axis in range(3) if len(cut.walls(axis)) == 1]
    return [field(axis, k) for axis, walls in through for k in range(len(walls))]
