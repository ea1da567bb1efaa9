"""Rods through a void that support its walls."""

from __future__ import annotations

import math

import manifold3d
import numpy as np

from ..arrays import Floats
from ..errors import HollowFailed
from ..geometry.bodies import within
from ..geometry.curves import frame_of
from ..locale.translate import tr
from ..mesh.solid import Solid
from .bodies import as_round

_SIDES = 16
_STEP = 0.2
"""Of the spacing: so far apart it is looked along a rod whether it is in the void."""
MOST_RODS = 20_000


def axes(up: Floats) -> Floats:
    """Three perpendicular directions, the rows of a (3, 3) array, each 35.3 degrees above the horizontal, so that a
    rod prints without support. They are the edges of a cube that stands on its corner.

    Parameters
    ----------
    up : (3,) float64
        A unit vector.
    """
    first, second, _ = frame_of(up)
    turn = 2.0 * np.pi * np.arange(3) / 3.0
    level = np.outer(np.cos(turn), first) + np.outer(np.sin(turn), second)
    return np.asarray(math.sqrt(2.0 / 3.0) * level + math.sqrt(1.0 / 3.0) * up)


def lattice(void: manifold3d.Manifold, up: Floats, spacing: float, radius: float) -> manifold3d.Manifold | None:
    """Rods that cross at a regular spacing, throughout a void and slightly beyond; None where none fits.

    Parameters
    ----------
    up : (3,) float64
        A unit vector, the direction in which the piece is printed.
    spacing, radius : float, mm
        The spacing is more than two diameters.

    Raises
    ------
    HollowFailed
        There would be far too many rods.
    """
    solid = Solid.from_manifold(void, {})
    low, high = solid.bounds
    middle, reach = (low + high) / 2, 0.5 * float(np.linalg.norm(high - low)) + radius
    count = math.floor(reach / spacing)
    if 3 * math.pi * count**2 > MOST_RODS:
        raise HollowFailed(tr("The lattice would have far too many rods."), remedy=tr("Set them farther apart."))
    i, j = (one.ravel() for one in np.meshgrid(np.arange(-count, count + 1), np.arange(-count, count + 1)))
    along = axes(up)
    step = _STEP * spacing
    steps = np.arange(-math.ceil(reach / step), math.ceil(reach / step) + 1)
    families = []
    for axis in range(3):
        u, v, way = along[(axis + 1) % 3], along[(axis + 2) % 3], along[axis]
        feet = middle + spacing * (np.outer(i, u) + np.outer(j, v))
        points = feet[:, None] + step * steps[:, None] * way
        inside = within(solid, points.reshape(-1, 3)).reshape(len(feet), len(steps))
        turn = np.column_stack([u, v, way])
        rods = list[tuple[Floats, float, float]]()
        for foot, row in zip(feet, inside, strict=True):
            edges = np.flatnonzero(np.diff(np.r_[False, row, False].astype(np.int8)))
            for first, end in edges.reshape(-1, 2):
                start, stop = step * (steps[first] - 1.5), step * (steps[end - 1] + 1.5)
                if rods and rods[-1][0] is foot and rods[-1][2] >= start:
                    rods[-1] = (foot, rods[-1][1], stop)
                else:
                    rods.append((foot, start, stop))
        # side by side they do not touch: nothing need be reckoned out among them
        own = [_rod(foot + start * way, stop - start, radius, turn) for foot, start, stop in rods]
        families += [manifold3d.Manifold.compose(own)] if own else []
    return manifold3d.Manifold.batch_boolean(families, manifold3d.OpType.Add) if families else None


def _rod(start: Floats, length: float, radius: float, turn: Floats) -> manifold3d.Manifold:
    """A prism with the section of a round rod."""
    wide = radius * as_round(_SIDES)
    return manifold3d.Manifold.cylinder(length, wide, wide, _SIDES).transform(np.column_stack([turn, start]))
