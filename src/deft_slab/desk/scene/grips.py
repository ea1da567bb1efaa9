"""Cuts that are not flat, as they are drawn: their outline, the grips that change them, what dragging one does.

Plain geometry in the model frame, mm.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.curves import rails, smooth_line
from ...core.cuts import BentCut, BlockCut, BoxCut, BoxReach, Cut, OutlineReach, ScoopCut, walls_as
from ...core.documents import triple
from ...core.tilt import turned_box

Floats = NDArray[np.float64]

_ROUND = 48
_ROOM = 0.5
"""mm that a wall which is dragged keeps from its neighbours."""
_BOX = np.array([[0, 1], [0, 2], [0, 4], [1, 3], [1, 5], [2, 3], [2, 6], [3, 7], [4, 5], [4, 6], [5, 7], [6, 7]])
"""Edges of a box, by the numbers of its corners in binary."""


def outline_of(cut: Cut, low: Floats, high: Floats) -> Floats:
    """(k, 2, 3) segments that show where a cut is. low, high : corners of the model's box"""
    match cut:
        case BoxCut():
            return _box(cut.centre, cut.half, cut.turn.rotation)
        case ScoopCut() if cut.shape != "region":
            return _ball(cut)
        case BentCut():
            return _bent(cut, low, high)
        case BlockCut():
            rings = list(_walls(cut, low, high).values())
            return np.concatenate([np.stack([ring, np.roll(ring, -1, axis=0)], axis=1) for ring in rings])
    return np.empty((0, 2, 3))


def reach_of(cut: Cut, low: Floats, high: Floats) -> Floats:
    """(k, 2, 3) segments that show where a cut stops."""
    if isinstance(cut.reach, BoxReach):
        return _box(cut.reach.centre, cut.reach.half, cut.reach.turn.rotation)
    if isinstance(cut.reach, OutlineReach):
        points = np.array(cut.reach.points)
        return np.stack([points, np.roll(points, -1, axis=0)], axis=1)
    return np.empty((0, 2, 3))


def _box(centre: Any, half: Any, rotation: Floats) -> Floats:
    signs = np.array([[1 - 2 * ((n >> k) & 1) for k in range(3)] for n in range(8)], float)
    corners = np.array(centre) + (signs * np.array(half)) @ rotation
    return np.asarray(corners[_BOX])


def _ball(cut: ScoopCut) -> Floats:
    """Three great circles; of a round-ended one the ends lie where they are."""
    turn = np.linspace(0, 2 * np.pi, _ROUND + 1)
    half, found = np.array(cut.half), []
    for k in range(3):
        circle = np.zeros((_ROUND + 1, 3))
        circle[:, (k + 1) % 3], circle[:, (k + 2) % 3] = np.cos(turn), np.sin(turn)
        points = circle * half
        if cut.shape == "round-ended" and half[2] > min(half[:2]):
            end = float(min(half[:2]))
            points = circle * np.array([half[0], half[1], end])
            points[:, 2] += np.sign(circle[:, 2]) * (half[2] - end)
        points = np.array(cut.centre) + points @ cut.turn.rotation
        found.append(np.stack([points[:-1], points[1:]], axis=1))
    return np.concatenate(found)


def _bent(cut: BentCut, low: Floats, high: Floats) -> Floats:
    line = np.array(cut.line)
    if cut.closed:
        ring = smooth_line(line, cut.smooth, True)
        return np.stack([ring, np.roll(ring, -1, axis=0)], axis=1)
    view, middle = np.array(cut.view), (low + high) / 2
    depth = 0.5 * float(np.abs((high - low) * np.abs(view)).sum())
    at = float((middle - line.mean(axis=0)) @ view)
    own, front, back = rails(line, view, cut.smooth, cut.splay, np.array([at - depth, at + depth]))
    along = [np.stack([one[:-1], one[1:]], axis=1) for one in (front, back, own)]
    few = np.linspace(0, len(front) - 1, len(line)).round().astype(int)
    return np.concatenate([*along, np.stack([front[few], back[few]], axis=1)])


def _walls(cut: BlockCut, low: Floats, high: Floats) -> dict[str, Floats]:
    """(4, 3) corners of each wall, by its grip: "cell 1 2 0" is the first one of the third list across the second axis.

    A wall of a list for one slab or column ends where that does.
    """
    start, end = turned_box(low, high, cut.turn.rotation)
    xs, found = [start[0], *cut.x, end[0]], {}

    def put(axis: int, of: int, walls: tuple[float, ...], low: Floats, high: Floats) -> None:
        i, j = (k for k in range(3) if k != axis)
        for n, wall in enumerate(walls):
            ring = np.full((4, 3), wall)
            ring[:, i] = [low[i], high[i], high[i], low[i]]
            ring[:, j] = [low[j], low[j], high[j], high[j]]
            found[f"cell {axis} {of} {n}"] = ring @ cut.turn.rotation

    put(0, 0, cut.x, start, end)
    column = 0
    for slab in range(len(cut.x) + 1):
        low, high = start.copy(), end.copy()
        if len(cut.y) > 1 or len(cut.z) > 1:
            low[0], high[0] = xs[slab], xs[slab + 1]
        if len(cut.y) > 1 or slab == 0:
            put(1, slab, cut.y[slab], low if len(cut.y) > 1 else start, high if len(cut.y) > 1 else end)
        ys = [start[1], *cut.y_of(slab), end[1]]
        for row in range(len(ys) - 1):
            if len(cut.z) > 1:
                low[1], high[1] = ys[row], ys[row + 1]
                put(2, column, cut.z[column], low, high)
            column += 1
    if len(cut.z) == 1:
        put(2, 0, cut.z[0], start, end)
    return found


def grips_of(cut: Cut, low: Floats, high: Floats) -> dict[str, Floats]:
    """Places that can be dragged: "middle", "size 0" to "size 2" on the axes, "point 0" and so on of a line, "cell 0 0
    0" of the walls of a block. low, high : corners of the model's box"""
    match cut:
        case BlockCut():
            # on their edges, where those of walls across other axes are not
            return {name: (ring[2] + ring[3]) / 2 for name, ring in _walls(cut, low, high).items()}
        case BoxCut() | ScoopCut() if getattr(cut, "shape", "") != "region":
            middle = np.array(cut.centre)
            ends = {f"size {k}": middle + cut.half[k] * cut.turn.rotation[k] for k in range(3)}
            return {"middle": middle, **ends}
        case BentCut():
            return {f"point {n}": np.array(point) for n, point in enumerate(cut.line)}
    return {}


def pulled(cut: Cut, grip: str, place: Floats) -> dict[str, Any]:
    """What changes of a cut when a grip is dragged to a place."""
    if grip == "middle":
        return {"centre": triple(place)}
    if isinstance(cut, BlockCut):
        axis, of, n = (int(word) for word in grip.split()[1:])
        return moved_wall(cut, axis, of, n, float(place @ cut.turn.rotation[axis]))
    number = int(grip.split()[1])
    if grip.startswith("size"):
        along = float((place - np.array(cut.centre)) @ cut.turn.rotation[number])
        return {"half": (*cut.half[:number], max(abs(along), 0.5), *cut.half[number + 1 :])}
    return {"line": (*cut.line[:number], triple(place), *cut.line[number + 1 :])}


def moved_wall(cut: BlockCut, axis: int, of: int, n: int, place: float) -> dict[str, Any]:
    """What changes of a block cut when a wall is moved: it stays between its neighbours. of : number of its list"""
    lists = list(cut.walls(axis))
    walls = list(lists[of])
    low = walls[n - 1] + _ROOM if n else -np.inf
    high = walls[n + 1] - _ROOM if n + 1 < len(walls) else np.inf
    walls[n] = round(float(np.clip(place, low, high)), 2)
    lists[of] = tuple(walls)
    return walls_as(axis, tuple(lists))
